"""Attack times finer than the analysis frame: the instant at which energy begins to rise, in a band or in all.

The song is split by zero-phase filters, so no band lies later than another, and each band's level is followed in
steps of a millisecond.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.filters import packed_gain, row_of, running_max, running_mean, spectrum
from tempik.rhythm.records import SAMPLE_RATE

Array = NDArray[np.float32]
Times = NDArray[np.float64]

STEP_RATE = 1000  # steps a second of the fine envelopes
_STEP = SAMPLE_RATE // STEP_RATE
_BANDS: tuple[tuple[float | None, float | None], ...] = ((None, 200.0), (200.0, 2500.0), (2500.0, None))


def fine_rise(samples: Array) -> Array:
    """Return how steeply level rises at each millisecond, all bands together, shape (milliseconds,)."""
    count = len(samples) // _STEP
    total = np.zeros(count, np.float32)
    for (low, _), band in zip(_BANDS, _bands(samples), strict=True):
        energy = (band[: count * _STEP].reshape(count, _STEP) ** 2).mean(axis=1)
        # A low band's single periods must not read as attacks, so it is smoothed longer.
        smooth = running_mean(energy, 9 if low is None else 5)
        peak = float(np.percentile(smooth, 99)) + 1e-12
        level = np.log10(smooth / peak + 1e-3)
        lag = 5
        rise = np.zeros(count, np.float32)
        rise[lag:] = np.maximum(level[lag:] - level[:-lag], 0)
        # Rise between i − 5 and i belongs to the middle of that step.
        rise = np.roll(rise, -(lag // 2 + 1))
        total += rise * np.sqrt(np.maximum(running_max(smooth, 30, before=1) / peak, 1e-4))
    return total


def band_swings(samples: Array) -> Array:
    """Return how far the low, middle and high bands swing in each millisecond, shape (3, milliseconds). `samples` are
    mono at SAMPLE_RATE."""
    count = len(samples) // _STEP
    return np.stack([np.abs(b[: count * _STEP]).reshape(count, _STEP).max(axis=1) for b in _bands(samples)])


_BLOCK, _OVERLAP = 1 << 17, 2400  # a tenth of a second either side: longer than any band's filter rings


def _bands(samples: Array) -> list[Array]:
    """Return the song through each of _BANDS, filtered without delay.

    The gains are those of second-order Butterworth filters run forward and backward, applied to the spectra of
    overlapping blocks.
    """
    hz = np.fft.rfftfreq(_BLOCK, 1 / SAMPLE_RATE).astype(np.float32)
    gains = []
    for low, high in _BANDS:
        gain = np.ones(len(hz), np.float32)
        if high is not None:
            gain /= 1 + (hz / high) ** 4
        if low is not None:
            gain /= 1 + (low / np.maximum(hz, 1e-3)) ** 4
        gains.append(packed_gain(gain))
    out = [np.empty(len(samples), np.float32) for _ in gains]
    step = _BLOCK - 2 * _OVERLAP

    def block(start: int) -> None:
        part = np.zeros(_BLOCK, np.float32)
        begin, end = max(0, start - _OVERLAP), min(len(samples), start + step + _OVERLAP)
        part[begin - start + _OVERLAP : end - start + _OVERLAP] = samples[begin:end]
        heard = spectrum(part)
        for band, gain in zip(out, gains, strict=True):
            whole = row_of(heard * gain)
            band[start : start + step] = whole[_OVERLAP : _OVERLAP + min(step, len(samples) - start)]

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(block, range(0, len(samples), step)))
    return out


def attacks_near(rise: Array, times_s: Times, reach_s: float) -> tuple[Times, Array]:
    """Return for each time the steepest attack within `reach_s`, and how steep it is (0: none, time unchanged).

    The steepest instant is refined between steps by a parabola through its neighbours.
    """
    reach = round(reach_s * STEP_RATE)
    near = np.arange(-reach, reach + 1)
    centre = np.round(times_s * STEP_RATE).astype(np.int64)
    padded = np.pad(rise, (reach, reach + 1))
    inside = (centre >= 2 - reach) & (centre <= len(rise) + reach - 3)
    at = np.clip(centre, 0, len(rise))[:, None] + near
    part = padded[at + reach] * (1 - 0.4 * (near / reach) ** 2)
    top = part.argmax(axis=1)
    row = np.arange(len(times_s))
    here = part[row, top]
    before, after = part[row, np.maximum(top - 1, 0)], part[row, np.minimum(top + 1, 2 * reach)]
    bend = before - 2 * here + after
    refined = (top > 0) & (top < 2 * reach) & (bend < 0)
    off = np.where(refined, 0.5 * (before - after) / np.where(bend < 0, bend, -1), 0.0)
    found = inside & (here > 0)
    times = (at[:, 0] + top + off + 0.5) / STEP_RATE
    return np.where(found, times, times_s), np.where(found, here, 0).astype(np.float32)


# The edge of an attack is looked for in steps of a quarter of a millisecond.
EDGE_RATE = 4000
_EDGE_STEP = SAMPLE_RATE // EDGE_RATE
FOOT, EDGE_FLOOR = 1.5, 0.02
_SHARP_STEPS = 8  # from its foot to a quarter of its peak within two milliseconds
_CLEAR = 4.0
_REACH_STEPS = 72  # 18 ms either side
_BEFORE = 40  # of the 18 ms before a time, ten are taken for what sounded before


def fine_power(samples: Array) -> Array:
    """Return the power of a song in steps of a quarter of a millisecond, for `edges`."""
    count = len(samples) // _EDGE_STEP
    fine = (samples[: count * _EDGE_STEP].reshape(count, _EDGE_STEP) ** 2).mean(axis=1)
    return np.asarray(running_mean(fine, 3))


def edges(power: Array, times_s: Times) -> tuple[Times, NDArray[np.bool_]]:
    """Return where the sharp attack near each time (seconds, shape (n,)) begins, and whether there is one; `power` has EDGE_RATE values a second.

    The beginning is where the level last lay within a factor of what sounded before. A soft attack has no such
    instant: what is heard as its beat lies somewhere on its slope, and its time is returned unchanged.
    """
    start = np.round(times_s * EDGE_RATE).astype(np.int64) - _REACH_STEPS
    inside = (start >= 0) & (start + 2 * _REACH_STEPS <= len(power))
    if not inside.any():
        return times_s.astype(np.float64), inside
    span = np.arange(2 * _REACH_STEPS)
    part = power[np.clip(start, 0, len(power) - 2 * _REACH_STEPS)[:, None] + span]
    # Loudest, not mean, before it: the swings of a bass note must not read as the beginning.
    before, after = part[:, :_BEFORE].max(axis=1), part[:, _BEFORE:]
    peak = after.max(axis=1)
    over = after > np.maximum(FOOT * before, EDGE_FLOOR * peak)[:, None]
    foot = over.argmax(axis=1)
    high = (after >= peak[:, None] / 4) & (np.arange(after.shape[1]) >= foot[:, None])
    risen = high.argmax(axis=1) - foot
    clear = inside & (peak >= _CLEAR * before + 1e-9) & (foot > 0) & (risen <= _SHARP_STEPS)
    # The smoothing reaches a step and a half ahead of the edge itself.
    return np.where(clear, (start + _BEFORE + foot + 1.5) / EDGE_RATE, times_s), np.asarray(clear)
