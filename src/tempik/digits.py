"""Whole numbers that a person wrote."""

from __future__ import annotations

LONGEST = 18


def whole(text: str) -> int | None:
    """Return the whole number that a text is, in any script's digits, or None: also for one that nothing could count to."""
    bare = text.removeprefix("-")
    return int(text) if bare.isdecimal() and len(bare) <= LONGEST else None
