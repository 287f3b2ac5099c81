"""Footage that is hard to encode: texture at every scale that glides and turns, with grain; made by code, seeded."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np

SIZE = (1080, 1920)  # width, height in pixels
RATE = 30


def texture(seed: int, side: int) -> np.ndarray:
    """Return noise of equal strength in every octave: (side, side, 3), uint8."""
    rng = np.random.default_rng(seed)
    out = np.zeros((side, side, 3), np.float32)
    cells = 8
    while cells < side:
        noise = rng.standard_normal((cells, cells, 3)).astype(np.float32)
        out += cv2.resize(noise, (side, side), interpolation=cv2.INTER_CUBIC)
        cells *= 2
    return np.clip(118 + 20 * out, 0, 255).astype(np.uint8)


def write_textured(path: Path, seed: int, seconds: float, grain: float = 4.0) -> Path:
    """Write footage of a turning, gliding texture with grain of a standard deviation of `grain` of 255 levels."""
    width, height = SIZE
    base = texture(seed, 2560)
    rng = np.random.default_rng(seed + 1)
    single = [(grain * rng.standard_normal((height, width))).astype(np.int16) for _ in range(8)]
    grains = [cv2.merge([g, g, g]) for g in single]
    way = 1 if seed % 2 else -1
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=RATE, options={"preset": "veryfast", "crf": "20"})
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        stream.codec_context.thread_type = "FRAME"
        for number in range(round(seconds * RATE)):
            turn = cv2.getRotationMatrix2D((1280, 1280), way * number * 0.25, 1.0 + 0.001 * number)
            turn[0, 2] += width / 2 - 1280 + way * 2.3 * number % 200
            turn[1, 2] += height / 2 - 1280
            seen = cv2.warpAffine(base, turn, SIZE, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
            seen = cv2.add(seen, grains[number % 8], dtype=cv2.CV_8U)
            frame = av.VideoFrame.from_ndarray(np.asarray(seen, np.uint8), "rgb24")
            frame.pts, frame.time_base = number, Fraction(1, RATE)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return path
