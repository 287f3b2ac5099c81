"""Beats: the pulse of a song, the candidates it gives, the choice among them, and their exact places."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d

from tempik.rhythm.attack import attacks_near
from tempik.rhythm.candidates import grids, readings
from tempik.rhythm.features import FRAME_RATE, Features, listening
from tempik.rhythm.pulse import Pulse, first_reading, usual_rate, whole_song_pulse
from tempik.rhythm.refine import DRIFT_S, followed, on_one_grid, wandering_s
from tempik.rhythm.score import best_of

Array = NDArray[np.float32]
Times = NDArray[np.float64]


class Beats(NamedTuple):
    """Beat times in seconds, in order; the same beats read the other way (along a moving tempo for a steady song, as
    one even grid for another); whether they are one grid; how sure it is that there is a beat, 0 to 1; and the bars.
    """

    times_s: Times
    other_s: Times
    steady: bool
    confidence: float
    metre: int
    first_downbeat: int


_SILENCE_DB = 45.0  # below the loud passages
NONE = Beats(np.empty(0), np.empty(0), False, 0.0, 4, 0)


def find_beats(power: Array, found: Features, rise: Array) -> Beats:
    """Return the beats of a song from its fine power, its features and its fine rise (`attack`)."""
    length_s = len(found.onset) / FRAME_RATE
    if length_s < 2 or float(found.onset.max(initial=0.0)) <= 0:
        return NONE
    candidates, pulse = candidates_of(found, rise)
    chosen = best_of(candidates, listening(found))
    if chosen is None or len(chosen[0]) < 4:
        return NONE
    beats, bars = chosen
    steady = pulse.steady
    if steady:
        grid = on_one_grid(beats, power, rise)
        steady = wandering_s(grid, rise) < DRIFT_S
        moving = followed(grid, power, rise)
    else:
        moving = followed(beats, power, rise)
        number = np.arange(len(moving))
        grid = np.asarray(np.polyval(np.polyfit(number, moving, 1), number), dtype=np.float64)
    times, other = (grid, moving) if steady else (moving, grid)
    confidence = _confidence(times, found, pulse.kept)
    first, end = _sounding(times, found)
    downbeat = (bars.first_downbeat - first) % bars.metre
    return Beats(times[first:end], other[first:end], steady, confidence, bars.metre, downbeat)


def _sounding(beats: Times, found: Features) -> tuple[int, int]:
    """Return the numbers of the first beat, and of the one after the last, between which the song sounds at all."""
    sounds = np.flatnonzero(found.loudness > np.percentile(found.loudness, 95) - _SILENCE_DB)
    if not len(sounds):
        return 0, len(beats)
    start_s, end_s = sounds[0] / FRAME_RATE - 0.1, sounds[-1] / FRAME_RATE
    return int(np.searchsorted(beats, start_s)), int(np.searchsorted(beats, end_s))


def candidates_of(found: Features, rise: Array) -> tuple[list[Times], Pulse]:
    """Return what the choice is made among, and the pulse: grids of a steady rate, or readings along the first one."""
    length_s = len(found.onset) / FRAME_RATE
    pulse = whole_song_pulse(found.onset, usual_rate(found.onset))
    if pulse.steady:
        return grids(rise, pulse.rate_hz, length_s), pulse
    reading = first_reading(found.onset)
    if len(reading) < 8:
        return [], pulse
    pulse = whole_song_pulse(found.onset, 1 / float(np.median(np.diff(reading))))
    if pulse.steady:
        return grids(rise, pulse.rate_hz, length_s), pulse
    return readings(attacks_near(rise, reading, 0.035)[0], length_s), pulse


def _confidence(beats: Times, found: Features, agreement: float) -> float:
    """Return how far onsets gather on the beats rather than anywhere, 0 to 1."""
    smooth = maximum_filter1d(found.onset, 5)
    at = np.clip(np.round(beats * FRAME_RATE).astype(int), 0, len(smooth) - 1)
    on, anywhere = float(smooth[at].mean()), float(smooth.mean())
    gathered = (on - anywhere) / (on + anywhere + 1e-9)
    return float(np.clip(gathered * 2, 0, 1) * np.clip(0.4 + agreement, 0, 1))
