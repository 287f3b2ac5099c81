"""Titles in a frame: their parts drawn once for as long as they look the same, moved, and laid over what lies below."""

from __future__ import annotations

import math
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.cached import cached_within
from tempik.media.blend import as_picture, laid_by
from tempik.media.paint import Matrix, blended_plane
from tempik.media.picture import Picture, Plane, from_rgb
from tempik.reel import Title
from tempik.timeline.wording import TitlePart
from tempik.titles.drawing import Sprite, drawn
from tempik.titles.layout import laid_out

MOST_EM_PX, MOST_PIXELS = 4000.0, 8e6
# A part that is turned or scaled by less than this over its whole size stands on whole pixels, as sharp as it was drawn.
STILL_PX = 0.35


class PlacedTitlePart(NamedTuple):
    """A part where it lies in the frame: its colours and its cover, of `y` and of chroma, its top left corner on even
    pixels."""

    picture: Picture
    cover: Plane
    chroma_cover: Plane
    left: int
    top: int


def titled(
    below: Picture,
    title: Title,
    wording: tuple[TitlePart, ...],
    em_px: float,
    affine: Matrix,
    blend: str,
    opacity: float,
    mask: Plane | None,
    ways: tuple[Matrix, ...] = (),
) -> Picture:
    """Return a picture with a title's parts over it. `affine` takes the frame's unit square to pixels of the output; `ways`
    are further such affines over which it is averaged while the shutter is open."""
    width, height = below.size
    em_px = min(em_px, MOST_EM_PX, _largest(title))
    planes = [p.copy() for p in below]
    for part in wording:
        made = _placed(title, part, em_px, _flat(affine), tuple(_flat(w) for w in ways), (width, height))
        if made is None:
            continue
        cover, chroma_cover = made.cover, made.chroma_cover
        shown = opacity * part.state.opacity
        height_px, wide = cover.shape
        boxes = [_box(made, by) for by in (1, 2, 2)]
        if shown < 1 or mask is not None or blend != "normal":
            cover = np.asarray(cv2.convertScaleAbs(cover, alpha=shown), dtype=np.uint8)
            if mask is not None:
                cover = np.minimum(cover, mask[made.top : made.top + height_px, made.left : made.left + wide])
            under = Picture(*(np.ascontiguousarray(p[box]) for p, box in zip(planes, boxes, strict=True)))
            over = as_picture(laid_by(under, made.picture, blend, cover))
        else:
            shares = (cover, chroma_cover, chroma_cover)
            over = Picture(
                *(blended_plane(p[box], a, c) for p, box, a, c in zip(planes, boxes, made.picture, shares, strict=True))
            )
        for plane, box, part_plane in zip(planes, boxes, over, strict=True):
            plane[box] = part_plane
    return Picture(*planes)


def _box(made: PlacedTitlePart, by: int) -> tuple[slice, slice]:
    """Return the rows and columns of a plane that a part covers, `by` samples of `y` to one of its."""
    height_px, wide = made.cover.shape
    return slice(made.top // by, (made.top + height_px) // by), slice(made.left // by, (made.left + wide) // by)


def _largest(title: Title) -> float:
    """Return with how large ems a title may be drawn at most: so that all of it stays within MOST_PIXELS."""
    block = laid_out(title)
    return math.sqrt(MOST_PIXELS / ((block.width + 2) * (block.height + 2)))


def _flat(affine: Matrix) -> tuple[float, ...]:
    return tuple(float(v) for v in affine.ravel())


@cached_within(96 << 20, lambda made: made.picture.nbytes + made.cover.nbytes if made is not None else 0)
def _placed(
    title: Title,
    part: TitlePart,
    em_px: float,
    affine: tuple[float, ...],
    ways: tuple[tuple[float, ...], ...],
    size: tuple[int, int],
) -> PlacedTitlePart | None:
    sprite = drawn(title, em_px, (part.what, part.number), part.lit, part.alone)
    if sprite is None:
        return None
    matrices = [_matrix(part, sprite, title, em_px, w, size) for w in (affine, *ways)]
    height_px, wide = sprite.rgba.shape[:2]
    still = len(matrices) == 1 and np.abs(matrices[0][:, :2] - np.eye(2)).max() * max(height_px, wide) < STILL_PX
    # Moving parts go by fractions of a pixel; one that stands, by whole ones.
    if still and part.state.x == part.state.y == 0:
        at = np.round(matrices[0][:, 2]).astype(int)
        return _cut(sprite.rgba, int(at[0]), int(at[1]), size)
    corners = np.array([[0, 0, 1], [wide, 0, 1], [0, height_px, 1], [wide, height_px, 1.0]])
    seen = np.concatenate([corners @ m.T for m in matrices])
    left, top = (max(0, int(np.floor(v)) - 1) for v in seen.min(axis=0))
    right, bottom = (min(s, int(np.ceil(v)) + 1) for v, s in zip(seen.max(axis=0), size, strict=True))
    if right <= left or bottom <= top:
        return None
    size_px = (right - left, bottom - top)
    shifted = [_centred(m, left, top) for m in matrices]
    # Where nothing covers, a drawing has the colour of its edge: what is mixed from there by the warp has it too.
    edge = tuple(int(v) for v in sprite.rgba[0, 0, :3])
    if len(shifted) == 1:
        rgba = cv2.warpAffine(sprite.rgba, shifted[0], size_px, flags=cv2.INTER_LINEAR, borderValue=(*edge, 0))
        return _cut(np.asarray(rgba, dtype=np.uint8), left, top, size)
    total = np.zeros((bottom - top, right - left, 4), np.float32)
    multiplied = _multiplied(sprite)
    for matrix in shifted:
        total += cv2.warpAffine(multiplied, matrix, size_px, flags=cv2.INTER_LINEAR)
    total /= len(shifted)
    cover = total[:, :, 3:]
    colours = np.where(cover > 0.5, total[:, :, :3] * 255 / np.maximum(cover, 0.5), edge)
    rgba = np.clip(np.round(np.concatenate([colours, cover], axis=2)), 0, 255)
    return _cut(np.asarray(rgba, dtype=np.uint8), left, top, size)


def _centred(matrix: Matrix, left: int, top: int) -> Matrix:
    """Return an affine as OpenCV counts, from the middles of samples, into a box that begins at left and top."""
    moved = matrix.copy()
    moved[:, 2] += 0.5 * (matrix[:, 0] + matrix[:, 1]) - 0.5 - np.array([left, top])
    return moved


def _multiplied(sprite: Sprite) -> NDArray[np.float32]:
    out = sprite.rgba.astype(np.float32)
    out[:, :, :3] *= out[:, :, 3:] / 255
    return out


def _matrix(
    part: TitlePart, sprite: Sprite, title: Title, em_px: float, affine: tuple[float, ...], size: tuple[int, int]
) -> Matrix:
    """Return the affine, shape (2, 3), from a sprite's pixels to the output's."""
    height_px, wide = sprite.rgba.shape[:2]
    own = em_px / title.size  # a frame's width in the pixels of the drawing
    state = part.state
    cx, cy = sprite.left + wide / 2, sprite.top + height_px / 2
    scale, x, y = state.scale, state.x * em_px, state.y * em_px
    moved = np.array(
        [
            [scale, 0, sprite.left * scale + cx * (1 - scale) + x],
            [0, scale, sprite.top * scale + cy * (1 - scale) + y],
            [0, 0, 1],
        ]
    )
    high = own * size[1] / size[0]
    unit = np.array([[1 / own, 0, 0.5], [0, 1 / high, 0.5], [0, 0, 1]])
    return np.asarray(np.array(affine).reshape(2, 3) @ unit @ moved, dtype=np.float64)


def _cut(rgba: NDArray[np.uint8], left: int, top: int, size: tuple[int, int]) -> PlacedTitlePart | None:
    """Return a drawing as a picture, on even pixels and within the frame."""
    height_px, wide = rgba.shape[:2]
    begin_x, begin_y = max(left, 0) // 2 * 2, max(top, 0) // 2 * 2
    end_x, end_y = (
        min((left + wide + 1) // 2 * 2, size[0] // 2 * 2),
        min((top + height_px + 1) // 2 * 2, size[1] // 2 * 2),
    )
    if end_x <= begin_x or end_y <= begin_y:
        return None
    out = np.empty((end_y - begin_y, end_x - begin_x, 4), np.uint8)
    out[:, :, :3], out[:, :, 3] = rgba[0, 0, :3], 0
    x, y = left - begin_x, top - begin_y
    inside = rgba[max(-y, 0) : out.shape[0] - y, max(-x, 0) : out.shape[1] - x]
    out[max(y, 0) : max(y, 0) + inside.shape[0], max(x, 0) : max(x, 0) + inside.shape[1]] = inside
    cover = np.ascontiguousarray(out[:, :, 3])
    half = cv2.resize(cover, (cover.shape[1] // 2, cover.shape[0] // 2), interpolation=cv2.INTER_AREA)
    return PlacedTitlePart(
        from_rgb(np.ascontiguousarray(out[:, :, :3])), cover, np.asarray(half, np.uint8), begin_x, begin_y
    )
