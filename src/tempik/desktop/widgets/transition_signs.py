"""The signs of transitions: a small shape for each family, turned the way that a transition goes."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from tempik.transitions import TransitionType
from tempik.transitions.transition_type import way_of


def paint_transition_sign(p: QPainter, kind: TransitionType | None, direction: str, box: QRectF, ink: QColor) -> None:
    """Draw a kind's sign into a square box."""
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    p.setPen(QPen(ink, 1.4))
    p.setBrush(Qt.BrushStyle.NoBrush)
    family = kind.family if kind is not None else ""
    draw = {"fade": _fade, "movement": _movement, "zoom": _zoom, "wipe": _wipe, "pieces": _pieces}.get(family, _unknown)
    draw(p, kind, direction, box, ink)
    p.restore()


def _fade(p: QPainter, kind: TransitionType | None, direction: str, box: QRectF, ink: QColor) -> None:
    """One slope falls, the other rises."""
    p.drawLine(box.topLeft(), box.bottomRight())
    p.setBrush(ink)
    p.drawPolygon(QPolygonF([box.bottomLeft(), box.bottomRight(), box.topRight()]))


def _movement(p: QPainter, kind: TransitionType | None, direction: str, box: QRectF, ink: QColor) -> None:
    """A bar and an arrow that leaves it."""
    x, y = way_of(direction)
    p.translate(box.center())
    p.rotate(
        {(-1, 0): 180, (0, -1): -90, (0, 1): 90}.get(
            (round(x), round(y)), 45 * round(y) * (1 if x > 0 else 3) if x and y else 0
        )
    )
    r = box.width() / 2
    p.drawLine(QPointF(-r, -r), QPointF(-r, r))
    p.drawLine(QPointF(-r, 0), QPointF(r, 0))
    p.setBrush(ink)
    p.drawPolygon(QPolygonF([QPointF(r, 0), QPointF(r * 0.1, -r * 0.75), QPointF(r * 0.1, r * 0.75)]))


def _zoom(p: QPainter, kind: TransitionType | None, direction: str, box: QRectF, ink: QColor) -> None:
    """A frame within a frame; a turn is a ring with a gap."""
    if kind is not None and kind.name == "spin":
        start = 60 if direction != "anticlockwise" else 20
        p.drawArc(box.adjusted(1, 1, -1, -1), start * 16, 270 * 16)
        p.setBrush(ink)
        p.drawEllipse(box.center(), 1.6, 1.6)
        return
    p.drawRect(box)
    inner = box.adjusted(box.width() * 0.3, box.height() * 0.3, -box.width() * 0.3, -box.height() * 0.3)
    p.setBrush(ink)
    p.drawRect(inner)


def _wipe(p: QPainter, kind: TransitionType | None, direction: str, box: QRectF, ink: QColor) -> None:
    """A frame of which a part has turned."""
    p.drawRect(box)
    p.setBrush(ink)
    if kind is not None and kind.name == "iris":
        p.drawEllipse(box.center(), box.width() * 0.28, box.height() * 0.28)
    elif kind is not None and kind.name == "clock-wipe":
        p.drawPie(box, 90 * 16, -120 * 16)
    else:
        x, y = way_of(direction)
        half = box.width() / 2
        left, top = box.left() + (half if x < 0 else 0), box.top() + (half if y < 0 else 0)
        p.drawRect(QRectF(left, top, box.width() if y else half, half if y else box.height()))


def _pieces(p: QPainter, kind: TransitionType | None, direction: str, box: QRectF, ink: QColor) -> None:
    """A chequer."""
    half = box.width() / 2
    p.drawRect(box)
    p.setBrush(ink)
    p.drawRect(QRectF(box.left(), box.top(), half, half))
    p.drawRect(QRectF(box.left() + half, box.top() + half, half, half))


def _unknown(p: QPainter, kind: TransitionType | None, direction: str, box: QRectF, ink: QColor) -> None:
    p.drawText(box, Qt.AlignmentFlag.AlignCenter, "?")
