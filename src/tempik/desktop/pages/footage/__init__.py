"""The Footage page."""
