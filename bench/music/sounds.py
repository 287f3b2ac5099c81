"""Sounds made by arithmetic: drums, plucked, struck, bowed and sung notes, each drawn anew from a seed."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.records import SAMPLE_RATE

Wave = NDArray[np.float32]
Rng = np.random.Generator


def _time(seconds: float) -> NDArray[np.float64]:
    return np.arange(max(2, int(seconds * SAMPLE_RATE))) / SAMPLE_RATE


def _noise(rng: Rng, count: int, low_hz: float, high_hz: float) -> NDArray[np.float64]:
    """Return noise between two frequencies, of unit level."""
    spectrum = np.fft.rfft(rng.standard_normal(count))
    hz = np.fft.rfftfreq(count, 1 / SAMPLE_RATE)
    spectrum *= 1 / (1 + (low_hz / np.maximum(hz, 1)) ** 4) / (1 + (hz / high_hz) ** 4)
    out = np.fft.irfft(spectrum, count)
    return np.asarray(out / (out.std() + 1e-9))


def _faded(wave: NDArray[np.float64]) -> Wave:
    tail = min(len(wave) // 3, 200)
    wave[-tail:] *= np.linspace(1, 0, tail)
    return np.asarray(wave / (np.abs(wave).max() + 1e-9), dtype=np.float32)


def kick(rng: Rng) -> Wave:
    decay = float(rng.choice([0.05, 0.09, 0.14, 0.3])) * rng.uniform(0.8, 1.3)
    t = _time(min(5 * decay, 0.8))
    low, sweep, fall = rng.uniform(40, 65), rng.uniform(40, 260), rng.uniform(0.008, 0.05)
    body = np.sin(2 * np.pi * (low * t + sweep * fall * (1 - np.exp(-t / fall))) + rng.uniform(0, np.pi / 2))
    body *= np.exp(-t / decay) * np.minimum(t / rng.choice([0.0004, 0.002]), 1)
    click = rng.uniform(0, 0.5) * np.exp(-t / 0.004) * _noise(rng, len(t), 800, rng.uniform(2000, 9000))
    return _faded(np.tanh(rng.uniform(1, 4) * (body + click)))


def snare(rng: Rng) -> Wave:
    decay = rng.uniform(0.03, 0.16)
    t = _time(5 * decay)
    tone = sum(np.sin(2 * np.pi * hz * t) for hz in (rng.uniform(150, 240), rng.uniform(280, 400)))
    noise = _noise(rng, len(t), rng.uniform(300, 1800), rng.uniform(5000, 12000))
    return _faded(rng.uniform(0.1, 0.8) * tone * np.exp(-t / rng.uniform(0.02, 0.08)) + noise * np.exp(-t / decay))


def clap(rng: Rng) -> Wave:
    decay = rng.uniform(0.04, 0.14)
    t = _time(5 * decay)
    level = np.zeros(len(t))
    for start in np.arange(rng.integers(1, 5)) * rng.uniform(0.006, 0.012):
        level += (t >= start) * np.exp(-np.maximum(t - start, 0) / 0.006)
    level += 0.7 * np.exp(-t / decay)
    return _faded(level * _noise(rng, len(t), rng.uniform(600, 1200), rng.uniform(2500, 9000)))


def snap(rng: Rng) -> Wave:
    t = _time(0.12)
    centre = rng.uniform(1500, 3200)
    return _faded(_noise(rng, len(t), centre * 0.7, centre * 1.5) * np.exp(-t / rng.uniform(0.008, 0.025)))


def rim(rng: Rng) -> Wave:
    t = _time(0.1)
    tone = sum(np.sin(2 * np.pi * hz * t) for hz in (rng.uniform(400, 600), rng.uniform(1400, 1900)))
    return _faded((tone + 0.4 * _noise(rng, len(t), 1000, 8000)) * np.exp(-t / rng.uniform(0.006, 0.02)))


def _cymbal(rng: Rng, decay: float, low_hz: float, metal: float) -> Wave:
    t = _time(min(4 * decay, 1.6))
    bell = sum(np.sign(np.sin(2 * np.pi * hz * t)) for hz in rng.uniform(2000, 8000, 5)) / 5
    wave = _noise(rng, len(t), low_hz, 11500) + metal * bell
    return _faded(wave * np.exp(-t / decay))


def hat(rng: Rng) -> Wave:
    return _cymbal(rng, rng.uniform(0.008, 0.045), rng.uniform(3000, 8000), rng.uniform(0, 1))


def open_hat(rng: Rng) -> Wave:
    return _cymbal(rng, rng.uniform(0.08, 0.3), rng.uniform(3000, 7000), rng.uniform(0, 1))


def ride(rng: Rng) -> Wave:
    return _cymbal(rng, rng.uniform(0.15, 0.5), rng.uniform(2500, 5000), rng.uniform(0.5, 2))


def crash(rng: Rng) -> Wave:
    return _cymbal(rng, rng.uniform(0.4, 0.9), rng.uniform(1500, 4000), rng.uniform(0, 0.5))


def shaker(rng: Rng) -> Wave:
    t = _time(0.12)
    rise = rng.uniform(0.005, 0.03)
    return _faded(_noise(rng, len(t), 4000, 11500) * np.minimum(t / rise, 1) * np.exp(-np.maximum(t - rise, 0) / 0.03))


def drum(rng: Rng) -> Wave:
    """Return a tom, conga or other tuned skin."""
    t = _time(0.35)
    low = float(np.exp(rng.uniform(np.log(80), np.log(420))))
    pitch = low * t + low * rng.uniform(0.1, 0.8) * 0.03 * (1 - np.exp(-t / 0.03))
    stick = 0.3 * _noise(rng, len(t), 800, 6000) * np.exp(-t / 0.005)
    return _faded(np.sin(2 * np.pi * pitch) * np.exp(-t / rng.uniform(0.04, 0.15)) + stick)


def bell(rng: Rng) -> Wave:
    t = _time(0.3)
    hz = rng.uniform(500, 900)
    return _faded(
        sum(np.sign(np.sin(2 * np.pi * h * t)) for h in (hz, hz * 1.48)) * np.exp(-t / rng.uniform(0.03, 0.12))
    )


def click(rng: Rng) -> Wave:
    t = _time(0.06)
    hz = float(np.exp(rng.uniform(np.log(700), np.log(4500))))
    tone = np.sin(2 * np.pi * hz * t) if rng.random() < 0.7 else _noise(rng, len(t), 500, 11000)
    return _faded(tone * np.exp(-t / rng.uniform(0.002, 0.02)))


DRUMS: dict[str, Callable[[Rng], Wave]] = {
    "kick": kick, "snare": snare, "clap": clap, "snap": snap, "rim": rim, "hat": hat, "open": open_hat, "ride": ride,
    "crash": crash, "shaker": shaker, "tom": drum, "conga": drum, "bell": bell, "block": click, "click": click,
    "tambourine": open_hat,
}  # fmt: skip
BY_KEY = {35: "kick", 36: "kick", 37: "rim", 38: "snare", 39: "clap", 40: "snare", 42: "hat", 44: "hat", 46: "open",
    49: "crash", 51: "ride", 52: "crash", 53: "bell", 54: "tambourine", 55: "crash", 56: "bell", 57: "crash", 59: "ride",
    69: "shaker", 70: "shaker", 82: "shaker", 75: "click", 76: "block", 77: "block"}  # fmt: skip


class Voice:
    """A way of sounding notes, drawn once for a part. Notes alike are made once."""

    def __init__(self, rng: Rng, kind: str) -> None:
        """`kind`: bass, pluck, keys, pad, lead, voice, or pulse: short and hard, of a synthesizer."""
        self.rng, self.kind = rng, kind
        partials = {"bass": 6, "pluck": 10, "keys": 7, "pad": 8, "lead": 12, "voice": 14, "pulse": 24}[kind]
        tilt = rng.uniform(0.7, 2.2)
        self.partials = np.arange(1, partials + 1)
        self.loud = self.partials**-tilt * rng.uniform(0.3, 1, partials)
        if rng.random() < 0.25:
            self.loud[1::2] *= 0.1  # as a square wave or a clarinet
        if kind == "voice":
            self.formant = rng.uniform(400, 900), rng.uniform(1000, 2400)
        ranges = {
            "bass": (0.002, 0.02),
            "pluck": (0.001, 0.005),
            "keys": (0.002, 0.01),
            "pad": (0.05, 0.5),
            "lead": (0.004, 0.05),
            "voice": (0.03, 0.12),
            "pulse": (0.0003, 0.004),
        }
        self.rise = rng.uniform(*ranges[kind])
        falls = {
            "bass": (0.2, 2.0),
            "pluck": (0.08, 0.6),
            "keys": (0.3, 1.5),
            "pad": (3, 9),
            "lead": (0.5, 5),
            "voice": (2, 6),
            "pulse": (0.04, 0.6),
        }
        self.fall = rng.uniform(*falls[kind])
        self.wobble = rng.uniform(0.003, 0.015) if kind == "voice" else rng.choice([0.0, 0.002])
        self.detune = rng.choice([0.0, 0.004])
        self.made: dict[tuple[int, int], Wave] = {}

    def note(self, key: int, long_s: float) -> Wave:
        wanted = (key, max(1, round(long_s * 20)))
        if wanted not in self.made:
            self.made[wanted] = self._make(440 * 2 ** ((key - 69) / 12), wanted[1] / 20)
        return self.made[wanted]

    def _make(self, hz: float, long_s: float) -> Wave:
        t = _time(long_s + 0.06).astype(np.float32)
        turns = hz * (t + self.wobble / 5 * np.sin(2 * np.pi * 5 * t) / (2 * np.pi))
        out = np.zeros(len(t), np.float32)
        for n, loud in zip(self.partials, self.loud, strict=True):
            if hz * n > 10500:
                break
            if self.kind == "voice":
                a, b = self.formant
                loud = loud * (np.exp(-(((hz * n - a) / 250) ** 2)) + 0.6 * np.exp(-(((hz * n - b) / 400) ** 2)) + 0.08)
            damp = np.exp(-t * n**0.5 / self.fall)
            out += loud * damp * np.sin(2 * np.pi * n * turns, dtype=np.float32)
            if self.detune:
                out += 0.7 * loud * damp * np.sin(2 * np.pi * n * turns * (1 + self.detune), dtype=np.float32)
        shape = np.minimum(t / self.rise, 1) * np.clip((long_s + 0.05 - t) / 0.05, 0, 1)
        out *= shape
        return np.asarray(out / (np.abs(out).max() + 1e-9), dtype=np.float32)
