"""The choice among candidates for the beat: a linear score over what happens on a candidate's beats and between
them, how its bars read, and how usual its tempo is. Its weights were fitted by ranking (`bench/fit.py`)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.bars import TRAITS, Bars, find_bars
from tempik.rhythm.features import FRAME_RATE, SLOW_RATE, Array, Listening
from tempik.rhythm.weights import WEIGHTS

Times = NDArray[np.float64]
Row = NDArray[np.float64]

_FRACTIONS = (0.0, 1 / 4, 1 / 3, 1 / 2, 2 / 3, 3 / 4)
_ON_BEAT = (
    *(
        "on the beat",
        "a quarter later",
        "a third later",
        "half a beat later",
        "two thirds later",
        "three quarters later",
    ),
    *("low on the beat", "low half a beat later", "harmony on the beat"),
    *("tempo", "tempo squared", "above 180", "below 70", "size of attacks", "share of beats struck"),
)
_CHANGES = tuple(
    f"{what} changes over {span}, on the beat against {other}"
    for what in ("pitch", "bass", "texture")
    for span in ("0.6 beats", "1.5 beats")
    for other in ("half a beat later", "its quarters")
)
_BARS = ("bars", "bars alone", "bars against others", "in four", "in three", *(f"downbeat {t}" for t in TRAITS))
NAMES = (*_ON_BEAT, *_CHANGES, *_BARS)


_STRUCK = NAMES.index("share of beats struck")
_FEW, _NEARLY_ALL = 0.4, 0.85
_MOST = 12


def best_of(candidates: list[Times], found: Listening) -> tuple[Times, Bars] | None:
    """Return the candidate with the highest score and its bars, or None of none."""
    if not candidates:
        return None
    rows = [_on_beat(beats, found.struck) for beats in candidates]
    struck = [float(row[_STRUCK]) for row in rows]
    # In bare music the score has little to go by: a grid that most attacks miss is not its beat when one is there
    # on which nearly all beats are struck.
    least = _FEW if max(struck) > _NEARLY_ALL else 0.0
    able = [i for i, share in enumerate(struck) if share >= least]
    # Harmony and bars cost most of the time and only settle what the beat itself leaves open: of 77 songs the choice
    # was once as low as eighth by the beat alone.
    able.sort(key=lambda i: -float(rows[i] @ WEIGHTS["beats"][: len(_ON_BEAT)]))
    best: tuple[float, Times, Bars] | None = None
    for number in able[:_MOST]:
        row, bars = describe(candidates[number], found)
        score = float(row @ WEIGHTS["beats"])
        if best is None or score > best[0]:
            best = (score, candidates[number], bars)
    return None if best is None else best[1:]


def describe(beats: Times, found: Listening) -> tuple[Row, Bars]:
    """Return what a candidate is judged by, in the order of NAMES, and its bars."""
    bars = find_bars(beats, found)
    return np.concatenate([_on_beat(beats, found.struck), _changes(beats, found), bars.summary]), bars


def _on_beat(beats: Times, struck: Array) -> Row:
    gaps = np.diff(beats)
    last = len(struck) - 1
    samples = [struck[np.clip(np.round((beats[:-1] + f * gaps) * FRAME_RATE).astype(int), 0, last)] for f in _FRACTIONS]
    means = np.stack([s.mean(axis=0) for s in samples])
    usual = means[:, :4].mean(axis=0) + 1e-3
    shape = means[:, :4] / usual
    low = shape[:, :2].mean(axis=1) - shape[:, 2:].mean(axis=1)
    harmony = 3 * (means[0, 4] - means[:, 4].mean())
    tempo = np.log2(60 / float(np.median(gaps)) / 115)
    hits = samples[0][:, :4]
    return np.array(
        [
            *shape.mean(axis=1),
            low[0],
            low[3],
            harmony,
            tempo,
            tempo**2,
            max(0.0, tempo - np.log2(180 / 115)),
            max(0.0, np.log2(70 / 115) - tempo),
            float(hits.mean()),
            float((hits.max(axis=1) > 0.2).mean()),
        ]
    )


def _changes(beats: Times, found: Listening) -> Row:
    """Return how much more pitch, bass and texture change on the beat than half or a quarter of a beat from it."""
    gap = float(np.median(np.diff(beats)))
    out = []
    for total in (found.pitch, found.bass, found.texture):
        for span in (0.6, 1.5):
            on, quarter, half, three = (_change_at(total, beats + f * gap, span * gap) for f in (0, 0.25, 0.5, 0.75))
            usual = (on + quarter + half + three) / 4 + 1e-9
            out += [(on - half) / usual, (on - (quarter + three) / 2) / usual]
    return np.array(out)


def _change_at(total: Row, times_s: Times, span_s: float) -> float:
    count = len(total) - 1
    at = np.clip(np.round(times_s * SLOW_RATE).astype(int), 0, count)
    width = max(1, round(span_s * SLOW_RATE))
    before, after = np.maximum(at - width, 0), np.minimum(at + width, count)
    earlier = (total[at] - total[before]) / np.maximum(at - before, 1)[:, None]
    later = (total[after] - total[at]) / np.maximum(after - at, 1)[:, None]
    return float(np.linalg.norm(later - earlier, axis=1).mean())
