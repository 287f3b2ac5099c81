"""Suggested cues: the instants of a piece of footage that look or sound decisive, the most decisive first.

Four things are looked for. An impact: the picture changes far more at one frame than just before it (frame
difference). A stop: what moved stands still from one frame to the next. A turn: it moves back the way it came (both
from dense optical flow: Kroeger et al., "Fast Optical Flow using Dense Inverse Search", 2016). A sound: an attack in
the clip's own sound. Where several meet on a frame they add up.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

import av
import cv2
import numpy as np

from tempik.errors import TempikError
from tempik.media.audio import sound_blocks
from tempik.media.cache import kept
from tempik.media.course import Course, course_of
from tempik.media.index import FrameIndex, index_frames
from tempik.media.motion import Array, Moves, Small, differences, joined, moves_of
from tempik.media.opening import opened
from tempik.media.picture import from_frame
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
WEIGHTS = {"impact": 1.0, "stop": 0.8, "turn": 0.7, "sound": 0.6}


class Suggestion(NamedTuple):
    """An instant in seconds of the file's own clock, its score (1 and more is decisive), and what speaks for it most:
    impact, stop, turn or sound."""

    time_s: float
    score: float
    why: str


class Study(NamedTuple):
    """What one look through a file finds: suggested cues, best first, the frames that repeat, and what goes on in it."""

    cues: tuple[Suggestion, ...]
    cadence: Cadence
    course: Course = Course()


def study(path: str, report: Callable[[float], None] | None = None) -> Study:
    """Look through a file once, or return what was found of the same contents before."""
    return kept(path, "study5", Study, lambda: _study(path, report or (lambda share: None)))


def suggest_cues(path: str, report: Callable[[float], None] | None = None, most: int = MOST) -> list[Suggestion]:
    """Return the most decisive instants of a file, best first, each on its own frame's timestamp.

    `report` is called with the share done; it may raise to stop. Raises TempikError when there is no picture.
    """
    return list(study(path, report).cues[:most])


def _study(path: str, tell: Callable[[float], None]) -> Study:
    index = index_frames(path)
    moves, steady, cadence = _motion(path, index, tell)
    times, change, speed, turn = moves.at, moves.change, moves.speed, moves.turn
    if len(times) < 3:
        return Study((), cadence)
    interval = float(np.median(np.diff(times)))
    reach = max(1, round(AROUND_S / interval))
    parts = {
        "impact": _impacts(change, reach),
        # Flow says what moves, the plain difference is the less noisy of the two between frames close in time.
        "stop": np.maximum(_stops(speed, reach, STILL_SPEED), 0.7 * _stops(steady, reach, STILL_CHANGE)),
        "turn": turn,
        "sound": _attacks(path, index, times),
    }
    return Study(tuple(_ranked(times, parts, interval, MOST)), cadence, course_of(moves))


def _small_frames(path: str, index: FrameIndex, tell: Callable[[float], None]) -> Iterator[tuple[float, Small]]:
    """Yield every frame's time and its luma made small, all of one size."""
    total = max(len(index.pts), 1)
    size: tuple[int, int] | None = None
    with opened(path) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        try:
            for number, frame in enumerate(container.decode(stream)):
                if frame.pts is None:
                    continue
                luma = from_frame(frame).y
                scale = LONGEST_PX / max(luma.shape)
                size = size or (
                    max(LEAST_PX, round(luma.shape[1] * scale)),
                    max(LEAST_PX, round(luma.shape[0] * scale)),
                )
                small = np.asarray(cv2.resize(luma, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
                yield float(frame.pts * index.time_base) - index.origin_s, small
                if number % 16 == 0:
                    tell(0.95 * number / total)
        except (av.error.FFmpegError, OSError):
            pass  # a broken tail has no cues


def _motion(path: str, index: FrameIndex, tell: Callable[[float], None]) -> tuple[Moves, Array, Cadence]:
    """Return what moves in a file, of each distinct frame; the change once more, all 0 where the camera is not held still; and the
    cadence. A long file is gone through in parts, so that memory stays
    bounded: each begins with the last frames of the one before."""
    held_times: list[float] = []
    held: list[Small] = []
    times: list[float] = []
    unlike: list[Array] = []
    parts: list[Moves] = []
    for time_s, small in _small_frames(path, index, tell):
        held_times.append(time_s)
        held.append(small)
        times.append(time_s)
        if len(held) >= PART_FRAMES:
            begun = OVERLAP if parts else 0
            unlike.append(differences(held)[max(0, begun - 1) :])
            parts.append(moves_of(held_times, held, begun))
            held_times, held = held_times[-OVERLAP:], held[-OVERLAP:]
    begun = OVERLAP if parts else 0
    if len(held) > begun and (parts or len(held) >= 3):
        unlike.append(differences(held)[max(0, begun - 1) :])
        parts.append(moves_of(held_times, held, begun))
    if not parts:
        none = np.zeros(len(times))
        return Moves(np.array(times), *([none] * 12)), none, Cadence(0, len(times), float(index.rate), "none")
    numbers = np.searchsorted(index.times_s, np.array(times[1:]) - index.tolerance_s)
    cadence = cadence_of(np.concatenate(unlike), numbers, index)
    moves = joined(parts)
    steady = np.zeros(len(moves.at)) if np.mean(moves.held == 0) > 0.1 else moves.change
    return moves, steady, cadence


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
