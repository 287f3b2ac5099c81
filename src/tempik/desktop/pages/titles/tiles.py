"""Looks of titles and ways to come and go, each on the user's own words; the one under the pointer plays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from msgspec.structs import replace
from PySide6.QtGui import QPixmap

from tempik.desktop.widgets.tile_pictures import PICTURE_H, TILE_W, PictureTiles, as_pixmap
from tempik.media.picture import Picture
from tempik.media.picture import solid as grey
from tempik.reel import Arrival, Title
from tempik.render.sample import sample_title, title_frames
from tempik.titles import ARRIVALS, words_of
from tempik.titles.looks import LOOKS, TitleLook

GAP, COLUMNS = 5, 3
MOST_WORDS = 6  # more are too small on a tile
NO_WORDS = "your words"
GROUND = 96  # of a tile: light and dark letters are both seen on it
ARRIVAL_W, ARRIVAL_H = 46, 28
ARRIVAL_FRAMES, STAYS = 12, 14


def few_words(text: str) -> str:
    """Return the first words of a text, with its lines."""
    words = words_of(text)
    if not words:
        return NO_WORDS
    if len(words) <= MOST_WORDS and ("\n" in text or len(words) < 3):
        return text
    words = words[:MOST_WORDS]
    half = (len(words) + 1) // 2
    return f"{' '.join(words[:half])}\n{' '.join(words[half:])}".strip()


class TitleLookTiles(PictureTiles):
    """A grid of looks, ours and one's own."""

    def __init__(self) -> None:
        super().__init__(GAP, COLUMNS, plays=True)
        self.text = NO_WORDS
        self._below = grey(TILE_W, PICTURE_H, GROUND)
        self.setAccessibleName("Looks of titles; arrows choose, Enter sets")
        self.show_items(list(LOOKS))

    def show_own(self, own: Sequence[TitleLook]) -> None:
        """Show one's own looks after ours."""
        self.show_items([*LOOKS, *own])
        self.made_anew()

    def show_text(self, text: str) -> None:
        """Show the looks on other words."""
        text = few_words(text)
        if text != self.text:
            self.text = text
            self.made_anew()

    def _title(self, look: TitleLook) -> Title:
        return replace(look.title, text=self.text, words=look.styles(len(words_of(self.text))))

    def picture(self, look: TitleLook, frame: int) -> QPixmap:
        """Return a look on the words, so many frames after they begin."""
        return as_pixmap(sample_title(self._below, self._title(look), bool(look.on_points), frame))

    def resting(self, item: TitleLook) -> QPixmap:
        frames = title_frames(self._title(item))
        return self.picture(item, frames - 12)

    def playing(self, item: TitleLook) -> QPixmap:
        return self.picture(item, (self.tick - 1) % title_frames(self._title(item)))


class ArrivalTile(NamedTuple):
    """A way to come or go."""

    name: str


class ArrivalTiles(PictureTiles):
    """The ways in which words come, or with `going` go, in a row."""

    def __init__(self, going: bool) -> None:
        super().__init__(4, len(ARRIVALS), plays=True, size=(ARRIVAL_W, ARRIVAL_H))
        self.going = going
        self._below: Picture = grey(ARRIVAL_W, ARRIVAL_H, GROUND)
        self.setAccessibleName(f"How words {'go' if going else 'come'}; arrows choose, Enter sets")
        self.show_items([ArrivalTile(name) for name in ARRIVALS])

    def picture(self, kind: str, frame: int) -> QPixmap:
        """Return a short word so many frames after it begins to come, or to go."""
        arrival = Arrival(kind, ARRIVAL_FRAMES)
        title = Title(
            "Ab", shadow=0, enter=Arrival() if self.going else arrival, leave=arrival if self.going else Arrival()
        )
        begin = title_frames(title) - ARRIVAL_FRAMES - STAYS // 2 if self.going else 0
        return as_pixmap(sample_title(self._below, title, False, begin + frame))

    def resting(self, item: ArrivalTile) -> QPixmap:
        return self.picture(item.name, 0 if self.going else ARRIVAL_FRAMES + 2)

    def playing(self, item: ArrivalTile) -> QPixmap:
        return self.picture(item.name, (self.tick - 1) % (ARRIVAL_FRAMES + STAYS))
