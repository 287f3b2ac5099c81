"""Sounds of air and of things that come and go: whooshes, swells, risers, falls."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tempik.sounds.kind import MadeSound, SoundKind, sound
from tempik.sounds.loudness import RATE
from tempik.sounds.shaping import Wave, hump, noise, passed, seconds, swept, tone, wide

if TYPE_CHECKING:
    from numpy.random import Generator  # not loaded before a sound is made

TAIL_S = 0.03  # after the top of what rises


def _rush(draw: Generator, length_s: float, top: float, low: float, high: float, rise: float, fall: float) -> MadeSound:
    """Noise that swells, its middle rising and falling with it, from one side to the other."""
    count = len(seconds(length_s))
    shape = hump(count, top, rise, fall)
    middle = low * (high / low) ** np.clip(shape, 0, 1) ** 0.6

    def take() -> Wave:
        return swept(lambda n: noise(n, draw), count, middle / 2.2, middle * 2.0) * shape

    pan = np.linspace(-0.7, 0.7, count)
    stereo = wide(take, 0.5) * np.sqrt(np.stack([1 - pan, 1 + pan], axis=1) / 2)
    return MadeSound(stereo, top * length_s)


@sound("whoosh", "Whoosh", "air cut", "a rush of air through the frame, for cuts", length_s=0.62)
def _whoosh(draw: Generator, length_s: float) -> MadeSound:
    return _rush(draw, length_s, 0.62, 500, 3200, 2.2, 1.6)


@sound("swish", "Swish", "air cut fast", "a thin quick stroke, for fast cuts and words", length_s=0.28)
def _swish(draw: Generator, length_s: float) -> MadeSound:
    return _rush(draw, length_s, 0.55, 1400, 7000, 2.0, 1.8)


@sound("deep-whoosh", "Deep whoosh", "air cut low", "a heavy mass of air going by", length_s=0.95)
def _deep_whoosh(draw: Generator, length_s: float) -> MadeSound:
    made = _rush(draw, length_s, 0.6, 130, 900, 2.4, 1.8)
    count = len(made.wave)
    rumble = tone(55 + 25 * hump(count, 0.6), count) * hump(count, 0.6, 2.5, 2) * 0.35 * np.abs(made.wave).max()
    return MadeSound(made.wave + rumble[:, None], made.hit_s)


@sound("gust", "Gust", "air soft", "a long soft breath of wind", length_s=1.6)
def _gust(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    flutter = 1 + 0.25 * passed(noise(count, draw), None, 6.0)[:, None] * 40
    made = _rush(draw, length_s, 0.5, 250, 1100, 1.3, 1.3)
    return MadeSound(made.wave * np.clip(flutter, 0.4, 1.6), made.hit_s)


@sound("bellows", "Bellows", "air work", "a pump of leather and air", length_s=0.8)
def _bellows(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    shape = hump(count, 0.35, 1.2, 1.8)
    body = wide(lambda: passed(noise(count, draw), 180, 1500) * shape, 0.3)
    creak = tone(140 + 60 * shape, count) * passed(np.abs(noise(count, draw)), None, 60) * shape * 0.4
    return MadeSound(body + creak[:, None], 0.35 * length_s)


def _rising(length_s: float, bend: float) -> tuple[int, Wave, Wave]:
    """Return how many samples there are, how far it has risen at each, and how loud it is: gone after the top."""
    count = len(seconds(length_s + TAIL_S))
    top = max(1, round(length_s * RATE))
    far = np.clip(np.arange(count) / top, 0, 1)
    level = far**bend
    level[top:] = np.linspace(1, 0, count - top) ** 2
    return count, far, level


@sound("riser", "Riser", "rise build", "noise that climbs to the point", length_s=2.0, beats=4)
def _riser(draw: Generator, length_s: float) -> MadeSound:
    count, far, level = _rising(length_s, 1.7)
    middle = 300 * (9000 / 300) ** far
    stereo = wide(lambda: swept(lambda n: noise(n, draw), count, middle / 2.5, middle * 1.6), 0.8) * level[:, None]
    return MadeSound(stereo, length_s)


@sound(
    "riser-tone", "Rising tone", "rise build tone", "tones that climb two octaves to the point", length_s=1.0, beats=2
)
def _riser_tone(draw: Generator, length_s: float) -> MadeSound:
    count, far, level = _rising(length_s, 1.4)
    hz = 180 * 4**far
    voices = [hz * (1 + d) for d in (-0.006, 0.0, 0.007)]

    def saw(h: Wave) -> Wave:
        return np.asarray(sum(tone(h * k, count, draw.uniform(0, 6.28)) / k for k in range(1, 9)))

    left, right = saw(voices[0]) + saw(voices[1]), saw(voices[2]) + saw(voices[1])
    air = swept(lambda n: noise(n, draw), count, hz * 3, hz * 12) * 0.25
    return MadeSound(np.stack([left + air, right + air], axis=1) * level[:, None], length_s)


@sound("swell", "Swell", "rise metal", "a struck plate heard backward, up to the point", length_s=1.0, beats=1)
def _swell(draw: Generator, length_s: float) -> MadeSound:
    count, _, level = _rising(length_s, 3.2)
    hiss = wide(lambda: passed(noise(count, draw), 2500, 15_000), 0.9)
    ring = sum(tone(h, count, draw.uniform(0, 6.28)) for h in draw.uniform(900, 7000, 14)) / 14
    return MadeSound((hiss * 0.7 + np.asarray(ring)[:, None]) * level[:, None], length_s)


@sound("fall", "Fall", "fall", "noise that sinks away from the point", length_s=1.2, falls=True)
def _fall(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    at = np.linspace(0, 1, count)
    middle = 5000 * (180 / 5000) ** at
    shape = np.minimum(np.arange(count) / (0.004 * RATE), 1) * (1 - at) ** 1.8
    stereo = wide(lambda: swept(lambda n: noise(n, draw), count, middle / 2, middle * 2), 0.7)
    return MadeSound(stereo * shape[:, None], 0.0)


@sound(
    "fall-tone", "Falling tone", "fall tone", "a tone that drops two octaves from the point", length_s=0.9, falls=True
)
def _fall_tone(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    at = np.linspace(0, 1, count)
    hz = 880 * 0.22**at
    shape = np.minimum(np.arange(count) / (0.003 * RATE), 1) * (1 - at) ** 1.5
    left = sum(tone(hz * k * 1.003, count) / k**1.3 for k in range(1, 6))
    right = sum(tone(hz * k * 0.997, count) / k**1.3 for k in range(1, 6))
    return MadeSound(np.stack([left, right], axis=1) * shape[:, None], 0.0)


AIR: tuple[SoundKind, ...] = (
    _whoosh, _swish, _deep_whoosh, _gust, _bellows, _riser, _riser_tone, _swell, _fall, _fall_tone,
)  # fmt: skip
