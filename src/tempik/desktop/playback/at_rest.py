"""The frame that the playhead rests on, made once more from the files themselves: proxies are for what moves.

Reading a file from the middle can take a second. It has a thread of its own, so that the next step never waits for it.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Hashable, Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.desktop.session.latest_wish import IDLE, LatestWish, Wait
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
        self._asked: Resting | None = None
        self._done: Resting | None = None
        self._since = 0.0
        self._letting_go = False
        self._source = PictureSource(SOURCE_BYTES)
        self._worker = LatestWish("preview at rest", self._rested, self._make, end=self._source.close)
        self._worker.start()

    def rest_on(self, frame: Resting) -> None:
        """Say which frame is shown now; it is made sharp once it has been for REST_S."""
        with self._worker.lock:
            if frame in (self._asked, self._done):
                return
            self._asked, self._since = frame, time.monotonic()
            self._worker.notify()

    def move_on(self) -> None:
        """Something plays, or is dragged: nothing rests."""
        with self._worker.lock:
            self._asked = self._done = None

    def let_go(self) -> None:
        """Close the files that were read."""
        with self._worker.lock:
            self._asked, self._letting_go = None, True
            self._worker.notify()

    def close(self) -> None:
        """End after the frame that is being made."""
        self._worker.close()

    # The thread

    def _rested(self) -> Resting | Wait:
        """Return the frame that has rested long enough, or how long to wait. The preview itself says what cannot be shown."""
        if self._letting_go:
            self._source.close()
            self._letting_go = False
        if self._asked is None:
            return IDLE
        left_s = self._since + REST_S - time.monotonic()
        if left_s > 0:
            return Wait(left_s)
        found = self._done = self._asked
        self._asked = None
        return found

    def _make(self, frame: Resting) -> None:
        found = plan(frame.timeline, frame.number, *frame.size)
        found = ungraded(found) if frame.before else found
        if any(self._proxy(path) is not None for path in _files(found)):
            self._sharp(frame, found.key(), to_rgb(self._source.render(found)))


def _files(found: FramePlan) -> Iterator[str]:
    """Yield the files that a plan reads, those of nests too."""
    for layer_plan in found.layer_plans:
        if layer_plan.inner is not None:
            yield from _files(layer_plan.inner)
        elif not layer_plan.solid and layer_plan.title is None:
            yield layer_plan.path
