"""The Export page."""
