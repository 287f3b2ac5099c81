"""What an accent is: data, and one small function from a moment of its pulse to what it does to the look."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable, Mapping
from functools import lru_cache
from typing import NamedTuple

from tempik.accents.look import Look
from tempik.reel import Envelope
from tempik.settings import Setting

Value = float | str
Values = Mapping[str, Value]


class Moment(NamedTuple):
    """Where in its pulse a frame lies.

    `weight` is the envelope times the pulse's strength, 0 to 4; `level` the envelope alone; `since` frames since the
    point (a fraction within a shutter's opening) and `since_s` seconds; `angle` a direction and `seed` a number drawn
    for the pulse; `turn` which pulse of its lane it is; `frame` its point's frame. `focus` is a place in the frame, from
    its middle in shares of its width; `height_ratio` the frame's height in such shares.
    """

    weight: float
    level: float
    since: float
    since_s: float
    angle: float
    seed: int
    turn: int
    frame: int
    focus: tuple[float, float]
    height_ratio: float


class Accent(NamedTuple):
    """One kind of accent. `degree` is how far a weak point weakens it: 0 not at all, 1 in proportion.

    `steady` is what it does where no pulse is, for accents that have something to do there. `placed` accents have a
    focus that can be put anywhere in the frame; `paints` ones can be kept out of part of the frame by a mask. With
    `each`, pulses that overlap by sum are applied one by one.
    """

    name: str
    title: str
    family: str
    does: str
    envelope: Envelope
    degree: float
    apply: Callable[[Look, Moment, Values], Look]
    settings: tuple[Setting, ...] = ()
    steady: Callable[[Look, Moment, Values], Look] | None = None
    placed: bool = False
    paints: bool = True
    each: bool = False


def number(values: Values, name: str) -> float:
    """Return a setting that is a number."""
    return float(values[name])


def words(values: Values, name: str) -> str:
    """Return a setting that is a word or a colour."""
    return str(values[name])


@lru_cache(4096)
def drawn(seed: int, what: object) -> float:
    """Return a number from 0 to 1 drawn by a seed, the same at every render and on every machine."""
    digest = hashlib.blake2b(f"{seed}/{what}".encode(), digest_size=8).digest()
    return int.from_bytes(digest, "big") / 2**64


def wobble(seed: int, time_s: float, hz: float) -> float:
    """Return a smooth movement between −1 and 1 that does not repeat soon: three waves of drawn phases."""
    out = 0.0
    for part, (share, pace) in enumerate(((0.55, 0.43), (0.3, 0.71), (0.15, 1.0))):
        out += share * math.sin(2 * math.pi * (hz * pace * time_s + drawn(seed, part)))
    return out
