"""Drawing for the demo: dark warm rooms, silhouettes, light that glows, sparks that fly on true parabolas."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Image = NDArray[np.uint8]
Colour = tuple[int, int, int]

# Blue, green, red, as OpenCV counts them.
IRON: Colour = (20, 17, 16)
IRON_EDGE: Colour = (52, 62, 84)
HOT: Colour = (70, 160, 255)
WHITE_HOT: Colour = (190, 235, 255)
EMBER: Colour = (30, 95, 235)
STEAM: Colour = (190, 190, 185)


def room(
    width: int, height: int, light: tuple[float, float], colour: Colour, reach: float = 0.9, seed: int = 3
) -> Image:
    """Return a dark room with a pool of light at `light` (shares of the size), fading over `reach` of the height."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    far = np.hypot(x - light[0] * width, (y - light[1] * height) * 0.85) / (reach * height)
    fall = np.clip(1 - far, 0, 1) ** 2.2
    grain = np.random.default_rng(seed).standard_normal((height, width)).astype(np.float32)
    grain = np.asarray(cv2.GaussianBlur(grain, (0, 0), 1.2), dtype=np.float32)
    base = np.array([16, 16, 22], np.float32)
    out = base * (1.1 - 0.5 * y[..., None] / height) + fall[..., None] * np.array(colour, np.float32)
    out += grain[..., None] * (2.0 + 6.0 * fall[..., None])
    for beam in range(3):  # beams of a roof, barely lit
        top = int(height * (0.04 + 0.075 * beam))
        out[top : top + max(3, height // 90)] *= 0.55
    return np.asarray(np.clip(out, 0, 255), dtype=np.uint8)


def shape(image: Image, points: list[tuple[float, float]], colour: Colour) -> None:
    """Fill a polygon given in pixels, edges smooth."""
    fixed = np.round(np.array(points) * 16).astype(np.int32)
    cv2.fillPoly(image, [fixed], colour, cv2.LINE_AA, 4)


def edge(image: Image, points: list[tuple[float, float]], colour: Colour, thickness: int = 2) -> None:
    """Draw an open line through points given in pixels."""
    fixed = np.round(np.array(points) * 16).astype(np.int32)
    cv2.polylines(image, [fixed], False, colour, thickness, cv2.LINE_AA, 4)


def turned(points: list[tuple[float, float]], degrees: float, about: tuple[float, float]) -> list[tuple[float, float]]:
    """Return points turned clockwise about another."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    ax, ay = about
    return [(ax + c * (x - ax) - s * (y - ay), ay + s * (x - ax) + c * (y - ay)) for x, y in points]


class Light:
    """Light added over a picture: drawn small and blurred, so that wide glow is cheap, with a sharp layer on top."""

    def __init__(self, width: int, height: int) -> None:
        self._size = (width, height)
        self._small = np.zeros((height // 8, width // 8, 3), np.float32)
        self._sharp = np.zeros((height, width, 3), np.uint8)
        self._used = False

    def glow(self, x: float, y: float, radius: float, colour: Colour, strength: float = 1.0) -> None:
        """Add a soft round light; sizes in pixels of the picture."""
        height, width = self._small.shape[:2]
        spread = max(0.8, radius / 14)
        across = np.exp(-0.5 * ((np.arange(width, dtype=np.float32) - x / 8) / spread) ** 2)
        down = np.exp(-0.5 * ((np.arange(height, dtype=np.float32) - y / 8) / spread) ** 2)
        fall = np.outer(down, across * np.float32(0.62 * strength))
        self._small += fall[..., None] * np.array(colour, np.float32)

    def streak(self, a: tuple[float, float], b: tuple[float, float], colour: Colour, thickness: int = 2) -> None:
        """Add a bright line, as a spark leaves while the shutter is open."""
        start = (int(a[0] * 16), int(a[1] * 16))
        end = (int(b[0] * 16), int(b[1] * 16))
        cv2.line(self._sharp, start, end, colour, thickness, cv2.LINE_AA, 4)
        self._used = True

    def over(self, image: Image) -> Image:
        """Add the light to the picture and return it."""
        small = self._small
        if self._used:
            h, w = small.shape[:2]
            halo = cv2.resize(self._sharp, (w, h), interpolation=cv2.INTER_AREA).astype(np.float32)
            small = small + cv2.GaussianBlur(halo, (0, 0), 1.6) * 2.2
        lit = cv2.resize(np.clip(small, 0, 255).astype(np.uint8), self._size, interpolation=cv2.INTER_LINEAR)
        cv2.add(image, lit, image)
        if self._used:
            cv2.add(image, self._sharp, image)
        return image


class Sparks:
    """Sparks thrown from a place, each on its own parabola; the same at every run."""

    def __init__(self, seed: int, count: int, unit: float, spread: tuple[float, float], speed: float) -> None:
        """`unit` is the picture's shorter side in pixels; `spread` the range of directions in degrees, 90 is up."""
        rng = np.random.default_rng(seed)
        angle = np.radians(rng.uniform(*spread, count))
        force = speed * unit * rng.uniform(0.25, 1.0, count) ** 1.4
        self._vx, self._vy = np.cos(angle) * force, -np.sin(angle) * force
        self._life = rng.uniform(0.25, 0.95, count)
        self._late = rng.uniform(0, 0.03, count)
        self._fall = 1.5 * unit

    def draw(self, light: Light, origin: tuple[float, float], since_s: float, shutter_s: float = 0.018) -> None:
        """Draw those alive `since_s` after they left."""
        for vx, vy, life, late in zip(self._vx, self._vy, self._life, self._late, strict=True):
            t = since_s - late
            if 0 <= t < life:
                left = 1 - t / life
                a, b = self._place(origin, vx, vy, t), self._place(origin, vx, vy, max(0.0, t - shutter_s))
                tint = (int(40 + 120 * left**3), int(90 + 140 * left), int(255 * min(1, 0.35 + left)))
                light.streak(b, a, tint, 3 if left > 0.6 else 2)

    def _place(self, origin: tuple[float, float], vx: float, vy: float, t: float) -> tuple[float, float]:
        slow = (1 - np.exp(-2.2 * t)) / 2.2
        return float(origin[0] + vx * slow), float(origin[1] + vy * slow + self._fall * t * t / 2)


def anvil(image: Image, x: float, y: float, size: float, rim: Colour = IRON_EDGE) -> None:
    """Draw an anvil whose face is centred on (x, y); `size` is the length of the face in pixels."""
    s = size
    body = [
        (x - 0.78 * s, y + 0.02 * s),
        (x - 0.5 * s, y),
        (x + 0.5 * s, y),
        (x + 0.5 * s, y + 0.16 * s),
        (x + 0.24 * s, y + 0.24 * s),
        (x + 0.19 * s, y + 0.52 * s),
        (x + 0.4 * s, y + 0.66 * s),
        (x + 0.4 * s, y + 0.76 * s),
        (x - 0.4 * s, y + 0.76 * s),
        (x - 0.4 * s, y + 0.66 * s),
        (x - 0.19 * s, y + 0.52 * s),
        (x - 0.24 * s, y + 0.24 * s),
        (x - 0.52 * s, y + 0.15 * s),
    ]
    shape(image, body, IRON)
    edge(image, [body[0], body[1], body[2], body[3]], rim, max(2, int(size / 120)))
    shape(
        image,
        [
            (x - 0.5 * s, y + 0.76 * s),
            (x + 0.5 * s, y + 0.76 * s),
            (x + 0.56 * s, y + 2.6 * s),
            (x - 0.56 * s, y + 2.6 * s),
        ],
        (24, 26, 34),
    )


def hammer(image: Image, x: float, y: float, size: float, degrees: float, grip: tuple[float, float]) -> None:
    """Draw a hammer whose face meets (x, y) at 0 degrees, swung up by `degrees` about `grip`."""
    s = size
    head = [(x - 0.3 * s, y - 0.62 * s), (x + 0.3 * s, y - 0.62 * s), (x + 0.26 * s, y), (x - 0.26 * s, y)]
    dx, dy = grip[0] - x, grip[1] - (y - 0.32 * s)
    length = float(np.hypot(dx, dy))
    nx, ny = -dy / length * 0.075 * s, dx / length * 0.075 * s
    base = (x, y - 0.32 * s)
    shaft = [
        (base[0] + nx, base[1] + ny),
        (grip[0] + nx, grip[1] + ny),
        (grip[0] - nx, grip[1] - ny),
        (base[0] - nx, base[1] - ny),
    ]
    shape(image, turned(shaft, degrees, grip), (38, 58, 92))
    placed = turned(head, degrees, grip)
    shape(image, placed, (30, 28, 28))
    edge(image, [placed[3], placed[0], placed[1]], (70, 92, 128), max(2, int(size / 70)))
