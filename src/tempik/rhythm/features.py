"""Onset strength in bands: how much new energy arrives at each instant of a song, low, mid and high apart.

The strength is a spectral flux on a logarithmic filter bank against a frequency-widened earlier frame, after
Böck and Widmer, "Maximum filter vibrato suppression for onset detection", DAFx 2013.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.filters import magnitudes, running_max, running_mean
from tempik.rhythm.records import SAMPLE_RATE

Array = NDArray[np.float32]


FRAME_RATE = 100  # features a second
HOP = SAMPLE_RATE // FRAME_RATE
WINDOW = 1024
BANDS_HZ = (30.0, 160.0, 700.0, 3200.0, 11000.0)
BAND_NAMES = ("low", "lower mid", "upper mid", "high")


SLOW_RATE = 20  # rows a second of what changes slowly


class Features(NamedTuple):
    """What the trackers listen to. The first five have FRAME_RATE rows a second, row i centred on i / FRAME_RATE
    seconds; the last three have SLOW_RATE rows a second."""

    bands: Array  # (frames, bands): level in each band of the filter bank, compressed, the song's loud passages about 1
    flux: Array  # (frames, 4): new energy in each of BANDS_HZ
    onset: Array  # (frames,): all bands together, 0 to about 1
    harmony: Array  # (frames,): how much the pitch content changes around the instant, 0 to about 1
    loudness: Array  # (frames,): level in dB
    pitch: Array  # (slow frames, 12): which pitch classes sound, from long windows
    bass: Array  # (slow frames, 12): the same of the bass alone
    texture: Array  # (slow frames, bands): level in each band of the filter bank

    def between(self, start_s: float, end_s: float) -> Features:
        """Return the features of a stretch that begins and ends on whole twentieths of a second."""
        quick, slow = (slice(round(start_s * rate), round(end_s * rate)) for rate in (FRAME_RATE, SLOW_RATE))
        return Features(*(rows[slow] if n >= 5 else rows[quick] for n, rows in enumerate(self)))


class SummedFeatures(NamedTuple):
    """Features made ready to be asked at many instants: each the most of 50 ms, and running sums for means."""

    struck: Array  # (frames, 5): the four bands of flux and harmony
    onsets: NDArray[np.float64]  # (frames + 1, 1) and so on: sums up to each row
    level: NDArray[np.float64]
    pitch: NDArray[np.float64]
    bass: NDArray[np.float64]
    texture: NDArray[np.float64]
    pitched: tuple[float, float]  # how far there is harmony, and bass, that can be told by pitch: 0 to 1


def listening(found: Features) -> SummedFeatures:
    """Make features ready for the scores of beats and bars."""
    return SummedFeatures(
        np.asarray(running_max(np.column_stack([found.flux, found.harmony]), 5, axis=0)),
        running_sum(found.onset),
        running_sum(found.loudness),
        running_sum(found.pitch),
        running_sum(found.bass),
        running_sum(found.texture),
        (_pitched(found.pitch), _pitched(found.bass)),
    )


def _pitched(classes: Array) -> float:
    """Return how far pitch classes stand out where they sound at all. Noise spreads over all twelve alike."""
    size = np.linalg.norm(classes, axis=1)
    sounds = size > 0.5
    if not sounds.any():
        return 0.0
    standing = np.sort(classes[sounds], axis=1)[:, -3:].sum(axis=1) / classes[sounds].sum(axis=1)
    share = float(sounds.mean())
    # Three of twelve alike hold a quarter.
    return float(np.clip((standing.mean() - 0.32) / 0.2, 0, 1)) * min(1.0, 2 * share)


def running_sum(rows: Array | NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the sums of all rows before each, shape (rows + 1, columns)."""
    rows = rows.reshape(len(rows), -1)
    return np.concatenate([np.zeros((1, rows.shape[1])), np.cumsum(rows, axis=0, dtype=np.float64)])


def means_between(sums: NDArray[np.float64], rate: int, ends_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the mean row between each time and the next, from running sums."""
    at = np.clip(np.round(ends_s * rate).astype(int), 0, len(sums) - 2)
    start, end = at[:-1], np.maximum(at[1:], at[:-1] + 1)
    return np.asarray((sums[end] - sums[start]) / (end - start)[:, None])


def features(samples: Array) -> Features:
    """Analyse mono samples at SAMPLE_RATE, shape (count,)."""
    magnitude = _spectrogram(samples)
    bank, centres = _filter_bank()
    level = np.log1p(np.float32(30.0) * (magnitude @ bank))
    earlier = running_max(level, 3, axis=1)
    rise = np.zeros_like(level)
    # Two hops back: half a window, so that the attack has fully entered.
    rise[2:] = np.maximum(level[2:] - earlier[:-2], 0)
    bands = [(centres >= a) & (centres < b) for a, b in zip(BANDS_HZ, BANDS_HZ[1:], strict=False)]
    flux = np.stack([rise[:, b].mean(axis=1) for b in bands], axis=1)
    # The window sees an attack half a window early; the mean rise of the two-hop step lies one hop late.
    flux = _levelled(flux)
    onset = flux @ np.array([0.34, 0.22, 0.22, 0.22], dtype=np.float32)
    power = (magnitude**2).sum(axis=1)
    loudness = 10 * np.log10(power + 1e-9)
    pitch, bass = _slow_chroma(samples)
    step = FRAME_RATE // SLOW_RATE
    whole = len(level) // step * step
    texture = level[:whole].reshape(-1, step, level.shape[1]).mean(axis=1)
    harmony = _harmony(_chroma(magnitude))
    return Features(level, flux, onset.astype(np.float32), harmony, loudness.astype(np.float32), pitch, bass, texture)


def _spectrogram(samples: Array) -> Array:
    """Return magnitudes of shape (frames, WINDOW/2 + 1), scaled to the song's own loud passages."""
    padded = np.pad(samples, (WINDOW // 2, WINDOW // 2 + HOP))
    count = 1 + len(samples) // HOP
    window = np.hanning(WINDOW + 1)[:-1].astype(np.float32)
    out = np.empty((count, WINDOW // 2 + 1), np.float32)
    strided = np.lib.stride_tricks.sliding_window_view(padded, WINDOW)[::HOP][:count]

    def transform(start: int) -> None:
        block = strided[start : start + 2048] * window
        out[start : start + 2048] = magnitudes(block)

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(transform, range(0, count, 2048)))
    loud = float(np.percentile(out.max(axis=1), 95)) if count else 0.0
    return np.asarray(out / max(loud, 1e-6), dtype=np.float32)


def _filter_bank() -> tuple[Array, Array]:
    """Return triangles of six an octave between the outer BANDS_HZ, shape (bins, bands), and their centres."""
    bins_hz = np.arange(WINDOW // 2 + 1) * SAMPLE_RATE / WINDOW
    edges = BANDS_HZ[0] * 2 ** (np.arange(0, 6 * np.log2(BANDS_HZ[-1] / BANDS_HZ[0]) + 2) / 6)
    columns, centres = [], []
    last = -1
    for low, centre, high in zip(edges, edges[1:], edges[2:], strict=False):
        peak = round(centre * WINDOW / SAMPLE_RATE)
        if peak == last:
            continue  # below the resolution of the transform several triangles share a bin
        last = peak
        width = max((high - low) / 2, SAMPLE_RATE / WINDOW)
        shape = np.clip(1 - np.abs(bins_hz - peak * SAMPLE_RATE / WINDOW) / width, 0, None)
        columns.append(shape / shape.sum())
        centres.append(centre)
    return np.stack(columns, axis=1).astype(np.float32), np.array(centres, dtype=np.float32)


def _levelled(flux: Array) -> Array:
    """Return each band against its own surroundings: minus the local mean, over the local spread of ten seconds."""
    flux = flux - running_mean(flux, FRAME_RATE // 2, axis=0)
    flux = np.maximum(flux, 0)
    spread = np.sqrt(np.maximum(running_mean(flux**2, 10 * FRAME_RATE, axis=0), 0))
    floor = 0.15 * float(np.sqrt((flux**2).mean())) + 1e-4
    return np.asarray(np.minimum(flux / (spread + floor) / 5, 1.5), dtype=np.float32)


def _chroma(magnitude: Array) -> Array:
    """Return pitch-class content between 110 and 1800 Hz, each row of unit length, shape (frames, 12)."""
    bins_hz = np.arange(1, WINDOW // 2 + 1) * SAMPLE_RATE / WINDOW
    use = (bins_hz > 110) & (bins_hz < 1800)
    chroma = np.sqrt(magnitude[:, 1:][:, use]) @ _pitch_classes(bins_hz[use], 0.7)
    return np.asarray(chroma / (np.linalg.norm(chroma, axis=1, keepdims=True) + 1e-3), dtype=np.float32)


_SLOW_DIVISOR, _SLOW_WINDOW = 4, 2048  # a third of a second at 6 kHz: bass notes a semitone apart are told apart


def _slow_chroma(samples: Array) -> tuple[Array, Array]:
    """Return pitch-class content of harmony and of bass from long windows, each (slow frames, 12)."""
    low = _thinned(samples)
    rate = SAMPLE_RATE // _SLOW_DIVISOR
    hop = rate // SLOW_RATE
    padded = np.pad(low, (_SLOW_WINDOW // 2, _SLOW_WINDOW // 2 + hop))
    count = 1 + len(low) // hop
    window = np.hanning(_SLOW_WINDOW).astype(np.float32)
    strided = np.lib.stride_tricks.sliding_window_view(padded, _SLOW_WINDOW)[::hop][:count]
    magnitude = np.empty((count, _SLOW_WINDOW // 2 + 1), np.float32)

    def transform(start: int) -> None:
        magnitude[start : start + 512] = magnitudes(strided[start : start + 512] * window)

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(transform, range(0, count, 512)))
    hz = np.arange(_SLOW_WINDOW // 2 + 1) * rate / _SLOW_WINDOW
    quiet = np.float32(1e-3) * np.sqrt(magnitude.max(initial=0.0)) + np.float32(1e-9)

    def classes(low_hz: float, high_hz: float, width: float) -> Array:
        use = (hz > low_hz) & (hz < high_hz)
        chroma = np.sqrt(magnitude[:, use]) @ _pitch_classes(hz[use], width)
        return np.asarray(chroma / (np.linalg.norm(chroma, axis=1, keepdims=True) + quiet), dtype=np.float32)

    return classes(180, 2000, 0.6), classes(35, 220, 0.7)


def _thinned(samples: Array) -> Array:
    """Return every _SLOW_DIVISOR-th sample of a Gaussian low-pass, worked out at those samples alone."""
    reach = 7
    shape = np.exp(-0.5 * (np.arange(-reach, reach + 1) / 1.8) ** 2)
    padded = np.pad(samples, reach)
    around = np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1)[::_SLOW_DIVISOR]
    return np.asarray(around @ (shape / shape.sum()).astype(np.float32), dtype=np.float32)


def _pitch_classes(hz: NDArray[np.float64], width: float) -> Array:
    """Return how far each frequency belongs to each of the twelve pitch classes; `width` is in semitones."""
    pitch = 12 * np.log2(hz / 440)
    return np.exp(-0.5 * (((pitch[:, None] - np.arange(12) + 6) % 12 - 6) / width) ** 2).astype(np.float32)


def _harmony(chroma: Array) -> Array:
    """Return how the pitch content of the quarter second after each instant differs from that before it."""
    size = FRAME_RATE // 4
    means = running_mean(chroma, size, axis=0)
    shift = size // 2 + 2
    change = np.zeros(len(chroma), np.float32)
    if len(chroma) > 2 * shift:
        change[shift:-shift] = np.linalg.norm(means[2 * shift :] - means[: -2 * shift], axis=1)
    return change / (float(np.percentile(change, 98)) + 1e-4)
