"""Transitions: what happens over a cut. Kinds, their course about the turn, and how two pictures become one."""

from tempik.transitions.catalogue import (
    CATALOGUE,
    direction_of,
    ease_of,
    kind_named,
    new_transition,
    problem,
    settings_of,
    shutter_of,
)
from tempik.transitions.timing import EASES, about_turn, eased, fitted, halfway, length_frames, over_edge, sides
from tempik.transitions.transition_type import (
    TURNS,
    WAYS,
    Side,
    TransitionFrame,
    TransitionMix,
    TransitionMoment,
    TransitionType,
)

__all__ = [
    "CATALOGUE",
    "EASES",
    "TURNS",
    "WAYS",
    "Side",
    "TransitionFrame",
    "TransitionMix",
    "TransitionMoment",
    "TransitionType",
    "about_turn",
    "direction_of",
    "ease_of",
    "eased",
    "fitted",
    "halfway",
    "kind_named",
    "length_frames",
    "new_transition",
    "over_edge",
    "problem",
    "settings_of",
    "shutter_of",
    "sides",
]
