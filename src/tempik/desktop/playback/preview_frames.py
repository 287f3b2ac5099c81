"""Frames for the preview: rendered ahead on a thread, and kept for as long as nothing in them changes. Where proxies stand for
files, the frame at rest is made again without them.

What is shown is told by its plan: the same plan is the same picture, so a change elsewhere on the reel, or an undo, finds
its frames still there. Frames that are dear are made in the background, and kept small.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Hashable
from typing import NamedTuple

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from tempik.desktop.playback.at_rest import AtRest, Resting
from tempik.desktop.session.guarded_signal import GuardedSignal
from tempik.desktop.session.latest_wish import IDLE, LatestWish, Wait
from tempik.desktop.widgets.drawing import image_of
from tempik.errors import TempikError
from tempik.media.picture import to_rgb
from tempik.render import PictureSource, plan
from tempik.render.alone import Alone, plan_alone, shown_alone
from tempik.render.cost import HEAVY, weight
from tempik.render.ungraded import is_graded, ungraded
from tempik.timeline.timeline import Timeline

AHEAD = 14
KEPT_BYTES = 112 << 20
SOURCE_BYTES = 160 << 20
STORED_BYTES = 56 << 20
STORED_QUALITY = 92
YIELD_S = 0.001
# The background begins once nothing was asked for so long, and tells what it has done so often.
IDLE_S = 0.7
TELL_S = 0.4
FRESH_S = 2.0  # so long the stretches of dear frames are told as they were, unless more of them were made ahead
SHARP = "sharp"  # of an image: that no proxy stood in for a file
# A frame that took more than this of its time on screen is kept small too.
SLOW_SHARE = 0.8


class PreviewFrames(QObject):
    """Renders the frame wanted, and those after it while playing. `ready` and `failed` reach the interface thread;
    `prepared` says that more of the dear frames are ready. A frame that cannot be made is told of, and the next is made."""

    ready = Signal(int)
    failed = Signal(int, str)
    prepared = Signal()

    def __init__(self, parent: QObject | None = None, proxy: Callable[[str], str | None] | None = None) -> None:
        super().__init__(parent)
        self._proxy = proxy
        self._source = PictureSource(SOURCE_BYTES, proxy)
        self._worker = LatestWish("preview", self._wish, self._make, self._failed_to_make, self._source.close)
        self._lock = self._worker.lock
        self._signal = GuardedSignal()
        self._timeline: Timeline | None = None
        self._size = (540, 960)
        self._wanted = 0
        self._ahead = 0
        self._version = 0
        self._kept: LRUCache[Hashable, QImage] = LRUCache(KEPT_BYTES, getsizeof=lambda image: image.sizeInBytes())
        self._stored: LRUCache[Hashable, NDArray[np.uint8]] = LRUCache(STORED_BYTES, getsizeof=lambda data: data.nbytes)
        self._keys: dict[int, Hashable] = {}  # of the frames of this reel, as far as they were asked for
        self._dear: dict[int, bool] = {}  # of the frames looked at: whether they are dear
        self._faulty: dict[int, str] = {}  # frames of this reel that could not be made, and why
        self._stretches: _Stretches | None = None  # as they were last told
        self._looked = 0  # how many frames from the playhead on are known and, where dear, ready
        self._both = self._before = self._quick = False
        self._alone: tuple[str, Alone] = ("", "")  # which clip is shown by itself, and how
        self._letting_go = self._resting = False
        self._paused = False
        self._cost_s = 0.0  # what a frame takes to render, smoothed
        self._asked_at = time.monotonic()
        self._told_at, self._news = 0.0, 0
        self._rest = AtRest(proxy or (lambda path: None), self._sharpened)
        self._worker.start()

    def go_on(self) -> None:
        """Render again after a load that paused."""
        with self._lock:
            self._paused = False
            self._lock.notify()

    def set_both(self, wanted: bool) -> None:
        """Make each frame twice from the next load on: before any grade, and beside it after."""
        with self._lock:
            self._both = wanted

    def show_before(self, wanted: bool) -> None:
        """Show frames as they are before any grade."""
        with self._lock:
            if wanted == self._before:
                return
            self._before = wanted
            self._version += 1
            self._keys, self._dear = {}, {}
            self._lock.notify()
        self.ready.emit(-1)

    def show_alone(self, clip: str, how: Alone) -> None:
        """Show a clip by itself where it is seen: over a checkerboard or as where it shows; '' shows all."""
        with self._lock:
            if (clip, how) == self._alone:
                return
            self._alone = clip, how
            self._version += 1
            self._keys, self._dear = {}, {}
            self._lock.notify()
        self.ready.emit(-1)

    def load(
        self,
        timeline: Timeline,
        size: tuple[int, int],
        paused: bool = False,
        anew: bool = False,
        quick: bool = False,
    ) -> None:
        """Show another reel, or the same at another size. `paused` waits for `go_on`; `anew` lets go of all that was
        rendered, as when files are others; `quick` has grades coarser, while they are dragged."""
        with self._lock:
            self._paused, self._quick = paused, quick
            self._timeline, self._size = timeline, size
            self._version += 1
            self._keys, self._dear, self._faulty = {}, {}, {}
            self._looked = 0
            if anew:
                self._kept.clear()
                self._stored.clear()
            self._asked_at = time.monotonic()
            self._lock.notify()

    def want(self, frame: int, playing: bool) -> QImage | None:
        """Say which frame is due; return it if it is ready."""
        with self._lock:
            if frame != self._wanted:
                self._looked = 0
            # While something is dragged what comes after is not looked at, and would hold up the next step.
            self._wanted, self._ahead = frame, AHEAD if playing else 0 if self._quick else 2
            self._asked_at = time.monotonic()
            self._lock.notify()
            found = self._keys.get(frame)
            image = self._kept.get(found) if found is not None else None
            moves = playing or self._quick or self._both or self._resting or bool(self._alone[1])
            if moves or image is None or self._timeline is None:
                self._rest.move_on()
            elif not image.text(SHARP):
                self._rest.rest_on(Resting(self._timeline, frame, self._size, self._version, self._before))
            return image

    def make_room(self, wanted: bool) -> None:
        """Let go of all that was rendered and read, and make nothing ahead, for as long as the room is wanted."""
        with self._lock:
            self._resting = self._letting_go = wanted
            if wanted:
                self._rest.let_go()
                self._kept.clear()
                self._stored.clear()
                self._looked = 0
                self._news += 1
            self._lock.notify()

    def fault(self, frame: int) -> str:
        """Return why a frame of this reel could not be made, '' where it could or was not tried."""
        with self._lock:
            return self._faulty.get(frame, "")

    def stretches(self) -> list[tuple[int, int, bool]]:
        """Return the stretches of dear frames (first, end) as far as they are known, each with whether it is ready. The timeline asks at every
        paint, so what was made since is told some at a time."""
        now = time.monotonic()
        with self._lock:
            kept, state = self._stretches, (self._version, self._news)
            if kept is not None and kept.state == state and now - kept.at < FRESH_S:
                return kept.found
            dear = np.array(sorted(k for k, is_dear in self._dear.items() if is_dear), dtype=int)
            ready = np.array([self._keys.get(k) in self._stored for k in dear.tolist()], dtype=bool)
        first = np.flatnonzero(np.r_[True, (np.diff(dear) != 1) | (ready[1:] != ready[:-1])][: len(dear)])
        last = np.r_[first[1:], len(dear)][: len(first)] - 1
        found = list(zip(dear[first].tolist(), (dear[last] + 1).tolist(), ready[first].tolist(), strict=True))
        self._stretches = _Stretches(state, now, found)
        return found

    def close(self) -> None:
        """End after the frame that is being made; nothing more is told."""
        self._rest.close()
        self._worker.close()
        self._signal.close()

    def _sharpened(self, frame: Resting, key: Hashable, rgb: NDArray[np.uint8]) -> None:
        """Keep a frame that was made from the files themselves in place of that from their proxies."""
        image = image_of(rgb)
        image.setText(SHARP, "yes")
        with self._lock:
            if frame.version != self._version or self._resting:
                return
            self._kept[key] = image
        self._signal.say(self.ready, frame.number)

    # The thread

    def _next(self) -> int | None:
        """Return the first frame that is wanted and missing."""
        if self._timeline is None or self._paused:
            return None
        end = min(self._timeline.frames, self._wanted + self._ahead + 1)
        first = self._wanted
        if self._ahead == AHEAD and not self._has(first) and self._cost_s > 0:
            # Behind: what is due now would come too late, so begin with what can still be in time.
            first = min(first + 1 + int(self._cost_s * float(self._timeline.rate)), end - 1)
        return next((k for k in range(first, end) if not self._has(k)), None)

    def _has(self, frame: int) -> bool:
        """Tell whether a frame is ready, or cannot be."""
        found = self._keys.get(frame)
        return frame in self._faulty or (found is not None and found in self._kept)

    def _next_dear(self) -> int | None:
        """Return the next frame, from the playhead on, that was not looked at yet or is dear and not ready."""
        if self._timeline is None or self._paused or self._stored.currsize > STORED_BYTES * 0.95:
            return None
        frames = self._timeline.frames
        while self._looked < frames:
            k = (self._wanted + self._looked) % frames
            dear = self._dear.get(k)
            if k not in self._faulty and (dear is None or (dear and self._keys.get(k) not in self._stored)):
                return k
            self._looked += 1
        return None

    def _wish(self) -> _Task | Wait:
        """Return the next frame to make, from what is due or ahead in the background; or how long to wait."""
        if self._letting_go:
            self._source.close()
            self._letting_go = False
        number, ahead = self._next(), False
        if number is None:
            idle = time.monotonic() - self._asked_at
            if idle < IDLE_S or self._ahead == AHEAD or self._resting:
                return Wait(IDLE_S)
            number, ahead = self._next_dear(), True
        if number is None or self._timeline is None:
            return IDLE
        how = _How(self._both and not self._before, self._before, self._quick, *self._alone)
        return _Task(self._timeline, number, self._size, self._version, ahead, how)

    def _failed_to_make(self, task: _Task, error: Exception) -> None:
        message = str(error)
        if not isinstance(error, TempikError):
            message = f"Frame {task.number} could not be made ({type(error).__name__}: {error}); Help → Show log has what to report."
        self._give_up(task, message)

    def _make(self, task: _Task) -> None:
        began = time.perf_counter()
        how, was = task.how, None
        single = plan_alone(task.timeline, task.number, task.size, how.clip) if how.alone else None
        found = single if single is not None else plan(task.timeline, task.number, *task.size)
        if is_graded(found) and single is None:
            was = ungraded(found) if how.both else None
            found = ungraded(found) if how.before else found._replace(quick=how.quick)
        key: Hashable = (found.key(), "both") if how.both else found.key()
        if single is not None:
            key = (found.key(), how.alone)
        dear = weight(found) > HEAVY
        with self._lock:
            if task.version != self._version:
                return
            dear = self._dear.get(task.number, False) or dear
            self._keys[task.number], self._dear[task.number] = key, dear
            have = (not dear or key in self._stored) if task.ahead else key in self._kept
            small = self._stored.get(key)
        if task.ahead:
            time.sleep(YIELD_S)  # the interface comes first
        rgb: NDArray[np.uint8] | None = None
        if not have:
            if small is not None:
                rgb = _opened(small)
            elif single is not None:
                rgb = shown_alone(self._source, single, how.alone)
            else:
                rgb = to_rgb(self._source.render(found))
            if how.both and small is None and single is None:
                rgb = np.hstack([to_rgb(self._source.render(was)) if was is not None else rgb, rgb])
            took = time.perf_counter() - began
            slow = took > SLOW_SHARE / float(task.timeline.rate) and not task.ahead
            if small is None and (dear or slow) and not how.quick:
                self._store(key, task, rgb)
            if not task.ahead:
                self._cost_s += (took - self._cost_s) * 0.2
        self._show(key, task, rgb)

    def _show(self, key: Hashable, task: _Task, rgb: NDArray[np.uint8] | None) -> None:
        """Keep a frame that was made, and tell of it."""
        with self._lock:
            if task.version != self._version:
                return
            if rgb is not None and not task.ahead:
                image = image_of(rgb)
                if task.how.both:
                    image.setText("both", "before, after")  # two pictures beside each other
                self._kept[key] = image
            last = self._looked + 1 >= task.timeline.frames
        if not task.ahead:
            self._signal.say(self.ready, task.number)
        elif time.monotonic() - self._told_at > TELL_S or last:
            self._told_at = time.monotonic()
            self._news += 1
            self._signal.say(self.prepared)

    def _store(self, key: Hashable, task: _Task, rgb: NDArray[np.uint8]) -> None:
        """Keep a dear frame small."""
        good, data = cv2.imencode(".jpg", rgb, [cv2.IMWRITE_JPEG_QUALITY, STORED_QUALITY])
        with self._lock:
            # A reel that was loaded meanwhile may mean another picture by this frame.
            if task.version == self._version:
                self._dear[task.number] = good
                if good:
                    self._stored[key] = np.asarray(data, dtype=np.uint8)

    def _give_up(self, task: _Task, message: str) -> None:
        """Tell why a frame could not be made, and do not try it again for this reel."""
        with self._lock:
            if task.version != self._version:
                return
            self._faulty[task.number] = message
        self._signal.say(self.failed, task.number, message)


class _Stretches(NamedTuple):
    """The stretches of dear frames, of which state (the version, and how often more were told of), and when they were worked out."""

    state: tuple[int, int]
    at: float
    found: list[tuple[int, int, bool]]


class _How(NamedTuple):
    """How a frame is made: with what it is before any grade beside it, that alone, or coarser while it is dragged; or a clip by itself."""

    both: bool
    before: bool
    quick: bool
    clip: str = ""
    alone: Alone = ""


class _Task(NamedTuple):
    """A frame to make: of which reel, at which size; `ahead` in the background."""

    timeline: Timeline
    number: int
    size: tuple[int, int]
    version: int
    ahead: bool
    how: _How


def _opened(data: NDArray[np.uint8]) -> NDArray[np.uint8]:
    # The channels went in as they are and come out as they went in.
    return np.ascontiguousarray(cv2.imdecode(data, cv2.IMREAD_COLOR), dtype=np.uint8)
