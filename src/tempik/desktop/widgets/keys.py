"""Keys that a widget with the focus takes for itself; they would move the playhead or press a command otherwise."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent

# Which way an arrow goes: across, and up.
ARROWS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1),
}  # fmt: skip
AWAY = (Qt.Key.Key_Delete, Qt.Key.Key_Backspace)


def takes(event: QEvent, keys: Collection[Qt.Key]) -> bool:
    """Tell whether an event asks for one of these keys before commands do, and take it: for a widget's `event`."""
    if event.type() != QEvent.Type.ShortcutOverride or not isinstance(event, QKeyEvent) or event.key() not in keys:
        return False
    event.accept()
    return True
