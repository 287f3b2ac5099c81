"""Upright lines and stripes of one height, hundreds at once: worked out as one row of pixels and drawn out downward, which
costs a tenth of as many lines."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QImage, QPainter


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
