"""The looks to choose from, each on the frame that is shown."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtGui import QPixmap

from tempik.desktop.widgets.tile_pictures import PICTURE_H, TILE_W, PictureTiles, as_pixmap, cut_to
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


class LookTiles(PictureTiles):
    """A grid of looks."""

    def __init__(self) -> None:
        super().__init__(GAP, 5)
        self._ground: Picture = cut_to(None, TILE_W, PICTURE_H)
        self._shown_on = 0
        self.setAccessibleName("Looks; arrows choose, Enter takes one")
        self.show_items(choices())

    def show_frame(self, pixmap: QPixmap | None) -> None:
        """Show the looks on a frame; on the one that they are on already nothing is made anew."""
        key = pixmap.cacheKey() if pixmap is not None else 0
        if key != self._shown_on:
            self._shown_on = key
            self._ground = cut_to(pixmap, TILE_W, PICTURE_H)
            self.made_anew()

    def show_choices(self) -> None:
        """Show the looks that there are now: one of them may be another under an old name."""
        self.show_items(choices())
        self.made_anew()

    def show_used(self, grade: Grade) -> None:
        """Mark the look that is used."""
        self.choose(*(look.name for look in self.items if look.grade == grade))

    def resting(self, item: LookTile) -> QPixmap:
        return as_pixmap(small_regraded(self._ground, item.grade))
