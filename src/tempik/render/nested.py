"""What lies in a nest as a picture with clear parts: composed on its own, told from the ground that it is composed on."""

from __future__ import annotations

import cv2
import numpy as np

from tempik.media.picture import BLACK_Y, MID_CHROMA, Picture, Plane
from tempik.render.plan import FramePlan, Pair, Shot

WHITE_Y = 235


def covers(plan: FramePlan) -> bool:
    """Tell whether nothing of the ground that a plan is composed on shows, whatever lies above its lowest layer."""
    lowest = plan.layers[0] if plan.layers else None
    if isinstance(lowest, Pair):
        sides = (lowest.out, lowest.into)
        if lowest.crossing.mix is not None:
            return all(side is not None and _covers(side) for side in sides)
        return any(side is not None and _covers(side) for side in sides)
    return lowest is not None and _covers(lowest)


def _covers(shot: Shot) -> bool:
    if shot.inner is not None and not covers(shot.inner):
        return False
    clear = (shot.alpha and shot.inner is None) or shot.clear is not None or shot.cutout is not None or shot.masks
    plain = shot.region is None and shot.opacity >= 1 and shot.blend == "normal"
    return plain and not clear and shot.title is None and not shot.adjust


def parted(on_black: Picture, on_white: Picture) -> tuple[Picture, Plane]:
    """Return a picture freed of the black ground that it was composed on, and how far it covers, 0 to 255, by what it looks
    like on white: a composite is `cover × picture + (1 − cover) × ground` (Porter and Duff 1984, *over*), so two grounds
    tell both."""
    through = on_white.y.astype(np.float32) - on_black.y
    cover = np.clip(1 - through / (WHITE_Y - BLACK_Y), 0.0, 1.0)
    small = cv2.resize(cover, on_black.u.shape[::-1], interpolation=cv2.INTER_AREA)
    y = _freed(on_black.y, cover, BLACK_Y)
    u, v = (_freed(plane, small, MID_CHROMA) for plane in (on_black.u, on_black.v))
    return Picture(y, u, v), np.asarray(np.round(cover * 255), dtype=np.uint8)


def _freed(plane: Plane, cover: np.ndarray, ground: int) -> Plane:
    made = ground + (plane.astype(np.float32) - ground) / np.maximum(cover, 1 / 255)
    return np.asarray(np.clip(np.round(made), 0, 255), dtype=np.uint8)
