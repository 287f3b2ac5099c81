"""Scopes: where the values of a picture lie, as pictures of counts."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.grade.pointwise import LUMA

Rgb = NDArray[np.uint8]
Counts = NDArray[np.float32]
# A picture is looked at this wide at most: enough for what a scope can show.
WIDEST = 192
# Where the colours of skin lie, whatever its lightness: the I axis of NTSC (common practice), degrees counter-clockwise from +U.
SKIN_DEG = 123.0


def sampled(rgb: Rgb) -> Rgb:
    """Return a picture made small for a scope, shape (height, width, 3)."""
    height, width = rgb.shape[:2]
    if width <= WIDEST:
        return rgb
    size = (WIDEST, max(1, round(height * WIDEST / width)))
    return np.asarray(cv2.resize(rgb, size, interpolation=cv2.INTER_NEAREST), dtype=np.uint8)


def luma_of(rgb: Rgb) -> Rgb:
    """Return displayed luma, 0 to 255 (Rec. ITU-R BT.709)."""
    weights = np.asarray(LUMA, dtype=np.float64)[None, :]
    return np.asarray(cv2.transform(rgb, weights), dtype=np.uint8).reshape(rgb.shape[:2])


def columns_of(plane: Rgb) -> Counts:
    """Return how often each value stands in each column, shape (256, width), value 0 in the first row."""
    height, width = plane.shape
    flat = (plane.astype(np.int32) * width + np.arange(width, dtype=np.int32)).ravel()
    counts = np.bincount(flat, minlength=256 * width).reshape(256, width)
    return np.asarray(counts / max(height, 1), dtype=np.float32)


def waveform(rgb: Rgb) -> Counts:
    """Return the waveform of luma, shape (256, width)."""
    return columns_of(luma_of(sampled(rgb)))


def parade(rgb: Rgb) -> tuple[Counts, Counts, Counts]:
    """Return the waveforms of red, green and blue."""
    small = sampled(rgb)
    red, green, blue = (columns_of(np.ascontiguousarray(small[..., n])) for n in range(3))
    return red, green, blue


def differences_of(rgb: Rgb) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Return the colour differences of BT.709, −0.5 to 0.5: towards blue, and towards red; of any shape (…, 3), 0 to 255,
    each of shape (n,)."""
    values = rgb.reshape(-1, 3).astype(np.float32) / 255
    luma = values @ LUMA
    u, v = (values[:, 2] - luma) / 1.8556, (values[:, 0] - luma) / 1.5748
    return np.asarray(u, dtype=np.float32), np.asarray(v, dtype=np.float32)


def vectorscope(rgb: Rgb, size: int = 192) -> Counts:
    """Return how often each colour difference stands, shape (size, size): U to the right, V upward, grey in the middle."""
    u, v = differences_of(sampled(rgb))
    x = np.clip(((u + 0.5) * (size - 1)).round(), 0, size - 1).astype(np.int32)
    y = np.clip(((0.5 - v) * (size - 1)).round(), 0, size - 1).astype(np.int32)
    return np.bincount(y * size + x, minlength=size * size).reshape(size, size).astype(np.float32)


class Histogram(NamedTuple):
    """How often each value 0 to 255 stands, as a share of all: of luma and of red, green and blue."""

    luma: Counts
    red: Counts
    green: Counts
    blue: Counts


def histogram(rgb: Rgb) -> Histogram:
    """Return the histogram of a picture."""
    small = sampled(rgb)
    planes = (luma_of(small), *(small[..., n] for n in range(3)))
    luma, red, green, blue = (
        np.asarray(np.bincount(p.ravel(), minlength=256) / p.size, dtype=np.float32) for p in planes
    )
    return Histogram(luma, red, green, blue)


def glow(counts: Counts) -> NDArray[np.uint8]:
    """Return counts as brightness, 0 to 255: few can be seen, many do not drown them."""
    most = float(np.percentile(counts[counts > 0], 98)) if (counts > 0).any() else 1.0
    return np.asarray(np.round(255 * np.clip(counts / max(most, 1e-6), 0, 1) ** 0.4), dtype=np.uint8)


def clipped(rgb: Rgb) -> tuple[float, float]:
    """Return the share of a picture that is as dark as can be, and as bright."""
    luma = luma_of(sampled(rgb))
    return float((luma <= 1).mean()), float((luma >= 254).mean())
