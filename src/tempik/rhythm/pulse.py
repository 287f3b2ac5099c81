"""The pulse of a song: a first reading of its beats, the rate the whole song agrees on, and whether it keeps it.

1. A first reading by dynamic programming over (instant, period), after Ellis, "Beat tracking by dynamic
   programming", JNMR 2007, with the period as part of the state so that tempo may move.
2. The Fourier transform of the whole song's onsets near that tempo gives the rate to a few millionths
   (Grosche and Müller, "Extracting predominant local pulse information", TASLP 2011, use it locally).
3. The song is steady when windows of eight seconds keep the phase of that rate, and hear no other rate better.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from tempik.rhythm.features import FRAME_RATE

Array = NDArray[np.float32]
Times = NDArray[np.float64]

# First readings keep to the middle of the range; candidates (`tempik.rhythm.candidates`) reach its ends.
_READ_LOW, _READ_HIGH = 70.0, 215.0
_TEMPO_CHANGE_COST = 90.0
_NEAR = 5
_WINDOW_S = 8.0
# Measured on pieces of known tempo: steady ones keep 0.94 of their phase or more and hear another rate better in
# less than a twentieth of their windows; a step of a tenth in tempo shows in a fifth of them or more.
KEPT, ELSEWHERE = 0.90, 0.12


class Pulse(NamedTuple):
    """Pulses a second the song agrees on, how far it keeps their phase (0 to 1), and whether it is steady."""

    rate_hz: float
    kept: float
    steady: bool


def usual_rate(onset: Array) -> float:
    """Return the pulse rate, in Hz, at which onsets come again most (autocorrelation, weighed by usual tempi)."""
    centred = (onset - onset.mean()).astype(np.float32)
    size = 1 << int(np.ceil(np.log2(2 * len(centred))))
    again = np.fft.irfft(np.abs(np.fft.rfft(centred, size)) ** 2)[: 4 * FRAME_RATE + 1]
    periods = np.arange(int(60 * FRAME_RATE / _READ_HIGH), int(60 * FRAME_RATE / _READ_LOW) + 1)
    usual = np.exp(-0.5 * (np.log2(60 * FRAME_RATE / periods / 112) / 0.75) ** 2)
    # A true beat also comes again two and four beats later.
    places = np.arange(len(again))
    heard = sum(np.interp(periods * n, places, again) for n in (1, 2, 4) if periods[-1] * n < len(again) + 120)
    return FRAME_RATE / float(periods[int(np.argmax(np.asarray(heard) * usual))])


def first_reading(onset: Array) -> Times:
    """Return the times of a first reading of the beats, at some pulse between 70 and 215 a minute."""
    smooth = gaussian_filter1d(onset, 1.0)
    top = float(np.percentile(smooth, 95))
    if top <= 0:
        return np.empty(0)
    return _best_path(4 * smooth / top - 1.3) / FRAME_RATE


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


def whole_song_pulse(onset: Array, near_hz: float) -> Pulse:
    """Return the pulse near `near_hz` that the whole song agrees on.

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
    kept = float(np.abs(parts.sum()) / (np.abs(parts).sum() + 1e-12))
    if kept > 0.6 and len(parts) > 3:
        # What phase is left over from window to window is an error of the rate.
        slope = np.polyfit(np.arange(len(parts)), np.unwrap(np.angle(parts)), 1, w=np.abs(parts))[0]
        rate += float(slope) / (2 * np.pi * harmonic * _WINDOW_S / 2)
    return Pulse(rate, kept, kept > KEPT and _elsewhere(centred, rate) < ELSEWHERE)


def _elsewhere(centred: NDArray[np.float64], rate: float) -> float:
    """Return the share of the song, by weight of its pulse, in which a rate up to a quarter off is clearly heard
    instead of `rate`."""
    window = min(len(centred), int(_WINDOW_S * FRAME_RATE))
    starts = range(0, len(centred) - window + 1, max(1, window // 2))
    parts = np.stack([centred[i : i + window] for i in starts]) * np.hanning(window)
    time_s = np.arange(window) / FRAME_RATE
    rates = rate * np.concatenate([[1.0], np.arange(0.8, 1.25, 0.008)])
    heard = sum(np.abs(parts @ np.exp(-2j * np.pi * np.outer(time_s, rates * h))) for h in (1, 2, 4))
    own, best = np.asarray(heard)[:, 0], np.asarray(heard)[:, 1:].max(axis=1)
    return float(best[own < 0.6 * best].sum() / (best.sum() + 1e-12))
