"""Small signs on clips that have more than their picture: a grade, masks, keys, a cut-out, a subject followed, repeats, their own
sound. The timeline and the stack of layers show the same."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPen

from tempik.reel import Clip
from tempik.reel.frame_shapes import FRAME_SHAPES

SIGN_PX, HALF = 13, 4.5


def signs_of(clip: Clip) -> list[str]:
    """Return in words what a clip has, in the order of its signs."""
    found = (
        ("graded", clip.grade is not None),
        ("masked", bool(clip.masks) or clip.clear is not None),
        ("keyed", any(name != "word" for name in clip.keys)),
        ("cut out", bool(clip.cutout)),
        ("in a window", clip.framing.window is not None),
        ("follows its subject", clip.follow is not None),
        ("comes again on points", clip.repeat is not None),
        ("own sound", clip.sound.on),
        ("framed in other shapes", any(name in FRAME_SHAPES for name in clip.shapes)),
    )
    return [text for text, has in found if has]


def paint_signs(p: QPainter, at: QPointF, signs: Sequence[str], ink: QColor) -> None:
    """Paint signs from left to right, the first beginning at a place, on whose height their middles lie."""
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    for number, sign in enumerate(signs):
        p.setPen(QPen(ink, 1.1))
        p.setBrush(Qt.BrushStyle.NoBrush)
        PAINTERS[sign](p, QPointF(at.x() + number * SIGN_PX + SIGN_PX / 2, at.y()), ink)
    p.restore()


def _graded(p: QPainter, at: QPointF, ink: QColor) -> None:
    p.drawEllipse(at, HALF, HALF)
    half = QPainterPath(QPointF(at.x(), at.y() - HALF))
    half.arcTo(QRectF(at.x() - HALF, at.y() - HALF, 2 * HALF, 2 * HALF), 90, 180)
    p.fillPath(half, QBrush(ink))


def _masked(p: QPainter, at: QPointF, ink: QColor) -> None:
    p.setPen(QPen(ink, 1.1, Qt.PenStyle.DotLine))
    p.drawEllipse(at, HALF, HALF - 1)


def _keyed(p: QPainter, at: QPointF, ink: QColor) -> None:
    p.drawPolyline([at + QPointF(-HALF, 2.5), at + QPointF(-1, -2.5), at + QPointF(HALF, 1)])
    p.setBrush(ink)
    for x, y in ((-HALF, 2.5), (-1.0, -2.5), (HALF, 1.0)):
        p.drawEllipse(at + QPointF(x, y), 1, 1)


def _cut_out(p: QPainter, at: QPointF, ink: QColor) -> None:
    p.setBrush(ink)
    p.drawEllipse(at + QPointF(0, -2.4), 1.9, 1.9)
    body = QPainterPath(at + QPointF(-3.6, HALF))
    body.quadTo(at + QPointF(-3, 0.4), at + QPointF(0, 0.4))
    body.quadTo(at + QPointF(3, 0.4), at + QPointF(3.6, HALF))
    p.drawPath(body)


def _in_a_window(p: QPainter, at: QPointF, ink: QColor) -> None:
    p.drawRect(QRectF(at.x() - HALF, at.y() - HALF, 2 * HALF, 2 * HALF))
    p.fillRect(QRectF(at.x(), at.y() - HALF + 1.5, HALF - 1, HALF), ink)


def _follows(p: QPainter, at: QPointF, ink: QColor) -> None:
    p.drawEllipse(at, 2.6, 2.6)
    for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
        p.drawLine(at + QPointF(dx * 2.6, dy * 2.6), at + QPointF(dx * HALF, dy * HALF))


def _comes_again(p: QPainter, at: QPointF, ink: QColor) -> None:
    p.drawArc(QRectF(at.x() - 3.8, at.y() - 3.8, 7.6, 7.6), 60 * 16, 285 * 16)
    tip = at + QPointF(3.6, -1.6)
    p.drawPolyline([tip + QPointF(-3.4, 0.2), tip, tip + QPointF(0.6, -3.2)])


def _sounds(p: QPainter, at: QPointF, ink: QColor) -> None:
    for x, high in ((-3.4, 1.6), (-1.1, 4.0), (1.2, 2.6), (3.5, 1.2)):
        p.drawLine(at + QPointF(x, -high), at + QPointF(x, high))


def _shaped(p: QPainter, at: QPointF, ink: QColor) -> None:
    p.drawRect(QRectF(at.x() - 2, at.y() - HALF + 0.5, 4, 2 * HALF - 1))
    p.drawRect(QRectF(at.x() - HALF, at.y() - 1.5, 2 * HALF, 3))


PAINTERS: dict[str, Callable[[QPainter, QPointF, QColor], None]] = {
    "graded": _graded,
    "masked": _masked,
    "keyed": _keyed,
    "cut out": _cut_out,
    "in a window": _in_a_window,
    "follows its subject": _follows,
    "comes again on points": _comes_again,
    "own sound": _sounds,
    "framed in other shapes": _shaped,
}
