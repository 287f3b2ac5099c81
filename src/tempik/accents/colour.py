"""Accents of colour. All but the channel split are tones: together they fold into one table and one small matrix."""

from __future__ import annotations

import math

import cv2
import numpy as np

from tempik.accents.accent import Accent, Moment, Values, number, words
from tempik.accents.look import SPLIT, Array, BentTone, Look
from tempik.media.paint import in_rgb
from tempik.media.picture import BLACK_Y, WHITE_Y, Picture, Plane, colour_yuv
from tempik.reel import Envelope, Length
from tempik.settings import Setting

MID_Y = (BLACK_Y + WHITE_Y) / 2


def drained(share: float, gain: float) -> BentTone:
    """Without colour, and with more contrast about a point below the middle, so that it does not just get brighter."""
    keep = 1 - share
    turn = BLACK_Y + 0.4 * (WHITE_Y - BLACK_Y)
    return BentTone(lambda y: turn + (1 + (gain - 1) * share) * (y - turn), ((keep, 0.0), (0.0, keep)))


def hit(amount: float) -> BentTone:
    """More contrast by an S about the middle that leaves black and white where they are."""

    def bend(y: Array) -> Array:
        x = np.clip((y - BLACK_Y) / (WHITE_Y - BLACK_Y), 0, 1)
        steep = 1 + 3 * amount
        s = np.where(x < 0.5, 0.5 * (2 * x) ** steep, 1 - 0.5 * (2 * (1 - x)) ** steep)
        return np.asarray(BLACK_Y + (WHITE_Y - BLACK_Y) * s)

    more = 1 + 0.35 * amount
    return BentTone(bend, ((more, 0.0), (0.0, more)))


def inverted(share: float) -> BentTone:
    """Return a tone that is turned about the middle, by a share of the way."""
    return BentTone(
        lambda y: y + (2 * MID_Y - 2 * y) * share,
        ((1 - 2 * share, 0.0), (0.0, 1 - 2 * share)),
    )


def hue_turned(degrees: float) -> BentTone:
    """Every colour turned about grey; light stays."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return BentTone(lambda y: y, ((c, -s), (s, c)))


def tinted(colour: str, share: float) -> BentTone:
    """Everything in one colour, as strong as the colour is."""
    _, u, v = colour_yuv(colour)
    return BentTone(lambda y: y, ((1 - share, 0.0), (0.0, 1 - share)), ((u - 128) * share, (v - 128) * share))


def posterised(levels: float, share: float) -> BentTone:
    """A few steps of light, each in the middle of what it stands for."""
    count = max(2, round(levels))

    def bend(y: Array) -> Array:
        x = np.clip((y - BLACK_Y) / (WHITE_Y - BLACK_Y), 0, 1 - 1e-9)
        stepped = np.floor(x * count) / (count - 1)
        return np.asarray(y + (BLACK_Y + (WHITE_Y - BLACK_Y) * stepped - y) * share)

    more = 1 + 0.5 * share
    return BentTone(bend, ((more, 0.0), (0.0, more)))


def channels_split(picture: Picture, distance: float, angle_deg: float) -> Picture:
    """Red one way, blue the other, green where it was."""
    width = picture.size[0]
    x, y = (distance * width * f(math.radians(angle_deg)) for f in (math.cos, math.sin))

    def apart(rgb: Plane) -> Plane:
        red, green, blue = cv2.split(rgb)
        size = rgb.shape[1::-1]
        out = []
        for plane, sign in ((red, 1.0), (green, 0.0), (blue, -1.0)):
            matrix = np.array([[1.0, 0, sign * x], [0, 1.0, sign * y]])
            out.append(plane if not sign else cv2.warpAffine(plane, matrix, size, borderMode=cv2.BORDER_REFLECT_101))
        return np.asarray(cv2.merge(out), dtype=np.uint8)

    return in_rgb(picture, apart)


def _mono(look: Look, at: Moment, values: Values) -> Look:
    return look.toned(drained, min(1.0, at.weight), number(values, "gain"))


def _hit(look: Look, at: Moment, values: Values) -> Look:
    return look.toned(hit, number(values, "amount") * at.weight)


def _invert(look: Look, at: Moment, values: Values) -> Look:
    return look.toned(inverted, min(1.0, at.weight))


def _hue(look: Look, at: Moment, values: Values) -> Look:
    return look.toned(hue_turned, number(values, "turn") * at.weight)


def _tint(look: Look, at: Moment, values: Values) -> Look:
    return look.toned(tinted, words(values, "colour"), min(1.0, number(values, "share") * at.weight))


def _posterise(look: Look, at: Moment, values: Values) -> Look:
    return look.toned(posterised, number(values, "levels"), min(1.0, at.weight))


def _split(look: Look, at: Moment, values: Values) -> Look:
    angle = number(values, "angle") if words(values, "way") == "set" else math.degrees(at.angle)
    return look.painted(SPLIT, channels_split, number(values, "distance") * at.weight, angle)


WAY = Setting("way", "direction", "set", choices=("set", "drawn by lot"))
ACCENTS = (
    Accent(
        "mono", "Mono", "colour", "colour goes out, contrast comes in",
        Envelope(decay=Length(300), fall=1.2), 0.2, _mono, (Setting("gain", "gain", 1.35, 0.5, 4, "×"),),
    ),
    Accent(
        "contrast", "Contrast hit", "colour", "hard blacks and whites on the point",
        Envelope(decay=Length(280), fall=1.5), 0.4, _hit, (Setting("amount", "amount", 0.7),),
    ),
    Accent(
        "invert", "Invert", "colour", "a negative for a moment",
        Envelope(hold=Length(2, "frames"), decay=Length(0)), 0.0, _invert,
    ),
    Accent(
        "hue", "Hue turn", "colour", "every colour turns and turns back",
        Envelope(decay=Length(420), fall=1.4), 0.3, _hue, (Setting("turn", "turn", 110.0, -180, 180, "°"),),
    ),
    Accent(
        "tint", "Tint", "colour", "everything in one colour",
        Envelope(decay=Length(320), fall=1.2), 0.3, _tint,
        (Setting("colour", "colour", "#e8632a"), Setting("share", "share", 0.85)),
    ),
    Accent(
        "posterise", "Posterise", "colour", "a few flat steps of light",
        Envelope(hold=Length(4, "frames"), decay=Length(120)), 0.0, _posterise,
        (Setting("levels", "steps", 4.0, 2, 12, "steps"),),
    ),
    Accent(
        "split", "Channel split", "colour", "red and blue leave the picture to both sides",
        Envelope(decay=Length(260), fall=1.8), 0.4, _split,
        (Setting("distance", "distance", 0.03, 0, 0.2), Setting("angle", "angle", 0.0, -180, 180, "°"), WAY),
    ),
)  # fmt: skip
