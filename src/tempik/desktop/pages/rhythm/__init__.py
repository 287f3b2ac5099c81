"""The Rhythm page."""
