"""Titles: words over the picture. A record of its own, so that a clip without one costs nothing."""

from __future__ import annotations

from typing import Literal

import msgspec

from tempik.reel.transition import TransitionUnit
from tempik.settings import Setting, by_name

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


class WordStyle(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What sets one word of a title off from the others: its number from 0, a colour of its own (None: the title's), and how many
    times as large it is."""

    word: int
    colour: str | None = None
    size: float = 1.0


class Title(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A text and how it is set.

    `size` is the height of the font's em as a share of the frame's width, `wrap` the width at which lines are broken, as
    such a share too. `outline`, `letter` (more room between letters) and the shadow's and the box's measures are in ems,
    `line` is from line to line in ems. `shadow` and `box` say how strong they are, 0 for none. `by` is what comes and goes
    as one. Words that have keys (`Clip.keys["word"]`: how many are shown from there) stay once they have come, are shown one
    at a time, or are lit up in `lit_colour` among the others. `words` are those that are set off from the others, each once and in
    order. A no-break space (U+00A0) joins two words, a zero width space (U+200B) parts one in two.
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
    words: tuple[WordStyle, ...] = ()


# The settings of a title that have one value each.
TITLE_SETTINGS = by_name(
    Setting("size", "size", 0.14, 0.005, 3, does="The font's height, as a share of the frame's width", step=0.5, digits=1),
    Setting("colour", "colour", "#ffffff", does="The letters' colour"),
    Setting("outline", "outline", 0.0, 0, 0.5, does="As a share of the font's height", step=1, digits=0),
    Setting("outline_colour", "outline", "#000000", does="The outline's colour"),
    Setting("shadow", "shadow", 0.5, does="How dark"),
    Setting("shadow_colour", "shadow", "#000000", does="The shadow's colour"),
    Setting("shadow_x", "shadow across", 0.02, -2, 2, does="How far the shadow lies to the right, in font heights", digits=1),
    Setting("shadow_y", "shadow down", 0.04, -2, 2, does="How far the shadow lies below, in font heights", digits=1),
    Setting("shadow_soft", "shadow soft", 0.06, does="How soft the shadow's edge is, in font heights"),
    Setting("box", "box", 0.0, does="How opaque the ground behind the words is"),
    Setting("box_colour", "box", "#000000", does="The box's colour"),
    Setting("box_pad", "box room", 0.2, 0, 3, does="How far the box reaches beyond the words, in font heights"),
    Setting("box_round", "box corners", 0.15, 0, 2, does="How round the box's corners are, in font heights"),
    Setting("line", "lines", 1.05, 0.3, 5, does="From line to line, as a share of the font's height"),
    Setting("letter", "letters", 0.0, -0.2, 2, does="More room between letters; scripts that join have none", step=1),
    Setting("wrap", "width", 0.74, 0.05, 10, does="Lines are broken at this share of the frame's width", step=1),
    Setting(
        "align", "align", "middle", choices=("left", "middle", "right"), does="How lines stand under each other"
    ),
    Setting(
        "by", "by", "all", choices=("all", "line", "word"), titles=("as one", "by line", "by word"),
        does="What comes and goes as one",
    ),
    Setting(
        "showing", "words", "stay", choices=("stay", "one", "lit"), titles=("come and stay", "one at a time", "lit in turn"),
        does="What words do that have points of their own",
    ),
    Setting("lit_colour", "lit", "#ffc94d", does="The colour of the word that is lit"),
)  # fmt: skip

WORD_SETTINGS = by_name(
    Setting("colour", "colour", "#ffffff", does="The word's own colour"),
    Setting("size", "size", 1.0, 0.2, 5, does="How large the word is beside the others", step=10),
)

ARRIVAL_SETTINGS = by_name(
    Setting(
        "length", "over", 6.0, 0, 600, "", within=(0.25, 600), digits=2, step=1,
        does="Over how many frames or beats; it is seen from its own frame on",
    ),
    Setting("unit", "unit", "frames", choices=("frames", "beats"), does="What the length is counted in"),
    Setting("way", "way", "up", choices=("up", "down", "left", "right"), does="Which way it moves"),
)  # fmt: skip
