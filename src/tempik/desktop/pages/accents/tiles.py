"""The accents to choose from, each shown on the user's own frame; the one under the pointer plays."""

from __future__ import annotations

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPixmap

from tempik.accents import CATALOGUE, Accent
from tempik.desktop.widgets.tile_grid import TileGrid
from tempik.desktop.widgets.tile_pictures import NAME_H, PICTURE_H, TILE_W, as_pixmap, cut_to, paint_framed
from tempik.media.picture import Picture
from tempik.render.sample import drifting, pulse_frames, sample

GAP = 5
SIZE = (TILE_W, PICTURE_H)
SPARE = 20  # of the frame's width, so that it can drift
REST_FRAMES = 9  # between two pulses while one plays
MOST_COLUMNS = 3


def base_picture(pixmap: QPixmap | None) -> Picture:
    """Return a thumbnail of the user's footage as wide as a tile and its spare; grey stripes where there is none yet."""
    return cut_to(pixmap, SIZE[0] + SPARE, SIZE[1])


def shown_offset(accent: Accent) -> int:
    """Return the frame of a pulse that shows best what an accent does, for a tile at rest."""
    return 2 if accent.name in ("echo", "ripple") else 0


class AccentTiles(TileGrid):
    """A grid of accents, by name."""

    def __init__(self) -> None:
        super().__init__((TILE_W, PICTURE_H + NAME_H), GAP, MOST_COLUMNS, plays=True)
        self.chosen = ""
        self._base = base_picture(None)
        self._rest: dict[str, QPixmap] = {}
        self.setAccessibleName("Accents; arrows choose, Enter adds a lane")
        self.show_items(list(CATALOGUE))

    def show_on(self, pixmap: QPixmap | None) -> None:
        """Show the accents on another frame."""
        self._base = base_picture(pixmap)
        self._rest.clear()
        self.update()

    def choose(self, name: str) -> None:
        """Show which accent the chosen lane fires."""
        if name != self.chosen:
            self.chosen = name
            self.update()

    def picture(self, name: str, offset: int, turn: int = 0) -> QPixmap:
        """Return the user's frame under an accent, `offset` frames after its point."""
        return as_pixmap(sample(drifting(self._base, SIZE), CATALOGUE[name], offset, turn=turn))

    def playing(self, name: str) -> QPixmap:
        """Return the frame of the pulse that the tile under the pointer has come to."""
        frames = pulse_frames(CATALOGUE[name])
        turn, step = divmod(self.tick - 1, len(frames) + REST_FRAMES)
        return self.picture(name, frames.start + step, turn)

    def paint_tile(self, p: QPainter, number: int, box: QRectF) -> None:
        name, under = self.items[number], number == self.under
        if name not in self._rest:
            self._rest[name] = self.picture(name, shown_offset(CATALOGUE[name]))
        picture = self.playing(name) if under and self.tick else self._rest[name]
        used = name == self.chosen or self.keyed(number)
        paint_framed(p, box, picture, CATALOGUE[name].title.lower(), used, under)
