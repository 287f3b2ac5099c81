"""How two pictures of one size become one. What is told apart by a place in the frame rests on a *field*: a number from 0
to 1 for each place that says when the incoming picture gets there, spread so that at every moment its share of the frame
is that number."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.accents.accent import drawn
from tempik.media.paint import blended, mixed
from tempik.media.picture import MID_CHROMA, Picture, Plane, colour_yuv, from_rgb, solid, to_rgb

Field = NDArray[np.float32]
GAMMA = 2.4  # of a display (Rec. ITU-R BT.1886, black at 0)


def dissolved(a: Picture, b: Picture, share: float) -> Picture:
    """Return a mixture of displayed values."""
    return mixed(a, b, share)


@lru_cache(64)
def _light_table(share: float) -> Plane:
    """Return the value that looks like a mixture of the light of two: of value b for the incoming and a for the outgoing
    at place a + 256 b."""
    light = (np.arange(256) / 255) ** GAMMA
    both = light[None, :] * (1 - share) + light[:, None] * share
    return np.asarray(np.round(255 * both ** (1 / GAMMA)), dtype=np.uint8).reshape(-1)


def dissolved_in_light(a: Picture, b: Picture, share: float) -> Picture:
    """Return a mixture of light, as a double exposure has it, by the curve of BT.1886."""
    table = _light_table(round(share, 4))
    pairs = cv2.merge([to_rgb(a).reshape(-1), to_rgb(b).reshape(-1)]).reshape(-1).view("<u2")
    wide, height_px = a.size
    made = np.take(table, pairs).reshape(height_px & ~1, wide & ~1, 3)
    return _sized(from_rgb(made), a)


def _sized(made: Picture, like: Picture) -> Picture:
    """Return a picture with the last line and column of an odd-sized one repeated."""
    if made.size == like.size:
        return made
    return Picture(
        *(
            np.pad(m, ((0, p.shape[0] - m.shape[0]), (0, p.shape[1] - m.shape[1])), mode="edge")
            for m, p in zip(made, like, strict=True)
        )
    )


def to_colour(a: Picture, b: Picture, colour: str, share: float, incoming: bool) -> Picture:
    """Return one of the pictures with `share` of a colour over it."""
    picture = b if incoming else a
    return mixed(picture, solid(*picture.size, *colour_yuv(colour)), share)


def seamed(a: Picture, b: Picture, down: bool, edge: float, soft: float, incoming_first: bool) -> Picture:
    """Return two pictures side by side (or, `down`, one above the other), meeting at a share of the frame; over `soft` of
    it the one goes over into the other. `incoming_first`: the incoming one is left, or above."""
    out = []
    for first, second in zip(*((b, a) if incoming_first else (a, b)), strict=True):
        p, q = (first, second) if not down else (first.T, second.T)
        wide = p.shape[1]
        left, right = ((edge + side * soft / 2) * wide for side in (-1, 1))
        low, high = max(0, round(left)), min(wide, max(round(right), round(left)))
        made = np.empty_like(p)
        made[:, : min(low, wide)] = p[:, :low]
        made[:, max(high, 0) :] = q[:, max(high, 0) :]
        if high > low:
            ramp = np.clip((np.arange(low, high) + 0.5 - left) / max(right - left, 1e-6), 0, 1).astype(np.float32)
            band = p[:, low:high] + (q[:, low:high].astype(np.float32) - p[:, low:high]) * ramp
            made[:, low:high] = (band + 0.5).astype(np.uint8)
        out.append(np.ascontiguousarray(made if not down else made.T))
    return Picture(*out)


def sharers(field: Field, progress: float, soft: float) -> Plane:
    """Return where the incoming picture shows, 0 to 255, at a progress: places whose field lies below it; `soft` is the
    share of the course that each place takes."""
    soft = max(soft, 2.0 / max(field.shape))
    scale = 255.0 / soft
    edge = progress * (1 + soft)
    made = cv2.addWeighted(field, -scale, field, 0.0, edge * scale, dtype=cv2.CV_8U)
    return np.asarray(made, dtype=np.uint8)


def by_field(a: Picture, b: Picture, name: str, args: tuple[float | str, ...], progress: float, soft: float) -> Picture:
    """Return the incoming picture where it has come to, by a field of FIELDS."""
    return blended(a, b, sharers(field_of(name, args, a.size), progress, soft))


def by_light(a: Picture, b: Picture, progress: float, soft: float, of: str) -> Picture:
    """Return the incoming picture where the outgoing (or itself) is bright first: brightness is spread evenly, so half of
    the frame has turned half way."""
    small = cv2.resize(b.y if of == "the new picture" else a.y, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), max(small.shape) / 160)
    even = cv2.resize(cv2.equalizeHist(small), a.size, interpolation=cv2.INTER_LINEAR)
    field = np.asarray(1.0 - even.astype(np.float32) / 255, dtype=np.float32)
    return blended(a, b, sharers(field, progress, soft))


def with_streak(
    picture: Picture, name: str, args: tuple[float | str, ...], edge: float, width: float, lit: float
) -> Picture:
    """Return the picture with a streak of light where a field is near an edge."""
    field = field_of(name, args, picture.size)
    far = cv2.addWeighted(field, 128 / width, field, 0.0, 128 - edge * 128 / width, dtype=cv2.CV_8U)
    off = np.minimum(np.abs(np.arange(256) - 128) / 127, 1.0)
    # A bright line within a wide glow that ends where the streak does.
    light = (0.62 * np.exp(-((off / 0.09) ** 2)) + 0.38 * (1 - off) ** 2.2) * 255 * lit
    light = np.round(light).astype(np.uint8)
    glow = np.asarray(cv2.LUT(far, light), dtype=np.uint8)
    half = np.asarray(cv2.resize(glow, picture.u.shape[::-1], interpolation=cv2.INTER_AREA), dtype=np.uint8)
    y = cv2.add(picture.y, cv2.multiply(cv2.subtract(np.full_like(glow, 235), picture.y), glow, scale=1 / 255))
    u, v = (_toward_mid(p, half, by) for p, by in ((picture.u, -9), (picture.v, 7)))
    return Picture(np.asarray(y, dtype=np.uint8), u, v)


def _toward_mid(plane: Plane, share: Plane, by: int) -> Plane:
    part = share.astype(np.float32) / 255
    return np.asarray(cv2.blendLinear(np.full_like(plane, MID_CHROMA + by), plane, part, 1 - part), dtype=np.uint8)


def in_slices(
    a: Picture, b: Picture, count: int, down: bool, progress: tuple[float, ...], swept: float, first_way: float
) -> Picture:
    """Return the pictures in strips, each pushed through by its own progress, neighbours opposite ways. `down`: the strips
    stand beside each other and move up and down."""
    out = []
    for old, new in zip(a, b, strict=True):
        p, q = (old, new) if not down else (old.T, new.T)
        made = np.empty_like(p)
        height_px, wide = p.shape
        edges = [round(height_px * i / count) for i in range(count + 1)]
        for i, (top, foot) in enumerate(zip(edges, edges[1:], strict=False)):
            off = min(max(round(progress[i] * wide), 0), wide)
            if (first_way > 0) == (i % 2 == 0):
                made[top:foot, :off] = q[top:foot, wide - off :]
                made[top:foot, off:] = p[top:foot, : wide - off]
            else:
                made[top:foot, wide - off :] = q[top:foot, :off]
                made[top:foot, : wide - off] = p[top:foot, off:]
        reach = round(swept * wide)
        if reach > 1:
            made = np.asarray(cv2.blur(np.ascontiguousarray(made), (reach, 1)), dtype=np.uint8)
        out.append(np.ascontiguousarray(made if not down else made.T))
    return Picture(*out)


# Fields


def field_of(name: str, args: tuple[float | str, ...], size: tuple[int, int]) -> Field:
    """Return a field at a size, shape (height, width)."""
    return _kept_field(name, args, size)


@lru_cache(6)
def _kept_field(name: str, args: tuple[float | str, ...], size: tuple[int, int]) -> Field:
    return np.ascontiguousarray(FIELDS[name](size, *args), dtype=np.float32)


def _places(size: tuple[int, int]) -> tuple[Field, Field]:
    """Return places across and down as shares of the frame's width, from its middle."""
    width, height = size
    x = ((np.arange(width, dtype=np.float32) + 0.5) - width / 2) / width
    y = ((np.arange(height, dtype=np.float32) + 0.5) - height / 2) / width
    return np.asarray(x[None, :], dtype=np.float32), np.asarray(y[:, None], dtype=np.float32)


def _spread_evenly(field: Field) -> Field:
    """Return a field whose values are the shares of the frame that come before them."""
    step = max(1, int(np.sqrt(field.size / 40_000)))
    known = np.sort(field[::step, ::step].reshape(-1))
    at = np.linspace(0, 1, 1025)
    values = np.interp(at, np.linspace(0, 1, len(known)), known)
    return np.asarray(np.interp(field, np.maximum.accumulate(values), at), dtype=np.float32)


def bar_field(size: tuple[int, int], way: str, bars: float = 1.0) -> Field:
    """Straight across the frame: the edge moves the way that is named; several bars each cover their strip."""
    width, height = size
    along = width if way in ("left", "right") else height
    line = (np.arange(along, dtype=np.float32) + 0.5) / along
    if way in ("left", "up"):
        line = 1 - line
    line = (line * round(bars)) % 1.0 if round(bars) > 1 else line
    flat = line[None, :] if along == width and way in ("left", "right") else line[:, None]
    return np.broadcast_to(flat, (height, width)).astype(np.float32)


def iris_field(size: tuple[int, int], shape: str, closing: str) -> Field:
    """From the middle outward; closing, from the edges inward."""
    x, y = _places(size)
    height_ratio = size[1] / size[0]
    if shape == "box":
        raw = np.maximum(np.abs(x), np.abs(y) / height_ratio)
    elif shape == "diamond":
        raw = np.abs(x) + np.abs(y) / height_ratio
    else:
        raw = np.hypot(x, y)
    even = _spread_evenly(np.asarray(raw, dtype=np.float32))
    return np.asarray(1 - even if closing == "from the edges" else even, dtype=np.float32)


def clock_field(size: tuple[int, int], way: str, start: float) -> Field:
    """Round the middle from an hour of the clock, 12 being up."""
    x, y = _places(size)
    angle = (np.arctan2(x, -y) / (2 * np.pi) - start / 12) % 1.0
    raw = 1 - angle if way == "anticlockwise" else angle
    return _spread_evenly(np.asarray(raw, dtype=np.float32))


def block_field(size: tuple[int, int], across: float, way: str, by_lot: float, seed: float) -> Field:
    """Squares that come one after the other: along a way, by lot, or something of both."""
    width, height = size
    columns = max(1, round(across))
    rows = max(1, round(columns * height / width))
    order = np.empty((rows, columns))
    for r in range(rows):
        for c in range(columns):
            along = {"left": 1 - c / columns, "right": c / columns, "up": 1 - r / rows, "down": r / rows}.get(way, 0.0)
            order[r, c] = along * (1 - by_lot) + drawn(int(seed), ("block", r, c)) * by_lot
    ranks = np.argsort(np.argsort(order.reshape(-1), kind="stable"), kind="stable").reshape(order.shape)
    cells = np.asarray((ranks + 0.5) / ranks.size, dtype=np.float32)
    return np.asarray(cv2.resize(cells, size, interpolation=cv2.INTER_NEAREST), dtype=np.float32)


FIELDS: dict[str, Callable[..., Field]] = {
    "bar": bar_field,
    "iris": iris_field,
    "clock": clock_field,
    "blocks": block_field,
}
