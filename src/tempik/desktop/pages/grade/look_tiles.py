"""The looks to choose from, each on the frame that is shown."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPixmap

from tempik.desktop.widgets.tile_grid import TileGrid
from tempik.desktop.widgets.tile_pictures import NAME_H, PICTURE_H, TILE_W, as_pixmap, cut_to, paint_framed
from tempik.grade.apply import small_regraded
from tempik.grade.looks import LOOKS
from tempik.media.picture import Picture
from tempik.project.looks import own_looks
from tempik.reel import Grade

GAP = 5


class LookTile(NamedTuple):
    """A look to choose."""

    name: str
    does: str
    grade: Grade
    own: bool = False


def choices() -> list[LookTile]:
    """Return what looks there are: those that come with the program, then one's own."""
    ready = [LookTile(look.name, look.does, look.grade) for look in LOOKS]
    return ready + [
        LookTile(look.name, "your own; right click takes it off the shelf", look.grade, True) for look in own_looks()
    ]


class LookTiles(TileGrid):
    """A grid of looks; those that were not seen yet are made when they are painted."""

    def __init__(self) -> None:
        super().__init__((TILE_W, PICTURE_H + NAME_H), GAP, 5)
        self.used = Grade()
        self._ground: Picture = cut_to(None, TILE_W, PICTURE_H)
        self._made: dict[str, QPixmap] = {}
        self._shown_on = 0
        self.setAccessibleName("Looks; arrows choose, Enter takes one")
        self.show_items(choices())

    def show_frame(self, pixmap: QPixmap | None) -> None:
        """Show the looks on a frame; on the one that they are on already nothing is made anew."""
        key = pixmap.cacheKey() if pixmap is not None else 0
        if key == self._shown_on:
            return
        self._shown_on = key
        self._ground = cut_to(pixmap, TILE_W, PICTURE_H)
        self._made.clear()
        self.update()

    def show_choices(self) -> None:
        """Show the looks that there are now: one of them may be another under an old name."""
        self._made.clear()
        self.show_items(choices())
        self.update()

    def show_used(self, grade: Grade) -> None:
        """Mark the look that is used."""
        if grade != self.used:
            self.used = grade
            self.update()

    def paint_tile(self, p: QPainter, number: int, box: QRectF) -> None:
        choice: LookTile = self.items[number]
        if choice.name not in self._made:
            self._made[choice.name] = as_pixmap(small_regraded(self._ground, choice.grade))
        used = choice.grade == self.used or self.keyed(number)
        paint_framed(p, box, self._made[choice.name], choice.name, used, number == self.under)
