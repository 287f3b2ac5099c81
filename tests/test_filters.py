"""Running filters and spectra are what SciPy's are, to the last digits."""

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.fft import irfft, rfft
from scipy.ndimage import gaussian_filter1d, maximum_filter1d, percentile_filter, uniform_filter1d

from tempik.rhythm.filters import (
    magnitudes,
    packed_gain,
    row_of,
    running_max,
    running_mean,
    running_percentile,
    smoothed,
    spectrum,
)

Values = NDArray[Any]
KINDS = pytest.mark.parametrize("kind", [np.float32, np.float64])


def drawn(shape: tuple[int, ...], kind: type) -> Values:
    return np.random.default_rng(7).standard_normal(shape).astype(kind)


@KINDS
@pytest.mark.parametrize("length", [1, 2, 40, 50_000])
def test_rows_are_filtered_as_scipy_does(kind: type, length: int) -> None:
    values = drawn((length,), kind)
    pairs: list[tuple[Values, Values]] = []
    for size in (3, 5, 9, 30, 51):
        pairs.append((running_max(values, size), maximum_filter1d(values, size)))
        pairs.append((running_mean(values, size), uniform_filter1d(values, size, mode="nearest")))
    for sigma in (1.0, 4.0, 12.0, 300.0):
        for ours, theirs in (("held", "nearest"), ("mirrored", "reflect"), ("around", "wrap")):
            pairs.append((smoothed(values, sigma, ours), gaussian_filter1d(values, sigma, mode=theirs)))  # type: ignore[arg-type]
    pairs.append((running_percentile(values, 85, 60), percentile_filter(values, 85, size=60, mode="nearest")))
    for made, right in pairs:
        assert made.dtype == kind
        np.testing.assert_allclose(made, right, atol=4e-6)


@KINDS
@pytest.mark.parametrize("axis", [0, 1])
def test_tables_are_filtered_along_either_side(kind: type, axis: int) -> None:
    table = drawn((900, 44), kind)
    np.testing.assert_array_equal(running_max(table, 5, axis), maximum_filter1d(table, 5, axis=axis))
    np.testing.assert_allclose(
        running_mean(table, 50, axis), uniform_filter1d(table, 50, axis=axis, mode="nearest"), atol=1e-6
    )


def test_a_running_maximum_may_look_ahead() -> None:
    values = drawn((400,), np.float32)
    ahead = [values[max(0, i - 1) : i + 29].max() for i in range(len(values))]
    np.testing.assert_array_equal(running_max(values, 30, before=1), ahead)


@pytest.mark.parametrize("through", [lambda x: running_max(x, 5), lambda x: running_mean(x, 5), lambda x: smoothed(x, 2.0, "around")])  # fmt: skip
def test_nothing_stays_nothing(through: Callable[[Values], Values]) -> None:
    assert through(np.empty(0, np.float32)).shape == (0,)


def test_spectra_are_scipys() -> None:
    rows = drawn((20, 1024), np.float32)
    np.testing.assert_allclose(magnitudes(rows), np.abs(rfft(rows, axis=1)), atol=1e-4)
    row, gain = drawn((1 << 14,), np.float32), np.random.default_rng(8).random((1 << 13) + 1).astype(np.float32)
    back = row_of(spectrum(row) * packed_gain(gain))
    np.testing.assert_allclose(back, irfft(rfft(row) * gain, len(row)), atol=1e-5)
