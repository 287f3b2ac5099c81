"""Writing the reel: H.264 and AAC in MP4, both starting at 0, all of the file or none of it."""

from __future__ import annotations

import errno
import os
import threading
from collections.abc import Callable, Iterable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple, cast

import av
import numpy as np
from av.audio.stream import AudioStream
from av.container import OutputContainer
from av.packet import Packet
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from tempik.disk.reading import is_regular
from tempik.disk.writing import fresh_file
from tempik.errors import TempikError
from tempik.formats import Format, format_of
from tempik.grade.cube import lut_of
from tempik.media.audio import Samples
from tempik.media.picture import to_frame
from tempik.render.ahead import Ahead
from tempik.render.mixdown import Mixdown
from tempik.render.pictures import PictureSource
from tempik.render.plan import plan
from tempik.render.takes import said_of_sounds
from tempik.sounds.loudness import RATE, Loudness, Meter
from tempik.time import time_of
from tempik.timeline.covering import gaps
from tempik.timeline.grading import luts_of
from tempik.timeline.inside import placed_within
from tempik.timeline.timeline import Timeline

# Frames composed ahead of the encoder: enough to ride over a seek, few enough to stay small.
AHEAD = 6
ENCODED_AHEAD = 24  # packets of sound, half a second
ENCODED = 1024  # samples that are encoded at once
EXPORT_CACHE_BYTES = 192 << 20
Progress = Callable[[int, int], None]


class Settings(NamedTuple):
    """How to write: size in pixels (None: the reel's own) and one of the format's qualities."""

    size: tuple[int, int] | None = None
    quality: str = "standard"


class Cancelled(Exception):
    """The person stopped the export; nothing of it is left."""


def export(
    timeline: Timeline,
    target: Path,
    settings: Settings = Settings(),
    progress: Progress | None = None,
    cancel: threading.Event | None = None,
    heard: Callable[[Loudness], None] | None = None,
) -> list[str]:
    """Write the reel to `target` and return sentences on what a person should know of it; `heard` is told how loud it is.

    Progress is called with frames done and frames in all. Raises Cancelled when `cancel` is set, and TempikError
    when the reel or the target is not fit; either way nothing half-written stays and an older file is untouched.
    """
    kind = _check_fit(timeline, target, settings)
    width, height = settings.size or (timeline.reel.width, timeline.reel.height)
    cancel = cancel or threading.Event()
    meter = Meter()
    sound = _metered(Mixdown(timeline).blocks(), meter)
    try:
        with fresh_file(target) as new:
            options = dict(kind.container_options)
            with av.open(str(new.path), "w", format=kind.container, options=options) as container:
                _write(container, kind, timeline, (width, height), sound, settings.quality, progress, cancel)
    except (av.error.FFmpegError, OSError) as error:
        raise TempikError(_write_failure(target, error)) from error
    if heard is not None:
        heard(meter.found())
    return said_of_sounds(timeline) + [
        f"No clip covers {time_of(first, timeline.rate):.2f} to {time_of(end, timeline.rate):.2f} s: black there."
        for first, end in gaps(timeline)
    ]


def _check_fit(timeline: Timeline, target: Path, settings: Settings) -> Format:
    """Return the format to write. Raises TempikError where the reel, the target or the settings are not fit."""
    if timeline.frames < 1 or not timeline.placed:
        raise TempikError("The reel has no clips yet; draft it or place some before exporting.")
    kind = format_of(target)
    if settings.quality not in kind.qualities:
        raise TempikError(f"There is no quality '{settings.quality}'; choose from {', '.join(kind.qualities)}.")
    if settings.size and any(not 16 <= s <= 8192 or s % 2 for s in settings.size):
        raise TempikError("The size must be two even numbers from 16 to 8192, such as 1080x1920.")
    if not target.absolute().parent.is_dir():
        raise TempikError(f"The folder {target.absolute().parent} is not there; choose another place.")
    if target.is_dir():
        raise TempikError(f"{target} is a folder; give the name of a file in it.")
    song = timeline.reel.soundtrack
    sources = ([song.path] if song is not None else []) + [
        p.footage.path for p in placed_within(timeline) if not p.footage.without_file
    ]
    sources += luts_of(timeline)
    sounds = [s.path for s in timeline.reel.sounds]
    if any(os.path.realpath(s) == os.path.realpath(target) for s in sources + sounds):
        raise TempikError(f"{target} is a source of this reel and would be lost; choose another name.")
    gone = [s for s in dict.fromkeys(sources) if not is_regular(s)]
    if gone:
        more = f" (and {len(gone) - 1} more)" if len(gone) > 1 else ""
        raise TempikError(f"{gone[0]} is missing{more}; open the project in the window and say where it is.")
    for path in luts_of(timeline):
        lut_of(path)  # one that is damaged is said before anything is written
    return kind


def _write_failure(target: Path, error: Exception) -> str:
    number = getattr(error, "errno", None)
    if number == errno.ENOSPC:
        return f"{target} could not be written: no space is left there; free some or choose another place."
    if number in (errno.EACCES, errno.EPERM, errno.EROFS):
        return f"{target} could not be written: there is no permission to write there; choose another place."
    return f"{target} could not be written ({getattr(error, 'strerror', None) or error}); choose another place."


def _write(
    container: OutputContainer,
    kind: Format,
    timeline: Timeline,
    size: tuple[int, int],
    sound: Iterator[Samples],
    quality: str,
    progress: Progress | None,
    cancel: threading.Event,
) -> None:
    rate = timeline.rate
    video = cast(VideoStream, container.add_stream(kind.video, rate=rate, options=dict(kind.qualities[quality])))
    video.width, video.height = size
    video.pix_fmt = kind.pixels
    video.time_base = 1 / rate
    video.codec_context.gop_size = max(1, round(2 * rate))
    video.codec_context.color_range = 1
    video.codec_context.colorspace = video.codec_context.color_primaries = video.codec_context.color_trc = 1
    video.codec_context.thread_type = "FRAME"  # the binding's default of slices is slower and larger
    audio = cast(AudioStream, container.add_stream(kind.sound, rate=RATE, layout="stereo"))
    audio.bit_rate = kind.sound_bit_rate
    container.start_encoding()  # opens the encoders, before there are threads
    composing = Ahead(_composed(timeline, size), AHEAD, "compose")
    with composing, Ahead(_encoded(audio, sound), ENCODED_AHEAD, "sound") as packets:
        heard = _Interleaved(container, iter(packets))
        for number, frame in enumerate(composing):
            if cancel.is_set():
                raise Cancelled
            frame.pts, frame.time_base = number, 1 / rate
            container.mux(video.encode(frame))
            # Sound keeps a little ahead of the picture, so that the file is interleaved as it will be played.
            heard.until((number + 1) / rate + Fraction(1, 2))
            if progress is not None:
                progress(number + 1, timeline.frames)
        container.mux(video.encode(None))
        heard.until(None)


def _composed(timeline: Timeline, size: tuple[int, int]) -> Iterator[VideoFrame]:
    with PictureSource(EXPORT_CACHE_BYTES) as source:
        for number in range(timeline.frames):
            yield to_frame(source.render(plan(timeline, number, *size)))


def _metered(blocks: Iterator[Samples], meter: Meter) -> Iterator[Samples]:
    """Yield blocks of sound as they are, measured."""
    for block in blocks:
        meter.add(block)
        yield block


def _encoded(audio: AudioStream, blocks: Iterable[Samples]) -> Iterator[Packet[AudioStream]]:
    """Yield the packets of sound that comes in blocks of any length."""
    held: Samples = np.zeros((0, 2), np.float32)
    sent = 0
    for block in blocks:
        held = np.concatenate([held, block])
        while len(held) >= ENCODED:
            yield from audio.encode(_sound_frame(held[:ENCODED], sent))
            held, sent = held[ENCODED:], sent + ENCODED
    if len(held):
        yield from audio.encode(_sound_frame(held, sent))
    yield from audio.encode(None)


def _sound_frame(part: Samples, first: int) -> av.AudioFrame:
    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(part.T), "fltp", "stereo")
    frame.sample_rate, frame.pts, frame.time_base = RATE, first, Fraction(1, RATE)
    return frame


class _Interleaved:
    """Writes packets of sound as far as the picture has come."""

    def __init__(self, container: OutputContainer, packets: Iterator[Packet[AudioStream]]) -> None:
        self._container = container
        self._packets = packets
        self._next: Packet[AudioStream] | None = next(packets, None)

    def until(self, at_s: Fraction | None) -> None:
        """Write what begins before `at_s` seconds and is not written yet; all that is left where it is None."""
        while self._next is not None and (at_s is None or _begin_s(self._next) < at_s):
            self._container.mux(self._next)
            self._next = next(self._packets, None)


def _begin_s(packet: Packet[AudioStream]) -> Fraction:
    return (packet.pts or 0) * (packet.time_base or Fraction(1, RATE))
