"""Filmstrips: small pictures spread evenly over a file, decoded once."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.media.cache import cache_folder, content_key, keep_entry, kept_entry
from tempik.media.index import FrameIndex
from tempik.media.opening import opened
from tempik.media.picture import Picture, from_frame, shrunk, to_rgb

VERSION = 1
THUMB_LONGEST = 112
MOST_JPEG = 65_000  # rows of a JPEG
MOST_THUMBS = 360
# Longer files are sampled at their key frames, which need no decoding of what lies between.
DECODE_ALL_FRAMES = 1800


class Filmstrip(NamedTuple):
    """Thumbnails in RGB, shape (count, height, width, 3), and the source seconds of each, in order."""

    times_s: NDArray[np.float64]
    pictures: NDArray[np.uint8]

    def nearest(self, time_s: float) -> int:
        """Return the number of the thumbnail nearest to an instant."""
        after = int(np.searchsorted(self.times_s, time_s))
        if after == 0:
            return 0
        if after == len(self.times_s) or time_s - self.times_s[after - 1] <= self.times_s[after] - time_s:
            return after - 1
        return after


class FilmstripMaker:
    """Makes a file's filmstrip, upright, of pictures that are given one after the other, about `total` of them."""

    def __init__(self, total: int, rotation_deg: int) -> None:
        self._every = max(1, -(-total // MOST_THUMBS))
        self._rotation_deg = rotation_deg
        self._number = 0
        self._times: list[float] = []
        self._pictures: list[NDArray[np.uint8]] = []

    def take(self, time_s: float, picture: Picture) -> None:
        """Take the next picture, of any size."""
        self._number += 1
        if (self._number - 1) % self._every:
            return
        upright = _upright(to_rgb(shrunk(picture, THUMB_LONGEST)), self._rotation_deg)
        if self._pictures and upright.shape != self._pictures[0].shape:  # the stream changed its size on the way
            size = self._pictures[0].shape[1::-1]
            upright = np.asarray(cv2.resize(upright, size, interpolation=cv2.INTER_AREA))
        self._times.append(time_s)
        self._pictures.append(upright)

    def filmstrip(self) -> Filmstrip:
        """Return the strip of what was taken; an empty picture where nothing was."""
        if not self._pictures:
            return Filmstrip(np.zeros(1), np.zeros((1, THUMB_LONGEST, THUMB_LONGEST, 3), np.uint8))
        return Filmstrip(np.array(self._times), np.stack(self._pictures))


def make_filmstrip(
    path: str,
    index: FrameIndex,
    rotation_deg: int,
    stop: Callable[[], bool] | None = None,
    keys_only: bool | None = None,
) -> Filmstrip:
    """Return a file's filmstrip, upright: of its key frames alone, which takes a moment, where `keys_only` says so or the file is
    long. `stop` is asked between frames; what was made until then is returned."""
    if keys_only is None:
        keys_only = len(index.pts) > DECODE_ALL_FRAMES
    made = FilmstripMaker(len(index.keys) if keys_only else len(index.pts), rotation_deg)
    with opened(path) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        if keys_only:
            stream.codec_context.skip_frame = "NONKEY"
        try:
            for frame in container.decode(stream):
                if stop is not None and stop():
                    break
                if frame.pts is not None:
                    made.take(float(frame.pts * index.time_base) - index.origin_s, from_frame(frame))
        except (av.error.FFmpegError, OSError):
            pass  # a broken tail has no thumbnails
    return made.filmstrip()


class _Kept(NamedTuple):
    """A strip as it is kept: its pictures one below the other, as JPEG."""

    times_s: tuple[float, ...]
    height: int
    jpeg: bytes


def cached_filmstrip(path: str, rotation_deg: int) -> Filmstrip | None:
    """Return the filmstrip that was made of a file's contents before, None where there is none."""
    found = kept_entry(_entry(path, rotation_deg), _Kept)
    if found is None:
        return None
    sheet = cv2.imdecode(np.frombuffer(found.jpeg, np.uint8), cv2.IMREAD_COLOR)
    if sheet is None or found.height < 1 or sheet.shape[0] != found.height * len(found.times_s):
        return None
    rgb = np.asarray(
        cv2.cvtColor(sheet, cv2.COLOR_BGR2RGB), np.uint8
    )  # turned about by strides it took as long as decoding
    return Filmstrip(np.array(found.times_s), rgb.reshape(len(found.times_s), found.height, sheet.shape[1], 3))


def keep_filmstrip(path: str, rotation_deg: int, filmstrip: Filmstrip) -> None:
    """Keep a filmstrip by its file's contents; one that cannot be kept is made again."""
    count, height, width, _ = filmstrip.pictures.shape
    if count * height > MOST_JPEG:
        return
    sheet = cv2.cvtColor(filmstrip.pictures.reshape(count * height, width, 3), cv2.COLOR_RGB2BGR)
    good, jpeg = cv2.imencode(".jpg", sheet, [cv2.IMWRITE_JPEG_QUALITY, 88])
    if good:
        keep_entry(_entry(path, rotation_deg), _Kept(tuple(map(float, filmstrip.times_s)), height, jpeg.tobytes()))


def _entry(path: str, rotation_deg: int) -> Path:
    return cache_folder() / "footage" / f"{content_key(path)}.strip{VERSION}-{rotation_deg % 360}"


_TURNS = {90: cv2.ROTATE_90_CLOCKWISE, 180: cv2.ROTATE_180, 270: cv2.ROTATE_90_COUNTERCLOCKWISE}


def _upright(picture: NDArray[np.uint8], rotation_deg: int) -> NDArray[np.uint8]:
    turn = _TURNS.get(rotation_deg % 360)
    return picture if turn is None else np.asarray(cv2.rotate(picture, turn), dtype=np.uint8)
