"""Taps: a person's own lateness taken out of them, their snap to attacks, and a tempo from them.

People tap some tens of milliseconds off the sound, each by an amount of their own that hardly changes while they tap
(common practice); the offset at which most taps gather about attacks is that amount.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.errors import TempikError
from tempik.rhythm.records import Beat, Onset

Times = NDArray[np.float64]

LATEST_S, EARLIEST_S = 0.20, -0.08  # taps lie within this of what they are meant for
SNAP_REACH_S = 0.06
FEWEST = 4


class Taps(NamedTuple):
    """Tapped instants: as tapped, less the person's lateness, and on the attack nearest to that."""

    late_s: float
    as_tapped: tuple[float, ...]
    corrected: tuple[float, ...]
    snapped: tuple[float, ...]


def read_taps(taps_s: Sequence[float], onsets: Sequence[Onset]) -> Taps:
    """Return taps with their lateness and their snap. With fewer than four taps the lateness counts as 0."""
    taps = np.sort(np.asarray(taps_s, dtype=np.float64))
    times = np.array([o.time_s for o in onsets])
    weight = np.array([o.strength for o in onsets])
    late = lateness(taps, times, weight) if len(taps) >= FEWEST else 0.0
    corrected = np.maximum(taps - late, 0.0)
    snapped = corrected.copy()
    for number, time_s in enumerate(corrected):
        near = np.flatnonzero(np.abs(times - time_s) <= SNAP_REACH_S) if len(times) else np.empty(0, int)
        if len(near):
            # A strong attack a little further off is meant rather than a weak one close by.
            best = near[np.argmax(weight[near] - 0.6 * np.abs(times[near] - time_s) / SNAP_REACH_S)]
            snapped[number] = times[best]
    return Taps(late, tuple(taps.tolist()), tuple(corrected.tolist()), tuple(np.unique(snapped).tolist()))


def lateness(taps: Times, attacks: Times, weight: Times) -> float:
    """Return by how many seconds the taps lie behind the attacks they are meant for: where most offsets gather."""
    if not len(attacks) or not len(taps):
        return 0.0
    offsets = taps[:, None] - attacks
    near = (offsets > EARLIEST_S) & (offsets < LATEST_S)
    values, says = offsets[near], np.broadcast_to(weight, offsets.shape)[near]
    if len(values) < FEWEST:
        return 0.0
    places = np.arange(EARLIEST_S, LATEST_S, 0.001)
    # One tap speaks once at each place however many attacks surround it, so sum kernels of 12 ms over all.
    density = (says * np.exp(-0.5 * ((places[:, None] - values) / 0.012) ** 2)).sum(axis=1)
    # Of equal heaps the one nearest to nothing is meant.
    density *= np.exp(-0.5 * (places / 0.12) ** 2)
    top = places[int(np.argmax(density))]
    close = np.abs(values - top) < 0.025
    return float(np.average(values[close], weights=says[close])) if close.any() else float(top)


def beats_from_taps(taps_s: Sequence[float], onsets: Sequence[Onset], length_s: float, metre: int = 4) -> list[Beat]:
    """Return an even grid over the whole song from a tapped tempo, laid through the attacks it meets.

    The first tap begins a bar. Raises TempikError when the taps are too few or not a tempo.
    """
    read = read_taps(taps_s, onsets)
    taps = np.array(read.corrected)
    if len(taps) < FEWEST:
        raise TempikError(f"{len(taps)} taps are too few for a tempo; tap at least {FEWEST} beats in a row.")
    gaps = np.diff(taps)
    period = float(np.median(gaps))
    if period < 0.15 or period > 3.0:
        raise TempikError(f"The taps lie {period:.2f} s apart, which is no tempo of 20 to 400 beats a minute.")
    # Missed taps leave gaps of several beats.
    number = np.concatenate([[0], np.cumsum(np.maximum(np.round(gaps / period), 1))])
    if float(np.abs(gaps - np.diff(number) * period).max()) > 0.35 * period:
        raise TempikError("The taps are too uneven to be one tempo; tap the hits you want as points instead.")
    period, start = (float(v) for v in np.polyfit(number, taps, 1))
    times = np.array([o.time_s for o in onsets])
    weight = np.array([o.strength for o in onsets])
    if len(times):
        period, start = _laid(period, start, taps, times, weight, length_s)
    first = -int(np.floor(start / period + 1e-9))
    count = int(np.floor((length_s - start) / period)) + 1
    out = []
    for n in range(first, count):
        time_s = start + n * period
        near = np.abs(times - time_s) < 0.03 if len(times) else np.zeros(0, bool)
        strength = float(weight[near].max()) if near.any() else 0.2
        out.append(Beat(round(time_s, 6), round(strength, 3), n // metre + 1, n % metre + 1, round(time_s, 6)))
    return out


def _laid(
    period: float, start: float, taps: Times, times: Times, weight: Times, length_s: float
) -> tuple[float, float]:
    """Return period and start laid through the attacks near the grid, from the taps outward."""
    middle = float(taps.mean())
    reach = max(8.0, float(taps[-1] - taps[0]))
    while True:
        number = np.round((times - start) / period)
        off = times - (start + number * period)
        use = (np.abs(off) < 0.04) & (np.abs(times - middle) <= reach)
        if use.sum() >= 6:
            for _ in range(3):
                period, start = (float(v) for v in np.polyfit(number[use], times[use], 1, w=weight[use]))
                off = times - (start + number * period)
                use = (np.abs(off) < 0.02) & (np.abs(times - middle) <= reach)
                if use.sum() < 6:
                    break
        if reach > length_s:
            return period, start
        reach *= 1.6
