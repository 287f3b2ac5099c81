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
