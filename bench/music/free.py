"""What has no steady beat: talk, rain, clatter, long tones, hits at any time. And songs joined end to end."""

from __future__ import annotations

import numpy as np

from bench.music.score import DRUM_KEYS, Note, Score
from bench.music.sounds import Rng, Wave
from tempik.rhythm.records import SAMPLE_RATE

_KINDS = ("talk", "rain", "hits", "drone", "bells", "clatter", "sweep")


def free(rng: Rng) -> tuple[Score, Wave | None]:
    """Return a score without beats, and its sound where no notes could make it."""
    kind = str(rng.choice(_KINDS))
    seconds = float(rng.uniform(12, 40))
    score = Score(np.empty(0), np.empty(0, dtype=np.int64), length_s=seconds, steady=False)
    count = int(seconds * SAMPLE_RATE)
    t = np.arange(count) / SAMPLE_RATE
    if kind == "talk":
        return score, _talk(rng, t)
    if kind == "rain":
        level = np.interp(t, np.arange(0, seconds + 8, 4), rng.uniform(0.4, 1, int(seconds // 4) + 3))
        return score, (level * rng.standard_normal(count) * 0.2).astype(np.float32)
    if kind == "sweep":
        hz = np.interp(t, np.linspace(0, seconds, 6), rng.uniform(80, 1200, 6))
        return score, (0.3 * np.sin(2 * np.pi * np.cumsum(hz) / SAMPLE_RATE)).astype(np.float32)
    gaps = {"hits": (0.4, 3.5), "bells": (0.6, 4), "drone": (3, 9), "clatter": (0.05, 0.9)}[kind]
    at = np.cumsum(np.exp(rng.uniform(np.log(gaps[0]), np.log(gaps[1]), 900)))
    at = at[at < seconds - 0.3]
    parts = rng.choice(list(DRUM_KEYS), 3)
    for when in at:
        if kind in ("hits", "clatter"):
            part = str(rng.choice(parts))
            score.drums.add(part)
            score.notes.append(Note(float(when), part, DRUM_KEYS[part], 0.2, float(rng.uniform(0.2, 1))))
        else:
            part = "pad" if kind == "drone" else "keys"
            score.programs[part] = 89 if kind == "drone" else 14
            score.notes += [
                Note(float(when), part, int(k), float(rng.uniform(2, 6)), 0.6) for k in rng.integers(45, 80, 3)
            ]
    return score, None


def _talk(rng: Rng, t: np.ndarray) -> Wave:
    """Return buzz and hiss in syllables of uneven length with pauses between phrases, as speech is."""
    marks, levels = [0.0], [0.0]
    while marks[-1] < t[-1]:
        for _ in range(int(rng.integers(3, 14))):
            long = float(np.exp(rng.normal(np.log(0.19), 0.4)))
            marks += [marks[-1] + 0.3 * long, marks[-1] + long]
            levels += [float(rng.uniform(0.3, 1)), float(rng.uniform(0, 0.25))]
        marks.append(marks[-1] + float(rng.uniform(0.15, 0.9)))
        levels.append(0.0)
    level = np.interp(t, marks, levels)
    pitch = np.interp(
        t, np.arange(0, t[-1] + 1, 0.3), rng.uniform(90, 220, int(t[-1] / 0.3) + 5)[: len(np.arange(0, t[-1] + 1, 0.3))]
    )
    turns = 2 * np.pi * np.cumsum(pitch) / SAMPLE_RATE
    buzz = sum(np.sin(n * turns) / n * (1 + 2 * np.exp(-(((n * 140 - 700) / 400) ** 2))) for n in range(1, 18))
    hiss = rng.standard_normal(len(t)) * np.interp(t, marks, rng.uniform(0, 1, len(marks)) ** 4)
    return np.asarray(level * (0.3 * buzz + 0.4 * hiss) * 0.5, dtype=np.float32)
