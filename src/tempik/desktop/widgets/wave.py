"""The outline of a sound as a filled shape."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPolygonF

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
