"""A slider that is taken hold of anywhere along its way."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QSlider


class FreeSlider(QSlider):
    """It goes to where it is pressed, its handle keeping `air` pixels from either end; near 0 it snaps to it where it `finds_zero`.
    The wheel moves it only where it was chosen: pages are scrolled by it."""

    finds_zero = False

    def __init__(self, air: float) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self._air = air

    def show_place(self, place: int) -> None:
        """Show where it stands without telling of it, unless it is dragged."""
        if not self.isSliderDown():
            with QSignalBlocker(self):
                self.setValue(place)
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.setSliderDown(True)
            self._go(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.isSliderDown():
            self._go(event.position().x())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.isSliderDown():
            self.setSliderDown(False)
            self.update()

    def _go(self, x: float) -> None:
        span = self.maximum() - self.minimum()
        share = (x - self._air) / max(self.width() - 2 * self._air, 1)
        place = self.minimum() + round(min(max(share, 0.0), 1.0) * span)
        if self.finds_zero and abs(place) <= span // 60:
            place = 0
        if place != self.value():
            self.setValue(place)
            self.sliderMoved.emit(place)
            self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.hasFocus():
            super().wheelEvent(event)
        else:
            event.ignore()
