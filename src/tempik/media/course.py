"""What goes on in footage, in steps of a quarter of a second: what a draft chooses by."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from tempik.media.motion import Array, Moves

STEP_S = 0.25
FULL_TURN_DEG = 360


class Course(NamedTuple):
    """What goes on in a file, for each STEP_S seconds of its own clock: how fast things move (shares of the width a second), how light
    it is (mean luma, 0 to 1) and how much detail it has (mean step between neighbouring samples, in grey levels); about which place
    (`x`, `y`, shares of the picture's width and height) and which way things go (`across`, `down`, shares of the width a second); and
    how far the camera jerks from frame to frame (shares of the width)."""

    motion: tuple[float, ...] = ()
    light: tuple[float, ...] = ()
    detail: tuple[float, ...] = ()
    x: tuple[float, ...] = ()
    y: tuple[float, ...] = ()
    across: tuple[float, ...] = ()
    down: tuple[float, ...] = ()
    jerk: tuple[float, ...] = ()


def course_of(moves: Moves) -> Course:
    """Return what goes on step by step. Of frames that only repeat nothing moves; a step without others looks as the one before.
    Where things are and which way they go is told by the frames in which most moves."""
    count = int(moves.at[-1] // STEP_S) + 1
    step = np.clip((moves.at // STEP_S).astype(int), 0, count - 1)
    here = np.bincount(step, minlength=count)
    weight = moves.push + 1e-6
    interval = float(np.median(np.diff(moves.at))) if len(moves.at) > 1 else STEP_S
    due = np.maximum(here, STEP_S / max(interval, 1e-3) * 0.9)
    due[-1] = max(here[-1], 1)

    def passing(values: Array) -> tuple[float, ...]:
        return tuple(round(float(v), 5) for v in np.bincount(step, values, count) / due)

    def mean(values: Array, weights: Array | None = None) -> tuple[float, ...]:
        w = np.ones(len(step)) if weights is None else weights
        out = np.bincount(step, values * w, count) / np.maximum(np.bincount(step, w, count), 1e-12)
        for n in np.flatnonzero(here == 0):
            out[n] = out[n - 1] if n else 0.0
        return tuple(round(float(v), 5) for v in out)

    return Course(
        passing(moves.speed), mean(moves.light), mean(moves.detail), mean(moves.x, weight), mean(moves.y, weight),
        mean(moves.across, weight), mean(moves.down, weight), passing(moves.jerk),
    )  # fmt: skip


def upright(course: Course, rotation_deg: int) -> Course:
    """Return a file's course as it is seen, turned clockwise by whole quarters."""
    turned = course
    for _ in range(rotation_deg % FULL_TURN_DEG // 90):
        turned = turned._replace(
            x=tuple(1 - y for y in turned.y), y=turned.x, across=tuple(-d for d in turned.down), down=turned.across
        )
    return turned
