"""What is painted over the picture while a layer is placed: the lines that it catches on, and the numbers of the gesture."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour, figures

AIR_PX, LINE_PX = 14, 22


def polygon(corners: NDArray[np.float64], origin: QPointF) -> QPolygonF:
    """Return corners in pixels, shape (n, 2), as a polygon from an origin."""
    return QPolygonF([QPointF(float(x), float(y)) + origin for x, y in corners])


def paint_lines(p: QPainter, box: QRectF, lit: tuple[float | None, float | None]) -> None:
    """The lines across and down, in shares of the frame, that something has caught on."""
    p.setPen(QPen(QColor(theme.RHYTHM), 1.4))
    x, y = lit
    if x is not None:
        across = box.left() + x * box.width()
        p.drawLine(QLineF(across, box.top(), across, box.bottom()))
    if y is not None:
        down = box.top() + y * box.height()
        p.drawLine(QLineF(box.left(), down, box.right(), down))


def paint_numbers(p: QPainter, box: QRectF, text: str, middle: QPointF) -> None:
    """What a gesture has set so far, near a place in pixels of the frame and within it."""
    if not text:
        return
    p.setFont(figures(12))
    wide = p.fontMetrics().horizontalAdvance(text) + AIR_PX
    left = min(max(box.left() + middle.x() - wide / 2, box.left() + 4), box.right() - wide - 4)
    top = min(max(box.top() + middle.y() - LINE_PX / 2, box.top() + 4), box.bottom() - LINE_PX - 4)
    where = QRectF(left, top, wide, LINE_PX)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(colour(theme.GROUND, 0.85))
    p.drawRoundedRect(where, 4, 4)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QColor(theme.TEXT))
    p.drawText(where, Qt.AlignmentFlag.AlignCenter, text)
