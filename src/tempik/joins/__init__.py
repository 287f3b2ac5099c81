"""Joins: what happens over a cut. Kinds, their course about the turn, and how two pictures become one."""

from tempik.joins.catalogue import (
    CATALOGUE,
    direction_of,
    ease_of,
    join_of,
    kind_named,
    problem,
    settings_of,
    shutter_of,
)
from tempik.joins.kind import TURNS, WAYS, Crossing, Kind, Mix, Moment, Side
from tempik.joins.timing import EASES, about_turn, eased, fitted, halfway, length_frames, over_edge, sides

__all__ = [
    "CATALOGUE",
    "EASES",
    "TURNS",
    "WAYS",
    "Crossing",
    "Kind",
    "Mix",
    "Moment",
    "Side",
    "about_turn",
    "direction_of",
    "ease_of",
    "eased",
    "fitted",
    "halfway",
    "join_of",
    "kind_named",
    "length_frames",
    "over_edge",
    "problem",
    "settings_of",
    "shutter_of",
    "sides",
]
