"""What sounds are made with: noise, tones, filters and envelopes, and the last touch that all of them get."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from tempik.sounds.loudness import RATE, decibels, loudest, true_peak

if TYPE_CHECKING:
    from numpy.random import Generator  # not loaded before a sound is made

Wave = NDArray[np.float64]

TARGET_LUFS = -20.0  # the loudest 400 ms of every sound on the shelf
PEAK_DB = -1.3


def seconds(length_s: float) -> Wave:
    """Return the instants of samples."""
    return np.arange(max(1, round(length_s * RATE))) / RATE


def noise(count: int, draw: Generator) -> Wave:
    """Return so many samples of white noise."""
    return draw.standard_normal(count)


def wide(make: Callable[[], Wave], share: float = 0.6) -> Wave:
    """Return two takes of a sound as stereo, alike by what is left of `share`; shape (count, 2)."""
    a, b = make(), make()
    mid, side = (a + b) / 2, (a - b) / 2 * share
    return np.stack([mid + side, mid - side], axis=1)


def both(mono: Wave) -> Wave:
    """Return a mono wave of shape (count,) on both channels, shape (count, 2)."""
    return np.stack([mono, mono], axis=1)


def passed(wave: Wave, low: float | None, high: float | None, order: int = 2) -> Wave:
    """Return what of a wave lies between two frequencies in hertz."""
    from scipy.signal import butter, sosfilt  # slow to load, and most reels have no sound of the shelf

    if low is not None and high is not None:
        sos = butter(order, [low, high], "bandpass", fs=RATE, output="sos")
    elif low is not None:
        sos = butter(order, low, "highpass", fs=RATE, output="sos")
    elif high is not None:
        sos = butter(order, high, "lowpass", fs=RATE, output="sos")
    else:
        return wave
    return np.asarray(sosfilt(sos, wave, axis=0))


def swept(make: Callable[[int], Wave], count: int, low: Wave, high: Wave, bands: int = 14) -> Wave:
    """Return noise of which what lies between two moving frequencies is heard: bands of noise, each as loud as the window over
    them lets it be. `low` and `high` are hertz, shape (count,)."""
    edges = np.geomspace(90, 16_000, bands + 1)
    out = np.zeros(count)
    for a, b in zip(edges, edges[1:], strict=False):
        middle = np.log2(np.sqrt(a * b))
        inside = np.minimum(middle - np.log2(low), np.log2(high) - middle)
        level = np.clip(inside / 0.8 + 0.5, 0, 1) ** 1.5
        if level.max() > 0:
            # Bands are taken as wide as they are, so that each sounds as loud as its share of the octaves.
            out += passed(make(count), a, min(b, 20_000.0)) * level / np.sqrt((b - a) / 1000)
    return out


def tone(hz: Wave | float, count: int, phase: float = 0.0) -> Wave:
    """Return a sine of a frequency that may move."""
    steps = np.broadcast_to(np.asarray(hz, np.float64), (count,)) / RATE
    return np.asarray(np.sin(2 * np.pi * (np.cumsum(steps) - steps[0]) + phase))


def decay(count: int, tau_s: float, attack_s: float = 0.0008) -> Wave:
    """Return an envelope that is up within `attack_s` and falls by e every `tau_s`."""
    t = np.arange(count) / RATE
    return np.asarray(np.minimum(t / attack_s, 1.0) * np.exp(-t / tau_s))


def hump(count: int, top: float, rise: float = 2.0, fall: float = 2.0) -> Wave:
    """Return an envelope that swells to a share `top` of its length and goes; bends above 1 stay low longer."""
    at = np.arange(count) / max(count - 1, 1)
    up = np.clip(at / max(top, 1e-6), 0, 1) ** rise
    down = np.clip((1 - at) / max(1 - top, 1e-6), 0, 1) ** fall
    return np.where(at < top, up, down)


def partials(count: int, hz: float, ratios: list[float], taus: list[float], draw: Generator) -> Wave:
    """Return partials that ring each for its own time, as struck bodies do."""
    out = np.zeros(count)
    for number, (ratio, tau) in enumerate(zip(ratios, taus, strict=True)):
        if hz * ratio < 18_000:
            out += tone(hz * ratio, count, draw.uniform(0, 6.28)) * decay(count, tau, 0.0005) / (1 + 0.35 * number)
    return out


def finished(wave: Wave, begins: float = 0.0005, ends: float = 0.012) -> NDArray[np.float32]:
    """Return a sound as it lies on the shelf, stereo: without what cannot be heard, its ends at nothing, as loud as the others and
    its true peaks below −1 dB of full scale: shape (n, 2)."""
    stereo = both(wave) if wave.ndim == 1 else wave
    stereo = passed(stereo, 22.0, None)
    for count, at_end in ((round(begins * RATE), False), (round(ends * RATE), True)):
        count = min(count, len(stereo))
        slope = (0.5 - 0.5 * np.cos(np.pi * np.arange(count) / max(count, 1)))[:, None]
        if at_end:
            stereo[len(stereo) - count :] *= slope[::-1]
        else:
            stereo[:count] *= slope
    stereo = stereo / max(float(np.abs(stereo).max()), 1e-9)
    ceiling = 10 ** (PEAK_DB / 20)
    made = stereo.astype(np.float32)
    for _ in range(6):
        made = (made * np.float32(10 ** ((TARGET_LUFS - loudest(made)) / 20))).astype(np.float32)
        if true_peak(made) <= ceiling:
            return made
        # Rounded off where it stands out, and tried again.
        made = (ceiling * 0.97 * np.tanh(made / (ceiling * 0.97))).astype(np.float32)
    over = decibels(true_peak(made)) - PEAK_DB
    return (made * np.float32(10 ** (-max(over, 0.0) / 20))).astype(np.float32)
