"""The frames of a file by its own timestamps: when each comes on screen, and where decoding may begin."""

from __future__ import annotations

from fractions import Fraction
from typing import NamedTuple

import av
import numpy as np
from av.container import InputContainer
from av.video.stream import VideoStream
from numpy.typing import NDArray

from tempik.errors import TempikError
from tempik.media.opening import opened

# Rates that cameras and screens use. A measured mean within 0.05 % of one is taken to be it, since timestamps
# kept in milliseconds are that coarse over a short file.
_KNOWN_RATES = [
    Fraction(n, d)
    for n, d in (
        *((24000, 1001), (24, 1), (25, 1), (30000, 1001), (30, 1), (48, 1), (50, 1), (60000, 1001), (60, 1)),
        *((12, 1), (15, 1), (90, 1), (100, 1), (120000, 1001), (120, 1), (144, 1), (200, 1), (240, 1)),
    )
]
# A timestamp rounded to a millisecond, or a cue typed to one, must still find its own frame.
ROUNDING_S = 1e-3
# A picture in a quarter of an hour: slower footage is taken to have this rate.
SLOWEST = Fraction(1, 1001)
# Within this share of the way between two frames an instant is taken to be one of them.
EXACT = 0.02
# Two frames this many usual intervals apart are not two moments of one movement.
GAP = 4.0


class FrameIndex(NamedTuple):
    """Frames in the order they are shown. Times are seconds of the file's own clock, 0 where the file begins."""

    pts: NDArray[np.int64]
    times_s: NDArray[np.float64]
    keys: NDArray[np.int64]  # indices of frames that decoding may begin at
    end_s: float  # when the last frame leaves the screen
    origin_s: float  # the container's start, subtracted from every timestamp
    time_base: Fraction

    def frame_at(self, time_s: float) -> int:
        """Return the frame on screen at `time_s`; before the file its first, after it its last."""
        found = int(np.searchsorted(self.times_s, time_s + self.tolerance_s, side="right")) - 1
        return min(max(found, 0), len(self.times_s) - 1)

    def around(self, time_s: float) -> tuple[int, float]:
        """Return the frame on screen at `time_s` and how far on it lies to the next, 0 to below 1.

        It is 0 where a frame exists at the instant, outside the file, and over a gap in the timestamps.
        """
        number = self.frame_at(time_s)
        if number + 1 >= len(self.times_s):
            return number, 0.0
        gap_s = float(self.times_s[number + 1] - self.times_s[number])
        share = (time_s - float(self.times_s[number])) / gap_s
        if share < EXACT or gap_s > GAP * self.interval_s:
            return number, 0.0
        return (number + 1, 0.0) if share > 1 - EXACT else (number, share)

    @property
    def tolerance_s(self) -> float:
        """How far before its timestamp a frame is already taken to be on screen."""
        return min(ROUNDING_S, self.interval_s / 4)

    @property
    def interval_s(self) -> float:
        """The median time between frames."""
        return float(np.median(np.diff(self.times_s))) if len(self.times_s) > 1 else self.end_s - self.times_s[0]

    @property
    def rate(self) -> Fraction:
        """The true mean rate in frames/s, as a known rate where it is one."""
        if len(self.times_s) < 2:
            return max(Fraction(1 / max(self.end_s, 1e-3)).limit_denominator(1001), SLOWEST)
        span = float(self.times_s[-1] - self.times_s[0])
        mean = (len(self.times_s) - 1) / span if span > 0 else 1.0
        if not self.variable:  # the median ignores a dropped frame or two
            # Timestamps kept in milliseconds make the median coarse: only what they cannot explain counts.
            coarse = max(0.01, ROUNDING_S / self.interval_s)
            mean = 1 / self.interval_s if abs(mean * self.interval_s - 1) > coarse else mean
        nearest = min(_KNOWN_RATES, key=lambda r: abs(float(r) - mean))
        close = abs(float(nearest) / mean - 1) <= max(5e-4, 0.6 * ROUNDING_S / max(span, ROUNDING_S))
        return nearest if close else max(Fraction(mean).limit_denominator(1001), SLOWEST)

    @property
    def variable(self) -> bool:
        """Whether over 2 % of the intervals differ from the median by more than a quarter and 1.1 ms."""
        if len(self.times_s) < 3:
            return False
        steps = np.diff(self.times_s)
        middle = float(np.median(steps))
        odd = np.abs(steps - middle) > max(0.25 * middle, 1.1 * ROUNDING_S)
        return bool(np.mean(odd) > 0.02)


def index_frames(path: str) -> FrameIndex:
    """Read the timestamps of the first video stream without decoding it.

    Raises TempikError when there is no video stream or it has no frames. A tail that cannot be read is left out.
    """
    with opened(path) as container:
        if not container.streams.video:
            raise TempikError(f"{path} has no picture, only sound; add it as the song instead.")
        return index_stream(container, container.streams.video[0], path)


def index_stream(container: InputContainer, stream: VideoStream, path: str) -> FrameIndex:
    """Index one stream of an open container, which is left at its end. Raises TempikError for a track without a frame."""
    base = stream.time_base or Fraction(1, 90000)
    stamps: list[int] = []
    keys: list[int] = []
    last_duration = 0
    try:
        for packet in container.demux(stream):
            if packet.size == 0 or packet.is_discard or packet.is_corrupt:
                continue
            stamp = packet.pts if packet.pts is not None else packet.dts
            if stamp is None:
                continue
            stamps.append(stamp)
            if packet.is_keyframe:
                keys.append(stamp)
            if stamp == max(stamps[-32:]):
                last_duration = packet.duration or 0
    except (av.error.FFmpegError, OSError):
        pass  # a broken tail: what was read before it stands
    if not stamps:
        raise TempikError(f"{path} holds a video track without a single frame; copy it again or choose another file.")
    pts = np.unique(np.array(stamps, dtype=np.int64))
    origin = container.start_time / av.time_base if container.start_time is not None else 0.0
    times = np.asarray(pts * float(base) - origin, dtype=np.float64)
    if not last_duration and len(pts) > 1:
        last_duration = int(np.median(np.diff(pts)))
    end = float(times[-1]) + (last_duration * float(base) or 1 / 25)
    key_indices = np.unique(np.searchsorted(pts, np.array(keys or [pts[0]], dtype=np.int64)))
    return FrameIndex(pts, times, key_indices, end, origin, base)
