"""Collecting garbage on the interface thread alone."""

from __future__ import annotations

import gc
from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer

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
