"""The pulses of a song: every rate at which it could be counted, each to a few millionths, and whether it is kept.

1. The spectra of ten-second windows, of the onsets and of the beats that the front end hears, say which rates are
   heard at all, over the whole range (Grosche and Müller, "Extracting predominant local pulse information", TASLP 2011).
2. The Fourier transform of the whole song near a rate gives it exactly.
3. A rate is kept when windows of eight seconds agree on its phase, and hear no other rate better.
4. Where none is kept, a reading of the beats by dynamic programming over (instant, period), after Ellis, "Beat
   tracking by dynamic programming", JNMR 2007, with the period as part of the state so that tempo may move, and jump.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.features import FRAME_RATE
from tempik.rhythm.filters import magnitudes, running_max, smoothed
from tempik.rhythm.front import RATE as HEARD_RATE

Array = NDArray[np.float32]
Times = NDArray[np.float64]

SLOWEST_BPM, FASTEST_BPM = 40.0, 230.0
_READ_LOW, _READ_HIGH = 50.0, 215.0
_TEMPO_CHANGE_COST, _JUMP_COST = 90.0, 9.0
_NEAR = 5
_WINDOW_S = 8.0
# Measured on pieces of known tempo: steady ones keep 0.94 of their phase or more and hear another rate better in
# less than a twentieth of their windows; a step of a tenth in tempo shows in a fifth of them or more.
KEPT, ELSEWHERE = 0.90, 0.12
_RELATED = (1 / 2, 2.0, 2 / 3, 3 / 2, 3 / 4, 4 / 3, 1 / 3, 3.0)
_MOST = 7


class TempoPulse(NamedTuple):
    """Pulses a second, how far the song keeps their phase (0 to 1), and whether it is steady."""

    rate_hz: float
    kept: float
    steady: bool


def pulses(onset: Array, beat: Array) -> list[TempoPulse]:
    """Return the rates that a song could be counted at, the likeliest first, from its onsets (FRAME_RATE rows a
    second) and how likely each instant is a beat (`front.RATE` rows a second, 0 to 1)."""
    rates = np.geomspace(SLOWEST_BPM / 60, FASTEST_BPM / 60, 420)
    by_beats = _heard_at(beat, HEARD_RATE, rates, ((1, 1.0), (2, 0.35)))
    by_onsets = _heard_at(onset, FRAME_RATE, rates, ((1, 1.0), (2, 1.0), (3, 0.4), (4, 0.7)))
    found = [*_peaks(by_beats, rates)[:_MOST], *_peaks(by_onsets, rates)[:_MOST]]
    leading = [*_peaks(by_beats, rates)[:3], *_peaks(by_onsets, rates)[:2]]
    found += [rate * ratio for rate in leading for ratio in _RELATED]
    spectrum = _Spectrum(onset)
    out: list[TempoPulse] = []
    for rate in found:
        if SLOWEST_BPM <= rate * 60 <= FASTEST_BPM and all(abs(rate / p.rate_hz - 1) > 0.012 for p in out):
            pulse = spectrum.pulse_near(rate)
            if all(abs(pulse.rate_hz / p.rate_hz - 1) > 0.004 for p in out):
                out.append(pulse)
    return out


def _heard_at(level: Array, rate: int, rates: Times, harmonics: tuple[tuple[int, float], ...]) -> Times:
    """Return how clearly each rate is heard in windows of ten seconds, weighed over its harmonics."""
    size = min(len(level), 10 * rate)
    level = level - smoothed(level, 3 * rate, "held")
    starts = range(0, max(1, len(level) - size + 1), max(1, size // 2))
    parts = np.stack([level[i : i + size] for i in starts]) * np.hanning(size).astype(np.float32)
    padded = 1 << int(np.ceil(np.log2(8 * size)))
    spectra = magnitudes(np.pad(parts, ((0, 0), (0, padded - size))))
    spectra /= np.sqrt((spectra**2).mean(axis=1, keepdims=True)) + np.sqrt((spectra**2).mean()) * 0.1 + 1e-12
    mean = spectra.mean(axis=0)
    at = rates * padded / rate
    places = np.arange(len(mean))
    return np.asarray(sum(w * np.interp(at * h, places, mean) for h, w in harmonics))


def _peaks(heard: Times, rates: Times) -> list[float]:
    top = (heard == running_max(heard, 9)) & (heard > 0)
    at = np.flatnonzero(top)
    return [float(r) for r in rates[at[np.argsort(-heard[at])]]]


class _Spectrum:
    """The spectrum of a whole song's onsets, asked for the exact rate near each of several."""

    def __init__(self, onset: Array) -> None:
        self.centred = (onset - onset.mean()).astype(np.float64)
        size = 1 << int(np.ceil(np.log2(len(onset) * 8)))
        row = np.pad(self.centred.astype(np.float32), (0, size - len(onset)))
        self.level, self.step = magnitudes(row[None])[0], FRAME_RATE / size

    def at(self, rates: Times | float) -> Times:
        places = np.asarray(rates) / self.step
        low = np.clip(places.astype(int), 0, len(self.level) - 2)
        part = places - low
        return np.asarray(self.level[low] * (1 - part) + self.level[low + 1] * part)

    def pulse_near(self, near_hz: float) -> TempoPulse:
        """Return the pulse near a rate that the whole song agrees on. Agreement is that of the phases of eight-second
        windows at the strongest harmonic, weighted by their energy."""
        rates = np.arange(near_hz * 0.985, near_hz * 1.015, self.step / 3)
        agreed = sum(weight * self.at(rates * h) for h, weight in ((1, 1.0), (2, 1.0), (3, 0.5), (4, 0.7)))
        rate = float(rates[int(np.argmax(agreed))])
        harmonic = max((1, 2, 3, 4), key=lambda h: float(self.at(rate * h)))
        turned = self.centred * np.exp(-2j * np.pi * rate * harmonic * np.arange(len(self.centred)) / FRAME_RATE)
        window = int(_WINDOW_S * FRAME_RATE)
        starts = range(0, max(1, len(turned) - window // 2), window // 2)
        parts = np.array([turned[i : i + window].sum() for i in starts])
        kept = float(np.abs(parts.sum()) / (np.abs(parts).sum() + 1e-12))
        if kept > 0.6 and len(parts) > 3:
            # What phase is left over from window to window is an error of the rate.
            slope = np.polyfit(np.arange(len(parts)), np.unwrap(np.angle(parts)), 1, w=np.abs(parts))[0]
            rate += float(slope) / (2 * np.pi * harmonic * _WINDOW_S / 2)
        return TempoPulse(rate, kept, kept > KEPT and _elsewhere(self.centred, rate) < ELSEWHERE)


def _elsewhere(centred: Times, rate: float) -> float:
    """Return the share of the song, by weight of its pulse, in which a rate up to a quarter off is clearly heard
    instead of `rate`."""
    window = min(len(centred), int(_WINDOW_S * FRAME_RATE))
    starts = range(0, len(centred) - window + 1, max(1, window // 2))
    parts = (np.stack([centred[i : i + window] for i in starts]) * np.hanning(window)).astype(np.float32)
    time_s = np.arange(window) / FRAME_RATE
    rates = rate * np.concatenate([[1.0], np.arange(0.8, 1.25, 0.016)])
    heard = sum(
        np.abs(parts @ np.exp(-2j * np.pi * np.outer(time_s, rates * h)).astype(np.complex64)) for h in (1, 2, 4)
    )
    own, best = np.asarray(heard)[:, 0], np.asarray(heard)[:, 1:].max(axis=1)
    return float(best[own < 0.6 * best].sum() / (best.sum() + 1e-12))


def first_reading(onset: Array, beat: Array) -> Times:
    """Return the times of a reading of the beats that may move and jump, at the pulse heard most."""
    smooth = smoothed(onset, 1.0)
    top = float(np.percentile(smooth, 95))
    if top <= 0:
        return np.empty(0)
    places = np.arange(len(smooth)) * HEARD_RATE / FRAME_RATE
    likely = smoothed(np.interp(places, np.arange(len(beat)), beat), 1.0)
    gain = 2.4 * likely / max(float(np.percentile(likely, 97)), 0.1) + 1.6 * smooth / top - 1.2
    periods = np.arange(int(60 * FRAME_RATE / _READ_HIGH), int(60 * FRAME_RATE / _READ_LOW) + 2)
    heard = _heard_at(beat, HEARD_RATE, FRAME_RATE / periods, ((1, 1.0), (2, 0.35)))
    usual = 10 * np.log(np.maximum(heard / heard.max(), 0.05))
    return _best_path(gain.astype(np.float32), periods, usual) / FRAME_RATE


def _best_path(gain: Array, periods: NDArray[np.int64], usual: Times) -> NDArray[np.int64]:
    """Return the frames of the best sequence of beats: most gain, least change of period from beat to beat."""
    # A beat's period comes from one near to it, or, for a fixed cost, from any.
    near = np.arange(-_NEAR, _NEAR + 1)
    origin = np.arange(len(periods))[:, None] + near
    cost = -_TEMPO_CHANGE_COST * np.abs(np.log(np.maximum(periods[:, None] + near, 1) / periods[:, None]))
    leaning = usual / 40  # a little of how usual a period is, at each beat
    count, reach = len(gain), int(periods.max())
    score = np.full((count + reach, len(periods)), -1e18)
    back = np.zeros((count, len(periods)), np.int16)
    each = np.arange(len(periods))
    # No beat comes from nearer than the shortest period: as many frames are worked out at once.
    block = int(periods.min())
    padded = np.full((block, len(periods) + 2 * _NEAR), -1e18)
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * _NEAR + 1, axis=1)
    for start in range(0, count, block):
        frames = np.arange(start, min(start + block, count))
        rows = np.arange(len(frames))[:, None]
        ending = score[frames[:, None] + reach - periods, each]
        padded[: len(frames), _NEAR:-_NEAR] = ending
        arriving = windows[: len(frames)] + cost
        nearest = arriving.argmax(axis=2)
        best, came = arriving[rows, each, nearest], origin[each, nearest]
        highest = ending.argmax(axis=1)[:, None]
        jumped = ending[rows, highest] - _JUMP_COST
        jumps = best < jumped
        best, came = np.where(jumps, jumped, best), np.where(jumps, highest, came)
        fresh = (frames[:, None] < reach) & (usual > best)
        best, came = np.where(fresh, usual, best), np.where(fresh, -1, came)
        score[frames + reach] = best + gain[frames, None] + leaning
        back[frames] = came
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
