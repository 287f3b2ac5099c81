"""Whether what is done now was asked for by name, by a button, a tile, a menu or a key: then it is said where nothing comes of it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QMenu

CHOOSING = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space)


class _Asked:
    depth = 0


def is_asked() -> bool:
    """Whether what is done now was asked for by name."""
    return _Asked.depth > 0


def asked(act: Callable[[], object]) -> None:
    """Carry out what a person asked for by name."""
    _begin()
    try:
        act()
    finally:
        _end()


def _begin() -> None:
    _Asked.depth += 1


def _end() -> None:
    _Asked.depth -= 1


class _Choosing(QObject):
    """Notes that an entry of a menu is being chosen: what it does follows within the same turn of the event loop."""

    def eventFilter(self, menu: QObject, event: QEvent) -> bool:
        by_key = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and event.key() in CHOOSING
        if event.type() == QEvent.Type.MouseButtonRelease or by_key:
            _begin()
            QTimer.singleShot(0, _end)
        return False


def entries_ask(menu: QMenu) -> QMenu:
    """Have every entry of a menu, and of those in it, count as asked for; returns the menu."""
    for each in (menu, *menu.findChildren(QMenu)):
        each.installEventFilter(_Choosing(each))
    return menu
