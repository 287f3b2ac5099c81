"""Writing pictures and sound into one file, both starting at 0."""

from __future__ import annotations

import threading
from collections.abc import Iterable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple, cast

import av
import numpy as np
from av.audio.stream import AudioStream
from av.container import OutputContainer
from av.packet import Packet
from av.video.frame import VideoFrame

from tempik.formats import Container
from tempik.media.audio import Samples
from tempik.render.ahead import WorkAhead
from tempik.render.encoding import Encoder, encodable, opened, palettes
from tempik.render.export_settings import Cancelled, Progress
from tempik.render.pictures import PictureSource
from tempik.render.plan import plan
from tempik.sounds.loudness import RATE
from tempik.timeline.timeline import Timeline

# Frames composed ahead of the encoder: enough to ride over a seek, few enough to stay small.
AHEAD = 6
ENCODED_AHEAD = 24  # packets of sound, half a second
ENCODED = 1024  # samples that are encoded at once
CACHE_BYTES = 192 << 20
KEY_EVERY_S = 2


class Film(NamedTuple):
    """What is to be written: frames of a reel in a size, by an encoder, with sound that comes in blocks (None: silent)."""

    timeline: Timeline
    frames: range
    size: tuple[int, int]
    encoder: Encoder
    sound: Iterator[Samples] | None
    sound_bit_rate: int | None = None
    clear: bool = False


class EncoderFailed(Exception):
    """The encoder of pictures gave up; what it said is the cause."""


def write_film(
    path: Path, container: Container, film: Film, progress: Progress | None, cancel: threading.Event
) -> None:
    """Write a film to `path`. Raises Cancelled, EncoderFailed, FFmpegError, OSError and TempikError; what is there then is
    the caller's to remove."""
    with av.open(str(path), "w", format=container.name, options=dict(container.options)) as out:
        _write(out, container, film, progress, cancel)


def _write(
    container: OutputContainer, kind: Container, film: Film, progress: Progress | None, cancel: threading.Event
) -> None:
    rate = film.timeline.rate
    video = opened(container, film.encoder, film.size, rate, max(1, round(KEY_EVERY_S * rate)))
    audio = None
    if film.sound is not None and kind.sound:
        audio = cast(AudioStream, container.add_stream(kind.sound, rate=RATE, layout="stereo"))
        audio.bit_rate = film.sound_bit_rate or kind.sound_bit_rate
    try:
        container.start_encoding()  # opens the encoders, before there are threads
    except (av.error.FFmpegError, ValueError) as error:
        raise EncoderFailed from error
    frames = WorkAhead(composed(film), AHEAD, "compose")
    packets = _encoded(audio, film.sound) if audio is not None and film.sound is not None else iter(())
    turned = palettes(film.size, rate) if film.encoder.pixels == "pal8" else _as_it_is

    def encode(frame: VideoFrame | None) -> None:
        try:
            made = [packet for one in turned(frame) for packet in video.encode(one)]
            container.mux(made if frame is not None else [*made, *video.encode(None)])
        except av.error.FFmpegError as error:
            # A disk that is full is told by its own number, and is no fault of the encoder.
            if not film.encoder.hardware:
                raise
            raise EncoderFailed from error

    with frames, WorkAhead(packets, ENCODED_AHEAD, "sound") as ready:
        heard = _Interleaved(container, iter(ready))
        for number, frame in enumerate(frames):
            if cancel.is_set():
                raise Cancelled
            frame.pts, frame.time_base = number, 1 / rate
            encode(frame)
            # Sound keeps a little ahead of the picture, so that the file is interleaved as it will be played.
            heard.until((number + 1) / rate + Fraction(1, 2))
            if progress is not None:
                progress(number + 1, len(film.frames))
        encode(None)
        heard.until(None)


def _as_it_is(frame: VideoFrame | None) -> Iterator[VideoFrame]:
    if frame is not None:
        yield frame


def composed(film: Film) -> Iterator[VideoFrame]:
    """Yield the frames of a film as its encoder takes them."""
    with PictureSource(CACHE_BYTES) as source:
        for number in film.frames:
            planned = plan(film.timeline, number, *film.size)
            picture, cover = source.render_clear(planned) if film.clear else (source.render(planned), None)
            yield encodable(picture, film.encoder.pixels, cover)


def _encoded(audio: AudioStream, blocks: Iterable[Samples]) -> Iterator[Packet[AudioStream]]:
    """Yield the packets of sound that comes in blocks of any length."""
    held: Samples = np.zeros((0, 2), np.float32)
    sent = 0
    step = audio.codec_context.frame_size or ENCODED
    for block in blocks:
        held = np.concatenate([held, block])
        while len(held) >= step:
            yield from audio.encode(_sound_frame(held[:step], sent))
            held, sent = held[step:], sent + step
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
