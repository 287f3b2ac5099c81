"""The Titles page."""
