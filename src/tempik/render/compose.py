"""Composing a planned frame: one warp a plane, one change of light a plane; identity costs nothing."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.media.picture import BLACK_Y, MID_CHROMA, WHITE_Y, Picture, Plane, solid
from tempik.render.plan import FramePlan

# A stop doubles light; on a display of gamma 2.4 (Rec. ITU-R BT.1886) that multiplies code values by this.
STOP_GAIN = 2 ** (1 / 2.4)
# Affines closer to the identity than this move no sample by a visible amount.
IDENTITY_PX = 0.02


def compose(plan: FramePlan, source: Picture | None) -> Picture:
    """Return the output picture of a plan; `source` is the frame its shot asks for, None for black.

    The source may have any size: the shot's affine speaks of its unit square.
    """
    if plan.shot is None or source is None:
        picture = solid(plan.width, plan.height)
    else:
        picture = _warped(source, plan.shot.affine, plan.width, plan.height)
    if plan.flash <= 0 and plan.stops == 0:
        return picture
    return _lit(picture, plan.flash, plan.stops)


def _warped(source: Picture, affine: NDArray[np.float64], width: int, height: int) -> Picture:
    w, h = source.size
    to_pixels = affine / np.array([[w, h, 1.0]])
    if (w, h) == (width, height) and _is_identity(to_pixels, width, height):
        return source
    half = ((width + 1) // 2, (height + 1) // 2)
    y = _warp(source.y, to_pixels, (width, height))
    chroma = to_pixels * np.array([[1.0, 1.0, 0.5]])
    return Picture(y, _warp(source.u, chroma, half), _warp(source.v, chroma, half))


def _is_identity(matrix: NDArray[np.float64], width: int, height: int) -> bool:
    drift = np.abs(matrix - np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])) * np.array([[width, height, 1.0]])
    return bool(drift.sum(axis=1).max() < IDENTITY_PX)


def _warp(plane: Plane, matrix: NDArray[np.float64], size: tuple[int, int]) -> Plane:
    # The plan counts from sample edges, OpenCV from sample centres: half a sample either side.
    centred = matrix.copy()
    centred[:, 2] += 0.5 * (matrix[:, 0] + matrix[:, 1]) - 0.5
    out = cv2.warpAffine(plane, centred, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT_101)
    return np.asarray(out, dtype=np.uint8)


def _lit(picture: Picture, flash: float, stops: float) -> Picture:
    """Return the picture with exposure changed and white laid over, in one step a plane."""
    gain = float(STOP_GAIN**stops)
    keep = 1.0 - flash
    # y' = 16 + gain·(y − 16), then toward white; chroma likewise about its middle.
    y = cv2.convertScaleAbs(picture.y, alpha=gain * keep, beta=(BLACK_Y * (1 - gain)) * keep + WHITE_Y * flash)
    if stops > 0:
        y = np.minimum(y, WHITE_Y)
    offset = MID_CHROMA * (1 - gain) * keep + MID_CHROMA * flash
    u, v = (cv2.convertScaleAbs(p, alpha=gain * keep, beta=offset) for p in (picture.u, picture.v))
    return Picture(*(np.asarray(p, dtype=np.uint8) for p in (y, u, v)))
