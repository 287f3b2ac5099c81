"""How a picture is laid over another: the sixteen blend modes of the W3C's *Compositing and Blending Level 1*, and its
plus-lighter, on the displayed values of red, green and blue. Names are the specification's."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.media.paint import blended, blended_plane, in_rgb, mixed
from tempik.media.picture import Picture, Plane, from_rgb, to_rgb

Values = NDArray[np.float64]
Colours = NDArray[np.float32]

SEPARABLE = (
    "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light", "soft-light",
    "difference", "exclusion",
)  # fmt: skip
NON_SEPARABLE = ("hue", "saturation", "color", "luminosity")
PLUS_LIGHTER = "plus-lighter"
BLENDS = ("normal", *SEPARABLE, *NON_SEPARABLE, PLUS_LIGHTER)


# What layers are laid over: a picture, or its red, green and blue, shape (height, width, 3), while mode follows mode.
Ground = Picture | Plane


def as_picture(ground: Ground) -> Picture:
    """Return what layers were laid over as a picture."""
    return ground if isinstance(ground, Picture) else from_rgb(ground)


def laid_by(below: Ground, above: Picture, blend: str, share: Plane | float) -> Ground:
    """Return a picture laid over another of its size by a mode of BLENDS (one that is not known is "normal"), as far as
    `share` lets it: a part of the whole, 0 to 1, or for each place, shape of `y`, 255 wholly. Modes give colours, which the
    next one takes as they are."""
    if blend not in BLENDS or blend == "normal":
        ground = as_picture(below)
        if isinstance(share, float):
            return above if share >= 1 else mixed(ground, above, share)
        return blended(ground, above, share)
    under = to_rgb(below) if isinstance(below, Picture) else below
    over = to_rgb(above)
    if blend == PLUS_LIGHTER:
        if isinstance(share, float):
            light = cv2.convertScaleAbs(over, alpha=share)
        else:
            light = cv2.multiply(over, cv2.merge([share, share, share]), scale=1 / 255)
        return np.asarray(cv2.add(under, light), dtype=np.uint8)
    made = mixed_colours(under, over, blend)
    if isinstance(share, float):
        return made if share >= 1 else np.asarray(cv2.addWeighted(under, 1 - share, made, share, 0.0), dtype=np.uint8)
    return blended_plane(under, made, cv2.merge([share, share, share]))  # type: ignore[arg-type]


def laid_within(below: Ground, above: Picture, blend: str, share: Plane, box: tuple[int, int, int, int]) -> Ground:
    """Return a picture laid over another where `share` lets it, of which only a box (left, top, right, bottom; even samples)
    is worked on: nothing of it shows outside."""
    left, top, right, bottom = box
    return below if right <= left or bottom <= top else part_laid(below, cropped(above, box), blend, share, box)


def part_laid(below: Ground, part: Picture, blend: str, share: Plane, box: tuple[int, int, int, int]) -> Ground:
    """Return a picture with another, as large as a box of it (left, top, right, bottom; even samples, not empty), laid there where `share`,
    as large as the whole, lets it."""
    left, top, right, bottom = box
    if not isinstance(below, Picture):
        made = laid_by(np.ascontiguousarray(below[top:bottom, left:right]), part, blend, share[top:bottom, left:right])
        out = below.copy()
        out[top:bottom, left:right] = made if not isinstance(made, Picture) else to_rgb(made)
        return out
    laid_part = as_picture(
        laid_by(cropped(below, box), part, blend, np.ascontiguousarray(share[top:bottom, left:right]))
    )
    planes = [p.copy() for p in below]
    for plane, part_plane, by in zip(planes, laid_part, (1, 2, 2), strict=True):
        plane[top // by : bottom // by, left // by : right // by] = part_plane
    return Picture(*planes)


def cropped(picture: Picture, box: tuple[int, int, int, int]) -> Picture:
    """Return a part of a picture (left, top, right, bottom; even samples)."""
    left, top, right, bottom = box
    return Picture(
        *(
            np.ascontiguousarray(p[top // by : bottom // by, left // by : right // by])
            for p, by in zip(picture, (1, 2, 2), strict=True)
        )
    )


def bounds(share: Plane) -> tuple[int, int, int, int]:
    """Return the box in which a mask lets anything show, on even samples: left, top, right, bottom."""
    left, top, wide, height_px = cv2.boundingRect(share)
    height, width = (s // 2 * 2 for s in share.shape)
    right, bottom = min((left + wide + 1) // 2 * 2, width), min((top + height_px + 1) // 2 * 2, height)
    return left // 2 * 2, top // 2 * 2, right, bottom


def laid(below: Picture, above: Picture, blend: str) -> Picture:
    """Return what a mode makes of two pictures of one size, both opaque."""
    if blend not in BLENDS or blend == "normal":
        return above
    over = to_rgb(above)
    return in_rgb(below, lambda under: mixed_colours(under, over, blend))


def mixed_colours(under: Plane, over: Plane, blend: str) -> Plane:
    """Return what a mode makes of RGB of a backdrop and of a source, shape (height, width, 3)."""
    quick = _QUICK.get(blend)
    if quick is not None:
        return np.asarray(quick(under, over), dtype=np.uint8)
    if blend in SEPARABLE:
        return _gathered(_table(blend), under, over)
    return _non_separable(under, over, blend)


def _multiplied(under: Plane, over: Plane) -> Plane:
    return np.asarray(cv2.multiply(under, over, scale=1 / 255), dtype=np.uint8)


def _screened(under: Plane, over: Plane) -> Plane:
    return np.asarray(cv2.bitwise_not(_multiplied(cv2.bitwise_not(under), cv2.bitwise_not(over))), dtype=np.uint8)  # type: ignore[arg-type]


def _hard_lit(under: Plane, over: Plane) -> Plane:
    dark = cv2.multiply(under, over, scale=2 / 255)
    light = cv2.bitwise_not(cv2.multiply(cv2.bitwise_not(under), cv2.bitwise_not(over), scale=2 / 255))
    lit = cv2.threshold(over, 127, 255, cv2.THRESH_BINARY)[1]
    return np.asarray(cv2.copyTo(light, lit, dark), dtype=np.uint8)


def _excluded(under: Plane, over: Plane) -> Plane:
    return np.asarray(cv2.subtract(_screened(under, over), _multiplied(under, over)), dtype=np.uint8)


_QUICK: dict[str, Callable[[Plane, Plane], object]] = {
    "multiply": _multiplied,
    "screen": _screened,
    "darken": cv2.min,
    "lighten": cv2.max,
    "difference": cv2.absdiff,
    "hard-light": _hard_lit,
    "overlay": lambda under, over: _hard_lit(over, under),
    "exclusion": _excluded,
    PLUS_LIGHTER: cv2.add,
}


def separable(blend: str, below: Values, above: Values) -> Values:
    """Return B(Cb, Cs) of a separable mode, for values of 0 to 1, by the formulas of section 9.1 of the specification."""
    cb, cs = (np.asarray(v, dtype=np.float64) for v in np.broadcast_arrays(below, above))
    return np.asarray(_separable(blend, cb, cs), dtype=np.float64)


def _separable(blend: str, cb: Values, cs: Values) -> object:
    if blend == "multiply":
        return cb * cs
    if blend == "screen":
        return cb + cs - cb * cs
    if blend == "overlay":
        return _separable("hard-light", cs, cb)
    if blend == "darken":
        return np.minimum(cb, cs)
    if blend == "lighten":
        return np.maximum(cb, cs)
    if blend == "color-dodge":
        dodged = np.minimum(1, cb / np.where(cs < 1, 1 - cs, 1))
        return np.where(cb == 0, 0.0, np.where(cs == 1, 1.0, dodged))
    if blend == "color-burn":
        burned = 1 - np.minimum(1, (1 - cb) / np.where(cs > 0, cs, 1))
        return np.where(cb == 1, 1.0, np.where(cs == 0, 0.0, burned))
    if blend == "hard-light":
        doubled = 2 * cs
        return np.where(cs <= 0.5, cb * doubled, cb + (doubled - 1) - cb * (doubled - 1))
    if blend == "soft-light":
        root = np.where(cb <= 0.25, ((16 * cb - 12) * cb + 4) * cb, np.sqrt(cb))
        return np.where(cs <= 0.5, cb - (1 - 2 * cs) * cb * (1 - cb), cb + (2 * cs - 1) * (root - cb))
    if blend == "difference":
        return np.abs(cb - cs)
    assert blend == "exclusion"
    return cb + cs - 2 * cb * cs


@lru_cache(16)
def _table(blend: str) -> Plane:
    """Return what becomes of a value of the backdrop and one of the source, in column backdrop and row source."""
    values = np.arange(256) / 255
    made = separable(blend, values[None, :], values[:, None])
    return np.asarray(np.round(255 * np.clip(made, 0, 1)), dtype=np.uint8)


def _gathered(table: Plane, under: Plane, over: Plane) -> Plane:
    """Return what a table of shape (256, 256) has for each pair of values: the fixed maps of OpenCV, column and row of 16 bits
    each, gather faster than indexing does."""
    rows = under.shape[0]
    flat = [plane.reshape(rows, -1) for plane in (under, over)]
    none = np.zeros_like(flat[0])
    where = (
        np.asarray(cv2.merge([flat[0], none, flat[1], none]), dtype=np.uint8).view(np.int16).reshape(*flat[0].shape, 2)
    )
    found = cv2.remap(table, where, None, cv2.INTER_NEAREST)  # type: ignore[call-overload]
    return np.asarray(found, dtype=np.uint8).reshape(under.shape)


def _non_separable(under: Plane, over: Plane, blend: str) -> Plane:
    """Return B(Cb, Cs) of a mode of section 9.2: SetLum, with ClipColor, of one of the two colours, after SetSat for hue
    and saturation.

    SetSat takes a colour c to k (c - min c), k the wanted saturation over its own, and SetLum moves it to the luminosity L:
    so every component becomes L + k (c - Lum c), before ClipColor draws it toward L by a factor where it leaves 0 to 255.
    """
    of, light = (over, under) if blend in ("hue", "color") else (under, over)
    light = under if blend != "luminosity" else light
    colour = of.astype(np.float32)
    lum = _lum(colour)
    level = lum if light is of else _lum(light.astype(np.float32))
    low, high = _ends(of)
    down, up, spread = cv2.subtract(lum, low, dtype=cv2.CV_32F), cv2.subtract(high, lum, dtype=cv2.CV_32F), None
    if blend in ("hue", "saturation"):
        other_low, other_high = _ends(under if blend == "hue" else over)
        spread = cv2.multiply(
            cv2.subtract(other_high, other_low), cv2.LUT(cv2.subtract(high, low), _SHARES), dtype=cv2.CV_32F
        )
        down, up = cv2.multiply(down, spread), cv2.multiply(up, spread)
    # How far it may go below L and above it, against how far it goes: both factors where both ends leave.
    room = cv2.subtract(_FULL, level)
    factor = cv2.multiply(
        cv2.min(cv2.divide(level, cv2.max(down, _LEAST)), _ONE), cv2.min(cv2.divide(room, cv2.max(up, _LEAST)), _ONE)
    )
    factor = factor if spread is None else cv2.multiply(factor, spread)
    planes = [cv2.add(level, cv2.multiply(cv2.subtract(c, lum), factor), dtype=cv2.CV_8U) for c in cv2.split(colour)]
    return np.asarray(cv2.merge(planes), dtype=np.uint8)


def _lum(colour: Colours) -> Colours:
    return np.asarray(cv2.transform(colour, _LUM), dtype=np.float32)


_LUM = np.array([[0.3, 0.59, 0.11]], np.float32)


# One over a saturation, none for none.
_SHARES = np.concatenate([[0.0], 1 / np.arange(1, 256)]).astype(np.float32)
_FULL = np.full(1, 255, np.float64)
_ONE, _LEAST = np.ones(1), np.full(1, 1e-6)


def _ends(colour: Plane) -> tuple[Plane, Plane]:
    """Return the least and the greatest component of each place."""
    r, g, b = cv2.split(colour)
    low, high = cv2.min(cv2.min(r, g), b), cv2.max(cv2.max(r, g), b)
    return np.asarray(low, dtype=np.uint8), np.asarray(high, dtype=np.uint8)
