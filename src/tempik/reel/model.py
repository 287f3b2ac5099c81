"""The reel: frozen records of everything that makes an edit.

Nothing derived is kept. A clip's edges are tied to rhythm points (or stand at an instant of the reel),
its source start follows from its pins, and its frames follow from the reel's rate, so moving a point,
swapping the rate or changing the song's stretch re-derives all of it (`tempik.edit.timeline`).

Times called `time_s` inside a soundtrack are seconds of the song; inside footage, seconds of that file's
own clock; on an edge, seconds of the reel.
"""

from __future__ import annotations

from fractions import Fraction
from typing import Literal, TypeVar

import msgspec

PointKind = Literal["beat", "downbeat", "onset", "drop", "hand"]


class Point(msgspec.Struct, frozen=True, omit_defaults=True):
    """An instant of the soundtrack that a picture event may land on."""

    id: str
    time_s: float
    strength: float = 1.0
    bar: int = 0
    beat: int = 0
    kind: PointKind = "beat"
    locked: bool = False

    @property
    def label(self) -> str:
        """`bar.beat`, as the ruler counts it."""
        return f"{self.bar}.{self.beat}" if self.beat else "–"


class Soundtrack(msgspec.Struct, frozen=True, omit_defaults=True):
    """The song and the stretch of it that the reel uses, beginning at `start_s` of the song."""

    path: str
    length_s: float
    start_s: float = 0.0
    tempo_bpm: float = 0.0
    steady: bool = True
    gain_db: float = 0.0
    fade_in_s: float = 0.0
    fade_out_s: float = 0.0
    points: tuple[Point, ...] = ()


class Cue(msgspec.Struct, frozen=True, omit_defaults=True):
    """An instant of a piece of footage that matters: the strike, the landing, the turn."""

    id: str
    time_s: float
    name: str = ""


class Footage(msgspec.Struct, frozen=True, omit_defaults=True):
    """A source file with what was measured of it. Sizes are as shown: after the clockwise `rotation_deg`."""

    id: str
    path: str
    width: int
    height: int
    rate: Fraction
    length_s: float
    rotation_deg: int = 0
    has_sound: bool = False
    cues: tuple[Cue, ...] = ()


class Node(msgspec.Struct, frozen=True, omit_defaults=True):
    """A speed at a share of the clip's slot. Softness is the share of the segment that eases, 0 to 1."""

    at: float
    speed: float
    soft_in: float = 0.0
    soft_out: float = 0.0
    hold: bool = False


class Curve(msgspec.Struct, frozen=True, omit_defaults=True):
    """Playback speed over the slot; 1 is as shot, negative plays backward. Nodes are in order of `at`."""

    nodes: tuple[Node, ...] = (Node(0.0, 1.0),)


class Edge(msgspec.Struct, frozen=True, omit_defaults=True):
    """A clip's edge: on a point of the song, or free at an instant of the reel when `point` is None."""

    time_s: float
    point: str | None = None


class Pin(msgspec.Struct, frozen=True, omit_defaults=True):
    """A tie: this cue of the clip's footage is on screen at the frame of this point."""

    cue: str
    point: str


class Clip(msgspec.Struct, frozen=True, omit_defaults=True):
    """A stretch of footage on the reel. `source_s` is what its first frame shows while it has no pin."""

    id: str
    footage: str
    start: Edge
    end: Edge
    source_s: float = 0.0
    curve: Curve = Curve()
    pins: tuple[Pin, ...] = ()


class Rule(msgspec.Struct, frozen=True, omit_defaults=True):
    """Which points fire an accent row: every n-th beat, counted from the first downbeat plus `offset`.

    `every` 0 fires none, for rows painted wholly by hand.
    """

    every: int = 1
    offset: int = 0


class Painted(msgspec.Struct, frozen=True, omit_defaults=True):
    """One cell painted by hand, whatever the rule says: 0 is silent, 1 is full, at most 2."""

    point: str
    strength: float


class AccentRow(msgspec.Struct, frozen=True, omit_defaults=True):
    """One accent of the catalogue with the rule that says which points fire it."""

    id: str
    accent: str
    rule: Rule = Rule()
    painted: tuple[Painted, ...] = ()
    amount: float = 1.0
    seed: int = 0
    muted: bool = False


class Reel(msgspec.Struct, frozen=True, omit_defaults=True):
    """The edit being made."""

    width: int = 1080
    height: int = 1920
    rate: Fraction = Fraction(30)
    length_s: float = 0.0
    soundtrack: Soundtrack | None = None
    footage: tuple[Footage, ...] = ()
    clips: tuple[Clip, ...] = ()
    rows: tuple[AccentRow, ...] = ()


R = TypeVar("R", Point, Cue, Footage, Clip, AccentRow)


def by_id(records: tuple[R, ...], wanted: str | None) -> R | None:
    """Return the record with that id, or None."""
    return next((r for r in records if r.id == wanted), None)


def new_id(prefix: str, taken: tuple[str, ...] | set[str]) -> str:
    """Return the first free id such as `c12`: small and stable, so that project files diff well."""
    numbers = [int(t[len(prefix) :]) for t in taken if t.startswith(prefix) and t[len(prefix) :].isdigit()]
    return f"{prefix}{max(numbers, default=0) + 1}"
