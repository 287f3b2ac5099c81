"""Composing a planned frame: one warp a plane, one change of light a plane; identity costs nothing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.media.picture import BLACK_Y, MID_CHROMA, WHITE_Y, Picture, Plane, solid
from tempik.render.plan import FramePlan, Shot

# A stop doubles light; on a display of gamma 2.4 (Rec. ITU-R BT.1886) that multiplies code values by this.
STOP_GAIN = 2 ** (1 / 2.4)
# Affines closer to the identity than this move no sample by a visible amount.
IDENTITY_PX = 0.02


class Source(NamedTuple):
    """The frame that a shot asks for, of any size, and how far it covers what is below where it has clear parts."""

    picture: Picture
    alpha: Plane | None = None


def compose(plan: FramePlan, sources: Sequence[Source | None]) -> Picture:
    """Return the output picture of a plan; `sources` holds a frame for each of its shots, None for a solid."""
    picture: Picture | None = None
    for shot, source in zip(plan.shots, sources, strict=True):
        picture = _laid_over(picture, shot, source, plan.width, plan.height)
    if picture is None:
        picture = solid(plan.width, plan.height)
    if plan.flash <= 0 and plan.stops == 0:
        return picture
    return _lit(picture, plan.flash, plan.stops)


def _laid_over(below: Picture | None, shot: Shot, source: Source | None, width: int, height: int) -> Picture:
    if source is None:
        above = solid(width, height, *colour_yuv(shot.path))
        alpha = None
    else:
        above = _warped(source.picture, shot.affine, width, height)
        alpha = source.alpha
    if shot.region is None:
        return above
    if below is None:
        below = solid(width, height)
    mask = _region_mask(shot, width, height)
    if alpha is not None:
        w, h = alpha.shape[1], alpha.shape[0]
        seen = _warp(alpha, shot.affine / np.array([[w, h, 1.0]]), (width, height))
        mask = np.minimum(mask, seen)
    half = np.asarray(cv2.resize(mask, above.u.shape[::-1], interpolation=cv2.INTER_AREA), dtype=np.uint8)
    return Picture(*(_blended(b, a, m) for b, a, m in zip(below, above, (mask, half, half), strict=True)))


def _region_mask(shot: Shot, width: int, height: int) -> Plane:
    """Return where the shown region lies in the output, 255 inside, with smooth edges."""
    assert shot.region is not None
    left, top, right, bottom = shot.region
    corners = np.array([[left, top, 1], [right, top, 1], [right, bottom, 1], [left, bottom, 1]]) @ shot.affine.T
    mask = np.zeros((height, width), np.uint8)
    points = np.round((np.clip(corners, -30000, 30000) - 0.5) * 16).astype(np.int32)
    cv2.fillConvexPoly(mask, points, 255, cv2.LINE_AA, 4)
    return mask


def _blended(below: Plane, above: Plane, mask: Plane) -> Plane:
    share = mask.astype(np.float32) / 255
    return np.asarray(cv2.blendLinear(above, below, share, 1 - share), dtype=np.uint8)


def colour_yuv(colour: str) -> tuple[int, int, int]:
    """Return Y, U and V of a colour such as `#f0b43c` by BT.709 in video range."""
    r, g, b = (int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    y = 0.2126 * r + 0.7152 * g + 0.0722 * b
    return round(16 + 219 * y), round(128 + 224 * (b - y) / 1.8556), round(128 + 224 * (r - y) / 1.5748)


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
