"""Marks: what makes a widget look unlike others of its kind, known to the one style sheet of the application.

A style sheet of a widget's own is parsed for it alone, and has all that lies under it styled anew wherever it is laid out.
"""

from __future__ import annotations

from typing import Literal

from PySide6.QtCore import QCoreApplication, QEvent, Qt
from PySide6.QtWidgets import QAbstractSpinBox, QWidget

Ink = Literal["", "quiet", "warning", "beat", "good"]
Room = Literal["low", "least", "tight", "wide", "small", "narrow", "line", "tile", "grid", "bare", "none"]

# How much room there is round what is written in a control, and how low it may be.
ROOMS: dict[Room, str] = {
    "low": "padding: 1px 5px; min-height: 17px;",  # fields of a page that is rarely high
    "least": "padding: 0px 2px; min-height: 15px;",
    "tight": "padding: 1px 4px; min-height: 18px;",
    "wide": "padding: 2px 7px; min-height: 18px;",
    "small": "padding: 1px 10px; min-height: 16px;",
    "narrow": "padding: 3px 8px;",
    "line": "padding: 3px 8px; text-align: left;",
    "tile": "padding: 5px 4px;",
    "grid": "padding: 3px 4px;",
    "bare": "padding: 1px;",
    "none": "padding: 0;",
}

INDENT_PX = 4


def ink(widget: QWidget, name: Ink) -> None:
    """Choose the colour of a widget's words."""
    mark(widget, "ink", name)


def room(widget: QWidget, name: Room) -> None:
    """Choose how much room a control takes."""
    mark(widget, "room", name)
    if isinstance(widget, QAbstractSpinBox) and widget.alignment() & Qt.AlignmentFlag.AlignLeft:
        stand_off(widget)


def stand_off(box: QAbstractSpinBox) -> None:
    """Have a number stand off the left edge of its field: a sheet's padding does not reach it."""
    box.lineEdit().setTextMargins(INDENT_PX, 0, 0, 0)


def mark(widget: QWidget, name: str, value: str | bool = True) -> None:
    """Give a widget a mark of another value; what is seen already is styled anew."""
    if widget.property(name) == value:
        return
    widget.setProperty(name, value)
    if widget.testAttribute(Qt.WidgetAttribute.WA_WState_Polished):
        style = widget.style()
        style.unpolish(widget)
        style.polish(widget)
        # It may need other room than it did.
        QCoreApplication.sendEvent(widget, QEvent(QEvent.Type.StyleChange))
