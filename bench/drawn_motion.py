"""Drawn footage that moves in a known way: seeded grounds panned, zoomed and turned, with noise, or a subject that moves
before a standing ground. Made to try what is proposed for transitions; nothing was tuned on the seeds from 100 up."""

from __future__ import annotations

import math
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import av
import cv2
import numpy as np
from numpy.typing import NDArray

Image = NDArray[np.uint8]
WAYS = {
    "left": (-1, 0), "right": (1, 0), "up": (0, -1), "down": (0, 1),
    "up left": (-1, -1), "up right": (1, -1), "down left": (-1, 1), "down right": (1, 1),
}  # fmt: skip
W, H = 270, 480


class Truth(NamedTuple):
    """What a drawn piece does: a form, a way, and how fast in frame widths, log scale or degrees a second."""

    form: str
    way: str
    speed: float
    subject: bool = False


def truths() -> list[Truth]:
    """Return everything that is drawn: eight pans, both zooms, both turns, each slow and fast, and what stands still."""
    out = [Truth("pan", way, speed) for way in WAYS for speed in (0.25, 1.2)]
    out += [Truth("zoom", way, speed) for way in ("in", "out") for speed in (0.35, 1.2)]
    out += [Truth("turn", way, speed) for way in ("clockwise", "anticlockwise") for speed in (20.0, 70.0)]
    out += [Truth("still", "", 0.0, subject) for subject in (False, True, False, True)]
    return out


def ground(seed: int) -> Image:
    """Return a large seeded picture of blots, bars and grain."""
    rng = np.random.default_rng(seed)
    size = 1400
    soft = cv2.GaussianBlur(rng.uniform(0, 255, (size // 8, size // 8, 3)).astype(np.float32), (0, 0), 3)
    spread = np.asarray(cv2.resize(soft, (size, size)))
    image = np.interp(spread, (spread.min(), spread.max()), (20, 200)).astype(np.uint8)
    for _ in range(int(rng.integers(60, 220))):
        x, y = (int(v) for v in rng.integers(0, size, 2))
        colour = tuple(int(v) for v in rng.integers(10, 245, 3))
        if rng.random() < 0.5:
            cv2.circle(image, (x, y), int(rng.integers(6, 60)), colour, -1, cv2.LINE_AA)
        else:
            w, h = (int(v) for v in rng.integers(8, 120, 2))
            cv2.rectangle(image, (x, y), (x + w, y + h), colour, -1)
    return np.asarray(image, dtype=np.uint8)


def frames_of(truth: Truth, seed: int, count: int, rate: float) -> Iterator[Image]:
    """Yield frames, shape (H, W, 3), of a piece that moves as told, with grain."""
    image, rng = ground(seed), np.random.default_rng(seed + 7)
    for number in range(count):
        t = (number - count / 2) / rate
        x, y, scale, angle = 0.0, 0.0, 1.0, 0.0
        if truth.form == "pan":
            dx, dy = WAYS[truth.way]
            size = math.hypot(dx, dy)
            x, y = (truth.speed * t * W * v / size for v in (dx, dy))
        elif truth.form == "zoom":
            scale = math.exp((1 if truth.way == "in" else -1) * truth.speed * t)
        elif truth.form == "turn":
            angle = (1 if truth.way == "clockwise" else -1) * truth.speed * t
        c, s = math.cos(math.radians(angle)) * scale, math.sin(math.radians(angle)) * scale
        middle = image.shape[0] / 2
        matrix = np.array([[c, -s, W / 2 + x - c * middle + s * middle], [s, c, H / 2 + y - s * middle - c * middle]])
        shown = cv2.warpAffine(image, matrix, (W, H), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT_101)
        if truth.subject:
            at = int(W / 2 + 0.3 * W * math.sin(3 * t)), int(H * 0.6)
            cv2.ellipse(shown, at, (38, 80), 0, 0, 360, (60, 150, 220), -1, cv2.LINE_AA)
            cv2.circle(shown, (at[0], at[1] - 90), 26, (220, 190, 150), -1, cv2.LINE_AA)
        noisy = shown.astype(np.int16) + rng.integers(-5, 6, shown.shape)
        yield np.clip(noisy, 0, 255).astype(np.uint8)


def write_piece(path: Path, truth: Truth, seed: int, count: int = 45, rate: int = 30) -> Path:
    """Write a piece as H.264."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=rate, options={"preset": "ultrafast", "crf": "18"})
        stream.width, stream.height, stream.pix_fmt = W, H, "yuv420p"
        for image in frames_of(truth, seed, count, rate):
            container.mux(stream.encode(av.VideoFrame.from_ndarray(image, "rgb24")))
        container.mux(stream.encode(None))
    return path
