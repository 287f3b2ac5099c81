"""A button that shows a colour and asks for another."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QColorDialog, QPushButton, QWidget

from tempik.desktop.widgets import marks, theme


class ColourButton(QPushButton):
    """Shows `#rrggbb`; a click asks, in a dialog of its own, and tells what was chosen."""

    chosen = Signal(str)

    def __init__(self, tip: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setToolTip(tip)
        marks.room(self, "low")
        self.clicked.connect(self._ask)

    def show_colour(self, value: str) -> None:
        """Show a colour."""
        if self.text() == value:
            return
        self.setText(value)
        ink = theme.TEXT if QColor(value).lightnessF() < 0.5 else theme.GROUND
        self.setStyleSheet(f"{marks.ROOMS['low']} background: {value}; color: {ink};")

    def _ask(self) -> None:
        dialog = QColorDialog(QColor(self.text()), self)
        dialog.setOption(QColorDialog.ColorDialogOption.DontUseNativeDialog)
        dialog.colorSelected.connect(lambda c: self.chosen.emit(c.name()))
        dialog.open()
