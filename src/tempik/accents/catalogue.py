"""The catalogue: each accent is data plus one small function from its amount to what it does to the look.

Lengths in the picture are shares of the frame's width, so that a reel keeps its look at any size.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple

from tempik.accents.envelope import Envelope, Length
from tempik.errors import TempikError


class Look(NamedTuple):
    """What accents do to one frame, all together.

    Scale is about the frame's centre; shifts are shares of the frame's width, down is positive; `tilt_deg` turns
    clockwise. `flash` is the opacity of white laid over, `stops` a change of exposure.
    """

    scale: float = 1.0
    shift_x: float = 0.0
    shift_y: float = 0.0
    tilt_deg: float = 0.0
    flash: float = 0.0
    stops: float = 0.0


class Moment(NamedTuple):
    """Where in its pulse a frame lies: envelope level 0 to 1, strength, seconds since the point, a seeded angle."""

    level: float
    strength: float
    since_s: float
    angle: float


class Accent(NamedTuple):
    """One kind of accent. `strength_degree` is how far a weak point weakens it: 0 not at all, 1 in proportion."""

    name: str
    title: str
    does: str
    envelope: Envelope
    strength_degree: float
    apply: Callable[[Look, Moment], Look]


def _flash(look: Look, at: Moment) -> Look:
    return look._replace(flash=max(look.flash, min(1.0, 0.75 * at.strength * at.level)))


SHAKE_SHARE = 0.035
SHAKE_HZ = 11.0


def _shake(look: Look, at: Moment) -> Look:
    # Phase-locked: the cosine is 1 at the point itself, so the largest displacement is on the point's own frame.
    swing = at.level * at.strength * math.cos(2 * math.pi * SHAKE_HZ * at.since_s)
    return look._replace(
        shift_x=look.shift_x + SHAKE_SHARE * swing * math.cos(at.angle),
        shift_y=look.shift_y + SHAKE_SHARE * swing * math.sin(at.angle),
        tilt_deg=look.tilt_deg + 0.9 * swing * math.cos(at.angle),
    )


PUNCH_VIEWED = 0.905  # the share of the frame still seen at the peak: × 1.105 (common practice)


def _punch(look: Look, at: Moment) -> Look:
    return look._replace(scale=max(look.scale, 1 + (1 / PUNCH_VIEWED - 1) * at.level * at.strength))


def _kick(look: Look, at: Moment) -> Look:
    return look._replace(stops=max(look.stops, at.level * at.strength))


CATALOGUE: dict[str, Accent] = {
    accent.name: accent
    for accent in (
        Accent(
            "flash",
            "Flash",
            "white over the picture, gone in a quarter of a second",
            Envelope(decay=Length(233)),
            0.4,
            _flash,
        ),
        Accent(
            "shake",
            "Shake",
            "the frame jolts on the point and swings out; its edges mirror",
            Envelope(decay=Length(340), bend=1.6),
            0.5,
            _shake,
        ),
        Accent(
            "punch",
            "Punch-in",
            "the picture jumps closer and eases back",
            Envelope(decay=Length(320), bend=2.2),
            0.4,
            _punch,
        ),
        Accent(
            "kick",
            "Exposure kick",
            "one stop brighter on the point, falling back",
            Envelope(decay=Length(260)),
            0.4,
            _kick,
        ),
    )
}


def accent_named(name: str) -> Accent:
    """Return the accent of that name. Raises TempikError listing those there are."""
    accent = CATALOGUE.get(name)
    if accent is None:
        raise TempikError(f"There is no accent named '{name}'; choose from {', '.join(CATALOGUE)}.")
    return accent
