"""What the panes of a page are made of."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSlider,
    QAbstractSpinBox,
    QComboBox,
    QLineEdit,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.widgets import marks
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import icon


def tool(sign: str, name: str, act: Callable[[], object] | None = None) -> QToolButton:
    """Return a flat button with one of our icons, named for assistive technology."""
    button = QToolButton()
    button.setIcon(icon(sign))
    button.setIconSize(button.iconSize() * 1.25)
    button.setProperty("flat", True)
    button.setToolTip(name)
    button.setAccessibleName(name)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    if act is not None:
        button.clicked.connect(_pressed(act))
    return button


def _pressed(act: Callable[[], object]) -> Callable[[], None]:
    """Return an act without the state that `clicked` has: a function with an argument of its own would take it for that."""

    def pressed() -> None:
        act()

    return pressed


def name_controls(root: QWidget) -> None:
    """Give every control without a name of its own one for assistive technology: what its tip says first, what stands in
    it while it is empty, or the label before it."""
    label = ""
    for widget in root.findChildren(QWidget):
        if isinstance(widget, Label):
            label = widget.text()
        elif isinstance(widget, QComboBox | QAbstractSpinBox | QLineEdit | QAbstractSlider | QAbstractButton):
            written = widget.text() if isinstance(widget, QAbstractButton) else ""
            if not widget.accessibleName() and not written:
                holds = widget.placeholderText() if isinstance(widget, QLineEdit | QComboBox) else ""
                widget.setAccessibleName(widget.toolTip().split(";")[0].split("(")[0].strip() or holds or label)


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
    marks.room(made, "tight")
    return made


def button(text: str, tip: str, act: Callable[[], object]) -> QPushButton:
    """Return a button that does something."""
    made = QPushButton(text)
    made.setToolTip(tip)
    made.clicked.connect(_pressed(act))
    return made


def quiet(text: str) -> Label:
    """Return a label beside a field."""
    label = Label(text)
    marks.ink(label, "quiet")
    return label
