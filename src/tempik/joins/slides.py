"""Joins in which the pictures run along a way."""

from __future__ import annotations

from tempik.accents.accent import Setting, Values, number
from tempik.accents.light import exposed
from tempik.accents.look import Look, shifted
from tempik.joins.fades import crossed, shown
from tempik.joins.kind import DIAGONALS, WAYS, Crossing, Kind, Mix, Moment
from tempik.joins.mixing import seamed
from tempik.joins.timing import SHARP, SOFT

# A shutter of 200 degrees is usual for slides (common practice).
USUAL_SHUTTER = 200.0


def _along(at: Moment, share: float) -> Look:
    """Return the movement along the way by a share of the frame."""
    x, y = at.way
    return Look(move=shifted(x * share * at.span, y * share * at.span))


def _seam(at: Moment, moving: bool = True) -> Mix:
    """Return the incoming picture's side of a seam that runs the way with the progress."""
    x, y = at.way
    forward = x + y > 0
    edge = at.progress if forward else 1 - at.progress
    return Mix(seamed, (bool(y), edge, at.swept if moving else 0.0, forward))


def _push(at: Moment, values: Values) -> Crossing:
    return Crossing(_along(at, at.progress), _along(at, at.progress - 1), _seam(at))


def _slide_over(at: Moment, values: Values) -> Crossing:
    under = _along(at, number(values, "drift") * at.progress)
    under = under.toned(exposed, -1.5 * number(values, "shade") * at.progress)
    return Crossing(under, _along(at, at.progress - 1), _seam(at))


def _slide_away(at: Moment, values: Values) -> Crossing:
    left = 1 - at.progress
    under = _along(at, -number(values, "drift") * left)
    under = under.toned(exposed, -1.5 * number(values, "shade") * left)
    return Crossing(_along(at, at.progress), under, _seam(at))


def _whip(at: Moment, values: Values) -> Crossing:
    far = number(values, "far") * at.amount
    return shown(_along(at, far * at.progress), _along(at, far * (at.progress - 1)), crossed(at.progress, 0.3))


KINDS = (
    Kind(
        "push", "Push", "movement", "the new picture pushes the old one out", _push,
        directions=WAYS, ease=SOFT, shutter_deg=USUAL_SHUTTER, frames=7,
    ),
    Kind(
        "slide-over", "Slide over", "movement", "the new picture slides over the old one", _slide_over,
        (Setting("drift", "the old one drifts", 0.18), Setting("shade", "and darkens", 0.35)),
        directions=WAYS, ease=SOFT, shutter_deg=USUAL_SHUTTER, frames=7,
    ),
    Kind(
        "slide-away", "Slide away", "movement", "the old picture slides off the new one", _slide_away,
        (Setting("drift", "the new one drifts", 0.18), Setting("shade", "and is dark at first", 0.35)),
        directions=WAYS, ease=SOFT, shutter_deg=USUAL_SHUTTER, frames=7,
    ),
    Kind(
        "whip", "Whip", "movement", "both pictures run along one way, as in a quick pan", _whip,
        (Setting("far", "how far", 2.4, 0.5, 8, "frames"),),
        directions=(*WAYS, *DIAGONALS), ease=SHARP, shutter_deg=USUAL_SHUTTER, frames=8,
    ),
)  # fmt: skip
