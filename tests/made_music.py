"""Music made for the tests: a small band whose every beat, bar and section is known."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.records import SAMPLE_RATE

Samples = NDArray[np.float32]
_PROGRESSION = (0, 5, 3, 4)
_SCALE = (0, 2, 4, 5, 7, 9, 11)


class Music(NamedTuple):
    samples: Samples  # mono at features.SAMPLE_RATE
    beats: NDArray[np.float64]
    downbeats: NDArray[np.float64]
    kicks: NDArray[np.float64]
    snares: NDArray[np.float64]


def steady(bpm: float, seconds: float, first_s: float = 0.4) -> NDArray[np.float64]:
    return first_s + np.arange(int((seconds - first_s) * bpm / 60)) * 60 / bpm


def ramped(bpm: float, change: float, seconds: float, first_s: float = 0.4) -> NDArray[np.float64]:
    """Beats whose tempo moves evenly by a share `change` over the piece."""
    times = [first_s]
    while times[-1] < seconds:
        times.append(times[-1] + 60 / (bpm * (1 + change * times[-1] / seconds)))
    return np.array(times[:-1])


def band(
    beats: NDArray[np.float64],
    metre: int = 4,
    *,
    swing: float = 0.5,
    jitter_s: float = 0.0,
    drums_from_s: float = 0.0,
    full_from_s: float = 0.0,
    noise_db: float | None = None,
    pickup: int = 0,
    seed: int = 1,
) -> Music:
    """Play kick on the first and third, snare between, hats on swung halves, bass and chords that change with the bar.

    Before `drums_from_s` there are no drums, before `full_from_s` no bass and quiet chords. `noise_db` is how far the
    music stands above noise. The first downbeat is beat number `pickup`.
    """
    rng = np.random.default_rng(seed)
    gap = float(np.median(np.diff(beats)))
    out = np.zeros(int((beats[-1] + 2 * gap + 0.5) * SAMPLE_RATE), np.float64)

    def put(at_s: float, sound: NDArray[np.float64]) -> None:
        at = round((at_s + (rng.normal(0, jitter_s) if jitter_s else 0.0)) * SAMPLE_RATE)
        if 0 <= at < len(out):
            part = out[at : at + len(sound)]
            part += sound[: len(part)]

    ends = np.append(beats, beats[-1] + gap)
    kicks, snares = [], []
    for number, beat in enumerate(beats):
        place = (number - pickup) % metre
        bar = (number - pickup) // metre
        long = float(ends[number + 1] - beat)
        root = 110 * 2 ** ((_SCALE[_PROGRESSION[bar % 4]] - 12) / 12)
        full = beat >= full_from_s
        if beat >= drums_from_s:
            if place in (0, 2) if metre == 4 else place in (0, 3):
                put(beat, _kick())
                kicks.append(beat)
            else:
                put(beat, _snare(rng))
                snares.append(beat)
            put(beat, 0.25 * _hat(rng))
            put(beat + swing * long, 0.2 * _hat(rng))
        if full:
            put(beat, 0.30 * _tone(root, long * 0.9, 3))
            put(beat + swing * long, 0.16 * _tone(root, long * 0.4, 3))
        if place == 0:
            bar_s = float(ends[min(number + metre, len(ends) - 1)] - beat)
            for step in (0, 2, 4):
                pitch = 220 * 2 ** (_SCALE[(_PROGRESSION[bar % 4] + step) % 7] / 12)
                put(beat, (0.12 if full else 0.07) * _tone(pitch, max(bar_s, gap), 4))
    if noise_db is not None:
        out += rng.standard_normal(len(out)) * np.sqrt((out**2).mean()) / 10 ** (noise_db / 20)
    samples = (out / max(np.abs(out).max(), 1e-9) * 0.8).astype(np.float32)
    return Music(samples, beats, beats[pickup::metre], np.array(kicks), np.array(snares))


def _kick() -> NDArray[np.float64]:
    t = np.arange(int(0.18 * SAMPLE_RATE)) / SAMPLE_RATE
    return 0.9 * np.exp(-t / 0.06) * np.sin(2 * np.pi * (50 * t + 6 * (1 - np.exp(-t / 0.02))) + np.pi / 2)


def _snare(rng: np.random.Generator) -> NDArray[np.float64]:
    t = np.arange(int(0.14 * SAMPLE_RATE)) / SAMPLE_RATE
    return np.exp(-t / 0.05) * (0.35 * rng.standard_normal(len(t)) + 0.3 * np.cos(2 * np.pi * 190 * t))


def _hat(rng: np.random.Generator) -> NDArray[np.float64]:
    t = np.arange(int(0.05 * SAMPLE_RATE)) / SAMPLE_RATE
    return np.exp(-t / 0.012) * np.diff(rng.standard_normal(len(t) + 1)) * 0.7


def _tone(hz: float, seconds: float, partials: int) -> NDArray[np.float64]:
    t = np.arange(max(1, int(seconds * SAMPLE_RATE))) / SAMPLE_RATE
    swell = np.minimum(t / 0.008, 1) * np.minimum((seconds - t) / 0.02, 1).clip(0)
    return swell * np.exp(-t / 1.2) * sum(np.sin(2 * np.pi * hz * n * t) / n for n in range(1, partials + 1))


def joined(parts: Sequence[Samples]) -> Samples:
    return np.concatenate(parts)
