"""A window that a clip's picture is seen through, and the rim round what of a clip shows."""

from __future__ import annotations

import msgspec

from tempik.settings import Setting, by_name


class PictureWindow(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A part of the frame that stands for all of it: a clip's picture fills it, and is followed and moved inside it; the clip's place moves
    the window as a whole.

    `width` and `height` are shares of the frame's; `corner` rounds its corners, 0 to 1; `zoom`, `x` and `y` place the picture inside, as
    `Position` does in the frame.
    """

    width: float = 0.4
    height: float = 0.3
    corner: float = 0.0
    zoom: float = 1.0
    x: float = 0.0
    y: float = 0.0


class Rim(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What lies round a clip where it ends within the frame (a window, a mask, a cut-out): an `outline` and a `glow`, so wide in shares of
    the frame's width, and a `shadow` below it, 0 to 1."""

    outline: float = 0.0
    outline_colour: str = "#ffffff"
    glow: float = 0.0
    glow_colour: str = "#ffc94d"
    shadow: float = 0.0


WINDOW_SETTINGS = by_name(
    Setting("width", "width", 0.4, 0.02, 1, does="As a share of the frame's width", digits=1, step=1),
    Setting("height", "height", 0.3, 0.02, 1, does="As a share of the frame's height", digits=1, step=1),
    Setting("corner", "corners", 0.0, does="How round its corners are", digits=0, step=5),
    Setting("zoom", "inside", 1.0, 0.1, 20, does="How much larger the picture is inside", digits=0, step=5),
    Setting("x", "across", 0.0, -10, 10, does="Where the picture stands inside, to the right of its middle", digits=1, step=1),
    Setting("y", "down", 0.0, -10, 10, does="Where the picture stands inside, below its middle", digits=1, step=1),
)  # fmt: skip
RIM_SETTINGS = by_name(
    Setting("outline", "outline", 0.0, 0, 0.1, does="Of what shows of the clip, as a share of the frame's width", digits=1, step=0.2),
    Setting("outline_colour", "outline", "#ffffff", does="The outline's colour"),
    Setting("glow", "glow", 0.0, 0, 0.3, does="How far it reaches, as a share of the frame's width", digits=1, step=0.5),
    Setting("glow_colour", "glow", "#ffc94d", does="The glow's colour"),
    Setting("shadow", "shadow", 0.0, does="How dark it is", digits=0, step=5),
)  # fmt: skip
