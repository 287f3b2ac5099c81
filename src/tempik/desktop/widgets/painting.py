"""Painters that always end, and pictures that are painted once."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import wraps
from typing import TypeVar

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QPaintDevice, QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QWidget

from tempik.desktop.widgets import theme

W = TypeVar("W", bound=QWidget)
# A widget that cannot be painted is asked to paint sixty times a second; this often it is said.
AGAIN_S = 5.0
_SAID: dict[str, float] = {}


@contextmanager
def painter_on(device: QPaintDevice) -> Iterator[QPainter]:
    """Give a painter that ends with the block, however that ends."""
    p = QPainter(device)
    try:
        yield p
    finally:
        p.end()


def painted(paint: Callable[[W, QPainter], None]) -> Callable[[W, QPaintEvent], None]:
    """Make a `paintEvent` of a method that paints with the painter it is given. What goes wrong in it is reported like
    any fault of ours, and the widget stays blank until it can be painted again."""

    @wraps(paint)
    def paint_event(self: W, event: QPaintEvent) -> None:
        with painter_on(self) as p:
            try:
                paint(self, p)
            except Exception as error:
                p.resetTransform()
                p.setClipping(False)
                p.fillRect(self.rect(), QColor(theme.GROUND))
                _report(error)

    return paint_event


def _report(error: Exception) -> None:
    what, now = f"{type(error).__name__}: {error}", time.monotonic()
    if now - _SAID.get(what, -AGAIN_S) >= AGAIN_S:
        _SAID[what] = now
        sys.excepthook(type(error), error, error.__traceback__)


def painted_layer(widget: QWidget, paint: Callable[[QPainter], None]) -> QPixmap:
    """Return a picture of the widget's size, at its screen's resolution, painted by `paint`."""
    ratio = widget.devicePixelRatioF()
    layer = QPixmap(widget.size() * ratio)
    layer.setDevicePixelRatio(ratio)
    layer.fill(Qt.GlobalColor.transparent)
    with painter_on(layer) as painter:
        paint(painter)
    return layer
