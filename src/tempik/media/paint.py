"""Operations on pictures that the pipeline and the accents share: warps, averages over a movement, changes of light.

Matrices are affines of shape (2, 3) in samples of `y`, counted from sample edges as the plan counts; where the picture
ends its edges are mirrored.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.media.picture import BLACK_Y, MID_CHROMA, Picture, Plane, from_rgb, to_rgb

Matrix = NDArray[np.float64]
Field = NDArray[np.float32]

# Affines closer to the identity than this move no sample by a visible amount.
IDENTITY_PX = 0.02
MOST_HALVINGS = 5  # an average over a movement takes at most 2 to this power of places
PLACE_PX = 2.5  # neighbouring places of a movement lie this far apart at most, until there are too many
# Fields of displacement are smooth, so they are worked out on a grid this much coarser and then spread.
COARSE = 8


def warp_plane(plane: Plane, matrix: Matrix, size: tuple[int, int], scale: float = 1.0) -> Plane:
    """Return a plane warped to a size; `scale` is the plane's samples to one of `y` (0.5 for chroma)."""
    if _fits(plane, matrix, size, scale):  # a fifth of a warp's time
        return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_LINEAR), dtype=np.uint8)
    # The plan counts from sample edges, OpenCV from sample centres: half a sample either side.
    centred = matrix.astype(np.float64)
    centred[:, 2] = centred[:, 2] * scale + 0.5 * (matrix[:, 0] + matrix[:, 1]) - 0.5
    out = cv2.warpAffine(plane, centred, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT_101)
    return np.asarray(out, dtype=np.uint8)


def _fits(plane: Plane, matrix: Matrix, size: tuple[int, int], scale: float) -> bool:
    """Tell whether an affine makes a plane exactly a size larger, so that it is nothing but a change of size."""
    height_px, wide = plane.shape
    aside = max(abs(matrix[0, 1]) * height_px, abs(matrix[1, 0]) * wide, *(abs(matrix[:, 2]) * scale))
    grows = min(matrix[0, 0], matrix[1, 1]) >= 1
    return bool(
        grows and aside < IDENTITY_PX and abs(matrix[0, 0] * wide - size[0]) < IDENTITY_PX
        and abs(matrix[1, 1] * height_px - size[1]) < IDENTITY_PX
    )  # fmt: skip


def warped(picture: Picture, matrix: Matrix, size: tuple[int, int] | None = None) -> Picture:
    """Return the picture warped to a size (its own when None); the identity costs nothing."""
    size = size or picture.size
    if size == picture.size and is_identity(matrix, *size):
        return picture
    half = ((size[0] + 1) // 2, (size[1] + 1) // 2)
    return Picture(
        warp_plane(picture.y, matrix, size),
        warp_plane(picture.u, matrix, half, 0.5),
        warp_plane(picture.v, matrix, half, 0.5),
    )


def is_identity(matrix: Matrix, width: int, height: int) -> bool:
    """Tell whether an affine of shape (2, 3) moves nothing in a picture by as much as can be seen."""
    drift = np.abs(matrix - np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])) * np.array([[width, height, 1.0]])
    return bool(drift.sum(axis=1).max() < IDENTITY_PX)


def reach_px(matrix: Matrix, size: tuple[int, int]) -> float:
    """Return how far an affine moves the corner that it moves farthest, in samples."""
    corners = np.array([[0, 0, 1], [size[0], 0, 1], [0, size[1], 1], [size[0], size[1], 1.0]])
    return float(np.abs(corners @ matrix.T - corners[:, :2]).max())


def halvings(pixels: float) -> int:
    """Return how often a movement is halved: 2 to this power of places are averaged; 0 where it cannot be seen."""
    return 0 if pixels < 0.75 else min(max(math.ceil(math.log2(pixels / PLACE_PX)), 1), MOST_HALVINGS)


def swept(picture: Picture, matrix: Matrix) -> Picture:
    """Return the average of the picture over the movement from itself to where an affine takes it.

    The places between are powers of the affine, so each halving of the movement doubles the places averaged at the
    cost of one warp. They begin at the picture itself: warp it by `lead_in` first, and they lie evenly about the middle.
    """
    count = halvings(reach_px(matrix, picture.size))
    if not count:
        return picture
    steps = []
    for _ in range(count):
        matrix = _root(matrix)
        steps.append(matrix)
    shifts = [(s[0, 2], s[1, 2]) for s in steps]
    if turns_nothing(steps[0], picture.size):
        return Picture(_slid(picture.y, shifts, 1.0), _slid(picture.u, shifts, 0.5), _slid(picture.v, shifts, 0.5))
    for step in steps:
        picture = _mean(picture, warped(picture, step))
    return picture


def turns_nothing(matrix: Matrix, size: tuple[int, int]) -> bool:
    """Tell whether an affine only shifts a picture of a size, as far as can be seen."""
    return bool(np.abs(matrix[:, :2] - np.eye(2)).max() * max(size) < 0.5)


def lead_in(matrix: Matrix, size: tuple[int, int]) -> Matrix:
    """Return the affine to the first of the places that `swept` averages: half a step into the movement."""
    for _ in range(halvings(reach_px(matrix, size)) + 1):
        matrix = _root(matrix)
    return matrix


def joined(later: Matrix, first: Matrix) -> Matrix:
    """Return the affine that does `first`, then `later`."""
    return np.asarray(later @ np.vstack([first, [0.0, 0.0, 1.0]]), dtype=np.float64)


def _root(matrix: Matrix) -> Matrix:
    """Return the affine that, applied twice, is `matrix`. Good for turns and scales as small as a movement's."""
    whole = np.vstack([matrix, [0.0, 0.0, 1.0]])
    guess = 0.5 * (whole + np.eye(3))
    for _ in range(4):  # Newton's iteration for the square root of a matrix (Higham 1986)
        guess = 0.5 * (guess + np.linalg.solve(guess, whole))
    return np.asarray(guess[:2], dtype=np.float64)


def _mean(a: Picture, b: Picture) -> Picture:
    return Picture(
        *(np.asarray(cv2.addWeighted(p, 0.5, q, 0.5, 0.0), dtype=np.uint8) for p, q in zip(a, b, strict=True))
    )


def _slid(plane: Plane, shifts: list[tuple[float, float]], scale: float) -> Plane:
    """Return the mean of a plane over shifts that add up in every way, whole samples each: slices in place of warps, and
    where they all go along one side of the frame the plain mean over the whole way."""
    far = (sum(x for x, _ in shifts) * scale, sum(y for _, y in shifts) * scale)
    if min(abs(v) for v in far) < 0.5:
        return _boxed(plane, round(far[0]), round(far[1]))
    whole = [(round(x * scale), round(y * scale)) for x, y in shifts]
    left, top = sum(max(x, 0) for x, _ in whole), sum(max(y, 0) for _, y in whole)
    right, bottom = sum(max(-x, 0) for x, _ in whole), sum(max(-y, 0) for _, y in whole)
    height_px, wide = plane.shape
    left, right, top, bottom = (
        min(v, (wide if i < 2 else height_px) - 1) for i, v in enumerate((left, right, top, bottom))
    )
    held = np.asarray(cv2.copyMakeBorder(plane, top, bottom, left, right, cv2.BORDER_REFLECT_101), dtype=np.uint8)
    for x, y in whole:
        h, w = held.shape[0] - abs(y), held.shape[1] - abs(x)
        if (x or y) and h >= height_px and w >= wide:
            a = held[max(y, 0) : max(y, 0) + h, max(x, 0) : max(x, 0) + w]
            b = held[max(-y, 0) : max(-y, 0) + h, max(-x, 0) : max(-x, 0) + w]
            held = np.asarray(cv2.addWeighted(a, 0.5, b, 0.5, 0.0), dtype=np.uint8)
    return np.ascontiguousarray(held[:height_px, :wide])


def _boxed(plane: Plane, x: int, y: int) -> Plane:
    """Return the mean of a plane over all shifts from none to (x, y), one of which is 0."""
    size, anchor = (abs(x) + 1, abs(y) + 1), (max(x, 0), max(y, 0))
    return np.asarray(cv2.blur(plane, size, anchor=anchor, borderType=cv2.BORDER_REFLECT_101), dtype=np.uint8)


def remapped(picture: Picture, x: Field, y: Field) -> Picture:
    """Return the picture read at other places: `x` and `y` are samples from edges, for the places of `grid`."""
    width, height = picture.size
    half = picture.u.shape[::-1]
    out = []
    for plane, size, scale in ((picture.y, (width, height), 1.0), (picture.u, half, 0.5), (picture.v, half, 0.5)):
        mx, my = (_spread(f, size) * scale - 0.5 for f in (x, y))
        out.append(cv2.remap(plane, mx, my, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT_101))
    return Picture(*(np.asarray(p, dtype=np.uint8) for p in out))


def _spread(field: Field, size: tuple[int, int]) -> Field:
    """Return a coarse field at every sample of a plane."""
    rows, columns = field.shape
    sx, sy = (columns - 2) / size[0], (rows - 2) / size[1]
    where = np.array([[sx, 0, 0.5 * sx + 0.5], [0, sy, 0.5 * sy + 0.5]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(
        cv2.warpAffine(field, where, size, flags=flags, borderMode=cv2.BORDER_REPLICATE), dtype=np.float32
    )


@lru_cache(8)
def grid(width: int, height: int) -> tuple[Field, Field]:
    """Return the places of a coarse grid over a frame and one cell beyond each edge, in samples from its edges: two arrays
    of shape (rows, columns)."""
    columns, rows = max(2, -(-width // COARSE)), max(2, -(-height // COARSE))
    x = (np.arange(-1, columns + 1, dtype=np.float32) + 0.5) * width / columns
    y = (np.arange(-1, rows + 1, dtype=np.float32) + 0.5) * height / rows
    gx, gy = np.meshgrid(x, y)
    return np.asarray(gx, dtype=np.float32), np.asarray(gy, dtype=np.float32)


def softened(picture: Picture, sigma_px: float) -> Picture:
    """Return the picture blurred by a Gaussian; a wide one is made small, blurred and spread again."""
    return Picture(*(_soft_plane(p, sigma_px * (1.0 if i == 0 else 0.5)) for i, p in enumerate(picture)))


def _soft_plane(plane: Plane, sigma: float) -> Plane:
    if sigma < 0.3:
        return plane
    height_px, wide = plane.shape
    shrink = 1
    while sigma / shrink > 4 and min(height_px, wide) / shrink > 16:
        shrink *= 2
    small = plane
    if shrink > 1:
        size = (max(1, wide // shrink), max(1, height_px // shrink))
        small = np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    soft = cv2.GaussianBlur(small, (0, 0), sigma / shrink, borderType=cv2.BORDER_REFLECT_101)
    out = cv2.resize(soft, (wide, height_px), interpolation=cv2.INTER_LINEAR) if shrink > 1 else soft
    return np.asarray(out, dtype=np.uint8)


def blocks(picture: Picture, size_px: float) -> Picture:
    """Return the picture in blocks of one colour."""
    width, height = picture.size
    wide, height_px = max(1, round(width / max(size_px, 1))), max(1, round(height / max(size_px, 1)))
    out = []
    for plane in picture:
        small = cv2.resize(plane, (wide, height_px), interpolation=cv2.INTER_AREA)
        out.append(np.asarray(cv2.resize(small, plane.shape[::-1], interpolation=cv2.INTER_NEAREST), dtype=np.uint8))
    return Picture(*out)


def blended(below: Picture, above: Picture, share: Plane) -> Picture:
    """Return `above` over `below` where `share` is 255, in between where it is between; its shape is that of `y`."""
    half = np.asarray(cv2.resize(share, below.u.shape[::-1], interpolation=cv2.INTER_AREA), dtype=np.uint8)
    return Picture(*(blended_plane(b, a, m) for b, a, m in zip(below, above, (share, half, half), strict=True)))


def blended_plane(below: Plane, above: Plane, share: Plane) -> Plane:
    """Return a plane, or an array of colours, `share` (255: wholly; its shape) of the way to another: rounded once, so that
    equal values stay as they are."""
    up = cv2.multiply(cv2.subtract(above, below), share, scale=1 / 255)
    down = cv2.multiply(cv2.subtract(below, above), share, scale=1 / 255)
    return np.asarray(cv2.subtract(cv2.add(below, up), down), dtype=np.uint8)


def mixed(a: Picture, b: Picture, share: float) -> Picture:
    """Return the picture `share` of the way from one to another of its size."""
    return Picture(
        *(np.asarray(cv2.addWeighted(p, 1 - share, q, share, 0.0), dtype=np.uint8) for p, q in zip(a, b, strict=True))
    )


def darkened(picture: Picture, keep: Plane) -> Picture:
    """Return the picture faded to black where `keep` (255: as it is) is low; its shape is that of `y`."""
    half = np.asarray(cv2.resize(keep, picture.u.shape[::-1], interpolation=cv2.INTER_AREA), dtype=np.uint8)
    return Picture(
        _toward(picture.y, BLACK_Y, keep), _toward(picture.u, MID_CHROMA, half), _toward(picture.v, MID_CHROMA, half)
    )


def _toward(plane: Plane, value: int, keep: Plane) -> Plane:
    away = cv2.multiply(
        cv2.subtract(plane, np.full(1, value, np.float64), dtype=cv2.CV_16S), keep, scale=1 / 255, dtype=cv2.CV_16S
    )
    return np.asarray(cv2.add(away, np.full(1, value, np.float64), dtype=cv2.CV_8U), dtype=np.uint8)


def filled(picture: Picture, box: tuple[int, int, int, int], colour: tuple[int, int, int], opacity: float) -> Picture:
    """Return the picture with a colour (Y, U, V) over a box (left, top, right, bottom; even samples)."""
    left, top, right, bottom = (v - v % 2 for v in box)
    out = []
    for number, (plane, value) in enumerate(zip(picture, colour, strict=True)):
        a = 1 if number == 0 else 2
        made = plane.copy()
        part = made[top // a : bottom // a, left // a : right // a]
        if part.size:
            part[...] = cv2.convertScaleAbs(part, alpha=1 - opacity, beta=value * opacity)
        out.append(made)
    return Picture(*out)


def in_rgb(picture: Picture, change: Callable[[Plane], Plane]) -> Picture:
    """Return the picture changed as RGB, shape (height, width, 3)."""
    return from_rgb(change(to_rgb(picture)))


def scaled_about(x: float, y: float, scale: float, turn_deg: float = 0.0) -> Matrix:
    """Return the affine that scales and turns (clockwise) about a place in samples."""
    c, s = math.cos(math.radians(turn_deg)) * scale, math.sin(math.radians(turn_deg)) * scale
    return np.array([[c, -s, x - c * x + s * y], [s, c, y - s * x - c * y]])
