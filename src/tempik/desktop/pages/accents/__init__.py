"""The Accents page."""
