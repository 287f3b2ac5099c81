"""Kinds of values that options have."""

from __future__ import annotations

import argparse
from fractions import Fraction

from tempik.errors import TempikError
from tempik.time import parse_rate


def size_of(text: str) -> tuple[int, int]:
    """Read a size such as 1080x1920. Raises ArgumentTypeError."""
    try:
        width, height = (int(part) for part in text.lower().replace("×", "x").split("x"))
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{text}' is not a size; give one such as 1080x1920") from None
    if any(not 16 <= s <= 8192 or s % 2 for s in (width, height)):
        raise argparse.ArgumentTypeError(f"'{text}' must be two even numbers from 16 to 8192")
    return width, height


def rate_of(text: str) -> Fraction:
    """Read a rate such as 30 or 29.97. Raises ArgumentTypeError."""
    try:
        return parse_rate(text)
    except TempikError as error:
        raise argparse.ArgumentTypeError(str(error)) from None
