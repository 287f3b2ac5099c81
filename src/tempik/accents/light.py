"""Accents of light: flash, exposure kick, strobe."""

from __future__ import annotations

import cv2
import numpy as np

from tempik.accents.accent import Accent, Moment, Values, number, words
from tempik.accents.look import WASH, Array, BentTone, Look
from tempik.media.paint import in_rgb
from tempik.media.picture import BLACK_Y, WHITE_Y, Picture, Plane, colour_yuv
from tempik.reel import Envelope, Length
from tempik.settings import Setting

BLENDS = ("normal", "screen", "add", "overlay", "soft light")
# A stop doubles light; on a display of gamma 2.4 (Rec. ITU-R BT.1886) that multiplies code values by this.
STOP_GAIN = 2 ** (1 / 2.4)


def wash(colour: str, opacity: float) -> BentTone:
    """A colour laid over everything."""
    y, u, v = colour_yuv(colour)
    keep = 1 - opacity
    return BentTone(
        lambda x: x * keep + y * opacity, ((keep, 0.0), (0.0, keep)), ((u - 128) * opacity, (v - 128) * opacity)
    )


def exposed(stops: float) -> BentTone:
    """Brighter or darker by stops; what would be above white stays white."""
    gain = float(STOP_GAIN**stops)

    def bend(y: Array) -> Array:
        return np.minimum(BLACK_Y + gain * (y - BLACK_Y), max(WHITE_Y, float(y.max()) if gain <= 1 else WHITE_Y))

    return BentTone(bend, ((gain, 0.0), (0.0, gain)))


def blend_table(colour: str, mode: str, opacity: float) -> Plane:
    """Return what becomes of each value of R, G and B when a colour is laid over it, shape (256, 1, 3).

    The formulas are those of the W3C's Compositing and Blending Level 1; `add` is its plus-lighter for opaque pictures.
    """
    below = np.arange(256, dtype=np.float64) / 255
    out = np.zeros((256, 1, 3), np.uint8)
    for channel in range(3):
        over = int(colour[1 + 2 * channel : 3 + 2 * channel], 16) / 255
        if mode == "screen":
            mixed = below + over - below * over
        elif mode == "add":
            mixed = np.minimum(below + over, 1)
        elif mode == "overlay":  # hard light with the layers exchanged
            mixed = np.where(below <= 0.5, 2 * below * over, 1 - 2 * (1 - below) * (1 - over))
        elif mode == "soft light":
            bent = np.where(below <= 0.25, ((16 * below - 12) * below + 4) * below, np.sqrt(below))
            low = below - (1 - 2 * over) * below * (1 - below)
            mixed = low if over <= 0.5 else below + (2 * over - 1) * (bent - below)
        else:
            mixed = np.full(256, over)
        out[:, 0, channel] = np.round(255 * (below + (mixed - below) * opacity))
    return out


def lay_colour(picture: Picture, colour: str, mode: str, opacity: float) -> Picture:
    """Return a picture with a colour laid over it by a blend mode, `opacity` 0 to 1."""
    table = blend_table(colour, mode, opacity)
    return in_rgb(picture, lambda rgb: np.asarray(cv2.LUT(rgb, table), dtype=np.uint8))


def _flash(look: Look, at: Moment, values: Values) -> Look:
    opacity = min(1.0, number(values, "opacity") * at.weight)
    colour, mode = words(values, "colour"), words(values, "blend")
    if mode == "normal":
        return look.toned(wash, colour, opacity)
    return look.painted(WASH, lay_colour, colour, mode, opacity)


def _kick(look: Look, at: Moment, values: Values) -> Look:
    return look.toned(exposed, number(values, "stops") * at.weight)


def _strobe(look: Look, at: Moment, values: Values) -> Look:
    lit = int(at.since // max(1.0, number(values, "frames"))) % 2 == 0
    return look.toned(wash, words(values, "colour"), min(1.0, number(values, "opacity") * at.weight)) if lit else look


FLASH_PEAK = 0.75  # a one-frame solid at about three quarters (common practice)
ACCENTS = (
    Accent(
        "flash", "Flash", "light", "a colour over the picture, gone in a quarter of a second",
        Envelope(decay=Length(233)), 0.4, _flash,
        (
            Setting("opacity", "opacity at the peak", FLASH_PEAK),
            Setting("colour", "colour", "#ffffff"),
            Setting("blend", "laid over as", "normal", choices=BLENDS),
        ),
    ),
    Accent(
        "kick", "Exposure kick", "light", "a stop brighter on the point, falling back",
        Envelope(decay=Length(260)), 0.4, _kick,
        (Setting("stops", "stops", 1.0, -4, 4, "stops"),),
    ),
    Accent(
        "strobe", "Strobe", "light", "a colour on and off every few frames",
        Envelope(hold=Length(10, "frames"), decay=Length(0)), 0.2, _strobe,
        (
            Setting("opacity", "opacity", 0.85),
            Setting("frames", "frames lit", 2.0, 1, 15, "frames"),
            Setting("colour", "colour", "#ffffff"),
        ),
    ),
)  # fmt: skip
