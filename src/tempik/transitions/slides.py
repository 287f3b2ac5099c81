"""Transitions in which the pictures run along a way."""

from __future__ import annotations

from tempik.accents.accent import Values, number
from tempik.accents.light import exposed
from tempik.accents.look import Look, shifted
from tempik.settings import Setting
from tempik.transitions.fades import crossed, shown
from tempik.transitions.mixing import seamed
from tempik.transitions.timing import SHARP, SOFT
from tempik.transitions.transition_type import (
    DIAGONALS,
    WAYS,
    TransitionFrame,
    TransitionMix,
    TransitionMoment,
    TransitionType,
)

# A shutter of 200 degrees is usual for slides (common practice).
USUAL_SHUTTER = 200.0


def _along(at: TransitionMoment, share: float) -> Look:
    """Return the movement along the way by a share of the frame."""
    x, y = at.way
    return Look(move=shifted(x * share * at.span, y * share * at.span))


def _edge_between(at: TransitionMoment, moving: bool = True) -> TransitionMix:
    """Return the incoming picture's side of an edge that runs the way with the progress."""
    x, y = at.way
    forward = x + y > 0
    edge = at.progress if forward else 1 - at.progress
    return TransitionMix(seamed, (bool(y), edge, at.swept if moving else 0.0, forward))


def _push(at: TransitionMoment, values: Values) -> TransitionFrame:
    return TransitionFrame(_along(at, at.progress), _along(at, at.progress - 1), _edge_between(at))


def _slide_over(at: TransitionMoment, values: Values) -> TransitionFrame:
    under = _along(at, number(values, "drift") * at.progress)
    under = under.toned(exposed, -1.5 * number(values, "shade") * at.progress)
    return TransitionFrame(under, _along(at, at.progress - 1), _edge_between(at))


def _slide_away(at: TransitionMoment, values: Values) -> TransitionFrame:
    left = 1 - at.progress
    under = _along(at, -number(values, "drift") * left)
    under = under.toned(exposed, -1.5 * number(values, "shade") * left)
    return TransitionFrame(_along(at, at.progress), under, _edge_between(at))


def _whip(at: TransitionMoment, values: Values) -> TransitionFrame:
    far = number(values, "far") * at.amount
    return shown(_along(at, far * at.progress), _along(at, far * (at.progress - 1)), crossed(at.progress, 0.3))


KINDS = (
    TransitionType(
        "push", "Push", "movement", "the new picture pushes the old one out", _push,
        directions=WAYS, ease=SOFT, shutter_deg=USUAL_SHUTTER, frames=7,
    ),
    TransitionType(
        "slide-over", "Slide over", "movement", "the new picture slides over the old one", _slide_over,
        (Setting("drift", "the old one drifts", 0.18), Setting("shade", "and darkens", 0.35)),
        directions=WAYS, ease=SOFT, shutter_deg=USUAL_SHUTTER, frames=7,
    ),
    TransitionType(
        "slide-away", "Slide away", "movement", "the old picture slides off the new one", _slide_away,
        (Setting("drift", "the new one drifts", 0.18), Setting("shade", "and is dark at first", 0.35)),
        directions=WAYS, ease=SOFT, shutter_deg=USUAL_SHUTTER, frames=7,
    ),
    TransitionType(
        "whip", "Whip", "movement", "both pictures run along one way, as in a quick pan", _whip,
        (Setting("far", "how far", 2.4, 0.5, 8, "frames"),),
        directions=(*WAYS, *DIAGONALS), ease=SHARP, shutter_deg=USUAL_SHUTTER, frames=8,
    ),
)  # fmt: skip
