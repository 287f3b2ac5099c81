"""How far a choice of beats is to be believed: calibrated on pieces that it was not fitted on (docs/rhythm-model.md)."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d

from tempik.rhythm.features import FRAME_RATE, Features
from tempik.rhythm.front import RATE, Heard, likely
from tempik.rhythm.ranking import scores
from tempik.rhythm.score import Scored, alike, gathered

NOTHING, WRONG, RIGHT = range(3)
_NO_BEAT = 0.6


class Belief(NamedTuple):
    """How likely the first choice is right, 0 to 1, and whether there is most likely no steady beat at all."""

    right: float
    nothing: bool


def belief(order: list[Scored], found: Features, heard: Heard) -> Belief:
    """Return how far the first of the ranked candidates is to be believed."""
    odds = scores("belief", evidence(order, found, heard)[None])[0]
    share = np.exp(odds - odds.max())
    share /= share.sum()
    return Belief(
        float(share[RIGHT] / max(1 - share[NOTHING], 1e-6)) * float(1 - share[NOTHING]), bool(share[NOTHING] > _NO_BEAT)
    )


def evidence(order: list[Scored], found: Features, heard: Heard) -> NDArray[np.float64]:
    """Return what the belief goes by, one row: how clearly the first stands out among the ranked candidates, what the
    front end hears at its best, and how onsets gather on its beats."""
    first = order[0]
    beats = first.candidate.beats_s
    score = np.array([s.score for s in order])
    share = np.exp(score - score[0])
    share /= share.sum()
    same = np.array([alike(beats, s.candidate.beats_s) for s in order])
    other = score[~same]
    chance = likely(heard.beat)
    peaks = chance[(chance == maximum_filter1d(chance, 15)) & (chance > 0.02)]
    strong = np.sort(peaks)[::-1][: max(8, len(beats))]
    at = np.clip(np.round(beats * RATE).astype(int), 0, len(chance) - 1)
    near = maximum_filter1d(chance, 3)[at]
    downbeat = likely(heard.downbeat)
    gap = float(np.median(np.diff(beats)))
    loud = found.loudness > np.percentile(found.loudness, 95) - 45
    return np.array(
        [
            score[0],
            float(share[same].sum()),
            float(score[0] - other.max()) if len(other) else 4.0,
            float(near.mean()),
            float(np.percentile(near, 20)),
            float((near > 0.3).mean()),
            float(strong.mean()) if len(strong) else 0.0,
            len(peaks) / max(1, len(beats)),
            gathered(beats, found),
            first.candidate.pulse.kept,
            float(first.candidate.even),
            first.bars.belief,
            float(np.sort(downbeat)[-max(4, len(beats) // 4) :].mean()) if len(downbeat) else 0.0,
            np.log2(60 / gap / 115),
            abs(np.log2(60 / gap / 115)),
            np.log2(len(found.onset) / FRAME_RATE / 30),
            float(loud.mean()),
        ]
    )
