"""The stretches of one tempo that beats are made of."""

from __future__ import annotations

from collections.abc import Sequence
from statistics import median
from typing import NamedTuple

_FEWEST = 8  # beats that make a stretch
_ANOTHER = 0.03  # so much faster or slower is another tempo
_NAMED = 3  # of so many stretches each tempo is told
_MOST = 12  # more stretches than this are one tempo that moves


class Tempo(NamedTuple):
    """A stretch of one tempo: from its first beat to the next stretch's, in seconds, and beats a minute."""

    start_s: float
    end_s: float
    bpm: float


def tempi(times_s: Sequence[float]) -> tuple[Tempo, ...]:
    """Return the stretches of one tempo of beats at seconds in order, one where the tempo keeps or never rests; none of fewer than
    two beats."""
    gaps = [b - a for a, b in zip(times_s, times_s[1:], strict=False)]
    if not gaps or median(gaps) <= 0:
        return ()
    starts = [0]
    for n in range(_FEWEST, len(gaps) - _FEWEST + 1):
        held, ahead = gaps[max(starts[-1], n - 2 * _FEWEST) : n], gaps[n : n + _FEWEST]
        if n - starts[-1] >= _FEWEST and _apart(median(held), median(ahead)) and _turns(gaps, n, median(held)):
            starts.append(n)
    if len(starts) > _MOST:
        starts = [0]
    ends = [*starts[1:], len(gaps)]
    return tuple(Tempo(times_s[a], times_s[b], 60 / median(gaps[a:b])) for a, b in zip(starts, ends, strict=True))


def tempo_words(stretches: Sequence[Tempo], places: int = 1) -> str:
    """Return the tempi of a song in words: one, each of a few, or that of the longest stretch and how often it changes. None without
    beats."""
    if not stretches:
        return ""
    if len(stretches) <= _NAMED:
        return " → ".join(_number(s.bpm, places) for s in stretches) + " BPM"
    return f"{_number(usual_tempo(stretches), places)} BPM and {len(stretches) - 1} changes"


def usual_tempo(stretches: Sequence[Tempo]) -> float:
    """Return the beats a minute of the longest stretch; 0 without any."""
    return max(stretches, key=lambda s: s.end_s - s.start_s).bpm if stretches else 0.0


def _number(bpm: float, places: int) -> str:
    return f"{bpm:.{places}f}".rstrip("0").rstrip(".")


def _apart(one: float, two: float) -> bool:
    return abs(one - two) > _ANOTHER * two


def _turns(gaps: Sequence[float], n: int, held: float) -> bool:
    """Return whether the gap from beat n on is the first of another tempo: most of its next are, and it is itself."""
    return _apart(held, gaps[n]) and sum(_apart(held, g) for g in gaps[n : n + _FEWEST]) >= _FEWEST - 1
