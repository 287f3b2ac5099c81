"""Masks drawn on clips: how far each sample of the output is covered, from shapes placed on the picture."""

from __future__ import annotations

import math
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.cached import cached_within
from tempik.media.picture import Plane

Points = NDArray[np.float64]
ROUND_STEPS = 12
ELLIPSE_STEPS = 180
SOFT_PX, LEAST_PX = 12.0, 48  # an edge softer than this is drawn smaller, down to so many samples of the frame
FINE = 16  # lines of a row at which the outline's crossings are taken; across they count exactly
KINDS = ("rectangle", "ellipse", "polygon")


class MaskOutline(NamedTuple):
    """A mask ready to be drawn. `affine`: six numbers, from pixels of the upright picture to pixels of the output; the middle,
    width, height, feather, growth in pixels of the picture."""

    kind: str
    affine: tuple[float, ...]
    x: float
    y: float
    width: float
    height: float
    turn_deg: float
    points: tuple[tuple[float, float], ...]
    corner: float
    feather: float
    grow: float
    invert: bool
    mix: str

    @property
    def scale(self) -> float:
        """Pixels of the output to one of the picture."""
        a, b, _, c, d, _ = self.affine
        return math.sqrt(abs(a * d - b * c))


@cached_within(96 << 20, lambda plane: plane.nbytes)
def coverage(shapes: tuple[MaskOutline, ...], width: int, height: int) -> Plane:
    """Return how far masks let a picture show at each sample, 255 wholly, shape (height, width)."""
    known = [s for s in shapes if s.kind in KINDS]
    total: Plane | None = None
    for shape in known:
        plane = _drawn(shape, width, height)
        if shape.invert:
            plane = 255 - plane
        if shape.mix == "take away":
            total = np.minimum(np.full_like(plane, 255) if total is None else total, 255 - plane)
        elif total is None:
            total = plane
        else:
            # Of a mask that hides what lies inside there is nothing to add: it hides that of what the others show.
            adds = shape.mix == "add" and not shape.invert
            total = np.maximum(total, plane) if adds else np.minimum(total, plane)
    return np.full((height, width), 255, np.uint8) if total is None else total


def outline(shape: MaskOutline) -> Points:
    """Return the outline of a mask in pixels of the upright picture, shape (n, 2); empty where it has no area."""
    w, h = shape.width, shape.height
    if shape.kind != "polygon":
        w, h = w + 2 * shape.grow, h + 2 * shape.grow
    if w <= 0 or h <= 0:
        return np.zeros((0, 2))
    if shape.kind == "ellipse":
        # Its corners lie a little outside, so that it has the ellipse's own area.
        step = 2 * math.pi / ELLIPSE_STEPS
        out = math.sqrt(step / math.sin(step)) / 2
        at = np.arange(ELLIPSE_STEPS) * step
        points = np.stack([np.cos(at) * w * out, np.sin(at) * h * out], axis=1)
    elif shape.kind == "rectangle":
        points = _rounded_box(w, h, shape.corner * min(w, h) / 2)
    else:
        points = np.array(shape.points, dtype=np.float64).reshape(-1, 2)
        if len(points) < 3:
            return np.zeros((0, 2))
        points = _softened(points * [w, h], shape.corner)
    c, s = math.cos(math.radians(shape.turn_deg)), math.sin(math.radians(shape.turn_deg))
    return np.asarray(points @ np.array([[c, s], [-s, c]]) + [shape.x, shape.y], dtype=np.float64)


def _rounded_box(w: float, h: float, radius: float) -> Points:
    corners = [(w / 2, h / 2, 0.0), (-w / 2, h / 2, 90.0), (-w / 2, -h / 2, 180.0), (w / 2, -h / 2, 270.0)]
    if radius <= 0:
        return np.array([(x, y) for x, y, _ in corners])
    out = []
    for x, y, first in corners:
        cx, cy = x - math.copysign(radius, x), y - math.copysign(radius, y)
        for step in range(ROUND_STEPS + 1):
            at = math.radians(first + 90 * step / ROUND_STEPS)
            out.append((cx + radius * math.cos(at), cy + radius * math.sin(at)))
    return np.array(out)


def _softened(points: Points, corner: float) -> Points:
    """Return a polygon with its corners drawn as curves that begin so far, 0 to 1, toward the middles of its sides."""
    if corner <= 0:
        return points
    out = []
    for before, at, after in zip(np.roll(points, 1, 0), points, np.roll(points, -1, 0), strict=True):
        first, last = at + (before - at) * corner / 2, at + (after - at) * corner / 2
        for step in range(ROUND_STEPS + 1):
            t = step / ROUND_STEPS
            out.append((1 - t) ** 2 * first + 2 * t * (1 - t) * at + t * t * last)
    return np.array(out)


def _drawn(shape: MaskOutline, width: int, height: int) -> Plane:
    points = outline(shape)
    if len(points) < 3:
        return np.zeros((height, width), np.uint8)
    affine = np.array(shape.affine).reshape(2, 3)
    seen = np.clip(np.concatenate([points, np.ones((len(points), 1))], axis=1) @ affine.T, -20_000, 20_000)
    feather, grow = shape.feather * shape.scale, shape.grow * shape.scale if shape.kind == "polygon" else 0.0
    # So soft an edge has no detail finer than this: the mask is drawn small, softened there and made large again.
    shrink = 1
    while feather / shrink > SOFT_PX and min(width, height) / shrink > LEAST_PX:
        shrink *= 2
    wide, height_px = max(1, round(width / shrink)), max(1, round(height / shrink))
    plane = filled_polygon(seen * [wide / width, height_px / height], wide, height_px)
    if abs(grow) / shrink >= 0.5:
        side = 2 * round(abs(grow) / shrink) + 1
        kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
        plane = np.asarray((cv2.dilate if grow > 0 else cv2.erode)(plane, kernel), np.uint8)
    sigma = feather / shrink / 4  # nineteen parts of twenty of the way lie within four of these
    if sigma >= 0.3:
        plane = np.asarray(cv2.GaussianBlur(plane, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE), dtype=np.uint8)
    if shrink > 1:
        plane = np.asarray(cv2.resize(plane, (width, height), interpolation=cv2.INTER_LINEAR), dtype=np.uint8)
    return plane


def filled_polygon(points: Points, width: int, height: int) -> Plane:
    """Return how far a polygon, shape (n, 2) in pixels of the output, covers each sample, 255 wholly: by its signed crossings
    with FINE lines a row, each counted to the share of a sample it falls on, summed along the row."""
    plane = np.zeros((height, width), np.uint8)
    top, bottom = max(0, math.floor(points[:, 1].min())), min(height, math.ceil(points[:, 1].max()))
    left, right = max(0, math.floor(points[:, 0].min())), min(width, math.ceil(points[:, 0].max()))
    if bottom <= top or right <= left:
        return plane
    wide, height_px = right - left, bottom - top
    lines = (np.arange(height_px * FINE) + 0.5) / FINE + top
    places: list[NDArray[np.int64]] = []
    weights: list[Points] = []
    for (x0, y0), (x1, y1) in zip(points.tolist(), np.roll(points, -1, axis=0).tolist(), strict=True):
        low, high = (y0, y1) if y0 < y1 else (y1, y0)
        first, end = np.searchsorted(lines, [low, high])
        if end <= first:
            continue
        x = np.clip(x0 + (lines[first:end] - y0) * ((x1 - x0) / (y1 - y0)) - left, 0, wide)
        column = np.minimum(x.astype(np.int64), wide)
        place = np.arange(first, end) // FINE * (wide + 2) + column
        sign = (1.0 if y1 > y0 else -1.0) / FINE
        places += [place, place + 1]
        weights += [sign * (1 - (x - column)), sign * (x - column)]
    if not places:
        return plane
    flat = np.bincount(np.concatenate(places), np.concatenate(weights), height_px * (wide + 2))
    sums = flat.reshape(height_px, wide + 2).astype(np.float32)
    cover = np.minimum(np.abs(np.cumsum(sums[:, :wide], axis=1)), 1.0)
    plane[top:bottom, left:right] = np.round(cover * 255)
    return plane
