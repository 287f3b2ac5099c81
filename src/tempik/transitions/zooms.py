"""Transitions that go through the picture: closer, back, round, or through a lens. The rate of the zoom is even over the turn, so
that the movement carries through the cut."""

from __future__ import annotations

import math

from tempik.accents.accent import Values, number
from tempik.accents.lens import bulged
from tempik.accents.look import LENS, Look, about
from tempik.settings import Setting
from tempik.transitions.fades import crossed, shown
from tempik.transitions.slides import USUAL_SHUTTER
from tempik.transitions.timing import SHARP
from tempik.transitions.transition_type import TURNS, TransitionFrame, TransitionMoment, TransitionType

MIXED = 0.28  # of the course: both pictures are seen so long


def _scaled(factor: float, turn_deg: float = 0.0) -> Look:
    return Look(move=about(0.0, 0.0, factor, turn_deg))


def _zoom(at: TransitionMoment, values: Values, sign: float) -> TransitionFrame:
    step = sign * math.log(number(values, "closer")) * at.amount
    out, into = math.exp(step * at.progress), math.exp(step * (at.progress - 1))
    return shown(_scaled(out), _scaled(into), crossed(at.progress, MIXED))


def _zoom_in(at: TransitionMoment, values: Values) -> TransitionFrame:
    return _zoom(at, values, 1.0)


def _zoom_out(at: TransitionMoment, values: Values) -> TransitionFrame:
    return _zoom(at, values, -1.0)


def _spin(at: TransitionMoment, values: Values) -> TransitionFrame:
    angle = at.sign * number(values, "turn") * at.amount
    closer = 1 + number(values, "closer") * math.sin(math.pi * at.progress)
    out, into = _scaled(closer, angle * at.progress), _scaled(closer, angle * (at.progress - 1))
    return shown(out, into, crossed(at.progress, MIXED))


def _lens_zoom(at: TransitionMoment, values: Values) -> TransitionFrame:
    step = math.log(number(values, "closer")) * at.amount
    bend = number(values, "bend") * at.amount
    out = _scaled(math.exp(step * at.progress)).painted(
        LENS, bulged, (0.0, 0.0), round(min(0.85, bend * 2 * at.progress), 4)
    )
    into = _scaled(math.exp(step * (at.progress - 1))).painted(
        LENS, bulged, (0.0, 0.0), round(-1.4 * bend * 2 * (1 - at.progress), 4)
    )
    return shown(out, into, crossed(at.progress, MIXED))


_CLOSER = Setting("closer", "closer by", 4.0, 1.1, 12, "×")

KINDS = (
    TransitionType(
        "zoom-in", "Zoom-through in", "zoom", "forward through the old picture into the new one", _zoom_in, (_CLOSER,),
        ease=SHARP, shutter_deg=USUAL_SHUTTER,
    ),
    TransitionType(
        "zoom-out", "Zoom-through out", "zoom", "back out of the old picture into the new one", _zoom_out, (_CLOSER,),
        ease=SHARP, shutter_deg=USUAL_SHUTTER,
    ),
    TransitionType(
        "spin", "Spin", "zoom", "both pictures turn about the middle", _spin,
        (Setting("turn", "turns by", 150.0, 10, 720, "°"), Setting("closer", "and comes closer", 0.45, 0, 2)),
        directions=TURNS, ease=SHARP, shutter_deg=USUAL_SHUTTER,
    ),
    TransitionType(
        "lens-zoom", "Lens zoom", "zoom", "the picture swells like a lens, and the new one comes out of it", _lens_zoom,
        (Setting("closer", "closer by", 2.2, 1.0, 12, "×"), Setting("bend", "bent by", 0.75)),
        ease=SHARP, shutter_deg=USUAL_SHUTTER,
    ),
)  # fmt: skip
