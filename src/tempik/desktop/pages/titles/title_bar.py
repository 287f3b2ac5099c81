"""The small bar at a title in the preview: its font, size and colour, and how its lines stand."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QFrame

from tempik.desktop.widgets import marks
from tempik.desktop.widgets.controls import ColourField, Dropdown, Number
from tempik.desktop.widgets.form import SettingsForm, line, low
from tempik.reel import Title
from tempik.reel.title import TITLE_SETTINGS
from tempik.titles.fonts import families

FONT_W, SIZE_W, COLOUR_W = 142, 60, 66


class TitleBar(QFrame):
    """Shows a title's font, size and colour; `edited(name, value)` tells each edit."""

    edited = Signal(str, object)

    def __init__(self) -> None:
        super().__init__()
        self.font_box = Dropdown(letters=8)
        self.font_box.setToolTip("The font's family")
        self.font_box.setFixedWidth(FONT_W)
        low(self.font_box)
        self.font_box.told.connect(lambda name: self.edited.emit("font", name))
        self.form = SettingsForm(TITLE_SETTINGS, ("size", "colour"), {"size": SIZE_W, "colour": COLOUR_W})
        self.form.edited.connect(self.edited)
        self.size_box: Number = self.form["size"]
        self.colour: ColourField = self.form["colour"]
        line(self.font_box, self.size_box, self.colour, over=self, spacing=4, margins=(5, 4, 5, 4))
        marks.mark(self, "panel")
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.setAccessibleName("Font, size and colour of the title")

    def sizeHint(self) -> QSize:
        return QSize(FONT_W + SIZE_W + COLOUR_W + 18, 36)

    def show_title(self, title: Title) -> None:
        """Show a title as it is."""
        self.font_box.show_choices((name, name) for name in families())
        self.font_box.show_value(title.font)
        self.form.show_record(title)
