"""Framing worked out: where a clip's picture lies in the frame, and whether it fills it."""

from __future__ import annotations

import math

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from tempik.easing import EASES
from tempik.reel import Footage, Framing, Position, Reel

Matrix = NDArray[np.float64]
PLAIN = Framing()
EDGE_PX = 0.5
MIRRORED = 1.0  # of the picture's size, beyond a side on the frame's edge


def position_at(framing: Framing, share: float) -> Position:
    """Return where the picture stands at a share of the slot. Zoom changes by equal ratios, the rest by equal steps."""
    a, b = framing.start, framing.end
    if b is None or a == b:
        return a
    x = EASES[framing.ease](min(max(share, 0.0), 1.0))
    return Position(
        a.zoom * (b.zoom / a.zoom) ** x,
        a.x + (b.x - a.x) * x,
        a.y + (b.y - a.y) * x,
        a.turn_deg + (b.turn_deg - a.turn_deg) * x,
    )


def standing(framing: Framing, share: float) -> Framing:
    """Return a framing as it stands at a share of the slot, without movement."""
    return framing if framing.end is None else replace(framing, start=position_at(framing, share), end=None)


def frame_matrix(framing: Framing, footage: Footage, width: float, height: float) -> Matrix:
    """Return the affine, shape (3, 3), from the upright picture's unit square to the frame in pixels, of a framing as it
    stands at an instant: see `Timeline.framing_at`."""
    shown = footage.width / footage.height * height / width  # the picture's shape against the frame's
    if framing.fit == "stretch" or footage.as_frame:
        w, h = float(width), float(height)
    elif (framing.fit == "cover") == (shown > 1):
        w, h = width * shown, float(height)
    else:
        w, h = float(width), height / shown
    fit = np.array([[w, 0, (width - w) / 2], [0, h, (height - h) / 2], [0, 0, 1]])
    if framing.flip_x:
        fit = fit @ np.array([[-1.0, 0, 1], [0, 1, 0], [0, 0, 1]])
    if framing.flip_y:
        fit = fit @ np.array([[1.0, 0, 0], [0, -1, 1], [0, 0, 1]])
    at = framing.start
    if at == Position():
        return fit
    c, s = math.cos(math.radians(at.turn_deg)) * at.zoom, math.sin(math.radians(at.turn_deg)) * at.zoom
    cx, cy = width / 2, height / 2
    moved = np.array(
        [
            [c, -s, cx - c * cx + s * cy + at.x * width],
            [s, c, cy - s * cx - c * cy + at.y * height],
            [0, 0, 1],
        ]
    )
    return np.asarray(moved @ fit, dtype=np.float64)


def covers(framing: Framing, footage: Footage, reel: Reel) -> bool:
    """Tell whether the picture fills the whole frame, so that nothing below it is seen, of a framing as it stands."""
    if footage.alpha or footage.as_frame:
        return False
    plain = framing is PLAIN or (framing.start == PLAIN.start and framing.crop == PLAIN.crop)
    if plain and framing.fit != "contain":
        return True
    back = np.linalg.inv(frame_matrix(framing, footage, reel.width, reel.height))
    corners = np.array([[0, 0, 1], [reel.width, 0, 1], [0, reel.height, 1], [reel.width, reel.height, 1.0]])
    seen = corners @ back.T
    left, top, right, bottom = framing.crop
    slack = 1e-6
    return bool(
        seen[:, 0].min() >= left - slack
        and seen[:, 0].max() <= 1 - right + slack
        and seen[:, 1].min() >= top - slack
        and seen[:, 1].max() <= 1 - bottom + slack
    )


def shown_region(framing: Framing, footage: Footage, reel: Reel) -> tuple[float, float, float, float]:
    """Return the shares cut off the upright picture at its left, top, right and bottom, of a framing as it stands. A side
    that lies on the frame's edge is cut off below 0: the picture is mirrored there, so that a shake shows no border."""
    matrix = frame_matrix(framing, footage, reel.width, reel.height)
    left, top, right, bottom = framing.crop
    middle_x, middle_y = (left + 1 - right) / 2, (top + 1 - bottom) / 2
    sides = ((left, middle_y, -1.0, 0.0), (middle_x, top, 0.0, -1.0), (1 - right, middle_y, 1.0, 0.0),
             (middle_x, 1 - bottom, 0.0, 1.0))  # fmt: skip
    out = []
    for cut, (x, y, dx, dy) in zip(framing.crop, sides, strict=True):
        at, way = matrix @ [x, y, 1.0], matrix @ [dx, dy, 0.0]
        on_edge = False
        for axis, size in ((0, reel.width), (1, reel.height)):
            straight = abs(way[1 - axis]) < 1e-6 * abs(way[axis])
            on_edge |= straight and bool(at[axis] <= EDGE_PX if way[axis] < 0 else at[axis] >= size - EDGE_PX)
        out.append(-MIRRORED if on_edge else cut)
    return out[0], out[1], out[2], out[3]


def filling(framing: Framing) -> Framing:
    """Return the framing that fills the frame, with flips and movement kept."""
    return Framing(fit="cover", start=framing.start, end=framing.end, ease=framing.ease,
                   flip_x=framing.flip_x, flip_y=framing.flip_y)  # fmt: skip
