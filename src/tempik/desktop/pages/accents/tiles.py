"""The accents to choose from, each shown on the user's own frame; the one under the pointer plays."""

from __future__ import annotations

from PySide6.QtGui import QPixmap

from tempik.accents import CATALOGUE, Accent
from tempik.desktop.widgets.tile_pictures import PICTURE_H, TILE_W, PictureTiles, as_pixmap, cut_to
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


class AccentTiles(PictureTiles):
    """A grid of accents, by name."""

    def __init__(self) -> None:
        super().__init__(GAP, MOST_COLUMNS, plays=True)
        self._base = base_picture(None)
        self.setAccessibleName("Accents; arrows choose, Enter adds a lane")
        self.show_items(list(CATALOGUE))

    def show_on(self, pixmap: QPixmap | None) -> None:
        """Show the accents on another frame."""
        self._base = base_picture(pixmap)
        self.made_anew()

    def title_of(self, item: str) -> str:
        return CATALOGUE[item].title.lower()

    def picture(self, name: str, offset: int, turn: int = 0) -> QPixmap:
        """Return the user's frame under an accent, `offset` frames after its point."""
        return as_pixmap(sample(drifting(self._base, SIZE), CATALOGUE[name], offset, turn=turn))

    def resting(self, item: str) -> QPixmap:
        return self.picture(item, shown_offset(CATALOGUE[item]))

    def playing(self, item: str) -> QPixmap:
        frames = pulse_frames(CATALOGUE[item])
        turn, step = divmod(self.tick - 1, len(frames) + REST_FRAMES)
        return self.picture(item, frames.start + step, turn)
