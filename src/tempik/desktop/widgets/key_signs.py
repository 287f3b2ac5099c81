"""The sign of a key: a square, so that none is taken for a point's diamond; its right half says how it goes on."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from tempik.desktop.widgets import theme
from tempik.edit.clip_keys import KeyMark

KEY_PX = 4.5  # from its middle to its sides


def paint_key(p: QPainter, at: QPointF, mark: KeyMark, chosen: bool, size: float = KEY_PX) -> None:
    """Paint a key: in the colour of rhythm where it goes with a point, with a bar behind it where it is held, larger where it is chosen."""
    ink = QColor(theme.RHYTHM if mark.tied else theme.TEXT)
    half = size + (1 if chosen else 0)
    p.save()
    p.setPen(QPen(QColor(theme.TEXT if chosen else theme.GROUND), 1.8 if chosen else 1))
    p.setBrush(ink)
    if mark.ease == "even":
        p.drawRect(QRectF(at.x() - half, at.y() - half, 2 * half, 2 * half))
    elif mark.ease == "hold":
        p.drawRect(QRectF(at.x() - half, at.y() - half, half, 2 * half))
        p.fillRect(QRectF(at.x(), at.y() - 1, half + 3, 2), ink)
    else:
        p.drawRoundedRect(QRectF(at.x() - half, at.y() - half, 2 * half, 2 * half), half * 0.7, half * 0.7)
        p.setPen(Qt.PenStyle.NoPen)
        # Slow on one side alone: that side is square.
        if mark.ease in ("slow start", "slow end"):
            left = at.x() - half if mark.ease == "slow end" else at.x()
            p.drawRect(QRectF(left, at.y() - half, half, 2 * half))
    p.restore()
