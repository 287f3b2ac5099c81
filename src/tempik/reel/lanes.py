"""Accent lanes: one accent of the catalogue, the rule that says what fires it, and what was done by hand.

Instants inside a lane are seconds of the song, so that a stretch such as a chorus stays itself when the reel uses
another part of the song.
"""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from tempik.rhythm.records import BANDS, Band
from tempik.settings import Setting, by_name

# A field that names a file which the reel reads: saving, relinking and collecting follow every one of them.
MediaPath = Annotated[str, "media"]

Unit = Literal["frames", "ms", "gap", "clip"]


class Edge(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """Where something begins, ends or lands: on a point of the song, or free at an instant of the reel when `point` is None."""

    time_s: float
    point: str | None = None


class Length(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A length in frames, in milliseconds, as a share of the gap to the next point, or as a share of the clip."""

    value: float
    unit: Unit = "ms"


class Envelope(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Lead up to the point, hold on it, decay after it. `rise` and `fall` bend the two sides: 1 is straight, above 1
    keeps low and comes up late, or falls faster at first."""

    lead: Length = Length(0)
    hold: Length = Length(1, "frames")
    decay: Length = Length(233)
    rise: float = 2.0
    fall: float = 2.0


RuleOf = Literal[
    "points", "bars", "onsets", "drops", "cuts", "transitions", "starts", "ends", "pins", "frames", "pulses", "hand"
]


class Rule(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What fires a lane: every n-th of its kind from the first plus `offset`, of a strength `at_least`.

    `of`: the chosen points, counted from the first downbeat; `bars`: the points at the bar positions `beats`; the
    song's onsets of `bands`; its drops; cuts; transitions; clips' first or last frames; pins; frames; the `pulses` of another `lane`
    (sound lanes alone know these); or nothing but what is painted by `hand`. What a newer version may have put here fires
    nothing.
    """

    of: str = "points"
    every: int = 1
    offset: int = 0
    beats: tuple[int, ...] = (2, 4)
    bands: tuple[Band, ...] = BANDS
    at_least: float = 0.0
    lane: str = ""


class Limit(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """Where a lane may fire: within some clips, within a stretch of the song, or anywhere. In clips its pulses end with
    the clip."""

    clips: tuple[str, ...] = ()
    from_s: float | None = None
    to_s: float | None = None


class StepOverride(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """One step painted by hand, whatever the rule says: 0 is silent, 1 is full, at most 2.

    `point` names the point, or what else fires: `c3/start`, `c3/end`, `c3/q1` (a pin's cue), `frame/12`. `settings` are
    this pulse's own.
    """

    point: str
    strength: float
    settings: dict[str, float | str] = {}


KeyEase = Literal["even", "soft", "slow start", "slow end", "hold"]


class Key(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A value set by hand at an instant of the song, or at a point, which it follows; `ease` is how it goes on."""

    time_s: float
    value: float
    point: str | None = None
    ease: KeyEase = "soft"


Overlap = Literal["larger", "sum"]


class AccentLane(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """One accent of the catalogue with what fires it. What is None or absent is the accent's own.

    `degree` is how far a weak point weakens its pulse: 0 not at all, 1 in proportion. `keys` hold values set by hand
    over time for a setting, or for `level`: the lane's strength where nothing fires it. `follow` names a tracked patch
    of footage that the lane's focus goes with, `mask` an image whose clear parts keep the accent out. With `alone` it acts on
    the pictures of the clips in its limit, not on the whole frame; on an adjust clip, on all below it. A lane that is `locked` stays
    where the reel is drafted anew.
    """

    id: str
    accent: str
    rule: Rule = Rule()
    overrides: tuple[StepOverride, ...] = ()
    amount: float = 1.0
    seed: int = 0
    muted: bool = False
    solo: bool = False
    envelope: Envelope | None = None
    settings: dict[str, float | str] = {}
    degree: float | None = None
    overlap: Overlap = "larger"
    limit: Limit = Limit()
    keys: dict[str, tuple[Key, ...]] = {}
    bundle: str = ""
    follow: str = ""
    mask: MediaPath = ""
    alone: bool = False
    locked: bool = False


class Bundle(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """Lanes under one amount, 0 to 2, and one name."""

    id: str
    name: str
    amount: float = 1.0


class MotionTrack(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """Where a patch of a piece of footage is seen: times in seconds of the file, and the patch's middle as shares of
    the upright picture's width and height. `lost` are stretches (from, to, in seconds of the file) in which it was not
    found."""

    id: str
    times_s: tuple[float, ...]
    xs: tuple[float, ...]
    ys: tuple[float, ...]
    name: str = ""
    lost: tuple[tuple[float, float], ...] = ()


# What every lane of accents has; the accent's own settings are in its catalogue.
LANE_SETTINGS = by_name(
    Setting("amount", "amount", 1.0, 0, 2, does="How much of the lane there is"),
    Setting("degree", "by strength", 0.0, does="How far a weak point weakens its pulse: 0 not at all, 100 in proportion"),
    Setting(
        "overlap", "where they overlap", "larger", choices=("larger", "sum"),
        does="What pulses that overlap do: the larger one counts, or both add up",
    ),
)  # fmt: skip
RULE_SETTINGS = by_name(
    Setting("every", "every", 1.0, 1, 100_000, "", does="Every n-th of them", digits=0, step=1, within=(1, 64)),
    Setting("offset", "from +", 0.0, -100_000, 100_000, "", digits=0, step=1, within=(0, 63),
            does="Begin so many later; points are counted from the first downbeat"),
    Setting("at_least", "at least", 0.0, does="Only those at least so strong"),
)  # fmt: skip
