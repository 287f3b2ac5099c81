"""Candidates for the beat: every related tempo (half, double, two thirds …) of a pulse, and every phase at which
attacks gather."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from tempik.rhythm.attack import STEP_RATE

Array = NDArray[np.float32]
Times = NDArray[np.float64]

SLOWEST_BPM, FASTEST_BPM = 40.0, 225.0
_RATIOS = ((1, 1), (1, 2), (2, 1), (3, 1), (1, 3), (2, 3), (3, 2), (4, 1), (4, 3), (3, 4))
_SHIFTS = (0.0, 1 / 2, 1 / 3, 2 / 3, 1 / 4, 3 / 4)


def grids(rise: Array, rate_hz: float, length_s: float) -> list[Times]:
    """Return even grids at tempi related to `rate_hz`, at each phase where attacks gather."""
    out = []
    for slower, faster in _RATIOS:
        period = slower / faster / rate_hz
        if SLOWEST_BPM <= 60 / period <= FASTEST_BPM:
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


def readings(beats: Times, length_s: float) -> list[Times]:
    """Return uneven beats at related tempi and phases of a first reading, carried on to both ends of the song."""
    first, last = beats[1] - beats[0], beats[-1] - beats[-2]
    before = beats[0] - first * np.arange(int(beats[0] / first + 1), 0, -1)
    after = beats[-1] + last * np.arange(1, int((length_s - beats[-1]) / last) + 2)
    known = np.concatenate([before, beats, after])
    places = np.arange(len(known))
    out = []
    for slower, faster in _RATIOS:
        step = slower / faster
        for shift in _SHIFTS if slower == 1 else (*_SHIFTS, *range(1, slower)):
            at = np.arange(shift * step if shift < 1 else shift, len(known) - 1 + 1e-9, step)
            times = np.interp(at, places, known)
            times = times[(times >= 0) & (times < length_s)]
            if len(times) > 8 and SLOWEST_BPM <= 60 / float(np.median(np.diff(times))) <= FASTEST_BPM:
                out.append(times)
    return out
