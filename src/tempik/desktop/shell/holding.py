"""Keys that do something for as long as they are held."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QWidget

BEFORE = Qt.Key.Key_QuoteLeft


class HeldKey(QObject):
    """Calls `held(True)` when a key goes down in a window, `held(False)` when it comes up or the window is left. It hears what
    comes up to the window itself: where text is typed the key is a letter and goes no farther."""

    def __init__(self, window: QWidget, key: Qt.Key, held: Callable[[bool], object]) -> None:
        super().__init__(window)
        self._key, self._held = key, held
        self._down = False
        window.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if kind == QEvent.Type.WindowDeactivate and self._down:
            self._set(False)
        if kind not in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) or not isinstance(event, QKeyEvent):
            return False
        if event.key() != self._key or event.isAutoRepeat():
            return False
        self._set(kind == QEvent.Type.KeyPress)
        return True

    def _set(self, down: bool) -> None:
        if down != self._down:
            self._down = down
            self._held(down)
