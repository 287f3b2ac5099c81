"""Work done ahead on a thread of its own, while what was done is used."""

from __future__ import annotations

import queue
import threading
from collections.abc import Iterable, Iterator
from typing import Generic, Self, TypeVar

T = TypeVar("T")


class WorkAhead(Generic[T]):
    """Goes through `items` on a thread, at most `depth` ahead of who takes them.

    Leaving the context stops the thread; it ends with the item that it is at.
    """

    def __init__(self, items: Iterable[T], depth: int, name: str) -> None:
        self._items = items
        self._stop = threading.Event()
        self._ready: queue.Queue[tuple[T] | BaseException | None] = queue.Queue(depth)
        self._thread = threading.Thread(target=self._work, name=name, daemon=True)

    def __enter__(self) -> Self:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stop.set()
        while self._thread.is_alive():  # it may wait for room
            try:
                self._ready.get(timeout=0.02)
            except queue.Empty:
                continue
        self._thread.join()

    def __iter__(self) -> Iterator[T]:
        """Yield the items in order. Raises what making one raised."""
        while True:
            item = self._ready.get()
            if item is None:
                return
            if isinstance(item, BaseException):
                raise item
            yield item[0]

    def _work(self) -> None:
        try:
            for item in self._items:
                if self._stop.is_set():
                    return
                self._ready.put((item,))
            self._ready.put(None)
        except BaseException as error:
            self._ready.put(error)
