"""The samples of a long sound, held in a file without a name instead of in memory, at half the room that they take as floats."""

from __future__ import annotations

from typing import IO, Any

import numpy as np
from numpy.typing import DTypeLike, NDArray

BLOCK = 4800  # samples that share a scale: a tenth of a second at 48 kHz
_FULL, _MOST = 32768.0, 32767.0


class LongSamples:
    """Samples of shape (count, channels), read a stretch or some places at a time as float32.

    In the file each is a whole number of 16 bits. Where a block stays within −1 to 1, as all do that come from files of 16 bits, it is
    the sample to 1/65536; a block that goes beyond is scaled down as a whole, and is as true to its own peak."""

    def __init__(self, channels: int, file: IO[bytes]) -> None:
        self._file, self._channels = file, channels
        self._left: NDArray[np.float32] = np.zeros((0, channels), np.float32)
        self._scales: list[float] = []
        self._held: NDArray[np.int16] = np.zeros((0, channels), np.int16)
        self._scale: NDArray[np.float32] = np.zeros(0, np.float32)

    def add(self, samples: NDArray[np.float32]) -> None:
        """Append samples. Raises OSError where the file finds no room."""
        waiting = np.concatenate([self._left, samples]) if len(self._left) else samples
        whole = len(waiting) - len(waiting) % BLOCK
        self._write(waiting[:whole])
        self._left = waiting[whole:].copy()

    def close(self) -> None:
        """Write what is left: from now on samples can be read, and no more added."""
        count = len(self._scales) * BLOCK + len(self._left)
        self._write(self._left)
        self._left = self._left[:0]
        self._file.flush()
        if count:
            self._held = np.memmap(self._file, np.int16, "r", shape=(count, self._channels))
        self._scale = np.array(self._scales, np.float32)

    def _write(self, samples: NDArray[np.float32]) -> None:
        for at in range(0, len(samples), BLOCK):
            block = samples[at : at + BLOCK]
            least, most = float(block.min(initial=0.0)), float(block.max(initial=0.0))
            scale = 1.0 if least >= -1.0 and most <= _MOST / _FULL else max(-least, most) * (_FULL / _MOST)
            self._scales.append(scale / _FULL)
            self._file.write(np.rint(block * (_FULL / scale)).astype(np.int16).tobytes())

    def __len__(self) -> int:
        return len(self._held)

    @property
    def shape(self) -> tuple[int, int]:
        """Samples and channels."""
        return len(self._held), self._channels

    @property
    def nbytes(self) -> int:
        """How much memory they take: of the samples themselves none."""
        return self._scale.nbytes

    def __getitem__(self, wanted: slice | NDArray[np.int64] | tuple[slice, int]) -> NDArray[np.float32]:
        if isinstance(wanted, tuple):
            return self[wanted[0]][:, wanted[1]]
        if isinstance(wanted, slice):
            first, end, step = wanted.indices(len(self))
            number = np.arange(first, end, step) // BLOCK
        else:
            number = wanted // BLOCK
        return np.asarray(self._held[wanted] * self._scale[number][:, None], np.float32)

    def __array__(self, dtype: DTypeLike | None = None, copy: bool | None = None) -> NDArray[Any]:
        return self[:].astype(dtype or np.float32, copy=False)
