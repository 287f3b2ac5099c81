"""What a picture's colours are like, in numbers; a grade that makes one picture like another."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from tempik.grade.pointwise import DISPLAY, LUMA, Colours, graded
from tempik.media.picture import Picture, shrunk, to_rgb
from tempik.reel.grade import NEUTRAL, Grade

SAMPLE_PX = 96
RESTRAINT = 0.03  # how much a control must gain to be turned
# To cone responses, and from their logarithms to the opponent axes l, alpha, beta (Reinhard et al. 2001, after Ruderman 1998).
_LMS = np.array([[0.3811, 0.5783, 0.0402], [0.1967, 0.7244, 0.0782], [0.0241, 0.1288, 0.8444]])
_LAB = np.diag([1 / np.sqrt(3), 1 / np.sqrt(6), 1 / np.sqrt(2)]) @ np.array([[1.0, 1, 1], [1, 1, -2], [1, -1, 0]])
LEAST_LIGHT = 1e-3
# What is fitted, and how far it may go.
FITTED = {"exposure": 3.0, "contrast": 0.8, "temperature": 0.9, "tint": 0.9, "blacks": 0.6}


class Colouring(NamedTuple):
    """Means and standard deviations of l, alpha and beta, shape (3,) each."""

    mean: NDArray[np.float64]
    spread: NDArray[np.float64]


def sample_of(picture: Picture) -> Colours:
    """Return a picture's displayed colours at a few thousand places, shape (n, 3), 0 to 1."""
    rgb = to_rgb(shrunk(picture, SAMPLE_PX))
    return np.asarray(rgb.reshape(-1, 3) / np.float32(255), dtype=np.float32)


def colouring_of(rgb: Colours) -> Colouring:
    """Return what colours are like as a whole."""
    light = np.clip(rgb.astype(np.float64), 0, 1) ** DISPLAY
    lab = np.log10(np.maximum(light @ _LMS.T, LEAST_LIGHT)) @ _LAB.T
    return Colouring(lab.mean(axis=0), lab.std(axis=0))


def light_of(rgb: Colours) -> float:
    """Return the mean light of colours in stops below white: the logarithm of luminance averaged, so that a lamp in the picture
    does not decide."""
    luminance = np.clip(rgb.astype(np.float64), 0, 1) ** DISPLAY @ LUMA.astype(np.float64)
    return float(np.log2(np.maximum(luminance, LEAST_LIGHT)).mean())


def matched(source: Colours, target: Colours, begin: Grade = NEUTRAL) -> Grade:
    """Return a grade that gives a picture the light, contrast, warmth, tint and saturation of another: the one whose outcome is
    nearest to the other in mean and deviation on each axis of the space of Reinhard et al. (2001). Fitted are the controls
    that an editor would turn, so that the outcome can be turned further; what `begin` has beside them stays."""
    from scipy.optimize import least_squares  # slow to load

    wanted = colouring_of(target)
    neutral = replace(begin, **{n: getattr(NEUTRAL, n) for n in (*FITTED, "saturation")})

    def made(values: NDArray[np.float64]) -> Grade:
        turned = {n: float(v - 1) * most for (n, most), v in zip(FITTED.items(), values, strict=False)}
        return replace(neutral, **turned, saturation=float(values[-1]))

    def off(values: NDArray[np.float64]) -> NDArray[np.float64]:
        now = colouring_of(graded(source, (made(values),)))
        # Colour counts more than its span suggests: alpha and beta are small beside l.
        weight = np.array([1.0, 4.0, 4.0])
        return np.concatenate(
            [(now.mean - wanted.mean) * weight, (now.spread - wanted.spread) * weight * 0.7, RESTRAINT * (values - 1)]
        )

    # About 1, so that the steps by which the slope is told are steps of the controls themselves.
    begin_at = np.ones(len(FITTED) + 1)
    steps = np.full(len(begin_at), 5e-3)
    found = least_squares(off, begin_at, bounds=(0, 2), diff_step=steps, max_nfev=40)
    grade = made(found.x)
    return replace(grade, **{n: round(getattr(grade, n), 3) for n in (*FITTED, "saturation")})


def exposed(picture: Picture, stops: float) -> Picture:
    """Return a picture with its light doubled `stops` times: displayed values are scaled, since the display's curve is a power
    (Rec. ITU-R BT.1886)."""
    gain = 2 ** (stops / DISPLAY)
    values = np.arange(256, dtype=np.float64)
    tables = [np.clip(np.round(mid + gain * (values - mid)), 0, 255).astype(np.uint8) for mid in (16, 128)]
    y, u, v = (
        np.asarray(cv2.LUT(p, t), dtype=np.uint8) for p, t in zip(picture, (tables[0], *tables[1:] * 2), strict=True)
    )
    return Picture(y, u, v)
