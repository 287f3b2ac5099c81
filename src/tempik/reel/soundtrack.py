"""The song under a reel: the stretch that is used, what was heard of it, and its points by hand.

`time_s` is seconds of the song.
"""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

import msgspec

from tempik.reel.lanes import MediaPath
from tempik.rhythm.records import BANDS, Analysis, Band, Beat
from tempik.settings import Setting, by_name

PointKind = Literal["beat", "part", "downbeat", "onset", "drop", "hand"]


class Point(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """An instant of the soundtrack that a picture event may land on. `part` is the share of its beat that has passed
    (1/2: half a beat later); `name` is a word of the user's, such as a sung line's."""

    id: str
    time_s: float
    strength: float = 1.0
    bar: int = 0
    beat: int = 0
    kind: PointKind = "beat"
    locked: bool = False
    name: str = ""
    part: Fraction = Fraction(0)
    band: str = ""

    @property
    def label(self) -> str:
        """`bar.beat`, as the ruler counts it, with the share of the beat where it lies between two."""
        if not self.beat:
            return self.band or "–"
        return f"{self.bar}.{self.beat}" + (f"+{self.part}" if self.part else "")


BeatSource = Literal["found", "grid", "followed", "own"]


class Anchor(msgspec.Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """A beat that the user says sounds at an instant: the grid between and beyond anchors is laid through them."""

    point: str
    time_s: float


class Reading(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """How the song's beats are read, over what was found; changing it loses no hand edit.

    `rival` 1 or 2 takes the beats of a rival that was heard beside the first.
    `beat_source`: as found; on one even grid; along a moving tempo; or the user's `own` beats (tapped, or read from a file).
    `tempo_factor` 1/2 takes every second beat, 2 a beat in between. `late` shifts by a share of a found beat. `metre` 0 is
    as found; `one` names a beat that begins a bar.
    """

    beat_source: BeatSource = "found"
    rival: int = 0
    tempo_factor: Fraction = Fraction(1)
    late: Fraction = Fraction(0)
    metre: int = 0
    one: str = ""
    anchors: tuple[Anchor, ...] = ()


ChoiceOf = Literal["beats", "downbeats", "onsets"]


class PointChoice(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """Which of the song's points are used between `from_s` and `to_s` of the song; the last choice that covers an
    instant decides there.

    Of beats and downbeats: every n-th from `first` (the first downbeat when empty), with strength `at_least`, and
    `subdivision` 2, 3 or 4 to have halves, thirds or quarters. Of onsets: those of `bands` with strength `at_least`.
    """

    of: ChoiceOf = "beats"
    every: int = 1
    first: str = ""
    subdivision: int = 1
    at_least: float = 0.0
    bands: tuple[Band, ...] = BANDS
    from_s: float = 0.0
    to_s: float | None = None


class PointEdit(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What the user did to one found point; it stays whatever becomes of the reading and the choice."""

    id: str
    time_s: float | None = None
    strength: float | None = None
    name: str = ""
    locked: bool = False
    gone: bool = False


class SongPiece(msgspec.Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """A stretch of a song's file, in seconds of it."""

    from_s: float
    to_s: float


class Soundtrack(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """The song and the stretch of it that the reel uses, beginning at `start_s` of the song.

    Its points (`points.points_of`) follow from what was heard, how it is read, what is chosen of it, and by hand. A song that was
    arranged is made of `pieces` of its file, one after the other; everything else is in the time of the song so made, and
    `whole` is what was heard of the file itself.
    """

    path: MediaPath
    length_s: float
    start_s: float = 0.0
    gain_db: float = 0.0
    fade_in_s: float = 0.0
    fade_out_s: float = 0.0
    heard: Analysis | None = None
    reading: Reading = Reading()
    choices: tuple[PointChoice, ...] = (PointChoice(),)
    edits: tuple[PointEdit, ...] = ()
    own: tuple[Beat, ...] = ()
    placed: tuple[Point, ...] = ()
    pieces: tuple[SongPiece, ...] = ()
    whole: Analysis | None = None


SONG_SETTINGS = by_name(
    Setting("gain_db", "gain", 0.0, -60, 24, "dB", digits=1, step=0.5, does="How loud the song is"),
    Setting("fade_in_s", "fade in", 0.0, 0, 3600, "s", digits=2, within=(0, 60), does="From the stretch's start"),
    Setting("fade_out_s", "fade out", 0.0, 0, 3600, "s", digits=2, within=(0, 60), does="To the stretch's end"),
)
