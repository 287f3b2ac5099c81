"""Changing shortcuts: every command with its keys, searchable; a key in use elsewhere is taken over, and said."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import (
    QDialog,
    QHeaderView,
    QKeySequenceEdit,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from tempik.desktop.commands.registry import Commands
from tempik.desktop.session.preferences import load_preferences, save_preferences
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import column, label, line
from tempik.desktop.widgets.plain import Label


def apply_keys(commands: Commands) -> None:
    """Give every command its keys: the changed ones, else its own."""
    changed = load_preferences().keys
    for command in commands.all:
        keys = changed.get(command.name, command.keys)
        commands.actions[command.name].setShortcuts([QKeySequence(k) for k in keys])


class ShortcutsDialog(QDialog):
    """A table of commands; pick one, press the new keys, Set."""

    def __init__(self, commands: Commands, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self.setMinimumSize(620, 520)
        self._commands = commands
        self.words = QLineEdit()
        self.words.setPlaceholderText("Find a command or a key")
        self.words.textChanged.connect(self._fill)
        self.table = QTableWidget(0, 3)
        self.table.setHorizontalHeaderLabels(["where", "what", "keys"])
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.horizontalHeader().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.keys = QKeySequenceEdit()
        self.keys.setMaximumSequenceLength(1)
        self.message = Label()
        marks.ink(self.message, "quiet")
        self.set_button, own, none = QPushButton("Set"), QPushButton("As it was"), QPushButton("No key")
        self.set_button.setProperty("main", True)
        self.set_button.clicked.connect(self.set_key)
        own.clicked.connect(lambda: self._store(None))
        none.clicked.connect(lambda: self._store(()))
        row = line(label("New keys:"), (self.keys, 1), self.set_button, none, own, spacing=6)
        column(self.words, (self.table, 1), row, self.message, over=self, spacing=6, margins=(11, 11, 11, 11))
        self._fill("")

    def _fill(self, text: str) -> None:
        chosen = self._method()
        parts = text.lower().split()
        rows = []
        for command in self._commands.all:
            keys = "  ".join(k.toString() for k in self._commands.actions[command.name].shortcuts())
            if all(p in f"{command.group} {command.text} {keys}".lower() for p in parts):
                rows.append((command, keys))
        self.table.setRowCount(len(rows))
        for number, (command, keys) in enumerate(rows):
            for place, value in enumerate((command.group, command.text.removesuffix(" …"), keys)):
                item = QTableWidgetItem(value)
                item.setData(Qt.ItemDataRole.UserRole, command.name)
                self.table.setItem(number, place, item)
            if command.name == chosen:
                self.table.selectRow(number)
        self.table.resizeColumnToContents(0)
        self.table.setColumnWidth(2, 150)

    def _method(self) -> str:
        item = self.table.item(self.table.currentRow(), 0)
        return str(item.data(Qt.ItemDataRole.UserRole)) if item is not None else ""

    def set_key(self) -> None:
        """Give the picked command the typed keys; a command that had them loses them."""
        text = self.keys.keySequence().toString()
        if text:
            self._store((text,))

    def _store(self, keys: tuple[str, ...] | None) -> None:
        method = self._method()
        if not method:
            self.message.setText("Pick a command first.")
            return
        settings = load_preferences()
        changed = dict(settings.keys)
        message = ""
        for command in self._commands.all:
            had = changed.get(command.name, command.keys)
            if keys and command.name != method and set(keys) & set(had):
                changed[command.name] = tuple(k for k in had if k not in keys)
                message = f"{command.text} had {keys[0]} and has it no more."
        if keys is None:
            changed.pop(method, None)
        else:
            changed[method] = keys
        save_preferences(replace(settings, keys=changed))
        apply_keys(self._commands)
        self.keys.clear()
        self._fill(self.words.text())
        self.message.setText(message)
