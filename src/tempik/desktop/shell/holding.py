"""Keys that do something for as long as they are held."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QLineEdit, QPlainTextEdit, QWidget

BEFORE = Qt.Key.Key_QuoteLeft


class HeldKey(QObject):
    """Calls `held(True)` when a key goes down in a window, `held(False)` when it comes up or the window is left. Where text is
    typed the key is a letter."""

    def __init__(self, window: QWidget, key: Qt.Key, held: Callable[[bool], object]) -> None:
        super().__init__(window)
        self._window, self._key, self._held = window, key, held
        self._down = False
        app = QApplication.instance()
        if app is not None:
            app.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if kind == QEvent.Type.WindowDeactivate and self._down:
            self._set(False)
        if kind not in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) or not isinstance(event, QKeyEvent):
            return False
        if event.key() != self._key or event.isAutoRepeat() or not isinstance(watched, QWidget):
            return False
        if watched.window() is not self._window or isinstance(watched, QLineEdit | QPlainTextEdit):
            return False
        self._set(kind == QEvent.Type.KeyPress)
        return True

    def _set(self, down: bool) -> None:
        if down != self._down:
            self._down = down
            self._held(down)
