"""Candidates for the beat: even grids at every rate that is heard, at every phase where attacks gather or the front
end hears beats; and where the song keeps no rate, readings along a path that moves, at every related tempo."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.attack import STEP_RATE, attacks_near
from tempik.rhythm.features import Features
from tempik.rhythm.filters import smoothed
from tempik.rhythm.front import RATE as HEARD_RATE
from tempik.rhythm.pulse import FASTEST_BPM, SLOWEST_BPM, TempoPulse, first_reading, pulses

Array = NDArray[np.float32]
Times = NDArray[np.float64]

_RATIOS = ((1, 1), (1, 2), (2, 1), (3, 1), (1, 3), (2, 3), (3, 2), (4, 1), (4, 3), (3, 4))
_SHIFTS = (0.0, 1 / 2, 1 / 3, 2 / 3, 1 / 4, 3 / 4)
_LEAST_KEPT = 0.35  # a grid of which less is kept is no candidate where readings are
FEWEST = 4


class Candidate(NamedTuple):
    """Beats that could be the song's, the pulse they come from, and whether they are one even grid."""

    beats_s: Times
    pulse: TempoPulse
    even: bool


def candidates(found: Features, beat: Array, rise: Array) -> list[Candidate]:
    """Return what the choice is made among, from features, how likely each instant is a beat (0 to 1, `front.RATE`
    rows a second) and the fine rise."""
    length_s = len(found.onset) / 100
    rates = pulses(found.onset, beat)
    steady = any(p.steady for p in rates[:6])
    folds = _Folds(rise, beat)
    out = []
    for pulse in rates:
        if steady or pulse.kept >= _LEAST_KEPT:
            for phase in folds.phases(1 / pulse.rate_hz):
                grid = np.arange(phase, length_s, 1 / pulse.rate_hz)
                if len(grid) >= FEWEST:
                    out.append(Candidate(grid, pulse, True))
    if not steady:
        reading = first_reading(found.onset, beat)
        if len(reading) >= 8:
            mean = TempoPulse(1 / float(np.median(np.diff(reading))), 0.0, False)
            uneven = readings(attacks_near(rise, reading, 0.035)[0], length_s)
            out += [Candidate(beats, mean, False) for beats in uneven]
    return out


class _Folds:
    """A song folded to one period: where in it attacks gather, and where beats are heard."""

    def __init__(self, rise: Array, beat: Array) -> None:
        self.rise = np.minimum(rise, np.percentile(rise, 99.7)) if len(rise) else rise
        self.beat = np.maximum(beat - 0.05, 0)

    def phases(self, period: float, most: int = 4) -> list[float]:
        """Return the phases, in seconds, at which a song folded to one period gathers, the likeliest first."""
        out = [p for p, _ in self._tops(self.rise, STEP_RATE, period, 4.0, most)]
        for phase, share in self._tops(self.beat, HEARD_RATE, period, 12.0, 2):
            off = [abs((phase - p + period / 2) % period - period / 2) for p in out]
            if share > 0.5 and min(off, default=1.0) > 0.045:
                out.append(phase)
        return out

    def _tops(self, level: Array, rate: int, period: float, soft: float, most: int) -> list[tuple[float, float]]:
        size = max(8, round(period * STEP_RATE))
        phase = (np.arange(len(level)) + 0.5 * (rate == STEP_RATE)) / rate / period % 1.0
        at = (phase * size).astype(int) % size
        profile: Times = np.bincount(at, weights=level, minlength=size).astype(np.float64)
        if rate != STEP_RATE:
            profile = smoothed(profile, soft, "around")
            counts = smoothed(np.bincount(at, minlength=size).astype(float), soft, "around")
            profile = profile / (counts + 1e-6)
        profile = smoothed(profile, 4.0, "around")
        peaks = np.flatnonzero((profile > np.roll(profile, 1)) & (profile >= np.roll(profile, -1)))
        if not len(peaks):
            return []
        floor, highest = float(np.median(profile)), float(profile[peaks].max())
        chosen: list[int] = []
        for peak in peaks[np.argsort(-profile[peaks])]:
            if profile[peak] - floor < 0.1 * (highest - floor) or len(chosen) == most:
                break
            if all(min(abs(peak - c), size - abs(peak - c)) > 40 for c in chosen):
                chosen.append(int(peak))
        return [((c + 0.5) / size * period, (profile[c] - floor) / (highest - floor + 1e-12)) for c in chosen]


def readings(beats: Times, length_s: float) -> list[Times]:
    """Return uneven beats at related tempi and phases of a first reading, carried on to both ends of the song."""
    first, last = max(0.2, beats[1] - beats[0]), max(0.2, beats[-1] - beats[-2])
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
