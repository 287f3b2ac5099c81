"""Looks that come with the program: grades as data, called after what they do."""

from __future__ import annotations

from typing import NamedTuple

from tempik.reel.grade import Grade, Wheel


class ReadyLook(NamedTuple):
    """A look: its name, in one line what it does, and the grade that it is."""

    name: str
    does: str
    grade: Grade


LOOKS: tuple[ReadyLook, ...] = (
    ReadyLook("Clear day", "a little more of everything: light, contrast, colour", Grade(
        exposure=0.12, contrast=0.2, gentle=0.35, highlights=-0.15, shadows=0.1, sharpen=0.35,
    )),
    ReadyLook("Embers", "warm and dense, shadows towards rust", Grade(
        temperature=0.32, contrast=0.22, blacks=-0.12, saturation=1.08, dark_wheel=Wheel(0.1, 0.02, -0.02),
        light_wheel=Wheel(0.05, 0.04, 0.0), vignette=0.3, glow=0.22, glow_from=0.72,
    )),
    ReadyLook("Cold steel", "blue in the dark, little colour, hard light", Grade(
        temperature=-0.3, contrast=0.32, saturation=0.72, dark_wheel=Wheel(-0.05, -0.1, 0.0), highlights=-0.1, sharpen=0.5,
    )),
    ReadyLook("Quench", "dark parts to sea green, skin and fire stay warm", Grade(
        contrast=0.24, split=0.55, split_dark="#0d5a6b", split_light="#f0a860", gentle=0.15, vignette=0.2,
        hue_saturation=((20.0, 0.12), (110.0, -0.35), (190.0, 0.05), (280.0, -0.25)),
    )),
    ReadyLook("Evening gold", "low sun: golden lights, soft and glowing", Grade(
        temperature=0.24, tint=0.05, highlights=-0.2, shadows=0.18, light_wheel=Wheel(0.06, 0.07, 0.02), gentle=0.3, soft=0.25, glow=0.35,
        glow_from=0.6,
    )),
    ReadyLook("North light", "cool, even and clean, as beside a tall window", Grade(
        temperature=-0.14, exposure=0.15, highlights=-0.25, shadows=0.25, contrast=0.05, saturation=0.88, whites=0.08,
    )),
    ReadyLook("Ash", "pale colours, lifted blacks, nothing loud", Grade(
        saturation=0.62, fade=0.55, contrast=-0.08, highlights=-0.2, temperature=-0.05, grain=0.15,
    )),
    ReadyLook("Old print", "faded, warm in the lights, green in the dark, grain", Grade(
        fade=0.8, contrast=0.12, saturation=0.8, split=0.5, split_dark="#2c5a4a", split_light="#f2c27a", grain=0.4, grain_size=2.0,
        vignette=0.25, soft=0.1,
    )),
    ReadyLook("Lamp oil", "a dim room lit by one lamp", Grade(
        exposure=-0.45, temperature=0.42, contrast=0.18, saturation=0.92, highlights=0.2, vignette=0.55, vignette_size=0.35, grain=0.2,
    )),
    ReadyLook("Chalk", "bright and airy, soft colours, white whites", Grade(
        exposure=0.45, contrast=-0.12, highlights=-0.1, shadows=0.25, saturation=0.82, gentle=0.1, soft=0.3, vignette=-0.15,
    )),
    ReadyLook("Ink", "black and white, hard, reds light", Grade(
        mono=1.0, mono_red=0.45, mono_green=0.45, mono_blue=0.1, contrast=0.42, blacks=-0.1, grain=0.25, vignette=0.25,
    )),
    ReadyLook("Soot", "black and white, deep and soft, a warm breath in the lights", Grade(
        mono=1.0, mono_red=0.3, mono_green=0.5, mono_blue=0.2, exposure=-0.2, contrast=0.12, fade=0.45, split=0.25, split_dark="#303848",
        split_light="#d8b890", grain=0.45, grain_size=1.8, soft=0.15,
    )),
)  # fmt: skip


def ready_look(name: str) -> ReadyLook | None:
    """Return a look that comes with the program by name, in any case of letters; None where there is none."""
    return next((look for look in LOOKS if look.name.casefold() == name.casefold()), None)
