"""Running filters and spectra of long rows of numbers, by OpenCV: what SciPy has for these takes a third of a second to load, a tenth of
what the whole analysis of a song may take. Arrays are float32 or float64 and keep their kind."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

T = TypeVar("T", np.float32, np.float64)
Edge = Literal["held", "around", "mirrored"]
_EDGES = {"held": cv2.BORDER_REPLICATE, "mirrored": cv2.BORDER_REFLECT}


def running_max(values: NDArray[T], size: int, axis: int = 0, before: int | None = None) -> NDArray[T]:
    """Return the largest of `size` values around each: `before` of them before it, half where that is not given. Shape (n,) or (n, m)."""
    before = size // 2 if before is None else before
    return _filtered(values, axis, lambda rows: cv2.dilate(rows, np.ones((1, size), np.uint8), anchor=(before, 0)))


def running_mean(values: NDArray[T], size: int, axis: int = 0) -> NDArray[T]:
    """Return the mean of `size` values around each, the first and the last held. Shape (n,) or (n, m)."""
    return _filtered(values, axis, lambda rows: cv2.blur(rows, (size, 1), borderType=cv2.BORDER_REPLICATE))


def smoothed(values: NDArray[T], sigma: float, edge: Edge = "mirrored") -> NDArray[T]:
    """Return a row through a Gaussian of four standard deviations to either side, with what lies beyond its ends held, mirrored, or
    come round to. Shape (n,)."""
    reach = int(4 * sigma + 0.5)
    shape = np.exp(-0.5 * (np.arange(-reach, reach + 1) / sigma) ** 2)
    shape /= shape.sum()
    if edge != "around":
        border = _EDGES[edge]
        return _filtered(values, 0, lambda rows: cv2.sepFilter2D(rows, -1, shape, np.ones(1), borderType=border))
    if not len(values):
        return values.copy()
    return smoothed(np.pad(values, reach, mode="wrap"), sigma, "held")[reach : reach + len(values)]


def running_percentile(values: NDArray[T], percent: float, size: int) -> NDArray[T]:
    """Return the value that so many percent of `size` values around each lie below, the first and the last held. Shape (n,)."""
    padded = np.pad(values, (size // 2, size - 1 - size // 2), mode="edge")
    rank = min(int(size * percent / 100), size - 1)
    windows = np.lib.stride_tricks.sliding_window_view(padded, size)
    return np.ascontiguousarray(np.partition(windows, rank, axis=1)[:, rank])


def magnitudes(rows: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return how strong each frequency is in rows of an even length, shape (rows, length / 2 + 1)."""
    packed = cv2.dft(np.ascontiguousarray(rows), flags=cv2.DFT_ROWS)
    out = np.empty((len(rows), rows.shape[1] // 2 + 1), np.float32)
    out[:, 0], out[:, -1] = np.abs(packed[:, 0]), np.abs(packed[:, -1])
    real, imaginary = packed[:, 1:-1:2], packed[:, 2:-1:2]
    np.sqrt(real * real + imaginary * imaginary, out=out[:, 1:-1])
    return out


def spectrum(row: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return the spectrum of a row of an even length, packed: the mean, real and imaginary parts in turn, and the highest frequency."""
    return np.asarray(cv2.dft(row.reshape(1, -1))[0], dtype=np.float32)


def packed_gain(gain: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return a gain for each frequency as it is multiplied with a packed spectrum: of shape (n + 1,), shape (2 n,)."""
    return np.concatenate([gain[:1], np.repeat(gain[1:-1], 2), gain[-1:]])


def row_of(packed: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return the row that has a packed spectrum."""
    return np.asarray(cv2.idft(packed.reshape(1, -1), flags=cv2.DFT_SCALE | cv2.DFT_REAL_OUTPUT)[0], dtype=np.float32)


def _filtered(values: NDArray[T], axis: int, through: Callable[[NDArray[T]], object]) -> NDArray[T]:
    """Return values filtered along an axis by what filters along the rows of a picture."""
    if not values.size:
        return values.copy()
    if values.ndim == 1:
        rows = np.ascontiguousarray(values).reshape(1, -1)
        return np.asarray(through(rows), dtype=values.dtype).reshape(-1)
    rows = np.ascontiguousarray(values if axis == 1 else values.T)
    made = np.asarray(through(rows), dtype=values.dtype).reshape(rows.shape)
    return np.ascontiguousarray(made if axis == 1 else made.T)
