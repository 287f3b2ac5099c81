"""How far a choice of beats is to be believed: calibrated on pieces that it was not fitted on (docs/rhythm-model.md)."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.bars import Bars
from tempik.rhythm.candidates import Candidate
from tempik.rhythm.features import FRAME_RATE, Features
from tempik.rhythm.filters import running_max
from tempik.rhythm.front import RATE, Heard, likely
from tempik.rhythm.ranking import scores
from tempik.rhythm.score import Scored, alike, gathered

NOTHING, WRONG, RIGHT = range(3)
NO_BEAT = 0.4


class Belief(NamedTuple):
    """How likely the first choice is right, 0 to 1, and whether there is most likely no steady beat at all."""

    right: float
    nothing: bool


def belief(order: list[Scored], found: Features, heard: Heard) -> Belief:
    """Return how far the first of the ranked candidates is to be believed."""
    first = order[0].candidate.beats_s
    same = np.array([alike(first, s.candidate.beats_s) for s in order])
    told = told_of(order[0].candidate, order[0].bars, found, heard)
    odds = scores("belief", evidence(np.array([s.score for s in order]), same, told)[None])[0]
    share = np.exp(odds - odds.max())
    share /= share.sum()
    return Belief(float(share[RIGHT]), bool(share[NOTHING] > NO_BEAT))


def evidence(score: NDArray[np.float64], same: NDArray[np.bool_], told: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return what the belief goes by, one row: how clearly the best of all scores (the first) stands out among those
    whose beats are not the `same`, and what is `told` of it."""
    share = np.exp(score - score[0])
    share /= share.sum()
    others = score[~same]
    apart = float(score[0] - others.max()) if len(others) else 6.0
    return np.array([score[0], float(share[same].sum()), min(apart, 6.0), *told])


def told_of(candidate: Candidate, bars: Bars, found: Features, heard: Heard) -> NDArray[np.float64]:
    """Return what is told of a candidate by itself: what the front end hears on its beats and at its best anywhere,
    how onsets gather on it, how clear its bars are, and how usual its tempo is: shape (n,), in the order in
    which the judge was taught."""
    beats = candidate.beats_s
    chance = likely(heard.beat)
    peaks = chance[(chance == running_max(chance, 15)) & (chance > 0.02)]
    strong = np.sort(peaks)[::-1][: max(8, len(beats))]
    at = np.clip(np.round(beats * RATE).astype(int), 0, len(chance) - 1)
    near = running_max(chance, 3)[at]
    downbeat = likely(heard.downbeat)
    tempo = np.log2(60 / float(np.median(np.diff(beats))) / 115)
    loud = found.loudness > np.percentile(found.loudness, 95) - 45
    return np.array(
        [
            float(near.mean()),
            float(np.percentile(near, 20)),
            float((near > 0.3).mean()),
            float(strong.mean()) if len(strong) else 0.0,
            len(peaks) / max(1, len(beats)),
            gathered(beats, found),
            candidate.pulse.kept,
            float(candidate.even),
            bars.belief,
            float(np.sort(downbeat)[-max(4, len(beats) // 4) :].mean()) if len(downbeat) else 0.0,
            tempo,
            abs(tempo),
            np.log2(len(found.onset) / FRAME_RATE / 30),
            float(loud.mean()),
        ]
    )
