"""Frames for the preview: rendered ahead on a thread, kept until the reel changes."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from tempik.edit.timeline import Timeline
from tempik.errors import TempikError
from tempik.media.picture import to_rgb
from tempik.render import PictureSource, plan

AHEAD = 14
KEPT_BYTES = 160 << 20


class PreviewFrames(QObject):
    """Renders the frame wanted, and those after it while playing. `ready` and `failed` reach the interface thread."""

    ready = Signal(int)
    failed = Signal(str)

    def __init__(self, parent: QObject | None = None, proxy: Callable[[str], str | None] | None = None) -> None:
        super().__init__(parent)
        self._proxy = proxy
        self._lock = threading.Condition()
        self._timeline: Timeline | None = None
        self._size = (540, 960)
        self._wanted = 0
        self._ahead = 0
        self._version = 0
        self._kept: OrderedDict[int, QImage] = OrderedDict()
        self._closing = False
        self._paused = False
        self._failure = ""
        self._cost_s = 0.0  # what a frame takes to render, smoothed
        self._thread = threading.Thread(target=self._work, name="preview", daemon=True)
        self._thread.start()

    def go_on(self) -> None:
        """Render again after a load that paused."""
        with self._lock:
            self._paused = False
            self._lock.notify()

    def load(self, timeline: Timeline, size: tuple[int, int], paused: bool = False) -> None:
        """Show another reel, or the same at another size; what was rendered is let go. `paused` waits for `go_on`."""
        with self._lock:
            self._paused = paused
            self._timeline, self._size = timeline, size
            self._version += 1
            self._kept.clear()
            self._failure = ""
            self._lock.notify()

    def want(self, frame: int, playing: bool) -> QImage | None:
        """Say which frame is due; return it if it is ready."""
        with self._lock:
            self._wanted, self._ahead = frame, AHEAD if playing else 2
            self._lock.notify()
            return self._kept.get(frame)

    def close(self) -> None:
        with self._lock:
            self._closing = True
            self._lock.notify()
        self._thread.join(5)

    def _next(self) -> int | None:
        """Return the first frame that is wanted and missing."""
        if self._timeline is None or self._failure or self._paused:
            return None
        end = min(self._timeline.frames, self._wanted + self._ahead + 1)
        first = self._wanted
        if self._ahead == AHEAD and first not in self._kept and self._cost_s > 0:
            # Behind: what is due now would come too late, so begin with what can still be in time.
            first = min(first + 1 + int(self._cost_s * float(self._timeline.rate)), end - 1)
        return next((k for k in range(first, end) if k not in self._kept), None)

    def _work(self) -> None:
        with PictureSource(256 << 20, self._proxy) as source:
            while True:
                with self._lock:
                    while not self._closing and (number := self._next()) is None:
                        self._lock.wait()
                    if self._closing:
                        return
                    timeline, size, version = self._timeline, self._size, self._version
                assert timeline is not None and number is not None
                began = time.perf_counter()
                try:
                    image = _image(source, timeline, number, size)
                except TempikError as error:
                    image = None
                    message = str(error)
                with self._lock:
                    self._cost_s += (time.perf_counter() - began - self._cost_s) * 0.2
                    if version != self._version:
                        continue
                    if image is None:
                        self._failure = message
                    else:
                        self._keep(number, image)
                try:
                    if image is None:
                        self.failed.emit(message)
                    else:
                        self.ready.emit(number)
                except RuntimeError:
                    return  # the window is gone

    def _keep(self, number: int, image: QImage) -> None:
        self._kept[number] = image
        while len(self._kept) * image.sizeInBytes() > KEPT_BYTES:
            self._kept.popitem(last=False)


def _image(source: PictureSource, timeline: Timeline, number: int, size: tuple[int, int]) -> QImage:
    rgb = to_rgb(source.render(plan(timeline, number, *size)))
    height, width = rgb.shape[:2]
    return QImage(rgb.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
