"""What a grade makes of a colour, wherever it stands in the picture: the one formula that tables, LUTs and files are made of."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tempik.grade.cube import lut_at
from tempik.grade.curves import curve_of, ring_of
from tempik.grade.white import adaptation
from tempik.reel.grade import NEUTRAL, Curve1, Grade, Wheel

# Displayed red, green and blue, shape (n, 3), 0 to 1 and beyond.
Colours = NDArray[np.float32]
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)  # Rec. ITU-R BT.709
DISPLAY = 2.4  # the exponent of Rec. ITU-R BT.1886
MIDDLE_GREY = 0.18 ** (1 / DISPLAY)
# One channel's changes are worked out once for so many values between these, then looked up: to a 20th of an 8-bit step.
STEPS, LOW, HIGH = 12_801, -0.5, 2.5
RING = 3600  # hues told apart

# What of a grade acts on each place by itself.
POINTWISE = (
    "lut", "lut_amount", "exposure", "temperature", "tint", "contrast", "blacks", "shadows", "highlights", "whites",
    "dark_wheel", "middle_wheel", "light_wheel", "luma_curve", "red_curve", "green_curve", "blue_curve", "saturation",
    "gentle", "hue_deg", "hue_saturation", "hue_hue", "mono", "mono_red", "mono_green", "mono_blue", "split",
    "split_dark", "split_light", "fade", "amount",
)  # fmt: skip


def acts(grade: Grade) -> bool:
    """Tell whether a grade changes any colour by itself."""
    idle = ("lut_amount", "mono_red", "mono_green", "mono_blue", "split_dark", "split_light", "amount")
    return grade.amount > 0 and any(
        getattr(grade, name) != getattr(NEUTRAL, name) for name in POINTWISE if name not in idle
    )


def graded(colours: Colours, grades: Sequence[Grade]) -> Colours:
    """Return colours after grades, one after the other, not yet cut to what can be displayed. Raises TempikError for a LUT
    that cannot be read."""
    for grade in grades:
        if acts(grade):
            made = _graded(colours, grade)
            colours = made if grade.amount == 1 else colours + np.float32(grade.amount) * (made - colours)
    return colours


def _graded(rgb: Colours, grade: Grade) -> Colours:
    if grade.lut:
        seen = lut_at(grade.lut, rgb)
        rgb = seen if grade.lut_amount >= 1 else rgb + np.float32(grade.lut_amount) * (seen - rgb)
    if grade.temperature or grade.tint:
        rgb = _in_light(rgb, adaptation(grade.temperature, grade.tint))
    rgb = _channels(rgb, grade)
    if grade.luma_curve:
        luma = rgb @ LUMA
        rgb = rgb + (_found(_luma_table(grade.luma_curve), luma) - luma)[:, None]
    rgb = _coloured(rgb, grade)
    if grade.fade:
        rgb = rgb + np.float32(0.16 * grade.fade) * np.clip(1 - rgb, 0, 1.5) ** 4
    return np.asarray(rgb, dtype=np.float32)


def _in_light(rgb: Colours, matrix: NDArray[np.float64]) -> Colours:
    """Return colours turned by a matrix of linear light."""
    light = np.sign(rgb) * np.abs(rgb) ** np.float32(DISPLAY)
    light = light @ matrix.T.astype(np.float32)
    return np.asarray(np.sign(light) * np.abs(light) ** np.float32(1 / DISPLAY), dtype=np.float32)


def _channels(rgb: Colours, grade: Grade) -> Colours:
    """Return colours with all that acts on red, green and blue each by itself."""
    tables = channel_tables(grade)
    if tables is None:
        return rgb
    return np.stack([_found(tables[n], rgb[:, n]) for n in range(3)], axis=1)


def _found(table: NDArray[np.float32], values: Colours) -> Colours:
    """Return what a table over LOW to HIGH has for values."""
    at = (values - np.float32(LOW)) * np.float32((STEPS - 1) / (HIGH - LOW)) + np.float32(0.5)
    return np.asarray(table.take(np.clip(at, 0, STEPS - 1).astype(np.int32)), dtype=np.float32)


@lru_cache(64)
def _luma_table(dots: Curve1) -> NDArray[np.float32]:
    return np.asarray(curve_of(dots)(np.linspace(LOW, HIGH, STEPS)), dtype=np.float32)


@lru_cache(256)
def _tables(parts: Grade) -> NDArray[np.float32] | None:
    x = np.linspace(LOW, HIGH, STEPS)
    out = np.empty((3, STEPS), np.float32)
    toned = _toned(x * 2 ** (parts.exposure / DISPLAY), parts)
    for n, curve in enumerate((parts.red_curve, parts.green_curve, parts.blue_curve)):
        y = _balanced(toned, parts, n)
        out[n] = curve_of(curve)(y) if curve else y
    return None if np.allclose(out, x.astype(np.float32), atol=1e-7) else out


def channel_tables(grade: Grade) -> NDArray[np.float32] | None:
    """Return what becomes of red, green and blue each, shape (3, STEPS) over LOW to HIGH; None for the identity."""
    names = (
        "exposure",
        "contrast",
        "blacks",
        "shadows",
        "highlights",
        "whites",
        "dark_wheel",
        "middle_wheel",
        "light_wheel",
    )
    values = {n: getattr(grade, n) for n in (*names, "red_curve", "green_curve", "blue_curve")}
    return _tables(Grade(**values))


def _toned(x: NDArray[np.float64], grade: Grade) -> NDArray[np.float64]:
    """Return values with blacks, shadows, highlights, whites and contrast; each by itself rises throughout, so all do."""
    inside = np.clip(x, 0, 1)
    y = x
    for amount, power in (
        (grade.shadows, (1, 2, 0.9)),
        (grade.highlights, (2, 1, 0.9)),
        (grade.blacks, (0, 3, 0.25)),
        (grade.whites, (3, 0, 0.25)),
    ):
        if amount:
            a, b, most = power
            y = y + amount * most * inside**a * (1 - inside) ** b
            inside = np.clip(y, 0, 1)
    if grade.contrast:
        k, p = 2.0**grade.contrast, MIDDLE_GREY
        low, high = p * (np.clip(y, 0, p) / p) ** k, 1 - (1 - p) * (np.clip(1 - y, 0, 1 - p) / (1 - p)) ** k
        bent = np.where(y < p, low, high)
        y = np.where((y >= 0) & (y <= 1), bent, np.where(y < 0, y * min(k, 1.0), 1 + (y - 1) * min(1 / k, 1.0)))
    return y


# Which way on the wheel red, green and blue lie.
_WAYS = [(np.cos(a), np.sin(a)) for a in np.radians([0.0, 120.0, 240.0])]


def push_of(wheel: Wheel, channel: int) -> float:
    """Return how far a wheel pushes a channel up."""
    across, up = _WAYS[channel]
    return float(wheel.x * across + wheel.y * up + wheel.level)


def _balanced(x: NDArray[np.float64], grade: Grade, channel: int) -> NDArray[np.float64]:
    """Return values with the three-way balance: lights scale, darks lift, the middle bends, as ASC CDL's slope, offset and
    power do, the offset giving way to white."""
    dark, middle, light = (push_of(w, channel) for w in (grade.dark_wheel, grade.middle_wheel, grade.light_wheel))
    if not (dark or middle or light):
        return x
    y = x * (1 + 0.5 * light)
    y = y + 0.25 * dark * (1 - y)
    if middle:
        y = np.sign(y) * np.abs(y) ** (2.0**-middle)
    return np.asarray(y, dtype=np.float64)


def _coloured(rgb: Colours, grade: Grade) -> Colours:
    """Return colours with saturation, hue, monochrome and split tone; displayed luma stays but for monochrome."""
    if grade.saturation != 1 or grade.hue_deg:
        rgb = rgb @ _colour_matrix(grade.saturation, grade.hue_deg).T
    if grade.gentle:
        r, g, b = (np.ascontiguousarray(rgb[:, n]) for n in range(3))
        span = np.maximum(np.maximum(r, g), b) - np.minimum(np.minimum(r, g), b)
        span = np.clip(span, 0, 1)
        rgb = _saturated(rgb, 1 + grade.gentle * (1 - span) ** 2)
    if grade.hue_saturation or grade.hue_hue:
        rgb = _by_hue(rgb, grade)
    if grade.mono:
        grey = rgb @ np.array([grade.mono_red, grade.mono_green, grade.mono_blue], np.float32)
        rgb = rgb + np.float32(grade.mono) * (grey[:, None] - rgb)
    if grade.split:
        luma = np.clip(rgb @ LUMA, 0, 1)[:, None]
        dark, light = (_push(c) for c in (grade.split_dark, grade.split_light))
        rgb = rgb + np.float32(0.6 * grade.split) * ((1 - luma) ** 2 * luma**0.5 * dark + luma**2 * light)
    return np.asarray(rgb, dtype=np.float32)


def _saturated(rgb: Colours, by: Colours) -> Colours:
    luma = (rgb @ LUMA)[:, None]
    return np.asarray(luma + by[:, None] * (rgb - luma), dtype=np.float32)


def _push(colour: str) -> Colours:
    """Return a colour without its luma: what is added to go towards it."""
    rgb = np.array([int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)], np.float32)
    return np.asarray(rgb - rgb @ LUMA, dtype=np.float32)


# Displayed colour to luma and the two colour differences of BT.709, and back.
_TO_DIFFERENCES = np.array([LUMA, [-0.2126 / 1.8556, -0.7152 / 1.8556, 0.5], [0.5, -0.7152 / 1.5748, -0.0722 / 1.5748]])
_FROM_DIFFERENCES = np.linalg.inv(_TO_DIFFERENCES)


@lru_cache(256)
def _colour_matrix(saturation: float, hue_deg: float) -> Colours:
    c, s = np.cos(np.radians(hue_deg)) * saturation, np.sin(np.radians(hue_deg)) * saturation
    turn = np.array([[1, 0, 0], [0, c, -s], [0, s, c]])
    return np.asarray(_FROM_DIFFERENCES @ turn @ _TO_DIFFERENCES, dtype=np.float32)


def hues_of(rgb: Colours) -> NDArray[np.float64]:
    """Return hues in degrees, 0 for red, counted as the wheels count: by the angle of what lies off grey: of shape (n, 3)
    shape (n,)."""
    r, g, b = (rgb[:, n].astype(np.float64) for n in range(3))
    return np.asarray(np.degrees(np.arctan2(np.sqrt(3) / 2 * (g - b), r - (g + b) / 2)) % 360, dtype=np.float64)


def _by_hue(rgb: Colours, grade: Grade) -> Colours:
    number = (hues_of(rgb) * (RING / 360)).astype(np.int32) % RING
    hues = np.asarray(np.arange(RING) * (360 / RING), dtype=np.float64)
    more = np.clip(1 + ring_of(grade.hue_saturation)(hues), 0, 4).astype(np.float32).take(number)
    turn = np.radians(ring_of(grade.hue_hue)(hues)).astype(np.float32).take(number)
    luma = (rgb @ LUMA)[:, None]
    away = rgb - luma
    # About the grey axis (Rodrigues): what lies off grey turned, then put back to its luma.
    c, s = np.cos(turn)[:, None], np.sin(turn)[:, None]
    mean = away.mean(axis=1, keepdims=True)
    axis = np.float32(1 / np.sqrt(3))
    crossed = axis * np.stack([away[:, 2] - away[:, 1], away[:, 0] - away[:, 2], away[:, 1] - away[:, 0]], axis=1)
    turned = away * c + crossed * s + mean * (1 - c)
    turned = turned - (turned @ LUMA)[:, None]
    return np.asarray(luma + more[:, None] * turned, dtype=np.float32)


def function_of(grades: Sequence[Grade]) -> Callable[[Colours], Colours]:
    """Return what grades make of colours, cut to what can be displayed."""
    return lambda rgb: np.clip(graded(np.asarray(rgb, np.float32), grades), 0, 1)
