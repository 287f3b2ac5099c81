"""The outline of a song in low, middle and high bands, for drawing: a kick, a voice and a hat look unlike."""

from __future__ import annotations

import numpy as np

from tempik.media.audio import decode_sound
from tempik.media.waveform import BandOutline, Waveform
from tempik.rhythm.attack import band_swings
from tempik.rhythm.records import SAMPLE_RATE

_BLOCK_S = 300


def band_outline(path: str) -> BandOutline:
    """Return the outlines of a song's bands. Raises TempikError where its sound cannot be read."""
    samples = decode_sound(path, SAMPLE_RATE, mono=True).samples
    step = _BLOCK_S * SAMPLE_RATE
    parts = [band_swings(np.asarray(samples[i : i + step, 0])) for i in range(0, max(1, len(samples)), step)]
    swings = np.concatenate(parts, axis=1)
    # Each band to its own loud passages: a hat is never as loud as a kick, and is to be seen all the same.
    full = np.percentile(swings, 99.8, axis=1, keepdims=True) if swings.size else np.ones((3, 1))
    swings = np.minimum(swings / np.maximum(full, 1e-6), 1.0)
    low, middle, high = (Waveform(np.asarray(s, dtype=np.float32)) for s in swings)
    return BandOutline((low, middle, high))
