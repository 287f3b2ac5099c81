"""The shelf of sounds as tiles with their outlines, the user's own first; a sound is heard while it is pointed at."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRectF, Qt
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from tempik.desktop.commands.sound_menus import sound_menu
from tempik.desktop.pages.page import PageContext
from tempik.desktop.widgets import marks, theme
from tempik.desktop.widgets.drawing import paint_wave
from tempik.desktop.widgets.form import tool
from tempik.desktop.widgets.plain import pop_up
from tempik.desktop.widgets.theme import colour, words
from tempik.desktop.widgets.tile_grid import Chooser, TileGrid
from tempik.reel import by_id
from tempik.sounds.shelf import SHELF
from tempik.timeline.sound_triggers import sound_title

TILE = (86, 40)


class SoundTiles(TileGrid):
    """Sounds by name or id."""

    def __init__(self, context: PageContext) -> None:
        super().__init__(TILE, 5, 2)
        self.context = context
        self.setAccessibleName("Sounds; arrows choose, Enter adds a lane")

    def paint_tile(self, p: QPainter, number: int, box: QRectF) -> None:
        sound, reel = self.items[number], self.context.project.reel
        under, used = number == self.under, self.used(number)
        p.setPen(QColor(theme.RHYTHM if used else theme.TEXT if under else theme.LINE))
        p.setBrush(QColor(theme.SUNK))
        p.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        outline = self.context.shapes.of(reel, sound)
        if outline is not None and len(outline.peaks):
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(colour(theme.SOUND, 1.0 if under else 0.7))
            paint_wave(p, outline.peaks / max(float(outline.peaks.max()), 1e-3), box.adjusted(6, 3, -6, -17))
        p.setFont(words(12))
        p.setPen(QColor(theme.TEXT))
        text = p.fontMetrics().elidedText(sound_title(reel, sound), Qt.TextElideMode.ElideRight, TILE[0] - 12)
        p.drawText(box.adjusted(6, 0, -6, -2), Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignHCenter, text)


class SoundShelf(QWidget):
    """A field to search by, and the sounds that it finds."""

    def __init__(self, context: PageContext) -> None:
        super().__init__()
        self.context, self.commands = context, context.sounds
        self.wanted = QLineEdit()
        self.wanted.setPlaceholderText("search: cut, metal, rise …")
        marks.room(self.wanted, "low")
        self.wanted.setClearButtonEnabled(True)
        self.wanted.textChanged.connect(lambda _: self.refill())
        self.add = tool("add", "Add sounds of my own", self.commands.choose_sounds)
        self.tiles = SoundTiles(context)
        self.chooser = Chooser(self.tiles)
        self.tiles.picked.connect(self.commands.add_lane)
        self.tiles.pointed.connect(self._point_at)
        self.tiles.menu_wanted.connect(self._menu)
        context.shapes.changed.connect(self.tiles.update)
        top = QHBoxLayout()
        top.setSpacing(2)
        top.addWidget(self.wanted, 1)
        top.addWidget(self.add)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(top)
        column.addWidget(self.chooser, 1)
        self.tiles.show_items(self.commands.shelf_names(""))
        self.show_columns(1)

    def show_columns(self, columns: int) -> None:
        """Lay the sounds out in so many columns."""
        self.tiles.show_columns(columns)
        self.chooser.fit()
        self.setFixedWidth(self.tiles.width() + 14)
        self._point_at(None)  # the line's room is another

    def refill(self) -> None:
        """Show the sounds that are searched for, and which of them is used."""
        names = self.commands.shelf_names(self.wanted.text())
        if names != self.tiles.items:
            self.tiles.show_items(names)
        row = self.context.project.selection.sound_lane
        clip = self.context.project.selection.sound_clip
        self.tiles.choose(*((clip.sound,) if clip is not None else row.sounds if row is not None else ()))

    def _point_at(self, sound: str | None) -> None:
        reel = self.context.project.reel
        self.commands.sampler.want(reel, sound if not self.context.transport.player.playing else None)
        own = by_id(reel.sounds, sound)
        if sound is None:
            self.chooser.say("A click lays it on every cut. Right click: more.", False)
        elif own is not None:
            self.chooser.say(f"{own.name}: your own, {own.length_s:.2f} s{f', {own.tag}' if own.tag else ''}", True)
        elif sound in SHELF:
            self.chooser.say(f"{SHELF[sound].title}: {SHELF[sound].does}", True)

    def _menu(self, sound: str | None, at: QPoint) -> None:
        if sound is not None:
            pop_up(sound_menu(self.commands, sound, self), at)
