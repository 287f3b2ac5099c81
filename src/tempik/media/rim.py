"""What lies round a layer where it ends within the frame: an outline, a glow, a shadow, painted on what is below it."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np

from tempik.media.paint import blended
from tempik.media.picture import Picture, Plane, colour_yuv, solid

# A shadow's softness and how far down it falls, in shares of the frame's width; it and a glow are softened at a quarter of the size.
SHADOW_SOFT, SHADOW_DOWN, SMALLER = 0.02, 0.012, 4


class RimPaint(NamedTuple):
    """A rim in pixels of the output; `shadow` is how dark, 0 to 1."""

    outline_px: float = 0.0
    outline_colour: str = "#ffffff"
    glow_px: float = 0.0
    glow_colour: str = "#ffffff"
    shadow: float = 0.0


def rimmed(below: Picture, cover: Plane, rim: RimPaint, opacity: float = 1.0, hollow: bool = False) -> Picture:
    """Return what is below a layer with the layer's rim: `cover` says how far the layer covers each sample, 255 wholly, shape of `y`. A
    `hollow` rim lies outside alone, for layers that are seen through."""
    if not cover.any() or opacity <= 0:
        return below
    width = below.size[0]

    def painted(on: Picture, share: Plane, colour: str, strength: float) -> Picture:
        share = np.asarray(cv2.subtract(share, cover), dtype=np.uint8) if hollow else share
        return _painted(on, share, colour, strength)

    edge = grown(cover, rim.outline_px) if rim.outline_px > 0 else cover
    if rim.shadow > 0:
        dark = _soft(edge, SHADOW_SOFT * width, round(SHADOW_DOWN * width))
        below = painted(below, dark, "#000000", rim.shadow * opacity)
    if rim.glow_px > 0:
        light = _soft(grown(edge, rim.glow_px / 3), rim.glow_px / 2, 0)
        below = painted(below, light, rim.glow_colour, opacity)
    if rim.outline_px > 0:
        below = painted(below, edge, rim.outline_colour, opacity)
    return below


def grown(cover: Plane, by_px: float) -> Plane:
    """Return a cover that reaches so many pixels further, by distance from where half is covered: round about corners, its edge smooth."""
    far = cv2.distanceTransform(np.where(cover >= 128, np.uint8(0), np.uint8(255)), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    # The distance is to the middle of the nearest covered sample, half a sample inside the edge.
    return np.asarray(np.maximum(cover, np.clip((by_px + 1.0 - far) * 255, 0, 255).astype(np.uint8)), dtype=np.uint8)


def _soft(cover: Plane, sigma: float, down: int) -> Plane:
    """Return a cover softened, so many pixels further down."""
    height, width = cover.shape
    small = max(1, width // SMALLER), max(1, height // SMALLER)
    made = cv2.resize(cover, small, interpolation=cv2.INTER_AREA)
    made = cv2.GaussianBlur(made, (0, 0), max(sigma * small[0] / width, 0.3), borderType=cv2.BORDER_REPLICATE)
    made = cv2.resize(made, (width, height), interpolation=cv2.INTER_LINEAR)
    if down:
        made = np.vstack([np.repeat(made[:1], down, axis=0), made])[:height]
    return np.asarray(made, dtype=np.uint8)


def _painted(below: Picture, share: Plane, colour: str, opacity: float) -> Picture:
    if opacity < 1:
        share = np.asarray(cv2.convertScaleAbs(share, alpha=opacity), dtype=np.uint8)
    return blended(below, solid(*below.size, *colour_yuv(colour)), share)
