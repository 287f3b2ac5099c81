"""How loud a sound is: gated loudness and true peaks after ITU-R BS.1770-5, in blocks, so that an hour costs no memory."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float32]
Powers = NDArray[np.float64]

RATE = 48000
SILENT_LUFS = -120.0
HOP = RATE // 10  # momentary loudness is taken over four of these, ten times a second
MOMENTARY_HOPS, SHORT_HOPS = 4, 30
ABSOLUTE_GATE, RELATIVE_GATE = -70.0, -10.0
OVERSAMPLING = 4
# The K weighting at 48 kHz, ITU-R BS.1770-5, Annex 1, tables 1 and 2: a shelf for the head, a high pass.
K_WEIGHTING = np.array(
    [
        [1.53512485958697, -2.69169618940638, 1.19839281085285, 1.0, -1.69065929318241, 0.73248077421585],
        [1.0, -2.0, 1.0, 1.0, -1.99004745483398, 0.99007225036621],
    ]
)


class Loudness(NamedTuple):
    """Integrated loudness and the largest momentary and short-term ones in LUFS, and the true peak in dBTP."""

    integrated: float
    momentary: float
    short: float
    peak_db: float

    @property
    def text(self) -> str:
        """How loud it is, in one line; silence as such."""
        if self.integrated <= SILENT_LUFS:
            return "silent"
        return f"{self.integrated:.1f} LUFS, {self.momentary:.1f} at its loudest, true peaks {self.peak_db:.1f} dBTP"


class Meter:
    """Measures sound as it comes, in blocks of stereo samples of any length."""

    def __init__(self) -> None:
        self._state = np.zeros((2, 2, 2))
        self._hops: list[float] = []
        self._rest: Powers = np.zeros(0)
        self._tail: Samples = np.zeros((0, 2), np.float32)
        self._peak = 0.0

    def add(self, block: Samples, peaks: bool = True) -> None:
        """Take the samples that follow, shape (count, 2); without `peaks` true peaks are not looked for."""
        from scipy.signal import sosfilt  # takes a second to load, so only where something is measured

        if not len(block):
            return
        weighted, self._state = sosfilt(K_WEIGHTING, block.astype(np.float64), axis=0, zi=self._state)
        power = np.concatenate([self._rest, weighted[:, 0] ** 2 + weighted[:, 1] ** 2])
        whole = len(power) // HOP * HOP
        self._hops += power[:whole].reshape(-1, HOP).mean(axis=1).tolist()
        self._rest = power[whole:]
        if peaks:
            with_before = np.concatenate([self._tail, block])
            self._peak = max(self._peak, true_peak(with_before))
            self._tail = with_before[-PEAK_REACH:]

    def found(self) -> Loudness:
        """Return what was measured so far."""
        powers = np.array(self._hops)
        momentary = _means(powers, MOMENTARY_HOPS)
        short = _means(powers, SHORT_HOPS)
        peak_db = decibels(self._peak)
        return Loudness(gated(momentary), _lufs(momentary.max(initial=0.0)), _lufs(short.max(initial=0.0)), peak_db)

    def momentary(self) -> float:
        """Return the loudness of the last 400 ms in LUFS."""
        return _lufs(float(np.mean(self._hops[-MOMENTARY_HOPS:]))) if len(self._hops) >= MOMENTARY_HOPS else SILENT_LUFS


def measured(samples: Samples) -> Loudness:
    """Return how loud a sound is, one shorter than 400 ms as with silence after it."""
    meter = Meter()
    short = max(0, MOMENTARY_HOPS * HOP - len(samples))
    for first in range(0, len(samples), 10 * RATE):
        meter.add(np.asarray(samples[first : first + 10 * RATE], np.float32))
    if short:
        meter.add(np.zeros((short, 2), np.float32))
    return meter.found()


def loudest(samples: Samples) -> float:
    """Return the largest momentary loudness in LUFS, taken each hundredth of a second, with silence round the sound."""
    from scipy.signal import sosfilt

    pad = np.zeros((4 * HOP, 2))
    weighted = sosfilt(K_WEIGHTING, np.concatenate([pad, samples.astype(np.float64), pad]), axis=0)
    power = np.concatenate([[0.0], np.cumsum(np.square(weighted).sum(axis=1))])
    span = MOMENTARY_HOPS * HOP
    ends = np.arange(span, len(power), RATE // 100)
    return _lufs(float(((power[ends] - power[ends - span]) / span).max()))


def gated(powers: Powers) -> float:
    """Return the integrated loudness of momentary powers in LUFS, gated as BS.1770-5 has it; silence is SILENT_LUFS."""
    loud = powers[powers > 10 ** ((ABSOLUTE_GATE + 0.691) / 10)]
    if not len(loud):
        return SILENT_LUFS
    gate = loud.mean() * 10 ** (RELATIVE_GATE / 10)
    return _lufs(float(loud[loud > gate].mean()))


# What a true peak depends on, to either side of it, in samples.
PEAK_REACH = 128


def oversampled(samples: Samples) -> Samples:
    """Return samples at four times their rate, (4 count, 2); the first of each four is the sample itself. Band-limited to
    the letter, by their spectrum; within PEAK_REACH of either end what lies beyond it counts too."""
    from scipy.fft import irfft, next_fast_len, rfft

    count = next_fast_len(len(samples) + 2 * PEAK_REACH, real=True)
    count += count % 2
    spectrum = rfft(samples, count, axis=0)
    wide = np.zeros((count * OVERSAMPLING // 2 + 1, samples.shape[1]), spectrum.dtype)
    wide[: len(spectrum)] = spectrum * OVERSAMPLING
    wide[count // 2] *= 0.5
    return np.asarray(irfft(wide, count * OVERSAMPLING, axis=0)[: len(samples) * OVERSAMPLING], np.float32)


def true_peak(samples: Samples) -> float:
    """Return the largest true peak as a share of full scale, by four-fold oversampling (BS.1770-5, Annex 2)."""
    if not len(samples):
        return 0.0
    largest = float(np.abs(samples).max())
    if largest <= 0:
        return 0.0
    peak = 0.0
    for begin in range(0, len(samples), RATE):
        # A part that is cut out rings at its ends: it is looked at within what lies about it.
        first, end = max(begin - PEAK_REACH, 0), min(begin + RATE, len(samples))
        fine = oversampled(samples[first : end + PEAK_REACH])
        peak = max(peak, float(np.abs(fine[(begin - first) * OVERSAMPLING : (end - first) * OVERSAMPLING]).max()))
    return peak


def decibels(share: float) -> float:
    """Return a share of full scale in dB; SILENT_LUFS for nothing."""
    return 20 * math.log10(share) if share > 1e-6 else SILENT_LUFS


def _means(powers: Powers, hops: int) -> Powers:
    if len(powers) < hops:
        return np.zeros(0)
    sums = np.concatenate([[0.0], np.cumsum(powers)])
    return np.asarray((sums[hops:] - sums[:-hops]) / hops)


def _lufs(power: float) -> float:
    return -0.691 + 10 * math.log10(power) if power > 1e-12 else SILENT_LUFS
