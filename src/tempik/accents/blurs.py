"""Accents of blur: directional, soft, zoom and spin."""

from __future__ import annotations

import math

import numpy as np

from tempik.accents.accent import Accent, Moment, Values, number, words
from tempik.accents.look import BLUR, Look
from tempik.media.paint import joined, lead_in, scaled_about, softened, swept, warped
from tempik.media.picture import Picture
from tempik.reel import Envelope, Length
from tempik.settings import Setting


def streaked(picture: Picture, length: float, angle_deg: float) -> Picture:
    """Blur along a direction, evenly to both sides."""
    width = picture.size[0]
    x, y = (length * width * f(math.radians(angle_deg)) for f in (math.cos, math.sin))
    way = np.array([[1.0, 0, x], [0, 1.0, y]])
    first = lead_in(way, picture.size)
    first[:, 2] -= (x / 2, y / 2)
    return swept(warped(picture, np.round(first)), way)


def hazed(picture: Picture, radius: float) -> Picture:
    """Return a picture blurred by `radius` shares of its width."""
    return softened(picture, radius * picture.size[0])


def turned_about(picture: Picture, focus: tuple[float, float], scale: float, turn_deg: float) -> Picture:
    """Blur from the picture to itself scaled and turned about a focus."""
    width, height = picture.size
    x, y = width * (0.5 + focus[0]), height / 2 + focus[1] * width
    way = scaled_about(x, y, scale, turn_deg)
    begin = scaled_about(x, y, 1.0, -turn_deg / 2)
    return swept(warped(picture, joined(lead_in(way, picture.size), begin)), way)


def _streak(look: Look, at: Moment, values: Values) -> Look:
    angle = number(values, "angle") if words(values, "way") == "set" else math.degrees(at.angle)
    return look.painted(BLUR, streaked, number(values, "length") * at.weight, angle)


def _haze(look: Look, at: Moment, values: Values) -> Look:
    return look.painted(BLUR, hazed, number(values, "radius") * at.weight)


def _rush(look: Look, at: Moment, values: Values) -> Look:
    return look.painted(BLUR, turned_about, at.focus, 1 + number(values, "reach") * at.weight, 0.0)


def _spin(look: Look, at: Moment, values: Values) -> Look:
    return look.painted(BLUR, turned_about, at.focus, 1.0, number(values, "turn") * at.weight)


ACCENTS = (
    Accent(
        "streak", "Directional blur", "blur", "smeared along one direction, sharp again at once",
        Envelope(decay=Length(260), fall=1.8), 0.4, _streak,
        (
            Setting("length", "length", 0.16, 0, 1),
            Setting("angle", "angle", 0.0, -180, 180, "°"),
            Setting("way", "direction", "set", choices=("set", "drawn by lot")),
        ),
    ),
    Accent(
        "haze", "Soft blur", "blur", "out of focus on the point, sharp before the next",
        Envelope(decay=Length(300), fall=1.6), 0.4, _haze,
        (Setting("radius", "radius", 0.022, 0, 0.2),),
    ),
    Accent(
        "rush", "Zoom blur", "blur", "smeared outward from the focus",
        Envelope(decay=Length(280), fall=1.8), 0.4, _rush,
        (Setting("reach", "reach", 0.14, 0, 0.8),),
        placed=True,
    ),
    Accent(
        "spin", "Spin blur", "blur", "smeared round the focus",
        Envelope(decay=Length(280), fall=1.8), 0.4, _spin,
        (Setting("turn", "turn", 9.0, 0, 60, "°"),),
        placed=True,
    ),
)  # fmt: skip
