"""Titles: words over the picture. A record of its own, so that a clip without one costs nothing."""

from __future__ import annotations

from typing import Literal

import msgspec

from tempik.reel.transition import TransitionUnit

TextAlign = Literal["left", "middle", "right"]
By = Literal["all", "line", "word"]
Showing = Literal["stay", "one", "lit"]
ArrivalWay = Literal["up", "down", "left", "right"]


class Arrival(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """How the words of a title come, or go: a kind of `titles.motion.ARRIVALS` over so many frames or beats. What a newer
    version may have put here is kept, and does nothing."""

    kind: str = "none"
    length: float = 6.0
    unit: TransitionUnit = "frames"
    way: ArrivalWay = "up"


class Title(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A text and how it is set.

    `size` is the height of the font's em as a share of the frame's width, `wrap` the width at which lines are broken, as
    such a share too. `outline`, `letter` (more room between letters) and the shadow's and the box's measures are in ems,
    `line` is from line to line in ems. `shadow` and `box` say how strong they are, 0 for none. `by` is what comes and goes
    as one. Words that have keys (`Clip.keys["word"]`: how many are shown from there) stay once they have come, are shown one
    at a time, or are lit up in `lit_colour` among the others.
    """

    text: str = ""
    font: str = "Yanone Kaffeesatz"
    style: str = "Bold"
    size: float = 0.14
    colour: str = "#ffffff"
    outline: float = 0.0
    outline_colour: str = "#000000"
    shadow: float = 0.5
    shadow_colour: str = "#000000"
    shadow_x: float = 0.02
    shadow_y: float = 0.04
    shadow_soft: float = 0.06
    box: float = 0.0
    box_colour: str = "#000000"
    box_pad: float = 0.2
    box_round: float = 0.15
    align: TextAlign = "middle"
    line: float = 1.05
    letter: float = 0.0
    wrap: float = 0.74
    enter: Arrival = Arrival()
    leave: Arrival = Arrival()
    by: By = "all"
    showing: Showing = "stay"
    lit_colour: str = "#ffc94d"
