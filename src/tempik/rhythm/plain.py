"""Plain music: where one grid has an attack on every beat and no attack is off it, what else could be its beat?

Nothing that has silence on every second beat, unless the sounds are a backbeat's; and where all attacks sound alike, or
all are kicks, nothing that passes over every second of them either.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.candidates import Candidate
from tempik.rhythm.features import FRAME_RATE, SummedFeatures
from tempik.rhythm.front import KICK, SNARE, Heard, heard_at, likely

Times = NDArray[np.float64]

# Measured on made music: one sound alone is met to 0.99 or more; of whole bands' beats and halves one in fifty is.
_MET, _EVALUATED, _SILENT = 0.96, 0.9, 0.65
_ALIKE = 0.12
_FASTEST_BACKBEAT_BPM = 180.0  # with silence between its two and four
_FASTEST_BPM = 205.0  # alike attacks that come faster are parts of a beat


def possible(among: list[Candidate], found: SummedFeatures, heard: Heard) -> list[Candidate]:
    """Return the candidates that could be the beat: all of them, but of plain music."""
    met = np.array([_met(c.beats_s, found) for c in among])
    struck = np.array([_struck(c.beats_s, found) for c in among])
    full = np.flatnonzero((met >= _MET) & (struck >= _EVALUATED))
    if not len(full):
        return among
    # Of grids that meet every attack the slowest is the music's own pulse.
    pulse = among[max(full, key=lambda i: float(np.median(np.diff(among[i].beats_s))))].beats_s
    keep = np.ones(len(among), dtype=bool)
    tempo = np.array([60 / float(np.median(np.diff(c.beats_s))) for c in among])
    if float(likely(heard_at(heard, SNARE, pulse)).mean()) < 0.5:
        keep &= struck >= _SILENT
        kicked = float((likely(heard_at(heard, KICK, pulse)) > 0.5).mean()) >= _EVALUATED
        if 60 / float(np.median(np.diff(pulse))) <= _FASTEST_BPM and (kicked or _alike(pulse, found)):
            keep &= met >= _MET
    else:
        keep &= (struck >= _SILENT) | (tempo <= _FASTEST_BACKBEAT_BPM)
    return [c for c, able in zip(among, keep, strict=True) if able] or among


def _met(beats: Times, found: SummedFeatures) -> float:
    """Return the share of all new energy that arrives on the beats."""
    total = found.onsets[:, 0]
    last = len(total) - 1
    start, end = (np.clip(np.round((beats + by) * FRAME_RATE).astype(int), 0, last) for by in (-0.04, 0.06))
    return float((total[end] - total[start]).sum() / (total[-1] + 1e-9))


def _hits(beats: Times, found: SummedFeatures) -> NDArray[np.float32]:
    last = len(found.struck) - 1
    return np.asarray(found.struck[np.clip(np.round(beats * FRAME_RATE).astype(int), 0, last)][:, :4])


def _struck(beats: Times, found: SummedFeatures) -> float:
    """Return the share of beats on which there is an attack, of those between the first attack and the last."""
    hit = _hits(beats, found).max(axis=1) > 0.2
    inside = np.flatnonzero(hit)
    return float(hit[inside[0] : inside[-1] + 1].mean()) if len(inside) else 0.0


def _alike(beats: Times, found: SummedFeatures) -> bool:
    """Return whether the attacks sound alike whatever their place in twos, threes or fours."""
    hits = _hits(beats, found)
    usual = float(hits.mean()) + 1e-6
    for cycle in (2, 3, 4):
        places = np.stack([hits[i::cycle].mean(axis=0) for i in range(cycle)])
        if float((places.max(axis=0) - places.min(axis=0)).max()) / usual > 2 * _ALIKE:
            return False
    return True
