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
    window = framing.window
    if window is None:
        fit = _fitted(framing, footage, width / height, width, height)
    else:
        wide, high = width * window.width, height * window.height
        inside = _moved(Position(window.zoom, window.x, window.y), wide, high)
        fit = inside @ _fitted(framing, footage, width / height, wide, high)
        fit = np.array([[1, 0, (width - wide) / 2], [0, 1, (height - high) / 2], [0, 0, 1]]) @ fit
    if framing.start == Position():
        return fit
    return np.asarray(_moved(framing.start, width, height) @ fit, dtype=np.float64)


def window_matrix(framing: Framing, width: float, height: float) -> Matrix:
    """Return the affine, shape (3, 3), from a window's unit square to the frame in pixels; of a framing without one, the frame's own."""
    wide, high = (1.0, 1.0) if framing.window is None else (framing.window.width, framing.window.height)
    box = np.array([[width * wide, 0, width * (1 - wide) / 2], [0, height * high, height * (1 - high) / 2], [0, 0, 1]])
    return np.asarray(_moved(framing.start, width, height) @ box, dtype=np.float64)


def inside_window(framing: Framing) -> Framing:
    """Return how a picture stands in its window, as if that were the frame."""
    window = framing.window
    if window is None:
        return framing
    return replace(framing, window=None, start=Position(window.zoom, window.x, window.y), end=None)


def _fitted(framing: Framing, footage: Footage, frame: float, width: float, height: float) -> Matrix:
    """Return where a picture lies that fills a box; `frame` is the frame's width against its height."""
    shape = frame if footage.as_frame else footage.width / footage.height
    shown = shape * height / width  # the picture's shape against the box's
    if framing.fit == "stretch" or abs(shown - 1) < 1e-12:
        w, h = float(width), float(height)
    elif (framing.fit == "cover" or footage.as_frame) == (shown > 1):
        w, h = width * shown, float(height)
    else:
        w, h = float(width), height / shown
    fit = np.array([[w, 0, (width - w) / 2], [0, h, (height - h) / 2], [0, 0, 1]])
    if framing.flip_x:
        fit = fit @ np.array([[-1.0, 0, 1], [0, 1, 0], [0, 0, 1]])
    if framing.flip_y:
        fit = fit @ np.array([[1.0, 0, 0], [0, -1, 1], [0, 0, 1]])
    return fit


def _moved(at: Position, width: float, height: float) -> Matrix:
    c, s = math.cos(math.radians(at.turn_deg)) * at.zoom, math.sin(math.radians(at.turn_deg)) * at.zoom
    cx, cy = width / 2, height / 2
    return np.array(
        [
            [c, -s, cx - c * cx + s * cy + at.x * width],
            [s, c, cy - s * cx - c * cy + at.y * height],
            [0, 0, 1],
        ]
    )


def covers(framing: Framing, footage: Footage, reel: Reel) -> bool:
    """Tell whether the picture fills the whole frame, so that nothing below it is seen, of a framing as it stands."""
    if footage.alpha or footage.as_frame or framing.window is not None:
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
    that lies on the frame's edge is cut off below 0: the picture is mirrored there, so that a shake shows no border. In a window all
    sides are: the window says where it ends."""
    if framing.window is not None:
        a, b, c, d = (-MIRRORED if cut == 0 else cut for cut in framing.crop)
        return a, b, c, d
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
