"""What is looked at on the shelf of footage: which pieces are chosen, the instant, and its picture for the preview."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage


class Looking(QObject):
    """The shelf as others need it."""

    changed = Signal()  # another picture of footage is shown in place of the reel, or none

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.image: QImage | None = None
        self.caption = ""
        self.time_s = 0.0
        self.chosen: list[str] = []  # ids of the chosen pieces, in the shelf's order
        self.order: list[str] = []  # ids of all pieces that the shelf shows

    def choose(self, chosen: Sequence[str], order: Sequence[str]) -> None:
        """Take note of the shelf's chosen pieces and of its order."""
        self.chosen, self.order = list(chosen), list(order)

    def look_at(self, time_s: float) -> None:
        """Take note of the instant that is looked at, in seconds of the file."""
        self.time_s = time_s

    def show(self, image: QImage, caption: str) -> None:
        """Show a frame of footage in place of the reel."""
        self.image, self.caption = image, caption
        self.changed.emit()

    def clear(self) -> None:
        """Show the reel again."""
        if self.image is not None:
            self.image, self.caption = None, ""
            self.changed.emit()
