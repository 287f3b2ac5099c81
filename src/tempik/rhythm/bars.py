"""Bars: how many beats, and which of them is the first; and where a song changes either.

Every metre and phase is described by how its downbeats differ from the other beats of the bar (what the front end
hears as downbeats and as drums, low attack, new harmony, new bass note, new texture, level, what sounds half a beat
later) and by how far beats a bar apart are alike; not by where the file begins: songs are cut anywhere. A small network
chooses (`ranking`).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.features import FRAME_RATE, SLOW_RATE, Array, SummedFeatures, means_between
from tempik.rhythm.front import DOWNBEAT, KICK, SNARE, Heard, heard_at, likely
from tempik.rhythm.ranking import scores

Times = NDArray[np.float64]
Table = NDArray[np.float64]

METRES = (4, 3, 2, 5, 6, 7)
READINGS = [(metre, phase) for metre in METRES for phase in range(metre)]
# What is compared between the beats of a bar, by column of the beat table.
TRAITS = (
    *("downbeat heard", "kick heard", "snare heard"),
    *("low", "lower mid", "upper mid", "high", "harmony"),
    *("pitch over 1", "pitch over 2", "pitch over 4", "bass over 1", "bass over 2"),
    *("texture over 1", "texture over 4", "texture over 8", "level", "stillness"),
    *("low half later", "lower mid half later", "upper mid half later", "high half later"),
)
_LONGEST_LAG = 24
_FEWEST = 8
SUMMARY = 7
_CHANGE_COST = 11.0  # of another metre or another first beat within a song, in log odds of downbeats
_STAY_BARS = 4


class Bars(NamedTuple):
    """Beats in a bar, the number (0 …) of the first beat that is a downbeat, and how the reading was scored."""

    metre: int
    first_downbeat: int
    summary: Table  # what the choice of beats weighs, shape (SUMMARY,)
    belief: float = 0.0
    readings: tuple[
        tuple[int, int, float], ...
    ] = ()  # metre, first downbeat and belief: this one, then its likeliest rivals


class Beaten(NamedTuple):
    """What is known of each beat of a reading: the traits of TRAITS, how alike beats are at each lag."""

    columns: Table
    alike: Table
    downbeat: Table  # log odds of a downbeat at each beat, as heard


def find_bars(beats_s: Times, found: SummedFeatures, heard: Heard) -> Bars:
    """Return the metre and phase that the beats speak for most. Fewer than eight beats are counted in four."""
    if len(beats_s) < _FEWEST:
        return Bars(4, 0, np.zeros(SUMMARY))
    rows = describe(beats_s, found, heard)
    score = scores("bars", rows)[:, 0]
    best = int(np.argmax(score))
    share = np.exp(score - score.max())
    share /= share.sum()
    metre, phase = READINGS[best]
    in_fours = max(float(s) for s, (m, _) in zip(score, READINGS, strict=True) if m in (4, 2))
    in_threes = max(float(s) for s, (m, _) in zip(score, READINGS, strict=True) if m in (3, 6))
    row = rows[best]
    summary = np.array(
        [
            score[best],
            share[best],
            in_fours - in_threes,
            float(metre in (2, 4)),
            float(metre in (3, 6)),
            row[0],
            row[len(TRAITS)],
        ]
    )
    return Bars(metre, phase, summary, float(share[best]), _readings(score))


# How far shares by score are evened out: of closed pieces, whole and cut, the right reading is likeliest so (docs/rhythm-model.md).
_HEAT = 2.1
READINGS_KEPT = 3


def _readings(score: Table) -> tuple[tuple[int, int, float], ...]:
    """Return the likeliest ways to count bars: the first, the next phase of its metre, the next metre, and what comes then."""
    share = np.exp((score - score.max()) / _HEAT)
    share /= share.sum()
    order = [int(n) for n in np.argsort(-share)]
    best = order[0]
    phase = next(n for n in order[1:] if READINGS[n][0] == READINGS[best][0])
    metre = next(n for n in order[1:] if READINGS[n][0] != READINGS[best][0])
    rest = [n for n in order[1:] if n not in (phase, metre)]
    kept = [best, *sorted([phase, metre, *rest[: READINGS_KEPT - 3]], key=lambda n: -share[n])]
    return tuple((*READINGS[n], float(share[n])) for n in kept)


def describe(beats_s: Times, found: SummedFeatures, heard: Heard) -> Table:
    """Return one row of traits for each metre and phase, in the order of READINGS."""
    beaten = beat_table(beats_s, found, heard)
    return np.concatenate([_of_metre(metre, beaten, len(beats_s)) for metre in METRES])


def _of_metre(metre: int, beaten: Beaten, count: int) -> Table:
    """Return the rows of one metre's phases."""
    alike = beaten.alike
    places = np.stack([beaten.columns[j::metre].mean(axis=0) for j in range(metre)])
    one = places - (places.sum(axis=0) - places) / (metre - 1)
    ordered = np.sort(places, axis=0)
    best_other = places - np.where(places == ordered[-1], ordered[-2], ordered[-1])
    nothing = np.zeros((metre, 8))
    middle = (np.roll(places, -(metre // 2), axis=0) - places)[:, :8] if metre in (4, 6) else nothing
    if metre in (2, 4):
        # Backbeats: the second and the last beat against the first and the third.
        even = (places[1::2].mean(axis=0) - places[::2].mean(axis=0))[:8]
        back = np.stack([even if phase % 2 == 0 else -even for phase in range(metre)])
    else:
        back = nothing
    usual = float(np.mean(alike[1:]))
    lags = 6 * (np.array([alike[metre], alike[2 * metre], alike[min(4 * metre, _LONGEST_LAG)]]) - usual)
    others = 6 * (np.array([alike[n] for n in (2, 3, 4, 5, 6, 7, 8, 12)]) - usual)
    same = np.array([*(float(metre == m) for m in METRES), *lags, *others])
    odds = _odds_of(metre, beaten.downbeat)
    size = np.full((metre, 1), np.log2(count / metre))
    return np.column_stack([one, best_other, middle, back, np.tile(same, (metre, 1)), odds, size])


def _odds_of(metre: int, downbeat: Table) -> Table:
    """Return for each phase the log odds of downbeats where the reading has them, and where it has none, and how far
    each is met, shape (metre, 5)."""
    chance = 1 / (1 + np.exp(-downbeat))
    rows = []
    for phase in range(metre):
        on, likely_on = downbeat[phase::metre], chance[phase::metre]
        off = (downbeat.sum() - on.sum()) / (len(downbeat) - len(on))
        met, right = float(likely_on.sum() / (chance.sum() + 1e-6)), float(likely_on.mean())
        rows.append([on.mean(), off, met, right, 2 * met * right / (met + right + 1e-6)])
    return np.array(rows)


def beat_table(beats_s: Times, found: SummedFeatures, heard: Heard) -> Beaten:
    """Return the traits of each beat, each column about its own mean, and how alike beats are at each lag."""
    ends = np.append(beats_s, beats_s[-1] + np.median(np.diff(beats_s)))
    struck = found.struck

    def at(times_s: Times) -> Array:
        return np.asarray(struck[np.clip(np.round(times_s * FRAME_RATE).astype(int), 0, len(struck) - 1)])

    on, half = at(beats_s), at((ends[1:] + ends[:-1]) / 2)
    downbeat = heard_at(heard, DOWNBEAT, beats_s)
    kick, snare = (likely(heard_at(heard, kind, beats_s)) for kind in (KICK, SNARE))
    pitch, bass, texture = (means_between(s, SLOW_RATE, ends) for s in (found.pitch, found.bass, found.texture))
    level, onset = (means_between(s, FRAME_RATE, ends) for s in (found.level, found.onsets))
    busy = onset[:, 0] - 0.15 * on[:, :4].mean(axis=1)
    harmony, low = found.pitched
    columns = [
        np.clip(downbeat, -6, 4) / 2,
        2 * kick,
        2 * snare,
        *_evened(on).T,
        # What has no pitch has no say in it.
        *(harmony * _evened(_change(pitch, n)[:, None])[:, 0] for n in (1, 2, 4)),
        *(low * _evened(_change(bass, n)[:, None])[:, 0] for n in (1, 2)),
        *_evened(np.column_stack([*(_change(texture, n) for n in (1, 4, 8)), _change(level, 1), -busy, half[:, :4]])).T,
    ]
    whole = np.column_stack(
        [
            _evened(on[:, :4]),
            _evened(half[:, :4]),
            harmony * _evened(pitch),
            0.7 * low * _evened(bass),
            kick[:, None],
            snare[:, None],
        ]
    )
    whole /= np.linalg.norm(whole, axis=1, keepdims=True) + 1e-6
    alike = np.zeros(_LONGEST_LAG + 1)
    longest = min(_LONGEST_LAG, len(whole) - 5)
    for lag in range(1, longest + 1):
        alike[lag] = float(np.einsum("ij,ij->", whole[lag:], whole[:-lag])) / (len(whole) - lag)
    return Beaten(np.column_stack(columns), alike, np.asarray(downbeat, dtype=np.float64))


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


def places_in_bars(bars: Bars, count: int, downbeat: Table) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return bar (0: before the first downbeat) and place in the bar (0 …) of each of `count` beats, each of shape (count,).

    The song's own metre goes through unless the downbeats that are heard, as log odds for each beat, speak clearly for
    another metre or another first beat from somewhere on (the likeliest path over metres and places).
    """
    number = np.arange(count) - bars.first_downbeat
    bar, place = number // bars.metre + 1, number % bars.metre
    if count < 6 * bars.metre:
        return bar, place
    states = [(m, p) for m in (bars.metre, *(m for m in (3, 4, 5, 7) if m != bars.metre)) for p in range(m)]
    odds = np.clip(downbeat, -5, 3)
    odds = odds - np.median(odds)
    usual = np.array([0.0 if m == bars.metre else -0.05 for m, _ in states])
    follows = np.array([states.index((m, (p - 1) % m)) for m, p in states])
    is_one = np.array([p == 0 for _, p in states])
    total = np.where([m == bars.metre and p == int(place[0]) for m, p in states], 0.0, -_CHANGE_COST)
    back = np.zeros((count, len(states)), np.int64)
    for n in range(count):
        if n:
            steady, best = total[follows], int(np.argmax(total))
            jump = np.where(is_one, total[best] - _CHANGE_COST, -1e9)
            jumps = jump > steady
            back[n] = np.where(jumps, best, follows)
            total = np.where(jumps, jump, steady)
        total = total + np.where(is_one, odds[n], -0.25 * max(odds[n], 0.0)) + usual
    at = int(np.argmax(total))
    path = np.zeros(count, np.int64)
    for n in range(count - 1, -1, -1):
        path[n] = at
        at = int(back[n, at])
    path_place = np.array([states[s][1] for s in path])
    path_metre = np.array([states[s][0] for s in path])
    turned = np.flatnonzero((np.diff(path_metre) != 0) | (np.diff(path_place) != 1) & (path_place[1:] != 0)) + 1
    stretches = np.diff(np.concatenate([[0], turned, [count]]))
    if not len(turned) or stretches.min() < _STAY_BARS * bars.metre or len(turned) > max(1, count // (12 * bars.metre)):
        return bar, place
    counted = np.cumsum(path_place == 0)
    return counted, path_place
