"""What lies round a layer where it ends within the frame: an outline, a glow, a shadow, painted on what is below it."""

from __future__ import annotations

import math
from typing import NamedTuple

import cv2
import numpy as np

from tempik.cached import cached_within
from tempik.media.blend import cropped
from tempik.media.paint import blended
from tempik.media.picture import Picture, Plane, colour_yuv, solid

# A shadow's softness and how far down it falls, in shares of the frame's width; it and a glow are softened at a quarter of the size.
SHADOW_SOFT, SHADOW_DOWN, SMALLER = 0.02, 0.012, 4
TAIL = 3.0  # of a softened edge, in its sigmas: beyond it is less than a step of 255


class RimPaint(NamedTuple):
    """A rim in pixels of the output; `shadow` is how dark, 0 to 1."""

    outline_px: float = 0.0
    outline_colour: str = "#ffffff"
    glow_px: float = 0.0
    glow_colour: str = "#ffffff"
    shadow: float = 0.0

    def reach_px(self, width: int) -> int:
        """Return how far it may reach from what it lies round, in a frame so wide."""
        glow = self.glow_px / 3 + TAIL * self.glow_px / 2 if self.glow_px > 0 else 0.0
        shadow = (TAIL * SHADOW_SOFT + SHADOW_DOWN) * width if self.shadow > 0 else 0.0
        return math.ceil(self.outline_px + max(glow, shadow)) + 2 * SMALLER


def rimmed(below: Picture, cover: Plane, rim: RimPaint, opacity: float = 1.0, hollow: bool = False) -> Picture:
    """Return what is below a layer with the layer's rim: `cover` says how far the layer covers each sample, 255 wholly, shape of `y`. A
    `hollow` rim lies outside alone, for layers that are seen through."""
    left, top, wide, high = cv2.boundingRect(cover)
    if not wide or not high or opacity <= 0:
        return below
    width, height = (size // 2 * 2 for size in below.size)
    reach, side = rim.reach_px(width), SMALLER
    # On multiples of the size at which is softened, so that what is drawn does not tremble as the layer moves.
    box = max(left - reach, 0) // side * side, max(top - reach, 0) // side * side
    end = min(-(-(left + wide + reach) // side) * side, width), min(-(-(top + high + reach) // side) * side, height)
    part = _rimmed(
        cropped(below, (*box, *end)),
        np.ascontiguousarray(cover[box[1] : end[1], box[0] : end[0]]),
        rim,
        opacity,
        hollow,
        width,
    )
    planes = [plane.copy() for plane in below]
    for plane, made, by in zip(planes, part, (1, 2, 2), strict=True):
        rows, columns = made.shape
        plane[box[1] // by : box[1] // by + rows, box[0] // by : box[0] // by + columns] = made
    return Picture(*planes)


def _rimmed(below: Picture, cover: Plane, rim: RimPaint, opacity: float, hollow: bool, width: int) -> Picture:
    # A window that stands has the same cover in every frame: its rim is worked out once.
    shares = _shares(cover.tobytes(), cover.shape[0], cover.shape[1], rim, hollow, width)
    paints = (
        ("#000000", rim.shadow),
        (rim.glow_colour, float(rim.glow_px > 0)),
        (rim.outline_colour, float(rim.outline_px > 0)),
    )
    for share, (colour, strength) in zip(shares, paints, strict=True):
        if share is None:
            continue
        if strength * opacity < 1:
            share = np.asarray(cv2.convertScaleAbs(share, alpha=strength * opacity), dtype=np.uint8)
        below = blended(below, solid(*below.size, *colour_yuv(colour)), share)
    return below


@cached_within(48 << 20, lambda shares: 2 * sum(share.nbytes for share in shares if share is not None))
def _shares(data: bytes, height: int, wide: int, rim: RimPaint, hollow: bool, width: int) -> tuple[Plane | None, ...]:
    """Return how far the shadow, the glow and the outline of a cover (its samples as bytes) lie on what is below; None for what there is not."""
    cover = np.frombuffer(data, np.uint8).reshape(height, wide)
    edge = grown(cover, rim.outline_px) if rim.outline_px > 0 else cover
    shadow = _soft(edge, SHADOW_SOFT * width, SHADOW_DOWN * width) if rim.shadow > 0 else None
    glow = _soft(edge, rim.glow_px / 2, 0.0, rim.glow_px / 3) if rim.glow_px > 0 else None
    made = (shadow, glow, edge if rim.outline_px > 0 else None)
    if not hollow:
        return made
    return tuple(np.asarray(cv2.subtract(s, cover), dtype=np.uint8) if s is not None else None for s in made)


def grown(cover: Plane, by_px: float) -> Plane:
    """Return a cover that reaches so many pixels further, by distance from where half is covered: round about corners, its edge smooth."""
    far = cv2.distanceTransform(cv2.threshold(cover, 127, 255, cv2.THRESH_BINARY_INV)[1], cv2.DIST_L2, cv2.DIST_MASK_5)
    # The distance is to the middle of the nearest covered sample, half a sample inside the edge.
    edge = cv2.convertScaleAbs(np.maximum(by_px + 1.0 - far, 0.0), alpha=255)
    return np.asarray(cv2.max(cover, edge), dtype=np.uint8)


def _soft(cover: Plane, sigma: float, down_px: float, by_px: float = 0.0) -> Plane:
    """Return a cover that reaches so much further, softened and moved down; worked out at a part of its size."""
    height, width = cover.shape
    size = max(1, width // SMALLER), max(1, height // SMALLER)
    made = np.asarray(cv2.resize(cover, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    if by_px > 0:
        made = grown(made, by_px / SMALLER)
    made = np.asarray(
        cv2.GaussianBlur(made, (0, 0), max(sigma / SMALLER, 0.3), borderType=cv2.BORDER_REPLICATE), dtype=np.uint8
    )
    down = round(down_px / SMALLER)
    if down:
        made = np.vstack([np.repeat(made[:1], down, axis=0), made])[: size[1]]
    return np.asarray(cv2.resize(made, (width, height), interpolation=cv2.INTER_LINEAR), dtype=np.uint8)
