"""What is typed: fields that keep what a person is typing, and the arrows that a widget takes for itself."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractSpinBox, QDoubleSpinBox, QLineEdit, QSpinBox


def is_typed(field: QLineEdit | QAbstractSpinBox | None) -> bool:
    """Tell whether a field holds what is being typed and not taken yet."""
    line = field if isinstance(field, QLineEdit) else field.lineEdit() if field is not None else None
    return line is not None and line.hasFocus() and line.isModified()


class Spin(QSpinBox):
    """A whole number to be typed."""

    def setValue(self, value: int) -> None:
        """Show a value, unless another is being typed."""
        if not is_typed(self) or value == self.value():
            super().setValue(value)


class DecimalSpin(QDoubleSpinBox):
    """A number to be typed."""

    def setValue(self, value: float) -> None:
        """Show a value, unless another is being typed."""
        if not is_typed(self):
            super().setValue(value)


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
