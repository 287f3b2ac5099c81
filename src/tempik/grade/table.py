"""Grades folded into one look-up of Y, U and V: whatever a grade does to colours costs one gather a plane.

The pipeline's pictures are 8-bit YUV 4:2:0, so a colour is one of 2 to the 24. The table holds the new Y of each, and how
much chroma changes, chroma being told apart in even steps: so what a grade leaves stays as it is, and ramps stay ramps. Where a
grade takes most colour away it holds what chroma becomes instead.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.cached import cached_within
from tempik.grade.pointwise import Colours, graded
from tempik.media.picture import FROM_RGB, TO_RGB, Picture, Plane
from tempik.reel.grade import Grade

# Chroma values that the formula is worked out for; in between it is straight.
NODES, NODES_QUICK = 33, 17
LUMAS_QUICK = 52  # of 256 values of Y
LUMAS_FAR = 33  # for what cannot be displayed
# Bits of chroma that are told apart, and of luma for the chroma tables.
BITS, BITS_QUICK = 7, 5
LUMA_BITS = 6
# Where straight lines between nodes are off by more than this, in steps of 8 bits, colours are worked out one by one; those that
# can be displayed, and so little beyond as coding leaves. It is looked for at every so many values of Y.
BENT, NEAR, LUMAS_APART, MOST_CELLS = 0.75, 0.03, 4, 2000
# What lies within a cell of such a colour: a step of a node in U makes this much of blue.
NODE_NEAR = NEAR + 2.12 / (NODES - 1)
KEPT_BYTES = 160 << 20

_Array = NDArray[np.float32]
Changes = NDArray[np.int16]


class Table:
    """What becomes of each colour. `y` of shape (rows, columns) is the new Y, a row for a U and the high part of a V; `uv` is how
    much U and V change, or what they become where `whole`: both in one 32-bit value, 16 each."""

    def __init__(self, y: Plane, uv: _Array, whole: bool, bits: int) -> None:
        self.y, self.uv, self.whole, self.bits = y, uv, whole, bits

    @property
    def nbytes(self) -> int:
        """How many bytes it takes."""
        return self.y.nbytes + self.uv.nbytes


@cached_within(KEPT_BYTES, lambda made: made.nbytes)
def table_of(grades: tuple[Grade, ...], state: tuple[object, ...] = (), quick: bool = False) -> Table:
    """Return grades as a table; `state` tells the files that they read from other states of these. `quick` is coarser, for what
    is dragged. Raises TempikError for a LUT that cannot be read."""
    nodes, bits = (NODES_QUICK, BITS_QUICK) if quick else (NODES, BITS)
    lumas = LUMAS_QUICK if quick else LUMAS_FAR
    made = graded(_nodes(nodes, lumas), grades) * np.float32(255)
    channels = [np.ascontiguousarray(made[:, n]).reshape(nodes, nodes, lumas) @ _between(lumas).T for n in range(3)]
    if not quick:
        near, colours = _near()
        made = graded(colours, grades) * np.float32(255)
        for n, channel in enumerate(channels):
            channel.reshape(-1)[near] = made[:, n]
    spread = _weights(nodes, bits)
    # Red, green and blue are spread before they are cut to what can be displayed: the cut is sharp, the formula smooth.
    full = [_cut(np.matmul(spread, _rows(c, spread)).reshape(-1, 256)) for c in channels]
    if not quick:
        _put_exact(full, channels, grades)
    y = np.asarray(cv2.transform(cv2.merge(full), FROM_RGB[:1]), dtype=np.uint8)
    uv = cv2.transform(cv2.merge([np.ascontiguousarray(f[:, 2::4]) for f in full]), FROM_RGB[1:])
    uv = np.asarray(uv, dtype=np.int16).reshape(1 << bits, 1 << bits, -1, 2)
    were = (np.arange(1 << bits) << (8 - bits)).astype(np.int16)
    whole = _gain(uv, were) < 0.5
    if not whole:
        uv[..., 0] -= were[:, None, None]
        uv[..., 1] -= were[None, :, None]
    rows = (1 << 2 * bits) // 16
    return Table(y.reshape(rows, 16 << 8), uv.view(np.float32).reshape(rows, 16 << LUMA_BITS), whole, bits)


def _put_exact(full: list[Plane], channels: list[_Array], grades: tuple[Grade, ...]) -> None:
    """Work out the formula itself where the straight way between its nodes leaves it: where a channel comes out of black, where a
    curve bends sharply."""
    bent = np.zeros((NODES - 1, NODES - 1, 256 // LUMAS_APART), np.float32)
    for channel in channels:
        c = channel[..., LUMAS_APART // 2 :: LUMAS_APART]
        off = np.zeros_like(c)
        off[1:-1] = np.abs(c[2:] - 2 * c[1:-1] + c[:-2])
        off[:, 1:-1] += np.abs(c[:, 2:] - 2 * c[:, 1:-1] + c[:, :-2])
        np.maximum(bent, _most(off) * ((_most(c) > 0) & (-_most(-c) < 255)), out=bent)
    displayed = _displayed()
    bent *= displayed[2::4, 2::4, LUMAS_APART // 2 :: LUMAS_APART]
    cells = np.flatnonzero(bent > 8 * BENT)
    if len(cells) > MOST_CELLS:  # those that are off most
        cells = cells[np.argpartition(bent.reshape(-1)[cells], -MOST_CELLS)[-MOST_CELLS:]]
    at = cells[:, None] * LUMAS_APART + np.arange(LUMAS_APART)  # entries of a table a node a cell
    cell, y = at.reshape(-1) >> 8, at.reshape(-1) & 255
    times = (1 << BITS) // (NODES - 1)
    u, v = cell // (NODES - 1) * times, cell % (NODES - 1) * times
    within = np.arange(times)
    entries = (
        ((u[:, None, None] + within[:, None]) << (BITS + 8)) + ((v[:, None, None] + within) << 8) + y[:, None, None]
    )
    wanted = entries[displayed.take(entries)]
    made = graded(_colours_at(wanted), grades) * np.float32(255)
    exact = np.clip(np.rint(made), 0, 255).astype(np.uint8)
    for n, plane in enumerate(full):
        plane.reshape(-1)[wanted] = exact[:, n]


def _most(values: _Array) -> _Array:
    """Return the largest of each cell's four corners."""
    rows = np.maximum(values[:-1], values[1:])
    return np.maximum(rows[:, :-1], rows[:, 1:])


def _colours_at(at: NDArray[np.int64]) -> Colours:
    """Return displayed red, green and blue of entries of the full table, shape (n, 3)."""
    step = 8 - BITS
    u, v, y = at >> (8 + BITS) << step, (at >> 8 & (1 << BITS) - 1) << step, at & 255
    yuv = np.stack([y, u, v, np.ones_like(y)], axis=1).astype(np.float32)
    return np.asarray(yuv @ (TO_RGB.T / 255).astype(np.float32), dtype=np.float32)


@lru_cache(1)
def _displayed() -> NDArray[np.bool_]:
    """Return which entries of the full table are colours that can be displayed, or all but."""
    count = 1 << BITS
    chroma, luma = np.arange(count) << (8 - BITS), np.arange(256)
    out = np.ones((count, count, 256), bool)
    for to_y, to_u, to_v, off in TO_RGB.astype(np.float32) / np.float32(255):
        value = (to_u * chroma[:, None] + to_v * chroma + off)[..., None] + to_y * luma
        out &= (value > -NEAR) & (value < 1 + NEAR)
    return out


def _gain(uv: Changes, were: Changes) -> float:
    """Return how much stronger chroma becomes about grey at middle Y."""
    here = uv[:, :, uv.shape[2] // 2].astype(np.float64)
    near = np.abs(were - 128) < 48
    away = (were[near] - 128).astype(np.float64)
    along = here[near][:, near, 0].mean(axis=1), here[near][:, near, 1].mean(axis=0)
    return float(np.mean([np.polyfit(away, v, 1)[0] for v in along]))


def _rows(channel: _Array, spread: _Array) -> _Array:
    nodes = channel.shape[0]
    return np.asarray((spread @ channel.reshape(nodes, -1)).reshape(len(spread), nodes, 256), dtype=np.float32)


@lru_cache(4)
def _weights(nodes: int, bits: int) -> _Array:
    """Return how much of each node goes into each chroma value that is told apart, shape (values, nodes)."""
    count = 1 << bits
    at = (np.arange(count) << (8 - bits)) / 256 * (nodes - 1)
    base = np.minimum(at.astype(int), nodes - 2)
    out = np.zeros((count, nodes), np.float32)
    out[np.arange(count), base] = 1 - (at - base)
    out[np.arange(count), base + 1] = at - base
    return out


@lru_cache(3)
def _between(lumas: int) -> _Array:
    """Return how much of each node of Y goes into each Y, shape (256, nodes)."""
    at = np.arange(256) / 255 * (lumas - 1)
    base = np.minimum(at.astype(int), lumas - 2)
    out = np.zeros((256, lumas), np.float32)
    out[np.arange(256), base] = 1 - (at - base)
    out[np.arange(256), base + 1] = at - base
    return out


@lru_cache(3)
def _nodes(nodes: int, lumas: int) -> Colours:
    """Return displayed red, green and blue at the nodes of U, V and Y, shape (nodes × nodes × lumas, 3); 128, which is grey, is
    a node of U and V."""
    chroma = np.linspace(0, 256, nodes)
    u, v, y = np.meshgrid(chroma, chroma, np.linspace(0, 255, lumas), indexing="ij")
    yuv = np.stack([y.ravel(), u.ravel(), v.ravel(), np.ones(y.size)], axis=1)
    return np.asarray(yuv @ TO_RGB.T / 255, dtype=np.float32)


@lru_cache(1)
def _near() -> tuple[NDArray[np.int64], Colours]:
    """Return which nodes, at every value of Y, lie about a colour that can be displayed, and their colours."""
    colours = _nodes(NODES, 256)
    near = np.flatnonzero(((colours > -NODE_NEAR) & (colours < 1 + NODE_NEAR)).all(axis=1))
    return near, colours[near]


@lru_cache(4)
def _parts(bits: int) -> tuple[Plane, Plane, Plane, Plane]:
    """Return what a U and a V, each as the nearest that is told apart, come to in the address of a colour: of V the low part; of
    U and of V what they add to the low byte of the row; of U the row's high byte."""
    step = 1 << (8 - bits)
    half = step // 2 if step > 2 else 0  # of two the lower: it is nearer to grey in what is cut off
    value = np.minimum(np.arange(256) + half, 255) // step
    row = value << (bits - 4)
    return tuple(np.asarray(p, dtype=np.uint8) for p in (value & 15, row & 255, value >> 4, row >> 8))  # type: ignore[return-value]


def looked_up(picture: Picture, table: Table) -> Picture:
    """Return a picture with each colour looked up."""
    wide, height_px = picture.u.shape[::-1]
    low, row_low, v_high, row_high = _parts(table.bits)
    v_low = cv2.LUT(picture.v, low)
    row = cv2.add(cv2.LUT(picture.u, row_low), cv2.LUT(picture.v, v_high))
    where = np.asarray(cv2.merge([v_low, v_low, row, cv2.LUT(picture.u, row_high)]), dtype=np.uint8)
    full = np.asarray(cv2.resize(where, picture.size, interpolation=cv2.INTER_NEAREST), dtype=np.uint8)
    y = _gathered(table.y, _address(full, picture.y))
    small = cv2.resize(picture.y, (wide, height_px), interpolation=cv2.INTER_AREA)
    # Fewer bits of Y: what is left of its byte takes the lowest bits of V.
    column = cv2.add(cv2.LUT(small, _COARSE), cv2.LUT(v_low, _SHIFTED))
    cv2.insertChannel(cv2.LUT(v_low, _BEYOND), where, 1)
    found = _gathered(table.uv, _address(where, np.asarray(column, np.uint8)))
    u, v = cv2.split(found.view(np.int16).reshape(height_px, wide, 2))
    if table.whole:
        u, v = (_cut(p) for p in (u, v))
    else:
        u, v = (cv2.add(p, q, dtype=cv2.CV_8U) for p, q in ((picture.u, u), (picture.v, v)))
    return Picture(*(np.asarray(p, dtype=np.uint8) for p in (y, u, v)))


_COARSE = (np.arange(256) >> (8 - LUMA_BITS)).astype(np.uint8)
_SHIFTED = (np.arange(256) << LUMA_BITS & 255).astype(np.uint8)
_BEYOND = (np.arange(256) >> (8 - LUMA_BITS)).astype(np.uint8)


def _gathered(table: NDArray[Any], address: Changes) -> Any:
    return cv2.remap(table, address, None, cv2.INTER_NEAREST)  # type: ignore[call-overload]


def _cut(values: Any) -> Plane:
    """Return values rounded and cut to 0 to 255."""
    return np.asarray(cv2.add(values, np.zeros(1), dtype=cv2.CV_8U), dtype=np.uint8)


def _address(where: Plane, y: Plane) -> Changes:
    """Return where each colour stands in a table, as the fixed maps of OpenCV have it: column and row, 16 bits each. `where`
    has a place for the column's low byte, which is filled."""
    cv2.insertChannel(y, where, 0)
    return where.view(np.int16).reshape(*y.shape, 2)
