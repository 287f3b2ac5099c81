"""The outline of a sound for drawing: how far it swings in each millisecond."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.media.audio import Sound

PEAKS_PER_S = 1000


class Waveform(NamedTuple):
    """Peaks of shape (milliseconds,), 0 to 1 of the sound's own loudest."""

    peaks: NDArray[np.float32]

    def columns(self, start_s: float, end_s: float, count: int) -> NDArray[np.float32]:
        """Return the largest peak in each of `count` even columns between two instants; 0 outside the sound."""
        edges = np.linspace(start_s, end_s, count + 1) * PEAKS_PER_S
        first = np.floor(edges[:-1]).astype(int)
        low = np.clip(first, 0, len(self.peaks))
        high = np.clip(np.maximum(np.ceil(edges[1:]).astype(int), first + 1), 0, len(self.peaks))
        out = np.zeros(count, np.float32)
        inside = high > low
        if inside.any() and len(self.peaks):
            # reduceat runs to the next start, so starts and ends alternate and every second result is wanted.
            padded = np.append(self.peaks, np.float32(0))
            pairs = np.stack([low[inside], high[inside]], axis=1).ravel()
            out[inside] = np.maximum.reduceat(padded, pairs)[::2]
        return out

    def arranged(self, stretches: Sequence[tuple[float, float]]) -> Waveform:
        """Return the outline of stretches (from, to) of the sound, in seconds, one after the other."""
        parts = [self.peaks[round(a * PEAKS_PER_S) : round(b * PEAKS_PER_S)] for a, b in stretches]
        return Waveform(np.concatenate(parts) if parts else self.peaks[:0])


class BandOutline(NamedTuple):
    """The outlines of the low, middle and high bands, each 0 to 1 of its own loud passages."""

    bands: tuple[Waveform, Waveform, Waveform]

    def columns(self, start_s: float, end_s: float, count: int) -> NDArray[np.float32]:
        """Return the largest peak of each band in each column, shape (3, count)."""
        return np.stack([b.columns(start_s, end_s, count) for b in self.bands])

    def arranged(self, stretches: Sequence[tuple[float, float]]) -> BandOutline:
        """Return the outlines of stretches (from, to) of the sound, in seconds, one after the other."""
        low, middle, high = (b.arranged(stretches) for b in self.bands)
        return BandOutline((low, middle, high))


def waveform(sound: Sound) -> Waveform:
    """Return the outline of a sound."""
    step = sound.rate // PEAKS_PER_S
    count = len(sound.samples) // step
    swing = np.empty(count, np.float32)
    block = 60 * PEAKS_PER_S  # a minute at a time: a long sound is not all in memory
    for start in range(0, count, block):
        part = sound.samples[start * step : min(start + block, count) * step]
        # Both channels of a millisecond in one row: the largest of each pair by itself took ten times as long.
        swing[start : start + block] = np.abs(part).reshape(-1, step * part.shape[1]).max(axis=1)
    return Waveform((swing / max(float(swing.max(initial=0.0)), 1e-6)).astype(np.float32))
