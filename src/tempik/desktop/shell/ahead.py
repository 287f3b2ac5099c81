"""Pages made ahead: while nobody does anything, so that the first opening of each is as quick as the next."""

from __future__ import annotations

import time
from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QTimer
from PySide6.QtGui import QWindow
from PySide6.QtWidgets import QWidget

from tempik.desktop.shell.page_panel import PagePanel

_EVERY_MS = 200
_QUIET_S = 1.0
_TOUCHES = frozenset(
    {
        QEvent.Type.KeyPress,
        QEvent.Type.MouseMove,
        QEvent.Type.MouseButtonPress,
        QEvent.Type.MouseButtonRelease,
        QEvent.Type.Wheel,
        QEvent.Type.DragMove,
        QEvent.Type.Resize,
    }
)


class PagesAhead(QObject):
    """Has the page panel of a window make one page after the other, each step of it at an instant at which nothing was touched for a second
    and `at_rest()`.

    A step takes up to 0.2 s: that long the window would stand still under a hand."""

    def __init__(self, window: QWidget, page_panel: PagePanel, at_rest: Callable[[], bool]) -> None:
        super().__init__(window)
        self._window = window
        self._page_panel = page_panel
        self._at_rest = at_rest
        self._watched: QWindow | None = None
        self._touched = time.monotonic()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.look)
        self._timer.start(_EVERY_MS)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() in _TOUCHES:
            self._touched = time.monotonic()
        return False

    def look(self) -> None:
        """Take a step, if this is such an instant; end when there is none left."""
        if self._watched is None:
            # The system's window has all that is touched in any part of ours; it is there once that is shown.
            self._watched = self._window.windowHandle()
            if self._watched is not None:
                self._watched.installEventFilter(self)
        elif time.monotonic() - self._touched > _QUIET_S and self._at_rest() and not self._page_panel.make_ahead():
            self._timer.stop()
            self._watched.removeEventFilter(self)
