"""Beats: a grid for music that keeps time, a tracker for music that does not, and the choice of beat among the
regular pulses of a song.

1. A first reading by dynamic programming over (instant, period), after Ellis, "Beat tracking by dynamic
   programming", JNMR 2007, with the period as part of the state so that tempo may move.
2. The Fourier transform of the whole song's onsets at that tempo says whether the pulse keeps one phase throughout
   (Grosche and Müller, "Extracting predominant local pulse information", TASLP 2011, use it locally). If so the song
   is steady and its grid is fitted to all of it at once, which makes single beats accurate to a few milliseconds.
3. Every related tempo (half, double, two thirds …) and every phase at which attacks gather is a candidate. A linear
   score over what happens on the candidate's beats and between them chooses: where attacks stand in the beat, how
   low they are, whether harmony changes there, and how usual the tempo is.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d, maximum_filter1d

from tempik.rhythm.attack import STEP_RATE, attacks_near, edges
from tempik.rhythm.features import FRAME_RATE, Features

Array = NDArray[np.float32]
Times = NDArray[np.float64]

SLOWEST_BPM, FASTEST_BPM = 55.0, 215.0
# First readings keep to the middle of the range; candidates reach its ends.
_READ_LOW, _READ_HIGH = 70.0, 215.0
_TEMPO_CHANGE_COST = 90.0
_NEAR = 5
_WINDOW_S = 8.0
_RATIOS = ((1, 1), (1, 2), (2, 1), (3, 1), (1, 3), (2, 3), (3, 2), (4, 1), (4, 3), (3, 4))
_FRACTIONS = (0.0, 1 / 4, 1 / 3, 1 / 2, 2 / 3, 3 / 4)
# Fitted by regularised ranking on annotated music and checked with each piece left out in turn: attacks on the beat
# and on its fractions, lowness on the beat and on its half, harmony, tempo (four terms), attack size, share of hits.
_WEIGHTS = np.array(
    [
        0.822,
        -0.479,
        -0.584,
        -0.046,
        0.264,
        0.147,
        -1.142,
        -0.468,
        0.058,
        0.836,
        -0.234,
        -13.08,
        0.713,
        4.385,
        0.998,
    ]
)


class Beats(NamedTuple):
    """Beat times in seconds, in order; whether they are one even grid; and how sure that there is a beat, 0 to 1."""

    times_s: Times
    steady: bool
    confidence: float


def find_beats(samples: Array, found: Features, rise: Array) -> Beats:
    """Return the beats of a song from its samples, its features and its fine rise (`attack.fine_rise`)."""
    length_s = len(found.onset) / FRAME_RATE
    if length_s < 2 or float(found.onset.max(initial=0.0)) <= 0:
        return Beats(np.empty(0), False, 0.0)
    reading = _first_reading(found.onset)
    if len(reading) < 8:
        return Beats(np.empty(0), False, 0.0)
    rate, kept = _whole_song_rate(found.onset, 1 / float(np.median(np.diff(reading))))
    steady = kept > 0.8
    if steady:
        candidates = _grids(rise, rate, length_s)
    else:
        snapped, _ = attacks_near(rise, reading, 0.035)
        candidates = _readings(snapped)
    heard = maximum_filter1d(np.column_stack([found.flux, found.harmony]), 5, axis=0)
    best = max(candidates, key=lambda c: float(_describe(c, heard) @ _WEIGHTS), default=np.empty(0))
    if len(best) < 4:
        return Beats(np.empty(0), False, 0.0)
    if steady:
        best = _refitted(best, samples, rise)
    else:
        best = _eased(edges(samples, attacks_near(rise, best, 0.03)[0])[0])
    return Beats(best, steady, _confidence(best, found, kept))


def _first_reading(onset: Array) -> Times:
    smooth = gaussian_filter1d(onset, 1.0)
    top = float(np.percentile(smooth, 95))
    if top <= 0:
        return np.empty(0)
    frames = _best_path(4 * smooth / top - 1.3)
    return frames / FRAME_RATE


def _best_path(gain: Array) -> NDArray[np.int64]:
    """Return the frames of the best sequence of beats: most gain, least change of period from beat to beat."""
    periods = np.arange(int(60 * FRAME_RATE / _READ_HIGH), int(60 * FRAME_RATE / _READ_LOW) + 2)
    # A beat's period comes from one near to it; further jumps cost more than any path gains by them.
    near = np.arange(-_NEAR, _NEAR + 1)
    origin = np.arange(len(periods))[:, None] + near
    cost = -_TEMPO_CHANGE_COST * np.abs(np.log(np.maximum(periods[:, None] + near, 1) / periods[:, None]))
    usual = -0.5 * (np.log2(60 * FRAME_RATE / periods / 112) / 0.75) ** 2 * 10
    count, reach = len(gain), int(periods.max())
    score = np.full((count + reach, len(periods)), -1e18)
    back = np.zeros((count, len(periods)), np.int16)
    each = np.arange(len(periods))
    padded = np.full(len(periods) + 2 * _NEAR, -1e18)
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * _NEAR + 1)
    for t in range(count):
        padded[_NEAR:-_NEAR] = score[t + reach - periods, each]
        arriving = windows + cost
        nearest = arriving.argmax(axis=1)
        best, came = arriving[each, nearest], origin[each, nearest]
        if t < reach:
            fresh = usual > best
            best, came = np.where(fresh, usual, best), np.where(fresh, -1, came)
        score[t + reach] = best + gain[t]
        back[t] = came
    first = max(0, count - reach)
    tail = np.where(np.arange(first, count)[:, None] + periods >= count - 1, score[first + reach :], -1e18)
    t, period = (int(v) for v in np.unravel_index(int(tail.argmax()), tail.shape))
    t += first
    path = []
    while t >= 0:
        path.append(t)
        came_from = int(back[t, period])
        if came_from < 0:
            break
        t -= int(periods[came_from])
        period = came_from
    return np.array(path[::-1], dtype=np.int64)


def _whole_song_rate(onset: Array, near_hz: float) -> tuple[float, float]:
    """Return the pulse rate near `near_hz` that the whole song agrees on, and how much it agrees (0 to 1).

    Agreement is that of the phases of eight-second windows at the strongest harmonic, weighted by their energy.
    """
    centred = (onset - onset.mean()).astype(np.float64)
    size = 1 << int(np.ceil(np.log2(len(centred) * 8)))
    spectrum, step = np.abs(np.fft.rfft(centred, size)), FRAME_RATE / size
    places = np.arange(len(spectrum))

    def at(rates: NDArray[np.float64] | float) -> NDArray[np.float64]:
        return np.asarray(np.interp(np.asarray(rates) / step, places, spectrum))

    rates = np.arange(near_hz * 0.955, near_hz * 1.045, step / 4)
    agreed = sum(weight * at(rates * h) for h, weight in ((1, 1.0), (2, 1.0), (3, 0.5), (4, 0.7)))
    rate = float(rates[int(np.argmax(agreed))])
    harmonic = max((1, 2, 3, 4), key=lambda h: float(at(rate * h)))
    turned = centred * np.exp(-2j * np.pi * rate * harmonic * np.arange(len(centred)) / FRAME_RATE)
    window = int(_WINDOW_S * FRAME_RATE)
    parts = np.array([turned[i : i + window].sum() for i in range(0, max(1, len(turned) - window // 2), window // 2)])
    agreement = float(np.abs(parts.sum()) / (np.abs(parts).sum() + 1e-12))
    if agreement > 0.6 and len(parts) > 3:
        # What phase is left over from window to window is an error of the rate.
        slope = np.polyfit(np.arange(len(parts)), np.unwrap(np.angle(parts)), 1, w=np.abs(parts))[0]
        rate += float(slope) / (2 * np.pi * harmonic * _WINDOW_S / 2)
    return rate, agreement


def _grids(rise: Array, rate: float, length_s: float) -> list[Times]:
    """Return even grids at tempi related to `rate`, at each phase where attacks gather."""
    out = []
    for slower, faster in _RATIOS:
        period = slower / faster / rate
        if 40 <= 60 / period <= 225:
            out += [grid for phase in _gatherings(rise, period) if len(grid := np.arange(phase, length_s, period)) > 8]
    return out


def _gatherings(rise: Array, period: float, most: int = 5) -> list[float]:
    """Return the phases, in seconds, at which the attacks of a song folded to one period gather, greatest first."""
    size = max(8, round(period * STEP_RATE))
    phase = (np.arange(len(rise)) + 0.5) / STEP_RATE / period % 1.0
    capped = np.minimum(rise, np.percentile(rise, 99.7))
    profile = np.bincount((phase * size).astype(int) % size, weights=capped, minlength=size)
    profile = gaussian_filter1d(profile, 4.0, mode="wrap")
    peaks = np.flatnonzero((profile > np.roll(profile, 1)) & (profile >= np.roll(profile, -1)))
    floor = float(np.median(profile))
    chosen: list[int] = []
    for peak in peaks[np.argsort(-profile[peaks])]:
        if profile[peak] - floor < 0.12 * (profile[peaks].max() - floor) or len(chosen) == most:
            break
        if all(min(abs(peak - c), size - abs(peak - c)) > 40 for c in chosen):
            chosen.append(int(peak))
    return [(c + 0.5) / size * period for c in chosen]


def _readings(beats: Times) -> list[Times]:
    """Return uneven beats at related tempi and phases of a first reading."""
    places = np.arange(-1, len(beats) + 1)
    known = np.concatenate([[2 * beats[0] - beats[1]], beats, [2 * beats[-1] - beats[-2]]])
    out = []
    for slower, faster in _RATIOS:
        for shift in (0.0, 1 / 2, 1 / 3, 2 / 3, 1 / 4, 3 / 4):
            at = np.arange(0, len(beats) - 1 + 1e-9, slower / faster) + shift * slower / faster
            times = np.interp(at[at <= len(beats)], places, known)
            times = times[times >= 0]
            if len(times) > 8 and 40 <= 60 / float(np.median(np.diff(times))) <= 225:
                out.append(times)
    return out


def _describe(beats: Times, heard: Array) -> NDArray[np.float64]:
    """Return what a candidate is judged by, in the order of _WEIGHTS."""
    gaps = np.diff(beats)
    last = len(heard) - 1
    samples = [heard[np.clip(np.round((beats[:-1] + f * gaps) * FRAME_RATE).astype(int), 0, last)] for f in _FRACTIONS]
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


def _refitted(grid: Times, samples: Array, rise: Array) -> Times:
    """Return an even grid laid through the attacks nearest to it; attacks off the line lose their say."""
    number = np.arange(len(grid), dtype=np.float64)
    for reach_s in (0.03, 0.02, 0.02):
        attacks, weight = attacks_near(rise, grid, reach_s)
        off = attacks - grid
        use = weight > np.median(weight[weight > 0]) if (weight > 0).any() else weight > 0
        for _ in range(2):
            if use.sum() < 8:
                return grid
            line = np.polyfit(number[use], off[use], 1, w=np.sqrt(weight[use]))
            left = np.abs(off - np.polyval(line, number))
            use &= left < max(0.003, 2 * float(np.median(left[use])))
        grid = grid + np.polyval(line, number)
    # Last, where the song has sharp attacks, the grid is laid on their very beginnings.
    starts, clear = edges(samples, attacks_near(rise, grid, 0.015)[0])
    if clear.sum() >= max(8, 0.2 * len(grid)):
        off = starts - grid
        middle = float(np.median(off[clear]))
        near = clear & (np.abs(off - middle) < 0.004)
        if near.sum() >= 8:
            grid = grid + np.polyval(np.polyfit(number[near], off[near], 1), number)
    return grid


def _eased(beats: Times) -> Times:
    """Return followed beats with a third of each one's deviation from its neighbours taken out, in order."""
    if len(beats) < 3:
        return beats
    out = beats.copy()
    out[1:-1] += ((beats[:-2] + beats[2:]) / 2 - beats[1:-1]) / 3
    return np.maximum.accumulate(out)


def _confidence(beats: Times, found: Features, agreement: float) -> float:
    """Return how far onsets gather on the beats rather than anywhere, 0 to 1."""
    smooth = maximum_filter1d(found.onset, 5)
    at = np.clip(np.round(beats * FRAME_RATE).astype(int), 0, len(smooth) - 1)
    on, anywhere = float(smooth[at].mean()), float(smooth.mean())
    gathered = (on - anywhere) / (on + anywhere + 1e-9)
    return float(np.clip(gathered * 2, 0, 1) * np.clip(0.4 + agreement, 0, 1))
