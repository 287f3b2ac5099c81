"""Accents: short picture events fired by points. Envelopes, the rule of a row, and the catalogue."""

from tempik.accents.catalogue import CATALOGUE, Accent, Look, accent_named
from tempik.accents.envelope import Envelope, Length, level
from tempik.accents.pulses import Pulse, look_at, pulses

__all__ = [
    "CATALOGUE",
    "Accent",
    "Envelope",
    "Length",
    "Look",
    "Pulse",
    "accent_named",
    "level",
    "look_at",
    "pulses",
]
