"""The order: what for, in which frames, which part, which format."""

from __future__ import annotations

from collections.abc import Sequence
from typing import cast

from msgspec.structs import replace
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QStandardItemModel
from PySide6.QtWidgets import QCheckBox, QWidget

from tempik.deliver.order import SHAPES, SHORT_SIDES, Order, fitting, size_in
from tempik.desktop.widgets.controls import Dropdown, control_of
from tempik.desktop.widgets.form import grid, line, low, toggle
from tempik.formats import FORMATS, format_named
from tempik.reel import Reel
from tempik.settings import Setting
from tempik.time import rate_text

RATES = ("24", "25", "30", "50", "60", "23.976", "29.97", "59.94")
SHAPE_WORDS = {"reel": "as the reel", "upright": "9:16", "portrait": "4:5", "square": "1:1", "wide": "16:9"}
QUALITY_WORDS = {"draft": "draft: quick", "standard": "standard", "high": "high: slow, large"}
PARTS = ("reel", "stretch", "clips")
USUAL_MB = 16.0
LIMIT = Setting(
    "limit_mb", "at most", USUAL_MB, 0.1, 100_000, "MB", digits=1, step=1, does="The largest size, in millions of bytes"
)
CHECKS = {
    "sound": ("sound", "Write the sound too"),
    "reel_level": (
        "reel's level",
        "A part stays as loud as it is in the reel; else it is brought to its loudness by itself",
    ),
    "clear": ("clear parts", "Keep clear what no picture covers, to lay it over something else"),
    "hardware": ("graphics chip", "Let the graphics chip encode, where one starts; else the processor does"),
    "measure": ("measure when done", "Find every cut, pin and accent again in the file that was written"),
}


class OrderFields(QWidget):
    """Shows an order; `edited` carries the order as it is after each edit."""

    edited = Signal(object)
    part_wanted = Signal(str)  # what of the reel, one of PARTS

    def __init__(self) -> None:
        super().__init__()
        self.order = Order()
        tip = "A file in this frame; several make a file each"
        self.shapes = {n: toggle(SHAPE_WORDS[n], tip, lambda _, n=n: self._shapes_chosen(n)) for n in SHAPES}  # type: ignore[misc]
        self.short, self.rate, self.part = Dropdown(), Dropdown(), Dropdown()
        self.format = Dropdown((kind.key, kind.name) for kind in FORMATS)
        for number, kind in enumerate(FORMATS):
            self.format.setItemData(number, kind.purpose, Qt.ItemDataRole.ToolTipRole)
        self.quality = Dropdown(QUALITY_WORDS.items())
        for box, tip in (
            (self.short, "The frame's shorter side, in pixels"),
            (self.rate, "Frames a second; every frame follows from the rhythm points again"),
            (self.part, "How much of the reel"),
            (self.format, "What is written"),
            (self.quality, "Good and slow, or quick"),
        ):
            box.setToolTip(tip)
            box.setMinimumWidth(60)
            low(box)
        self.limited = QCheckBox("at most")
        self.limited.setToolTip("Keep the file below a size; the quality follows")
        self.limit = control_of(LIMIT)
        self.checks = {name: QCheckBox(text) for name, (text, _) in CHECKS.items()}
        for name, check in self.checks.items():
            check.setToolTip(CHECKS[name][1])
            check.clicked.connect(lambda on, name=name: self._tell(**{name: on}))
        self._wire()
        self._lay_out()

    def _wire(self) -> None:
        tell = self._tell
        self.short.told.connect(lambda px: tell(short_px=px, size=None))
        self.rate.told.connect(lambda rate: tell(rate=rate))
        self.part.told.connect(lambda n: self.part_wanted.emit(PARTS[n]))
        self.format.told.connect(lambda key: tell(format=key))
        self.quality.told.connect(lambda quality: tell(quality=quality))
        self.limited.clicked.connect(lambda on: tell(limit_mb=self.limit.value() if on else None))
        self.limit.told.connect(lambda v: tell(limit_mb=v) if self.limited.isChecked() else None)

    def _lay_out(self) -> None:
        def even(*widgets: QWidget) -> list[tuple[QWidget, int]]:
            return [(widget, 1) for widget in widgets]

        grid(
            ("frame", line(*even(*self.shapes.values()), spacing=5)),
            ("size", line(*even(self.short, self.rate, self.part), spacing=5)),
            ("format", line(*even(self.format, self.quality), self.limited, (self.limit, 1), spacing=5)),
            (None, line(*self.checks.values(), None, spacing=5)),
            over=self,
            spacing=(6, 4),
            wide=(1,),
        )

    def show_order(self, order: Order, reel: Reel, parts: Sequence[tuple[str, bool]], part: int) -> None:
        """Show an order of a reel; `parts` are what of the reel can be had, with whether it can, `part` which one is."""
        self.order = order
        kind = format_named(order.format)
        pictures = kind.kind != "sound"
        for name, button in self.shapes.items():
            button.setChecked(name in order.shapes)
            button.setEnabled(pictures)
        self._fill_sizes(order, reel)
        self.rate.show_choices([("", f"{rate_text(reel.rate)} frames/s"), *((r, f"{r} frames/s") for r in RATES)])
        self.rate.show_value(order.rate)
        self.part.show_choices(enumerate(text for text, _ in parts))
        self.part.show_value(part)
        for number, (_, there) in enumerate(parts):
            cast(QStandardItemModel, self.part.model()).item(number).setEnabled(there)
        self.part.setEnabled(kind.kind != "picture")
        self.format.show_value(order.format)
        self.quality.show_value(order.quality)
        self.quality.setEnabled(
            (order.limit_mb is None and len({str(q) for q in kind.qualities.values()}) > 1)
            or kind.key in ("png", "poster")
        )
        self.limited.setEnabled(kind.limited is not None)
        self.limited.setChecked(order.limit_mb is not None)
        self.limit.setEnabled(order.limit_mb is not None)
        self.limit.show_value(order.limit_mb or USUAL_MB)
        film = kind.kind == "film" and not kind.silent
        usable = {
            "sound": film,
            "reel_level": order.part is not None and not kind.silent,
            "clear": bool(kind.clear),
            "hardware": bool(kind.hardware),
            "measure": film,
        }
        for name, check in self.checks.items():
            check.setChecked(getattr(order, name) and not (name == "sound" and kind.silent))
            check.setEnabled(usable[name])
        for field in (self.short, self.rate):
            field.setEnabled(pictures)

    def _fill_sizes(self, order: Order, reel: Reel) -> None:
        def text(short: int) -> str:
            return "×".join(str(s) for s in size_in(reel, replace(order, short_px=short, size=None), order.shapes[0]))

        self.short.show_choices([(0, text(0) + " (reel)"), *((s, text(s)) for s in SHORT_SIDES)])
        self.short.show_value(order.short_px)

    def _shapes_chosen(self, name: str) -> None:
        """At least one frame stays; `as the reel` and the reel's own shape by name are one file each."""
        chosen = tuple(n for n, button in self.shapes.items() if button.isChecked()) or (name,)
        self._tell(shapes=chosen)

    def _tell(self, **change: object) -> None:
        self.edited.emit(fitting(replace(self.order, name="", **change)))
