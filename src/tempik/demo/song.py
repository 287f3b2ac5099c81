"""The demo's song: a smithy at work, synthesised, every beat known to the sample.

128 beats a minute at 48 kHz makes a beat exactly 22,500 samples. Bars: 4 of intro, 4 of lift, 6 of drop, 1 of fill,
1 of ending, after half a second of air.
"""

from __future__ import annotations

import wave
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float64]

SONG = "forge-song.wav"
RATE = 48000
BEAT = 22500
LEAD = 24000
BARS = 16
INTRO, LIFT, DROP, FILL, ENDING = (0, 4), (4, 8), (8, 14), (14, 15), (15, 16)
# Minor, plain and low: roots of the bars' chords in semitones from A.
ROOTS = (0, 0, -4, -2)


def beat_times() -> list[tuple[float, int, int]]:
    """Return time in seconds, bar and beat of every beat, exact to the sample."""
    return [((LEAD + i * BEAT) / RATE, i // 4 + 1, i % 4 + 1) for i in range(BARS * 4)]


def write_song(path: Path) -> None:
    """Write the song as 16-bit stereo WAV."""
    left, right = _tracks()
    data = (np.clip(np.stack([left, right], axis=1), -1, 1) * 32000).astype("<i2")
    with wave.open(str(path), "wb") as out:
        out.setnchannels(2)
        out.setsampwidth(2)
        out.setframerate(RATE)
        out.writeframes(data.tobytes())


def _tracks() -> tuple[Samples, Samples]:
    total = LEAD + BARS * 4 * BEAT + RATE
    dry, wide = np.zeros(total), np.zeros(total)
    rng = np.random.default_rng(1128)
    thud, strike, tick, hiss = _thud(), _clang(rng, 0.5), _tick(rng), _hiss(rng)
    for bar in range(BARS):
        for step in range(16):
            at = LEAD + bar * 4 * BEAT + step * BEAT // 4
            beat, off = divmod(step, 4)
            level = _level(bar)
            if off == 0 and (level >= 2 or (level == 1 and (bar >= 6 or beat % 2 == 0)) or (level == 0 and beat == 0)):
                _add(dry, at, thud, 0.75 if level >= 2 else 0.5)
            if off == 0 and beat in (1, 3) and level >= 1:
                _add(wide, at, strike, 0.34 if level >= 2 else 0.2)
            if off == 2 and level >= 1:
                _add(wide, at, tick, 0.2)
            if off == 0 and level == 0 and bar < 15:
                _add(wide, at, tick, 0.3)
            if off % 2 == 1 and level >= 2:
                _add(wide, at, tick, 0.08)
            if bar == FILL[0]:  # a roll of hammers that closes in
                _add(wide, at, strike, 0.08 + 0.02 * step)
        if bar in (DROP[0], ENDING[0]):
            _add(wide, LEAD + bar * 4 * BEAT, _clang(rng, 2.4), 0.5)
        if bar in (LIFT[1] - 1, FILL[0]):
            _add(wide, LEAD + bar * 4 * BEAT, hiss, 0.16)
        _add(dry, LEAD + bar * 4 * BEAT, _drone(ROOTS[bar % 4], 4 * BEAT), 0.10 if bar < DROP[0] else 0.15)
        if DROP[0] <= bar < DROP[1]:
            for beat in range(8):
                pitch = ROOTS[bar % 4] - 12 + (12 if beat % 4 == 3 else 0)
                _add(dry, LEAD + bar * 4 * BEAT + beat * BEAT // 2, _bass(pitch), 0.28)
    spread = int(0.011 * RATE)
    other = np.concatenate([np.zeros(spread), wide[:-spread]])
    mixed = np.stack([dry + wide + 0.25 * other, dry + 0.85 * wide - 0.2 * other])
    left, right = np.tanh(1.1 * mixed) * 0.85
    return left, right


def _level(bar: int) -> int:
    """Return how busy a bar is: 0 intro and ending, 1 lift, 2 drop and fill."""
    if bar < INTRO[1] or bar >= ENDING[0]:
        return 0
    return 1 if bar < LIFT[1] else 2


def _add(track: Samples, at: int, sound: Samples, gain: float) -> None:
    end = min(len(track), at + len(sound))
    track[at:end] += gain * sound[: end - at]


def _thud() -> Samples:
    """A heavy block set down: a falling low tone with a click at its very start."""
    t = np.arange(int(0.32 * RATE)) / RATE
    tone = np.sin(2 * np.pi * (48 * t + 90 * 0.03 * (1 - np.exp(-t / 0.03)))) * np.exp(-t / 0.11)
    return np.asarray(tone + 0.5 * np.exp(-t / 0.0015) * np.cos(2 * np.pi * 1800 * t))


def _clang(rng: np.random.Generator, ring: float) -> Samples:
    """Hammer on steel: inharmonic partials of a bar (ratios of a free bar's modes) and a burst at the strike."""
    t = np.arange(int((0.25 + ring) * RATE)) / RATE
    out = np.zeros_like(t)
    for number, ratio in enumerate((1.0, 2.756, 5.404, 8.933, 13.34)):
        out += (
            np.sin(2 * np.pi * 523 * ratio * t + 0.4 * number)
            * np.exp(-t * (3 + 2.2 * number) / ring)
            / (1 + 0.6 * number)
        )
    burst = rng.standard_normal(len(t)) * np.exp(-t / 0.012)
    return np.asarray(0.55 * out + 0.7 * burst)


# Butterworth filters of the second order at RATE, in sections b0 b1 b2 a1 a2, as scipy.signal.butter gives them. It would take longer to load
# than the song takes to make, and the window waits for the song.
ABOVE_6000 = ((0.5690355937288492, -1.1380711874576983, 0.5690355937288492, -0.9428090415820632, 0.3333333333333332),)
BETWEEN_900_AND_9000 = (
    (0.1581308762266135, 0.316261752453227, 0.1581308762266135, -0.5700451111918924, 0.2781110329573505),
    (1.0, -2.0, 1.0, -1.836862309112531, 0.8518118599506738),
)


def _filtered(sections: Sequence[tuple[float, float, float, float, float]], samples: Samples) -> Samples:
    """Return samples gone through sections of a filter, each in transposed direct form II."""
    out = samples.tolist()
    for b0, b1, b2, a1, a2 in sections:
        z0 = z1 = 0.0
        for n, x in enumerate(out):
            y = b0 * x + z0
            z0 = b1 * x - a1 * y + z1
            z1 = b2 * x - a2 * y
            out[n] = y
    return np.array(out)


def _tick(rng: np.random.Generator) -> Samples:
    t = np.arange(int(0.06 * RATE)) / RATE
    noise = _filtered(ABOVE_6000, rng.standard_normal(len(t)))
    return np.asarray(noise * np.exp(-t / 0.012))


def _hiss(rng: np.random.Generator) -> Samples:
    """Air drawn in over a bar, rising to the next."""
    count = 4 * BEAT
    noise = _filtered(BETWEEN_900_AND_9000, rng.standard_normal(count))
    return np.asarray(noise * np.linspace(0, 1, count) ** 3)


def _drone(semitones: int, count: int) -> Samples:
    t = np.arange(count) / RATE
    root = 110 * 2 ** (semitones / 12)
    fade = np.minimum(1, np.minimum(t / 0.25, (t[-1] - t) / 0.1))
    out = np.zeros(count)
    for interval, gain in ((0, 1.0), (7, 0.7), (12, 0.5), (15, 0.4)):
        pitch = root * 2 ** (interval / 12)
        out += gain * (np.sin(2 * np.pi * pitch * t) + 0.5 * np.sin(2 * np.pi * 1.003 * pitch * t))
    return np.asarray(out * fade * 0.5)


def _bass(semitones: int) -> Samples:
    t = np.arange(int(0.22 * RATE)) / RATE
    pitch = 110 * 2 ** (semitones / 12)
    wave_ = sum(np.sin(2 * np.pi * pitch * h * t) / h for h in (1, 2, 3, 4))
    return np.asarray(wave_ * np.exp(-t / 0.12) * np.minimum(1, t / 0.004))


def blow_sound(cue_s: float, length_s: float, ring: float, seed: int) -> Samples:
    """Return the sound of a blow at `cue_s` in room noise, for footage that has sound."""
    rng = np.random.default_rng(seed)
    out = rng.standard_normal(int(length_s * RATE)) * 0.002
    _add(out, round(cue_s * RATE), _clang(rng, ring), 0.5)
    _add(out, round(cue_s * RATE), _thud(), 0.4)
    return np.clip(out, -1, 1)
