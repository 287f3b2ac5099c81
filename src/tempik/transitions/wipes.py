"""Transitions in which an edge runs over the frame and leaves the new picture behind it.

Their geometry is that of SMPTE 258M, whose numbers the kinds bear where it has the form: 1 and 2 bars from the left and from
the top, 101, 102 and 119 irises (box, diamond, circle), 201 the clock from twelve.
"""

from __future__ import annotations

from tempik.accents.accent import Values, number, words
from tempik.accents.look import SHADE
from tempik.settings import Setting
from tempik.transitions.fades import PLAIN
from tempik.transitions.mixing import by_field, with_streak
from tempik.transitions.transition_type import (
    RIGHT,
    TURNS,
    WAYS,
    TransitionFrame,
    TransitionMix,
    TransitionMoment,
    TransitionType,
)

_WAYS = (RIGHT, *(w for w in WAYS if w != RIGHT))


def _by(name: str, args: tuple[float | str, ...], at: TransitionMoment, soft: float) -> TransitionFrame:
    return TransitionFrame(mix=TransitionMix(by_field, (name, args, at.progress, soft)))


def _bar(at: TransitionMoment, values: Values) -> TransitionFrame:
    return _by("bar", (at.direction, number(values, "bars")), at, 0.004)


def _soft(at: TransitionMoment, values: Values) -> TransitionFrame:
    return _by("bar", (at.direction, 1.0), at, number(values, "soft"))


def _iris(at: TransitionMoment, values: Values) -> TransitionFrame:
    return _by("iris", (words(values, "shape"), words(values, "runs")), at, number(values, "soft"))


def _clock(at: TransitionMoment, values: Values) -> TransitionFrame:
    return _by("clock", (at.direction, number(values, "hour")), at, number(values, "soft"))


def _light_sweep(at: TransitionMoment, values: Values) -> TransitionFrame:
    made = _by("bar", (at.direction, 1.0), at, number(values, "soft"))
    soft = number(values, "soft")
    edge = at.progress * (1 + soft) - soft / 2
    # It comes in from beyond the frame and leaves it.
    lit = min(1.0, number(values, "lit") * at.amount)
    streak = ("bar", (at.direction, 1.0), round(edge, 5), number(values, "wide"), lit)
    return made._replace(over=PLAIN.painted(SHADE, with_streak, *streak))


KINDS = (
    TransitionType(
        "bar-wipe", "Bar wipe", "wipe", "a straight edge runs over the frame; several bars each over their strip", _bar,
        (Setting("bars", "bars", 1.0, 1, 24, "bars"),), directions=_WAYS, wipe=1,
    ),
    TransitionType(
        "soft-wipe", "Soft wipe", "wipe", "a wide soft edge runs over the frame", _soft,
        (Setting("soft", "softness", 0.4, 0.02, 1.5),), directions=_WAYS, wipe=1,
    ),
    TransitionType(
        "iris", "Iris", "wipe", "a shape opens from the middle, or closes from the edges", _iris,
        (
            Setting("shape", "shape", "circle", choices=("circle", "box", "diamond")),
            Setting("runs", "runs", "from the middle", choices=("from the middle", "from the edges")),
            Setting("soft", "softness", 0.06, 0.0, 1.0),
        ),
        wipe=119,
    ),
    TransitionType(
        "clock-wipe", "Clock wipe", "wipe", "a hand goes round the middle", _clock,
        (Setting("hour", "from the hour", 12.0, 1, 12, ""), Setting("soft", "softness", 0.02, 0.0, 1.0)),
        directions=TURNS, frames=10, wipe=201,
    ),
    TransitionType(
        "light-sweep", "Light sweep", "wipe", "a streak of light crosses and leaves the new picture", _light_sweep,
        (
            Setting("lit", "brightness", 0.95),
            Setting("wide", "width of the streak", 0.3, 0.03, 1),
            Setting("soft", "softness", 0.25, 0.02, 1),
        ),
        directions=_WAYS, frames=9,
    ),
)  # fmt: skip
