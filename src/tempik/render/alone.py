"""A clip by itself, for judging where it shows: over a checkerboard, or as black and white."""

from __future__ import annotations

from typing import Literal

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from tempik.media.picture import to_rgb
from tempik.render.pictures import PictureSource
from tempik.render.plan import FramePlan, plan
from tempik.timeline.timeline import Timeline

Alone = Literal["", "clip", "mask"]
SQUARES = 24  # of the checkerboard across the frame
LIGHT, DARK = 150, 105


def plan_alone(timeline: Timeline, frame: int, size: tuple[int, int], clip: str) -> FramePlan | None:
    """Return the plan of a clip by itself, wholly opaque and without its rim; None where it is not seen at the frame."""
    placed = timeline.placed_clip(clip)
    if placed is None or not placed.first <= frame < placed.end:
        return None
    bare = replace(placed.clip, blend="normal", opacity=1.0, rim=None)
    return plan(timeline, frame, *size, accents=False, clip=placed._replace(clip=bare))


def shown_alone(source: PictureSource, found: FramePlan, how: Alone) -> NDArray[np.uint8]:
    """Return what a plan shows, RGB, shape (height, width, 3): over a checkerboard, or of a `mask` how far it covers, white wholly.
    Raises TempikError when its footage cannot be read."""
    picture, alpha = source.render_clear(found)
    rgb = to_rgb(picture)
    cover = np.full(rgb.shape[:2], 255, np.uint8) if alpha is None else alpha
    if how == "mask":
        return np.repeat(cover[:, :, None], 3, axis=2)
    height, width = cover.shape
    side = max(width // SQUARES, 4)
    odd = (np.arange(height)[:, None] // side + np.arange(width)[None] // side) % 2
    share = cover[:, :, None].astype(np.float32) / 255
    made = rgb * share + np.where(odd, LIGHT, DARK)[:, :, None] * (1 - share)
    return np.asarray(np.round(made), dtype=np.uint8)
