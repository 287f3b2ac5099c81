"""The frame that the playhead rests on, made once more from the files themselves: proxies are for what moves.

Reading a file from the middle can take a second. It has a thread of its own, so that the next step never waits for it.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Hashable, Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.desktop.session.log import log_fault
from tempik.errors import TempikError
from tempik.media.picture import to_rgb
from tempik.render import PictureSource, plan
from tempik.render.plan import FramePlan
from tempik.render.ungraded import ungraded
from tempik.timeline.timeline import Timeline

REST_S = 0.35
SOURCE_BYTES = 64 << 20


class Resting(NamedTuple):
    """A frame that is shown and stays: of which reel, at which size; `before`: as it is without grades."""

    timeline: Timeline
    number: int
    size: tuple[int, int]
    version: int
    before: bool


class AtRest:
    """Makes the frame at rest sharp; `sharp` is called on its thread with what was asked, the plan's key and the picture."""

    def __init__(
        self, proxy: Callable[[str], str | None], sharp: Callable[[Resting, Hashable, NDArray[np.uint8]], None]
    ) -> None:
        self._proxy, self._sharp = proxy, sharp
        self._lock = threading.Condition()
        self._asked: Resting | None = None
        self._done: Resting | None = None
        self._since = 0.0
        self._closing = self._letting_go = False
        self._thread = threading.Thread(target=self._work, name="preview at rest", daemon=True)
        self._thread.start()

    def rest_on(self, frame: Resting) -> None:
        """Say which frame is shown now; it is made sharp once it has been for REST_S."""
        with self._lock:
            if frame in (self._asked, self._done):
                return
            self._asked, self._since = frame, time.monotonic()
            self._lock.notify()

    def move_on(self) -> None:
        """Something plays, or is dragged: nothing rests."""
        with self._lock:
            self._asked = self._done = None

    def let_go(self) -> None:
        """Close the files that were read."""
        with self._lock:
            self._asked, self._letting_go = None, True
            self._lock.notify()

    def close(self) -> None:
        with self._lock:
            self._closing = True
            self._lock.notify()
        self._thread.join(5)

    # The thread

    def _work(self) -> None:
        with PictureSource(SOURCE_BYTES) as source:
            while (frame := self._next(source)) is not None:
                try:
                    self._make(source, frame)
                except TempikError:
                    pass  # the preview itself says what cannot be shown
                except Exception as error:  # whatever it is, the next frame must still be made
                    log_fault("preview at rest", error)

    def _next(self, source: PictureSource) -> Resting | None:
        """Return the next frame that has rested long enough; None when the window closes."""
        with self._lock:
            while not self._closing:
                if self._letting_go:
                    source.close()
                    self._letting_go = False
                left_s = self._since + REST_S - time.monotonic()
                if self._asked is not None and left_s <= 0:
                    self._asked, self._done = None, self._asked
                    return self._done
                self._lock.wait(left_s if self._asked is not None else None)
            return None

    def _make(self, source: PictureSource, frame: Resting) -> None:
        found = plan(frame.timeline, frame.number, *frame.size)
        found = ungraded(found) if frame.before else found
        if any(self._proxy(path) is not None for path in _files(found)):
            self._sharp(frame, found.key(), to_rgb(source.render(found)))


def _files(found: FramePlan) -> Iterator[str]:
    """Yield the files that a plan reads, those of nests too."""
    for layer_plan in found.layer_plans:
        if layer_plan.inner is not None:
            yield from _files(layer_plan.inner)
        elif not layer_plan.solid and layer_plan.title is None:
            yield layer_plan.path
