"""The graph of a clip's speed: time across with the points' lines, speed up, a strip of what is on screen below.

Nodes are added by a double click, dragged, stepped with keys and taken out; a whisker on either side of the chosen one
sets its softness. What is dragged on the strip is a marked stretch.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from tempik.desktop import theme
from tempik.desktop.project import Project
from tempik.desktop.song_paint import paint_sign
from tempik.desktop.strips import Strips
from tempik.desktop.theme import colour, figures, words
from tempik.desktop.timeline_paint import draw_filling, paint_cue
from tempik.edit.timeline import Placed, clean_floor, source_at_frames
from tempik.reel import Curve
from tempik.reel.validate import SPEED_LIMIT
from tempik.retime import TimeMap, constant
from tempik.retime.shaping import with_changed_node, with_ends, with_node, without_node

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


class SpeedGraph(QWidget):
    """Shows the selected clip's speed. `edited` gives another curve while a gesture lasts, `settled` ends it."""

    edited = Signal(object, str)  # a curve, and what was done
    settled = Signal(str)
    node_chosen = Signal()
    marked_changed = Signal()

    def __init__(self, project: Project, strips: Strips) -> None:
        super().__init__()
        self.project, self.strips = project, strips
        self.node: int | None = None
        self.marked: tuple[int, int] | None = None  # frames of the reel
        self.before: Placed | None = None  # drawn thin, to compare with
        self._held: Near | None = None
        self._held_curve: Curve | None = None
        self._two_sided = False
        self._marking: int | None = None
        self._doing = ""
        self.setMinimumSize(280, 150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Speed over the clip")

    # Places

    def _graph(self) -> QRectF:
        return QRectF(AXIS_W, 14, self.width() - AXIS_W - 10, self.height() - STRIP_H - 24)

    def _strip(self) -> QRectF:
        box = self._graph()
        return QRectF(box.left(), box.bottom() + 8, box.width(), STRIP_H)

    def two_sided(self) -> bool:
        """Whether the backward half is shown: where it is used, and as it was while a drag lasts."""
        if self._held is not None:
            return self._two_sided
        placed = self.project.placed
        return placed is not None and any(n.speed < 0 for n in (*placed.chosen.nodes, *placed.curve.nodes))

    def height_of(self, speed: float) -> float:
        """Return the height of a speed: forward above the zero band; the backward half shows when it is used."""
        box = self._graph()
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
        room = self.height_of(0.0) - ZERO_H - self._graph().top()
        share = min(max((abs(away) - ZERO_H) / room, 0.0), 1.0)
        return math.copysign(LEAST * (SPEED_LIMIT / LEAST) ** share, away)

    def x_of(self, placed: Placed, share: float) -> float:
        """Return where a share of the clip's own slot lies."""
        return self._x(placed, placed.begin + share * (placed.until - placed.begin), self._graph())

    @staticmethod
    def _x(placed: Placed, frame: float, box: QRectF) -> float:
        return box.left() + (frame - placed.first) / max(placed.frames, 1) * box.width()

    def frame_at(self, x: float) -> float:
        placed, box = self.project.placed, self._graph()
        if placed is None:
            return 0.0
        return placed.first + (x - box.left()) / box.width() * placed.frames

    def _share_at(self, placed: Placed, x: float, snap: bool) -> float:
        """Return the share of the slot at a place, on a point, a cue or a frame near it."""
        frame = self.frame_at(x)
        if snap:
            stops = [f for f, _ in self._stops(placed)]
            near = min(stops, key=lambda f: abs(f - frame), default=frame)
            close = abs(near - frame) / max(placed.frames, 1) * self._graph().width() < SNAP_PX
            frame = near if close else round(frame)
        return min(max((frame - placed.begin) / max(placed.until - placed.begin, 1), 0.0), 1.0)

    def _stops(self, placed: Placed) -> list[tuple[float, str]]:
        """Return what a node snaps to: frames of points, and instants at which cues are shown."""
        timeline, rate = self.project.timeline, float(self.project.reel.rate)
        out: list[tuple[float, str]] = [
            (f, "point") for p in timeline.on_reel() if placed.first <= (f := timeline.frame_of_point(p)) <= placed.end
        ]
        for cue in placed.footage.cues:
            out += [(placed.begin + t * rate, "cue") for t in placed.map.when(cue.time_s)]
        return out

    def _spots(self, placed: Placed) -> list[QPointF]:
        """Return where the nodes lie: a constant speed has one, in the middle."""
        nodes = placed.chosen.nodes
        if len(nodes) == 1:
            return [QPointF(self._graph().center().x(), self.height_of(nodes[0].speed))]
        return [QPointF(self.x_of(placed, n.at), self.height_of(n.speed)) for n in nodes]

    def _whiskers(self, placed: Placed, number: int) -> dict[str, QPointF]:
        """Return the ends of a node's whiskers: how far they reach is how soft its sides are."""
        nodes, spots = placed.chosen.nodes, self._spots(placed)
        out: dict[str, QPointF] = {}
        if len(nodes) < 2 or number >= len(nodes):
            return out
        here = spots[number]
        if number and not nodes[number - 1].hold:
            reach = self._reach(spots, number, -1)
            out["in"] = QPointF(here.x() - WHISKER_PX - nodes[number].soft_in * reach, here.y())
        if number + 1 < len(nodes) and not nodes[number].hold:
            reach = self._reach(spots, number, 1)
            out["out"] = QPointF(here.x() + WHISKER_PX + nodes[number].soft_out * reach, here.y())
        return out

    @staticmethod
    def _reach(spots: list[QPointF], number: int, side: int) -> float:
        return max(abs(spots[number + side].x() - spots[number].x()) / 2 - WHISKER_PX, 8.0)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        placed = self.project.placed
        box = self._graph()
        p.fillRect(box, QColor(theme.SUNK))
        if placed is None or placed.footage.endless:
            p.setPen(QColor(theme.QUIET))
            p.setFont(words(14))
            p.drawText(
                QRectF(self.rect()),
                Qt.AlignmentFlag.AlignCenter,
                "Select a clip on the timeline to shape its speed." if placed is None else "A still has no speed.",
            )
            p.end()
            return
        self._paint_axis(p, placed, box)
        self._paint_missing(p, placed, box)
        self._paint_points(p, placed, box)
        self._paint_source(p, placed, box)
        self._paint_curves(p, placed, box)
        self._paint_nodes(p, placed, box)
        self._paint_strip(p, placed, self._strip())
        self._paint_playhead(p, placed, box)
        p.end()

    def _paint_axis(self, p: QPainter, placed: Placed, box: QRectF) -> None:
        floor = clean_floor(placed.footage, self.project.reel.rate)
        made = placed.clip.between or self.project.reel.between
        sides = (1.0, -1.0) if self.two_sided() else (1.0,)
        for sign in sides:
            self._paint_floor(p, box, floor, sign, made)
            p.setFont(figures(12))
            for mark in MARKS:
                y = self.height_of(sign * mark)
                p.setPen(QColor(theme.LINE))
                p.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
                if len(sides) > 1 and mark not in (0.25, 1.0, 4.0):
                    continue  # the halves are too low for more
                if len(sides) == 1 and mark == LEAST:
                    continue  # the zero band's own word stands there
                self._mark(p, y, f"{sign * mark * 100:.0f}" + (" %" if mark == 1.0 and sign > 0 else ""))
        zero = self.height_of(0.0)
        p.fillRect(QRectF(box.left(), zero - ZERO_H + 1, box.width(), 2 * ZERO_H - 2), QColor(theme.GROUND))
        p.setPen(QPen(colour(theme.QUIET, 0.5), 1, Qt.PenStyle.DotLine))
        p.drawLine(QPointF(box.left(), zero), QPointF(box.right(), zero))
        self._mark(p, zero, "still")

    def _mark(self, p: QPainter, y: float, text: str) -> None:
        p.setPen(QColor(theme.QUIET))
        where = QRectF(0, y - 9, AXIS_W - 6, 18)
        p.drawText(where, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)

    def _paint_floor(self, p: QPainter, box: QRectF, floor: float, sign: float, made: str) -> None:
        """Shade where frames repeat, in bands by how often each shows; less where frames between are made."""
        for times in range(2, MOST_REPEATS + 1):
            high = floor / (times - 1)
            low = LEAST if times == MOST_REPEATS else floor / times
            a, b = (
                self.height_of(sign * min(high, SPEED_LIMIT)),
                self.height_of(sign * min(max(low, LEAST), SPEED_LIMIT)),
            )
            zone = QRectF(box.left(), min(a, b), box.width(), abs(b - a))
            if zone.height() < 1:
                continue
            strength = (0.08 + 0.05 * (times - 2)) * (1.0 if made == "nearest" else 0.35)
            p.fillRect(zone, colour(theme.WARNING, strength))
            if made == "nearest":
                p.fillRect(zone, QBrush(colour(theme.WARNING, 0.22), Qt.BrushStyle.BDiagPattern))
            if sign > 0 and zone.height() > 13:
                p.setFont(words(12))
                p.setPen(QColor(theme.TEXT) if made == "nearest" else QColor(theme.QUIET))
                more = " or more" if times == MOST_REPEATS else ""
                text = (
                    f"each frame {times}×{more}"
                    if made == "nearest"
                    else f"{times - 1} of {times} made by {made}{more}"
                )
                p.drawText(
                    zone.adjusted(0, 0, -8, 0), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text
                )

    def _paint_missing(self, p: QPainter, placed: Placed, box: QRectF) -> None:
        """Hatch where the clip asks for footage that there is not."""
        if not placed.short_before_s and not placed.short_after_s:
            return
        frames = np.arange(placed.first, placed.end, dtype=np.float64)
        source = source_at_frames(placed, frames, self.project.reel.rate)
        width = box.width() / max(placed.frames, 1)
        for frame in frames[(source < -1e-3) | (source >= placed.footage.length_s + 1e-3)].tolist():
            spot = QRectF(self._x(placed, frame, box), box.top(), width + 0.5, box.height())
            p.fillRect(spot, QBrush(colour(theme.WARNING_TEXT, 0.5), Qt.BrushStyle.FDiagPattern))

    def _paint_points(self, p: QPainter, placed: Placed, box: QRectF) -> None:
        timeline = self.project.timeline
        for point in timeline.on_reel():
            frame = timeline.frame_of_point(point)
            if placed.first <= frame <= placed.end:
                x = self._x(placed, frame, box)
                p.setPen(QPen(colour(theme.RHYTHM, 0.2 + 0.4 * point.strength), 1))
                p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
                paint_sign(p, x, 8, point, 5)
                p.setRenderHint(QPainter.RenderHint.Antialiasing, True)

    def _paint_source(self, p: QPainter, placed: Placed, box: QRectF) -> None:
        """The second trace: where in the stretch of footage used the clip is, from its earliest instant to its latest."""
        frames = np.linspace(placed.first, placed.end, max(2, int(box.width() / 8)))
        source = placed.map.source((frames - placed.begin) / float(self.project.reel.rate))
        low, high = float(source.min()), float(source.max())
        if high - low < 1e-9:
            return
        xs = box.left() + (frames - placed.first) / max(placed.frames, 1) * box.width()
        ys = box.bottom() - 4 - (source - low) / (high - low) * (box.height() - 8)
        p.setPen(QPen(colour(theme.PULSE, 0.75), 1.2, Qt.PenStyle.DashDotLine))
        p.drawPolyline([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)])

    def _paint_curves(self, p: QPainter, placed: Placed, box: QRectF) -> None:
        if self.before is not None:
            self._paint_curve(
                p, self.before, self.before.map, box, QPen(colour(theme.QUIET, 0.9), 1.4, Qt.PenStyle.DashLine)
            )
        if placed.shape is not None:
            chosen = TimeMap(placed.shape, placed.map.length_s)
            self._paint_curve(p, placed, chosen, box, QPen(colour(theme.SPEED, 0.6), 1.4, Qt.PenStyle.DotLine))
        self._paint_curve(p, placed, placed.map, box, QPen(QColor(theme.SPEED), 2.4))

    def _paint_curve(self, p: QPainter, placed: Placed, time_map: TimeMap, box: QRectF, pen: QPen) -> None:
        rate = float(self.project.reel.rate)
        edges = {placed.begin + n.at * (placed.until - placed.begin) for n in placed.curve.nodes}
        # A jump is drawn upright: instants just before and after every node besides those evenly spaced.
        frames = np.linspace(placed.first, placed.end, max(2, int(box.width() / 4)))
        near = [f + d for f in edges for d in (-1e-4, 1e-4) if placed.first < f < placed.end]
        frames = np.sort(np.concatenate([frames, near]))
        speeds = time_map.speed((frames - placed.begin) / rate)
        xs = box.left() + (frames - placed.first) / max(placed.frames, 1) * box.width()
        p.setPen(pen)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPolyline([QPointF(x, y) for x, y in zip(xs.tolist(), self._heights(speeds).tolist(), strict=True)])

    def _heights(self, speeds: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return where speeds lie, as `height_of` does, and evenly through the zero band."""
        zero = self.height_of(0.0)
        room = zero - ZERO_H - self._graph().top()
        size = np.clip(np.abs(speeds), LEAST, SPEED_LIMIT)
        share = np.log(size / LEAST) / math.log(SPEED_LIMIT / LEAST)
        away = np.where(np.abs(speeds) >= LEAST, np.sign(speeds) * (ZERO_H + share * room), speeds / LEAST * ZERO_H)
        return np.asarray(zero - away, dtype=np.float64)

    def _paint_nodes(self, p: QPainter, placed: Placed, box: QRectF) -> None:
        for tie in placed.ties:
            x = self._x(placed, tie.frame, box)
            p.setPen(QPen(QColor(theme.CUE), 1.5, Qt.PenStyle.DashLine))
            p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            paint_cue(p, x, box.bottom())
        spots = self._spots(placed)
        if self.node is not None and self.node < len(spots):
            for end in self._whiskers(placed, self.node).values():
                p.setPen(QPen(QColor(theme.TEXT), 1.4))
                p.drawLine(spots[self.node], end)
                p.setBrush(QColor(theme.SUNK))
                p.drawEllipse(end, 4, 4)
        for number, spot in enumerate(spots):
            if not box.adjusted(-1, -30, 1, 30).contains(spot):
                continue
            p.setPen(QPen(QColor(theme.GROUND), 1.5))
            p.setBrush(QColor(theme.TEXT if number == self.node else theme.SPEED))
            if number < len(placed.chosen.nodes) and placed.chosen.nodes[number].hold:
                p.drawRect(QRectF(spot.x() - 5, spot.y() - 5, 10, 10))
            else:
                p.drawEllipse(spot, NODE_R, NODE_R)
        p.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_strip(self, p: QPainter, placed: Placed, box: QRectF) -> None:
        """What is on screen at each moment, live while the curve is dragged, and the marked stretch."""
        p.fillRect(box, QColor("#000000"))
        reel = self.project.reel
        tile = max(20.0, box.height() * reel.width / reel.height)
        count = max(1, round(box.width() / tile))
        tile = box.width() / count
        frames = np.floor(placed.first + (np.arange(count) + 0.5) / count * placed.frames)
        sources = source_at_frames(placed, frames, reel.rate)
        for i, source in enumerate(sources.tolist()):
            picture = self.strips.at(placed.footage.path, source)
            if picture is not None:
                draw_filling(p, QRectF(box.left() + i * tile, box.top(), tile - 1.5, box.height()), picture)
        if self.marked is not None and self.marked[0] < placed.end and self.marked[1] > placed.first:
            a, b = (min(max(self._x(placed, f, box), box.left()), box.right()) for f in self.marked)
            p.fillRect(QRectF(a, box.top(), b - a, box.height()), colour(theme.SPEED, 0.28))
            p.setPen(QPen(QColor(theme.SPEED), 2))
            for x in (a, b):
                p.drawLine(QPointF(x, self._graph().top()), QPointF(x, box.bottom()))

    def _paint_playhead(self, p: QPainter, placed: Placed, box: QRectF) -> None:
        x = self._x(placed, self.project.frame, box)
        if box.left() <= x <= box.right():
            p.setPen(QPen(QColor(theme.PLAYHEAD), 1.2))
            p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom() + 8 + STRIP_H))

    # Gestures

    def choose_node(self, number: int | None) -> None:
        """Choose a node for the whiskers, the keys and the fields."""
        placed = self.project.placed
        if placed is None or (number is not None and not 0 <= number < len(placed.chosen.nodes)):
            number = None
        if number != self.node:
            self.node = number
            self.node_chosen.emit()
        self.update()

    def _near(self, placed: Placed, pos: QPointF) -> Near | None:
        if self.node is not None:
            for side, end in self._whiskers(placed, self.node).items():
                if (end - pos).manhattanLength() < 10:
                    return side, self.node
        spots = self._spots(placed)
        near = min(range(len(spots)), key=lambda i: (spots[i] - pos).manhattanLength())
        if (spots[near] - pos).manhattanLength() < 18:
            return "node", near
        if len(spots) == 1 and abs(spots[0].y() - pos.y()) < 14 and self._graph().contains(pos):
            return "node", 0  # a constant speed is taken hold of anywhere on its line
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        placed, pos = self.project.placed, event.position()
        if placed is None or placed.footage.endless or event.button() != Qt.MouseButton.LeftButton:
            return
        if self._strip().contains(pos):
            self._marking = round(self.frame_at(pos.x()))
            return
        near = self._near(placed, pos)
        self._two_sided = self.two_sided()
        self.choose_node(near[1] if near is not None else None)
        self._held, self._held_curve = near, placed.chosen

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        placed, pos = self.project.placed, event.position()
        if placed is None or placed.footage.endless:
            return
        if self._marking is not None:
            now = min(max(round(self.frame_at(pos.x())), placed.first), placed.end)
            self.mark((min(self._marking, now), max(self._marking, now)) if abs(now - self._marking) > 1 else None)
            return
        if self._held is None:
            near = self._near(placed, pos)
            shapes = {"node": Qt.CursorShape.SizeAllCursor, "in": Qt.CursorShape.SizeHorCursor}
            self.setCursor(shapes.get(near[0], Qt.CursorShape.SizeHorCursor) if near else Qt.CursorShape.ArrowCursor)
            return
        if self._held_curve is not None:
            self._drag(placed, self._held, self._held_curve, event)

    def _drag(self, placed: Placed, held: Near, base: Curve, event: QMouseEvent) -> None:
        what, number = held
        pos, free = event.position(), bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if what == "node":
            speed = self._snapped_speed(pos.y(), free)
            at = None
            if 0 < number < len(base.nodes) - 1:
                at = self._share_at(placed, pos.x(), not free)
            self._edit(with_changed_node(base, number, at, speed), "Speed changed")
            return
        spots = self._spots(placed)
        side = -1 if what == "in" else 1
        soft = ((pos.x() - spots[number].x()) * side - WHISKER_PX) / self._reach(spots, number, side)
        soft = min(max(soft, 0.0), 1.0)
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:  # both sides at once
            self._edit(with_changed_node(base, number, soft_in=soft, soft_out=soft), "Softness changed")
        else:
            changed = with_changed_node(base, number, **{f"soft_{what}": soft})  # type: ignore[arg-type]
            self._edit(changed, "Softness changed")

    def _snapped_speed(self, y: float, free: bool) -> float:
        """A drag finds the round speeds that people ask for; Alt leaves it alone."""
        speed = self.speed(y)
        if free or not speed:
            return speed
        near = min((*MARKS, *(-m for m in MARKS)), key=lambda m: abs(self.height_of(m) - y))
        return near if abs(self.height_of(near) - y) < 5 else round(speed, 2)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        placed = self.project.placed
        if self._marking is not None and placed is not None:
            if self.marked is None or abs(round(self.frame_at(event.position().x())) - self._marking) <= 1:
                self.mark(None)
                self.project.go(math.floor(self.frame_at(event.position().x())))
            self._marking = None
        if self._held is not None:
            self._held = self._held_curve = None
            self.settled.emit(self._doing)
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        placed, pos = self.project.placed, event.position()
        if placed is None or placed.footage.endless or not self._graph().adjusted(0, 0, 0, 8).contains(pos):
            return
        near = self._near(placed, pos)
        if near is not None and near[0] == "node" and len(placed.chosen.nodes) > 1:
            self.remove_node(near[1])
            return
        self.add_node(self._share_at(placed, pos.x(), True), self._snapped_speed(pos.y(), False))

    def mark(self, stretch: tuple[int, int] | None) -> None:
        """Mark a stretch of frames of the reel, or none."""
        if stretch != self.marked:
            self.marked = stretch
            self.marked_changed.emit()
            self.update()

    # Changes

    def _edit(self, curve: Curve, what: str) -> None:
        self._doing = what
        self.edited.emit(curve, what)

    def _change(self, curve: Curve, what: str) -> None:
        self._edit(curve, what)
        self.settled.emit(what)

    def add_node(self, at: float, speed: float | None = None) -> None:
        """Put a node at a share of the slot; without a speed it lies on the curve."""
        placed = self.project.placed
        if placed is not None:
            curve, number = with_node(placed.chosen, at, speed)
            self._change(curve, "Node added")
            self.choose_node(number)

    def remove_node(self, number: int) -> None:
        placed = self.project.placed
        if placed is not None and len(placed.chosen.nodes) > 1:
            self._change(without_node(placed.chosen, number), "Node removed")
            self.choose_node(None)

    def change_node(self, what: str, **changes: float | bool) -> None:
        """Change the chosen node as one step."""
        placed = self.project.placed
        if placed is not None and self.node is not None and self.node < len(placed.chosen.nodes):
            base = placed.chosen if len(placed.chosen.nodes) > 1 else self._spread(placed, changes)
            self._change(with_changed_node(base, self.node, **changes), what)  # type: ignore[arg-type]

    @staticmethod
    def _spread(placed: Placed, changes: dict[str, float | bool]) -> Curve:
        """A constant speed stays one node unless something but its speed is changed."""
        return placed.chosen if set(changes) == {"speed"} else with_ends(constant(placed.chosen.nodes[0].speed))

    def event(self, event: QEvent) -> bool:
        # While a node is chosen the arrows are its own, not the playhead's.
        chosen = self.node is not None and event.type() == QEvent.Type.ShortcutOverride
        if chosen and isinstance(event, QKeyEvent) and event.key() in _NODE_KEYS:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        placed, number = self.project.placed, self.node
        if placed is None or number is None or number >= len(placed.chosen.nodes) or event.key() not in _NODE_KEYS:
            super().keyPressEvent(event)
            return
        node = placed.chosen.nodes[number]
        far = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        key = event.key()
        frame = 1 / max(placed.until - placed.begin, 1)
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = (10 if far else 1) * (1 if key == Qt.Key.Key_Right else -1)
            if 0 < number < len(placed.chosen.nodes) - 1:
                self.change_node("Node moved", at=round(node.at / frame + step) * frame)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            by = (0.1 if far else 0.01) * (1 if key == Qt.Key.Key_Up else -1)
            self.change_node("Speed changed", speed=round(node.speed + by, 4))
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove_node(number)
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            step = 1 if key == Qt.Key.Key_PageDown else -1
            self.choose_node(min(max(number + step, 0), len(placed.chosen.nodes) - 1))
        else:
            self.choose_node(None)


_NODE_KEYS = {
    Qt.Key.Key_Left,
    Qt.Key.Key_Right,
    Qt.Key.Key_Up,
    Qt.Key.Key_Down,
    Qt.Key.Key_Delete,
    Qt.Key.Key_Backspace,
    Qt.Key.Key_PageUp,
    Qt.Key.Key_PageDown,
    Qt.Key.Key_Escape,
}
