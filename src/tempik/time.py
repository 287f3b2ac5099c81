"""Reel time and frames.

A rate is a `Fraction` of frames per second, never a float: 30000/1001 is not 29.97.
Frame *k* is on screen over [k/R, (k+1)/R). An instant in seconds belongs to the nearest frame
boundary, computed from its own absolute time, never by adding rounded steps: that is what keeps
a long reel from drifting off its song.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from fractions import Fraction

from tempik.errors import TempikError

HALF = Fraction(1, 2)
# Named rates that people type as decimals; each stands for an exact fraction (SMPTE ST 12-1).
_RATE = re.compile(r"[0-9]{1,9}(?:\.[0-9]{1,9}|/[0-9]{1,9})?")
_DECIMAL_RATES = {
    "23.976": Fraction(24000, 1001),
    "23.98": Fraction(24000, 1001),
    "29.97": Fraction(30000, 1001),
    "47.95": Fraction(48000, 1001),
    "59.94": Fraction(60000, 1001),
    "119.88": Fraction(120000, 1001),
}


def frame_of(time_s: float, rate: Fraction) -> int:
    """Return the frame whose boundary lies nearest to `time_s` (halves go to the later frame)."""
    near = time_s * rate.numerator / rate.denominator + 0.5
    whole = math.floor(near)
    # Floating point decides unless the instant is so near to halfway that rounding could have.
    if 1e-6 < near - whole < 1 - 1e-6:
        return whole
    return math.floor(Fraction(time_s) * rate + HALF)


def frames_at(times_s: Iterable[float], rate: Fraction) -> list[int]:
    """Return `frame_of` each of many instants, in a quarter of the time."""
    above, below = rate.numerator, rate.denominator
    out = []
    for time_s in times_s:
        near = time_s * above / below + 0.5
        whole = int(near // 1)
        out.append(whole if 1e-6 < near - whole < 1 - 1e-6 else frame_of(time_s, rate))
    return out


def time_of(frame: int, rate: Fraction) -> float:
    """Return the instant in seconds at which `frame` comes on screen."""
    return frame * rate.denominator / rate.numerator


def frame_on_screen(time_s: float, rate: Fraction) -> int:
    """Return the frame that is on screen at `time_s` (its boundary is at or before it)."""
    return math.floor(Fraction(time_s) * rate)


def parse_rate(text: str) -> Fraction:
    """Read a rate such as `30`, `30000/1001` or `29.97`.

    Raises TempikError when it is not a number between 1 and 1000.
    """
    named = _DECIMAL_RATES.get(text.strip())
    if named is not None:
        return named
    message = text.strip()[:40]
    # An exponent would be worked out to its last digit.
    if not _RATE.fullmatch(text.strip()):
        raise TempikError(f"'{message}' is not a frame rate; give one such as 30, 25 or 30000/1001.")
    try:
        rate = Fraction(text.strip())
    except ZeroDivisionError:
        raise TempikError(f"'{message}' is not a frame rate; give one such as 30, 25 or 30000/1001.") from None
    if not 1 <= rate <= 1000:
        raise TempikError(f"A rate of {message} frames/s is out of range; give one between 1 and 1000.")
    return rate


def rate_text(rate: Fraction) -> str:
    """Return the rate as people write it: `30`, `29.97`, `23.976`."""
    if rate.denominator == 1:
        return str(rate.numerator)
    return f"{float(rate):.3f}".rstrip("0").rstrip(".")


def clock_text(time_s: float) -> str:
    """Return `m:ss.mmm`."""
    ms = round(abs(time_s) * 1000)
    sign = "-" if time_s < 0 and ms else ""
    return f"{sign}{ms // 60000}:{ms // 1000 % 60:02d}.{ms % 1000:03d}"
