"""Reel to reel and nothing else: every change is a pure function, and none touches a file."""
