"""The Speed page."""
