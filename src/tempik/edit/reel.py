"""Changes to a reel, each a pure function that returns the reel changed.

Raises TempikError, with the reel left as it was, where a change cannot be had.
"""

from __future__ import annotations

from fractions import Fraction

from msgspec.structs import replace

from tempik.errors import TempikError
from tempik.reel import (
    Clip,
    Reel,
    Soundtrack,
)
from tempik.timeline.timeline import Timeline


def source_start(timeline: Timeline, clip: Clip) -> float:
    """Return the second of the footage that a clip's first frame shows."""
    placed = timeline.placed_clip(clip.id)
    return placed.map.start_s if placed is not None else clip.source_s


def with_settings(reel: Reel, width: int, height: int, rate: Fraction) -> Reel:
    """Set frame size and rate. Every frame number is re-derived from seconds, so changing back loses nothing."""
    return replace(reel, width=width, height=height, rate=rate)


def song_of(reel: Reel) -> Soundtrack:
    """Return the reel's song. Raises TempikError when it has none."""
    if reel.soundtrack is None:
        raise TempikError("The reel has no song yet; drop one on the window.")
    return reel.soundtrack
