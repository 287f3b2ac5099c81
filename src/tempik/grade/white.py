"""White balance: the picture adapted from one daylight to another, in linear light."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]

# BT.709 primaries and D65 in CIE XYZ (Rec. ITU-R BT.709-6; IEC 61966-2-1 gives the matrix).
TO_XYZ: Matrix = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)
# The cone responses of the Bradford transform (Lam 1985; CIE 159:2004 names it).
BRADFORD: Matrix = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
D65_KELVIN = 6504.0
# How far the ends of warmth lie from D65, in mired: daylight is defined from 4000 K.
REACH_MIRED = 96.0
REACH_UV = 0.02  # of tint, across the daylight locus in CIE 1960 u and v


def daylight(kelvin: float) -> tuple[float, float]:
    """Return x and y of daylight of a correlated colour temperature, 4000 to 25000 K (CIE 15:2004, 3.1)."""
    t = min(max(kelvin, 4000.0), 25000.0)
    if t <= 7000:
        x = -4.6070e9 / t**3 + 2.9678e6 / t**2 + 0.09911e3 / t + 0.244063
    else:
        x = -2.0064e9 / t**3 + 1.9018e6 / t**2 + 0.24748e3 / t + 0.237040
    return x, -3.0 * x * x + 2.870 * x - 0.275


def white_of(temperature: float, tint: float) -> tuple[float, float]:
    """Return x and y of the light that a picture is taken to be lit by: bluer the warmer it is to become, greener the more
    magenta."""
    kelvin = 1e6 / (1e6 / D65_KELVIN - temperature * REACH_MIRED)
    u, v = _uv(*daylight(kelvin))
    before, after = _uv(*daylight(kelvin * 0.99)), _uv(*daylight(kelvin * 1.01))
    along = np.array(after) - np.array(before)
    across = np.array([along[1], -along[0]]) / np.hypot(*along)
    if across[1] < 0:  # green lies above the locus
        across = -across
    u, v = (u, v) + tint * REACH_UV * across
    denominator = 2 * u - 8 * v + 4
    return float(3 * u / denominator), float(2 * v / denominator)


def _uv(x: float, y: float) -> tuple[float, float]:
    below = -2 * x + 12 * y + 3
    return 4 * x / below, 6 * y / below


@lru_cache(64)
def adaptation(temperature: float, tint: float) -> Matrix:
    """Return the matrix of linear BT.709 colours, shape (3, 3), that adapts a picture from the light that it is taken to be lit
    by to D65; a grey keeps its luminance. Warmth and tint are -1 to 1."""
    source = _xyz(*white_of(temperature, tint))
    target = _xyz(*white_of(0.0, 0.0))
    gains = np.diag((BRADFORD @ target) / (BRADFORD @ source))
    whole = np.linalg.inv(TO_XYZ) @ np.linalg.inv(BRADFORD) @ gains @ BRADFORD @ TO_XYZ
    grey = float(TO_XYZ[1] @ whole @ np.ones(3)) / float(TO_XYZ[1].sum())
    return np.asarray(whole / grey, dtype=np.float64)


def _xyz(x: float, y: float) -> NDArray[np.float64]:
    return np.array([x / y, 1.0, (1 - x - y) / y])
