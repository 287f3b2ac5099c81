"""Memory in bounds: garbage is collected by the interface thread alone, and idle memory handed back to the system while nothing is done."""

from __future__ import annotations

import ctypes
import gc
import time
from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer

_TRIM_THRESHOLD, _MMAP_THRESHOLD, _ARENA_MAX = -1, -3, -8  # glibc's malloc.h
_EVERY_S = 20.0
_LOOK_MS = 1_000  # while something is done when it is time, it is looked again as often as this


class Heap(QObject):
    """Bounds the heap, and hands what lies idle in it back to the system now and then while `at_rest()`.

    The C library keeps a heap for each of our threads, and in them whatever is below a bound that it raises by itself. A preview's
    planes stay below ours: handed back and asked for again with every frame they would cost as much as what is done to them. What is
    dropped between things that stay would never be handed back by itself; looking for it takes some milliseconds."""

    def __init__(self, at_rest: Callable[[], bool], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._at_rest = at_rest
        self._trim: Callable[[int], int] | None = None
        try:
            library = ctypes.CDLL(None)
            library.mallopt(_ARENA_MAX, 2)
            library.mallopt(_MMAP_THRESHOLD, 1 << 22)
            library.mallopt(_TRIM_THRESHOLD, 1 << 25)
            self._trim = library.malloc_trim
        except (OSError, AttributeError):
            return  # another C library than glibc has no such bounds
        self._handed_back = time.monotonic()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._look_in_time)
        self._timer.start(_LOOK_MS)

    def _look_in_time(self) -> None:
        if time.monotonic() - self._handed_back >= _EVERY_S:
            self.look()

    def look(self) -> None:
        """Hand back what lies idle, unless something is being done."""
        if self._trim is not None and self._at_rest():
            self._trim(0)
            self._handed_back = time.monotonic()


_EVERY_MS = 500
_YOUNG = 20_000  # objects made and not dropped again since the last pass
_OLDER = 10  # passes over the young after which the middle-aged are looked through
_OLDEST = 5  # passes over these after which all are


class Garbage(QObject):
    """Looks for cycles of objects that nothing else holds, from a timer of the interface thread.

    Left to itself Python does that on whatever thread happens to make the next object. A widget that is part of such a
    cycle would be destroyed by a thread that renders or reads, beside the interface that still has events for it: the
    program dies of that. All objects are looked through only while `at_rest()`; with a long reel it takes 0.1 s. What there is when this
    begins, modules for the most part, stays, and is not looked through."""

    def __init__(self, at_rest: Callable[[], bool], parent: QObject | None = None) -> None:
        super().__init__(parent)
        gc.disable()
        if not gc.get_freeze_count():  # once: with another window what an earlier one has left would stay for good
            gc.freeze()
        self._at_rest = at_rest
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.look)
        self._timer.start(_EVERY_MS)

    def look(self) -> None:
        """Collect what is due: the young at any time, all of it at rest."""
        young, older, oldest = gc.get_count()
        if young < _YOUNG:
            return
        if oldest > _OLDEST and self._at_rest():
            gc.collect(2)
        else:
            gc.collect(1 if older > _OLDER else 0)
