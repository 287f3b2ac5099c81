"""Sounds of machines and rooms: tape that winds, stops and starts, crackle, a room."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tempik.sounds.kind import MadeSound, SoundKind, sound
from tempik.sounds.loudness import RATE
from tempik.sounds.shaping import Wave, decay, hump, noise, passed, seconds, tone, wide

if TYPE_CHECKING:
    from numpy.random import Generator  # not loaded before a sound is made


def _tune(count: int, draw: Generator) -> Wave:
    """A few seconds of something that plays, for a tape to be slowed and wound: chords over a beat."""
    out = np.zeros(count)
    roots = (110.0, 130.8, 98.0, 146.8)
    for number in range(count // (RATE // 4) + 1):
        first = number * RATE // 4
        part = min(RATE // 4, count - first)
        if part <= 0:
            break
        root = roots[number % 4]
        chord = sum(tone(root * r, part) / (1 + k) for k, r in enumerate((1, 1.5, 2, 2.52, 3)))
        out[first : first + part] += np.asarray(chord) * decay(part, 0.16, 0.004)
        out[first : first + part] += 0.4 * passed(noise(part, draw), 2000, 9000) * decay(part, 0.02)
    return out


def _played(tune: Wave, at: Wave) -> Wave:
    """Return a tune read at moving places, in samples."""
    return np.interp(at, np.arange(len(tune)), tune)


@sound("rewind", "Rewind", "tape back", "tape that winds back, up to the point", length_s=0.9, beats=2)
def _rewind(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s + 0.03))
    far = np.clip(np.arange(count) / (length_s * RATE), 0, 1)
    speed = 1.5 + 6.5 * np.sin(np.pi * np.clip(far, 0, 0.97)) ** 0.7
    tune = _tune(round(float(speed.sum())) + 2 * RATE, draw)
    heard = _played(tune, len(tune) - 1 - np.cumsum(speed))
    chirp = passed(heard, 350, 7500) + 0.2 * tone(900 + 260 * speed, count)
    hiss = wide(lambda: passed(noise(count, draw), 3000, 12_000), 0.6) * 0.12
    level = (
        np.minimum(far / 0.06, 1) * np.clip((length_s * RATE + 0.02 * RATE - np.arange(count)) / (0.02 * RATE), 0, 1)
    )[:, None]
    scale = np.abs(chirp).max()
    return MadeSound((chirp[:, None] / scale + hiss) * level * (0.6 + 0.4 * far[:, None]), length_s)


@sound("tape-stop", "Tape stop", "tape slow", "music that runs down from the point", length_s=1.0, falls=True)
def _tape_stop(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    speed = np.clip(1 - np.arange(count) / (count * 0.97), 0, 1) ** 0.8
    tune = _tune(round(float(speed.sum())) + RATE, draw)
    heard = passed(_played(tune, np.cumsum(speed)), 60, 9000)
    return MadeSound(heard * np.minimum(speed * 6, 1) * np.minimum(np.arange(count) / (0.002 * RATE), 1), 0.0)


@sound("tape-start", "Tape start", "tape rise", "music that runs up to the point", length_s=0.8, beats=1)
def _tape_start(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s + 0.04))
    far = np.clip(np.arange(count) / (length_s * RATE), 0, 1)
    speed = far**1.3
    tune = _tune(round(float(speed.sum())) + RATE, draw)
    heard = passed(_played(tune, np.cumsum(speed)), 60, 9000)
    end = np.clip((length_s + 0.03 - np.arange(count) / RATE) / 0.03, 0, 1)
    return MadeSound(heard * np.minimum(speed * 4, 1) * (0.3 + 0.7 * far**2) * end, length_s)


@sound("crackle", "Crackle", "record bed", "an old record between two songs", length_s=3.0)
def _crackle(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))

    def take() -> Wave:
        grains = (draw.random(count) < 14 / RATE) * draw.exponential(1.0, count)
        dust = (draw.random(count) < 90 / RATE) * draw.exponential(0.2, count)
        hiss = passed(noise(count, draw), 900, 9000) * 0.012
        return passed(grains + dust, 700, 9000) * 3 + hiss

    stereo = wide(take, 0.8)
    level = np.minimum(np.minimum(np.arange(count), np.arange(count)[::-1]) / (0.05 * RATE), 1.0)
    return MadeSound(stereo * level[:, None], 0.0)


@sound("room", "Room", "bed still", "the air of an empty workshop, to lie under cuts", length_s=4.0)
def _room(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    air = wide(lambda: passed(noise(count, draw), 90, 700) + 0.15 * passed(noise(count, draw), 700, 4000), 0.9)
    hum = 0.05 * tone(100.0, count) + 0.02 * tone(200.0, count)
    level = np.minimum(np.minimum(np.arange(count), np.arange(count)[::-1]) / (0.25 * RATE), 1.0)
    return MadeSound((air + hum[:, None] * np.abs(air).max()) * level[:, None], 0.0)


@sound("flicker", "Flicker", "signal glitch", "a signal that breaks up for a moment", length_s=0.4)
def _flicker(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    steps = np.repeat(draw.uniform(300, 4200, 40), -(-count // 40))[:count]
    gate = np.repeat(draw.random(40) < 0.7, -(-count // 40))[:count].astype(float)
    gate[: count // 40] = 1.0
    gate = np.convolve(gate, np.ones(64) / 64, "same")
    square = np.tanh(4 * tone(steps, count))
    grit = passed(noise(count, draw), 1200, 9000) * 0.8
    return MadeSound((square * 0.5 + grit) * gate * hump(count, 0.02, 1, 1.1), 0.0)


MACHINES: tuple[SoundKind, ...] = (_rewind, _tape_stop, _tape_start, _crackle, _room, _flicker)
