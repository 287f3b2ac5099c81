"""The choice among candidates for the beat: each is described by what the front end and the features hear on its beats
and between them, how its bars read, how usual its tempo is, and how it stands beside its rivals; a small network
(`ranking`), trained by ranking, scores it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.bars import SUMMARY, Bars, find_bars
from tempik.rhythm.candidates import Candidate
from tempik.rhythm.features import FRAME_RATE, SLOW_RATE, Features, SummedFeatures
from tempik.rhythm.filters import running_max
from tempik.rhythm.front import BEAT, KICK, RATE, Heard, likely
from tempik.rhythm.plain import possible
from tempik.rhythm.ranking import scores

Times = NDArray[np.float64]
Row = NDArray[np.float64]

_FRACTIONS = (0.0, 1 / 4, 1 / 3, 1 / 2, 2 / 3, 3 / 4)
MOST = 16  # candidates that are described in full
_BY_STRUCK = 5  # of them chosen by how many of their beats are struck
_PHASES = 2  # of one tempo
_SAME_TEMPO = 0.012
SAME_S = 0.05


class Scored(NamedTuple):
    """A candidate with its score and its bars."""

    candidate: Candidate
    score: float
    bars: Bars


def ranked(among: list[Candidate], found: SummedFeatures, heard: Heard) -> list[Scored]:
    """Return the candidates worth describing with their scores, the best first."""
    rows, kept, bars = describe_all(among, found, heard)
    if not kept:
        return []
    score = scores("choice", rows)[:, 0]
    order = np.argsort(-score)
    return [Scored(kept[i], float(score[i]), bars[i]) for i in order]


def describe_all(
    among: list[Candidate], found: SummedFeatures, heard: Heard
) -> tuple[NDArray[np.float64], list[Candidate], list[Bars]]:
    """Return a row of traits for each candidate that is worth it, those candidates, and their bars.

    Harmony and bars cost most of the time, so they are asked of those alone that the front end or the attacks favour.
    """
    if not among:
        return np.zeros((0, 0)), [], []
    among = possible(among, found, heard)
    first = np.array([_on_beat(c, found, heard) for c in among])
    by_heard = np.argsort(-(first[:, _MET] + 0.1 * first[:, 0]))
    by_struck = np.argsort(-first[:, _EVALUATED])
    picked = _unlike(among, by_heard, MOST - _BY_STRUCK, [])
    picked = _unlike(among, by_struck, MOST, picked)
    kept = [among[i] for i in picked]
    bars = [find_bars(c.beats_s, found, heard) for c in kept]
    own = np.array(
        [
            np.concatenate([first[i], _changes(c.beats_s, found), b.summary])
            for i, c, b in zip(picked, kept, bars, strict=True)
        ]
    )
    return np.column_stack([own, _beside(own, kept)]), kept, bars


def _unlike(among: list[Candidate], order: NDArray[np.int64], most: int, picked: list[int]) -> list[int]:
    """Return what is picked and, up to `most` in all, the next in order: few phases of a tempo, and nothing twice."""
    periods = [float(np.median(np.diff(c.beats_s))) for c in among]
    own: list[int] = []
    out = list(picked)
    for i in (int(n) for n in order):
        if len(out) >= most:
            break
        phases = sum(abs(periods[j] / periods[i] - 1) < _SAME_TEMPO for j in own)
        if i in picked:
            own.append(i)
        elif phases < _PHASES and not any(alike(among[i].beats_s, among[j].beats_s) for j in out):
            out.append(i)
            own.append(i)
    return out


# Where in a row: the mean log odds on the beat come first; these are the others that rivals are compared by.
_MET = 14
_EVALUATED = 15
_COMPARED = (0, 6, 12, 13, _MET, _EVALUATED, 16, 17, 18)


def _on_beat(candidate: Candidate, found: SummedFeatures, heard: Heard) -> Row:
    beats = candidate.beats_s
    gaps = np.diff(beats)
    places = [beats[:-1] + f * gaps for f in _FRACTIONS]
    rows = np.clip(np.round(np.stack(places) * RATE).astype(int), 0, len(heard.near) - 1)
    near = heard.near[rows].astype(np.float64)  # (fractions, beats, heads)
    odds = np.clip(near[:, :, BEAT], -6, 3)
    chance = likely(odds)
    met_by = _met(beats, heard)
    right = float(chance[0].mean())
    last = len(found.struck) - 1
    samples = [found.struck[np.clip(np.round(at * FRAME_RATE).astype(int), 0, last)] for at in places]
    means = np.stack([s.mean(axis=0) for s in samples])
    usual = means[:, :4].mean(axis=0) + 1e-3
    shape = means[:, :4] / usual
    low = shape[:, :2].mean(axis=1) - shape[:, 2:].mean(axis=1)
    hit = [float((s[:, :4].max(axis=1) > 0.2).mean()) for s in (samples[0], samples[3])]
    quarters = float((np.maximum(samples[1], samples[5])[:, :4].max(axis=1) > 0.2).mean())
    kinds = likely(near[[0, 1, 3, 5], :, KICK:]).transpose(2, 0, 1)  # (kinds, fractions, beats)
    kind_means = [[float(v.mean()) for v in (of[0], of[2], (of[1] + of[3]) / 2)] for of in kinds]
    tempo = np.log2(60 / float(np.median(gaps)) / 115)
    harmony = found.pitched[0] * 3 * (means[0, 4] - means[:, 4].mean())
    return np.array(
        [
            *(float(o.mean()) for o in odds),  # 0–5
            *(float(v.mean()) for v in chance),  # 6–11
            right,
            met_by,
            2 * right * met_by / (right + met_by + 1e-6),
            hit[0],
            *(v for of in kind_means[:1] for v in of),  # 16–18: kicks
            *(v for of in kind_means[1:] for v in of),
            hit[1],
            quarters,
            float(samples[0][:, :4].mean()),
            *_uneven(odds[0], (2, 3, 4)),
            *_uneven(kinds[0][0], (2, 4)),
            *_uneven(kinds[1][0], (2, 4)),
            *_uneven(samples[0][:, :4].mean(axis=1), (2, 3)),
            *shape.mean(axis=1),
            low[0],
            low[3],
            harmony,
            tempo,
            tempo**2,
            max(0.0, tempo - np.log2(180 / 115)),
            max(0.0, np.log2(70 / 115) - tempo),
            candidate.pulse.kept,
            float(candidate.even),
            *found.pitched,
        ]
    )


def _met(beats: Times, heard: Heard) -> float:
    """Return the share of all that sounds like a beat which lies on these beats."""
    at = heard.peaks_s
    if not len(at):
        return 0.0
    return float(heard.peaks[_apart(at, beats) < SAME_S].sum() / heard.peaks.sum())


def _uneven(values: NDArray[np.floating], cycles: tuple[int, ...]) -> list[float]:
    """Return for each cycle how far its best and its worst place lie from the mean."""
    mean = float(values.mean())
    out = []
    for cycle in cycles:
        places = [float(values[i::cycle].mean()) - mean if len(values[i::cycle]) else 0.0 for i in range(cycle)]
        out += [max(places), min(places)]
    return out


def _changes(beats: Times, found: SummedFeatures) -> Row:
    """Return how much more pitch, bass and texture change on the beat than half or a quarter of a beat from it; what
    has no pitch is silent."""
    gap = float(np.median(np.diff(beats)))
    out = []
    for total, say in ((found.pitch, found.pitched[0]), (found.bass, found.pitched[1]), (found.texture, 1.0)):
        for span in (0.6, 1.5):
            on, quarter, half, three = (_change_at(total, beats + f * gap, span * gap) for f in (0, 0.25, 0.5, 0.75))
            usual = (on + quarter + half + three) / 4 + 1e-9
            out += [say * (on - half) / usual, say * (on - (quarter + three) / 2) / usual]
    return np.array(out)


def _change_at(total: Row, times_s: Times, span_s: float) -> float:
    count = len(total) - 1
    at = np.clip(np.round(times_s * SLOW_RATE).astype(int), 0, count)
    width = max(1, round(span_s * SLOW_RATE))
    before, after = np.maximum(at - width, 0), np.minimum(at + width, count)
    earlier = (total[at] - total[before]) / np.maximum(at - before, 1)[:, None]
    later = (total[after] - total[at]) / np.maximum(after - at, 1)[:, None]
    return float(np.linalg.norm(later - earlier, axis=1).mean())


def _beside(own: NDArray[np.float64], kept: list[Candidate]) -> NDArray[np.float64]:
    """Return how each candidate stands beside the others: against the best of them, and against its own rivals, those
    of half, double and the same tempo at another phase, 3/2, 2/3, 4/3 and 3/4."""
    compared = own[:, _COMPARED]
    period = np.array([float(np.median(np.diff(c.beats_s))) for c in kept])
    score = own[:, [_MET, -SUMMARY]]
    rows = []
    for n in range(len(kept)):
        others = np.arange(len(kept)) != n
        best = compared[others].max(axis=0) if others.any() else compared[n]
        ratio = period[n] / period
        against: list[float] = []
        for wanted in (0.5, 1.0, 2.0, 1.5, 2 / 3, 4 / 3, 0.75):
            rivals = others & (np.abs(ratio / wanted - 1) < 0.03)
            against += (score[n] - score[rivals].max(axis=0)).tolist() if rivals.any() else [0.0, 0.0]
            against.append(float(rivals.any()))
        rows.append(np.concatenate([compared[n] - best, against]))
    return np.array(rows)


def alike(a: Times, b: Times) -> bool:
    """Return whether two ways to count place nine of ten beats alike, to 50 ms."""
    if not len(a) or not len(b):
        return False
    return min(float((_apart(a, b) < SAME_S).mean()), float((_apart(b, a) < SAME_S).mean())) > 0.9


def _apart(times: Times, among: Times) -> Times:
    """Return how far each time lies from the nearest of others, which are in order and not none."""
    after = np.searchsorted(among, times)
    right = np.abs(among[np.minimum(after, len(among) - 1)] - times)
    return np.asarray(np.minimum(right, np.abs(among[np.maximum(after - 1, 0)] - times)))


def gathered(beats: Times, found: Features) -> float:
    """Return how far onsets gather on the beats rather than anywhere, 0 to 1."""
    smooth = running_max(found.onset, 5)
    at = np.clip(np.round(beats * FRAME_RATE).astype(int), 0, len(smooth) - 1)
    on, anywhere = float(smooth[at].mean()), float(smooth.mean())
    return float(np.clip(2 * (on - anywhere) / (on + anywhere + 1e-9), 0, 1))
