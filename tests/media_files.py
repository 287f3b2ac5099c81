"""Media made for the tests: counted frames, clicks, and every way that a file can be odd or broken."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from tempik.media.scaling import converted

SOUND_RATE = 48000
Picture = Callable[[int], NDArray[np.uint8]]


def numbered(width: int, height: int, bits: int = 12) -> Picture:
    """Return pictures that carry their frame number as bars, read back by `number_in`, over a moving ground."""

    def draw(number: int) -> NDArray[np.uint8]:
        image = np.full((height, width, 3), 90, np.uint8)
        band = np.arange(width)[None, :] + 5 * number
        image[..., 1] = (60 + 40 * (band // 24 % 2)).astype(np.uint8)
        step = width // bits
        for bit in range(bits):
            image[height // 3 : 2 * height // 3, bit * step : (bit + 1) * step] = 220 if number >> bit & 1 else 30
        return image

    return draw


def number_in(luma: NDArray[np.uint8], bits: int = 12) -> int:
    """Return the frame number that a picture of `numbered` carries."""
    height, width = luma.shape
    row = luma[height // 2 - height // 12 : height // 2 + height // 12].mean(axis=0)
    ground = luma[: height // 4].mean()  # lies between dark and bright cells, under a flash too
    step = width / bits
    return sum(
        1 << bit for bit in range(bits) if row[int((bit + 0.3) * step) : int((bit + 0.7) * step)].mean() > ground
    )


def write_video(
    path: Path,
    picture: Picture,
    frames: int,
    rate: Fraction | int = 30,
    *,
    stamps_ms: Sequence[int] | None = None,
    sound: NDArray[np.float32] | None = None,
    rotate: int = 0,
    pixel_format: str = "yuv420p",
    gop: int = 30,
    aspect: Fraction | None = None,
) -> Path:
    """Write pictures as H.264. `stamps_ms` gives each frame's own time, for files of varying rate."""
    first = picture(0)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=rate, options={"preset": "ultrafast", "crf": "14"})
        stream.height, stream.width = first.shape[:2]
        stream.pix_fmt = pixel_format
        stream.codec_context.gop_size = gop
        if aspect is not None:
            stream.codec_context.sample_aspect_ratio = aspect
        if stamps_ms is not None:
            stream.time_base = stream.codec_context.time_base = Fraction(1, 1000)
        if rotate:
            stream.set_display_rotation(rotate)
        audio = container.add_stream("aac", rate=SOUND_RATE, layout="mono") if sound is not None else None
        for number in range(frames):
            frame = converted(av.VideoFrame.from_ndarray(picture(number), "rgb24"), pixel_format)
            frame.pts = number if stamps_ms is None else stamps_ms[number]
            frame.time_base = 1 / Fraction(rate) if stamps_ms is None else Fraction(1, 1000)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
        if audio is not None and sound is not None:
            _encode_sound(container, audio, sound)
    return path


def _encode_sound(container: av.container.OutputContainer, audio: av.AudioStream, sound: NDArray[np.float32]) -> None:
    for start in range(0, len(sound), 1024):
        block = av.AudioFrame.from_ndarray(np.ascontiguousarray(sound[None, start : start + 1024]), "fltp", "mono")
        block.sample_rate, block.pts, block.time_base = SOUND_RATE, start, Fraction(1, SOUND_RATE)
        container.mux(audio.encode(block))
    container.mux(audio.encode(None))


def write_sound(path: Path, samples: NDArray[np.float32]) -> Path:
    """Write mono samples at SOUND_RATE as 16-bit WAV."""
    import wave

    with wave.open(str(path), "wb") as out:
        out.setnchannels(1)
        out.setsampwidth(2)
        out.setframerate(SOUND_RATE)
        out.writeframes((np.clip(samples, -1, 1) * 32000).astype("<i2").tobytes())
    return path


def click_track(times_s: Sequence[float], length_s: float, downbeats: Sequence[int] = ()) -> NDArray[np.float32]:
    """Return clicks whose first sample is at each time, downbeats lower and louder, over a quiet noise floor."""
    rng = np.random.default_rng(5)
    out = (rng.standard_normal(round(length_s * SOUND_RATE)) * 3e-4).astype(np.float32)
    t = np.arange(int(0.05 * SOUND_RATE)) / SOUND_RATE
    for number, time_s in enumerate(times_s):
        low = number in downbeats
        hit = np.exp(-t / 0.012) * np.sin(2 * np.pi * (110 if low else 900) * t + np.pi / 2)
        if low:
            hit = hit + 0.6 * np.exp(-t / 0.008) * np.cos(2 * np.pi * 900 * t)
        at = round(time_s * SOUND_RATE)
        end = min(len(out), at + len(t))
        out[at:end] += (0.8 if low else 0.5) * hit[: end - at].astype(np.float32)
    return out


def beat_song(
    bpm: float, bars: int, first_s: float = 0.5, tail_s: float = 1.0
) -> tuple[NDArray[np.float32], list[float]]:
    """Return a click song in four and the times of its beats."""
    times = [first_s + i * 60 / bpm for i in range(bars * 4)]
    length = times[-1] + 60 / bpm + tail_s
    return click_track(times, length, downbeats=range(0, bars * 4, 4)), times
