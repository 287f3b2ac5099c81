"""Proxies: smaller files in which every frame stands by itself, so that any frame is shown at once.

A proxy has the frames of its file under their own timestamps, in the pipeline's own pixels. It is for looking only: an
export never reads one.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.container import OutputContainer

from tempik.disk.reading import is_regular
from tempik.disk.writing import fresh_file, make_folders, remove
from tempik.errors import TempikError
from tempik.media.cache import MOST_BYTES, cache_folder, content_key, make_room
from tempik.media.index import FrameIndex, index_frames
from tempik.media.opening import opened
from tempik.media.picture import Picture, from_frame, shrunk, to_frame

VERSION = 2
LONGEST_PX = 1280
# Where half the size has a shorter side than this the proxy is larger: the preview of a laptop shows it without enlarging it much.
CLEAR_PX = 540
# Smaller footage than this is read as fast as a proxy of it would be.
WORTH_PX = 700


def worth_a_proxy(width: int, height: int, index: FrameIndex) -> bool:
    """Tell whether scrubbing gains by a proxy: large pictures, or frames that lean on others over a long stretch."""
    if len(index.pts) < 2:
        return False
    apart = len(index.pts) / max(len(index.keys), 1)
    longest = max(width, height)
    return longest > WORTH_PX and (apart > 4 or longest > 1920)


def proxies_folder() -> Path:
    """Return where proxies are kept."""
    return cache_folder() / "proxies"


def proxy_path(path: str) -> Path:
    """Return where the proxy of a file's contents lies, made or not."""
    return proxies_folder() / f"{content_key(path)}.v{VERSION}.mp4"


def sound_proxy(path: str, proxy: Path, index: Callable[[str], FrameIndex] = index_frames) -> bool:
    """Tell whether a proxy is there and can be read; one that is damaged is thrown away, to be made again. It may end
    sooner than its file, where that is broken. `index` gives a file's index, where those are kept."""
    if not is_regular(proxy):
        return False
    try:
        there, meant = index(str(proxy)), index(path)
        with opened(str(proxy)) as container:
            first = next(iter(container.decode(container.streams.video[0])), None)
        if first is not None and 0 < len(there.pts) <= len(meant.pts) and len(there.keys) == len(there.pts):
            return True
    except (TempikError, av.error.FFmpegError, OSError, IndexError):
        pass
    try:
        remove(proxy)
    except OSError:
        pass  # it is looked past; the next attempt may be luckier
    return False


def make_proxy(path: str, report: Callable[[float], None] | None = None, most_bytes: int = MOST_BYTES) -> Path:
    """Make a file's proxy, or return the one there is.

    `report` is called with the share done; it may raise to stop, and nothing half-made is left. Raises TempikError
    when the file cannot be read or the disk is full. A frame that cannot be decoded repeats the one before it.
    """
    target = proxy_path(path)
    if sound_proxy(path, target):
        os.utime(target)  # used now: the last to go when room is made
        return target
    index = index_frames(path)
    with new_proxy(path, index, most_bytes) as proxy, opened(path) as source:
        read = source.streams.video[0]
        read.thread_type = "AUTO"
        size = 0
        try:
            for number, frame in enumerate(source.decode(read)):
                if frame.pts is not None:
                    picture = from_frame(frame)
                    size = size or proxy_longest(picture)
                    proxy.take(frame.pts, shrunk(picture, size))
                if report is not None and number % 8 == 0:
                    report(number / len(index.pts))
        except av.error.InvalidDataError:
            pass  # a broken tail: the proxy ends where the file can be read, and the file itself is read after it
    return target


@contextmanager
def new_proxy(path: str, index: FrameIndex, most_bytes: int = MOST_BYTES) -> Iterator[ProxyWriter]:
    """Give what writes a file's proxy, which is there when the block ends well. Raises TempikError when there was no frame, or the disk
    is full."""
    target = proxy_path(path)
    try:
        make_folders(target.parent)
        make_room(target.parent, most_bytes, keep=lambda p: p.suffix == ".part")
        with fresh_file(target) as new, av.open(str(new.path), "w", format="mp4") as out:
            writer = ProxyWriter(out, index)
            yield writer
            writer.finish(path)
    except OSError as error:
        raise TempikError(
            f"No proxy of {path} could be made in {target.parent} ({error.strerror or error}); "
            "free some space there. The footage can be used all the same."
        ) from error


def proxy_longest(picture: Picture) -> int:
    """Return how long the longer side of a whole picture's proxy is."""
    shorter, longer = min(picture.size), max(picture.size)
    scale = max(0.5, min(1.0, CLEAR_PX / shorter))
    # A side that is odd cannot be coded as it is: a little smaller, both become even.
    most = longer - 1 if shorter % 2 or longer % 2 else longer
    return min(LONGEST_PX, most, round(longer * scale / 2) * 2)


class ProxyWriter:
    """Writes a file's frames, made small, each under its own timestamp and by itself."""

    def __init__(self, out: OutputContainer, index: FrameIndex) -> None:
        options = {"preset": "ultrafast", "tune": "fastdecode", "crf": "23", "threads": "2"}
        video = out.add_stream("libx264", rate=max(index.rate, Fraction(1)), options=options)
        video.pix_fmt = "yuv420p"
        video.codec_context.gop_size = 1
        video.codec_context.color_range = 1
        video.codec_context.colorspace = video.codec_context.color_primaries = video.codec_context.color_trc = 1
        self._base = Fraction(index.time_base)
        video.time_base = video.codec_context.time_base = self._base
        self._out, self._video, self._index, self._done = out, video, index, 0
        self._first = int(index.pts[0])

    def take(self, pts: int, picture: Picture) -> Picture | None:
        """Take the next frame, of which the first is as small as the proxy is to be; return it as it was written, None where the
        index does not know it."""
        number = int(np.searchsorted(self._index.pts, pts))
        if number >= len(self._index.pts) or self._index.pts[number] != pts or self._done >= len(self._index.pts):
            return None
        if self._done == 0:
            self._video.width, self._video.height = picture.size
        small = shrunk(picture, max(self._video.width, self._video.height))
        made = to_frame(small)
        made.time_base, made.pts = self._base, int(pts) - self._first
        self._out.mux(self._video.encode(made))
        self._done += 1
        return small

    def finish(self, path: str) -> None:
        """Write what is held back. Raises TempikError where there was no frame."""
        if not self._done:
            raise TempikError(f"{path} has no frame that can be decoded; choose another file.")
        self._out.mux(self._video.encode(None))
