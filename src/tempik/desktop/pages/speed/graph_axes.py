"""Where things lie on the speed graph: speeds up, the slot across, nodes and their whiskers."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize

from tempik.desktop.session.document import Project
from tempik.reel.validate import SPEED_LIMIT
from tempik.timeline.placed_clip import PlacedClip

MARKS = (0.1, 0.25, 0.5, 1.0, 2.0, 4.0, 8.0)
LEAST = 0.1
AXIS_W = 48
STRIP_H = 44
ZERO_H = 9.0  # half the height of the band in which the picture stands still
NODE_R = 6.0
WHISKER_PX = 16.0
SNAP_PX = 7.0
MOST_REPEATS = 4
Near = tuple[str, int]  # "node", "in" or "out" (its whiskers), and the node's number


def speed_share(speed: float) -> float:
    """Return how far up a speed lies on one side of the zero band, 0 to 1: logarithmic, so ×2 and ÷2 are alike."""
    size = min(max(abs(speed), LEAST), SPEED_LIMIT)
    return math.log(size / LEAST) / math.log(SPEED_LIMIT / LEAST)


class GraphAxes:
    """What lies where on a graph of the selected clip's speed, as large as `size` says."""

    def __init__(self, project: Project, size: Callable[[], QSize]) -> None:
        self.project, self._size = project, size
        self._both: bool | None = None  # whether both sides are shown, while that is held

    def graph(self) -> QRectF:
        """Return the box of the curve."""
        size = self._size()
        return QRectF(AXIS_W, 14, size.width() - AXIS_W - 10, size.height() - STRIP_H - 24)

    def strip(self) -> QRectF:
        """Return the box of the pictures below."""
        box = self.graph()
        return QRectF(box.left(), box.bottom() + 8, box.width(), STRIP_H)

    def two_sided(self) -> bool:
        """Whether the backward half is shown: where it is used, and as it was while a drag lasts."""
        if self._both is not None:
            return self._both
        placed = self.project.selection.placed
        return placed is not None and any(n.speed < 0 for n in (*placed.chosen.nodes, *placed.curve.nodes))

    def hold_sides(self, held: bool) -> None:
        """Have the sides that are shown now stay shown, while a drag lasts; or no longer."""
        self._both = self.two_sided() if held else None

    def height_of(self, speed: float) -> float:
        """Return the height of a speed: forward above the zero band; the backward half shows when it is used."""
        box = self.graph()
        zero = box.center().y() if self.two_sided() else box.bottom() - ZERO_H
        if not speed:
            return zero
        room = zero - ZERO_H - box.top()
        return zero - math.copysign(ZERO_H + speed_share(speed) * room, speed)

    def speed(self, y: float) -> float:
        """Return the speed at a height; in the zero band the picture stands still, below it speeds are backward."""
        away = self.height_of(0.0) - y
        if abs(away) < ZERO_H:
            return 0.0
        room = self.height_of(0.0) - ZERO_H - self.graph().top()
        share = min(max((abs(away) - ZERO_H) / room, 0.0), 1.0)
        return math.copysign(LEAST * (SPEED_LIMIT / LEAST) ** share, away)

    def x_of(self, placed: PlacedClip, share: float) -> float:
        """Return where a share of the clip's own slot lies."""
        return self.x(placed, placed.begin + share * (placed.until - placed.begin), self.graph())

    @staticmethod
    def x(placed: PlacedClip, frame: float, box: QRectF) -> float:
        """Return where a frame of the reel lies in a box as wide as the clip."""
        return box.left() + (frame - placed.first) / max(placed.frames, 1) * box.width()

    def frame_at(self, x: float) -> float:
        """Return the reel's frame at an x, with its share."""
        placed, box = self.project.selection.placed, self.graph()
        if placed is None:
            return 0.0
        return placed.first + (x - box.left()) / box.width() * placed.frames

    def share_at(self, placed: PlacedClip, x: float, snap: bool) -> float:
        """Return the share of the slot at a place, on a point, a cue or a frame near it."""
        frame = self.frame_at(x)
        if snap:
            stops = [f for f, _ in self.stops(placed)]
            near = min(stops, key=lambda f: abs(f - frame), default=frame)
            close = abs(near - frame) / max(placed.frames, 1) * self.graph().width() < SNAP_PX
            frame = near if close else round(frame)
        return min(max((frame - placed.begin) / max(placed.until - placed.begin, 1), 0.0), 1.0)

    def stops(self, placed: PlacedClip) -> list[tuple[float, str]]:
        """Return what a node snaps to: frames of points, and instants at which cues are shown."""
        timeline, rate = self.project.timeline, float(self.project.reel.rate)
        out: list[tuple[float, str]] = [
            (f, "point") for p in timeline.on_reel() if placed.first <= (f := timeline.frame_of_point(p)) <= placed.end
        ]
        for cue in placed.footage.cues:
            out += [(placed.begin + t * rate, "cue") for t in placed.map.when(cue.time_s)]
        return out

    def spots(self, placed: PlacedClip) -> list[QPointF]:
        """Return where the nodes lie: a constant speed has one, in the middle."""
        nodes = placed.chosen.nodes
        if len(nodes) == 1:
            return [QPointF(self.graph().center().x(), self.height_of(nodes[0].speed))]
        return [QPointF(self.x_of(placed, n.at), self.height_of(n.speed)) for n in nodes]

    def whiskers(self, placed: PlacedClip, number: int) -> dict[str, QPointF]:
        """Return the ends of a node's whiskers: how far they reach is how soft its sides are."""
        nodes, spots = placed.chosen.nodes, self.spots(placed)
        out: dict[str, QPointF] = {}
        if len(nodes) < 2 or number >= len(nodes):
            return out
        here = spots[number]
        if number and not nodes[number - 1].hold:
            reach = self.reach(spots, number, -1)
            out["in"] = QPointF(here.x() - WHISKER_PX - nodes[number].soft_in * reach, here.y())
        if number + 1 < len(nodes) and not nodes[number].hold:
            reach = self.reach(spots, number, 1)
            out["out"] = QPointF(here.x() + WHISKER_PX + nodes[number].soft_out * reach, here.y())
        return out

    @staticmethod
    def reach(spots: list[QPointF], number: int, side: int) -> float:
        """Return how far a whisker reaches at the most, in pixels, on side −1 or 1 of a node."""
        return max(abs(spots[number + side].x() - spots[number].x()) / 2 - WHISKER_PX, 8.0)

    def heights(self, speeds: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return where speeds lie, as `height_of` does, and evenly through the zero band: both of shape (n,), pixels."""
        zero = self.height_of(0.0)
        room = zero - ZERO_H - self.graph().top()
        size = np.clip(np.abs(speeds), LEAST, SPEED_LIMIT)
        share = np.log(size / LEAST) / math.log(SPEED_LIMIT / LEAST)
        away = np.where(np.abs(speeds) >= LEAST, np.sign(speeds) * (ZERO_H + share * room), speeds / LEAST * ZERO_H)
        return np.asarray(zero - away, dtype=np.float64)

    @property
    def marked(self) -> tuple[int, int] | None:
        """The marked stretch, in frames of the reel."""
        return self.project.selection.marked_frames
