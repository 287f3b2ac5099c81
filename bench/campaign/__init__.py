"""The campaign: kills, power cuts, damage, full disks and a soak, against the program as it is. Use: ./run campaign [PART …]

Each part prints its figures and says whether what docs/reliability.md promises held. `./run test` runs a small share of
each with the same code.
"""
