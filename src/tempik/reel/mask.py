"""Where a clip's picture shows: masks drawn on it, and a colour or a brightness of it made clear."""

from __future__ import annotations

from typing import Literal

import msgspec

from tempik.reel.lanes import Key, MediaPath
from tempik.settings import Setting, by_name

MaskMix = Literal["add", "take away", "keep common"]


class Mask(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A shape on the upright picture: a `rectangle`, an `ellipse` or a `polygon`. What a newer version may have put here
    is kept, and hides nothing.

    `x`, `y` (its middle), `width` and `height` are shares of the picture's width and height; `turn_deg` turns it clockwise.
    A polygon's `points` are such shares from its middle. `corner` rounds corners, 0 to 1. `feather` (how wide its edge is
    soft) and `grow` (how far it is made larger) are shares of the picture's width. Several masks add up in their order, each
    as `mix` says. `follow` names a tracked patch of the footage that it goes with. `keys` hold its `x`, `y`, `width`,
    `height`, `turn_deg`, `feather` and `grow` over time.
    """

    id: str
    kind: str = "rectangle"
    x: float = 0.5
    y: float = 0.5
    width: float = 0.5
    height: float = 0.5
    turn_deg: float = 0.0
    points: tuple[tuple[float, float], ...] = ()
    corner: float = 0.0
    feather: float = 0.0
    grow: float = 0.0
    invert: bool = False
    mix: MaskMix = "add"
    follow: str = ""
    keys: dict[str, tuple[Key, ...]] = {}


ClearOf = Literal["colour", "dark", "bright"]


class Clear(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What of a clip's picture is made clear: a `colour`, the `dark` or the `bright`.

    `tolerance` is how far from the colour (in chroma, as a share of its range), or up from black or down from white, is
    clear; `soft` over how much more it passes to opaque; `spill` how much of the colour's tint is taken out of what stays.
    """

    of: ClearOf = "colour"
    colour: str = "#00b140"
    tolerance: float = 0.12
    soft: float = 0.08
    spill: float = 0.8
    invert: bool = False


class Stroke(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A stroke of the brush on a frame of footage that says what belongs to a subject (`keep`) or does not: through `points`,
    shares of the upright picture's width and height, `width` wide in shares of its width."""

    time_s: float
    points: tuple[tuple[float, float], ...]
    keep: bool = True
    width: float = 0.03


class Cutout(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A subject cut out of a piece of footage by strokes. `path` is the film of how far it covers each frame, from frame
    number `first` of the footage on; '' until it is made."""

    id: str
    strokes: tuple[Stroke, ...]
    path: MediaPath = ""
    first: int = 0


# The settings of a mask; all but the last three can have keys.
MASK_SETTINGS = by_name(
    Setting("x", "across", 0.5, -10, 10, does="Where its middle lies, from the picture's left", digits=1),
    Setting("y", "down", 0.5, -10, 10, does="Where its middle lies, from the picture's top", digits=1),
    Setting("width", "width", 0.5, 0, 20, does="As a share of the picture's width", digits=1),
    Setting("height", "height", 0.5, 0, 20, does="As a share of the picture's height", digits=1),
    Setting("turn_deg", "turn", 0.0, -36_000, 36_000, "°", does="Clockwise", digits=1),
    Setting("feather", "feather", 0.0, does="How wide its edge is soft, as a share of the picture's width", digits=1, step=1),
    Setting("grow", "grow", 0.0, -1, 1, does="How far it is made larger all round", digits=1, step=1),
    Setting("corner", "corners", 0.0, does="How round its corners are", digits=1, step=1),
    Setting("invert", "inverted", False, does="It hides what lies inside"),
    Setting(
        "mix", "mix", "add", choices=("add", "take away", "keep common"),
        does="How it goes together with the masks before it",
    ),
)  # fmt: skip
MASK_KEYED = tuple(MASK_SETTINGS)[:7]

# What of a picture is made clear, beside which colour or brightness that is.
CLEAR_SETTINGS = by_name(
    Setting("colour", "colour", "#00b140", does="The colour that is clear"),
    Setting("tolerance", "within", 0.12, does="How far from it is clear", digits=1, step=1),
    Setting("soft", "soft", 0.08, does="Over how much more it passes to opaque", digits=1, step=1),
    Setting("spill", "spill", 0.8, does="How much of the colour's tint is taken out of what stays", digits=1, step=1),
    Setting("invert", "inverted", False, does="All but this is clear"),
)
