"""The reel's sound on its own, as a file."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import cast

import av
import numpy as np
from av.audio.stream import AudioStream

from tempik.disk.writing import fresh_file
from tempik.errors import TempikError
from tempik.formats import CONTAINERS
from tempik.media.audio import Samples
from tempik.render.export_settings import Cancelled, Progress, frames_of_part
from tempik.render.mastering import BLOCK
from tempik.render.mixdown import Mixdown
from tempik.sounds.loudness import RATE, Loudness, Meter
from tempik.time import time_of
from tempik.timeline.timeline import Timeline

SUFFIXES = (".wav", ".flac")


def samples_of_part(timeline: Timeline, frames: range) -> tuple[int, int]:
    """Return the samples of the reel that sound while frames are shown."""
    return tuple(round(time_of(n, timeline.rate) * RATE) for n in (frames.start, frames.stop))  # type: ignore[return-value]


def part_of(mixdown: Mixdown, first: int, end: int, reel_level: bool = False) -> Iterator[Samples]:
    """Yield the mastered mix between two samples in blocks: brought to its loudness by itself, or, with `reel_level`, as loud as it is in
    the whole mix."""
    gain = mixdown.gain(None if reel_level else (first, end))
    for at in range(first, end, BLOCK):
        yield mixdown.mastered(at, min(at + BLOCK, end), gain)


def metered(blocks: Iterator[Samples], meter: Meter) -> Iterator[Samples]:
    """Yield blocks of sound as they are, measured."""
    for block in blocks:
        meter.add(block)
        yield block


def write_sound(
    timeline: Timeline,
    target: Path,
    part: tuple[float, float] | None = None,
    progress: Progress | None = None,
    cancel: threading.Event | None = None,
    reel_level: bool = False,
) -> Loudness:
    """Write the reel's sound, mastered, whole or not at all, and return how loud it is. 24 bits, so that nothing is added to quiet
    sound. Raises TempikError when it cannot be written, and Cancelled."""
    if target.suffix.lower() not in SUFFIXES:
        raise TempikError(f"{target} has no ending for sound; choose {' or '.join(SUFFIXES)}.")
    frames = frames_of_part(timeline, part)
    if not len(frames):
        raise TempikError("The reel has no length yet; nothing would be heard.")
    container = CONTAINERS[target.suffix.lower()]
    mixdown, meter = Mixdown(timeline), Meter()
    first, end = samples_of_part(timeline, frames)
    try:
        with fresh_file(target) as new, av.open(str(new.path), "w", format=container.name) as out:
            stream = cast(AudioStream, out.add_stream(container.sound, rate=RATE, layout="stereo"))
            stream.codec_context.format = "s32"
            sent = 0
            for block in metered(part_of(mixdown, first, end, reel_level), meter):
                if cancel is not None and cancel.is_set():
                    raise Cancelled
                whole = np.round(np.clip(block, -1, 1).astype(np.float64) * (2**23 - 1)).astype(np.int32) << 8
                frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(whole.reshape(1, -1)), "s32", "stereo")
                frame.sample_rate, frame.pts, frame.time_base = RATE, sent, Fraction(1, RATE)
                sent += len(block)
                out.mux(stream.encode(frame))
                if progress is not None:
                    progress(sent, end - first)
            out.mux(stream.encode(None))
    except (av.error.FFmpegError, OSError) as error:
        raise TempikError(
            f"{target} could not be written ({getattr(error, 'strerror', None) or error}); choose another place."
        ) from error
    return meter.found()
