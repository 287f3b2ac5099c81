"""The lanes of the timeline, from the top down. A new kind of lane is one module here and a line in LANES."""

from __future__ import annotations

from tempik.desktop.timeline.lane import Lane
from tempik.desktop.timeline.lanes.accents import AccentLane
from tempik.desktop.timeline.lanes.pictures import PictureLane
from tempik.desktop.timeline.lanes.pins import PinsLane
from tempik.desktop.timeline.lanes.points import PointsLane
from tempik.desktop.timeline.lanes.ruler import RulerLane
from tempik.desktop.timeline.lanes.sound_clips import SoundTrackLane
from tempik.desktop.timeline.lanes.sounds import SoundRowLane
from tempik.desktop.timeline.lanes.transitions import TransitionsLane
from tempik.desktop.timeline.lanes.words import WordsLane
from tempik.reel import Reel

LANES: tuple[type[Lane], ...] = (
    *(RulerLane, PointsLane, PictureLane, WordsLane, PinsLane, TransitionsLane, AccentLane),
    *(SoundRowLane, SoundTrackLane),
)


def lanes_of(reel: Reel) -> list[Lane]:
    """Return the lanes that a reel has."""
    return [lane for kind in LANES for lane in kind.of(reel)]


def pointer_words() -> list[tuple[str, str]]:
    """Return what the pointer does on the timeline, for the keyboard page."""
    return [row for kind in LANES for row in kind.words()]
