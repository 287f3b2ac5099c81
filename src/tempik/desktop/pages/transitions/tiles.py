"""The transitions to choose from, each between the two clips of the cut that is worked on; the one under the pointer plays."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtGui import QPixmap

from tempik.desktop.widgets.tile_pictures import PICTURE_H, TILE_W, PictureTiles, as_pixmap, cut_to
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


class TransitionTiles(PictureTiles):
    """A grid of choices."""

    def __init__(self) -> None:
        super().__init__(GAP, MOST_COLUMNS, plays=True)
        self._out, self._into = cut_to(None, TILE_W, PICTURE_H), solid(TILE_W, PICTURE_H, 40)
        self.setAccessibleName("Transitions; arrows choose, Enter lays one")

    def show_between(self, out: QPixmap | None, into: QPixmap | None) -> None:
        """Show the transitions between two other pictures; where there is none it is black."""
        self._out, self._into = (_side(p) for p in (out, into))
        self.made_anew()

    def title_of(self, item: TransitionTile) -> str:
        return item.title

    def picture(self, choice: TransitionTile, step: float) -> QPixmap:
        """Return the two pictures joined, at a step of FRAMES."""
        reach = (FRAMES // 2, FRAMES - FRAMES // 2)
        if choice.transition.kind == "hits":
            reach = (0, FRAMES)
        return as_pixmap(sample_transition(self._out, self._into, choice.transition, step - reach[0], reach))

    def resting(self, item: TransitionTile) -> QPixmap:
        return self.picture(item, shown_step(item))

    def playing(self, item: TransitionTile) -> QPixmap:
        whole = FRAMES + 2 * REST_FRAMES
        return self.picture(item, (self.tick - 1) % whole - REST_FRAMES + 0.5)


def shown_step(choice: TransitionTile) -> float:
    """Return the step at which a transition shows best what it does, for a tile at rest: shortly before its turn."""
    if choice.transition.kind == "dip":
        return 4.5
    return {"movement": 6.9, "zoom": 6.9, "fade": 7.5, "wipe": 7.0, "pieces": 7.0}[
        CATALOGUE[choice.transition.kind].family
    ]


def _side(pixmap: QPixmap | None) -> Picture:
    return cut_to(pixmap, TILE_W, PICTURE_H) if pixmap is not None else solid(TILE_W, PICTURE_H)
