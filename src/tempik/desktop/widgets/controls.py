"""A control for each kind of setting. Every one has `told`, which carries a value that a person gave, as it is kept, and
`show_value`, which tells nothing."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QButtonGroup,
    QColorDialog,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSlider,
    QWidget,
)

from tempik.desktop.widgets import marks, theme
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import figures
from tempik.desktop.widgets.typed import DecimalSpin, is_typed
from tempik.settings import Setting


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


LEAST_W = 50  # a control may be made so narrow on a small screen
LETTERS = 8  # of a choice, as narrow as it may be


class Number(DecimalSpin):
    """A number with its unit, in a field of `width` pixels where that is given."""

    told = Signal(object)

    def __init__(self, setting: Setting, width: int = 0, prefix: str = "") -> None:
        super().__init__()
        self.setting = setting
        low, high = setting.within or (setting.low, setting.high)
        self.setDecimals(setting.shown_digits)
        self.setRange(low * setting.scale, high * setting.scale)
        self.setSingleStep(setting.shown_step)
        self.setSuffix(setting.suffix)
        self.setPrefix(prefix)
        self.setKeyboardTracking(False)
        if width:
            self.setFixedWidth(width)
        self.valueChanged.connect(lambda _: self.told.emit(self.kept()))

    # Other bounds, or fewer decimals, may make another value of what is shown: nobody gave it.

    def setDecimals(self, digits: int) -> None:
        with QSignalBlocker(self):
            super().setDecimals(digits)

    def setMinimum(self, low: float) -> None:
        with QSignalBlocker(self):
            super().setMinimum(low)

    def setMaximum(self, high: float) -> None:
        with QSignalBlocker(self):
            super().setMaximum(high)

    def setRange(self, low: float, high: float) -> None:
        with QSignalBlocker(self):
            super().setRange(low, high)

    def kept(self) -> float:
        """Return its value as it is kept."""
        return round(self.value() / self.setting.scale, 9)

    def show_value(self, value: float) -> None:
        """Show a value, unless another is being typed."""
        with QSignalBlocker(self):
            self.setValue(value * self.setting.scale)


class Switch(QPushButton):
    """A low button that stays pressed."""

    told = Signal(object)

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.setCheckable(True)
        self.clicked.connect(self._tell)

    def _tell(self, on: bool) -> None:
        self.told.emit(on)

    def kept(self) -> bool:
        """Return whether it is on."""
        return self.isChecked()

    def show_value(self, value: bool) -> None:
        """Show whether it is on."""
        self.setChecked(value)


class Dropdown(QComboBox):
    """One of some values, of which so many letters are seen at least; 0 shows all of the longest. `show_choices` offers others."""

    told = Signal(object)

    def __init__(self, choices: Iterable[tuple[Any, str]] = (), letters: int = LETTERS) -> None:
        super().__init__()
        if letters:
            self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            self.setMinimumContentsLength(letters)
            self.setMinimumWidth(LEAST_W)
        self._offered: list[tuple[Any, str]] = []
        self._listed: list[tuple[Any, str]] = []
        self.show_choices(choices)
        self.activated.connect(lambda number: self.told.emit(self._listed[number][0]))

    def show_choices(self, choices: Iterable[tuple[Any, str]]) -> None:
        """Offer other values, each with its title."""
        self._offered = list(choices)
        self._list(self._offered)

    def _list(self, choices: list[tuple[Any, str]]) -> None:
        if choices != self._listed:
            self._listed = choices
            with QSignalBlocker(self):
                self.clear()
                for value, title in choices:
                    self.addItem(title, value)

    def show_value(self, value: Any, unknown: str = "") -> None:
        """Show which of them it is; one that is not offered is shown above them, called `unknown` where that is given."""
        there = any(value == v for v, _ in self._offered)
        self._list(self._offered if there else [(value, unknown or str(value)), *self._offered])
        self.setCurrentIndex([v for v, _ in self._listed].index(value))


class ColourField(ColourButton):
    """A colour."""

    @property
    def told(self) -> Any:
        """The signal of a colour that was chosen."""
        return self.chosen

    def show_value(self, value: str) -> None:
        """Show a colour."""
        self.show_colour(value)


class Text(QLineEdit):
    """Words; told when they are done."""

    told = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.editingFinished.connect(lambda: self.told.emit(self.text()))

    def show_value(self, value: str) -> None:
        """Show words, unless others are being typed."""
        if not is_typed(self) and value != self.text():
            self.setText(value)


class Toggles(QWidget):
    """One of some values, as buttons side by side; `button(number)` is one of them."""

    told = Signal(object)

    def __init__(self, choices: Sequence[tuple[Any, str, str]], room: marks.Room = "tight") -> None:
        super().__init__()
        self._values = [value for value, _, _ in choices]
        self._group = QButtonGroup(self)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for number, (_, title, tip) in enumerate(choices):
            made = Switch(title)
            made.setToolTip(tip)
            marks.room(made, room)
            self._group.addButton(made, number)
            row.addWidget(made, 1)
        self._group.idClicked.connect(lambda number: self.told.emit(self._values[number]))

    def button(self, number: int) -> QPushButton:
        """Return one of the buttons."""
        found = self._group.button(number)
        assert isinstance(found, QPushButton)
        return found

    def show_value(self, value: Any) -> None:
        """Show which of them it is."""
        self.button(self._values.index(value)).setChecked(True)

    def value(self) -> Any:
        """Return which of them is shown."""
        return self._values[max(self._group.checkedId(), 0)]


class Slider(QSlider):
    """A share as a slider in percent, 0 to `most`, with `text` that says it. `moved` while it is dragged, `settled` after, `told` for what
    is set at once, by keys or the wheel."""

    moved = Signal(object)
    settled = Signal()
    told = Signal(object)

    def __init__(self, name: str, most: int = 200, tip: str = "", prefix: str = "") -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setRange(0, most)
        self.setSingleStep(5)
        self.setPageStep(10)
        self.setAccessibleName(name)
        self.setToolTip(tip or name)
        self.setMinimumWidth(36)
        self._prefix = prefix
        self.text = Label()
        self.text.setFont(figures(12))
        self.text.setFixedWidth(44 + 12 * bool(prefix))
        self.valueChanged.connect(self._changed)
        self.sliderReleased.connect(self.settled)
        self.show_value(1.0 if most > 100 else 0.0)

    def _changed(self, percent: int) -> None:
        self.text.setText(f"{self._prefix}{percent} %")
        (self.moved if self.isSliderDown() else self.told).emit(percent / 100)

    def show_value(self, value: float) -> None:
        """Show a value, unless it is dragged."""
        if not self.isSliderDown():
            with QSignalBlocker(self):
                self.setValue(round(value * 100))
        self.text.setText(f"{self._prefix}{round(value * 100)} %")


def control_of(setting: Setting, width: int = 0, prefix: str = "") -> Any:
    """Return the control of a setting, low, with its tip and its name for assistive technology."""
    made: Any
    if setting.kind == "switch":
        made = Switch(setting.title)
    elif setting.kind == "choice":
        made = Dropdown(zip(setting.choices, setting.titles or setting.choices, strict=True))
    elif setting.kind == "colour":
        made = ColourField()
    elif setting.kind == "text":
        made = Text()
    else:
        made = Number(setting, width, prefix)
    if width:
        made.setFixedWidth(width)
    marks.room(made, "tight" if setting.kind == "switch" else "low")
    made.setToolTip(setting.does)
    made.setAccessibleName(setting.title if not setting.does else setting.does.split(";")[0])
    return made
