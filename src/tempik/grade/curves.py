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
    """Return a curve's function of values, shape kept. Between points it is a monotone cubic (Fritsch and Carlson 1980, as
    scipy's PchipInterpolator has it); before the first point and after the last it is held; no point is the identity."""
    dots = in_order(dots)
    if not dots:
        return lambda x: x
    if len(dots) == 1:
        level = dots[0][1]
        return lambda x: np.full_like(x, level)
    from scipy.interpolate import PchipInterpolator  # slow to load

    xs, ys = (np.array(v, dtype=np.float64) for v in zip(*dots, strict=True))
    bent = PchipInterpolator(xs, ys, extrapolate=False)
    return lambda x: np.asarray(bent(np.clip(x, xs[0], xs[-1])), dtype=np.float64)


@lru_cache(256)
def ring_of(dots: Curve1) -> Callable[[Values], Values]:
    """Return a closed curve's function of degrees: what is added at each hue. It runs on from 360 into 0."""
    dots = in_order([(x % 360.0, y) for x, y in dots])
    if not dots:
        return np.zeros_like
    if len(dots) == 1:
        level = dots[0][1]
        return lambda x: np.full_like(x, level)
    from scipy.interpolate import PchipInterpolator

    # Two of its points on either side make the seam as smooth as the rest.
    around = [*((x - 360, y) for x, y in dots[-2:]), *dots, *((x + 360, y) for x, y in dots[:2])]
    if len(dots) == 2:
        around = sorted({*around, *((x - 360, y) for x, y in dots), *((x + 360, y) for x, y in dots)})
    xs, ys = (np.array(v, dtype=np.float64) for v in zip(*around, strict=True))
    bent = PchipInterpolator(xs, ys, extrapolate=False)
    return lambda x: np.asarray(bent(np.mod(x, 360.0)), dtype=np.float64)
