"""How a picture is laid over another: the sixteen blend modes of the W3C's *Compositing and Blending Level 1*, and its
plus-lighter, on the displayed values of red, green and blue. Names are the specification's."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.media.paint import blended, in_rgb
from tempik.media.picture import Picture, Plane, to_rgb

Values = NDArray[np.float64]
Colours = NDArray[np.float32]

SEPARABLE = (
    "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light", "soft-light",
    "difference", "exclusion",
)  # fmt: skip
NON_SEPARABLE = ("hue", "saturation", "color", "luminosity")
PLUS_LIGHTER = "plus-lighter"
BLENDS = ("normal", *SEPARABLE, *NON_SEPARABLE, PLUS_LIGHTER)


def laid_by(below: Picture, above: Picture, blend: str, share: Plane) -> Picture:
    """Return a picture laid over another of its size by a mode of BLENDS (one that is not known is "normal"), as far as
    `share`, shape of `y`, lets it: 255 wholly."""
    if blend == PLUS_LIGHTER:
        part = cv2.merge([share, share, share])
        light = np.asarray(cv2.multiply(to_rgb(above), part, scale=1 / 255), dtype=np.uint8)
        return in_rgb(below, lambda under: np.asarray(cv2.add(under, light), dtype=np.uint8))
    return blended(below, laid(below, above, blend), share)


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
        pairs = cv2.merge([under.reshape(-1), over.reshape(-1)]).reshape(-1).view("<u2")
        return np.take(_table(blend), pairs).reshape(under.shape)
    return _non_separable(under, over, blend)


def _multiplied(under: Plane, over: Plane) -> Plane:
    return np.asarray(cv2.multiply(under, over, scale=1 / 255), dtype=np.uint8)


def _screened(under: Plane, over: Plane) -> Plane:
    return np.asarray(cv2.bitwise_not(_multiplied(cv2.bitwise_not(under), cv2.bitwise_not(over))), dtype=np.uint8)  # type: ignore[arg-type]


_QUICK: dict[str, Callable[[Plane, Plane], object]] = {
    "multiply": _multiplied,
    "screen": _screened,
    "darken": cv2.min,
    "lighten": cv2.max,
    "difference": cv2.absdiff,
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
    """Return what becomes of a value of the backdrop and one of the source, at place backdrop + 256 × source."""
    values = np.arange(256) / 255
    made = separable(blend, values[None, :], values[:, None])
    return np.asarray(np.round(255 * np.clip(made, 0, 1)), dtype=np.uint8).reshape(-1)


# Lum, Sat, SetLum and SetSat of section 9.2.

_WEIGHTS = np.array([0.3, 0.59, 0.11], np.float32)


def _lum(colours: Colours) -> Colours:
    return np.asarray(colours @ _WEIGHTS, dtype=np.float32)


def _with_lum(colours: Colours, lum: Colours) -> Colours:
    """SetLum, with ClipColor: the colour moved to a luminosity, then drawn toward it where it leaves 0 to 1."""
    moved = colours + (lum - _lum(colours))[..., None]
    light = lum[..., None]
    low, high = moved.min(axis=-1, keepdims=True), moved.max(axis=-1, keepdims=True)
    with np.errstate(divide="ignore", invalid="ignore"):
        moved = np.where(low < 0, light + (moved - light) * light / np.maximum(light - low, 1e-9), moved)
        moved = np.where(high > 1, light + (moved - light) * (1 - light) / np.maximum(high - light, 1e-9), moved)
    return np.asarray(moved, dtype=np.float32)


def _sat(colours: Colours) -> Colours:
    return np.asarray(colours.max(axis=-1) - colours.min(axis=-1), dtype=np.float32)


def _with_sat(colours: Colours, sat: Colours) -> Colours:
    """SetSat: the least component becomes 0, the greatest the saturation, the middle one keeps its place between."""
    low = colours.min(axis=-1, keepdims=True)
    span = _sat(colours)[..., None]
    return np.asarray(np.where(span > 0, (colours - low) / np.maximum(span, 1e-9) * sat[..., None], 0), np.float32)


def non_separable(blend: str, below: Colours, above: Colours) -> Colours:
    """Return B(Cb, Cs) of a mode of NON_SEPARABLE, for colours of 0 to 1, shape (…, 3)."""
    if blend == "hue":
        return _with_lum(_with_sat(above, _sat(below)), _lum(below))
    if blend == "saturation":
        return _with_lum(_with_sat(below, _sat(above)), _lum(below))
    if blend == "color":
        return _with_lum(above, _lum(below))
    return _with_lum(below, _lum(above))


def _non_separable(under: Plane, over: Plane, blend: str) -> Plane:
    below, above = (np.asarray(c / np.float32(255), dtype=np.float32) for c in (under, over))
    made = non_separable(blend, below, above)
    return np.asarray(np.round(255 * np.clip(made, 0, 1)), dtype=np.uint8)
