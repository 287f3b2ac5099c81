"""Small things that several views draw: a picture that fills a box, the sign of a cue."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QWidget

from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour


def paint_sunk(p: QPainter, widget: QWidget) -> None:
    """Paint the ground of a graph: sunk, with round corners, smooth lines from now on."""
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(theme.SUNK))
    p.drawRoundedRect(QRectF(widget.rect()), 4, 4)


def draw_label(p: QPainter, at: QPointF, text: str, right: float) -> None:
    """Write what stands at a place of an axis, where all of it fits: a number that is cut off would be another number."""
    if at.x() + p.fontMetrics().horizontalAdvance(text) <= right:
        p.drawText(at, text)


def draw_filling(p: QPainter, target: QRectF, picture: QPixmap) -> None:
    """Draw a picture so that it fills a box, its middle kept."""
    scale = max(target.width() / picture.width(), target.height() / picture.height())
    w, h = target.width() / scale, target.height() / scale
    p.drawPixmap(target, picture, QRectF((picture.width() - w) / 2, (picture.height() - h) / 2, w, h))


def draw_whole(p: QPainter, target: QRectF, picture: QPixmap) -> None:
    """Draw a picture whole in the middle of a box."""
    scale = min(target.width() / picture.width(), target.height() / picture.height())
    w, h = picture.width() * scale, picture.height() * scale
    at = QRectF(target.center().x() - w / 2, target.center().y() - h / 2, w, h)
    p.drawPixmap(at, picture, QRectF(picture.rect()))


def paint_cue(p: QPainter, x: float, bottom: float, size: float = 6.0, filled: bool = True) -> None:
    """A cue's sign: a small triangle standing on the instant; open while it is tied to nothing."""
    p.setPen(QPen(QColor(theme.GROUND if filled else theme.CUE), 1 if filled else 1.6))
    p.setBrush(QColor(theme.CUE) if filled else colour(theme.SUNK, 0.8))
    p.drawPolygon(QPolygonF([QPointF(x, bottom - 2 * size), QPointF(x + size, bottom), QPointF(x - size, bottom)]))
    p.setBrush(Qt.BrushStyle.NoBrush)
