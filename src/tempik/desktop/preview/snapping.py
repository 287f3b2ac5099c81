"""What is placed in the preview catches on lines: the frame's edges, middle and thirds, what phones leave free, other layers."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.desktop.preview.guides import SAFE_BOTTOM, SAFE_LEFT, SAFE_RIGHT, SAFE_TOP

REACH = 0.014  # of the frame's width


class Extent(NamedTuple):
    """Where something stands in the frame, in shares of its width and height."""

    left: float
    top: float
    right: float
    bottom: float


class Lines(NamedTuple):
    """What edges and middles catch on along one axis, in shares of the frame."""

    edges: tuple[float, ...]
    middles: tuple[float, ...]


THIRDS = (1 / 3, 2 / 3)
ACROSS = Lines((0.0, 1.0, SAFE_LEFT, 1 - SAFE_RIGHT, *THIRDS, 0.5), (0.5, *THIRDS))
DOWN = Lines((0.0, 1.0, SAFE_TOP, 1 - SAFE_BOTTOM, *THIRDS, 0.5), (0.5, *THIRDS))


class Snapped(NamedTuple):
    """By how much something moves to the nearest lines within reach, and which lines they are."""

    by_x: float
    by_y: float
    line_x: float | None
    line_y: float | None


def around(corners: NDArray[np.float64]) -> Extent:
    """Return the upright box about corners, shape (n, 2)."""
    (left, top), (right, bottom) = corners.min(axis=0), corners.max(axis=0)
    return Extent(float(left), float(top), float(right), float(bottom))


def lines_with(others: Sequence[Extent]) -> tuple[Lines, Lines]:
    """Return the lines across and down of the frame and of other layers."""
    return (
        Lines(
            (*ACROSS.edges, *(v for e in others for v in (e.left, e.right))),
            (*ACROSS.middles, *((e.left + e.right) / 2 for e in others)),
        ),
        Lines(
            (*DOWN.edges, *(v for e in others for v in (e.top, e.bottom))),
            (*DOWN.middles, *((e.top + e.bottom) / 2 for e in others)),
        ),
    )


def snapped(extent: Extent, height_ratio: float, across: Lines = ACROSS, down: Lines = DOWN) -> Snapped:
    """Return how an extent catches on lines; `height_ratio` is the frame's height against its width."""
    by_x, line_x = _nearest(extent.left, extent.right, across, REACH)
    by_y, line_y = _nearest(extent.top, extent.bottom, down, REACH / height_ratio)
    return Snapped(by_x, by_y, line_x, line_y)


def _nearest(low: float, high: float, lines: Lines, reach: float) -> tuple[float, float | None]:
    # The middle goes with middles; edges go with edges, a little less gladly.
    pairs = [(g - (low + high) / 2, g, 0.0) for g in lines.middles]
    pairs += [(g - e, g, reach / 10) for e in (low, high) for g in lines.edges]
    by, line, _ = min(pairs, key=lambda p: abs(p[0]) + p[2])
    return (by, line) if abs(by) <= reach else (0.0, None)


def caught(value: float, lines: Lines, reach: float) -> float | None:
    """Return the line that one edge catches on, or None."""
    line = min(lines.edges, key=lambda g: abs(g - value))
    return line if abs(line - value) <= reach else None
