"""Filmstrips: small pictures spread evenly over a file, decoded once."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.media.index import FrameIndex
from tempik.media.opening import opened
from tempik.media.picture import from_frame, shrunk, to_rgb

THUMB_LONGEST = 112
MOST_THUMBS = 360
# Longer files are sampled at their key frames, which need no decoding of what lies between.
DECODE_ALL_FRAMES = 1800


class Strip(NamedTuple):
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


def make_strip(path: str, index: FrameIndex, rotation_deg: int, stop: Callable[[], bool] | None = None) -> Strip:
    """Return a file's filmstrip, upright. `stop` is asked between frames; what was made until then is returned."""
    total = len(index.pts)
    keys_only = total > DECODE_ALL_FRAMES
    every = max(1, -(-(len(index.keys) if keys_only else total) // MOST_THUMBS))
    times: list[float] = []
    pictures: list[NDArray[np.uint8]] = []
    with opened(path) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        if keys_only:
            stream.codec_context.skip_frame = "NONKEY"
        try:
            for number, frame in enumerate(container.decode(stream)):
                if stop is not None and stop():
                    break
                if number % every == 0 and frame.pts is not None:
                    times.append(float(frame.pts * index.time_base) - index.origin_s)
                    small = to_rgb(shrunk(from_frame(frame), THUMB_LONGEST))
                    upright = _upright(small, rotation_deg)
                    if pictures and upright.shape != pictures[0].shape:  # the stream changed its size on the way
                        upright = np.asarray(
                            cv2.resize(upright, pictures[0].shape[1::-1], interpolation=cv2.INTER_AREA)
                        )
                    pictures.append(upright)
        except (av.error.FFmpegError, OSError):
            pass  # a broken tail has no thumbnails
    if not pictures:
        return Strip(np.zeros(1), np.zeros((1, THUMB_LONGEST, THUMB_LONGEST, 3), np.uint8))
    return Strip(np.array(times), np.stack(pictures))


_TURNS = {90: cv2.ROTATE_90_CLOCKWISE, 180: cv2.ROTATE_180, 270: cv2.ROTATE_90_COUNTERCLOCKWISE}


def _upright(picture: NDArray[np.uint8], rotation_deg: int) -> NDArray[np.uint8]:
    turn = _TURNS.get(rotation_deg % 360)
    return picture if turn is None else np.asarray(cv2.rotate(picture, turn), dtype=np.uint8)
