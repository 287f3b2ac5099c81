"""The transitions to choose from, each between the two clips of the cut that is worked on; the one under the pointer plays."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPixmap

from tempik.desktop.widgets.tile_grid import TileGrid
from tempik.desktop.widgets.tile_pictures import NAME_H, PICTURE_H, TILE_W, as_pixmap, cut_to, paint_framed
from tempik.media.picture import Picture, solid
from tempik.reel import Transition
from tempik.render.sample import sample_transition
from tempik.transitions import CATALOGUE, new_transition

GAP = 5
MOST_COLUMNS = 3
# A tile plays its transition over so many frames, whatever its length, and rests on each picture.
FRAMES = 16
REST_FRAMES = 8


class TransitionTile(NamedTuple):
    """A transition to choose: a kind of the catalogue, or one of one's own by its name."""

    name: str
    transition: Transition
    own: bool = False

    @property
    def title(self) -> str:
        """What it is called on its tile."""
        return self.name if self.own else CATALOGUE[self.name].title.lower()

    @property
    def does(self) -> str:
        """What it does, in words."""
        kind = CATALOGUE[self.transition.kind]
        return f"{self.name}: your own {kind.title.lower()}" if self.own else f"{kind.title}: {kind.does}"


def choices(own: dict[str, Transition]) -> list[TransitionTile]:
    """Return what there is to choose: the catalogue, then one's own of kinds that are known."""
    mine = [TransitionTile(name, transition, True) for name, transition in own.items() if transition.kind in CATALOGUE]
    return [TransitionTile(name, new_transition(name)) for name in CATALOGUE] + mine


class TransitionTiles(TileGrid):
    """A grid of choices."""

    def __init__(self) -> None:
        super().__init__((TILE_W, PICTURE_H + NAME_H), GAP, MOST_COLUMNS, plays=True)
        self.chosen = ""
        self._out, self._into = cut_to(None, TILE_W, PICTURE_H), solid(TILE_W, PICTURE_H, 40)
        self._rest: dict[tuple[str, bool], QPixmap] = {}
        self.setAccessibleName("Transitions; arrows choose, Enter lays one")

    def show_between(self, out: QPixmap | None, into: QPixmap | None) -> None:
        """Show the transitions between two other pictures; where there is none it is black."""
        self._out, self._into = (_side(p) for p in (out, into))
        self._rest.clear()
        self.update()

    def choose(self, name: str) -> None:
        """Show which kind the transition that is worked on has."""
        if name != self.chosen:
            self.chosen = name
            self.update()

    def picture(self, choice: TransitionTile, step: float) -> QPixmap:
        """Return the two pictures joined, at a step of FRAMES."""
        reach = (FRAMES // 2, FRAMES - FRAMES // 2)
        if choice.transition.kind == "hits":
            reach = (0, FRAMES)
        return as_pixmap(sample_transition(self._out, self._into, choice.transition, step - reach[0], reach))

    def playing(self, choice: TransitionTile) -> QPixmap:
        """Return the picture that the tile under the pointer has come to."""
        whole = FRAMES + 2 * REST_FRAMES
        return self.picture(choice, (self.tick - 1) % whole - REST_FRAMES + 0.5)

    def paint_tile(self, p: QPainter, number: int, box: QRectF) -> None:
        choice: TransitionTile = self.items[number]
        under = number == self.under
        key = choice.name, choice.own
        if key not in self._rest:
            self._rest[key] = self.picture(choice, shown_step(choice))
        picture = self.playing(choice) if under and self.tick else self._rest[key]
        used = choice.name == self.chosen or self.keyed(number)
        paint_framed(p, box, picture, choice.title, used, under)


def shown_step(choice: TransitionTile) -> float:
    """Return the step at which a transition shows best what it does, for a tile at rest: shortly before its turn."""
    if choice.transition.kind == "dip":
        return 4.5
    return {"movement": 6.9, "zoom": 6.9, "fade": 7.5, "wipe": 7.0, "pieces": 7.0}[
        CATALOGUE[choice.transition.kind].family
    ]


def _side(pixmap: QPixmap | None) -> Picture:
    return cut_to(pixmap, TILE_W, PICTURE_H) if pixmap is not None else solid(TILE_W, PICTURE_H)
