"""Shapes as little curves to choose from: those that come with the program, then one's own."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPixmap

from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painter_on
from tempik.desktop.widgets.theme import colour
from tempik.desktop.widgets.tile_grid import TileGrid
from tempik.reel import Curve, Shaped, SpeedShape
from tempik.retime import SlotAnchors, shaped_curve, speed_at

TILE_W, TILE_H, GAP = 45, 27, 4
COLUMNS = 6


class ShapeTiles(TileGrid):
    """A grid of shapes."""

    def __init__(self) -> None:
        super().__init__((TILE_W, TILE_H), GAP, COLUMNS)
        self._pictures: dict[SpeedShape, QPixmap] = {}
        self.setAccessibleName("Shapes of speed; arrows choose, Enter applies")

    def paint_tile(self, p: QPainter, number: int, box: QRectF) -> None:
        shape, box = self.items[number], box.adjusted(0.5, 0.5, -0.5, -0.5)
        used, under = self.used(number), number == self.under
        p.setPen(QPen(QColor(theme.RHYTHM if used else theme.QUIET if under else theme.LINE), 1.4))
        p.setBrush(QColor(theme.SUNK))
        p.drawRoundedRect(box, 4, 4)
        p.drawPixmap(box.topLeft(), self._picture(shape))

    def _picture(self, shape: SpeedShape) -> QPixmap:
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


def draw_shape(p: QPainter, shape: SpeedShape, box: QRectF) -> None:
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


def drawn_curve(shape: SpeedShape) -> Curve:
    """Return the curve to draw a shape by; one that turns between points is drawn over three gaps."""
    if shape.turning:
        return shaped_curve(Shaped(shape, align="every"), SlotAnchors(inside=(1 / 3, 2 / 3)))
    return shaped_curve(Shaped(shape))
