"""The masks of a clip, the chosen one's values, and what of the picture is made clear."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.widgets import marks
from tempik.desktop.widgets.colour_button import ColourButton
from tempik.desktop.widgets.form import button, quiet, toggle
from tempik.desktop.widgets.typed import DecimalSpin
from tempik.reel import Clear, Mask

NUMBERS: dict[str, tuple[str, float, float, float, str]] = {
    "feather": ("feather", 0, 100, 0.01, "How wide its edge is soft, as a share of the picture's width"),
    "grow": ("grow", -100, 100, 0.01, "How far it is made larger all round"),
    "corner": ("corners", 0, 100, 0.01, "How round its corners are"),
}
MIXES = ("add", "take away", "keep common")
TIPS = {
    "rectangle": "A rectangle",
    "ellipse": "An ellipse",
    "polygon": "A polygon: click its corners in the preview, double click closes it",
}
SIGNS = {"rectangle": "▭", "ellipse": "◯", "polygon": "⬠"}
CLEARS: tuple[tuple[str, str], ...] = (
    ("", "nothing"),
    ("colour", "a colour"),
    ("dark", "the dark"),
    ("bright", "the bright"),
)
CLEAR_NUMBERS: dict[str, tuple[str, str]] = {
    "tolerance": ("within", "How far from it is clear"),
    "soft": ("soft", "Over how much more it passes to opaque"),
    "spill": ("spill", "How much of the colour's tint is taken out of what stays"),
}


def percent(tip: str, low: float = 0, high: float = 100) -> QDoubleSpinBox:
    """Return a field of a share."""
    made = DecimalSpin()
    made.setRange(low, high)
    made.setDecimals(1)
    made.setSuffix(" %")
    made.setKeyboardTracking(False)
    made.setToolTip(tip)
    marks.room(made, "low")
    return made


class MaskFields(QWidget):
    """Shows a clip's masks and the chosen one; tells what is asked for. Nothing is told while it is filled."""

    wanted = Signal(str)  # a new mask of a kind
    chosen = Signal(str)
    edited = Signal(str, object)
    removed = Signal()
    followed = Signal(bool)
    keyed = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.filling = False
        self._marks: list[QPushButton] = []
        self._group = QButtonGroup(self)
        self._top = QHBoxLayout()
        self._top.setSpacing(4)
        self._top.addWidget(quiet("masks"))
        self._list = QHBoxLayout()
        self._list.setSpacing(3)
        self._top.addLayout(self._list)
        for kind, tip in TIPS.items():
            made = button(f"+ {SIGNS[kind]}", tip, partial(self.wanted.emit, kind))
            marks.room(made, "low")
            made.setAccessibleName(f"Add a mask: {kind}")
            self._top.addWidget(made)
        self._top.addStretch(1)
        self.follows = toggle("follows", "Goes with what lies under its middle at the playhead, through the footage")
        self.follows.clicked.connect(self.followed)
        self.key = toggle("key", "A key of its place, size and turn at the playhead; on a point it goes with the point")
        self.key.clicked.connect(self.keyed)
        self.remove = button("Remove", "Take this mask off", self.removed.emit)
        for widget in (self.follows, self.key, self.remove):
            marks.room(widget, "low")
            self._top.addWidget(widget)
        self.numbers = {name: percent(tip, low, high) for name, (_, low, high, _, tip) in NUMBERS.items()}
        for name, field in self.numbers.items():
            field.valueChanged.connect(lambda v, n=name: self._tell(n, round(v * NUMBERS[n][3], 6)))
        self.invert = toggle("inverted", "It hides what lies inside")
        self.invert.clicked.connect(lambda on: self._tell("invert", on))
        self.mix = QComboBox()
        self.mix.addItems(MIXES)
        marks.room(self.mix, "low")
        self.mix.setToolTip("How it goes together with the masks before it")
        self.mix.activated.connect(lambda n: self._tell("mix", MIXES[n]))
        low = QHBoxLayout()
        low.setSpacing(5)
        for name, field in self.numbers.items():
            low.addWidget(quiet(NUMBERS[name][0]))
            low.addWidget(field)
        low.addWidget(self.mix)
        low.addWidget(self.invert)
        low.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(self._top)
        column.addLayout(low)

    def show_masks(self, masks: tuple[Mask, ...], chosen: Mask | None, keyed: bool) -> None:
        """Show a clip's masks, `chosen` as it stands at the playhead."""
        self.filling = True
        if [m.property("mask") for m in self._marks] != [m.id for m in masks]:
            self._make_marks(masks)
        for mark in self._marks:
            mark.setChecked(chosen is not None and mark.property("mask") == chosen.id)
        there = chosen is not None
        for widget in (*self.numbers.values(), self.invert, self.mix, self.follows, self.key, self.remove):
            widget.setEnabled(there)
        if chosen is not None:
            for name, field in self.numbers.items():
                if not field.hasFocus() or not field.lineEdit().isModified():
                    field.setValue(getattr(chosen, name) / NUMBERS[name][3])
            self.numbers["corner"].setEnabled(chosen.kind != "ellipse")
            self.invert.setChecked(chosen.invert)
            self.mix.setCurrentIndex(MIXES.index(chosen.mix))
            self.follows.setChecked(bool(chosen.follow))
        self.key.setChecked(keyed)
        self.filling = False

    def _make_marks(self, masks: tuple[Mask, ...]) -> None:
        for old in self._marks:
            self._group.removeButton(old)
            old.hide()
            old.deleteLater()
        self._marks = []
        for number, mask in enumerate(masks, 1):
            made = toggle(f"{SIGNS.get(mask.kind, '?')} {number}", f"Mask {number}: {mask.kind}")
            made.setProperty("mask", mask.id)
            made.clicked.connect(lambda _=False, name=mask.id: self.chosen.emit(name))
            self._group.addButton(made)
            self._list.addWidget(made)
            self._marks.append(made)

    def _tell(self, name: str, value: object) -> None:
        if not self.filling:
            self.edited.emit(name, value)


class ClearFields(QWidget):
    """What of a clip's picture is made clear; `edited` tells all of it anew, None for nothing."""

    edited = Signal(object)
    picking = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.filling = False
        self._shown = Clear()
        self.of = QComboBox()
        self.of.addItems([title for _, title in CLEARS])
        marks.room(self.of, "low")
        self.of.setToolTip("What of the picture is clear, so that what lies below shows")
        self.of.activated.connect(self._chosen)
        self.colour = ColourButton("The colour that is clear")
        self.colour.chosen.connect(lambda value: self._change(colour=value))
        self.pick = button("Pick", "Click the colour in the preview", self.picking.emit)
        marks.room(self.pick, "low")
        self.numbers = {name: percent(tip) for name, (_, tip) in CLEAR_NUMBERS.items()}
        self.invert = toggle("inverted", "All but this is clear")
        self.invert.clicked.connect(lambda on: self._change(invert=on))
        row = QGridLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setHorizontalSpacing(5)
        widgets: list[QWidget] = [quiet("clear"), self.of, self.colour, self.pick]
        for name, field in self.numbers.items():
            field.valueChanged.connect(lambda v, n=name: self._change(**{n: round(v / 100, 6)}))
            widgets += [quiet(CLEAR_NUMBERS[name][0]), field]
        widgets.append(self.invert)
        for column, widget in enumerate(widgets):
            row.addWidget(widget, 0, column, Qt.AlignmentFlag.AlignVCenter)
        row.setColumnStretch(len(widgets), 1)

    def show_clear(self, clear: Clear | None) -> None:
        """Show what is clear."""
        self.filling = True
        self._shown = clear or Clear()
        self.of.setCurrentIndex(
            next(n for n, (of, _) in enumerate(CLEARS) if of == ("" if clear is None else clear.of))
        )
        coloured = clear is not None and clear.of == "colour"
        for widget in (self.colour, self.pick, self.numbers["spill"]):
            widget.setEnabled(coloured)
        for widget in (self.numbers["tolerance"], self.numbers["soft"], self.invert):
            widget.setEnabled(clear is not None)
        self.colour.show_colour(self._shown.colour)
        for name, field in self.numbers.items():
            if not field.hasFocus() or not field.lineEdit().isModified():
                field.setValue(getattr(self._shown, name) * 100)
        self.invert.setChecked(self._shown.invert)
        self.filling = False

    def _chosen(self, number: int) -> None:
        of = CLEARS[number][0]
        if not of:
            self.edited.emit(None)
        else:
            self._change(of=of)

    def _change(self, **fields: object) -> None:
        if not self.filling:
            now = {name: getattr(self._shown, name) for name in Clear.__struct_fields__}
            self.edited.emit(Clear(**{**now, **fields}))
