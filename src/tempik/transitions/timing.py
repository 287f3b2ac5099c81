"""The course of a transition: where its frames lie about the cut, and how far it has come at each."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tempik.easing import HANDLES
from tempik.reel import Handles, Transition

EVEN, SOFT = HANDLES["even"], HANDLES["soft"]
SHARP: Handles = (0.65, 0.0, 0.35, 1.0)
# Curves to choose from; any other is made by its handles.
EASES: dict[str, Handles] = {
    "even": EVEN,
    "soft": SOFT,
    "sharp": SHARP,
    "slow start": HANDLES["slow start"],
    "slow end": HANDLES["slow end"],
    "thrown": (0.08, 0.55, 0.2, 1.0),
}


@lru_cache(256)
def _curve(handles: Handles) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return points of the cubic Bézier curve from (0, 0) to (1, 1) with these handles, x rising."""
    x1, y1, x2, y2 = handles
    t = np.linspace(0, 1, 513)
    a, b, c = 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t**3
    return np.maximum.accumulate(a * x1 + b * x2 + c), a * y1 + b * y2 + c


def eased(share: float, handles: Handles) -> float:
    """Return how far along a curve of ease lies at a share of its time, both 0 to 1. Handles within the unit square
    make it rise throughout."""
    x, y = _curve(handles)
    return float(np.interp(share, x, y))


@lru_cache(256)
def halfway(handles: Handles) -> float:
    """Return the share of its time at which a curve of ease is half way."""
    x, y = _curve(handles)
    return float(np.interp(0.5, y, x))


def about_turn(since: float, before: int, after: int, handles: Handles) -> float:
    """Return the progress of a transition between two clips `since` frames after its turn. It is half way exactly at the turn,
    however many frames lie on either side."""
    half = halfway(handles)
    if since < 0:
        return eased(half * (1 + since / before), handles) if since > -before else 0.0
    return eased(half + (1 - half) * since / after, handles) if since < after else 1.0


def over_edge(since: float, before: int, after: int, handles: Handles) -> float:
    """Return the progress of a transition between a clip and nothing, `since` frames after the clip's edge."""
    return eased(min(max((since + before) / max(before + after, 1), 0.0), 1.0), handles)


def length_frames(transition: Transition, beat_frames: float) -> int:
    """Return how many frames a transition is long, one at least."""
    length = transition.length * (beat_frames if transition.unit == "beats" else 1.0)
    return max(1, math.floor(length + 0.5))


def sides(frames: int, at: float) -> tuple[int, int]:
    """Return how many frames of a transition lie before and after its edge."""
    before = math.floor(frames * at + 1e-9)
    return before, frames - before


def fitted(wanted: tuple[int, int], room: int) -> tuple[int, int]:
    """Return what two transitions get of the frames of the clip between them: what they want, or each its share."""
    first, second = wanted
    if first + second <= room:
        return wanted
    share = first * room // (first + second)
    if first and not share and room > 1:
        share = 1
    return share, room - share
