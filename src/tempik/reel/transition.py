"""Transitions: what happens over the edge of a clip. A record of its own, so that a clip without one costs nothing.

A transition belongs to a cut: it is kept with the clip on the cut's right (`Clip.transition`), and over an end that no clip follows
with the clip that ends there (`Clip.leave`).
"""

from __future__ import annotations

from typing import Literal

import msgspec

from tempik.easing import Handles
from tempik.settings import Setting, by_name

TransitionUnit = Literal["frames", "beats"]


class Transition(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """One kind of the catalogue with its length; what is None, absent or '' is the kind's own.

    `length` is in frames, or in beats. `at` is the share of it that lies before the cut; between two clips the *turn*
    (the frame from which more of the incoming picture is seen) is on the cut's own frame wherever `at` puts the rest.
    `amount` is how strong it is, 0 to 2. `shutter_deg` is the angle of the shutter that blurs its movement. `held` says that
    footage which is too short for it may stand still.
    """

    kind: str = "dissolve"
    length: float = 8.0
    unit: TransitionUnit = "frames"
    at: float | None = None
    direction: str = ""
    ease: Handles | None = None
    amount: float = 1.0
    settings: dict[str, float | str] = {}
    seed: int = 0
    shutter_deg: float | None = None
    held: bool = False


# What every kind of transition has; the catalogue says what it has beside.
TRANSITION_SETTINGS = by_name(
    Setting("length", "long", 8.0, 0, 600, "", does="How long, in frames or in beats", within=(0.25, 600), digits=2),
    Setting("at", "before the cut", 0.5, does="How much of it lies before the cut; the turn stays on the cut", step=1),
    Setting("amount", "strong", 1.0, 0, 2, does="How strong, 0 to 200 %: how far, how close, how bright, how blurred"),
    Setting(
        "shutter_deg", "shutter", 0.0, 0, 360, "°", step=1,
        does="Angle of the shutter that blurs its movement: 200 is usual for slides, 0 is none",
    ),
)  # fmt: skip
