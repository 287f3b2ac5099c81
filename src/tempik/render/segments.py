"""How a layer moves while the shutter is open: its movement in segments, each of which is averaged by halving."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.media.paint import halvings, reach_px, turns_nothing

Matrix = NDArray[np.float64]
STRAY_PX = 3.0


class MotionSegment(NamedTuple):
    """A part of the way that a layer goes while the shutter is open: the affine at its beginning, and the affine of the
    output, shape (2, 3), that takes it to its end."""

    begin: Matrix
    sweep: Matrix


def segments_between(begin: Matrix, end: Matrix, middle: Matrix, size: tuple[int, int]) -> tuple[MotionSegment, ...]:
    """Return the movement of a layer while the shutter is open: one segment, or two where it turns round on the way."""
    whole = _from_to(begin, end)
    chord = _from_to(0.5 * (begin + end), middle)
    if reach_px(chord, size) > STRAY_PX and not _straight(whole, chord, size):
        return (MotionSegment(begin, _from_to(begin, middle)), MotionSegment(middle, _from_to(middle, end)))
    return (MotionSegment(begin, whole),) if halvings(reach_px(whole, size)) else ()


def _straight(movement: Matrix, aside: Matrix, size: tuple[int, int]) -> bool:
    """Tell whether a movement is a shift along one line: then it is one segment however unevenly it is gone."""
    if not (turns_nothing(movement, size) and turns_nothing(aside, size)):
        return False
    (x, y), (p, q) = movement[:, 2], aside[:, 2]
    return bool(abs(x * q - y * p) <= STRAY_PX * math.hypot(x, y))


def _from_to(a: Matrix, b: Matrix) -> Matrix:
    """Return the affine of the output that takes what `a` shows to where `b` shows it."""
    last = [0.0, 0.0, 1.0]
    return np.asarray((np.vstack([b, last]) @ np.linalg.inv(np.vstack([a, last])))[:2], dtype=np.float64)
