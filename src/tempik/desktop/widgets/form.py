"""What the panes of a page are made of: buttons, controls of settings, and how they lie."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, TypeVar

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSlider,
    QAbstractSpinBox,
    QBoxLayout,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.widgets import marks
from tempik.desktop.widgets.by_hand import asked
from tempik.desktop.widgets.controls import Switch, control_of
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import icon, words
from tempik.settings import Setting

Box = TypeVar("Box", bound=QBoxLayout)
# What lies in a line: a control or a layout, a word beside one, a part that takes what room is left by so much, room of so many
# pixels, or room that grows.
Part = QWidget | QLayout | str | int | tuple[QWidget | QLayout, int] | None


def line(
    *parts: Part, over: QWidget | None = None, spacing: int = 4, margins: Sequence[int] = (0, 0, 0, 0)
) -> QHBoxLayout:
    """Return parts side by side: of `over` where it is given. None is room that grows, a text a quiet label."""
    made = QHBoxLayout(over) if over is not None else QHBoxLayout()
    return _filled(made, parts, spacing, margins)


def column(
    *parts: Part, over: QWidget | None = None, spacing: int = 4, margins: Sequence[int] = (0, 0, 0, 0)
) -> QVBoxLayout:
    """Return parts below each other: of `over` where it is given. None is room that grows, a text a quiet label."""
    made = QVBoxLayout(over) if over is not None else QVBoxLayout()
    return _filled(made, parts, spacing, margins)


def _filled(box: Box, parts: Iterable[Part], spacing: int, margins: Sequence[int]) -> Box:
    box.setContentsMargins(*margins)
    box.setSpacing(spacing)
    for part in parts:
        if part is None:
            box.addStretch(1)
            continue
        if isinstance(part, int):
            box.addSpacing(part)
            continue
        what, room = part if isinstance(part, tuple) else (part, 0)
        if isinstance(what, QLayout):
            box.addLayout(what, room)
        else:
            box.addWidget(quiet(what) if isinstance(what, str) else what, room)
    return box


def grid(
    *lines: Sequence[Part], over: QWidget | None = None, spacing: tuple[int, int] = (5, 3), wide: Iterable[int] = ()
) -> QGridLayout:
    """Return lines of parts in columns: of `over` where it is given. A text is a quiet label at the right of its column, None leaves a
    place empty, and a part with a number takes so many columns; columns that are `wide` take what room is left."""
    made = QGridLayout(over) if over is not None else QGridLayout()
    made.setContentsMargins(0, 0, 0, 0)
    made.setHorizontalSpacing(spacing[0])
    made.setVerticalSpacing(spacing[1])
    for row, parts in enumerate(lines):
        at = 0
        for part in parts:
            what, across = part if isinstance(part, tuple) else (part, 1)
            if isinstance(what, QLayout):
                made.addLayout(what, row, at, 1, across)
            elif isinstance(what, str):
                made.addWidget(quiet(what), row, at, Qt.AlignmentFlag.AlignRight)
            elif isinstance(what, QWidget):
                made.addWidget(what, row, at, 1, across)
            at += across
    for number in wide:
        made.setColumnStretch(number, 1)
    return made


def holder(layout: QLayout) -> QWidget:
    """Return a widget that holds a layout alone."""
    made = QWidget()
    layout.setContentsMargins(0, 0, 0, 0)
    made.setLayout(layout)
    return made


def low(*controls: QWidget, room: marks.Room = "low") -> None:
    """Have controls take little room."""
    for control in controls:
        marks.room(control, room)


class SettingsForm(QObject):
    """Controls of settings, by their names. `edited(name, value)` tells what a person gave, as it is kept; showing tells nothing."""

    edited = Signal(str, object)

    def __init__(
        self, settings: Mapping[str, Setting], names: Iterable[str] = (), widths: Mapping[str, int] | int = 0
    ) -> None:
        super().__init__()
        self.settings = {name: settings[name] for name in (names or settings)}
        self.controls: dict[str, Any] = {}
        for name, setting in self.settings.items():
            width = widths if isinstance(widths, int) else widths.get(name, 0)
            self.controls[name] = made = control_of(setting, width)
            made.told.connect(lambda value, name=name: self.edited.emit(name, value))

    def __getitem__(self, name: str) -> Any:
        return self.controls[name]

    def titled(self, *names: str) -> list[Part]:
        """Return controls with their titles before them; switches have them on them."""
        parts: list[Part] = []
        for name in names or self.controls:
            if self.settings[name].kind != "switch":
                parts.append(self.settings[name].title)
            parts.append(self[name])
        return parts

    def show_record(self, record: object) -> None:
        """Show a record's values; what is None in it is its setting's default."""
        for name, control in self.controls.items():
            value = getattr(record, name)
            control.show_value(self.settings[name].default if value is None else value)

    def enable(self, on: bool, *names: str) -> None:
        """Let all controls be used, or those that are named; or not."""
        for name in names or self.controls:
            self[name].setEnabled(on)


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
        asked(act)

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


def toggle(text: str, tip: str, told: Callable[[bool], object] | None = None, room: marks.Room = "tight") -> Switch:
    """Return a low button that stays pressed."""
    made = Switch(text)
    made.setToolTip(tip)
    marks.room(made, room)
    if told is not None:
        made.told.connect(told)
    return made


def button(
    text: str, tip: str, act: Callable[[], object], room: marks.Room | None = None, width: int = 0
) -> QPushButton:
    """Return a button that does something."""
    made = QPushButton(text)
    made.setToolTip(tip)
    if room is not None:
        marks.room(made, room)
    if width:
        made.setFixedWidth(width)
    made.clicked.connect(_pressed(act))
    return made


def buttons(
    *texts_tips_acts: tuple[str, str, Callable[[], object]], room: marks.Room | None = None
) -> list[QPushButton]:
    """Return buttons, each of its text, its tip and what it does."""
    return [button(text, tip, act, room) for text, tip, act in texts_tips_acts]


def label(text: str = "", size: int = 0, bold: bool = False, ink: marks.Ink = "", wraps: bool = False) -> Label:
    """Return a label in a size and ink of its own."""
    made = Label(text)
    if size:
        made.setFont(words(size, bold))
    made.setWordWrap(wraps)
    if ink:
        marks.ink(made, ink)
    return made


def scrolled(inside: QWidget) -> QScrollArea:
    """Return a widget that scrolls down, without a frame or a ground of its own."""
    area = QScrollArea()
    area.setWidget(inside)
    area.setWidgetResizable(True)
    area.setFrameShape(QScrollArea.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    marks.mark(area, "clear")
    return area


def emptied(layout: QLayout) -> None:
    """Take everything out of a layout that lies in a widget, for good."""
    while (item := layout.takeAt(0)) is not None:
        widget = item.widget()
        if widget is not None:
            widget.hide()
            widget.deleteLater()


def quiet(text: str, wraps: bool = False) -> Label:
    """Return a label beside a field."""
    label = Label(text)
    label.setWordWrap(wraps)
    marks.ink(label, "quiet")
    return label
