"""What the analysis of a song gives: frozen records, kept in the cache and in the project."""

from __future__ import annotations

from typing import Literal, NamedTuple

import msgspec

SAMPLE_RATE = 24000  # at which songs are analysed, mono

Band = Literal["kick", "snare", "hat", "other"]
BANDS: tuple[Band, ...] = ("kick", "snare", "hat", "other")
LevelName = Literal["quiet", "middle", "full"]
LEVEL_WORDS: dict[LevelName, str] = {"quiet": "quiet", "middle": "half loud", "full": "loud"}


SURE, LIKELY = 0.85, 0.6


def belief_word(belief: float) -> str:
    """Return how likely a reading is the right one, in a word."""
    return "sure" if belief >= SURE else "likely" if belief >= LIKELY else "unsure"


class Beat(msgspec.Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """One beat: seconds of the song, strength 0 to 1, bar and beat counted from 1 (bar 0 is a pick-up).

    `other_s` is the same beat read the other way: along a moving tempo where the song was found steady, on one even
    grid where it was not.
    """

    time_s: float
    strength: float
    bar: int
    beat: int
    other_s: float


class Onset(msgspec.Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """One attack: seconds of the song at its rising edge, strength 0 to 1, and what it sounds like."""

    time_s: float
    strength: float
    band: Band


class Section(msgspec.Struct, frozen=True, array_like=True, forbid_unknown_fields=True):
    """A stretch of the song of one energy and texture. `level` is 0 to 1 of the loudest section's."""

    start_s: float
    end_s: float
    level: float
    name: LevelName


def sure_words(found: Analysis, way: int = 0) -> str:
    """Return how sure the beats of an analysis are, and its bars counted in one of the ways that were heard (-1: in none of them)."""
    beats = f"beats {belief_word(found.confidence)} {found.confidence * 100:.0f} %"
    if not 0 <= way < len(found.bars):
        return beats
    return f"{beats}, bars {belief_word(found.bars[way].belief)} {found.bars[way].belief * 100:.0f} %"


class BarReading(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One way to count the bars of a reading: beats in a bar, which of its beats (from 0) begins the first, and how likely it is the
    right one, 0 to 1, if the beats are."""

    metre: int
    first: int
    belief: float


class Rival(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Another way to count the same song: its tempo, metre and beats, and how likely it is the right one, 0 to 1; and the ways to
    count its bars, as found first."""

    tempo_bpm: float
    metre: int
    steady: bool
    belief: float
    beats: tuple[Beat, ...]
    bars: tuple[BarReading, ...] = ()


class Analysis(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What was found in a song. `tempo_bpm` 0 and no beats: there is no steady beat, only onsets.

    `division` is 3 where beats divide into three (6/8, 12/8, shuffle), else 2. `drops` are the first beats of
    sections that come in much louder and lower than what was before. `confidence` is how likely the beats are the
    right ones, 0 to 1; `rivals` are the likeliest other ways to count the song; `bars` the ways to count the bars of its beats, as
    found first.
    """

    length_s: float
    tempo_bpm: float = 0.0
    metre: int = 4
    division: int = 2
    steady: bool = False
    confidence: float = 0.0
    beats: tuple[Beat, ...] = ()
    onsets: tuple[Onset, ...] = ()
    sections: tuple[Section, ...] = ()
    drops: tuple[float, ...] = ()
    rivals: tuple[Rival, ...] = ()
    bars: tuple[BarReading, ...] = ()


class Mark(NamedTuple):
    """One row of a points file: seconds of the song, a word, bar and beat counted from 1 (beat 0: not a beat), strength 0 to 1."""

    time_s: float
    name: str = ""
    bar: int = 0
    beat: int = 0
    strength: float = 1.0
