"""The plan of a frame: which source instant, one affine, one change of light. Pure and cheap.

Preview and export ask for the same plan and differ in size alone, so what is seen is what is delivered.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.accents import Look
from tempik.edit.timeline import Placed, Timeline, source_at_frames
from tempik.reel import Footage

Matrix = NDArray[np.float64]


class Shot(NamedTuple):
    """The footage on screen: its instant, which way it plays, and the affine from its unit square to the output.

    The unit square is the file's picture as coded, (0, 0) its top left; the affine includes rotation, framing,
    punch and shake, multiplied into one. Shape (2, 3), output in pixels. `longest_px` is what the longer side
    of the footage may be shrunk to as it is decoded without losing detail, None where it must stay whole.
    """

    path: str
    source_s: float
    backward: bool
    affine: Matrix
    longest_px: int | None


class FramePlan(NamedTuple):
    """What frame number `frame` shows; `shot` is None where no clip covers it (black)."""

    frame: int
    width: int
    height: int
    shot: Shot | None
    flash: float
    stops: float


def plan(
    timeline: Timeline,
    frame: int,
    width: int,
    height: int,
    accents: bool = True,
    clip: Placed | None = None,
) -> FramePlan:
    """Return the plan of one frame at an output size in pixels.

    `accents` False leaves them out. `clip` shows that clip in place of the one on screen, its speed going on
    beyond its slot, for comparing the two sides of a cut.
    """
    look = timeline.look_at(frame) if accents else Look()
    placed = clip if clip is not None else timeline.clip_at(frame)
    if placed is None:
        return FramePlan(frame, width, height, None, look.flash, look.stops)
    source = source_at_frames(placed, np.array([frame, frame + 1.0]), timeline.rate)
    shot = Shot(
        placed.footage.path,
        float(source[0]),
        bool(source[1] < source[0]),
        framed(placed.footage, width, height, look),
        longest_needed(placed.footage, width, height),
    )
    return FramePlan(frame, width, height, shot, look.flash, look.stops)


def longest_needed(footage: Footage, width: int, height: int) -> int | None:
    """Return what the longer side of footage may be shrunk to for an output size, or None where it is no larger."""
    cover = max(width / footage.width, height / footage.height)
    return round(max(footage.width, footage.height) * cover) if cover < 1 else None


# Where the unit square of the coded picture goes for each clockwise turn, as rows of an affine.
_TURNS: dict[int, list[list[float]]] = {
    0: [[1, 0, 0], [0, 1, 0]],
    90: [[0, -1, 1], [1, 0, 0]],
    180: [[-1, 0, 1], [0, -1, 1]],
    270: [[0, 1, 0], [-1, 0, 1]],
}


def framed(footage: Footage, width: int, height: int, look: Look) -> Matrix:
    """Return the affine from the coded unit square to the output: the footage covers the frame, then the look."""
    turned = np.array([*_TURNS[footage.rotation_deg % 360], [0, 0, 1]], dtype=np.float64)
    cover = max(width / footage.width, height / footage.height)
    shown_w, shown_h = footage.width * cover, footage.height * cover
    fit = np.array(
        [[shown_w, 0, (width - shown_w) / 2], [0, shown_h, (height - shown_h) / 2], [0, 0, 1]],
        dtype=np.float64,
    )
    matrix = fit @ turned
    if look.scale != 1.0 or look.tilt_deg or look.shift_x or look.shift_y:
        matrix = _about_centre(look, width, height) @ matrix
    return np.asarray(matrix[:2], dtype=np.float64)


def _about_centre(look: Look, width: int, height: int) -> Matrix:
    c, s = math.cos(math.radians(look.tilt_deg)), math.sin(math.radians(look.tilt_deg))
    cx, cy = width / 2, height / 2
    a, b = look.scale * c, look.scale * s
    dx, dy = look.shift_x * width, look.shift_y * width
    return np.array([[a, -b, cx - a * cx + b * cy + dx], [b, a, cy - b * cx - a * cy + dy], [0, 0, 1]])
