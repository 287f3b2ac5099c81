"""Lines over the preview to place by: thirds and the middle, and what phones lay over an upright picture."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour

# What phone apps lay over an upright picture: a strip at the top, a column of buttons and the words below
# (common practice; shares of the frame).
SAFE_TOP, SAFE_RIGHT, SAFE_BOTTOM, SAFE_LEFT = 0.10, 0.13, 0.18, 0.04


def paint_safe_area(p: QPainter, box: QRectF) -> None:
    """The part of the frame that phones leave free."""
    p.setPen(QPen(colour(theme.TEXT, 0.75), 1, Qt.PenStyle.DashLine))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawRect(
        box.adjusted(
            box.width() * SAFE_LEFT, box.height() * SAFE_TOP, -box.width() * SAFE_RIGHT, -box.height() * SAFE_BOTTOM
        )
    )


def paint_thirds(p: QPainter, box: QRectF) -> None:
    """Thirds and the middle."""
    p.setPen(QPen(colour(theme.TEXT, 0.45), 1))
    for share in (1 / 3, 2 / 3):
        x, y = box.left() + box.width() * share, box.top() + box.height() * share
        p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        p.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
    p.setPen(QPen(QColor(theme.RHYTHM), 1.4))
    middle = box.center()
    p.drawLine(middle - QPointF(9, 0), middle + QPointF(9, 0))
    p.drawLine(middle - QPointF(0, 9), middle + QPointF(0, 9))
