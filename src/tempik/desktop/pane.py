"""What the panes of a page are made of."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from tempik.desktop import theme

LOW = "padding: 1px 5px; min-height: 17px;"  # fields of a page that is rarely high


class Pane(QWidget):
    """A column of controls; `filling` is set while it shows what is, so that nothing is taken for an edit."""

    def __init__(self) -> None:
        super().__init__()
        self.filling = False
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 2, 0, 0)
        self.column.setSpacing(4)


def toggle(text: str, tip: str) -> QPushButton:
    """Return a low button that stays pressed."""
    made = QPushButton(text)
    made.setCheckable(True)
    made.setToolTip(tip)
    made.setStyleSheet("padding: 1px 4px; min-height: 18px;")
    return made


def button(text: str, tip: str, act: Callable[[], None]) -> QPushButton:
    """Return a button that does something."""
    made = QPushButton(text)
    made.setToolTip(tip)
    made.clicked.connect(act)
    return made


def quiet(text: str) -> QLabel:
    """Return a label beside a field."""
    label = QLabel(text)
    label.setStyleSheet(f"color: {theme.QUIET};")
    return label
