"""Sounds of things that are struck, pressed and dropped: ticks, pops, thumps, metal, wood."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tempik.sounds.kind import MadeSound, SoundKind, sound
from tempik.sounds.loudness import RATE
from tempik.sounds.shaping import Wave, both, decay, noise, partials, passed, seconds, tone, wide

if TYPE_CHECKING:
    from numpy.random import Generator  # not loaded before a sound is made


def _snap(count: int, draw: Generator, low: float, high: float, tau_s: float) -> Wave:
    """A burst of noise between two frequencies."""
    return passed(noise(count, draw), low, high) * decay(count, tau_s, 0.0004)


def _at(wave: Wave, count: int, at_s: float, gain: float = 1.0) -> Wave:
    """Return a wave that begins later, in a room of `count` samples."""
    out = np.zeros(count)
    first = round(at_s * RATE)
    part = wave[: max(0, count - first)]
    out[first : first + len(part)] = gain * part
    return out


def _drop(count: int, high: float, low: float, fall_s: float, tau_s: float) -> Wave:
    """A tone that falls as a skin does that was struck."""
    t = np.arange(count) / RATE
    return tone(low + (high - low) * np.exp(-t / fall_s), count) * decay(count, tau_s, 0.0015)


@sound("tick", "Tick", "small dry", "a small dry tick", length_s=0.09)
def _tick(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    body = partials(count, 2900, [1, 1.71, 2.4], [0.014, 0.009, 0.006], draw) + _snap(count, draw, 3000, 12_000, 0.004)
    return MadeSound(both(body), 0.0)


@sound("tock", "Tock", "small dry low", "a rounder, lower tick", length_s=0.12)
def _tock(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    body = partials(count, 1150, [1, 1.58, 2.6], [0.022, 0.014, 0.008], draw) + 0.5 * _snap(
        count, draw, 900, 5000, 0.004
    )
    return MadeSound(both(body), 0.0)


@sound("click", "Click", "small key", "a key pressed and let go", length_s=0.14)
def _click(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    down = _snap(count, draw, 1500, 9000, 0.007) + 0.6 * _drop(count, 420, 260, 0.01, 0.012)
    up = _snap(count, draw, 2500, 11_000, 0.005)
    return MadeSound(both(down + _at(up, count, 0.072, 0.5)), 0.0)


@sound("shutter", "Shutter", "camera", "a camera's shutter and mirror", length_s=0.22)
def _shutter(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))

    def take() -> Wave:
        open_ = _snap(count, draw, 900, 10_000, 0.012) + 0.5 * _drop(count, 300, 170, 0.012, 0.02)
        slide = passed(noise(count, draw), 2200, 8000) * decay(count, 0.035, 0.012) * 0.4
        close = _snap(count, draw, 1300, 9000, 0.011)
        return open_ + _at(slide, count, 0.012) + _at(close, count, 0.085, 0.8)

    return MadeSound(wide(take, 0.4), 0.0)


@sound("pop", "Pop", "small round", "a bubble that bursts", length_s=0.16)
def _pop(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    t = np.arange(count) / RATE
    body = tone(380 + 900 * np.clip(t / 0.06, 0, 1) ** 0.7, count) * decay(count, 0.03, 0.0012)
    return MadeSound(both(body + 0.15 * _snap(count, draw, 2000, 9000, 0.003)), 0.0)


@sound("snap", "Snap", "small fingers", "fingers snapped in a small room", length_s=0.3)
def _finger_snap(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))

    def take() -> Wave:
        close = _snap(count, draw, 1400, 4800, 0.011) + 0.4 * partials(count, 2200, [1, 1.3], [0.012, 0.01], draw)
        return close + 0.16 * _at(_snap(count, draw, 800, 6000, 0.07), count, 0.006)

    return MadeSound(wide(take, 0.6), 0.0)


@sound("stamp", "Stamp", "press paper", "a stamp that comes down on a desk", length_s=0.3)
def _stamp(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    body = _drop(count, 190, 85, 0.02, 0.06) + 0.6 * _snap(count, draw, 400, 3500, 0.02)
    return MadeSound(both(body), 0.0)


@sound("thump", "Thump", "hit low", "a soft heavy blow", length_s=0.45)
def _thump(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    body = _drop(count, 150, 58, 0.03, 0.11) + 0.35 * _snap(count, draw, 150, 1400, 0.018)
    return MadeSound(both(body), 0.0)


@sound("deep-thump", "Deep thump", "hit low", "a blow felt more than heard", length_s=0.8)
def _deep_thump(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    body = _drop(count, 120, 42, 0.05, 0.2) + 0.2 * _snap(count, draw, 80, 600, 0.03)
    return MadeSound(both(np.tanh(1.6 * body)), 0.0)


@sound("impact", "Impact", "hit big drop", "a great blow with a long tail", length_s=2.2)
def _impact(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    low = np.tanh(2.0 * _drop(count, 160, 38, 0.06, 0.5))

    def take() -> Wave:
        crack = _snap(count, draw, 300, 9000, 0.03)
        tail = passed(noise(count, draw), 120, 2400) * decay(count, 0.55, 0.004) * 0.28
        ring = partials(count, 210, [1, 1.53, 2.27, 3.1], [0.5, 0.4, 0.3, 0.2], draw) * 0.12
        return crack + tail + ring

    return MadeSound(wide(take, 0.8) + 0.9 * low[:, None], 0.0)


@sound("boom", "Boom", "hit big far", "a far, dark blast", length_s=2.6)
def _boom(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    low = np.tanh(1.8 * _drop(count, 95, 32, 0.12, 0.75))
    stereo = wide(lambda: passed(noise(count, draw), 40, 420) * decay(count, 0.7, 0.012), 0.7)
    return MadeSound(0.8 * stereo + low[:, None], 0.0)


@sound("sub-drop", "Sub drop", "low drop", "a deep tone that sinks under the drop", length_s=1.8, falls=True)
def _sub_drop(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    t = np.arange(count) / RATE
    hz = 34 + 66 * np.exp(-t / 0.45)
    shape = np.minimum(t / 0.006, 1) * np.clip(1 - t / length_s, 0, 1) ** 1.2
    body = tone(hz, count) * shape
    return MadeSound(both(np.tanh(1.5 * body) + 0.12 * tone(2 * hz, count) * shape), 0.0)


@sound("anvil", "Anvil", "metal hit", "a hammer on an anvil", length_s=1.6)
def _anvil(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    ratios = [1, 1.48, 2.02, 2.71, 3.36, 4.18, 5.4]
    taus = [0.5, 0.42, 0.36, 0.24, 0.18, 0.12, 0.08]
    left, right = (partials(count, 1180 * d, ratios, taus, draw) for d in (1.0, 1.0016))
    knock = _snap(count, draw, 700, 11_000, 0.006) * 1.8
    return MadeSound(np.stack([left + knock, right + knock], axis=1), 0.0)


@sound("tink", "Tink", "metal small", "a small piece of metal, touched", length_s=0.6)
def _tink(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    taus = [0.16, 0.12, 0.08, 0.05]
    left, right = (partials(count, 3150 * d, [1, 1.41, 2.09, 2.9], taus, draw) for d in (1.0, 1.002))
    return MadeSound(np.stack([left, right], axis=1), 0.0)


@sound("chain", "Chain", "metal rattle", "links that run over each other", length_s=0.7)
def _chain(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    out = np.zeros((count, 2))
    times = np.sort(np.concatenate([[0.0], draw.uniform(0.02, 0.5, 15)]))
    for number, at_s in enumerate(times):
        hz, side = draw.uniform(2200, 5200), draw.uniform(0.2, 0.8)
        link = partials(round(0.12 * RATE), hz, [1, 1.37, 1.92], [0.03, 0.022, 0.014], draw)
        link = _at(link, count, float(at_s), (1.6 if number == 0 else 0.9 * (1 - float(at_s))))
        out += np.stack([link * (1 - side), link * side], axis=1)
    return MadeSound(out, 0.0)


@sound("wood", "Wood", "wood hit", "a block of hard wood, struck", length_s=0.3)
def _wood(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))
    body = partials(count, 620, [1, 2.3, 3.9, 5.6], [0.045, 0.028, 0.016, 0.01], draw)
    return MadeSound(both(body + 0.5 * _snap(count, draw, 500, 6000, 0.005)), 0.0)


@sound("knock", "Knock", "wood door", "knuckles on a door, twice", length_s=0.5)
def _knock(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))

    def blow() -> Wave:
        part = round(0.25 * RATE)
        body = partials(part, 175, [1, 1.9, 3.1, 4.4], [0.05, 0.035, 0.02, 0.012], draw)
        return body + 0.7 * _snap(part, draw, 250, 2500, 0.009)

    return MadeSound(both(_at(blow(), count, 0) + _at(blow(), count, 0.16, 0.7)), 0.0)


@sound("spark", "Sparks", "fire small", "sparks that fly off a blade", length_s=0.7)
def _spark(draw: Generator, length_s: float) -> MadeSound:
    count = len(seconds(length_s))

    def take() -> Wave:
        out = _snap(count, draw, 2500, 14_000, 0.02) * 1.6
        for at_s in draw.exponential(0.16, 40):
            if at_s < length_s - 0.03:
                part = _snap(round(0.02 * RATE), draw, 3500, 15_000, 0.0025)
                out += _at(part, count, float(at_s), float(draw.uniform(0.3, 1.0)) * (1 - at_s / length_s))
        return out

    return MadeSound(wide(take, 1.0), 0.0)


STRUCK: tuple[SoundKind, ...] = (
    _tick, _tock, _click, _shutter, _pop, _finger_snap, _stamp, _thump, _deep_thump, _impact, _boom, _sub_drop, _anvil, _tink,
    _chain, _wood, _knock, _spark,
)  # fmt: skip
