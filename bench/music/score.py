"""A piece as notes: what is played when, and the beats and bars that it is played to."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

Times = NDArray[np.float64]
Heard = Literal["kick", "snare", "hat", "other"]

# General MIDI's percussion keys by what they sound like; anything else is another sound.
DRUM_KINDS: dict[int, Heard] = {
    **dict.fromkeys((35, 36), "kick"),
    **dict.fromkeys((37, 38, 39, 40), "snare"),
    **dict.fromkeys((42, 44, 46, 51, 59, 69, 70, 82), "hat"),
}
DRUM_KEYS = {"kick": 36, "snare": 38, "clap": 39, "rim": 37, "snap": 39, "hat": 42, "open": 46, "ride": 51, "shaker": 82,
    "crash": 49, "tom": 45, "conga": 63, "bell": 56, "block": 76, "click": 75, "tambourine": 54}  # fmt: skip


class Note(NamedTuple):
    """One note: seconds, which part plays it, MIDI key (of a drum: its percussion key), seconds long, force 0 to 1."""

    time_s: float
    part: str
    key: int
    long_s: float
    force: float


@dataclass
class Score:
    """A piece. `numbers` are places in the bar from 1; all 0 where the piece has no bars that could be heard.

    `drums` are the drum notes' parts; `programs` the General MIDI instruments of the others.
    """

    beats: Times
    numbers: NDArray[np.int64]
    notes: list[Note] = field(default_factory=list)
    drums: set[str] = field(default_factory=set)
    programs: dict[str, int] = field(default_factory=dict)
    gains: dict[str, float] = field(default_factory=dict)
    voices: dict[str, str] = field(default_factory=dict)  # of our own, for parts whose instrument does not say which
    length_s: float = 0.0
    steady: bool = True

    def onsets(self) -> list[tuple[float, Heard]]:
        """Return the attacks with their kind, notes within 20 ms as one: a kick hides a snare, a snare a hat, and
        any drum the rest."""
        rank = ("kick", "snare", "hat", "other")
        found: list[tuple[float, Heard]] = []
        for note in sorted(self.notes):
            kind: Heard = DRUM_KINDS.get(note.key, "other") if note.part in self.drums else "other"
            if note.force * self.gains.get(note.part, 1.0) < 0.08:
                continue
            if found and note.time_s - found[-1][0] < 0.02:
                if rank.index(kind) < rank.index(found[-1][1]):
                    found[-1] = (found[-1][0], kind)
                continue
            found.append((note.time_s, kind))
        return found
