"""What moves in footage, frame by frame: how fast, which way, about which place, and whether the camera was held, all from small pictures
and dense optical flow (Kroeger et al., "Fast Optical Flow using Dense Inverse Search", 2016)."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from tempik.media.probe import repeat_marks

Array = NDArray[np.float64]
Small = NDArray[np.uint8]
Field = NDArray[np.float32]

TURN_S, MOST_GAP = 0.04, 16
# Differences of fewer grey levels than this are noise and compression.
QUIET_LEVELS = 4
# Where less of the picture than this share changes, something passes before a plain ground: what moves all of it the flow makes up
# there. Of jolts by 1 to 4 % of the width it leaves 95 %.
LEAST_JOLTED = 0.03
# A camera whose picture moves by more from frame to frame is not held still.
HELD_PX = 0.3


class Moves(NamedTuple):
    """For each distinct frame its time, how far it differs from the one before (grey levels), how fast things move to it
    (shares of the picture's width a second), how far that motion turns back, 0 to 1, and whether the camera was held
    still (1) or not (0); how light it is (mean luma, 0 to 1) and how much detail it has (mean step between neighbouring samples, in
    grey levels); the middle of what moves (`x`, `y`, shares of the picture's width and height), which way the eye sees things go (`across`
    to the right, `down`, shares of the width a second), how far the camera jerks (shares of the width from frame to frame), and
    how much moves in all."""

    at: Array
    change: Array
    speed: Array
    turn: Array
    held: Array
    light: Array
    detail: Array
    x: Array
    y: Array
    across: Array
    down: Array
    jerk: Array
    push: Array


def joined(parts: list[Moves]) -> Moves:
    """Return the motion of parts that follow each other as one."""
    return Moves(*(np.concatenate(values) for values in zip(*parts, strict=True)))


def differences(small: list[Small]) -> Array:
    """Return how far each frame differs from the one before, in grey levels."""
    return np.array([_apart(a, b) for a, b in zip(small, small[1:], strict=False)])


def _apart(a: Small, b: Small) -> float:
    """Return how far two pictures of one size differ, in grey levels."""
    return float(cv2.norm(a, b, cv2.NORM_L1)) / a.size


def moves_of(times: list[float], frames: list[Small], begun: int = 0) -> Moves:
    """Return the motion of frames, but for the first `begun`, which another part has."""
    distinct = np.flatnonzero(np.concatenate([[True], ~repeat_marks(differences(frames))]))
    small = [frames[i] for i in distinct]
    at = np.array(times)[distinct]
    count = len(small)
    interval = max(float(np.median(np.diff(at))), 1e-3) if count > 1 else 1e-3
    gap = max(1, min(round(TURN_S / interval), MOST_GAP))
    seen = _Seen(small, at, gap)
    for k in range(1, count):
        seen.step(k)
    strong = max(float(np.percentile(seen.push, 90)), 0.004 * small[0].shape[1] * np.sqrt(small[0].size / 50))
    sides = np.sqrt(np.roll(seen.push, gap) * np.roll(seen.push, -gap)) / strong
    turn = _at_its_turn(seen.turned * np.clip(sides, 0.0, 1.0), seen.flips, gap)
    light = np.array([float(p.mean()) / 255 for p in small])
    detail = np.array([_apart(p[:, :-1], p[:, 1:]) for p in small])
    first = int(np.searchsorted(distinct, begun))
    jerk = _jerks(seen.camera, seen.differs)
    made = Moves(
        at, seen.change, seen.speed, turn, seen.held, light, detail, seen.x, seen.y, seen.across, seen.down, jerk, seen.push
    )  # fmt: skip
    return Moves(*(values[first:] for values in made))


class _Seen:
    """What is seen from frame to frame, filled step by step."""

    def __init__(self, small: list[Small], at: Array, gap: int) -> None:
        count = len(small)
        self.small, self.at, self.gap = small, at, gap
        self.change, self.speed, self.push = np.zeros(count), np.zeros(count), np.zeros(count)
        self.turned, self.flips, self.held = np.zeros(count), np.zeros(count), np.ones(count)
        self.x, self.y = np.full(count, 0.5), np.full(count, 0.5)
        self.across, self.down = np.zeros(count), np.zeros(count)
        self.camera = np.zeros((count, 2))  # shares of the width from frame to frame
        self.differs = np.zeros(count)  # how much of the picture does, a share
        self._flows = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
        self._blank = np.zeros((*small[0].shape, 2), np.float32)
        self._fields: dict[int, Field] = {}

    def step(self, k: int) -> None:
        """Look at the step from the frame before to frame k."""
        small, gap = self.small, self.gap
        self.change[k] = _apart(small[k - 1], small[k])
        self.differs[k] = np.count_nonzero(_differing(small[k - 1], small[k])) / small[k].size
        both = np.asarray(self._flows.calc(small[k - 1], small[k], self._blank.copy()), dtype=np.float32)
        across, down = cv2.split(both)  # each by itself, so that what follows runs over whole rows
        camera = np.array([np.median(across), np.median(down)])  # what all of the picture does, the camera did
        self.held[k] = float(np.abs(camera).max()) < HELD_PX
        moving = _moving(small[max(k - 1 - gap, 0)], small[min(k + gap, len(small) - 1)])
        field = np.stack([(across - camera[0]) * moving, (down - camera[1]) * moving])
        lengths = np.asarray(cv2.magnitude(field[0], field[1]), dtype=np.float32)
        self._measure(k, field, lengths, camera)
        flat = lengths.ravel()
        top = max(1, flat.size // 100)
        elapsed_s = max(self.at[k] - self.at[k - 1], 1e-3)
        self.speed[k] = float(np.partition(flat, -top)[-top:].mean()) / lengths.shape[1] / elapsed_s
        self.push[k] = float(cv2.norm(flat))
        self._fields[k] = field
        last = self._fields.get(k - 1)
        if last is not None and self.push[k] * self.push[k - 1] > 0:
            self.flips[k - 1] = -_along(last, field) / (self.push[k] * self.push[k - 1])
        # The motion well before a frame against that well after it: a turn is where they are opposite.
        before = self._fields.pop(k - 2 * gap, None)
        if before is not None and self.push[k] * self.push[k - 2 * gap] > 0:
            along = -_along(before, field) / (self.push[k] * self.push[k - 2 * gap])
            self.turned[k - gap] = max(0.0, along - 0.25)

    def _measure(self, k: int, field: Field, lengths: Field, camera: Array) -> None:
        """Note where things move to frame k, and which way: as the eye sees it, the camera's turn and all."""
        height, width = lengths.shape
        elapsed_s = max(self.at[k] - self.at[k - 1], 1e-3)
        columns, rows = lengths.sum(axis=0), lengths.sum(axis=1)
        whole = float(rows.sum())
        way = camera
        if whole > 0:
            self.x[k] = float(columns @ (np.arange(width) + 0.5)) / whole / width
            self.y[k] = float(rows @ (np.arange(height) + 0.5)) / whole / height
            way = way + np.array([_along(lengths, field[0]), _along(lengths, field[1])]) / whole
        self.across[k], self.down[k] = way / width / elapsed_s
        self.camera[k] = camera / width


def _along(a: Field, b: Field) -> float:
    """Return the sum of the products of two fields."""
    return float(np.dot(a.ravel(), b.ravel()))


def _jerks(camera: Array, differs: Array) -> Array:
    """Return how far each step of the camera is from the mean of those beside it: a pan has none, a knock has. `differs` is how much of
    the picture does at each step."""
    out = np.zeros(len(camera))
    if len(camera) > 3:
        out[2:-1] = np.abs(camera[2:-1] - (camera[1:-2] + camera[3:]) / 2).max(axis=1)
    out[differs < LEAST_JOLTED] = 0.0
    return out


def _differing(a: Small, b: Small) -> Small:
    """Return 1 where two pictures differ by more than noise."""
    return np.asarray(cv2.threshold(cv2.absdiff(a, b), QUIET_LEVELS, 1, cv2.THRESH_BINARY)[1], dtype=np.uint8)


def _moving(a: NDArray[np.uint8], b: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Return 1 where two pictures differ by more than noise, and close to there."""
    sure = cv2.morphologyEx(_differing(a, b), cv2.MORPH_OPEN, np.ones((2, 2), np.uint8))
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
