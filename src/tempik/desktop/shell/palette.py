"""The command palette: every action by name, with its keys."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QAction, QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


class CommandPalette(QDialog):
    """Type a part of a name, Enter runs it."""

    def __init__(self, actions: list[QAction], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Commands")
        self.setMinimumSize(460, 360)
        self._actions = actions
        self.words = QLineEdit()
        self.words.setPlaceholderText("Type what you want to do")
        self.words.textChanged.connect(self._fill)
        self.words.installEventFilter(self)
        self.list = QListWidget()
        self.list.itemActivated.connect(lambda _: self.run())
        column = QVBoxLayout(self)
        column.addWidget(self.words)
        column.addWidget(self.list)
        self._fill("")

    def _fill(self, text: str) -> None:
        self.list.clear()
        parts = text.lower().split()
        for action in self._actions:
            name = action.text().replace("&", "")
            if all(part in name.lower() for part in parts):
                keys = action.shortcut().toString()
                item = QListWidgetItem(f"{name}    {keys}" if keys else name)
                item.setData(Qt.ItemDataRole.UserRole, action)
                if not action.isEnabled():
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def run(self) -> None:
        """Close, and do the command that is picked."""
        item = self.list.currentItem()
        if item is not None:
            self.accept()
            item.data(Qt.ItemDataRole.UserRole).trigger()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.run()
                return True
        return super().eventFilter(watched, event)
