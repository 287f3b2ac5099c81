"""The master: brought to a loudness, and true peaks kept under a ceiling by a limiter that looks ahead.

What a block sounds like depends on the mix near it alone, so that playing may begin at any block and sound as the export does.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from tempik.media.audio import Samples
from tempik.sounds.loudness import OVERSAMPLING, PEAK_REACH, RATE, Loudness, Meter, decibels, oversampled

BLOCK = RATE // 2
# The limiter works on the largest true peak of so many samples.
GROUP = 4
PER_BLOCK = BLOCK // GROUP
# It goes down over this before a peak, in a curve without corners.
LOOK_AHEAD = RATE // 400 // GROUP
# And comes back at this pace; from deeper than a block's worth at once.
BACK_DB_S = 60.0
MOST_DB = BACK_DB_S * BLOCK / RATE
# What the steps between measured places may cost.
MARGIN_DB = 0.1
CLOSE_LU = 0.1
TRIES = 7
LEAST_SLOPE, FIRST_SLOPE = 0.2, 0.75
# What is quieter than this is silence, and no more than this is added to make up for what the limiter takes.
QUIETEST_LUFS, MOST_MORE_DB = -69.0, 18.0
# Of the mix and of its peaks, so much is kept while it is gone through again.
MOST_BYTES = 96 << 20

Read = Callable[[int, int], Samples]
TitlePart = tuple[int, int] | None
Peaks = NDArray[np.float32]
_BELL = np.hanning(2 * LOOK_AHEAD + 3)[1:-1]
_BELL = _BELL / _BELL.sum()


def load_filters() -> None:
    """Load what mixes are measured and limited by: it takes a second, and nothing else goes on smoothly meanwhile."""
    import scipy.fft
    import scipy.ndimage
    import scipy.signal  # noqa: F401


class Master:
    """Brings a mix of `count` samples to a loudness in LUFS and keeps its true peaks under a ceiling in dBTP; without a ceiling
    what goes beyond full scale is cut off. `read` gives the mix between two samples, silence outside it."""

    def __init__(self, read: Read, count: int, ceiling_db: float | None) -> None:
        self._read, self._count, self._ceiling_db = read, count, ceiling_db
        self._plain: LRUCache[int, Samples] = LRUCache(MOST_BYTES, getsizeof=lambda s: s.nbytes + 200)
        self._peaks: LRUCache[int, Peaks] = LRUCache(MOST_BYTES, getsizeof=lambda s: s.nbytes + 200)

    @property
    def blocks(self) -> int:
        """How many blocks there are, all BLOCK samples long but the last."""
        return -(-self._count // BLOCK)

    def plain(self, number: int) -> Samples:
        """Return a block as it is mixed."""
        if number not in self._plain:
            self._plain[number] = self._read(number * BLOCK, min((number + 1) * BLOCK, self._count))
        return self._plain[number]

    def block(self, number: int, gain: float) -> Samples:
        """Return a block of the mastered mix at a gain, a factor."""
        made = self.plain(number) * np.float32(gain)
        if self._ceiling_db is None:
            return np.asarray(np.clip(made, -1.0, 1.0, out=made), np.float32)
        down = self._reduction(number, gain, 10 ** ((self._ceiling_db - MARGIN_DB) / 20))
        if down is not None:
            made *= down[: len(made), None]
        return made

    def factors(self, number: int, gain: float) -> Peaks:
        """Return by which factor each sample of a block is multiplied at a gain, by it and by the limiter."""
        down = None
        if self._ceiling_db is not None:
            down = self._reduction(number, gain, 10 ** ((self._ceiling_db - MARGIN_DB) / 20))
        return np.full(BLOCK, gain, np.float32) if down is None else down * np.float32(gain)

    def _reduction(self, number: int, gain: float, ceiling: float) -> Peaks | None:
        """Return by which factor each sample of a block is lowered; None where nothing is."""
        around = np.concatenate([self._true_peaks(n) for n in (number - 1, number, number + 1)]) * np.float32(gain)
        if float(around.max()) <= ceiling:
            return None
        need = 20 * np.log10(np.minimum(ceiling / np.maximum(around, 1e-9), 1.0)).astype(np.float64)
        # Back at an even pace: each is as low as those before it let it be.
        pace = BACK_DB_S / RATE * GROUP * np.arange(len(need))
        held = np.minimum(np.minimum.accumulate(np.maximum(need, -MOST_DB) - pace) + pace, need)
        # The least over more than the bell's width, then the bell: never above what is needed where it is needed.
        from scipy.ndimage import minimum_filter1d  # slow to load, and quiet reels need no limiter

        least = minimum_filter1d(held, 2 * (LOOK_AHEAD + 2) + 1, mode="nearest")
        a, b = PER_BLOCK - 1, 2 * PER_BLOCK + 1
        smooth = np.convolve(10 ** (least[a - LOOK_AHEAD : b + LOOK_AHEAD] / 20), _BELL, "valid")
        at = (np.arange(BLOCK) + 0.5) / GROUP + 0.5
        return np.interp(at, np.arange(len(smooth)), smooth).astype(np.float32)

    def _true_peaks(self, number: int) -> Peaks:
        """Return the largest true peak of each GROUP of samples of a block as it is mixed, zero outside the mix."""
        if not 0 <= number < self.blocks:
            return np.zeros(PER_BLOCK, np.float32)
        if number not in self._peaks:
            first, end = number * BLOCK - PEAK_REACH, (number + 1) * BLOCK + PEAK_REACH
            before = self.plain(number - 1)[-PEAK_REACH:] if number else self._read(first, first + PEAK_REACH)
            own = self.plain(number)
            after = (
                self._read(number * BLOCK + len(own), end)
                if number + 1 >= self.blocks
                else self.plain(number + 1)[:PEAK_REACH]
            )
            around = np.zeros((end - first, 2), np.float32)
            for part, at in ((before, 0), (own, PEAK_REACH), (after, PEAK_REACH + len(own))):
                room = around[at : at + len(part)]
                room[:] = part[: len(room)]
            fine = oversampled(around)[PEAK_REACH * OVERSAMPLING :][: BLOCK * OVERSAMPLING]
            loud = np.maximum(np.abs(fine[:, 0]), np.abs(fine[:, 1]))
            self._peaks[number] = _largest(loud.reshape(PER_BLOCK, GROUP * OVERSAMPLING))
        return self._peaks[number]

    def levels(self, part: TitlePart = None) -> Loudness:
        """Return how loud the mix is as it stands, or the part of it between two samples."""
        meter, peak = Meter(), 0.0
        for number, within in self._blocks_of(part):
            meter.add(self.plain(number)[within], peaks=False)
            peak = max(peak, float(self._true_peaks(number).max()))
        return meter.found()._replace(peak_db=decibels(peak))

    def _blocks_of(self, part: TitlePart) -> Iterator[tuple[int, slice]]:
        """Yield the blocks that a part has something of, and what; all for None."""
        first, end = part if part is not None else (0, self._count)
        for number in range(max(first, 0) // BLOCK, min(-(-end // BLOCK), self.blocks)):
            yield number, slice(max(first - number * BLOCK, 0), max(end - number * BLOCK, 0))

    def _loudness_at(self, gain_db: float, part: TitlePart) -> float:
        meter = Meter()
        for number, within in self._blocks_of(part):
            meter.add(self.block(number, 10 ** (gain_db / 20))[within], peaks=False)
        return meter.found().integrated

    def gain_for(self, loudness: float | None, part: TitlePart = None) -> float:
        """Return the gain, a factor, at which the mix, or a part of it between two samples, has a loudness in LUFS after its peaks were
        limited. 1 without a loudness, or for what is silent."""
        plain = self.levels(part) if loudness is not None else None
        if loudness is None or plain is None or plain.integrated < QUIETEST_LUFS:
            return 1.0
        gain_db = loudness - plain.integrated
        if self._ceiling_db is None or plain.peak_db + gain_db <= self._ceiling_db - MARGIN_DB:
            return float(10 ** (gain_db / 20))
        most_db, before = gain_db + MOST_MORE_DB, (0.0, 0.0)
        for number in range(TRIES):
            found = self._loudness_at(gain_db, part)
            if abs(loudness - found) < CLOSE_LU:
                break
            # The limiter takes of each decibel more what it must: how much is told by the step before.
            slope = (found - before[1]) / (gain_db - before[0]) if number and gain_db != before[0] else FIRST_SLOPE
            before = (gain_db, found)
            gain_db = min(gain_db + (loudness - found) / min(max(slope, LEAST_SLOPE), 1.0), most_db)
            if gain_db == before[0]:
                break
        return float(10 ** (gain_db / 20))


def _largest(groups: Peaks) -> Peaks:
    """Return the largest of each row: folded by halves, which is far faster than asking row by row."""
    while groups.shape[1] > 1:
        half = groups.shape[1] // 2
        groups = np.maximum(groups[:, :half], groups[:, half : 2 * half])
    return np.ascontiguousarray(groups[:, 0])
