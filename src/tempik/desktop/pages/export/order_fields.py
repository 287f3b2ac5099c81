"""The order: what for, in which frames, which part, which format."""

from __future__ import annotations

from collections.abc import Sequence
from typing import cast

from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QStandardItemModel
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QHBoxLayout, QPushButton, QWidget

from tempik.deliver.order import SHAPES, SHORT_SIDES, Order, fitting, size_in
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import quiet, toggle
from tempik.desktop.widgets.typed import DecimalSpin
from tempik.formats import FORMATS, format_named
from tempik.reel import Reel
from tempik.time import rate_text

RATES = ("24", "25", "30", "50", "60", "23.976", "29.97", "59.94")
SHAPE_WORDS = {"reel": "as the reel", "upright": "9:16", "portrait": "4:5", "square": "1:1", "wide": "16:9"}
QUALITY_WORDS = {"draft": "draft: quick", "standard": "standard", "high": "high: slow, large"}
PARTS = ("reel", "stretch", "clips")
MOST_MB, USUAL_MB = 100_000, 16.0


class OrderFields(QWidget):
    """Shows an order; `edited` carries the order as it is after each edit. Nothing is told while it is filled."""

    edited = Signal(object)
    part_wanted = Signal(str)  # what of the reel, one of PARTS

    def __init__(self) -> None:
        super().__init__()
        self.filling = False
        self.order = Order()
        self.shapes = {name: self._shape(name) for name in SHAPES}
        self.short = _box("The frame's shorter side, in pixels")
        self.rate = _box("Frames a second; every frame follows from the rhythm points again")
        self.part = _box("How much of the reel")
        self.format = _box("What is written")
        for kind in FORMATS:
            self.format.addItem(kind.name, kind.key)
            self.format.setItemData(self.format.count() - 1, kind.purpose, Qt.ItemDataRole.ToolTipRole)
        self.quality = _box("Good and slow, or quick")
        for name, text in QUALITY_WORDS.items():
            self.quality.addItem(text, name)
        self.limited = QCheckBox("at most")
        self.limited.setToolTip("Keep the file below a size; the quality follows")
        self.limit = DecimalSpin()
        self.limit.setRange(0.1, MOST_MB)
        self.limit.setDecimals(1)
        self.limit.setSuffix(" MB")
        self.limit.setKeyboardTracking(False)
        self.limit.setToolTip("The largest size, in millions of bytes")
        marks.room(self.limit, "low")
        self.sound = _check("sound", "Write the sound too")
        self.clear = _check("clear parts", "Keep clear what no picture covers, to lay it over something else")
        self.hardware = _check(
            "graphics chip", "Let the graphics chip encode, where one starts; else the processor does"
        )
        self.reel_level = _check(
            "reel's level", "A part stays as loud as it is in the reel; else it is brought to its loudness by itself"
        )
        self.measure = _check("measure when done", "Find every cut, pin and accent again in the file that was written")
        self._wire()
        self._lay_out()

    def _shape(self, name: str) -> QPushButton:
        made = toggle(SHAPE_WORDS[name], "A file in this frame; several make a file each")
        made.clicked.connect(lambda: self._shapes_chosen(name))
        return made

    def _wire(self) -> None:
        tell = self._tell
        self.short.activated.connect(lambda _: tell(short_px=self.short.currentData(), size=None))
        self.rate.activated.connect(lambda _: tell(rate=self.rate.currentData()))
        self.part.activated.connect(lambda n: self.part_wanted.emit(PARTS[n]))
        self.format.activated.connect(lambda _: tell(format=self.format.currentData()))
        self.quality.activated.connect(lambda _: tell(quality=self.quality.currentData()))
        self.limited.clicked.connect(lambda on: tell(limit_mb=self.limit.value() if on else None))
        self.limit.valueChanged.connect(lambda v: tell(limit_mb=v) if self.limited.isChecked() else None)
        for field in ("sound", "reel_level", "clear", "hardware", "measure"):
            getattr(self, field).clicked.connect(lambda on, field=field: tell(**{field: on}))

    def _lay_out(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        rows: tuple[tuple[str, tuple[QWidget, ...]], ...] = (
            ("frame", tuple(self.shapes.values())),
            ("size", (self.short, self.rate, self.part)),
            ("format", (self.format, self.quality, self.limited, self.limit)),
            ("", (self.sound, self.reel_level, self.clear, self.hardware, self.measure)),
        )
        for number, (name, widgets) in enumerate(rows):
            grid.addWidget(quiet(name), number, 0, Qt.AlignmentFlag.AlignRight)
            row = QHBoxLayout()
            row.setSpacing(5)
            for widget in widgets:
                row.addWidget(widget, 0 if isinstance(widget, QCheckBox) else 1)
            if isinstance(widgets[0], QCheckBox):
                row.addStretch(1)
            grid.addLayout(row, number, 1)
        grid.setColumnStretch(1, 1)

    def show_order(self, order: Order, reel: Reel, parts: Sequence[tuple[str, bool]], part: int) -> None:
        """Show an order of a reel; `parts` are what of the reel can be had, with whether it can, `part` which one is."""
        self.filling = True
        self.order = order
        kind = format_named(order.format)
        pictures = kind.kind != "sound"
        for name, button in self.shapes.items():
            button.setChecked(name in order.shapes)
            button.setEnabled(pictures)
        self._fill_sizes(order, reel)
        self._fill(
            self.rate, [(f"{rate_text(reel.rate)} frames/s", ""), *((f"{r} frames/s", r) for r in RATES)], order.rate
        )
        self._fill(self.part, [(text, number) for number, (text, _) in enumerate(parts)], part)
        for number, (_, there) in enumerate(parts):
            cast(QStandardItemModel, self.part.model()).item(number).setEnabled(there)
        self.part.setEnabled(kind.kind != "picture")
        with QSignalBlocker(self.format), QSignalBlocker(self.quality):
            self.format.setCurrentIndex(self.format.findData(order.format))
            self.quality.setCurrentIndex(self.quality.findData(order.quality))
        self.quality.setEnabled(
            (order.limit_mb is None and len({str(q) for q in kind.qualities.values()}) > 1)
            or kind.key in ("png", "poster")
        )
        self.limited.setEnabled(kind.limited is not None)
        self.limited.setChecked(order.limit_mb is not None)
        self.limit.setEnabled(order.limit_mb is not None)
        with QSignalBlocker(self.limit):
            self.limit.setValue(order.limit_mb or USUAL_MB)
        film = kind.kind == "film" and not kind.silent
        for box, on, there in (
            (self.sound, order.sound and not kind.silent, film),
            (self.reel_level, order.reel_level, order.part is not None and not kind.silent),
            (self.clear, order.clear, bool(kind.clear)),
            (self.hardware, order.hardware, bool(kind.hardware)),
            (self.measure, order.measure, film),
        ):
            box.setChecked(on)
            box.setEnabled(there)
        for field in (self.short, self.rate):
            field.setEnabled(pictures)
        self.filling = False

    def _fill_sizes(self, order: Order, reel: Reel) -> None:
        def text(short: int) -> str:
            return "×".join(str(s) for s in size_in(reel, replace(order, short_px=short, size=None), order.shapes[0]))

        sides = [(text(0) + " (reel)", 0), *((text(s), s) for s in SHORT_SIDES)]
        self._fill(self.short, sides, order.short_px)

    def _fill(self, box: QComboBox, values: Sequence[tuple[str, object]], chosen: object) -> None:
        with QSignalBlocker(box):
            box.clear()
            for text, value in values:
                box.addItem(text, value)
            if chosen not in [value for _, value in values]:
                box.addItem(str(chosen), chosen)
            box.setCurrentIndex(box.findData(chosen))

    def _shapes_chosen(self, name: str) -> None:
        """At least one frame stays; `as the reel` and the reel's own shape by name are one file each."""
        chosen = tuple(n for n, button in self.shapes.items() if button.isChecked()) or (name,)
        self._tell(shapes=chosen)

    def _tell(self, **change: object) -> None:
        if self.filling:
            return
        self.edited.emit(fitting(replace(self.order, name="", **change)))


def _box(tip: str) -> QComboBox:
    made = QComboBox()
    made.setToolTip(tip)
    marks.room(made, "low")
    made.setMinimumWidth(60)
    made.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    made.setMinimumContentsLength(8)
    return made


def _check(text: str, tip: str) -> QCheckBox:
    made = QCheckBox(text)
    made.setToolTip(tip)
    return made
