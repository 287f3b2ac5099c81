"""Records of a lane worked out: what rules fire on, steps, pulses."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import NamedTuple, Protocol

from tempik.accents.accent import Accent, Value
from tempik.accents.envelope import Form
from tempik.reel import AccentLane, Limit, Point, Rule, Soundtrack
from tempik.time import frame_of


class Span(NamedTuple):
    """A clip on screen: frames `first` up to `end`; whether another picture was on screen before it; the points that its
    edges are tied to, its pins, each with its cue, its point and its frame, and whether it is joined to the clip before."""

    clip: str
    first: int
    end: int
    is_cut: bool
    start: Point | None
    until: Point | None
    ties: tuple[tuple[str, Point, int], ...]
    joined: bool = False


class Ruled(Protocol):
    """A lane that a rule fires: of accents, or of sounds."""

    @property
    def rule(self) -> Rule:
        """What fires it."""

    @property
    def limit(self) -> Limit:
        """Where it may fire."""


class RuleScene(NamedTuple):
    """What rules fire on. `height_ratio` is the frame's height in shares of its width, `frames_of` the frame of each chosen point
    where that is known, `pulses` those of other lanes."""

    song: Soundtrack | None
    rate: Fraction
    frames: int
    height_ratio: float
    spans: tuple[Span, ...] = ()
    frames_of: Mapping[str, int] = {}
    pulses: Mapping[str, Sequence[Pulse]] = {}

    @property
    def start_s(self) -> float:
        """The second of the song at the reel's first frame."""
        return self.song.start_s if self.song is not None else 0.0

    def frame(self, song_s: float) -> int:
        """Return the reel's frame at an instant of the song, in seconds."""
        return frame_of(song_s - self.start_s, self.rate)

    def frame_of(self, point: Point) -> int:
        """Return the frame of one of the song's points."""
        known = self.frames_of.get(point.id)
        return self.frame(point.time_s) if known is None else known


class Step(NamedTuple):
    """A place of a lane that can fire: its id, the rhythm point that it stands on if it does, its frame, the strength of
    the point, seconds to the next, the clip it belongs to, and whether the lane's rule fires it."""

    id: str
    point: Point | None
    frame: int
    strength: float
    gap_s: float
    span: Span | None
    ruled: bool


class Pulse(NamedTuple):
    """One firing. `own` is its strength by hand or by its point, 0 to 2, `strength` what all amounts make of it.
    `within` are the frames (first, end) of the clip that it ends with, if it does."""

    lane: str
    accent: str
    step: str
    point: Point | None
    frame: int
    own: float
    strength: float
    gap_s: float
    overridden: bool
    angle: float
    seed: int
    turn: int
    form: Form
    within: tuple[int, int] | None
    settings: dict[str, Value] | None

    @property
    def label(self) -> str:
        """What it fires on, in a word: its point's label, or its frame."""
        return self.point.label if self.point is not None else f"f{self.frame}"


class EvaluatedLane(NamedTuple):
    """A lane worked out. `accent` is None for one that this version does not know. `silent` lanes are muted, or another
    is soloed: they are shown and do nothing. `reach` is how many frames before and after its point a pulse lasts, `within`
    the frames (first, end) that the lane is limited to.
    """

    lane: AccentLane
    accent: Accent | None
    values: dict[str, Value]
    steps: list[Step]
    pulses: list[Pulse]
    starts: list[int]
    reach: tuple[int, int]
    keyed: dict[str, list[tuple[int, float, str]]]
    gain: float
    silent: bool
    within: tuple[tuple[int, int], ...] | None

    def may(self, at: float) -> bool:
        """Tell whether the lane may do anything at a frame that no pulse asks for."""
        return self.within is None or any(first <= at < end for first, end in self.within)
