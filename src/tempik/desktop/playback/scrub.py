"""Looking at one piece of footage frame by frame: exact pictures read on a thread, the latest wish first."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage, QTransform

from tempik.desktop.session.guarded_signal import GuardedSignal
from tempik.desktop.session.latest_wish import IDLE, LatestWish, Wait
from tempik.desktop.widgets.drawing import image_of
from tempik.errors import TempikError
from tempik.media import FrameReader
from tempik.media.picture import to_rgb
from tempik.render.pictures import shared_index

LONGEST_PX = 480


class Scrubber(QObject):
    """Reads the frame on screen at an instant of a file. `shown` and `failed` reach the interface thread."""

    shown = Signal(str, float, QImage)
    failed = Signal(str)

    def __init__(self, parent: QObject | None = None, proxy: Callable[[str], str | None] | None = None) -> None:
        super().__init__(parent)
        self._proxy = proxy or (lambda path: None)
        self._signal = GuardedSignal()
        self._wish: tuple[str, float, int] | None = None
        self._reader: FrameReader | None = None
        self._worker = LatestWish("scrub", self._wanted, self._show, self._failed, self._close_reader)
        self._worker.start()

    def want(self, path: str, time_s: float, rotation_deg: int) -> None:
        """Say which frame is looked at: of a file, at a second of it, turned clockwise by so many degrees."""
        with self._worker.lock:
            self._wish = (path, time_s, rotation_deg)
            self._worker.notify()

    def close(self) -> None:
        """End after the frame that is being read; nothing more is told."""
        self._worker.close()
        self._signal.close()

    # The thread

    def _wanted(self) -> tuple[str, float, int] | Wait:
        found, self._wish = self._wish, None
        return found or IDLE

    def _show(self, wish: tuple[str, float, int]) -> None:
        path, time_s, rotation = wish
        image = image_of(self._read(path, time_s))
        if rotation:
            image = image.transformed(QTransform().rotate(rotation))
        self._signal.say(self.shown, path, time_s, image)

    def _failed(self, wish: tuple[str, float, int], error: Exception) -> None:
        message = str(error)
        if not isinstance(error, TempikError):
            self._close_reader()
            message = f"{wish[0]} could not be shown ({type(error).__name__}: {error})."
        self._signal.say(self.failed, message)

    def _close_reader(self) -> None:
        if self._reader is not None:
            self._reader.close()
            self._reader = None

    def _read(self, path: str, time_s: float) -> NDArray[np.uint8]:
        """Return the frame on screen at an instant of a file, by the reader that read the last one where it serves."""
        stands = self._proxy(path) or path
        if len(shared_index(stands).pts) != len(shared_index(path).pts):
            stands = path  # the proxy ends where the file's broken tail begins
        if self._reader is None or self._reader.path != stands or self._reader.stale:
            self._close_reader()
            self._reader = FrameReader(stands, shared_index(stands), 96 << 20, LONGEST_PX)
        number = shared_index(path).frame_at(time_s)
        return to_rgb(self._reader.frame(number, backward=stands == path))
