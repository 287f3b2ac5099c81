"""A clip as it lies on the reel, and what follows from that for its pictures."""

from __future__ import annotations

import math
from collections.abc import Sequence
from fractions import Fraction
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.reel import (
    Clip,
    Curve,
    Footage,
    Point,
)
from tempik.retime import TimeMap, cut_out
from tempik.time import time_of

Array = NDArray[np.float64]


class Tie(NamedTuple):
    """A pin worked out: its cue, the cue's instant in the footage, and the reel frame of its point."""

    cue: str
    cue_s: float
    point: Point
    frame: int


class PlacedClip(NamedTuple):
    """A clip on the reel: frames `first` up to, not including, `end`, and its time map from slot to source.

    `begin` and `until` are the frames of its own edges, beyond `first` and `end` where the reel or a later clip cuts it
    off. `ties` are in order of frame. `message` is why a pin cannot be reached. `shape` is the chosen curve over the slot
    where several pins have bent it, None where it is played as it is.
    """

    clip: Clip
    footage: Footage
    first: int
    end: int
    begin: int
    until: int
    map: TimeMap
    ties: tuple[Tie, ...]
    short_before_s: float  # reel seconds for which the footage's first frame stands still
    short_after_s: float  # reel seconds for which its last frame does
    message: str = ""
    shape: Curve | None = None

    @property
    def frames(self) -> int:
        """How many frames of it are on the reel."""
        return self.end - self.first

    @property
    def repeated(self) -> bool:
        """Whether a rule laid it again: it is no clip of the reel's own."""
        return "@" in self.clip.id

    @property
    def curve(self) -> Curve:
        """The speed over the slot, as a curve of its own."""
        return cut_out(self.map.curve, self.map.part)

    @property
    def chosen(self) -> Curve:
        """The speed over the slot as chosen, before pins bend it."""
        return self.shape or self.curve


def clean_floor(footage: Footage, rate: Fraction) -> float:
    """Return the slowest speed at which every frame of a reel still shows another picture; 0 for stills."""
    return 0.0 if footage.endless else float(rate / footage.true_rate)


def repeats_most(placed: PlacedClip, rate: Fraction) -> int:
    """Return how often a clip shows one frame at its slowest, 1 where every frame shows another picture or frames in
    between are made; 0 where the picture stands still."""
    floor, slowest = clean_floor(placed.footage, rate), placed.map.slowest
    if not floor or slowest >= floor * 0.999:
        return 1
    return math.ceil(floor / slowest - 1e-3) if slowest > 1e-3 else 0


def floor_text(footage: Footage, rate: Fraction) -> str:
    """Return the slowest clean speed in words; '' for stills."""
    floor = clean_floor(footage, rate)
    if not floor:
        return ""
    return f"clean down to {floor * 100:.0f} %" if floor <= 1.0005 else f"clean from {floor * 100:.0f} % up"


def source_at_frames(placed: PlacedClip, frames: Array | Sequence[float], rate: Fraction) -> Array:
    """Return the source seconds that a clip asks for at reel frames, which may lie outside its footage unless it goes
    round."""
    source = placed.map.source((np.asarray(frames, dtype=np.float64) - placed.begin) / float(rate))
    return np.mod(source, placed.footage.length_s) if placed.clip.beyond == "loop" else source


def shortage(placed: PlacedClip, rate: Fraction) -> tuple[float, float]:
    """Return for how many reel seconds a clip asks for source before its footage begins, and after it ends."""
    if placed.footage.endless or placed.clip.beyond == "loop":
        return 0.0, 0.0
    slack = min(1e-3, 0.25 / float(placed.footage.rate))
    source = source_at_frames(placed, np.array([placed.first, placed.end - 1.0]), rate)
    length_s = placed.footage.length_s
    turns = placed.map.turns()
    if not turns and -slack <= source.min() and source.max() < length_s + slack:
        return 0.0, 0.0  # between its ends a map without turns stays between their instants
    source = source_at_frames(placed, np.arange(placed.first, placed.end, dtype=np.float64), rate)
    before = int(np.count_nonzero(source < -slack))
    after = int(np.count_nonzero(source >= length_s + slack))
    return time_of(before, rate), time_of(after, rate)
