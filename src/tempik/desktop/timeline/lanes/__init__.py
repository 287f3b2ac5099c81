"""The lanes of the timeline. A new kind of lane is one module here: it says where it stands (`order`) and is found."""

from __future__ import annotations

import importlib
import pkgutil

from tempik.desktop.timeline.lane import LaneView
from tempik.reel import Reel


def _kinds(base: type[LaneView]) -> list[type[LaneView]]:
    """Return the kinds of lanes that say where they stand."""
    found = [kind for sub in base.__subclasses__() for kind in (sub, *_kinds(sub))]
    return list(dict.fromkeys(kind for kind in found if "order" in vars(kind)))


for _found in pkgutil.iter_modules(__path__, f"{__name__}."):
    importlib.import_module(_found.name)

LANES: tuple[type[LaneView], ...] = tuple(sorted(_kinds(LaneView), key=lambda kind: kind.order))


def lanes_of(reel: Reel) -> list[LaneView]:
    """Return the lanes that a reel has, from the top down."""
    return [lane for kind in LANES for lane in kind.of(reel)]


def pointer_words() -> list[tuple[str, str]]:
    """Return what the pointer does on the timeline, for the keyboard page."""
    return [row for kind in LANES for row in kind.words()]
