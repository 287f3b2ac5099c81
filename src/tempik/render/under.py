"""Which clips show at a place of the frame, the topmost first."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tempik.reel import Footage, Mask, Reel
from tempik.render.masks import KINDS, MaskOutline, outline
from tempik.timeline.extents import corners_of, holds, to_frame
from tempik.timeline.masking import shapes_at
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline

Points = NDArray[np.float64]


def clips_under(timeline: Timeline, frame: int, x: float, y: float) -> list[PlacedClip]:
    """Return the clips whose picture lies under a place, in shares of the frame, the topmost first. What a mask hides there is not
    there; a clip that only changes what lies below comes last, as it lies over everything."""
    over: list[PlacedClip] = []
    last: list[PlacedClip] = []
    for layer in reversed(timeline.layers_at(frame)):
        placed = layer.placed
        if layer.weight <= 0 or not holds(corners_of(timeline, placed, frame), x, y):
            continue
        if shown_by_masks(timeline, placed, frame, x, y):
            (last if placed.footage.kind == "adjust" else over).append(placed)
    return over + last


def shown_by_masks(timeline: Timeline, placed: PlacedClip, frame: int, x: float, y: float) -> bool:
    """Tell whether a clip's masks, one after the other, let its picture be seen at a place of the frame; soft edges count as hard."""
    shapes = [m for m in shapes_at(timeline, placed, frame) if m.kind in KINDS]
    if not shapes:
        return True
    inside = np.linalg.inv(to_frame(timeline, placed, frame)) @ [x, y, 1.0]
    shown: bool | None = None
    for mask in shapes:  # as `masks` lays them
        here = holds(mask_outline(timeline.reel, placed.footage, mask), float(inside[0]), float(inside[1]))
        here = here != mask.invert
        if mask.mix == "take away":
            shown = (shown is None or shown) and not here
        elif shown is None:
            shown = here
        else:
            shown = shown or here if mask.mix == "add" and not mask.invert else shown and here
    return bool(shown)


def mask_outline(reel: Reel, footage: Footage, mask: Mask) -> Points:
    """Return a mask's outline as it stands, in shares of its picture, shape (n, 2)."""
    wide, height = (reel.width, reel.height) if footage.as_frame else (footage.width, footage.height)
    shape = MaskOutline(
        mask.kind, (1, 0, 0, 0, 1, 0), mask.x * wide, mask.y * height, mask.width * wide, mask.height * height,
        mask.turn_deg, mask.points, mask.corner, 0.0, mask.grow * wide, False, "add",
    )  # fmt: skip
    points = outline(shape)
    return np.asarray(points / [wide, height]) if len(points) else np.zeros((0, 2))
