"""Curves through points: monotone cubics, so that they never go beyond the points that they go through."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tempik.reel.grade import Curve1, Dot

Values = NDArray[np.float64]
CLOSE = 1e-6


def in_order(dots: Sequence[Dot]) -> Curve1:
    """Return the points of a curve in order, of those at one place the last."""
    found: dict[float, Dot] = {}
    for x, y in dots:
        near = next((k for k in found if abs(k - x) < CLOSE), x)
        found[near] = (x, y)
    return tuple(sorted(found.values()))


@lru_cache(256)
def curve_of(dots: Curve1) -> Callable[[Values], Values]:
    """Return a curve's function of values, shape kept. Between points it is a monotone cubic; before the first point and after the
    last it is held; no point is the identity."""
    dots = in_order(dots)
    if not dots:
        return lambda x: x
    if len(dots) == 1:
        level = dots[0][1]
        return lambda x: np.full_like(x, level)
    bent, first, last = _monotone(dots), dots[0][0], dots[-1][0]
    return lambda x: bent(np.clip(x, first, last))


@lru_cache(256)
def ring_of(dots: Curve1) -> Callable[[Values], Values]:
    """Return a closed curve's function of degrees: what is added at each hue. It runs on from 360 into 0."""
    dots = in_order([(x % 360.0, y) for x, y in dots])
    if not dots:
        return np.zeros_like
    if len(dots) == 1:
        level = dots[0][1]
        return lambda x: np.full_like(x, level)
    # Two of its points on either side make the seam as smooth as the rest.
    around = [*((x - 360, y) for x, y in dots[-2:]), *dots, *((x + 360, y) for x, y in dots[:2])]
    if len(dots) == 2:
        around = sorted({*around, *((x - 360, y) for x, y in dots), *((x + 360, y) for x, y in dots)})
    bent = _monotone(around)
    return lambda x: bent(np.mod(x, 360.0))


def _monotone(dots: Sequence[Dot]) -> Callable[[Values], Values]:
    """Return the cubic through points, two or more in order, that rises and falls where they do: at each its slope is the harmonic mean of those
    beside it, weighed by their lengths, and none where they turn (Fritsch and Butland, SIAM J. Sci. Stat. Comput. 5(2), 1984). scipy has it
    too, but takes half a second to load, during which a window stands still."""
    xs, ys = (np.array(v, dtype=np.float64) for v in zip(*dots, strict=True))
    long = np.diff(xs)
    rise = np.diff(ys) / long
    slope = np.zeros(len(xs))
    same = rise[:-1] * rise[1:] > 0
    before, after = 2 * long[1:] + long[:-1], long[1:] + 2 * long[:-1]
    with np.errstate(divide="ignore", over="ignore"):  # where there is no slope
        mean = (before + after) / (before / rise[:-1] + after / rise[1:])
    slope[1:-1][same] = mean[same]
    slope[0] = _at_end(long, rise)
    slope[-1] = _at_end(long[::-1], rise[::-1])

    def at(x: Values) -> Values:
        part = np.clip(np.searchsorted(xs, x, "right") - 1, 0, len(long) - 1)
        t = (x - xs[part]) / long[part]
        left, right, whole = slope[part] * long[part], slope[part + 1] * long[part], ys[part + 1] - ys[part]
        return np.asarray(ys[part] + t * (left + t * (3 * whole - 2 * left - right + t * (left + right - 2 * whole))))

    return at


def _at_end(long: Values, rise: Values) -> float:
    """Return the slope at the first point: of the parabola through three, as far as it keeps to the way of the first two."""
    if len(rise) == 1:
        return float(rise[0])
    found = ((2 * long[0] + long[1]) * rise[0] - long[0] * rise[1]) / (long[0] + long[1])
    if found * rise[0] <= 0:
        return 0.0
    return float(3 * rise[0] if rise[0] * rise[1] <= 0 and abs(found) > 3 * abs(rise[0]) else found)
