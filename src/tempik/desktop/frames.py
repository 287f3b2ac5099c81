"""Frames for the preview: rendered ahead on a thread, and kept for as long as nothing in them changes.

What is shown is told by its plan: the same plan is the same picture, so a change elsewhere on the reel, or an undo, finds
its frames still there. Frames that are dear are made in the background, and kept small.
"""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from tempik.edit.timeline import Timeline
from tempik.errors import TempikError
from tempik.media.picture import to_rgb
from tempik.render import PictureSource, plan
from tempik.render.cost import HEAVY, signature, weight
from tempik.render.plan import FramePlan

AHEAD = 14
KEPT_BYTES = 112 << 20
SOURCE_BYTES = 160 << 20
STORED_BYTES = 56 << 20
STORED_QUALITY = 92
YIELD_S = 0.001
# The background begins once nothing was asked for so long, and tells what it has done so often.
IDLE_S = 0.7
TELL_S = 0.4
# A frame that took more than this of its time on screen is kept small too.
SLOW_SHARE = 0.8


class PreviewFrames(QObject):
    """Renders the frame wanted, and those after it while playing. `ready` and `failed` reach the interface thread;
    `prepared` says that more of the dear frames are ready."""

    ready = Signal(int)
    failed = Signal(str)
    prepared = Signal()

    def __init__(self, parent: QObject | None = None, proxy: Callable[[str], str | None] | None = None) -> None:
        super().__init__(parent)
        self._proxy = proxy
        self._lock = threading.Condition()
        self._timeline: Timeline | None = None
        self._size = (540, 960)
        self._wanted = 0
        self._ahead = 0
        self._version = 0
        self._kept: OrderedDict[int, QImage] = OrderedDict()  # by signature
        self._stored: OrderedDict[int, NDArray[np.uint8]] = OrderedDict()
        self._stored_bytes = 0
        self._signatures: dict[int, int] = {}  # of the frames of this reel, as far as they were asked for
        self._dear: dict[int, bool] = {}  # of the frames looked at: whether they are dear
        self._looked = 0  # how many frames from the playhead on are known and, where dear, ready
        self._closing = False
        self._paused = False
        self._failure = ""
        self._cost_s = 0.0  # what a frame takes to render, smoothed
        self._asked_at = time.monotonic()
        self._told_at = 0.0
        self._thread = threading.Thread(target=self._work, name="preview", daemon=True)
        self._thread.start()

    def go_on(self) -> None:
        """Render again after a load that paused."""
        with self._lock:
            self._paused = False
            self._lock.notify()

    def load(self, timeline: Timeline, size: tuple[int, int], paused: bool = False, anew: bool = False) -> None:
        """Show another reel, or the same at another size. `paused` waits for `go_on`; `anew` lets go of all that was
        rendered, as when files are others."""
        with self._lock:
            self._paused = paused
            self._timeline, self._size = timeline, size
            self._version += 1
            self._signatures, self._dear = {}, {}
            self._looked = 0
            if anew:
                self._kept.clear()
                self._stored.clear()
                self._stored_bytes = 0
            self._failure = ""
            self._asked_at = time.monotonic()
            self._lock.notify()

    def want(self, frame: int, playing: bool) -> QImage | None:
        """Say which frame is due; return it if it is ready."""
        with self._lock:
            if frame != self._wanted:
                self._looked = 0
            self._wanted, self._ahead = frame, AHEAD if playing else 2
            self._asked_at = time.monotonic()
            self._lock.notify()
            found = self._signatures.get(frame)
            return self._kept.get(found) if found is not None else None

    def stretches(self) -> list[tuple[int, int, bool]]:
        """Return the stretches of dear frames (first, end) as far as they are known, each with whether it is ready."""
        with self._lock:
            dear = sorted(k for k, is_dear in self._dear.items() if is_dear)
            ready = {k for k in dear if self._signatures.get(k) in self._stored}
        out: list[tuple[int, int, bool]] = []
        for k in dear:
            if out and out[-1][1] == k and out[-1][2] == (k in ready):
                out[-1] = (out[-1][0], k + 1, out[-1][2])
            else:
                out.append((k, k + 1, k in ready))
        return out

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
        if self._ahead == AHEAD and not self._has(first) and self._cost_s > 0:
            # Behind: what is due now would come too late, so begin with what can still be in time.
            first = min(first + 1 + int(self._cost_s * float(self._timeline.rate)), end - 1)
        return next((k for k in range(first, end) if not self._has(k)), None)

    def _has(self, frame: int) -> bool:
        found = self._signatures.get(frame)
        return found is not None and found in self._kept

    def _next_dear(self) -> int | None:
        """Return the next frame, from the playhead on, that was not looked at yet or is dear and not ready."""
        if self._timeline is None or self._failure or self._paused or self._stored_bytes > STORED_BYTES * 0.95:
            return None
        frames = self._timeline.frames
        while self._looked < frames:
            k = (self._wanted + self._looked) % frames
            dear = self._dear.get(k)
            if dear is None or (dear and self._signatures.get(k) not in self._stored):
                return k
            self._looked += 1
        return None

    def _work(self) -> None:
        with PictureSource(SOURCE_BYTES, self._proxy) as source:
            while True:
                with self._lock:
                    number, ahead = self._wait_for_work()
                    if number is None:
                        return
                    timeline, size, version = self._timeline, self._size, self._version
                assert timeline is not None
                try:
                    self._make(source, timeline, number, size, version, ahead)
                except RuntimeError:
                    return  # the window is gone

    def _wait_for_work(self) -> tuple[int | None, bool]:
        """Return the next frame to make and whether it is made ahead in the background; None when the window closes."""
        while not self._closing:
            number = self._next()
            if number is not None:
                return number, False
            idle = time.monotonic() - self._asked_at
            if idle < IDLE_S or self._ahead == AHEAD:
                self._lock.wait(IDLE_S)
                continue
            number = self._next_dear()
            if number is not None:
                return number, True
            self._lock.wait()
        return None, False

    def _make(
        self, source: PictureSource, timeline: Timeline, number: int, size: tuple[int, int], version: int, ahead: bool
    ) -> None:
        began = time.perf_counter()
        message = ""
        rgb: NDArray[np.uint8] | None = None
        found = plan(timeline, number, *size)
        key, dear = signature(found), weight(found) > HEAVY
        with self._lock:
            if version != self._version:
                return
            self._signatures[number], self._dear[number] = key, self._dear.get(number, False) or dear
            dear = self._dear[number]
            have = (not dear or key in self._stored) if ahead else key in self._kept
            small = self._stored.get(key)
        if ahead:
            time.sleep(YIELD_S)  # the interface comes first
        if not have:
            try:
                rgb = _opened(small) if small is not None else to_rgb(source.render(found))
            except TempikError as error:
                message = str(error)
            if small is None and not message and version == self._version:
                took = time.perf_counter() - began
                if dear or (took > SLOW_SHARE / float(timeline.rate) and not ahead):
                    self._store(key, number, rgb)
            if not ahead:
                self._cost_s += (time.perf_counter() - began - self._cost_s) * 0.2
        self._show(found, key, rgb, message, version, ahead)

    def _show(
        self, found: FramePlan, key: int, rgb: NDArray[np.uint8] | None, message: str, version: int, ahead: bool
    ) -> None:
        """Keep a frame that was made, and tell of it."""
        with self._lock:
            if version != self._version:
                return
            if message:
                self._failure = message
            elif rgb is not None and not ahead:
                height, width = rgb.shape[:2]
                image = QImage(rgb.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
                self._kept[key] = image
                while len(self._kept) * image.sizeInBytes() > KEPT_BYTES:
                    self._kept.popitem(last=False)
        if message:
            self.failed.emit(message)
        elif not ahead:
            self.ready.emit(found.frame)
        elif time.monotonic() - self._told_at > TELL_S or self._looked + 1 >= self._frames():
            self._told_at = time.monotonic()
            self.prepared.emit()

    def _frames(self) -> int:
        return self._timeline.frames if self._timeline is not None else 0

    def _store(self, key: int, number: int, rgb: NDArray[np.uint8] | None) -> None:
        """Keep a dear frame small."""
        if rgb is None:
            return
        good, data = cv2.imencode(".jpg", rgb, [cv2.IMWRITE_JPEG_QUALITY, STORED_QUALITY])
        if not good:
            self._dear[number] = False
            return
        with self._lock:
            self._dear[number] = True
            self._stored[key] = np.asarray(data, dtype=np.uint8)
            self._stored_bytes += data.nbytes
            while self._stored_bytes > STORED_BYTES:
                _, old = self._stored.popitem(last=False)
                self._stored_bytes -= old.nbytes


def _opened(data: NDArray[np.uint8]) -> NDArray[np.uint8]:
    # The channels went in as they are and come out as they went in.
    return np.ascontiguousarray(cv2.imdecode(data, cv2.IMREAD_COLOR), dtype=np.uint8)
