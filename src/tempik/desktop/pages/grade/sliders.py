"""A number of a grade as a slider with its value beside it."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QGridLayout, QWidget

from tempik.desktop.widgets import marks, theme
from tempik.desktop.widgets.controls import control_of
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.slider import FreeSlider
from tempik.desktop.widgets.theme import colour, words
from tempik.reel.grade import AMOUNTS, NEUTRAL

STEPS = 400
KEY_STEP = 4  # of an arrow: more than what is caught where a slider does nothing, or it could not leave there by keys
VALUE_W = 70
HANDLE = 7.0


class GradeSlider(FreeSlider):
    """A slider that shows how far it is from what does nothing."""

    def __init__(self, neutral: float) -> None:
        super().__init__(HANDLE)
        self.neutral = neutral  # a share of its way
        self.setRange(0, STEPS)
        self.setSingleStep(KEY_STEP)
        self.setPageStep(10 * KEY_STEP)
        self.setMinimumWidth(60)
        self.setFixedHeight(20)

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        span = self.maximum() - self.minimum()
        left, wide, y = HANDLE, self.width() - 2 * HANDLE, self.height() / 2
        at = left + wide * (self.value() - self.minimum()) / span
        zero = left + wide * self.neutral
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.LINE))
        p.drawRoundedRect(QRectF(left - 2, y - 1.5, wide + 4, 3), 1.5, 1.5)
        if 0.02 < self.neutral < 0.98:
            p.fillRect(QRectF(zero - 0.5, y - 5, 1, 10), colour(theme.TEXT, 0.4))
        if abs(at - zero) > 1 and self.isEnabled():
            p.setBrush(QColor(theme.RHYTHM))
            p.drawRoundedRect(QRectF(min(at, zero), y - 1.5, abs(at - zero), 3), 1.5, 1.5)
        ink = theme.RHYTHM if self.isSliderDown() or self.hasFocus() else theme.TEXT
        p.setBrush(QColor(ink if self.isEnabled() else theme.LINE))
        p.setPen(QPen(QColor(theme.GROUND), 1))
        p.drawEllipse(QPointF(at, y), HANDLE - 1, HANDLE - 1)


class _Name(Label):
    """A slider's name; a double click sets it back."""

    back = Signal()

    def mouseDoubleClickEvent(self, event: object) -> None:
        self.back.emit()


class AmountRow(QObject):
    """One number: its name, its slider, its value. It has no place of its own: its parts lie in a grid with others."""

    def __init__(self, name: str, owner: Sliders) -> None:
        super().__init__(owner)
        self.name, self.owner, self.amount = name, owner, AMOUNTS[name]
        self.label = _Name(self.amount.title)
        self.label.setFont(words(12))
        self.label.setToolTip(f"{self.amount.does[:1].upper()}{self.amount.does[1:]}. Double click: back to nothing.")
        self.label.back.connect(lambda: owner.typed.emit(name, getattr(NEUTRAL, name)))
        self.slider = GradeSlider((getattr(NEUTRAL, name) - self.amount.low) / (self.amount.high - self.amount.low))
        self.slider.setAccessibleName(self.amount.title)
        self.slider.sliderMoved.connect(lambda _: owner.dragged.emit(name, self.value()))
        self.slider.sliderReleased.connect(lambda: owner.settled.emit(self.amount.title))
        self.slider.valueChanged.connect(self._moved)
        self.box = control_of(self.amount, VALUE_W)
        self.box.setAccessibleName(f"{self.amount.title}, value")
        self.box.told.connect(lambda value: owner.typed.emit(name, value))

    def value(self) -> float:
        """Return what the slider stands at; its middle is caught where that does nothing."""
        low, high = self.amount.low, self.amount.high
        value = low + (high - low) * self.slider.value() / STEPS
        neutral = getattr(NEUTRAL, self.name)
        return float(neutral) if abs(value - neutral) < (high - low) * 0.008 else round(value, 5)

    def _moved(self) -> None:
        if not self.slider.isSliderDown():
            self.owner.typed.emit(self.name, self.value())

    def show_value(self, value: float) -> None:
        """Show a value without telling of it."""
        low, high = self.amount.low, self.amount.high
        self.slider.show_place(round((value - low) / (high - low) * STEPS))
        self.box.show_value(value)
        changed = value != getattr(NEUTRAL, self.name)
        marks.ink(self.label, "" if changed else "quiet")


class Sliders(QWidget):
    """Some numbers of a grade in columns. `dragged(name, value)` while one is dragged, `settled(title)` after, `typed(name, value)`
    for what is set at once."""

    dragged = Signal(str, float)
    settled = Signal(str)
    typed = Signal(str, float)

    def __init__(self, names: Iterable[str], columns: int = 2) -> None:
        super().__init__()
        self.rows = {name: AmountRow(name, self) for name in names}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        height_px = -(-len(self.rows) // columns)
        for number, row in enumerate(self.rows.values()):
            line, column = number % height_px, number // height_px * 4
            grid.addWidget(row.label, line, column, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(row.slider, line, column + 1)
            grid.addWidget(row.box, line, column + 2)
        for column in range(columns):
            grid.setColumnStretch(4 * column + 1, 1)
            if column:
                grid.setColumnMinimumWidth(4 * column - 1, 10)
        grid.setRowStretch(height_px, 1)

    def show_grade(self, grade: object) -> None:
        """Show the numbers of a grade."""
        for name, row in self.rows.items():
            row.show_value(float(getattr(grade, name)))
