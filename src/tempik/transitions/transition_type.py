"""What a transition's kind is: data, and one small function from a moment of it to what becomes of the two pictures."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, Literal, NamedTuple

from tempik.accents.accent import Values
from tempik.accents.look import Look
from tempik.media import Picture
from tempik.reel import Handles
from tempik.settings import Setting

LEFT, RIGHT, UP, DOWN = "left", "right", "up", "down"
WAYS = (LEFT, RIGHT, UP, DOWN)
DIAGONALS = ("up left", "up right", "down left", "down right")
TURNS = ("clockwise", "anticlockwise")
# Across to the right and down are positive; a turn is the sign of its angle.
_VECTORS = {LEFT: (-1.0, 0.0), RIGHT: (1.0, 0.0), UP: (0.0, -1.0), DOWN: (0.0, 1.0)}


def way_of(direction: str) -> tuple[float, float]:
    """Return the unit vector of a direction, (0, 0) for one that is none in the plane."""
    x, y = (sum(_VECTORS[w][i] for w in direction.split() if w in _VECTORS) for i in (0, 1))
    size = math.hypot(x, y)
    return (x / size, y / size) if size else (0.0, 0.0)


FAMILIES = ("fade", "movement", "zoom", "wipe", "pieces")


class TransitionMoment(NamedTuple):
    """Where in a transition a frame lies.

    `progress` goes from 0 to 1 along the ease and passes 0.5 at the turn; `opened` and `closed` are the same when the
    shutter opens and closes. `since` is frames from the turn to the frame's middle, `frames` the transition's length. `height_ratio` is
    the frame's height in shares of its width.
    """

    progress: float
    opened: float
    closed: float
    since: float
    frames: int
    direction: str
    amount: float
    seed: int
    height_ratio: float

    @property
    def way(self) -> tuple[float, float]:
        """The unit vector of its direction."""
        return way_of(self.direction)

    @property
    def span(self) -> float:
        """The frame's size along the way, in shares of its width."""
        x, y = self.way
        return self.height_ratio if y and not x else 1.0

    @property
    def sign(self) -> float:
        """1 clockwise, -1 anticlockwise."""
        return -1.0 if self.direction == TURNS[1] else 1.0

    @property
    def swept(self) -> float:
        """How far the transition goes on while the shutter is open."""
        return abs(self.closed - self.opened)


class TransitionMix(NamedTuple):
    """How two pictures become one: `paint(outgoing, incoming, *args)`."""

    paint: Callable[..., Picture]
    args: tuple[Any, ...] = ()


Side = Literal["out", "into"]


class TransitionFrame(NamedTuple):
    """What a transition does at a moment: the looks of the outgoing and of the incoming picture, how they are mixed, and what
    lies over both. Where `only` one of them is seen the other need not be made."""

    out: Look = Look()
    into: Look = Look()
    mix: TransitionMix | None = None
    over: Look = Look()
    only: Side | None = None


class TransitionType(NamedTuple):
    """One kind of transition. `frames` is its usual length, `at` the share of it before the cut, `directions` the ways it can
    go (the first is usual), `ease` its own curve, `shutter_deg` what its movement is blurred by where the reel has no
    shutter. `wipe` is its number in SMPTE 258M, where it has one."""

    name: str
    title: str
    family: str
    does: str
    cross: Callable[[TransitionMoment, Values], TransitionFrame]
    settings: tuple[Setting, ...] = ()
    directions: tuple[str, ...] = ()
    frames: int = 8
    at: float = 0.5
    ease: Handles = (0.0, 0.0, 1.0, 1.0)
    shutter_deg: float = 0.0
    wipe: int = 0
