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
from numpy.typing import NDArray

from tempik.errors import TempikError
from tempik.media.audio import sound_blocks
from tempik.media.cache import kept
from tempik.media.index import FrameIndex, index_frames
from tempik.media.opening import opened
from tempik.media.picture import from_frame
from tempik.media.probe import Cadence, cadence_of, repeat_marks

Array = NDArray[np.float64]
Small = NDArray[np.uint8]

LONGEST_PX = 200
LEAST_PX = 32  # on narrower strips the flow of OpenCV reads beyond its pictures, and the process dies
MOST = 12
APART_S = 0.2
# So many small frames are held at once, 130 MB; the next part begins with the last few of them.
PART_FRAMES, OVERLAP = 6000, 64
# How long before and after a frame is looked at to tell a change from what goes on.
AROUND_S = 0.12
TURN_S = 0.04
# Differences of fewer grey levels than this are noise and compression.
QUIET_LEVELS = 4
# What moves less than this, in shares of the width a second or grey levels a frame, stands still.
STILL_SPEED, STILL_CHANGE = 0.04, 0.15
# A camera whose picture moves by more from frame to frame is not held still.
HELD_PX = 0.3
SOUND_RATE = 16000
COURSE_S = 0.25
WEIGHTS = {"impact": 1.0, "stop": 0.8, "turn": 0.7, "sound": 0.6}


class Suggestion(NamedTuple):
    """An instant in seconds of the file's own clock, its score (1 and more is decisive), and what speaks for it most:
    impact, stop, turn or sound."""

    time_s: float
    score: float
    why: str


class Course(NamedTuple):
    """What goes on in a file, for each COURSE_S seconds of its own clock: how fast things move (shares of the width a second), how light
    it is (mean luma, 0 to 1) and how much detail it has (mean step between neighbouring samples, in grey levels)."""

    motion: tuple[float, ...] = ()
    light: tuple[float, ...] = ()
    detail: tuple[float, ...] = ()


class Study(NamedTuple):
    """What one look through a file finds: suggested cues, best first, the frames that repeat, and what goes on in it."""

    cues: tuple[Suggestion, ...]
    cadence: Cadence
    course: Course = Course()


def study(path: str, report: Callable[[float], None] | None = None) -> Study:
    """Look through a file once, or return what was found of the same contents before."""
    return kept(path, "study4", Study, lambda: _study(path, report or (lambda share: None)))


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
    return Study(tuple(_ranked(times, parts, interval, MOST)), cadence, _course(moves))


def _course(moves: _Moves) -> Course:
    """Return what goes on in a file step by step; a step without a frame goes on as the one before."""
    count = int(moves.at[-1] // COURSE_S) + 1
    step = np.clip((moves.at // COURSE_S).astype(int), 0, count - 1)
    frames = np.maximum(np.bincount(step, minlength=count), 1)
    out = []
    for values in (moves.speed, moves.light, moves.detail):
        means = np.bincount(step, values, count) / frames
        for n in np.flatnonzero(np.bincount(step, minlength=count) == 0):
            means[n] = means[n - 1] if n else 0.0
        out.append(tuple(round(float(v), 5) for v in means))
    return Course(*out)


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


class _Moves(NamedTuple):
    """For each distinct frame its time, how far it differs from the one before (grey levels), how fast things move to it
    (shares of the picture's width a second), how far that motion turns back, 0 to 1, and whether the camera was held
    still (1) or not (0)."""

    at: Array
    change: Array
    speed: Array
    turn: Array
    held: Array
    light: Array
    detail: Array


def _motion(path: str, index: FrameIndex, tell: Callable[[float], None]) -> tuple[_Moves, Array, Cadence]:
    """Return what moves in a file, of each distinct frame; the change once more, all 0 where the camera is not held still; and the
    cadence. A long file is gone through in parts, so that memory stays
    bounded: each begins with the last frames of the one before."""
    held_times: list[float] = []
    held: list[Small] = []
    times: list[float] = []
    differences: list[Array] = []
    parts: list[_Moves] = []
    for time_s, small in _small_frames(path, index, tell):
        held_times.append(time_s)
        held.append(small)
        times.append(time_s)
        if len(held) >= PART_FRAMES:
            begun = OVERLAP if parts else 0
            differences.append(_differences(held)[max(0, begun - 1) :])
            parts.append(_moves(held_times, held, begun))
            held_times, held = held_times[-OVERLAP:], held[-OVERLAP:]
    begun = OVERLAP if parts else 0
    if len(held) > begun and (parts or len(held) >= 3):
        differences.append(_differences(held)[max(0, begun - 1) :])
        parts.append(_moves(held_times, held, begun))
    if not parts:
        none = np.zeros(len(times))
        return _Moves(np.array(times), *([none] * 6)), none, Cadence(0, len(times), float(index.rate), "none")
    numbers = np.searchsorted(index.times_s, np.array(times[1:]) - index.tolerance_s)
    cadence = cadence_of(np.concatenate(differences), numbers, index)
    moves = _Moves(*(np.concatenate([p[i] for p in parts]) for i in range(7)))
    steady = np.zeros(len(moves.at)) if np.mean(moves.held == 0) > 0.1 else moves.change
    return moves, steady, cadence


def _differences(small: list[Small]) -> Array:
    """Return how far each frame differs from the one before, in grey levels."""
    return np.array([float(np.abs(b.astype(np.int16) - a).mean()) for a, b in zip(small, small[1:], strict=False)])


def _moves(times: list[float], frames: list[Small], begun: int) -> _Moves:
    """Return the motion of frames, but for the first `begun`, which another part has."""
    distinct = np.flatnonzero(np.concatenate([[True], ~repeat_marks(_differences(frames))]))
    small = [frames[i] for i in distinct]
    at = np.array(times)[distinct]
    flows = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    count = len(small)
    interval = max(float(np.median(np.diff(at))), 1e-3) if count > 1 else 1e-3
    gap = max(1, min(round(TURN_S / interval), OVERLAP // 4))
    change, speed, push = np.zeros(count), np.zeros(count), np.zeros(count)
    turned, flips, held = np.zeros(count), np.zeros(count), np.ones(count)
    width = small[0].shape[1]
    blank = np.zeros((*small[0].shape, 2), np.float32)
    fields: dict[int, NDArray[np.float32]] = {}
    for k in range(1, count):
        change[k] = float(np.abs(small[k].astype(np.int16) - small[k - 1]).mean())
        field = np.asarray(flows.calc(small[k - 1], small[k], blank.copy()), dtype=np.float32)
        camera = np.median(field.reshape(-1, 2), axis=0)  # what all of the picture does, the camera did
        field -= camera
        held[k] = float(np.abs(camera).max()) < HELD_PX
        field *= _moving(small[max(k - 1 - gap, 0)], small[min(k + gap, count - 1)])[..., None]
        lengths = np.sqrt((field**2).sum(axis=2)).ravel()
        top = max(1, lengths.size // 100)
        speed[k] = float(np.partition(lengths, -top)[-top:].mean()) / width / max(at[k] - at[k - 1], 1e-3)
        push[k] = float(np.sqrt((lengths**2).sum()))
        fields[k] = field
        last = fields.get(k - 1)
        if last is not None and push[k] * push[k - 1] > 0:
            flips[k - 1] = -float((last * field).sum()) / (push[k] * push[k - 1])
        # The motion well before a frame against that well after it: a turn is where they are opposite.
        before = fields.pop(k - 2 * gap, None)
        if before is not None and push[k] * push[k - 2 * gap] > 0:
            along = -float((before * field).sum()) / (push[k] * push[k - 2 * gap])
            turned[k - gap] = max(0.0, along - 0.25)
    strong = max(float(np.percentile(push, 90)), 0.004 * width * np.sqrt(small[0].size / 50))
    sides = np.sqrt(np.roll(push, gap) * np.roll(push, -gap)) / strong
    turn = _at_its_turn(turned * np.clip(sides, 0.0, 1.0), flips, gap)
    first = int(np.searchsorted(distinct, begun))
    light = np.array([float(p.mean()) / 255 for p in small])
    detail = np.array([float(np.abs(np.diff(p.astype(np.int16), axis=1)).mean()) for p in small])
    return _Moves(*(values[first:] for values in (at, change, speed, turn, held, light, detail)))


def _moving(a: NDArray[np.uint8], b: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Return 1 where two pictures differ by more than noise, and close to there."""
    differs = np.asarray(np.abs(a.astype(np.int16) - b) > QUIET_LEVELS, dtype=np.uint8)
    sure = cv2.morphologyEx(differs, cv2.MORPH_OPEN, np.ones((2, 2), np.uint8))
    return np.asarray(cv2.dilate(sure, np.ones((11, 11), np.uint8)), dtype=np.float32)


def _at_its_turn(turn: Array, flips: Array, gap: int) -> Array:
    """Return each turn on its one frame: where motion is opposite `gap` frames to either side, it is so for a few
    frames around; the turn is where the step to a frame and the step from it are the most opposite."""
    out = np.zeros(len(turn))
    k = 0
    while k < len(turn):
        if turn[k] <= 0:
            k += 1
            continue
        end = k
        while end < len(turn) and turn[end] > 0:
            end += 1
        near = range(max(1, k - 1), min(len(turn), end + 1))
        middle = round(float((np.arange(k, end) * turn[k:end]).sum() / turn[k:end].sum()))
        sharpest = max(near, key=lambda i: float(flips[i]))
        place = sharpest if flips[sharpest] > 0.2 else middle
        out[place] = float(turn[k:end].max())
        k = end
    return out


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
