"""Tempo that changes midway: where along a song its beats are no longer met, which passages are to be read anew, and how readings
of passages are joined with no beat lost or doubled.

What the front end hears is compared in windows of eight seconds: how well the beats that were chosen meet it, and how well the best
even grid of the window would. The tempi of those grids, as a path that would rather stay than jump, say where one stretch ends.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.filters import running_max
from tempik.rhythm.front import RATE, Heard, likely

Times = NDArray[np.float64]
Table = NDArray[np.float64]

WINDOW_S, HOP_S = 8.0, 2.0
_SLOWEST_BPM, _FASTEST_BPM, _RATES = 48.0, 212.0, 150
_JUMP_COST = 0.35  # of another tempo, in shares met of one window
_NEAR_RATES, _NEAR_COST = 2, 0.02
_LOWER = 0.12  # so much less met than the window's best grid is low
_LEAST_S = 6.0
_JUMP = 0.04


class Passage(NamedTuple):
    """A stretch of a song, seconds, and whether it is to be read anew."""

    start_s: float
    end_s: float
    anew: bool


class _Windows(NamedTuple):
    """What is heard, ready to be asked: the most of each instant and its neighbours, where beats peak and the sum of those."""

    near: Table
    peak: Table
    total: Table
    starts: NDArray[np.int64]


def _windows(heard: Heard) -> _Windows:
    chance = likely(heard.beat).astype(np.float64)
    peaks = np.zeros(len(chance))
    peaks[np.round(heard.peaks_s * RATE).astype(int)] = heard.peaks
    size, hop = round(WINDOW_S * RATE), round(HOP_S * RATE)
    starts = np.arange(0, max(1, len(chance) - size + 1), hop)
    sums = np.concatenate([[0.0], np.cumsum(peaks)])
    total = sums[np.minimum(starts + size, len(chance))] - sums[starts]
    return _Windows(running_max(chance, 3), running_max(peaks, 5), total, starts)


def _harmonic(right: Table, met: Table) -> Table:
    return np.asarray(2 * right * met / (right + met + 1e-6))


def met_along(beats: Times, heard: Heard) -> Table:
    """Return for each window how well beats, in seconds, meet what is heard, 0 to 1: the harmonic mean of how likely a beat is where they
    lie and of the share of what sounds like a beat that they meet."""
    at = _windows(heard)
    rows = np.clip(np.round(beats * RATE).astype(int), 0, len(at.near) - 1)
    right, met = np.zeros(len(at.starts)), np.zeros(len(at.starts))
    for n in range(len(at.starts)):
        inside = rows[(rows >= at.starts[n]) & (rows < at.starts[n] + round(WINDOW_S * RATE))]
        if len(inside):
            right[n], met[n] = at.near[inside].mean(), min(1.0, float(at.peak[inside].sum() / (at.total[n] + 1e-6)))
    return _harmonic(right, met)


def best_grids(heard: Heard) -> tuple[Table, Times]:
    """Return how well the best even grid of each tempo meets each window, shape (windows, tempi), and the tempi's periods in seconds."""
    at = _windows(heard)
    size, count = round(WINDOW_S * RATE), len(at.near)
    periods = RATE * 60 / np.geomspace(_SLOWEST_BPM, _FASTEST_BPM, _RATES)
    out = np.zeros((len(at.starts), _RATES))
    for n, period in enumerate(periods):
        phases = np.arange(int(period) + 1)[:, None]
        steps = np.arange(int(size / period) + 1)[None, :] * period
        rows = np.round(phases + steps).astype(int)
        inside = rows < size
        places = np.minimum(at.starts[:, None, None] + rows, count - 1)
        right = (at.near[places] * inside).sum(axis=2) / inside.sum(axis=1)
        met = np.minimum(1.0, (at.peak[places] * inside).sum(axis=2) / (at.total[:, None] + 1e-6))
        out[:, n] = _harmonic(right, met).max(axis=1)
    return out, periods / RATE


def _path(met: Table) -> NDArray[np.int64]:
    """Return the tempo of each window along the path that meets most, moving little and jumping seldom."""
    windows, rates = met.shape
    total, back = met[0].copy(), np.zeros((windows, rates), np.int64)
    each = np.arange(rates)
    for n in range(1, windows):
        best, came = total.copy(), each.copy()
        for by in range(-_NEAR_RATES, _NEAR_RATES + 1):
            source = np.clip(each + by, 0, rates - 1)
            moved = total[source] - _NEAR_COST * abs(by)
            came = np.where(moved > best, source, came)
            best = np.maximum(best, moved)
        top = int(np.argmax(total))
        jumps = best < total[top] - _JUMP_COST
        back[n] = np.where(jumps, top, came)
        total = np.where(jumps, total[top] - _JUMP_COST, best) + met[n]
    out = np.zeros(windows, np.int64)
    out[-1] = int(np.argmax(total))
    for n in range(windows - 1, 0, -1):
        out[n - 1] = back[n, out[n]]
    return out


def _periods_along(beats: Times, windows: int) -> Times:
    """Return the usual gap of the beats of each window, in seconds; of all beats where a window has too few."""
    gaps = np.diff(beats)
    usual = float(np.median(gaps))
    out = np.full(windows, usual)
    for n in range(windows):
        inside = gaps[(beats[:-1] >= n * HOP_S) & (beats[:-1] < n * HOP_S + WINDOW_S)]
        if len(inside) >= 3:
            out[n] = np.median(inside)
    return out


def passages(beats: Times, heard: Heard) -> list[Passage]:
    """Return a song's passages, in order and without gaps, from its beats: one, not to be read anew, where the beats hold throughout."""
    length_s = len(heard.beat) / RATE
    whole = [Passage(0.0, length_s, False)]
    if length_s < WINDOW_S + _LEAST_S:
        return whole
    own = met_along(beats, heard)
    met, periods = best_grids(heard)
    path = _path(met)
    best = met[np.arange(len(path)), path]
    low = (own < best - _LOWER) | (np.abs(np.log(_periods_along(beats, len(own)) / periods[path])) > _JUMP)
    jumps = np.abs(np.diff(np.log(periods[path]))) > _JUMP
    cuts = [
        0,
        *(int(n) + 1 for n in np.flatnonzero((np.diff(low.astype(int)) != 0) | (jumps & (low[1:] | low[:-1])))),
        len(path),
    ]
    runs = [(a, b, bool(low[a])) for a, b in zip(cuts, cuts[1:], strict=False)]
    least = round(_LEAST_S / HOP_S)
    while len(runs) > 1 and min(b - a for a, b, _ in runs) < least:
        # The shortest run goes to its longer neighbour.
        n = min(range(len(runs)), key=lambda i: runs[i][1] - runs[i][0])
        around = [i for i in (n - 1, n + 1) if 0 <= i < len(runs)]
        to = max(around, key=lambda i: runs[i][1] - runs[i][0])
        a, b = min(n, to), max(n, to)
        runs[a : b + 1] = [(runs[a][0], runs[b][1], runs[to][2])]
    if not any(anew for _, _, anew in runs):
        return whole
    # A window's middle says what holds there; runs meet half way between the middles of theirs.
    ends = [0.0, *(round((a - 0.5) * HOP_S + WINDOW_S / 2, 1) for a, _, _ in runs[1:]), length_s]
    return [Passage(a, b, run[2]) for a, b, run in zip(ends, ends[1:], runs, strict=False)]


def _worth(beats: Times, heard: Heard) -> Table:
    """Return the sum, up to each row, of what is heard and met, less what is heard and not, less beats where nothing is heard."""
    chance = running_max(likely(heard.beat).astype(np.float64), 3)
    out = np.zeros(len(chance))
    rows = np.clip(np.round(beats * RATE).astype(int), 0, len(chance) - 1)
    np.add.at(out, rows, chance[rows] - 0.5)
    far = (
        np.abs(heard.peaks_s[:, None] - beats[None]).min(axis=1) > 0.05
        if len(beats) and len(heard.peaks_s)
        else np.ones(len(heard.peaks_s), bool)
    )
    np.add.at(out, np.round(heard.peaks_s * RATE).astype(int)[far], -0.7 * heard.peaks[far])
    return np.concatenate([[0.0], np.cumsum(out)])


_REACH_S = 6.0
_SHORT, _LONG = 0.6, 1.5


def carried(beats: Times, back_s: float, on_s: float) -> Times:
    """Return beats carried on evenly to so far before the first and after the last."""
    if len(beats) < 5:
        return beats
    first, last = float(np.median(np.diff(beats[:5]))), float(np.median(np.diff(beats[-5:])))
    before = beats[0] - first * np.arange(int(max(0.0, back_s) / first), 0, -1)
    after = beats[-1] + last * np.arange(1, int(max(0.0, on_s) / last) + 1)
    return np.concatenate([before, beats, after])


def joined_where_met(before: Times, after: Times, heard: Heard, near_s: float) -> tuple[Times, Times]:
    """Return two runs of beats, each cut off where they meet best: most is met that is heard near `near_s`, and the gap at the seam is no
    much shorter or longer beat than its neighbours."""
    head = carried(before, 0.0, near_s + _REACH_S - float(before[-1]))
    tail = carried(after, float(after[0]) - near_s + _REACH_S, 0.0)
    gained, left = _worth(head, heard), _worth(tail, heard)
    best: tuple[float, int, int] | None = None
    for i in np.flatnonzero(np.abs(head - near_s) <= _REACH_S):
        if i < 1:
            continue
        for j in range(int(np.searchsorted(tail, head[i] + 0.1)), len(tail) - 1):
            gap = float(tail[j] - head[i])
            one, two = float(head[i] - head[i - 1]), float(tail[j + 1] - tail[j])
            if gap > _LONG * max(one, two):
                break
            if gap < _SHORT * min(one, two):
                continue
            row = int(np.clip((head[i] + gap / 2) * RATE, 0, len(gained) - 1))
            off = min(abs(float(np.log2(gap / one))), abs(float(np.log2(gap / two))))
            worth = float(gained[row] + left[-1] - left[row]) - off
            if best is None or worth > best[0]:
                best = (worth, int(i), j)
    if best is None:
        return before[before < near_s], after[after >= near_s]
    return head[: best[1] + 1], tail[best[2] :]
