"""Where a clip's picture goes: the affine from the picture as coded to pixels of the output, and how large it must be for that."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from tempik.accents import Look
from tempik.accents.look import IDENTITY, Affine
from tempik.reel import Clip, Footage, Framing, Position
from tempik.timeline.framing import frame_matrix
from tempik.timeline.timeline import PLACE_KEYS

Matrix = NDArray[np.float64]


def as_coded(crop: tuple[float, float, float, float], rotation_deg: int) -> tuple[float, float, float, float]:
    """Return the shown region of the coded unit square for shares cut off the upright picture."""
    left, top, right, bottom = crop
    for _ in range(rotation_deg % 360 // 90):  # undo one clockwise turn at a time
        left, top, right, bottom = top, right, bottom, left
    return left, top, 1 - right, 1 - bottom


def longest_needed(
    framing: Framing, footage: Footage, width: int, height: int, closest: float | None = None
) -> int | None:
    """Return what the longer side of footage may be shrunk to for an output size, or None where it is no larger; `closest`
    is the zoom that it comes to."""
    matrix = frame_matrix(framing, footage, width, height)
    # A push keeps the size that its closest frame needs: one size in the cache, and no change of sharpness.
    by = (closest or framing.start.zoom) / framing.start.zoom
    across, down = (math.hypot(matrix[0, i], matrix[1, i]) * by for i in (0, 1))
    scale = max(across / footage.width, down / footage.height)
    return round(max(footage.width, footage.height) * scale) if scale < 1 else None


def closest_zoom(clip: Clip) -> float:
    """Return the largest zoom that a clip comes to in its slot."""
    zooms = [clip.framing.start.zoom, (clip.framing.end or clip.framing.start).zoom]
    keys = clip.keys.get("zoom")
    return max(k.value for k in keys) if keys else max(zooms)


# Where the unit square of the coded picture goes for each clockwise turn, as rows of an affine.
_TURNS: dict[int, list[list[float]]] = {
    0: [[1, 0, 0], [0, 1, 0]],
    90: [[0, -1, 1], [1, 0, 0]],
    180: [[-1, 0, 1], [0, -1, 1]],
    270: [[0, 1, 0], [-1, 0, 1]],
}


def framed(framing: Framing, footage: Footage, width: int, height: int, look: Look) -> Matrix:
    """Return the affine from the coded unit square to the output: framing, then what the accents do."""
    turned = np.array([*_TURNS[footage.rotation_deg % 360], [0, 0, 1]], dtype=np.float64)
    matrix = frame_matrix(framing, footage, width, height) @ turned
    if look.move != IDENTITY:
        matrix = in_pixels(look.move, width, height) @ matrix
    return np.asarray(matrix[:2], dtype=np.float64)


def in_pixels(move: Affine, width: int, height: int) -> Matrix:
    """Return an affine of the frame, whose origin is its middle and whose unit its width, in pixels from its corner."""
    a, b, x, c, d, y = move
    cx, cy = width / 2, height / 2
    return np.array([[a, b, cx - a * cx - b * cy + x * width], [c, d, cy - c * cx - d * cy + y * width], [0, 0, 1]])


def stands(framing: Framing, clip: Clip) -> bool:
    """Tell whether a clip's picture is the frame as it is: neither placed nor moved by its framing."""
    still = clip.framing.end is None and clip.follow is None and not clip.keys.keys() & set(PLACE_KEYS)
    plain = (
        framing.window is None
        and framing.start == Position()
        and not any(framing.crop)
        and not framing.flip_x
        and not framing.flip_y
    )
    return still and plain
