"""Signs, labels and pictures as they are drawn."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPixmap, QPolygonF
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


def image_of(rgb: NDArray[np.uint8]) -> QImage:
    """Return RGB of shape (height, width, 3) as a picture of its own, which any thread may make."""
    rows = np.ascontiguousarray(rgb)
    height, width = rows.shape[:2]
    return QImage(rows.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def rgb_of(image: QImage) -> NDArray[np.uint8]:
    """Return a picture as RGB of its own, shape (height, width, 3). What Qt gives of a picture's memory does not keep it: read after
    the picture has gone it ended the program."""
    plain = image.convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(plain.constBits(), np.uint8).reshape(plain.height(), plain.bytesPerLine())
    return rows[:, : 3 * plain.width()].reshape(plain.height(), plain.width(), 3).copy()


MOST_POINTS = 1200


def wave_shape(peaks: NDArray[np.float32], box: QRectF) -> QPolygonF:
    """Return an outline, values 0 to 1 evenly spread, as a shape about the middle of a box."""
    count = max(2, min(MOST_POINTS, round(box.width()), len(peaks)))
    if not len(peaks) or box.width() <= 0:
        return QPolygonF()
    edges = (np.arange(count + 1) * len(peaks) / count).astype(np.int64)
    heights = np.maximum.reduceat(peaks, np.minimum(edges[:-1], len(peaks) - 1))
    middle, half = box.center().y(), box.height() / 2
    xs = box.left() + (np.arange(count) + 0.5) / count * box.width()
    # Quiet tails are seen too: the root of the level is drawn.
    ys = np.sqrt(np.clip(heights, 0, 1)) * half
    upper = [QPointF(x, middle - y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]
    lower = [QPointF(x, middle + y) for x, y in zip(xs[::-1].tolist(), ys[::-1].tolist(), strict=True)]
    return QPolygonF([*upper, *lower])


def paint_wave(p: QPainter, peaks: NDArray[np.float32], box: QRectF) -> None:
    """Paint an outline in a box, with the painter's pen and brush; a thin line where it is narrow."""
    if box.width() < 2:
        p.drawLine(QPointF(box.left(), box.top()), QPointF(box.left(), box.bottom()))
        return
    p.drawPolygon(wave_shape(peaks, box))


def draw_lines(
    p: QPainter, room: QRectF, xs: Sequence[float], alphas: Sequence[float], shade: QColor, wide: float = 1.0
) -> None:
    """Draw upright lines through a box, their middles at `xs`, each with an opacity 0 to 1; of two on one pixel the
    stronger is seen."""
    ratio = p.device().devicePixelRatioF()
    count = max(1, round(room.width() * ratio))
    thick = max(1, round(wide * ratio))
    first = np.floor((np.asarray(xs, float) - room.left() - wide / 2) * ratio + 0.5).astype(int)
    strength = np.zeros(count + 2 * thick)
    inside = (first > -thick) & (first < count)
    for k in range(thick):
        np.maximum.at(strength, first[inside] + k + thick, np.asarray(alphas, float)[inside])
    strength = strength[thick : thick + count, None]
    _draw(p, room, strength * [shade.blue(), shade.green(), shade.red(), 255])


def draw_spans(
    p: QPainter, room: QRectF, lefts: Sequence[float], rights: Sequence[float], shades: Sequence[QColor]
) -> None:
    """Draw stripes through a box from left to right, in order and apart from each other, each at least a pixel wide."""
    if not lefts:
        return
    ratio = p.device().devicePixelRatioF()
    count = max(1, round(room.width() * ratio))
    first = np.round((np.asarray(lefts, float) - room.left()) * ratio)
    end = np.maximum(np.round((np.asarray(rights, float) - room.left()) * ratio), first + 1)
    columns = np.arange(count)
    number = np.searchsorted(first, columns, "right") - 1
    covered = (number >= 0) & (columns < end[np.maximum(number, 0)])
    table = np.array([(s.blue() * s.alphaF(), s.green() * s.alphaF(), s.red() * s.alphaF(), s.alpha()) for s in shades])
    _draw(p, room, np.where(covered[:, None], table[number], 0))


def _draw(p: QPainter, room: QRectF, colours: NDArray[np.float64]) -> None:
    """Draw a row of premultiplied blue, green, red and opacity (0 to 255) out over a box."""
    row = np.ascontiguousarray(np.round(colours).astype(np.uint8))
    image = QImage(row.data, len(row), 1, 4 * len(row), QImage.Format.Format_ARGB32_Premultiplied)
    p.drawImage(QRectF(room.left(), room.top(), room.width(), room.height()), image)
