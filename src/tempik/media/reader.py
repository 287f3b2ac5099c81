"""Frames of a file by number, forward, backward and jumping, exactly.

The reader decodes forward from the nearest key frame and keeps what it has decoded, within a bound of bytes.
Going backward it decodes up to the wanted frame and keeps the stretch before it, so that a reverse decodes
each group of pictures about twice rather than once a frame.
"""

from __future__ import annotations

import os
from collections import OrderedDict
from collections.abc import Iterator

import av
import numpy as np
from av.container import InputContainer
from av.video.frame import VideoFrame

from tempik.errors import TempikError
from tempik.media.index import FrameIndex, index_frames
from tempik.media.meaning import AS_SAID, Colour
from tempik.media.opening import open_media
from tempik.media.picture import Picture, Plane, alpha_of, from_frame, shrunk

DEFAULT_CACHE_BYTES = 192 << 20
# Decoding on is cheaper than seeking while the wanted frame is no further than this past the next one.
RUN_ON_FRAMES = 24
# A file with more broken packets than this is given up on rather than read to its end.
MOST_BROKEN = 200
MOST_TRIES = 400  # places at which a frame is looked for that can be decoded


def _state(path: str) -> tuple[int, int]:
    try:
        found = os.stat(path)
    except OSError:
        return (0, 0)
    return found.st_size, found.st_mtime_ns


class FrameReader:
    """One file's frames. Not for use by two threads at once. Close it, or use it in a `with` statement."""

    def __init__(
        self,
        path: str,
        index: FrameIndex | None = None,
        cache_bytes: int = DEFAULT_CACHE_BYTES,
        longest_px: int | None = None,
        colour: Colour = AS_SAID,
    ) -> None:
        """`longest_px` shrinks what is kept so that the longer side is at most that, for previews. `colour` says how the
        file's values are meant where a person says otherwise than the file."""
        self.path = path
        self.index = index if index is not None else index_frames(path)
        self.cache_bytes = cache_bytes
        self._longest = longest_px
        self._colour = colour
        self._kept: OrderedDict[int, Picture] = OrderedDict()
        self.cached_bytes = 0
        self._alphas: OrderedDict[int, Plane] = OrderedDict()
        self._state = _state(path)
        self._container: InputContainer | None = None
        self._frames: Iterator[VideoFrame] | None = None
        self._next = -1  # the number of the frame that decoding yields next, -1 when unknown
        self._unreadable: set[int] = set()
        self._broken = 0  # packets that could not be decoded

    def __enter__(self) -> FrameReader:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the file and everything kept of it."""
        if self._container is not None:
            self._container.close()
        self._container = self._frames = None
        self._kept.clear()
        self.cached_bytes = 0
        self._next = -1

    @property
    def stale(self) -> bool:
        """Whether the file is no longer the one that was opened."""
        return _state(self.path) != self._state

    def alpha(self, number: int) -> Plane | None:
        """Return how far each sample of a frame just read covers what is below, 0 to 255; None where it all does."""
        return self._alphas.get(min(max(number, 0), len(self.index.pts) - 1))

    def at(self, time_s: float, backward: bool = False) -> Picture:
        """Return the frame on screen at source seconds; before the file its first frame, after it its last."""
        return self.frame(self.index.frame_at(time_s), backward)

    def frame(self, number: int, backward: bool = False) -> Picture:
        """Return frame `number`. `backward` says that lower numbers will be wanted next.

        A frame that cannot be decoded (a broken tail) is answered with the nearest earlier one that can.
        Raises TempikError when no frame of the file can be decoded.
        """
        number = min(max(number, 0), len(self.index.pts) - 1)
        kept = self._kept.get(number)
        if kept is not None and not (self._alphas and number not in self._alphas):
            self._kept.move_to_end(number)
            return kept
        for _ in range(MOST_TRIES):
            if number not in self._unreadable:
                self._decode_to(number, backward)
            if number in self._kept:
                return self._kept[number]
            self._unreadable.add(number)
            while number in self._unreadable and number not in self._kept:
                number -= 1
            if number < 0:
                break
            if number in self._kept:
                return self._kept[number]
        raise TempikError(f"{self.path} has no frame that can be decoded; copy it again or choose another file.")

    def _decode_to(self, number: int, backward: bool) -> None:
        behind = 0 <= self._next <= number <= self._next + RUN_ON_FRAMES
        if not behind:
            # The key frame to begin at: the last one at or before the wanted frame, going further back where
            # a file's marks turn out to lead past it.
            key = int(self.index.keys[max(0, int(np.searchsorted(self.index.keys, number, side="right")) - 1)])
            self._seek(key)
        begun = self._next if behind else key
        last: tuple[int, VideoFrame] | None = None
        first_wanted = number - self._stretch() + 1 if backward else number
        while True:
            frame = self._decode_next()
            if frame is None:
                # What lies between the last frame that could be decoded and the wanted one cannot be.
                self._unreadable.update(range(begun if last is None else last[0] + 1, number + 1))
                if last is not None:
                    self._keep(last[0], from_frame(last[1], self._colour))
                return
            here = self._number_of(frame)
            if here is None:
                continue
            self._next = here + 1
            last = here, frame
            if here >= first_wanted or here == number:
                self._keep(here, from_frame(frame, self._colour))
                clear = alpha_of(frame)
                if clear is not None:
                    self._alphas[here] = clear
                    while len(self._alphas) > 16:
                        self._alphas.popitem(last=False)
            if here >= number:
                return

    def _stretch(self) -> int:
        """How many frames the cache holds, by the size of one already kept."""
        if not self._kept:
            return 32
        return max(8, self.cache_bytes // next(iter(self._kept.values())).nbytes - 1)

    def _seek(self, key: int) -> None:
        try:
            if self._container is None:
                self._container = open_media(self.path)
                stream = self._container.streams.video[0]
                stream.thread_type = "AUTO"
            else:
                stream = self._container.streams.video[0]
            if key > 0 or self._frames is not None:
                self._container.seek(int(self.index.pts[key]), stream=stream, backward=True)
            self._frames = self._container.decode(stream)
        except (av.error.FFmpegError, OSError, IndexError):
            self._frames = None
        self._next = -1

    def _decode_next(self) -> VideoFrame | None:
        if self._frames is None:
            return None
        while True:
            try:
                return next(self._frames)
            except StopIteration:
                self._frames = None
                self._reset()
                return None
            except av.error.InvalidDataError:
                if self._container is None:
                    return None
                self._frames = self._container.decode(self._container.streams.video[0])
                self._broken += 1
                if self._broken > MOST_BROKEN:
                    return None
            except (av.error.FFmpegError, OSError):
                self._reset()
                return None

    def _reset(self) -> None:
        """Reopen at the next seek: a decoder that has been flushed gives nothing more."""
        if self._container is not None:
            self._container.close()
        self._container = self._frames = None
        self._next = -1

    def _number_of(self, frame: VideoFrame) -> int | None:
        if frame.pts is None:
            return None
        found = int(np.searchsorted(self.index.pts, frame.pts))
        return found if found < len(self.index.pts) and self.index.pts[found] == frame.pts else None

    def _keep(self, number: int, picture: Picture) -> None:
        if self._longest is not None:
            picture = shrunk(picture, self._longest)
        if number in self._kept:
            self.cached_bytes -= self._kept.pop(number).nbytes
        self._kept[number] = picture
        self.cached_bytes += picture.nbytes
        self.trim(self.cache_bytes)

    def trim(self, most: int) -> None:
        """Let go of the frames least recently used beyond `most` bytes, but for the last one."""
        while self.cached_bytes > most and len(self._kept) > 1:
            _, dropped = self._kept.popitem(last=False)
            self.cached_bytes -= dropped.nbytes
