"""Accents of geometry that no affine can express: bulge, pinch, ripple, fold, slices, blocks."""

from __future__ import annotations

import math

import numpy as np

from tempik.accents.accent import Accent, Moment, Values, drawn, number, words
from tempik.accents.look import BLOCKS, LENS, Look
from tempik.media.paint import Field, blocks, grid, remapped
from tempik.media.picture import Picture
from tempik.reel import Envelope, Length
from tempik.settings import Setting


def bulged(picture: Picture, focus: tuple[float, float], amount: float) -> Picture:
    """The middle swells (amount above 0) or shrinks. It fades out before the frame's edge, which stays in place."""
    width, height = picture.size
    gx, gy = grid(width, height)
    cx, cy = width * (0.5 + focus[0]), height / 2 + focus[1] * width
    dx, dy = gx - cx, gy - cy
    reach = 0.75 * width
    r = np.minimum(np.hypot(dx, dy) / reach, 1)
    # Read nearer to the middle than is shown: larger there.
    scale = 1 - amount * (1 - r * r) ** 2
    return remapped(picture, _field(cx + dx * scale), _field(cy + dy * scale))


def rippled(picture: Picture, focus: tuple[float, float], size: float, wave: float, phase: float) -> Picture:
    """Rings that run outward from the focus."""
    width, height = picture.size
    gx, gy = grid(width, height)
    cx, cy = width * (0.5 + focus[0]), height / 2 + focus[1] * width
    dx, dy = gx - cx, gy - cy
    r = np.hypot(dx, dy)
    swing = size * width * np.sin(2 * math.pi * (r / (wave * width) - phase))
    part = swing / np.maximum(r, 0.02 * width)
    return remapped(picture, _field(gx + dx * part), _field(gy + dy * part))


def folded_over(picture: Picture, side: str, share: float) -> Picture:
    """One side mirrored onto the other, about a line that comes in from the edge to the middle."""
    planes = []
    for plane in picture:
        flat = plane.T if side in ("top", "bottom") else plane
        flat = flat[:, ::-1] if side in ("right", "bottom") else flat
        made = flat.copy()
        wide = flat.shape[1]
        cover = min(round(wide * share / 2), wide // 2)
        if cover:
            line = wide - cover
            made[:, line:] = flat[:, line - cover : line][:, ::-1]
        made = made[:, ::-1] if side in ("right", "bottom") else made
        planes.append(np.ascontiguousarray(made.T if side in ("top", "bottom") else made))
    return Picture(*planes)


def sliced(picture: Picture, count: int, size: float, along: str, seed: int) -> Picture:
    """Bands of the picture pushed to one side and the other, each as far as it was drawn."""
    planes = []
    for plane in picture:
        flat = plane.T if along == "up and down" else plane
        made = np.empty_like(flat)
        height_px, wide = flat.shape
        edges = [round(height_px * i / count) for i in range(count + 1)]
        for i, (a, b) in enumerate(zip(edges, edges[1:], strict=False)):
            by = round((2 * drawn(seed, ("slice", i)) - 1) * size * wide)
            made[a:b] = np.roll(flat[a:b], by, axis=1)
        planes.append(np.ascontiguousarray(made.T if along == "up and down" else made))
    return Picture(*planes)


def blocked(picture: Picture, size: float) -> Picture:
    """Return a picture in square blocks of `size` shares of its width."""
    return blocks(picture, size * picture.size[0])


def _field(values: Field) -> Field:
    return np.asarray(values, dtype=np.float32)


def _bulge(look: Look, at: Moment, values: Values) -> Look:
    return look.painted(LENS, bulged, at.focus, min(0.85, number(values, "amount") * at.weight))


def _pinch(look: Look, at: Moment, values: Values) -> Look:
    return look.painted(LENS, bulged, at.focus, -number(values, "amount") * at.weight)


def _ripple(look: Look, at: Moment, values: Values) -> Look:
    phase = number(values, "pace") * at.since_s
    return look.painted(LENS, rippled, at.focus, number(values, "size") * at.weight, number(values, "wave"), phase)


def _fold(look: Look, at: Moment, values: Values) -> Look:
    side = words(values, "side")
    if side == "by turns":
        side = "left" if at.turn % 2 == 0 else "right"
    return look.painted(LENS, folded_over, side, min(1.0, at.weight))


def _slices(look: Look, at: Moment, values: Values) -> Look:
    # Drawn anew every other frame, so that a longer pulse flickers.
    seed = at.seed + int(at.since // 2)
    return look.painted(
        LENS, sliced, round(number(values, "count")), number(values, "size") * at.weight, words(values, "along"), seed
    )


def _blocks(look: Look, at: Moment, values: Values) -> Look:
    return look.painted(BLOCKS, blocked, number(values, "size") * at.weight)


ACCENTS = (
    Accent(
        "bulge", "Lens bulge", "lens", "the middle swells toward you",
        Envelope(decay=Length(320), fall=2.0), 0.4, _bulge, (Setting("amount", "amount", 0.34, 0, 0.85),), placed=True,
    ),
    Accent(
        "pinch", "Lens pinch", "lens", "the middle is drawn in",
        Envelope(decay=Length(320), fall=2.0), 0.4, _pinch, (Setting("amount", "amount", 0.5, 0, 2),), placed=True,
    ),
    Accent(
        "ripple", "Ripple", "lens", "rings run outward from the focus",
        Envelope(decay=Length(520), fall=1.4), 0.4, _ripple,
        (
            Setting("size", "height of the waves", 0.026, 0, 0.2),
            Setting("wave", "from ring to ring", 0.22, 0.03, 1),
            Setting("pace", "rings a second", 3.0, 0, 12, "Hz"),
        ),
        placed=True,
    ),
    Accent(
        "fold", "Mirrored fold", "lens", "one side is mirrored onto the other",
        Envelope(hold=Length(4, "frames"), decay=Length(200), fall=1.0), 0.0, _fold,
        (Setting("side", "which side stays", "left", choices=("left", "right", "top", "bottom", "by turns")),),
    ),
    Accent(
        "slices", "Slices", "lens", "bands of the picture jump to the sides",
        Envelope(hold=Length(3, "frames"), decay=Length(100)), 0.3, _slices,
        (
            Setting("count", "bands", 11.0, 2, 60, "bands"),
            Setting("size", "how far", 0.12, 0, 0.5),
            Setting("along", "along", "across", choices=("across", "up and down")),
        ),
    ),
    Accent(
        "blocks", "Pixel blocks", "lens", "the picture falls into blocks",
        Envelope(decay=Length(300), fall=1.4), 0.3, _blocks, (Setting("size", "size of a block", 0.055, 0, 0.3),),
    ),
)  # fmt: skip
