"""The barest music at every tempo: is the beat, its phase and, where one is accented, the bar right?

Use: ./run bench beats --bare [--step N]
The sounds are plain arithmetic of their own, not those that the networks were trained on.
"""

from __future__ import annotations

from multiprocessing import Pool
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.records import SAMPLE_RATE

Wave = NDArray[np.float32]
LEADS_S = (0.0, 0.37, 1.9)


class Read(NamedTuple):
    kind: str
    bpm: int
    lead_s: float
    right: bool
    message: str


def _decay(seconds: float, long_s: float) -> NDArray[np.float64]:
    return np.exp(-np.arange(int(long_s * SAMPLE_RATE)) / SAMPLE_RATE / seconds)


def _sounds() -> dict[str, NDArray[np.float64]]:
    rng = np.random.default_rng(77)
    t = np.arange(int(0.25 * SAMPLE_RATE)) / SAMPLE_RATE
    kick = np.sin(2 * np.pi * (48 * t + 4 * (1 - np.exp(-t / 0.03)))) * _decay(0.07, 0.25)
    noise = rng.standard_normal(len(t))
    bright = np.diff(noise, prepend=0.0)
    return {
        "kick": kick,
        "hat": 0.35 * bright * _decay(0.012, 0.25),
        "clap": 0.5 * noise * _decay(0.05, 0.25),
        "snare": (0.4 * noise + 0.4 * np.sin(2 * np.pi * 185 * t)) * _decay(0.06, 0.25),
        "click": np.sin(2 * np.pi * 1500 * t) * _decay(0.008, 0.25),
        "high click": np.sin(2 * np.pi * 2100 * t) * _decay(0.008, 0.25),
        "bass": 0.5 * np.sign(np.sin(2 * np.pi * 55 * t)) * _decay(0.15, 0.25),
    }


# Which sounds fall where: places in beats of a bar of four.
KINDS: dict[str, dict[str, tuple[float, ...]]] = {
    "kick": {"kick": (0, 1, 2, 3)},
    "clap": {"clap": (0, 1, 2, 3)},
    "click": {"click": (0, 1, 2, 3)},
    "hat": {"hat": (0, 1, 2, 3)},
    "kick and hat": {"kick": (0, 1, 2, 3), "hat": (0.5, 1.5, 2.5, 3.5)},
    "kick and clap": {"kick": (0, 1, 2, 3), "clap": (1, 3)},
    "kick and eighths": {"kick": (0, 1, 2, 3), "hat": (0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5)},
    "kick, snare": {"kick": (0, 2), "snare": (1, 3)},
    "kick, snare, hats": {"kick": (0, 2), "snare": (1, 3), "hat": (0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5)},
    "snare on 2 and 4": {"snare": (1, 3)},
    "kick, off-beat bass": {"kick": (0, 1, 2, 3), "bass": (0.5, 1.5, 2.5, 3.5)},
    "click, accent on one": {"click": (1, 2, 3), "high click": (0,)},
}


def made(kind: str, bpm: float, lead_s: float, seconds: float = 24.0) -> tuple[Wave, NDArray[np.float64]]:
    """Return a bare piece, mono at SAMPLE_RATE, and its beats."""
    sounds, period = _sounds(), 60 / bpm
    count = int((seconds - lead_s) / period)
    beats = np.asarray(lead_s + 0.02 + np.arange(count) * period, dtype=np.float64)
    out = np.zeros(int((seconds + 0.5) * SAMPLE_RATE))
    for name, places in KINDS[kind].items():
        for place in places:
            for first in beats[::4]:
                at = round((first + place * period) * SAMPLE_RATE)
                part = out[at : at + len(sounds[name])]
                if at < round((beats[-1] + 0.9 * period) * SAMPLE_RATE):
                    part += sounds[name][: len(part)]
    return (0.7 * out / np.abs(out).max()).astype(np.float32), beats


def _read(task: tuple[str, int, float]) -> Read:
    from tempik.rhythm.points import analyse_samples

    kind, bpm, lead_s = task
    samples, beats = made(kind, bpm, lead_s)
    found = analyse_samples(samples)
    times = np.array([b.time_s for b in found.beats])
    if len(times) < 4:
        return Read(kind, bpm, lead_s, False, "no beat")
    ratio = found.tempo_bpm / bpm
    off = float(np.median(np.abs(beats[:, None] - times).min(axis=1)))
    right = abs(ratio - 1) < 0.005 and off < 0.02
    if right and kind == "click, accent on one":
        ones = np.array([b.time_s for b in found.beats if b.beat == 1])
        right = len(ones) > 1 and float(np.median(np.abs(beats[::4][:, None] - ones).min(axis=1))) < 0.02
    message = f"{found.tempo_bpm:.1f} BPM, {off * 1000:.0f} ms off, {found.confidence:.2f}"
    return Read(kind, bpm, lead_s, bool(right), message)


def main(step: int) -> None:
    tasks = [(kind, bpm, lead) for kind in KINDS for bpm in range(60, 201, step) for lead in LEADS_S]
    with Pool(2) as pool:
        reads = pool.map(_read, tasks, 8)
    for kind in KINDS:
        of = [r for r in reads if r.kind == kind]
        wrong = [r for r in of if not r.right]
        print(f"{kind:22} {len(of) - len(wrong):4} of {len(of)} right", flush=True)
        for r in wrong[:12]:
            print(f"    {r.bpm} BPM after {r.lead_s} s: read as {r.message}")
    print(f"all: {np.mean([r.right for r in reads]):.4f} of {len(reads)}")
