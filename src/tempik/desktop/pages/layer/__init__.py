"""The Layer page."""
