"""Whole numbers that a person wrote, and reads."""

from __future__ import annotations

LONGEST = 18


def parse_int(text: str) -> int | None:
    """Return the whole number that a text is, in any script's digits, or None: also for one that nothing could count to."""
    bare = text.removeprefix("-")
    return int(text) if bare.isdecimal() and len(bare) <= LONGEST else None


def plural(count: int, what: str) -> str:
    """Return how many of something there are, in words: '1 point', '2 points'."""
    return f"{count} {what}" if count == 1 else f"{count} {what}s"
