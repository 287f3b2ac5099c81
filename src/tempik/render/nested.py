"""What lies in a nest as a picture with clear parts: composed on its own, told from the ground that it is composed on."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np

from tempik.media.blend import bounds
from tempik.media.picture import BLACK_Y, MID_CHROMA, Picture, Plane
from tempik.render.plan import FramePlan, LayerPlan, Pair

WHITE_Y = 235
LEAST_SPAN = 4  # of what black and white look like under a look, in steps of luma


def covers(plan: FramePlan) -> bool:
    """Tell whether nothing of the ground that a plan is composed on shows, whatever lies above its lowest layer."""
    lowest = plan.layers[0] if plan.layers else None
    if isinstance(lowest, Pair):
        sides = (lowest.out, lowest.into)
        if lowest.transition_frame.mix is not None:
            return all(side is not None and _covers(side) for side in sides)
        return any(side is not None and _covers(side) for side in sides)
    return lowest is not None and _covers(lowest)


def _covers(layer: LayerPlan) -> bool:
    if layer.inner is not None and not covers(layer.inner):
        return False
    clear = (layer.alpha and layer.inner is None) or layer.clear is not None or layer.cutout is not None or layer.masks
    plain = layer.region is None and layer.opacity >= 1 and layer.blend == "normal"
    return plain and not clear and layer.title is None and not layer.adjust


class Backgrounds(NamedTuple):
    """What a look makes of black and of white with nothing laid on them."""

    black: Picture
    white: Picture

    @property
    def plain(self) -> bool:
        """Whether they are as they were: nothing is done to the whole frame."""
        return bool((self.black.y == BLACK_Y).all() and (self.white.y == WHITE_Y).all())


def parted_under_look(on_black: Picture, on_white: Picture, backgrounds: Backgrounds) -> tuple[Picture, Plane]:
    """Return what `parted` does of pictures that a look, a vignette or accents were painted on: those change the grounds too, and what
    was clear before them stays clear. Where a paint hides both grounds it covers."""
    span = backgrounds.white.y.astype(np.float32) - backgrounds.black.y
    shows = (on_white.y.astype(np.float32) - on_black.y) / np.maximum(span, 1)
    cover = np.where(span < LEAST_SPAN, 255, np.clip(np.rint(255 * (1 - shows)), 0, 255)).astype(np.uint8)
    small = np.asarray(cv2.resize(cover, on_black.u.shape[::-1], interpolation=cv2.INTER_AREA), dtype=np.uint8)
    black = backgrounds.black
    planes = (
        _freed(plane, c, background)
        for plane, c, background in zip(on_black, (cover, small, small), (black.y, black.u, black.v), strict=True)
    )
    return Picture(*planes), cover


def parted(on_black: Picture, on_white: Picture) -> tuple[Picture, Plane]:
    """Return a picture freed of the black ground that it was composed on, and how far it covers, 0 to 255, by what it looks
    like on white: a composite is `cover × picture + (1 − cover) × ground` (Porter and Duff 1984, *over*), so two grounds
    tell both."""
    cover = np.asarray(cv2.LUT(cv2.subtract(on_white.y, on_black.y), _COVER), dtype=np.uint8)
    left, top, right, bottom = bounds(cover)
    if right <= left or bottom <= top:
        return on_black, cover
    left, top = left // 2 * 2, top // 2 * 2
    part = cover[top:bottom, left:right]
    half = tuple(slice(a // 2, (b + 1) // 2) for a, b in ((top, bottom), (left, right)))
    small = np.asarray(cv2.resize(part, on_black.u[half].shape[::-1], interpolation=cv2.INTER_AREA), dtype=np.uint8)
    out = Picture(*(plane.copy() for plane in on_black))
    out.y[top:bottom, left:right] = _freed(on_black.y[top:bottom, left:right], part, BLACK_Y)
    for made, plane in ((out.u, on_black.u), (out.v, on_black.v)):
        made[half] = _freed(plane[half], small, MID_CHROMA)
    return out, cover


# How far a place covers, by how much lighter it is on white than on black.
_COVER = np.clip(np.round(255 - np.arange(256) * (255 / (WHITE_Y - BLACK_Y))), 0, 255).astype(np.uint8)


def _freed(plane: Plane, cover: Plane, background: int | Plane) -> Plane:
    away = (plane.astype(np.float32) - background) * (255 / np.maximum(cover, 1).astype(np.float32))
    return np.asarray(np.clip(np.rint(away + background), 0, 255), dtype=np.uint8)
