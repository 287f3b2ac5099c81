"""A colour or a brightness of a picture made clear, worked out on its planes: distance in chroma, and the tint taken out of
what stays."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.media.picture import MID_CHROMA, Picture, Plane, colour_yuv

CHROMA_RANGE = 112.0  # of BT.709's chroma about its middle, in video range
LOW_Y, SPAN_Y = 16, 219
NEAR_HUE = 0.5  # the cosine to the cleared hue from which tint is taken out


def cleared(
    picture: Picture, of: str, colour: str, tolerance: float, soft: float, spill: float, invert: bool
) -> tuple[Picture, Plane]:
    """Return a picture without the tint of what is made clear, and how far each of its samples covers what lies below,
    0 to 255, shape of `y`."""
    if of != "colour":
        table = _by_brightness(of, tolerance, soft)
        cover = cv2.LUT(picture.y, table)
    else:
        pairs = cv2.merge([picture.u.reshape(-1), picture.v.reshape(-1)]).reshape(-1).view("<u2")
        cover_table, u_table, v_table = _by_colour(colour, tolerance, soft, spill)
        coarse = np.take(cover_table, pairs).reshape(picture.u.shape)
        cover = cv2.resize(coarse, picture.size, interpolation=cv2.INTER_LINEAR)
        if spill > 0 and not invert:
            picture = Picture(
                picture.y,
                np.take(u_table, pairs).reshape(picture.u.shape),
                np.take(v_table, pairs).reshape(picture.v.shape),
            )
    made = np.asarray(cover, dtype=np.uint8)
    return picture, 255 - made if invert else made


@lru_cache(8)
def _by_brightness(of: str, tolerance: float, soft: float) -> Plane:
    light = np.clip((np.arange(256) - LOW_Y) / SPAN_Y, 0, 1)
    away = light if of == "dark" else 1 - light
    return _ramp(away, tolerance, soft)


def _ramp(away: NDArray[np.float64], tolerance: float, soft: float) -> Plane:
    """Return the cover of what lies so far from what is cleared: none up to the tolerance, whole `soft` beyond it."""
    return np.asarray(np.round(255 * np.clip((away - tolerance) / max(soft, 1e-3), 0, 1)), dtype=np.uint8)


@lru_cache(8)
def _by_colour(colour: str, tolerance: float, soft: float, spill: float) -> tuple[Plane, Plane, Plane]:
    """Return, at place u + 256 × v, the cover and the two chroma values without the colour's tint."""
    _, u0, v0 = colour_yuv(colour)
    u, v = (x.reshape(-1).astype(np.float64) for x in np.meshgrid(np.arange(256), np.arange(256)))
    away = np.hypot(u - u0, v - v0) / CHROMA_RANGE
    cover = _ramp(away, tolerance, soft)
    ku, kv = u0 - MID_CHROMA, v0 - MID_CHROMA
    long = np.hypot(ku, kv)
    if long < 1:  # grey has no tint
        return cover, u.astype(np.uint8), v.astype(np.uint8)
    du, dv = u - MID_CHROMA, v - MID_CHROMA
    along = (du * ku + dv * kv) / long
    cosine = along / np.maximum(np.hypot(du, dv), 1e-6)
    near = np.clip((cosine - NEAR_HUE) / (1 - NEAR_HUE), 0, 1)
    taken = spill * near * np.maximum(along, 0)
    out_u, out_v = (np.clip(np.round(x - taken * k / long), 0, 255).astype(np.uint8) for x, k in ((u, ku), (v, kv)))
    return cover, out_u, out_v
