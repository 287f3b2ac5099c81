"""The Sound page: the mix, the chosen row, track or sound clip, and the shelf of sounds."""
