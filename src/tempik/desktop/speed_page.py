"""The Speed page: the selected clip's speed as a graph, what it eats of its source, and what is on screen."""

from __future__ import annotations

import math

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop import theme
from tempik.desktop.project import Project
from tempik.desktop.song_paint import paint_sign
from tempik.desktop.strips import Strips
from tempik.desktop.theme import colour, figures, words
from tempik.desktop.timeline_paint import draw_filling, paint_cue
from tempik.edit import speed as retiming
from tempik.edit.timeline import Placed, clean_floor, source_at_frames
from tempik.reel import Curve
from tempik.reel.validate import SPEED_LIMIT
from tempik.retime import average_speed, constant, ramp
from tempik.time import time_of

MARKS = (0.1, 0.25, 0.5, 1.0, 2.0, 4.0, 8.0)
LEAST = 0.1
STEPS = (0.25, 0.5, 1.0, 2.0, 4.0)
AXIS_W = 48
STRIP_H = 44
# Below this a drag is into the zero band: the picture stands still.
SOFT = 0.42


def speed_share(speed: float) -> float:
    """Return how far up a speed lies on one side of the zero band, 0 to 1: logarithmic, so ×2 and ÷2 are alike."""
    size = min(max(abs(speed), LEAST), SPEED_LIMIT)
    return math.log(size / LEAST) / math.log(SPEED_LIMIT / LEAST)


class SpeedGraph(QWidget):
    """Time across with the points' lines, speed up, the zone of repeats shaded; ends can be dragged."""

    dragged = Signal(int, float)
    released = Signal()

    def __init__(self, project: Project, strips: Strips) -> None:
        super().__init__()
        self.project, self.strips = project, strips
        self._held: int | None = None
        self.setMinimumSize(280, 150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setAccessibleName("Speed over the clip")

    def _graph(self) -> QRectF:
        return QRectF(AXIS_W, 14, self.width() - AXIS_W - 10, self.height() - STRIP_H - 24)

    def _backward(self) -> bool:
        placed = self.project.placed
        return placed is not None and any(n.speed < 0 for n in placed.curve.nodes)

    def height_of(self, speed: float) -> float:
        """Return the height of a speed: forward above the zero band; the backward half shows when it is used."""
        box = self._graph()
        if not self._backward():
            return box.bottom() - speed_share(speed) * box.height()
        half = box.height() / 2 - 5
        middle = box.center().y()
        return middle - math.copysign(5 + speed_share(speed) * half, speed) if speed else middle

    def speed(self, y: float) -> float:
        box = self._graph()
        if not self._backward():
            share = (box.bottom() - y) / box.height()
            sign = 1.0
        else:
            away = box.center().y() - y
            sign = math.copysign(1.0, away)
            share = (abs(away) - 5) / (box.height() / 2 - 5)
        return float(sign * LEAST * (SPEED_LIMIT / LEAST) ** min(max(share, 0.0), 1.0))

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
        self._paint_points(p, placed, box)
        self._paint_curve(p, placed, box)
        self._paint_strip(p, placed, QRectF(box.left(), box.bottom() + 8, box.width(), STRIP_H))
        p.end()

    def _paint_axis(self, p: QPainter, placed: Placed, box: QRectF) -> None:
        floor = clean_floor(placed.footage, self.project.reel.rate)
        for sign in (1.0, -1.0) if self._backward() else (1.0,):
            zone_top, zone_end = self.height_of(sign * min(floor, SPEED_LIMIT)), self.height_of(sign * LEAST)
            zone = QRectF(box.left(), min(zone_top, zone_end), box.width(), abs(zone_end - zone_top))
            p.fillRect(zone, colour(theme.WARNING, 0.14))
            p.fillRect(zone, QBrush(colour(theme.WARNING, 0.28), Qt.BrushStyle.BDiagPattern))
            if sign > 0 and zone.height() > 18:
                p.setFont(words(12))
                p.setPen(QColor(theme.TEXT))
                p.drawText(
                    zone.adjusted(0, 0, -8, -2),
                    Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom,
                    f"below {floor * 100:.0f} % frames repeat",
                )
            p.setFont(figures(12))
            for mark in MARKS:
                y = self.height_of(sign * mark)
                p.setPen(QColor(theme.LINE))
                p.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
                if self._backward() and mark not in (0.25, 1.0, 4.0):
                    continue  # the halves are too low for more
                p.setPen(QColor(theme.QUIET))
                text = f"{sign * mark * 100:.0f}" + (" %" if mark == 1.0 and sign > 0 else "")
                p.drawText(
                    QRectF(0, y - 9, AXIS_W - 6, 18),
                    Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                    text,
                )

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

    @staticmethod
    def _x(placed: Placed, frame: float, box: QRectF) -> float:
        return box.left() + (frame - placed.first) / max(placed.frames, 1) * box.width()

    def _paint_curve(self, p: QPainter, placed: Placed, box: QRectF) -> None:
        rate = float(self.project.reel.rate)
        count = max(2, int(box.width() / 4))
        frames = np.linspace(placed.first, placed.end, count)
        speeds = placed.map.speed((frames - placed.begin) / rate)
        path = QPainterPath()
        for i, (frame, v) in enumerate(zip(frames, speeds, strict=True)):
            spot = QPointF(self._x(placed, float(frame), box), self.height_of(float(v)))
            path.moveTo(spot) if i == 0 else path.lineTo(spot)
        p.setPen(QPen(QColor(theme.SPEED), 2.4))
        p.drawPath(path)
        for number, spot in enumerate(self._nodes(placed, box)):
            p.setPen(QPen(QColor(theme.GROUND), 1.5))
            p.setBrush(QColor(theme.TEXT if number == self._held else theme.SPEED))
            p.drawEllipse(spot, 6, 6)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for tie in placed.ties:
            x = self._x(placed, tie.frame, box)
            p.setPen(QPen(QColor(theme.CUE), 1.5, Qt.PenStyle.DashLine))
            p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            paint_cue(p, x, box.bottom())
        x = self._x(placed, self.project.frame, box)
        if box.left() <= x <= box.right():
            p.setPen(QPen(QColor(theme.PLAYHEAD), 1.2))
            p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom() + 8 + STRIP_H))

    def _nodes(self, placed: Placed, box: QRectF) -> list[QPointF]:
        """Return where the draggable ends lie: one line for a constant speed has one in its middle."""
        nodes = placed.curve.nodes
        if len(nodes) == 1:
            return [QPointF(box.center().x(), self.height_of(nodes[0].speed))]
        return [QPointF(box.left() + n.at * box.width(), self.height_of(n.speed)) for n in nodes]

    def _paint_strip(self, p: QPainter, placed: Placed, box: QRectF) -> None:
        """What is on screen at each moment, live while the curve is dragged."""
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

    def mousePressEvent(self, event: QMouseEvent) -> None:
        placed = self.project.placed
        if placed is None or event.button() != Qt.MouseButton.LeftButton:
            return
        spots = self._nodes(placed, self._graph())
        pos = event.position()
        near = min(range(len(spots)), key=lambda i: (spots[i] - pos).manhattanLength())
        if (len(spots) == 1 or (spots[near] - pos).manhattanLength() < 40) and self._graph().contains(pos):
            self._held = near
            self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            speed = self.speed(event.position().y())
            # A drag finds the round speeds that people ask for; Alt leaves it alone.
            if not event.modifiers() & Qt.KeyboardModifier.AltModifier:
                near = min((*MARKS, *(-m for m in MARKS)), key=lambda m: abs(self.height_of(m) - event.position().y()))
                speed = near if abs(self.height_of(near) - event.position().y()) < 5 else round(speed, 2)
            self.dragged.emit(self._held, speed)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._held = None
            self.released.emit()
            self.update()


class SpeedPage(QWidget):
    """Graph on the left; numbers, kind and ready speeds on the right."""

    def __init__(self, project: Project, strips: Strips) -> None:
        super().__init__()
        self.project = project
        self._filling = False
        self.graph = SpeedGraph(project, strips)
        self.graph.dragged.connect(self._drag)
        self.graph.released.connect(lambda: project.settle("Speed changed"))
        self.slot, self.source, self.average = QLabel(), QLabel(), QLabel()
        self.note = QLabel()
        self.note.setWordWrap(True)
        self.steady, self.ramped = QPushButton("Constant"), QPushButton("Ramp")
        self.backward = QPushButton("Reverse")
        self.backward.setToolTip("Play the same stretch the other way round (R)")
        self.backward.setCheckable(True)
        kinds = QButtonGroup(self)
        for button in (self.steady, self.ramped):
            button.setCheckable(True)
            kinds.addButton(button)
        self.soft = QCheckBox("soft ends")
        self.first, self.last = QDoubleSpinBox(), QDoubleSpinBox()
        for box, name in ((self.first, "Speed at the start"), (self.last, "Speed at the end")):
            box.setRange(0, SPEED_LIMIT * 100)
            box.setDecimals(1)
            box.setSuffix(" %")
            box.setFont(figures(13))
            box.setKeyboardTracking(False)
            box.setAlignment(Qt.AlignmentFlag.AlignCenter)
            box.setAccessibleName(name)
            box.setToolTip(name)
            box.valueChanged.connect(self._typed)
        self.steady.clicked.connect(lambda: self._set(constant(self._signed(self.first)), "Constant speed"))
        self.ramped.clicked.connect(self._make_ramp)
        self.backward.clicked.connect(self.reverse)
        self.soft.clicked.connect(self._typed)
        self.ready: list[QPushButton] = []
        for step in STEPS:
            button = QPushButton(f"{step * 100:.0f}")
            button.setFont(figures(13))
            button.setToolTip(f"{step * 100:.0f} % throughout")
            button.setStyleSheet("padding: 3px 2px;")
            button.clicked.connect(lambda _=False, s=step: self._ready(s))
            self.ready.append(button)
        self._lay_out()
        project.changed.connect(self._refill)
        project.selected.connect(self._refill)
        project.moved.connect(lambda _: self.graph.update())
        strips.changed.connect(self.graph.update)
        self.fill()

    def _lay_out(self) -> None:
        side = QVBoxLayout()
        side.setSpacing(6)
        numbers = QGridLayout()
        numbers.setVerticalSpacing(3)
        for row, (name, label) in enumerate(
            (("slot", self.slot), ("source used", self.source), ("average", self.average))
        ):
            title = QLabel(name)
            title.setStyleSheet(f"color: {theme.QUIET};")
            label.setFont(figures(13))
            label.setAlignment(Qt.AlignmentFlag.AlignRight)
            numbers.addWidget(title, row, 0)
            numbers.addWidget(label, row, 1)
        side.addLayout(numbers)
        kinds = QHBoxLayout()
        for button in (self.steady, self.ramped, self.backward):
            kinds.addWidget(button)
        side.addLayout(kinds)
        ends = QHBoxLayout()
        ends.addWidget(self.first)
        self.arrow = QLabel("→")
        ends.addWidget(self.arrow)
        ends.addWidget(self.last)
        side.addLayout(ends)
        ready = QHBoxLayout()
        ready.setSpacing(4)
        for button in self.ready:
            ready.addWidget(button)
        side.addLayout(ready)
        side.addWidget(self.soft)
        side.addWidget(self.note)
        side.addStretch(1)
        holder = QWidget()
        holder.setLayout(side)
        holder.setFixedWidth(268)
        side.setContentsMargins(0, 0, 0, 0)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 8, 14, 10)
        whole.setSpacing(14)
        whole.addWidget(self.graph, 1)
        whole.addWidget(holder)

    def _refill(self) -> None:
        if self.isVisible():
            self.fill()

    def showEvent(self, event: QShowEvent) -> None:
        self.fill()

    def fill(self) -> None:
        """Show the selected clip."""
        placed = self.project.placed
        self._filling = True
        for widget in (
            self.steady,
            self.ramped,
            self.backward,
            self.first,
            self.last,
            self.soft,
            *self.ready,
        ):
            widget.setEnabled(placed is not None)
        if placed is None:
            for label in (self.slot, self.source, self.average, self.note):
                label.setText("")
        else:
            nodes = placed.curve.nodes
            seconds = time_of(placed.frames, self.project.reel.rate)
            average = average_speed(placed.curve)
            self.slot.setText(f"{seconds:.3f} s  {placed.frames} f")
            self.source.setText(f"{abs(average) * placed.map.length_s * placed.map.pace:.3f} s")
            self.average.setText(f"{average * 100:.1f} %")
            self.first.setValue(abs(nodes[0].speed) * 100)
            self.last.setValue(abs(nodes[-1].speed) * 100)
            is_ramp = len(nodes) > 1
            self.steady.setChecked(not is_ramp)
            self.ramped.setChecked(is_ramp)
            self.last.setVisible(is_ramp)
            self.arrow.setVisible(is_ramp)
            self.soft.setVisible(is_ramp)
            self.soft.setChecked(is_ramp and nodes[0].soft_out > 0)
            self.backward.setChecked(any(n.speed < 0 for n in nodes))
            self._say(placed)
        self._filling = False
        self.graph.update()

    def _say(self, placed: Placed) -> None:
        short = []
        if placed.short_before_s > 0:
            short.append(
                f"{placed.short_before_s:.2f} s of footage missing at its beginning: the first frame stands still."
            )
        if placed.short_after_s > 0:
            short.append(f"{placed.short_after_s:.2f} s of footage missing at its end: the last frame stands still.")
        floor = clean_floor(placed.footage, self.project.reel.rate)
        slowest = min(abs(n.speed) for n in placed.curve.nodes)
        if not short and slowest == 0 and floor:
            short.append("The picture stands still where the speed is 0.")
        elif not short and slowest < floor * 0.999:
            short.append(f"Slower than {floor * 100:.0f} %: each frame shows up to {math.ceil(floor / slowest)} times.")
        self.note.setText(" ".join(short))
        self.note.setStyleSheet(f"color: {theme.WARNING_TEXT};")

    def _signed(self, box: QDoubleSpinBox) -> float:
        sign = -1.0 if self.backward.isChecked() else 1.0
        return sign * box.value() / 100

    def _curve(self) -> Curve:
        first, last = self._signed(self.first), self._signed(self.last)
        if self.ramped.isChecked():
            return ramp(first, last, SOFT if self.soft.isChecked() else 0.0)
        return constant(first)

    def _set(self, curve: Curve, what: str) -> None:
        clip = self.project.clip
        if clip is not None and not self._filling:
            self.project.change(what, lambda reel: retiming.with_curve(reel, clip.id, curve))

    def _typed(self) -> None:
        self._set(self._curve(), "Speed changed")

    def _make_ramp(self) -> None:
        placed = self.project.placed
        if placed is None or len(placed.curve.nodes) > 1:
            return
        speed = placed.curve.nodes[0].speed
        # A ramp that starts as the clip plays now and ends at a third of it: at once visible, easily changed.
        self._set(ramp(speed, speed / 3, SOFT if self.soft.isChecked() else 0.0), "Speed ramp")

    def _ready(self, speed: float) -> None:
        sign = -1.0 if self.backward.isChecked() else 1.0
        self._set(constant(sign * speed), f"Speed {speed * 100:.0f} %")

    def reverse(self) -> None:
        """Turn the selected clip's direction."""
        clip = self.project.clip
        if clip is not None and not self._filling:
            self.project.change("Clip reversed", lambda reel: retiming.with_reversed(reel, clip.id))

    def _drag(self, number: int, speed: float) -> None:
        placed = self.project.timeline.placed_clip(self.project.clip_id)
        if placed is None:
            return
        nodes = tuple(replace(n, speed=speed) if i == number else n for i, n in enumerate(placed.curve.nodes))
        self.project.preview_change(lambda reel: retiming.with_curve(reel, placed.clip.id, Curve(nodes)))
