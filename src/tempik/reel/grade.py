"""A grade: what is done to colour, of footage, of a clip, of an adjust clip, of the whole reel.

Amounts are neutral at the value that a new grade has; their bounds stand in `AMOUNTS`. Values of pictures are those that are
displayed, 0 black to 1 white (BT.709 primaries, BT.1886 display).
"""

from __future__ import annotations

from typing import Literal

import msgspec

from tempik.reel.lanes import MediaPath
from tempik.settings import Setting, by_name

# A point of a curve: where, and what becomes of it.
Dot = tuple[float, float]
Curve1 = tuple[Dot, ...]


class Wheel(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A push towards a colour, (x, y) on a disc of radius 1 with red to the right and hues counter-clockwise, and how much lighter."""

    x: float = 0.0
    y: float = 0.0
    level: float = 0.0


class Grade(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """One grade, in the order in which its parts act: a LUT; exposure (stops of light) and white; tones; the three-way balance;
    curves; colour; monochrome, split tone and lifted blacks; then what needs more than the place itself: fringe, soft focus,
    glow, sharpening, vignette, grain.

    `amount` is how much of all of it shows, 0 to 1.5. Curves go through their points, whatever lies before the first and after
    the last held; none is the identity. Of the hue curves a point is a hue in degrees and what is added there: to saturation
    as a share, to hue in degrees. What of a newer version is not known is kept by `name`.
    """

    lut: MediaPath = ""
    lut_amount: float = 1.0
    exposure: float = 0.0
    temperature: float = 0.0
    tint: float = 0.0
    contrast: float = 0.0
    blacks: float = 0.0
    shadows: float = 0.0
    highlights: float = 0.0
    whites: float = 0.0
    dark_wheel: Wheel = Wheel()
    middle_wheel: Wheel = Wheel()
    light_wheel: Wheel = Wheel()
    luma_curve: Curve1 = ()
    red_curve: Curve1 = ()
    green_curve: Curve1 = ()
    blue_curve: Curve1 = ()
    saturation: float = 1.0
    gentle: float = 0.0
    hue_deg: float = 0.0
    hue_saturation: Curve1 = ()
    hue_hue: Curve1 = ()
    mono: float = 0.0
    mono_red: float = 0.2126
    mono_green: float = 0.7152
    mono_blue: float = 0.0722
    split: float = 0.0
    split_dark: str = "#2060a0"
    split_light: str = "#e0a040"
    fade: float = 0.0
    fringe: float = 0.0
    soft: float = 0.0
    soft_size: float = 0.006
    glow: float = 0.0
    glow_from: float = 0.7
    glow_size: float = 0.02
    sharpen: float = 0.0
    sharpen_size: float = 0.0012
    vignette: float = 0.0
    vignette_size: float = 0.6
    grain: float = 0.0
    grain_size: float = 1.5
    grain_colour: float = 0.0
    grain_seed: int = 1
    amount: float = 1.0


def _amount(name: str, low: float, high: float, title: str, unit: str, does: str) -> Setting:
    """Return a number of a grade: it does nothing at its default, and is typed finely where it does not go far."""
    most = high * (100 if unit.startswith("%") else 1)
    digits = 2 if most <= 6 else 1 if most <= 10 else 0
    step = 0.05 if digits == 2 else 1
    return Setting(name, title, getattr(NEUTRAL, name), low, high, unit, does=does, digits=digits, step=step)


NEUTRAL = Grade()
AMOUNTS = by_name(
    _amount("amount", 0, 1.5, "amount", "%", "how much of all of it shows"),
    _amount("lut_amount", 0, 1, "of the LUT", "%", "how much of the LUT shows"),
    _amount("exposure", -6, 6, "exposure", "stops", "light doubled with each stop"),
    _amount("temperature", -1, 1, "warmth", "%", "colder or warmer, along daylight"),
    _amount("tint", -1, 1, "green–magenta", "%", "across daylight: green below 0, magenta above"),
    _amount("contrast", -1, 1, "contrast", "%", "about middle grey"),
    _amount("blacks", -1, 1, "blacks", "%", "the darkest end"),
    _amount("shadows", -1, 1, "shadows", "%", "what is dark, black staying"),
    _amount("highlights", -1, 1, "highlights", "%", "what is bright, white staying"),
    _amount("whites", -1, 1, "whites", "%", "the brightest end"),
    _amount("saturation", 0, 3, "saturation", "%", "all colours alike"),
    _amount("gentle", -1, 1, "gentle saturation", "%", "pale colours more than strong ones"),
    _amount("hue_deg", -180, 180, "hue", "°", "all hues turned"),
    _amount("mono", 0, 1, "monochrome", "%", "grey, mixed of red, green and blue"),
    _amount("mono_red", -1, 2, "of red", "%", "how much of red goes into the grey"),
    _amount("mono_green", -1, 2, "of green", "%", "how much of green goes into the grey"),
    _amount("mono_blue", -1, 2, "of blue", "%", "how much of blue goes into the grey"),
    _amount("split", 0, 1, "split tone", "%", "dark parts to one colour, light ones to another"),
    _amount("fade", 0, 1, "lifted blacks", "%", "blacks as an old print has them"),
    _amount("fringe", 0, 0.02, "colour fringe", "% of width", "red and blue drawn apart towards the edges"),
    _amount("soft", 0, 1, "soft focus", "%", "a soft picture laid over the sharp one"),
    _amount("soft_size", 0.001, 0.05, "softness", "% of width", "how soft that is"),
    _amount("glow", 0, 1, "glow", "%", "bright parts spread light about them"),
    _amount("glow_from", 0, 0.98, "glows from", "%", "how bright a part must be"),
    _amount("glow_size", 0.002, 0.1, "reach", "% of width", "how far the light goes"),
    _amount("sharpen", 0, 3, "sharpen", "%", "edges of fine detail made stronger"),
    _amount("sharpen_size", 0.0004, 0.01, "detail", "% of width", "how fine the detail is"),
    _amount("vignette", -1, 1, "vignette", "%", "corners darker, below 0 lighter"),
    _amount("vignette_size", 0, 1, "clear middle", "%", "how far the middle stays as it is"),
    _amount("grain", 0, 1, "grain", "%", "of film, another on each frame"),
    _amount("grain_size", 0.5, 6, "coarseness", "", "of the grain, in thousandths of the width"),
    _amount("grain_colour", 0, 1, "coloured", "%", "how much the grain has colours"),
)

PartOf = Literal["LUT", "light", "white", "balance", "curves", "colour", "effects"]
# What can be pasted, or set back, by itself.
PARTS: dict[PartOf, tuple[str, ...]] = {
    "LUT": ("lut", "lut_amount"),
    "light": ("exposure", "contrast", "blacks", "shadows", "highlights", "whites", "fade"),
    "white": ("temperature", "tint"),
    "balance": ("dark_wheel", "middle_wheel", "light_wheel"),
    "curves": ("luma_curve", "red_curve", "green_curve", "blue_curve"),
    "colour": (
        "saturation", "gentle", "hue_deg", "hue_saturation", "hue_hue", "mono", "mono_red", "mono_green", "mono_blue",
        "split", "split_dark", "split_light",
    ),
    "effects": (
        "fringe", "soft", "soft_size", "glow", "glow_from", "glow_size", "sharpen", "sharpen_size", "vignette", "vignette_size",
        "grain", "grain_size", "grain_colour", "grain_seed",
    ),
}  # fmt: skip
CURVES = ("luma_curve", "red_curve", "green_curve", "blue_curve")
HUE_CURVES: dict[str, tuple[float, float]] = {"hue_saturation": (-1.0, 2.0), "hue_hue": (-180.0, 180.0)}
WHEELS = ("dark_wheel", "middle_wheel", "light_wheel")
MOST_DOTS = 64


class ColourOf(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """How a file's values are meant, where a person says otherwise than the file: its matrix, its range and its light; ''
    is as the file says."""

    matrix: Literal["", "bt601", "bt709", "bt2020"] = ""
    range: Literal["", "limited", "full"] = ""
    light: Literal["", "standard", "pq", "hlg"] = ""
