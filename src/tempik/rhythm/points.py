"""Rhythm points of a song: analysis from file to points, kept by the file's contents."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable
from pathlib import Path

import msgspec
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d

from tempik.errors import TempikError
from tempik.media import decode_sound
from tempik.rhythm.attack import fine_rise
from tempik.rhythm.bars import find_bars
from tempik.rhythm.beats import find_beats
from tempik.rhythm.cache import cache_folder
from tempik.rhythm.features import FRAME_RATE, SAMPLE_RATE, Features, features

# Raise when the analysis changes, so that what was kept of songs is worked out again.
ANALYSIS_VERSION = 3
SURE_ENOUGH = 0.35


class Beat(msgspec.Struct, frozen=True, array_like=True):
    """One beat: seconds of the song, strength 0 to 1, bar and beat counted from 1 (bar 0 is a pick-up)."""

    time_s: float
    strength: float
    bar: int
    beat: int


class Analysis(msgspec.Struct, frozen=True):
    """What was found in a song. `tempo_bpm` 0 and no beats: there is no steady beat."""

    length_s: float
    tempo_bpm: float
    metre: int
    steady: bool
    confidence: float
    beats: tuple[Beat, ...]


Report = Callable[[float], None]


def analyse(path: str, report: Report | None = None) -> Analysis:
    """Find the beats of a song file. Results are kept by the file's contents, so a second call takes no time.

    `report` is called with the share done; it may raise to stop. Raises TempikError when the file has no sound.
    """
    kept = _kept_name(path)
    if kept is not None and kept.exists():
        try:
            return msgspec.msgpack.decode(kept.read_bytes(), type=Analysis)
        except (msgspec.DecodeError, OSError):
            pass  # a damaged entry is worked out again
    tell = report or (lambda share: None)
    tell(0.02)
    samples = decode_sound(path, SAMPLE_RATE, mono=True).samples[:, 0]
    if len(samples) < SAMPLE_RATE // 2:
        raise TempikError(f"{path} lasts less than half a second; choose a longer song.")
    tell(0.35)
    found = analyse_samples(samples, tell)
    if kept is not None:
        _keep(kept, msgspec.msgpack.encode(found))
    tell(1.0)
    return found


def analyse_samples(samples: NDArray[np.float32], report: Report = lambda share: None) -> Analysis:
    """Find the beats of mono samples at `features.SAMPLE_RATE`."""
    heard = features(samples)
    report(0.55)
    rise = fine_rise(samples)
    report(0.7)
    beats = find_beats(samples, heard, rise)
    report(0.95)
    length_s = len(samples) / SAMPLE_RATE
    if len(beats.times_s) < 4 or beats.confidence < SURE_ENOUGH:
        return Analysis(length_s, 0.0, 4, False, beats.confidence, ())
    bars = find_bars(beats.times_s, heard)
    strength = beat_strength(beats.times_s, heard)
    numbers = np.arange(len(beats.times_s)) - bars.first_downbeat
    tempo = 60 / float(np.median(np.diff(beats.times_s)))
    made = tuple(
        Beat(float(t), float(s), int(n // bars.metre) + 1, int(n % bars.metre) + 1)
        for t, s, n in zip(beats.times_s, strength, numbers, strict=True)
    )
    return Analysis(length_s, tempo, bars.metre, beats.steady, beats.confidence, made)


def beat_strength(times_s: NDArray[np.float64], heard: Features) -> NDArray[np.float64]:
    """Return how strong each beat sounds, 0 to 1: its attack, and how loud the song is there."""
    reach = maximum_filter1d(heard.onset, 5)
    at = np.clip(np.round(times_s * FRAME_RATE).astype(int), 0, len(reach) - 1)
    attack = reach[at]
    attack = attack / (np.percentile(attack, 90) + 1e-6)
    loud = maximum_filter1d(heard.loudness, 11)[np.clip(at + 4, 0, len(reach) - 1)]
    quiet, full = np.percentile(loud, 5), np.percentile(loud, 95)
    level = np.clip((loud - min(quiet, full - 12)) / max(full - quiet, 12), 0, 1)
    return np.asarray(np.clip(0.65 * np.minimum(attack, 1) + 0.35 * level, 0.02, 1), dtype=np.float64)


def _kept_name(path: str) -> Path | None:
    try:
        with open(path, "rb") as file:
            digest = hashlib.file_digest(file, "blake2b").hexdigest()[:32]
    except OSError:
        return None  # decoding says what is wrong with the file
    return cache_folder() / "rhythm" / f"{digest}.v{ANALYSIS_VERSION}"


def _keep(name: Path, data: bytes) -> None:
    try:
        name.parent.mkdir(parents=True, exist_ok=True)
        part = name.with_suffix(f".{os.getpid()}.part")
        part.write_bytes(data)
        part.replace(name)
    except OSError:
        pass  # a full or read-only cache costs time, nothing else
