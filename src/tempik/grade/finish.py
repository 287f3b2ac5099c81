"""What of a grade needs more of the picture than the place itself: fringe, soft focus, glow, sharpening, vignette, grain.

Sizes are shares of the frame's width, so that a reel keeps its look at any size.
"""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np

from tempik.media.paint import darkened, mixed, softened, warp_plane
from tempik.media.picture import BLACK_Y, MID_CHROMA, WHITE_Y, Picture, Plane
from tempik.reel.grade import Grade

GRAINS = 24  # different pictures of grain, one after the other in an order drawn by lot
GRAIN_CODES = 26.0  # how far grain of the full amount strays, in 8-bit steps, as standard deviation
LARGEST_GLOW = 1.2


def finishes(grade: Grade) -> bool:
    """Tell whether a grade does anything beyond colour."""
    shown = (grade.fringe, grade.soft, grade.glow, grade.sharpen, grade.vignette, grade.grain)
    return grade.amount > 0 and any(shown)


def finished(picture: Picture, grade: Grade, frame: int) -> Picture:
    """Return a picture with all of a grade that is more than colour; `frame` is which grain it has."""
    amount, width = grade.amount, picture.size[0]
    if grade.fringe:
        picture = _fringed(picture, grade.fringe * amount)
    if grade.soft:
        picture = mixed(picture, softened(picture, grade.soft_size * width), min(grade.soft * amount * 0.8, 1.0))
    if grade.glow:
        picture = _glowing(picture, grade.glow * amount, grade.glow_from, grade.glow_size * width)
    if grade.sharpen:
        picture = picture._replace(y=_sharpened(picture.y, grade.sharpen * amount, grade.sharpen_size * width))
    if grade.vignette:
        picture = _vignetted(picture, grade.vignette * amount, grade.vignette_size)
    if grade.grain:
        picture = _grained(picture, grade, frame)
    return picture


def _fringed(picture: Picture, share: float) -> Picture:
    """Red drawn outward and blue inward about the middle, as a lens does that bends colours unlike: in U and V, each of which
    is mostly one of them."""
    wide, height_px = picture.u.shape[::-1]

    def scaled(plane: Plane, by: float) -> Plane:
        size = (plane.shape[1], plane.shape[0])
        matrix = np.array([[by, 0, wide / 2 * (1 - by)], [0, by, height_px / 2 * (1 - by)]])
        return warp_plane(plane, matrix, size)

    return picture._replace(u=scaled(picture.u, 1 - 2 * share), v=scaled(picture.v, 1 + 2 * share))


def _glowing(picture: Picture, amount: float, low: float, sigma: float) -> Picture:
    """Light of bright parts laid over the picture as light is: screened."""
    from_y = BLACK_Y + low * (WHITE_Y - BLACK_Y)
    table = np.clip((np.arange(256) - from_y) / max(WHITE_Y - from_y, 1.0), 0, 1) ** 1.5
    keep = np.asarray(cv2.LUT(picture.y, np.round(table * 255).astype(np.uint8)), dtype=np.uint8)
    width, height = picture.size
    # So soft a thing needs no more than an eighth of the samples.
    small = (max(width // 8 * 2, 16) // 2, max(height // 8 * 2, 16) // 2)
    half = (small[0] // 2, small[1] // 2)
    shrunk = _sized(picture, small, half, cv2.INTER_AREA)
    bright = darkened(shrunk, np.asarray(cv2.resize(keep, small, interpolation=cv2.INTER_AREA), dtype=np.uint8))
    light = softened(bright, sigma * small[0] / width)
    light = _sized(light, picture.size, (picture.u.shape[1], picture.u.shape[0]), cv2.INTER_LINEAR)
    share = min(amount * LARGEST_GLOW, 2.0)
    # Screen on Y; colours of the light are added, less of them where it is white already.
    over = cv2.convertScaleAbs(cv2.subtract(light.y, np.full(1, BLACK_Y, np.float64)), alpha=share)
    room = cv2.subtract(np.full(1, WHITE_Y, np.float64), picture.y)
    y = cv2.add(picture.y, cv2.multiply(over, np.asarray(room, dtype=np.uint8), scale=1 / (WHITE_Y - BLACK_Y)))
    planes = []
    for plane, glow in ((picture.u, light.u), (picture.v, light.v)):
        more = cv2.addWeighted(plane, 1.0, glow, share * 0.6, -MID_CHROMA * share * 0.6)
        planes.append(np.asarray(more, dtype=np.uint8))
    return Picture(np.asarray(y, dtype=np.uint8), *planes)


def _sized(picture: Picture, size: tuple[int, int], half: tuple[int, int], how: int) -> Picture:
    y, u, v = (
        np.asarray(cv2.resize(p, s, interpolation=how), dtype=np.uint8)
        for p, s in zip(picture, (size, half, half), strict=True)
    )
    return Picture(y, u, v)


def _sharpened(y: Plane, amount: float, sigma: float) -> Plane:
    """Unsharp masking of Y: what a soft copy lacks, added."""
    soft = cv2.GaussianBlur(y, (0, 0), max(sigma, 0.4), borderType=cv2.BORDER_REFLECT_101)
    return np.asarray(cv2.addWeighted(y, 1 + amount, soft, -amount, 0.0), dtype=np.uint8)


@lru_cache(16)
def _vignette_mask(width: int, height: int, amount_64: int, size_64: int) -> Plane:
    """Return how much of each place is kept. It is as round as the frame is, and falls off as the fourth power of the cosine does."""
    x = (np.arange(width, dtype=np.float32) + 0.5) / width * 2 - 1
    y = (np.arange(height, dtype=np.float32) + 0.5) / height * 2 - 1
    away = np.sqrt((x * x)[None, :] + (y * y)[:, None]) / np.sqrt(2)
    clear = size_64 / 64 * 0.9
    past = np.clip((away - clear) / (1 - clear), 0, 1)
    dark = past * past * (3 - 2 * past)
    return np.asarray(np.round(255 * (1 - abs(amount_64) / 64 * 0.9 * dark)).clip(0, 255), dtype=np.uint8)


def _vignetted(picture: Picture, amount: float, size: float) -> Picture:
    mask = _vignette_mask(*picture.size, round(64 * min(abs(amount), 1.0)), round(64 * size))
    if amount > 0:
        return darkened(picture, mask)
    # Lighter corners: what is missing to white, less of it.
    room = cv2.subtract(np.full(1, WHITE_Y, np.float64), picture.y)
    less = cv2.multiply(
        np.asarray(room, dtype=np.uint8), cv2.subtract(np.full(1, 255, np.float64), mask), scale=0.6 / 255
    )
    return picture._replace(y=np.asarray(cv2.add(picture.y, less), dtype=np.uint8))


@lru_cache(6)
def _grain(size: tuple[int, int], seed: int, coarse_10: int) -> tuple[Plane, ...]:
    """Return pictures of grain about 128, softened to a coarseness in tenths of a sample, of even strength."""
    out = []
    wide, height_px = size
    for number in range(GRAINS // 4):
        drawn = np.random.default_rng((seed, number)).standard_normal((height_px, wide), dtype=np.float32)
        if coarse_10 > 5:
            drawn = np.asarray(cv2.GaussianBlur(drawn, (0, 0), coarse_10 / 20), dtype=np.float32)
        drawn *= 32.0 / max(float(drawn.std()), 1e-6)
        out.append(np.asarray(np.clip(np.round(drawn + 128), 0, 255), dtype=np.uint8))
    return tuple(out)


# Where grain shows: most in the middle tones, hardly in black and white (as on film).
_SHOWS = np.round(255 * np.clip(np.sin(np.pi * (np.arange(256) - 16) / 230), 0, 1) ** 0.7).astype(np.uint8)


def _grained(picture: Picture, grade: Grade, frame: int) -> Picture:
    width, height = picture.size
    coarse = grade.grain_size * width / 1000
    pictures = _grain((width, height), grade.grain_seed, round(10 * min(max(coarse, 0.5), 12)))
    lot = np.random.default_rng((grade.grain_seed, frame, 7)).integers(0, 1 << 30, 8)
    # Finer than a sample, grain evens out within each.
    strength = GRAIN_CODES * grade.grain * min(grade.amount, 1.5) / 32 * min(1.0, coarse)
    grain = pictures[int(lot[0]) % len(pictures)]
    # Turned over and moved along, a few pictures are many.
    grain = np.roll(cv2.flip(grain, int(lot[1]) % 3 - 1), int(lot[2]) % height, axis=0)
    y = _strewn(picture.y, grain, strength)
    if not grade.grain_colour:
        return picture._replace(y=y)
    height_px, wide = picture.u.shape
    planes = []
    for number, plane in enumerate((picture.u, picture.v)):
        other = np.roll(pictures[int(lot[3 + number]) % len(pictures)], int(lot[5 + number]) % height, axis=0)[
            :height_px, :wide
        ]
        by = strength * grade.grain_colour * 0.6
        planes.append(
            np.asarray(cv2.addWeighted(plane, 1.0, np.ascontiguousarray(other), by, -128 * by), dtype=np.uint8)
        )
    return Picture(y, *planes)


def _strewn(y: Plane, grain: Plane, strength: float) -> Plane:
    shows = cv2.LUT(y, _SHOWS)
    more = cv2.multiply(cv2.subtract(grain, np.full(1, 128, np.float64)), shows, scale=strength / 255)
    less = cv2.multiply(cv2.subtract(np.full(1, 128, np.float64), grain), shows, scale=strength / 255)
    return np.asarray(cv2.subtract(cv2.add(y, more), less), dtype=np.uint8)
