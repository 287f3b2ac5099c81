"""The Sound page: the mix, the chosen lane, track or sound clip, and the shelf of sounds."""
