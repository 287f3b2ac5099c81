"""Where a layer shows in the output: its masks and its window as outlines, and the rim round them."""

from __future__ import annotations

import numpy as np

from tempik.accents import Look
from tempik.accents.look import IDENTITY
from tempik.media.rim import RimPaint
from tempik.reel import Clip, Framing
from tempik.render.framed import in_pixels
from tempik.render.masks import MaskOutline
from tempik.timeline.framing import frame_matrix, window_matrix
from tempik.timeline.masking import shapes_at
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline


def outlines_of(
    timeline: Timeline, placed: PlacedClip, frame: int, framing: Framing, width: int, height: int, look: Look
) -> tuple[MaskOutline, ...]:
    """Return a clip's masks in the output, and its window as the last: what they show is seen in it alone."""
    footage, window = placed.footage, _window(placed, framing, width, height, look)
    if not placed.clip.masks:
        return window
    across, down = (width, height) if footage.as_frame else (footage.width, footage.height)
    matrix = frame_matrix(framing, footage, width, height) @ np.diag([1 / across, 1 / down, 1.0])
    if look.move != IDENTITY:
        matrix = in_pixels(look.move, width, height) @ matrix
    affine = tuple(round(float(v), 6) for v in matrix[:2].ravel())
    shapes = tuple(
        MaskOutline(
            kind=mask.kind,
            affine=affine,
            x=mask.x * across,
            y=mask.y * down,
            width=mask.width * across,
            height=mask.height * down,
            turn_deg=mask.turn_deg,
            points=mask.points,
            corner=mask.corner,
            feather=mask.feather * across,
            grow=mask.grow * across,
            invert=mask.invert,
            mix=mask.mix,
        )
        for mask in shapes_at(timeline, placed, frame)
    )
    return shapes + window


def _window(placed: PlacedClip, framing: Framing, width: int, height: int, look: Look) -> tuple[MaskOutline, ...]:
    """Return the window that a clip is seen through."""
    window = framing.window
    if window is None or placed.clip.title is not None:
        return ()
    matrix = window_matrix(framing, width, height) @ np.diag(
        [1 / (width * window.width), 1 / (height * window.height), 1.0]
    )
    if look.move != IDENTITY:
        matrix = in_pixels(look.move, width, height) @ matrix
    affine = tuple(round(float(v), 6) for v in matrix[:2].ravel())
    w, h = width * window.width, height * window.height
    return (
        MaskOutline("rectangle", affine, w / 2, h / 2, w, h, 0.0, (), window.corner, 0.0, 0.0, False, "keep common"),
    )


def rim_of(clip: Clip, width: int) -> RimPaint | None:
    """Return what lies round a clip in an output so wide, or None."""
    rim = clip.rim
    if rim is None or clip.title is not None:
        return None
    return RimPaint(rim.outline * width, rim.outline_colour, rim.glow * width, rim.glow_colour, rim.shadow)
