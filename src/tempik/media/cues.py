"""Suggested cues: the instants of a piece of footage that look or sound decisive, the most decisive first.

Four things are looked for. An impact: the picture changes far more at one frame than just before it (frame
difference). A stop: what moved stands still from one frame to the next. A turn: it moves back the way it came (both
from dense optical flow: Kroeger et al., "Fast Optical Flow using Dense Inverse Search", 2016). A sound: an attack in
the clip's own sound. Where several meet on a frame they add up.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import av
import numpy as np

from tempik.errors import TempikError
from tempik.media.audio import sound_blocks
from tempik.media.cache import kept
from tempik.media.course import Course, course_of
from tempik.media.index import FrameIndex, index_frames
from tempik.media.motion import Array, Moves, Small, differences, joined, moves_of
from tempik.media.opening import opened
from tempik.media.picture import from_frame, reduced
from tempik.media.probe import Cadence, cadence_of

LONGEST_PX = 200
LEAST_PX = 32  # on narrower strips the flow of OpenCV reads beyond its pictures, and the process dies
MOST = 12
APART_S = 0.2
# So many small frames are held at once, 130 MB; the next part begins with the last few of them.
PART_FRAMES, OVERLAP = 6000, 64
# How long before and after a frame is looked at to tell a change from what goes on.
AROUND_S = 0.12
# What moves less than this, in shares of the width a second or grey levels a frame, stands still.
STILL_SPEED, STILL_CHANGE = 0.04, 0.15
SOUND_RATE = 16000
STUDY = "study10"  # what a study is kept as
WEIGHTS = {"impact": 1.0, "stop": 0.8, "turn": 0.7, "sound": 0.6}


class Suggestion(NamedTuple):
    """An instant in seconds of the file's own clock, its score (1 and more is decisive), and what speaks for it most:
    impact, stop, turn or sound."""

    time_s: float
    score: float
    why: str


class FootageStudy(NamedTuple):
    """What one look through a file finds: suggested cues, best first, the frames that repeat, and what goes on in it."""

    cues: tuple[Suggestion, ...]
    cadence: Cadence
    course: Course = Course()


def study(path: str, report: Callable[[float], None] | None = None) -> FootageStudy:
    """Look through a file once, or return what was found of the same contents before."""
    return kept(path, STUDY, FootageStudy, lambda: _study(path, report or (lambda share: None)))


def suggest_cues(path: str, report: Callable[[float], None] | None = None, most: int = MOST) -> list[Suggestion]:
    """Return the most decisive instants of a file, best first, each on its own frame's timestamp.

    `report` is called with the share done; it may raise to stop. Raises TempikError when there is no picture.
    """
    return list(study(path, report).cues[:most])


def _study(path: str, tell: Callable[[float], None]) -> FootageStudy:
    index = index_frames(path)
    watched = StudyBuilder(path, index)
    with opened(path) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        try:
            for number, frame in enumerate(container.decode(stream)):
                if frame.pts is not None:
                    watched.take(float(frame.pts * index.time_base) - index.origin_s, from_frame(frame).y)
                if number % 16 == 0:
                    tell(0.95 * number / max(len(index.pts), 1))
        except (av.error.FFmpegError, OSError):
            pass  # a broken tail has no cues
    return watched.study()


class StudyBuilder:
    """Looks at a file's frames, given one after the other. A long file is gone through in parts, so that memory stays bounded: each
    begins with the last frames of the one before."""

    def __init__(self, path: str, index: FrameIndex) -> None:
        self._path, self._index = path, index
        self._size: tuple[int, int] | None = None
        self._held_times: list[float] = []
        self._held: list[Small] = []
        self._times: list[float] = []
        self._unlike: list[Array] = []
        self._parts: list[Moves] = []

    def take(self, time_s: float, luma: Small) -> None:
        """Take the next frame's luma, of any size; all are looked at in the size of the first made small."""
        scale = LONGEST_PX / max(luma.shape)
        self._size = self._size or (
            max(LEAST_PX, round(luma.shape[1] * scale)),
            max(LEAST_PX, round(luma.shape[0] * scale)),
        )
        self._held.append(reduced(luma, self._size))
        self._held_times.append(time_s)
        self._times.append(time_s)
        if len(self._held) >= PART_FRAMES:
            self._end_part()
            self._held_times, self._held = self._held_times[-OVERLAP:], self._held[-OVERLAP:]

    def _end_part(self) -> None:
        begun = OVERLAP if self._parts else 0
        self._unlike.append(differences(self._held)[max(0, begun - 1) :])
        self._parts.append(moves_of(self._held_times, self._held, begun))

    def study(self) -> FootageStudy:
        """Return what was found in all that was taken."""
        if len(self._held) > (OVERLAP if self._parts else 2):
            self._end_part()
        index, times = self._index, self._times
        if not self._parts:
            return FootageStudy((), Cadence(0, len(times), float(index.rate), "none"))
        numbers = np.searchsorted(index.times_s, np.array(times[1:]) - index.tolerance_s)
        cadence = cadence_of(np.concatenate(self._unlike), numbers, index)
        moves = joined(self._parts)
        # What of the change there is where the camera is not held still, says nothing.
        steady = np.zeros(len(moves.at)) if np.mean(moves.held == 0) > 0.1 else moves.change
        if len(moves.at) < 3:
            return FootageStudy((), cadence)
        interval = float(np.median(np.diff(moves.at)))
        reach = max(1, round(AROUND_S / interval))
        parts = {
            "impact": _impacts(moves.change, reach),
            # Flow says what moves, the plain difference is the less noisy of the two between frames close in time.
            "stop": np.maximum(_stops(moves.speed, reach, STILL_SPEED), 0.7 * _stops(steady, reach, STILL_CHANGE)),
            "turn": moves.turn,
            "sound": _attacks(self._path, index, moves.at),
        }
        return FootageStudy(tuple(_ranked(moves.at, parts, interval, MOST)), cadence, course_of(moves))


def _before(values: Array, reach: int) -> Array:
    """Return the median of the `reach` values before each one."""
    padded = np.concatenate([np.full(reach, values[1] if len(values) > 1 else 0.0), values])
    windows = np.lib.stride_tricks.sliding_window_view(padded, reach)[: len(values)]
    return np.asarray(np.median(windows, axis=1), dtype=np.float64)


def _impacts(change: Array, reach: int) -> Array:
    """Return how far the change at each frame stands out from that just before it: 1 is eight times as much."""
    floor = 0.4 + 0.5 * float(np.median(change))
    usual = _before(change, reach)
    rise = np.log2((change + floor) / (usual + floor)) / 3
    weight = np.minimum(1.0, change / max(4.0, 0.5 * float(change.max(initial=0.0))))
    return np.asarray(np.maximum(rise, 0.0) * weight, dtype=np.float64)


def _stops(speed: Array, reach: int, still: float) -> Array:
    """Return how much of the motion up to each frame is gone after it, 0 to 1, weighed by how fast it was; a file whose
    fast passages are no faster than `still` has none."""
    fast = float(np.percentile(speed, 95))
    if fast < still:
        return np.zeros(len(speed))
    short = max(1, reach // 2)
    padded = np.concatenate([np.full(short, speed[0]), speed, np.full(short, speed[-1])])
    windows = np.lib.stride_tricks.sliding_window_view(padded, short)
    before = np.median(windows[1 : len(speed) + 1], axis=1)
    after = np.median(windows[short + 1 : short + 1 + len(speed)], axis=1)
    # The step itself must be sharp: what moves to this frame does not move on from it.
    following = np.concatenate([speed[1:], speed[-1:]])
    sharp = np.clip((speed - following) / fast, 0.0, 1.0)
    gone = np.clip((before - after) / fast, 0.0, 1.0)
    return np.asarray(np.sqrt(gone * sharp) * (gone > 0.15), dtype=np.float64)


def _attacks(path: str, index: FrameIndex, times: Array) -> Array:
    """Return how strongly the clip's own sound sets in at each frame, 0 to 1; silence and noise give 0."""
    out = np.zeros(len(times))
    hop = SOUND_RATE // 250
    powers, rest = [], np.empty(0, np.float32)
    try:
        for block in sound_blocks(path, SOUND_RATE, mono=True):
            samples = np.concatenate([rest, block[:, 0]])
            whole = len(samples) // hop * hop
            powers.append(np.square(samples[:whole], dtype=np.float64).reshape(-1, hop).mean(axis=1))
            rest = samples[whole:]
    except TempikError:
        return out
    power = np.concatenate(powers) if powers else np.empty(0)
    if len(power) < 20:
        return out
    level = 10 * np.log10(power + 1e-7)
    top = float(level.max())
    if top < -55:
        return out
    before = _before(level, 15)
    rise = np.clip((level - before - 6) / 24, 0.0, 1.0) * np.clip((level - top + 40) / 40, 0.0, 1.0)
    peaks = np.flatnonzero((rise > 0.15) & (rise >= np.roll(rise, 1)) & (rise >= np.roll(rise, -1)))
    for peak in peaks:
        at = (peak + 0.5) * hop / SOUND_RATE
        frame = int(np.searchsorted(times, at + index.tolerance_s, side="right")) - 1
        if 0 <= frame < len(out):
            out[frame] = max(out[frame], float(rise[peak]))
    return out


def _ranked(times: Array, parts: dict[str, Array], interval: float, most: int) -> list[Suggestion]:
    """Return the strongest frames, none within APART_S of a stronger one."""
    seen = sum(WEIGHTS[name] * parts[name] for name in ("impact", "stop", "turn"))
    heard = WEIGHTS["sound"] * parts["sound"]
    # Sound reaches a camera a little late, and its frame may be the next one: it speaks for the best frame near it.
    near = np.maximum(heard, np.maximum(np.roll(heard, -1), np.roll(heard, 1)))
    near[[0, -1]] = heard[[0, -1]]
    score = np.asarray(seen + np.where(np.asarray(seen) > 0.1, near, 0.4 * heard), dtype=np.float64)
    score[0] = 0.0
    apart = max(1, round(APART_S / interval))
    out: list[Suggestion] = []
    left = score.copy()
    while len(out) < most:
        best = int(left.argmax())
        if left[best] < 0.12:
            break
        why = max(parts, key=lambda name: WEIGHTS[name] * parts[name][best])
        out.append(Suggestion(float(times[best]), round(float(score[best]), 3), why))
        left[max(0, best - apart) : best + apart + 1] = 0.0
    return out
