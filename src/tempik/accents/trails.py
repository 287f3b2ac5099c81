"""Accents of time: echo trails, and the picture held for the pulse."""

from __future__ import annotations

from tempik.accents.accent import Accent, Moment, Values, number
from tempik.accents.look import Echo, Look
from tempik.reel import Envelope, Length
from tempik.settings import Setting


def _echo(look: Look, at: Moment, values: Values) -> Look:
    strength = min(1.0, number(values, "strength") * at.weight)
    return look._replace(echo=Echo(round(number(values, "count")), round(number(values, "apart")), strength))


def _freeze(look: Look, at: Moment, values: Values) -> Look:
    return look._replace(freeze=at.frame)


ACCENTS = (
    Accent(
        "echo", "Echo trails", "time", "the frames before trail behind what moves",
        Envelope(decay=Length(400), fall=1.2), 0.3, _echo,
        (
            Setting("count", "echoes", 3.0, 1, 6, "echoes"),
            Setting("apart", "apart", 2.0, 1, 8, "frames"),
            Setting("strength", "strength", 0.7),
        ),
        paints=False,
    ),
    Accent(
        "freeze", "Held picture", "time", "the point's own picture stands for the pulse",
        # A still for 0.3 to 0.5 s (common practice)
        Envelope(hold=Length(333), decay=Length(0)), 0.0, _freeze,
        paints=False,
    ),
)  # fmt: skip
