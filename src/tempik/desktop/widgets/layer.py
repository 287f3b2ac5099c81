"""A widget's standing picture: painted once, kept until something in it changes, with what moves drawn over it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import QWidget

from tempik.desktop.widgets.painting import painter_on


def painted_layer(widget: QWidget, paint: Callable[[QPainter], None]) -> QPixmap:
    """Return a picture of the widget's size, at its screen's resolution, painted by `paint`."""
    ratio = widget.devicePixelRatioF()
    layer = QPixmap(widget.size() * ratio)
    layer.setDevicePixelRatio(ratio)
    layer.fill(Qt.GlobalColor.transparent)
    with painter_on(layer) as painter:
        paint(painter)
    return layer
