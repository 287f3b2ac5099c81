"""Tempik: edit short upright videos to music, landing on the beat."""

__version__ = "0.1.0"
