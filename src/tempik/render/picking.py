"""The colour of a clip's own picture under a place of the frame."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from tempik.errors import TempikError
from tempik.media.picture import Picture, to_rgb
from tempik.reel import Framing
from tempik.render.pictures import PictureSource
from tempik.render.plan import plan
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline

WIDE = 270  # of the picture that it is taken from
AROUND = 2  # pixels to each side that are averaged


EDGE, LEAST_SHARE, LEAST_CHROMA, NEAR = 0.06, 0.5, 24.0, 22.0  # of the width; of the edges; of 128; in chroma


def colour_at(timeline: Timeline, placed: PlacedClip, frame: int, x: float, y: float) -> str:
    """Return, as `#rrggbb`, what a clip alone shows at shares of the frame's width and height, before any of it is made
    clear. Raises TempikError when its footage cannot be read."""
    rgb = to_rgb(_alone(timeline, placed, frame, placed.clip.framing))
    column, row = (min(max(int(v * s), 0), s - 1) for v, s in ((x, WIDE), (y, len(rgb))))
    part = rgb[max(row - AROUND, 0) : row + AROUND + 1, max(column - AROUND, 0) : column + AROUND + 1]
    r, g, b = (int(v) for v in np.median(part.reshape(-1, 3), axis=0))
    return f"#{r:02x}{g:02x}{b:02x}"


def edge_colour(timeline: Timeline, placed: PlacedClip, frame: int) -> str:
    """Return, as `#rrggbb`, the strong colour that most of a clip's edges have, such as a green wall's: left, right and top. Raises
    TempikError where they have none in common, or its footage cannot be read."""
    whole = placed._replace(clip=replace(placed.clip, keys={}, follow=None))
    picture = _alone(timeline, whole, frame, Framing(fit="stretch"))
    chroma = np.stack([picture.u, picture.v], axis=2).astype(np.float64) - 128
    wide = max(2, round(EDGE * chroma.shape[1]))
    sides = np.zeros(chroma.shape[:2], dtype=bool)
    sides[:, :wide] = sides[:, -wide:] = sides[:wide] = True
    strong = sides & (np.hypot(chroma[:, :, 0], chroma[:, :, 1]) >= LEAST_CHROMA)
    middle = np.median(chroma[strong], axis=0) if strong.any() else np.zeros(2)
    like = strong & (np.hypot(*np.moveaxis(chroma - middle, 2, 0)) <= NEAR)
    if np.count_nonzero(like) < LEAST_SHARE * np.count_nonzero(sides):
        raise TempikError(
            "The edges of this picture have no strong colour in common; pick the colour with the drop at the preview."
        )
    r, g, b = (int(v) for v in np.median(to_rgb(picture)[::2, ::2][: like.shape[0], : like.shape[1]][like], axis=0))
    return f"#{r:02x}{g:02x}{b:02x}"


def _alone(timeline: Timeline, placed: PlacedClip, frame: int, framing: Framing) -> Picture:
    """Return what a clip shows by itself, framed so, before any of it is cut off or made clear."""
    clip = replace(placed.clip, clear=None, masks=(), cutout="", rim=None, framing=framing, blend="normal", opacity=1.0)
    height_px = round(WIDE * timeline.height_ratio / 2) * 2
    with PictureSource() as source:
        return source.render(plan(timeline, frame, WIDE, height_px, accents=False, clip=placed._replace(clip=clip)))
