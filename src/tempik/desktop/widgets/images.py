"""Colours that were worked out, as Qt's pictures."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage


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
