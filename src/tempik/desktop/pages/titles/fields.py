"""How a title is set, and how its words come and go: one control for each value."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from tempik.desktop.widgets.controls import Dropdown, Number
from tempik.desktop.widgets.form import Part, SettingsForm, grid, line, low
from tempik.reel import Arrival, Title
from tempik.reel.title import ARRIVAL_SETTINGS, TITLE_SETTINGS
from tempik.titles import ARRIVALS
from tempik.titles.fonts import families
from tempik.titles.motion import WITH_WAY

SHOWN = (
    "size", "wrap", "line", "letter", "outline", "shadow", "box", "colour", "outline_colour", "shadow_colour", "box_colour",
    "lit_colour", "align", "by", "showing",
)  # fmt: skip
COLOUR_W = 66


class TitleFields(QWidget):
    """Shows a title; `edited(name, value)` tells each edit."""

    edited = Signal(str, object)

    def __init__(self) -> None:
        super().__init__()
        self.font_box, self.style_box = Dropdown(letters=12), Dropdown(letters=6)
        self.font_box.setToolTip("The font's family: three of ours first, then the system's")
        self.style_box.setToolTip("Which of the family")
        low(self.font_box, self.style_box)
        self.font_box.told.connect(lambda name: self.edited.emit("font", name))
        self.style_box.told.connect(lambda name: self.edited.emit("style", name))
        self.form = SettingsForm(TITLE_SETTINGS, SHOWN, {n: COLOUR_W for n in SHOWN if n.endswith("colour")})
        self.form.edited.connect(self.edited)
        self.arrivals = {
            "enter": ArrivalFields("How its words come"),
            "leave": ArrivalFields("How they go"),
        }
        for side, fields in self.arrivals.items():
            fields.edited.connect(lambda arrival, side=side: self.edited.emit(side, arrival))
        self._lay_out()

    def _lay_out(self) -> None:
        f, come, go = self.form, self.arrivals["enter"], self.arrivals["leave"]

        def two(number: str, colour: str) -> Part:
            return line((f[number], 1), f[colour])

        grid(
            ("font", self.font_box, "style", self.style_box, "size", f["size"]),
            ("colour", f["colour"], "align", f["align"], "width", f["wrap"]),
            ("outline", two("outline", "outline_colour"), "letters", f["letter"], "lines", f["line"]),
            ("shadow", two("shadow", "shadow_colour"), "box", two("box", "box_colour")),
            ("comes", come.what, (come.how, 2), (f["by"], 2)),
            ("goes", go.what, (go.how, 2), (line((f["showing"], 1), f["lit_colour"]), 2)),
            over=self,
            wide=(1, 3, 5),
        )

    def show_title(self, title: Title) -> None:
        """Show a title as it is."""
        self.font_box.show_choices((name, name) for name in families())
        self.font_box.show_value(title.font)
        self.style_box.show_choices((f.style, f.style) for f in families().get(title.font, ()))
        self.style_box.show_value(title.style)
        self.form.show_record(title)
        for side, fields in self.arrivals.items():
            fields.show_arrival(getattr(title, side))


class ArrivalFields(QObject):
    """How words come, or go. `what` and `how` are its two lines; `edited` carries the whole of it."""

    edited = Signal(object)

    def __init__(self, tip: str) -> None:
        super().__init__()
        self._shown = Arrival()
        self.kind = Dropdown((name, name) for name in ARRIVALS)
        self.kind.setToolTip(tip)
        low(self.kind)
        self.form = SettingsForm(ARRIVAL_SETTINGS)
        self.length: Number = self.form["length"]
        self.kind.told.connect(lambda kind: self._change("kind", kind))
        self.form.edited.connect(self._change)
        self.what = line((self.kind, 1), (self.length, 1))
        self.how = line((self.form["unit"], 1), (self.form["way"], 1))

    def show_arrival(self, arrival: Arrival) -> None:
        """Show how words come, or go."""
        self._shown = arrival
        self.kind.show_value(arrival.kind)
        self.form.show_record(arrival)
        self.form.enable(arrival.kind != "none", "length", "unit")
        self.form.enable(arrival.kind in WITH_WAY, "way")

    def _change(self, name: str, value: object) -> None:
        self.edited.emit(replace(self._shown, **{name: value}))
