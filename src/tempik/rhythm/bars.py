"""Bars: how many beats, and which of them is the first.

Every metre and phase is described by how its downbeats differ from the other beats of the bar (low attack, new
harmony, new bass note, new texture, level, what sounds half a beat later), by how far beats a bar apart are alike,
and by where the song begins. A linear score, fitted on pieces of known bars (`bench/fit.py`), chooses.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.features import FRAME_RATE, SLOW_RATE, Array, Listening, means_between
from tempik.rhythm.weights import WEIGHTS

Times = NDArray[np.float64]
Table = NDArray[np.float64]

METRES = (4, 3, 2, 5)
_READINGS = [(metre, phase) for metre in METRES for phase in range(metre)]
# What is compared between the beats of a bar, by column of the beat table.
TRAITS = (
    *("low", "lower mid", "upper mid", "high", "harmony"),
    *("pitch over 1", "pitch over 2", "pitch over 4", "bass over 1", "bass over 2"),
    *("texture over 1", "texture over 4", "texture over 8", "level", "stillness"),
    *("low half later", "lower mid half later", "upper mid half later", "high half later"),
)
_LONGEST_LAG = 24


class Bars(NamedTuple):
    """Beats in a bar, the number (0 …) of the first beat that is a downbeat, and how the reading was scored."""

    metre: int
    first_downbeat: int
    summary: Table  # what the choice of beats weighs: see `score.NAMES`


def find_bars(beats_s: Times, found: Listening) -> Bars:
    """Return the metre and phase that the beats speak for most. Fewer than eight beats are counted in four."""
    if len(beats_s) < 8:
        return Bars(4, 0, np.zeros(5 + len(TRAITS)))
    described = describe(beats_s, found)
    scores = described @ WEIGHTS["bars"]
    best = int(np.argmax(scores))
    share = np.exp(scores - scores.max())
    by_metre = [max(s for s, (m, _) in zip(scores, _READINGS, strict=True) if m == metre) for metre in (4, 3)]
    summary = np.array([scores[best], share[best] / share.sum(), scores[best] - scores.mean(), *by_metre])
    metre, phase = _READINGS[best]
    return Bars(metre, phase, np.concatenate([summary, described[best, : len(TRAITS)]]))


def describe(beats_s: Times, found: Listening) -> Table:
    """Return one row of traits for each metre and phase, in the order of _READINGS."""
    columns, alike = _beat_table(beats_s, found)
    usual = float(np.mean(alike[1:]))
    first, on_it = _first_sound(beats_s, found)
    rows = []
    for metre, phase in _READINGS:
        positions = np.stack([columns[(phase + j) % metre :: metre].mean(axis=0) for j in range(metre)])
        one = positions[0] - positions[1:].mean(axis=0)
        nothing = np.zeros(len(TRAITS))
        three = positions[2] - (positions[1] + positions[3]) / 2 if metre == 4 else nothing
        starts = float((first - phase) % metre == 0)
        begins = [starts * on_it, starts * (1 - on_it), float((first + 1 - phase) % metre == 0)]
        is_metre = [float(metre == m) for m in METRES]
        lags = 6 * (np.array([alike[metre], alike[2 * metre], alike[4 * metre]]) - usual)
        repeats = np.concatenate([lags * flag for flag in is_metre])
        rows.append(np.concatenate([one, three, 0.5 * one if metre == 3 else nothing, begins, is_metre, repeats]))
    return np.array(rows)


def _beat_table(beats_s: Times, found: Listening) -> tuple[Table, Table]:
    """Return the traits of each beat, each column about its own mean, and how alike beats are at each lag."""
    ends = np.append(beats_s, beats_s[-1] + np.median(np.diff(beats_s)))
    struck = found.struck

    def at(times_s: Times) -> Array:
        return np.asarray(struck[np.clip(np.round(times_s * FRAME_RATE).astype(int), 0, len(struck) - 1)])

    on, half = at(beats_s), at((ends[1:] + ends[:-1]) / 2)
    pitch, bass, texture = (means_between(s, SLOW_RATE, ends) for s in (found.pitch, found.bass, found.texture))
    level, onset = (means_between(s, FRAME_RATE, ends) for s in (found.level, found.onsets))
    busy = onset[:, 0] - 0.15 * on[:, :4].mean(axis=1)
    columns = [
        *on.T,
        *(_change(pitch, n) for n in (1, 2, 4)),
        *(_change(bass, n) for n in (1, 2)),
        *(_change(texture, n) for n in (1, 4, 8)),
        _change(level, 1),
        -busy,
        *half[:, :4].T,
    ]
    whole = np.column_stack([_evened(on[:, :4]), _evened(half[:, :4]), _evened(pitch), 0.7 * _evened(bass)])
    whole /= np.linalg.norm(whole, axis=1, keepdims=True) + 1e-6
    alike = np.zeros(_LONGEST_LAG + 1)
    for lag in range(1, min(_LONGEST_LAG, len(whole) - 5) + 1):
        alike[lag] = float((whole[lag:] * whole[:-lag]).sum(axis=1).mean())
    return _evened(np.column_stack(columns)), alike


def _evened(columns: Array | Table) -> Table:
    spread = columns.std(axis=0) + 1e-6
    return np.asarray(np.clip((columns - columns.mean(axis=0)) / spread, -3, 3), dtype=np.float64)


def _change(of_beats: Table, span: int) -> Table:
    """Return how the mean of `span` beats from each one differs from that of as many before it."""
    count = len(of_beats)
    total = np.concatenate([np.zeros((1, of_beats.shape[1])), np.cumsum(of_beats, axis=0)])
    here = np.arange(count)
    before, after = np.maximum(here - span, 0), np.minimum(here + span, count)
    change = np.zeros(count)
    later = (total[after] - total[here]) / (after - here)[:, None]
    earlier = (total[here] - total[before]) / np.maximum(here - before, 1)[:, None]
    change[1:] = np.linalg.norm(later - earlier, axis=1)[1:]
    change[0] = change[1:].mean()  # what came before the song is not known
    return change


def _first_sound(beats_s: Times, found: Listening) -> tuple[int, float]:
    """Return the beat nearest to the first sound, and 1 when the sound is on it."""
    nearest = int(np.argmin(np.abs(beats_s - found.first_sound_s)))
    return nearest, float(abs(beats_s[nearest] - found.first_sound_s) < 0.12)
