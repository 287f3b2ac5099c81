"""The colour of a clip's own picture under a place of the frame."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from tempik.media.picture import to_rgb
from tempik.render.pictures import PictureSource
from tempik.render.plan import plan
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline

WIDE = 270  # of the picture that it is taken from
AROUND = 2  # pixels to each side that are averaged


def colour_at(timeline: Timeline, placed: PlacedClip, frame: int, x: float, y: float) -> str:
    """Return, as `#rrggbb`, what a clip alone shows at shares of the frame's width and height, before any of it is made
    clear. Raises TempikError when its footage cannot be read."""
    alone = placed._replace(clip=replace(placed.clip, clear=None, masks=(), blend="normal", opacity=1.0))
    height_px = round(WIDE * timeline.height_ratio / 2) * 2
    with PictureSource() as source:
        rgb = to_rgb(source.render(plan(timeline, frame, WIDE, height_px, accents=False, clip=alone)))
    column, row = (min(max(int(v * s), 0), s - 1) for v, s in ((x, WIDE), (y, height_px)))
    part = rgb[max(row - AROUND, 0) : row + AROUND + 1, max(column - AROUND, 0) : column + AROUND + 1]
    r, g, b = (int(v) for v in np.median(part.reshape(-1, 3), axis=0))
    return f"#{r:02x}{g:02x}{b:02x}"
