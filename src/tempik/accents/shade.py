"""Accents that darken or cover parts of the frame: vignette, letterbox, bar wipe, half frame, strip."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from tempik.accents.accent import Accent, Moment, Values, drawn, number, words
from tempik.accents.look import SHADE, Look
from tempik.media.paint import darkened, filled
from tempik.media.picture import Picture, Plane, colour_yuv, solid
from tempik.reel import Envelope, Length
from tempik.settings import Setting

BLACK = (16, 128, 128)


@lru_cache(24)
def _vignette_mask(width: int, height: int, amount_64: int) -> Plane:
    x = (np.arange(width, dtype=np.float32) + 0.5) / width * 2 - 1
    y = (np.arange(height, dtype=np.float32) + 0.5) / height * 2 - 1
    r2 = (x * x)[None, :] + (y * y)[:, None]
    dark = np.clip((r2 - 0.25) / 1.35, 0, 1) ** 1.1
    return np.asarray(np.round(255 * np.clip(1 - amount_64 / 64 * dark, 0, 1)), dtype=np.uint8)


def vignetted(picture: Picture, amount: float) -> Picture:
    """Return a picture darker towards its corners, `amount` 0 to 2."""
    return darkened(picture, _vignette_mask(*picture.size, round(64 * min(amount, 2.0))))


def barred(picture: Picture, share: float) -> Picture:
    """Black bars at top and bottom, each a share of the frame's height."""
    width, height = picture.size
    height_px = round(height * min(share, 0.5))
    return filled(
        filled(picture, (0, 0, width, height_px), BLACK, 1.0), (0, height - height_px, width, height), BLACK, 1.0
    )


def crossed(picture: Picture, colour: str, share: float, place: float, way: str) -> Picture:
    """A bar of a colour whose middle lies at `place` of the frame, 0 to 1 and beyond."""
    width, height = picture.size
    long = height if way in ("down", "up") else width
    a, b = (round(long * min(max(place + side * share / 2, 0), 1)) for side in (-1, 1))
    if way in ("left", "up"):
        a, b = long - b, long - a
    box = (0, a, width, b) if way in ("down", "up") else (a, 0, b, height)
    return filled(picture, box, colour_yuv(colour), 1.0) if b > a else picture


def half_dark(picture: Picture, side: str, opacity: float) -> Picture:
    """Return a picture with one half darkened: `side` is left, right, top or bottom, `opacity` 0 to 1."""
    width, height = picture.size
    box = {
        "left": (0, 0, width // 2, height), "right": (width // 2, 0, width, height),
        "top": (0, 0, width, height // 2), "bottom": (0, height // 2, width, height),
    }[side]  # fmt: skip
    return filled(picture, box, BLACK, opacity)


def stripped(picture: Picture, place: float, share: float, by: float, ground: float) -> Picture:
    """Only a strip of the picture, pushed sideways; the rest is black, or as light as `ground` leaves it."""
    width, height = picture.size
    out = filled(picture, (0, 0, width, height), BLACK, 1 - ground) if ground > 0 else solid(width, height)
    planes = []
    for number_, (below, plane) in enumerate(zip(out, picture, strict=True)):
        a = 1 if number_ == 0 else 2
        top = round(height * max(place - share / 2, 0)) // 2 * 2 // a
        bottom = round(height * min(place + share / 2, 1)) // 2 * 2 // a
        made = below.copy()
        made[top:bottom] = np.roll(plane[top:bottom], round(by * width / 2) * 2 // a, axis=1)
        planes.append(made)
    return Picture(*planes)


def _vignette(look: Look, at: Moment, values: Values) -> Look:
    flicker = number(values, "flicker")
    # At the point the flicker is at its strongest; a cosine keeps it there.
    part = 1 - flicker * 0.5 * (1 - math.cos(2 * math.pi * number(values, "hz") * at.since_s))
    return look.painted(SHADE, vignetted, number(values, "amount") * at.weight * part)


def _bars(look: Look, at: Moment, values: Values) -> Look:
    return look.painted(SHADE, barred, number(values, "height") * min(1.0, at.weight))


def _wipe(look: Look, at: Moment, values: Values) -> Look:
    share = number(values, "width") * min(1.5, at.weight / max(at.level, 1e-6))
    gone = (1 - at.level) * (0.5 + share / 2)
    place = 0.5 + gone if at.since >= 0 else 0.5 - gone
    way = words(values, "way")
    if way == "by turns":
        way = "right" if at.turn % 2 == 0 else "left"
    return look.painted(SHADE, crossed, words(values, "colour"), share, place, way)


def _half(look: Look, at: Moment, values: Values) -> Look:
    side = words(values, "side")
    if side == "by turns":
        side = ("left", "right")[at.turn % 2]
    return look.painted(SHADE, half_dark, side, min(1.0, number(values, "dark") * at.weight))


def _strip(look: Look, at: Moment, values: Values) -> Look:
    place = number(values, "place")
    if words(values, "where") == "drawn by lot":
        place = 0.2 + 0.6 * drawn(at.seed, "strip")
    by = number(values, "by") * at.weight * (1 if at.turn % 2 == 0 else -1)
    return look.painted(SHADE, stripped, place, number(values, "height"), by, max(0.0, 1 - at.weight))


ACCENTS = (
    Accent(
        "vignette", "Vignette flicker", "shade", "the corners close in and flicker",
        Envelope(decay=Length(420), fall=1.2), 0.4, _vignette,
        (
            Setting("amount", "amount", 1.0, 0, 2),
            Setting("flicker", "flicker", 0.4),
            Setting("hz", "flickers a second", 9.0, 1, 30, "Hz"),
        ),
    ),
    Accent(
        "letterbox", "Letterbox", "shade", "bars close from top and bottom, and open again",
        Envelope(lead=Length(4, "frames"), hold=Length(2, "frames"), decay=Length(320), rise=1.0, fall=1.4), 0.0, _bars,
        (Setting("height", "of the height, each", 0.14, 0, 0.5),),
    ),
    Accent(
        "wipe", "Bar wipe", "shade", "a bar crosses the frame, in its middle on the point",
        Envelope(lead=Length(5, "frames"), decay=Length(5, "frames"), rise=1.0, fall=1.0), 0.0, _wipe,
        (
            Setting("width", "width of the bar", 0.35, 0.02, 1),
            Setting("colour", "colour", "#101010"),
            Setting("way", "which way", "right", choices=("right", "left", "down", "up", "by turns")),
        ),
    ),
    Accent(
        "half", "Half dark", "shade", "one half of the frame goes dark",
        Envelope(hold=Length(2, "frames"), decay=Length(0)), 0.0, _half,
        (
            Setting("dark", "how dark", 0.8),
            Setting("side", "which half", "by turns", choices=("by turns", "left", "right", "top", "bottom")),
        ),
    ),
    Accent(
        "strip", "Strip", "shade", "only a strip of the picture, pushed aside",
        Envelope(hold=Length(2, "frames"), decay=Length(0)), 0.0, _strip,
        (
            Setting("height", "height", 0.3, 0.05, 1),
            Setting("place", "how far down", 0.5),
            Setting("by", "pushed by", 0.12, -0.5, 0.5),
            Setting("where", "place", "drawn by lot", choices=("drawn by lot", "set")),
        ),
    ),
)  # fmt: skip
