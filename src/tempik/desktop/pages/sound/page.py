"""The Sound page: the mix on the left, what is chosen in the middle, the shelf of sounds on the right."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout

from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.pages.sound.chosen import Chosen
from tempik.desktop.pages.sound.mixer import Mixer
from tempik.desktop.pages.sound.shelf import SoundShelf

# What the mix and the fields take at least, and a tile of the shelf.
LEAST_BESIDE_PX, TILE_PX = 690, 91


class SoundPage(Page):
    """Sounds and their mix."""

    name, title, key = "sound", "Sound", "Shift+F12"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        self.commands = context.sounds
        self.mixer, self.chosen, self.shelf = Mixer(context), Chosen(context), SoundShelf(context)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(8, 6, 8, 8)
        whole.setSpacing(10)
        whole.addWidget(self.mixer, 5)
        whole.addWidget(self.chosen, 4)
        whole.addWidget(self.shelf)
        context.project.changed.connect(self.want)
        context.project.selection.sound_selected.connect(self.want)
        context.shapes.changed.connect(self.want)

    def room_changed(self, width: int) -> None:
        """More sounds beside each other where there is room."""
        self.shelf.show_columns(min(max((width - LEAST_BESIDE_PX) // TILE_PX, 1), 4))

    def left(self) -> None:
        self.commands.sampler.stop()

    def refill(self) -> None:
        self.mixer.refill()
        self.chosen.refill()
        self.shelf.refill()

    def close_up(self) -> None:
        self.commands.sampler.stop()
