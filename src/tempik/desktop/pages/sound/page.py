"""The Sound page: the mix on the left, what is chosen in the middle, the shelf of sounds on the right."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QWidget

from tempik.desktop.pages.page import Desk, Page
from tempik.desktop.pages.sound.chosen import Chosen
from tempik.desktop.pages.sound.mixer import Mixer
from tempik.desktop.pages.sound.shelf import Shelf
from tempik.desktop.widgets.form import button, toggle

# What the mix and the fields take at least, and a tile of the shelf.
LEAST_BESIDE_PX, TILE_PX = 760, 109
LOW = "padding: 1px 6px; min-height: 18px;"


class SoundPage(Page):
    """Sounds and their mix."""

    name, title, key = "sound", "Sound", "Shift+F12"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.commands = desk.sounds
        self.mixer, self.chosen, self.shelf = Mixer(desk), Chosen(desk), Shelf(desk)
        self.alone = toggle("sounds alone", "Hear the sounds without the song and the clips' own sound")
        self.alone.clicked.connect(self.commands.reel_sound.set_design_alone)
        self.track = button("+ track", "Add a sound track", self.commands.add_sound_track)
        self.track.setStyleSheet(LOW)
        self._tools = QWidget()
        tools = QHBoxLayout(self._tools)
        tools.setContentsMargins(0, 0, 0, 0)
        tools.setSpacing(5)
        tools.addWidget(self.alone)
        tools.addWidget(self.track)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 6, 12, 8)
        whole.setSpacing(12)
        whole.addWidget(self.mixer, 5)
        whole.addWidget(self.chosen, 4)
        whole.addWidget(self.shelf)
        desk.project.changed.connect(self.want)
        desk.project.selection.sound_selected.connect(self.want)
        desk.shapes.changed.connect(self.want)
        self.commands.reel_sound.changed.connect(self._heard_changed)

    def room_changed(self, width: int) -> None:
        """More sounds beside each other where there is room."""
        self.shelf.show_columns(min(max((width - LEAST_BESIDE_PX) // TILE_PX, 1), 4))

    def tools(self) -> QWidget:
        return self._tools

    def left(self) -> None:
        self.commands.sampler.stop()

    def _heard_changed(self) -> None:
        self.alone.setChecked(self.commands.reel_sound.design_alone)

    def refill(self) -> None:
        self.mixer.refill()
        self.chosen.refill()
        self.shelf.refill()

    def close_up(self) -> None:
        self.commands.sampler.stop()
