"""A thread that does what is wanted now: the latest wish wins, a fault is told and the next is done, and it closes clean."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Generic, TypeVar

from tempik.desktop.session.log import log_fault
from tempik.errors import TempikError

T = TypeVar("T")
_LONGEST_END_S = 5.0


class Wait:
    """There is nothing to do: until something changes, or for so many seconds."""

    def __init__(self, seconds: float | None = None) -> None:
        self.seconds = seconds


IDLE = Wait()


class LatestWish(Generic[T]):
    """Asks its owner what is wanted, does it, and asks again.

    `wanted()` is called with `lock` held and says what is to be done now, or how long to `Wait`; the owner changes what it goes by under
    the same lock and says `notify`. `do(wish)` runs without it. Where that fails, `failed(wish, error)` is called; what is no TempikError
    is a fault of ours, and logged. `end()` runs on the thread once it closes, for what it had open.
    """

    def __init__(
        self,
        name: str,
        wanted: Callable[[], T | Wait],
        do: Callable[[T], None],
        failed: Callable[[T, Exception], None] = lambda wish, error: None,
        end: Callable[[], None] = lambda: None,
    ) -> None:
        self.lock = threading.Condition()
        self._name, self._wanted, self._do, self._failed, self._end = name, wanted, do, failed, end
        self._closing = False
        self._thread = threading.Thread(target=self._work, name=name, daemon=True)

    def start(self) -> None:
        """Begin; its owner is whole by now."""
        self._thread.start()

    def notify(self) -> None:
        """Something that is wanted has changed; `lock` is held."""
        self.lock.notify()

    def close(self) -> None:
        """End after what is being done."""
        with self.lock:
            self._closing = True
            self.lock.notify()
        self._thread.join(_LONGEST_END_S)

    def _work(self) -> None:
        try:
            while True:
                with self.lock:
                    found = self._next()
                if isinstance(found, Wait):
                    return
                try:
                    self._do(found)
                except Exception as error:  # whatever it is, the next wish must still be done
                    if not isinstance(error, TempikError):
                        log_fault(self._name, error)
                    self._failed(found, error)
        finally:
            self._end()

    def _next(self) -> T | Wait:
        """Return what is to be done, or a wait once it closes."""
        while not self._closing:
            found = self._wanted()
            if not isinstance(found, Wait):
                return found
            self.lock.wait(found.seconds)
        return IDLE
