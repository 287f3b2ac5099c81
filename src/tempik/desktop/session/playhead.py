"""The playhead: the frame of the reel that is looked at."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal


class Playhead(QObject):
    """Stands on a frame of the reel. `frames` says how many the reel has."""

    moved = Signal(int)

    def __init__(self, frames: Callable[[], int], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._frames = frames
        self._frame = 0

    @property
    def frame(self) -> int:
        """The frame that it is on."""
        return self._frame

    def go(self, frame: int) -> None:
        """Move to a frame of the reel, or to the nearest that it has."""
        frame = min(max(frame, 0), max(self._frames() - 1, 0))
        if frame != self._frame:
            self._frame = frame
            self.moved.emit(frame)

    def to_start(self) -> None:
        """Stand on the first frame of another reel, and say so whatever was looked at before."""
        self._frame = 0
        self.moved.emit(0)

    def keep_on_reel(self) -> None:
        """Step back onto the reel where it has become shorter."""
        if self._frame >= self._frames() > 0:
            self.go(self._frames() - 1)
