"""Looking at one piece of footage frame by frame: exact pictures read on a thread, the latest wish first."""

from __future__ import annotations

import threading
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage, QTransform

from tempik.desktop.session.guarded_signal import GuardedSignal
from tempik.desktop.session.log import log_fault
from tempik.desktop.widgets.images import image_of
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
        self._lock = threading.Condition()
        self._signal = GuardedSignal()
        self._options: tuple[str, float, int] | None = None
        self._closing = False
        self._thread = threading.Thread(target=self._work, name="scrub", daemon=True)
        self._thread.start()

    def want(self, path: str, time_s: float, rotation_deg: int) -> None:
        with self._lock:
            self._options = (path, time_s, rotation_deg)
            self._lock.notify()

    def close(self) -> None:
        with self._lock:
            self._closing = True
            self._lock.notify()
        self._thread.join(5)
        self._signal.close()

    def _work(self) -> None:
        reader: FrameReader | None = None
        while True:
            with self._lock:
                while self._options is None and not self._closing:
                    self._lock.wait()
                if self._closing or self._signal.closed or self._options is None:
                    break
                path, time_s, rotation = self._options
                self._options = None
            try:
                reader, rgb = self._read(reader, path, time_s)
            except TempikError as error:
                self._signal.say(self.failed, str(error))
                continue
            except Exception as error:  # whatever it is, the next wish must still be read
                log_fault("scrub", error)
                self._signal.say(self.failed, f"{path} could not be shown ({type(error).__name__}: {error}).")
                reader = None
                continue
            image = image_of(rgb)
            if rotation:
                image = image.transformed(QTransform().rotate(rotation))
            self._signal.say(self.shown, path, time_s, image)
        if reader is not None:
            reader.close()

    def _read(self, reader: FrameReader | None, path: str, time_s: float) -> tuple[FrameReader, NDArray[np.uint8]]:
        """Return the frame on screen at an instant of a file, and the reader that read it: the last one where it serves."""
        stands = self._proxy(path) or path
        if len(shared_index(stands).pts) != len(shared_index(path).pts):
            stands = path  # the proxy ends where the file's broken tail begins
        if reader is None or reader.path != stands or reader.stale:
            if reader is not None:
                reader.close()
            reader = FrameReader(stands, shared_index(stands), 96 << 20, LONGEST_PX)
        number = shared_index(path).frame_at(time_s)
        return reader, to_rgb(reader.frame(number, backward=stands == path))
