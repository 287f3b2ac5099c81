"""Shapes as little curves to choose from: those that come with the program, then one's own."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPen,
    QPixmap,
)
from PySide6.QtWidgets import QWidget

from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painted, painter_on
from tempik.desktop.widgets.theme import colour
from tempik.reel import Curve, Shape, Shaped
from tempik.retime import Anchors, shaped_curve, speed_at

TILE_W, TILE_H, GAP = 45, 27, 4
COLUMNS = 6


class ShapeTiles(QWidget):
    """A grid of shapes. `picked` gives the one clicked, `pointed` the one under the pointer (None: none)."""

    picked = Signal(object)
    pointed = Signal(object)
    menu_wanted = Signal(object, QPoint)

    def __init__(self) -> None:
        super().__init__()
        self.shapes: list[Shape] = []
        self.chosen = ""
        self._under: int | None = None
        self._key = 0
        self._pictures: dict[Shape, QPixmap] = {}
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Shapes of speed; arrows choose, Enter applies")

    def show_shapes(self, shapes: list[Shape]) -> None:
        self.shapes = shapes
        rows = math.ceil(len(shapes) / COLUMNS)
        self.setFixedSize(QSize(COLUMNS * (TILE_W + GAP) - GAP, max(rows, 1) * (TILE_H + GAP) - GAP))
        self.update()

    def box(self, number: int) -> QRectF:
        """Return where a tile lies."""
        row, column = divmod(number, COLUMNS)
        return QRectF(column * (TILE_W + GAP), row * (TILE_H + GAP), TILE_W, TILE_H)

    def _at(self, pos: QPointF) -> int | None:
        return next((i for i in range(len(self.shapes)) if self.box(i).contains(pos)), None)

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        for number, shape in enumerate(self.shapes):
            box = self.box(number).adjusted(0.5, 0.5, -0.5, -0.5)
            used, under = shape.name == self.chosen, number == self._under
            keyed = self.hasFocus() and number == self._key
            p.setPen(QPen(QColor(theme.RHYTHM if used or keyed else theme.QUIET if under else theme.LINE), 1.4))
            p.setBrush(QColor(theme.SUNK))
            p.drawRoundedRect(box, 4, 4)
            p.drawPixmap(box.topLeft(), self._picture(shape))

    def choose(self, name: str) -> None:
        """Show which shape is used."""
        if name != self.chosen:
            self.chosen = name
            self.update()

    def _picture(self, shape: Shape) -> QPixmap:
        """Return a shape's little curve, drawn once."""
        found = self._pictures.get(shape)
        if found is None:
            found = QPixmap(TILE_W * 2, TILE_H * 2)
            found.setDevicePixelRatio(2)
            found.fill(Qt.GlobalColor.transparent)
            with painter_on(found) as p:
                p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
                draw_shape(p, shape, QRectF(0, 0, TILE_W, TILE_H).adjusted(5, 6, -5, -4))
            self._pictures[shape] = found
        return found

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._point_at(self._at(event.position()))

    def leaveEvent(self, event: object) -> None:
        self._point_at(None)

    def _point_at(self, number: int | None) -> None:
        if number != self._under:
            self._under = number
            self.pointed.emit(self.shapes[number] if number is not None else None)
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self._at(event.position())
        if number is not None and event.button() == Qt.MouseButton.LeftButton:
            self.picked.emit(self.shapes[number])

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        number = self._at(QPointF(event.pos()))
        self.menu_wanted.emit(self.shapes[number] if number is not None else None, event.globalPos())

    def event(self, event: QEvent) -> bool:
        # With the focus here the arrows choose among shapes; they would move the playhead.
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and event.key() in _KEYS:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -COLUMNS,
            Qt.Key.Key_Down: COLUMNS,
        }
        key = Qt.Key(event.key())
        if key in steps and self.shapes:
            self._key = min(max(self._key + steps[key], 0), len(self.shapes) - 1)
            self.pointed.emit(self.shapes[self._key])
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.shapes:
            self.picked.emit(self.shapes[self._key])
        else:
            super().keyPressEvent(event)


_KEYS = {
    Qt.Key.Key_Left,
    Qt.Key.Key_Right,
    Qt.Key.Key_Up,
    Qt.Key.Key_Down,
    Qt.Key.Key_Return,
    Qt.Key.Key_Enter,
}


def draw_shape(p: QPainter, shape: Shape, box: QRectF) -> None:
    """Draw a shape as a little curve, its speeds logarithmic; what plays backward lies below a line through zero."""
    curve = drawn_curve(shape)
    shares = np.linspace(0, 1, 48)
    speeds = speed_at(curve, shares)
    size = np.log2(np.clip(np.abs(speeds), 0.1, 6)) - np.log2(0.1)
    heights = np.where(np.abs(speeds) < 0.05, 0.0, np.sign(speeds) * size) / (np.log2(6) - np.log2(0.1))
    turning = bool((speeds < 0).any())
    zero = box.center().y() if turning else box.bottom()
    room = box.height() / 2 if turning else box.height()
    if turning:
        p.setPen(colour(theme.QUIET, 0.6))
        p.drawLine(QPointF(box.left(), zero), QPointF(box.right(), zero))
    path = QPainterPath()
    for i, (x, h) in enumerate(zip(shares.tolist(), heights.tolist(), strict=True)):
        spot = QPointF(box.left() + x * box.width(), zero - h * room)
        path.moveTo(spot) if i == 0 else path.lineTo(spot)
    p.setPen(QPen(QColor(theme.SPEED), 1.6))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawPath(path)
    # The diamond is where the point lies: what the shape is named after happens there.
    x = box.left() + shape.focus * box.width()
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(theme.RHYTHM))
    p.drawPolygon(
        [QPointF(x, box.top() - 3), QPointF(x + 3, box.top()), QPointF(x, box.top() + 3), QPointF(x - 3, box.top())]
    )
    p.setBrush(Qt.BrushStyle.NoBrush)


def drawn_curve(shape: Shape) -> Curve:
    """Return the curve to draw a shape by; one that turns between points is drawn over three gaps."""
    if shape.turning:
        return shaped_curve(Shaped(shape, align="every"), Anchors(inside=(1 / 3, 2 / 3)))
    return shaped_curve(Shaped(shape))
