"""Frames of footage in which some only repeat the one before: which of the others are on screen."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tempik.media.index import EXACT
from tempik.reel import Footage


@lru_cache(64)
def _distinct(repeats: tuple[int, ...], frames: int) -> NDArray[np.int64]:
    return np.setdiff1d(np.arange(frames), np.array(repeats, dtype=np.int64))


def distinct_around(footage: Footage, source_s: float) -> tuple[int, int, float]:
    """Return the frame on screen when repeated frames are left out and the others stand evenly over the file, the one
    after it, and how far on to it the instant lies, 0 to below 1."""
    kept = _distinct(footage.repeats, max(footage.frames, 1))
    place = source_s / (footage.length_s / max(len(kept), 1)) + 1e-3
    last = len(kept) - 1
    at = min(max(int(place), 0), last)
    share = place - 1e-3 - at
    return int(kept[at]), int(kept[min(at + 1, last)]), share if EXACT <= share <= 1 - EXACT and at < last else 0.0
