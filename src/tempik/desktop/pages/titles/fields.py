"""How a title is set, and how its words come and go: one control for each value, the ways to come and go as pictures that play."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from tempik.desktop.pages.titles.tiles import ArrivalTiles
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.controls import Dropdown, Number, Toggles
from tempik.desktop.widgets.form import Part, SettingsForm, column, grid, holder, line, low, scrolled
from tempik.reel import Arrival, Title
from tempik.reel.title import ARRIVAL_SETTINGS, TITLE_SETTINGS
from tempik.titles.fonts import families
from tempik.titles.motion import WITH_WAY

SHOWN = (
    "size", "wrap", "line", "letter", "outline", "shadow", "box", "colour", "outline_colour", "shadow_colour", "box_colour",
    "lit_colour", "align", "by", "showing",
)  # fmt: skip
COLOUR_W = 66
PANE_W = 520  # of a pane at most: a wider field is no easier to read
PANES = (
    ("letters", "letters", "Font, size, colour, edges, shadow and ground"),
    ("moves", "come and go", "How the words come and go"),
)


class TitleFields(QWidget):
    """Shows a title; `edited(name, value)` tells each edit."""

    edited = Signal(str, object)

    def __init__(self) -> None:
        super().__init__()
        self.font_box, self.style_box = Dropdown(letters=10), Dropdown(letters=6)
        self.font_box.setToolTip("The font's family: three of ours first, then the system's")
        self.style_box.setToolTip("Which of the family")
        low(self.font_box, self.style_box)
        self.font_box.told.connect(lambda name: self.edited.emit("font", name))
        self.style_box.told.connect(lambda name: self.edited.emit("style", name))
        self.form = SettingsForm(TITLE_SETTINGS, SHOWN, {n: COLOUR_W for n in SHOWN if n.endswith("colour")})
        self.form.edited.connect(self.edited)
        self.arrivals = {"enter": ArrivalFields(going=False), "leave": ArrivalFields(going=True)}
        for side, fields in self.arrivals.items():
            fields.edited.connect(lambda arrival, side=side: self.edited.emit(side, arrival))
        self.panes = {"letters": scrolled(self._letters()), "moves": scrolled(self._moves())}
        self._both = False
        self.pane = Toggles(PANES)
        for number in range(len(PANES)):
            marks.mark(self.pane.button(number), "tab", "pane")
        for area in self.panes.values():
            area.setMaximumWidth(PANE_W)
        column(
            self.pane, (line(*((area, 100) for area in self.panes.values()), None, spacing=16), 1), over=self, spacing=4
        )
        self.pane.told.connect(self.show_pane)
        self.show_pane("letters")

    def show_pane(self, name: str) -> None:
        """Show one of the two panes."""
        self.pane.show_value(name)
        for pane, area in self.panes.items():
            area.setVisible(self._both or pane == name)

    def show_both(self, both: bool) -> None:
        """Show both panes beside each other where there is room."""
        if both != self._both:
            self._both = both
            self.pane.setVisible(not both)
            self.show_pane(self.pane.value())

    def _letters(self) -> QWidget:
        f = self.form

        def two(number: str, colour: str) -> Part:
            return line((f[number], 1), f[colour])

        made = grid(
            ("font", self.font_box, "size", f["size"]),
            ("style", self.style_box, "colour", f["colour"]),
            ("align", f["align"], "width", f["wrap"]),
            ("outline", two("outline", "outline_colour"), "letters", f["letter"]),
            ("shadow", two("shadow", "shadow_colour"), "lines", f["line"]),
            ("box", two("box", "box_colour"), None, None),
            wide=(1, 3),
        )
        return holder(column(made, None))

    def _moves(self) -> QWidget:
        f, come, go = self.form, self.arrivals["enter"], self.arrivals["leave"]
        made = grid(
            ("comes", (come.tiles, 3)),
            ("over", (line((come.length, 1), (come.form["unit"], 1), (come.form["way"], 1)), 3)),
            ("goes", (go.tiles, 3)),
            ("over", (line((go.length, 1), (go.form["unit"], 1), (go.form["way"], 1)), 3)),
            ("words", f["showing"], f["lit_colour"], f["by"]),
            wide=(1, 3),
        )
        return holder(column(made, None))

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
    """How words come, or go: the kinds as pictures, and over how long, which way. `edited` carries the whole of it."""

    edited = Signal(object)

    def __init__(self, going: bool) -> None:
        super().__init__()
        self._shown = Arrival()
        self.tiles = ArrivalTiles(going)
        self.tiles.picked.connect(lambda tile: self._change("kind", tile.name))
        self.form = SettingsForm(ARRIVAL_SETTINGS)
        self.length: Number = self.form["length"]
        self.form.edited.connect(self._change)

    def show_arrival(self, arrival: Arrival) -> None:
        """Show how words come, or go."""
        self._shown = arrival
        self.tiles.choose(arrival.kind)
        self.form.show_record(arrival)
        self.form.enable(arrival.kind != "none", "length", "unit")
        self.form.enable(arrival.kind in WITH_WAY, "way")

    def _change(self, name: str, value: object) -> None:
        self.edited.emit(replace(self._shown, **{name: value}))
