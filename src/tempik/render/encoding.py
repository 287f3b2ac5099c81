"""Which encoder writes a format, and how pictures are handed to it."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from fractions import Fraction
from functools import lru_cache
from typing import NamedTuple, cast

import av
import numpy as np
from av.container import OutputContainer
from av.filter import Graph
from av.video.codeccontext import VideoCodecContext
from av.video.frame import VideoFrame
from av.video.stream import VideoStream
from numpy.typing import NDArray

from tempik.formats import Format
from tempik.media.picture import Picture, Plane, to_frame, to_rgb
from tempik.media.scaling import converted

# Makers' parts of the names of encoders that run on a graphics chip, in the order in which they are tried.
CHIPS = ("nvenc", "qsv", "amf", "v4l2m2m")
# Bits a pixel of moving pictures for encoders that are told a rate rather than a quality; HEVC and AV1 need less of them.
CHIP_BITS = {"draft": 0.06, "standard": 0.13, "high": 0.26}
CHIP_SHARE = {"h264": 1.0, "hevc": 0.7, "av1": 0.6}
TRIAL_FRAMES = 12
# What of the largest rate of a limited file its mean is, and over how many seconds it may be exceeded.
PEAK, PEAK_S = 1.5, 1.5

# SVT-AV1 writes what it is to the terminal unless it is told to say only what went wrong.
os.environ.setdefault("SVT_LOG", "1")


class Encoder(NamedTuple):
    """An encoder by FFmpeg's name, with its options, the pixels that it takes, and its bit rate (None: by quality)."""

    name: str
    options: dict[str, str]
    pixels: str
    bit_rate: int | None = None
    hardware: bool = False
    tag: str = ""


def software(kind: Format, quality: str, bit_rate: int | None = None, clear: bool = False) -> Encoder:
    """Return the encoder that every machine has for a format; at a bit rate, where it is given."""
    pixels = kind.clear if clear and kind.clear else kind.pixels
    if bit_rate is None:
        return Encoder(kind.video, dict(kind.qualities[quality]), pixels, tag=kind.tag)
    options = dict(kind.limited or {})
    if kind.video in ("libx264", "libx265", "libvpx-vp9"):
        options |= {"maxrate": str(round(bit_rate * PEAK)), "bufsize": str(round(bit_rate * PEAK_S))}
    return Encoder(kind.video, options, pixels, bit_rate, tag=kind.tag)


def hardware(
    kind: Format, quality: str, size: tuple[int, int], rate: Fraction, bit_rate: int | None = None
) -> Encoder | None:
    """Return the first encoder on a graphics chip that really starts here for a format, None where none does. Each is tried once."""
    if not kind.hardware:
        return None
    wanted = bit_rate or round(
        CHIP_BITS[quality] * CHIP_SHARE.get(kind.hardware, 1.0) * size[0] * size[1] * float(rate)
    )
    for chip in CHIPS:
        name = f"{kind.hardware}_{chip}"
        pixels = starts(name, size)
        if pixels:
            return Encoder(name, {}, pixels, wanted, True, kind.tag)
    return None


@lru_cache(64)
def starts(name: str, size: tuple[int, int]) -> str:
    """Return the pixels with which an encoder really makes a packet of every frame here, '' where it does not."""
    try:
        known = {f.name for f in av.codec.Codec(name, "w").video_formats or ()}
    except (av.error.FFmpegError, ValueError, LookupError):
        return ""
    for pixels in ("yuv420p", "nv12"):
        if known and pixels not in known:
            continue
        try:
            context = cast(VideoCodecContext, av.codec.CodecContext.create(name, "w"))
            context.width, context.height, context.pix_fmt = *size, pixels
            context.framerate, context.time_base, context.bit_rate = Fraction(30), Fraction(1, 30), 4_000_000
            packets = 0
            black = VideoFrame.from_ndarray(np.zeros((size[1], size[0], 3), np.uint8), "rgb24").reformat(format=pixels)
            for number in range(TRIAL_FRAMES):
                black.pts, black.time_base = number, Fraction(1, 30)
                packets += len(context.encode(black))
            packets += len(context.encode(None))
        except (av.error.FFmpegError, ValueError, OSError):
            continue
        if packets == TRIAL_FRAMES:
            return pixels
    return ""


def opened(
    container: OutputContainer, encoder: Encoder, size: tuple[int, int], rate: Fraction, key_every: int
) -> VideoStream:
    """Add a stream of pictures to a container; its encoder opens when the container starts."""
    video = cast(VideoStream, container.add_stream(encoder.name, rate=rate, options=dict(encoder.options)))
    video.width, video.height = size
    video.pix_fmt = encoder.pixels
    video.time_base = 1 / rate
    context = video.codec_context
    if encoder.bit_rate is not None:
        context.bit_rate = encoder.bit_rate
    if encoder.tag:
        context.codec_tag = encoder.tag
    if encoder.pixels.startswith(("yuv", "nv")):
        context.gop_size = key_every
        context.color_range = 1
        context.colorspace = context.color_primaries = context.color_trc = 1
    context.thread_type = "FRAME"  # the binding's default of slices is slower and larger
    return video


Made = Callable[[VideoFrame | None], Iterator[VideoFrame]]


def encodable(picture: Picture, pixels: str, cover: Plane | None = None) -> VideoFrame:
    """Return a frame of the pixels that an encoder takes; `cover` is how far each sample covers what is below, where it is not all."""
    if pixels == "bgra":
        return VideoFrame.from_ndarray(rgba(picture, cover)[..., [2, 1, 0, 3]].copy(), "bgra")
    if pixels == "pal8":
        return VideoFrame.from_ndarray(to_rgb(picture), "rgb24")
    frame = to_frame(picture)
    if pixels == "yuv420p":
        return frame
    frame = converted(
        frame, pixels, src_colorspace=1, dst_colorspace=1, src_color_range=1, dst_color_range=1, threads=1
    )
    # Some encoders write into each frame what the frame says, whatever the file does: BT.709 for all three (ITU-T H.273).
    frame.colorspace = frame.color_primaries = frame.color_trc = 1
    if pixels.startswith("yuva"):
        _write_cover(frame, np.full(picture.y.shape, 255, np.uint8) if cover is None else cover)
    return frame


def _write_cover(frame: VideoFrame, cover: Plane) -> None:
    plane = frame.planes[3]
    ten = frame.format.components[3].bits == 10
    kind = np.uint16 if ten else np.uint8
    room = np.frombuffer(memoryview(plane), kind).reshape(plane.height, -1)
    values = np.round(cover.astype(np.float32) * (1023 / 255)).astype(np.uint16) if ten else cover
    room[:, : plane.width] = values


def rgba(picture: Picture, cover: Plane | None) -> NDArray[np.uint8]:
    """Return a picture as RGBA, shape (height, width, 4)."""
    rgb = to_rgb(picture)
    alpha = np.full(rgb.shape[:2], 255, np.uint8) if cover is None else cover
    return np.dstack([rgb, alpha])


def palettes(size: tuple[int, int], rate: Fraction) -> Made:
    """Return what gives frames of RGB palettes of 256 colours, each its own; it is told None at the end."""
    graph = Graph()
    source = graph.add_buffer(width=size[0], height=size[1], format=av.VideoFormat("rgb24"), time_base=1 / rate)
    split, sink = graph.add("split"), graph.add("buffersink")
    colours = graph.add("palettegen", "stats_mode=single")
    use = graph.add("paletteuse", "new=1:dither=sierra2_4a")
    source.link_to(split)
    split.link_to(use, 0, 0)
    split.link_to(colours, 1, 0)
    colours.link_to(use, 0, 1)
    use.link_to(sink)
    graph.configure()

    def made(frame: VideoFrame | None) -> Iterator[VideoFrame]:
        graph.push(frame)
        while True:
            try:
                out = cast(VideoFrame, graph.pull())
            except (av.error.BlockingIOError, av.error.EOFError):
                return
            out.time_base = 1 / rate
            yield out

    return made
