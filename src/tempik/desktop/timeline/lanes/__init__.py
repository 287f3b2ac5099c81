"""The lanes of the timeline, from the top down. A new kind of lane is one module here and a line in LANES."""

from __future__ import annotations

from tempik.desktop.timeline.lane import LaneView
from tempik.desktop.timeline.lanes.accents import AccentLaneView
from tempik.desktop.timeline.lanes.pictures import PictureLaneView
from tempik.desktop.timeline.lanes.pins import PinsLaneView
from tempik.desktop.timeline.lanes.points import PointsLaneView
from tempik.desktop.timeline.lanes.ruler import RulerLaneView
from tempik.desktop.timeline.lanes.sound_clips import SoundTrackLaneView
from tempik.desktop.timeline.lanes.sounds import SoundLaneView
from tempik.desktop.timeline.lanes.transitions import TransitionsLaneView
from tempik.desktop.timeline.lanes.words import WordsLaneView
from tempik.reel import Reel

LANES: tuple[type[LaneView], ...] = (
    *(RulerLaneView, PointsLaneView, PictureLaneView, WordsLaneView, PinsLaneView, TransitionsLaneView, AccentLaneView),
    *(SoundLaneView, SoundTrackLaneView),
)


def lanes_of(reel: Reel) -> list[LaneView]:
    """Return the lanes that a reel has."""
    return [lane for kind in LANES for lane in kind.of(reel)]


def pointer_words() -> list[tuple[str, str]]:
    """Return what the pointer does on the timeline, for the keyboard page."""
    return [row for kind in LANES for row in kind.words()]
