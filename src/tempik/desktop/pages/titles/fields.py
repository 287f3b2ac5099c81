"""How a title is set, and how its words come and go: one field for each value."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QGridLayout, QHBoxLayout, QWidget

from tempik.desktop.widgets import marks
from tempik.desktop.widgets.colour_button import ColourButton
from tempik.desktop.widgets.form import quiet
from tempik.desktop.widgets.typed import DecimalSpin
from tempik.reel import Arrival, Title
from tempik.titles import ARRIVALS
from tempik.titles.fonts import families
from tempik.titles.motion import WITH_WAY

# Field, what it is called, its bounds and step as shown, what a shown unit is of the value, unit and tip.
NUMBERS: dict[str, tuple[str, float, float, float, float, str, str]] = {
    "size": ("size", 0.5, 300, 0.5, 0.01, " %", "The font's height, as a share of the frame's width"),
    "wrap": ("width", 5, 1000, 1, 0.01, " %", "Lines are broken at this share of the frame's width"),
    "line": ("lines", 30, 500, 5, 0.01, " %", "From line to line, as a share of the font's height"),
    "letter": ("letters", -20, 200, 1, 0.01, " %", "More room between letters; scripts that join have none"),
    "outline": ("outline", 0, 50, 1, 0.01, " %", "As a share of the font's height"),
    "shadow": ("shadow", 0, 100, 5, 0.01, " %", "How dark"),
    "box": ("box", 0, 100, 5, 0.01, " %", "How opaque the ground behind the words is"),
}
COLOURS = {
    "colour": "The letters' colour",
    "outline_colour": "The outline's colour",
    "shadow_colour": "The shadow's colour",
    "box_colour": "The box's colour",
    "lit_colour": "The colour of the word that is lit",
}
CHOICES: dict[str, tuple[tuple[tuple[str, str], ...], str]] = {
    "align": ((("left", "left"), ("middle", "middle"), ("right", "right")), "How lines stand under each other"),
    "by": ((("all", "as one"), ("line", "by line"), ("word", "by word")), "What comes and goes as one"),
    "showing": (
        (("stay", "come and stay"), ("one", "one at a time"), ("lit", "lit in turn")),
        "What words do that have points of their own",
    ),
}
LEAST_W = 50  # a field may be made so narrow on a small screen
WAYS = ("up", "down", "left", "right")
UNITS = ("frames", "beats")


class TitleFields(QWidget):
    """Shows a title; `edited(name, value)` tells each edit. Nothing is told while it is filled."""

    edited = Signal(str, object)

    def __init__(self) -> None:
        super().__init__()
        self.filling = False
        self._arrivals: dict[str, Arrival] = {}
        self.font_box, self.style_box = QComboBox(), QComboBox()
        self.font_box.setToolTip("The font's family: three of ours first, then the system's")
        self.style_box.setToolTip("Which of the family")
        for box, letters in ((self.font_box, 12), (self.style_box, 6)):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(letters)
        self.font_box.activated.connect(lambda _: self._tell("font", self.font_box.currentText()))
        self.style_box.activated.connect(lambda _: self._tell("style", self.style_box.currentText()))
        self.numbers = {name: self._number(name) for name in NUMBERS}
        self.colours = {name: self._colour(name, tip) for name, tip in COLOURS.items()}
        self.choices = {name: self._choice(name) for name in CHOICES}
        self.kinds: dict[str, QComboBox] = {}
        self.lengths: dict[str, QDoubleSpinBox] = {}
        self.units: dict[str, QComboBox] = {}
        self.ways: dict[str, QComboBox] = {}
        for side, tip in (("enter", "How its words come"), ("leave", "How they go")):
            self._make_arrival(side, tip)
        self._lay_out()
        for low in (*self.findChildren(QComboBox), *self.findChildren(QDoubleSpinBox)):
            marks.room(low, "low")
            low.setMinimumWidth(LEAST_W)
        for box in self.findChildren(QComboBox):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)

    def _number(self, name: str) -> QDoubleSpinBox:
        _, low, high, step, unit, suffix, tip = NUMBERS[name]
        made = DecimalSpin()
        made.setRange(low, high)
        made.setSingleStep(step)
        made.setDecimals(1 if step < 1 else 0)
        made.setSuffix(suffix)
        made.setKeyboardTracking(False)
        made.setToolTip(tip)
        made.valueChanged.connect(lambda value: self._tell(name, round(value * unit, 6)))
        return made

    def _colour(self, name: str, tip: str) -> ColourButton:
        made = ColourButton(tip)
        made.setAccessibleName(tip)
        made.setMinimumWidth(58)
        made.setMaximumWidth(70)
        made.chosen.connect(lambda value: self._tell(name, value))
        return made

    def _choice(self, name: str) -> QComboBox:
        values, tip = CHOICES[name]
        made = QComboBox()
        made.addItems([title for _, title in values])
        made.setToolTip(tip)
        made.activated.connect(lambda n: self._tell(name, values[n][0]))
        return made

    def _make_arrival(self, side: str, tip: str) -> None:
        kind, length, unit, way = QComboBox(), DecimalSpin(), QComboBox(), QComboBox()
        kind.addItems(list(ARRIVALS))
        kind.setToolTip(tip)
        length.setRange(0.25, 600)
        length.setDecimals(2)
        length.setKeyboardTracking(False)
        length.setToolTip("Over how many frames or beats; it is seen from its own frame on")
        unit.addItems(UNITS)
        unit.setToolTip("What the length is counted in")
        way.addItems(WAYS)
        way.setToolTip("Which way it moves")
        self.kinds[side], self.lengths[side], self.units[side], self.ways[side] = kind, length, unit, way
        kind.activated.connect(lambda _: self._arrive(side, kind=kind.currentText()))
        length.valueChanged.connect(lambda value: self._arrive(side, length=round(value, 4)))
        unit.activated.connect(lambda _: self._arrive(side, unit=unit.currentText()))
        way.activated.connect(lambda _: self._arrive(side, way=way.currentText()))

    def _lay_out(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(5)
        grid.setVerticalSpacing(3)
        n, c = self.numbers, self.colours
        rows: tuple[tuple[tuple[str, tuple[QWidget, ...]], ...], ...] = (
            (("font", (self.font_box,)), ("style", (self.style_box,)), ("size", (n["size"],))),
            (("colour", (c["colour"],)), ("align", (self.choices["align"],)), ("width", (n["wrap"],))),
            (("outline", (n["outline"], c["outline_colour"])), ("letters", (n["letter"],)), ("lines", (n["line"],))),
            (("shadow", (n["shadow"], c["shadow_colour"])), ("box", (n["box"], c["box_colour"]))),
        )
        for row, parts in enumerate(rows):
            for column, (name, widgets) in enumerate(parts):
                grid.addWidget(quiet(name), row, 2 * column, Qt.AlignmentFlag.AlignRight)
                grid.addLayout(_together(widgets), row, 2 * column + 1)
        for row, (side, name) in enumerate((("enter", "comes"), ("leave", "goes")), len(rows)):
            grid.addWidget(quiet(name), row, 0, Qt.AlignmentFlag.AlignRight)
            grid.addLayout(_together((self.kinds[side], self.lengths[side])), row, 1)
            grid.addLayout(_together((self.units[side], self.ways[side])), row, 2, 1, 2)
        grid.addWidget(self.choices["by"], 4, 4, 1, 2)
        grid.addLayout(_together((self.choices["showing"], c["lit_colour"])), 5, 4, 1, 2)
        for column in (1, 3, 5):
            grid.setColumnStretch(column, 1)

    def show_title(self, title: Title) -> None:
        """Show a title as it is."""
        self.filling = True
        known = list(families())
        if self.font_box.count() != len(known) + (title.font not in known) or title.font not in known:
            self.font_box.clear()
            self.font_box.addItems([*([] if title.font in known else [title.font]), *known])
        self.font_box.setCurrentText(title.font)
        styles = [f.style for f in families().get(title.font, ())] or [title.style]
        if [self.style_box.itemText(i) for i in range(self.style_box.count())] != styles:
            self.style_box.clear()
            self.style_box.addItems(styles)
        self.style_box.setCurrentText(title.style)
        for name, field in self.numbers.items():
            if not field.hasFocus() or not field.lineEdit().isModified():
                field.setValue(getattr(title, name) / NUMBERS[name][4])
        for name, button in self.colours.items():
            button.show_colour(getattr(title, name))
        for name, choice in self.choices.items():
            values = [value for value, _ in CHOICES[name][0]]
            choice.setCurrentIndex(values.index(getattr(title, name)))
        for side, arrival in (("enter", title.enter), ("leave", title.leave)):
            self._show_arrival(side, arrival)
        self.filling = False

    def _show_arrival(self, side: str, arrival: Arrival) -> None:
        self._arrivals[side] = arrival
        kind = self.kinds[side]
        with QSignalBlocker(kind):
            kind.setCurrentIndex(max(kind.findText(arrival.kind), 0))
        self.lengths[side].setValue(arrival.length)
        self.units[side].setCurrentText(arrival.unit)
        self.ways[side].setCurrentText(arrival.way)
        still = arrival.kind == "none"
        self.lengths[side].setEnabled(not still)
        self.units[side].setEnabled(not still)
        self.ways[side].setEnabled(arrival.kind in WITH_WAY)

    def _arrive(self, side: str, **change: object) -> None:
        if self.filling:
            return
        now = self._arrivals.get(side, Arrival())
        fields = {name: getattr(now, name) for name in Arrival.__struct_fields__}
        self._tell(side, Arrival(**{**fields, **change}))

    def _tell(self, name: str, value: object) -> None:
        if not self.filling:
            self.edited.emit(name, value)


def _together(widgets: tuple[QWidget, ...]) -> QHBoxLayout:
    row = QHBoxLayout()
    row.setSpacing(4)
    for widget in widgets:
        row.addWidget(widget, 0 if isinstance(widget, ColourButton) else 1)
    return row
