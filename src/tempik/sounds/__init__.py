"""Sounds to lay under a reel: the shelf that is made by code, what a sound's hit is, how loud sounds are."""
