"""Transitions in pieces: slices, blocks, single frames."""

from __future__ import annotations

import math

from tempik.accents.accent import Values, drawn, number, words
from tempik.accents.look import Look, about
from tempik.settings import Setting
from tempik.transitions.mixing import by_field, in_slices
from tempik.transitions.slides import USUAL_SHUTTER
from tempik.transitions.timing import SOFT
from tempik.transitions.transition_type import (
    UP,
    WAYS,
    TransitionFrame,
    TransitionMix,
    TransitionMoment,
    TransitionType,
)

_WAYS = (UP, *(w for w in WAYS if w != UP))


def _slices(at: TransitionMoment, values: Values) -> TransitionFrame:
    count = round(number(values, "count"))
    apart = number(values, "apart")

    def of(slice_: int, progress: float) -> float:
        late = apart * (drawn(at.seed, ("slice", slice_)) - 0.5)
        return min(max((progress - 0.5) * (1 + apart) + 0.5 - late, 0.0), 1.0)

    x, y = at.way
    each = tuple(of(i, at.progress) for i in range(count))
    return TransitionFrame(mix=TransitionMix(in_slices, (count, bool(y), each, at.swept * (1 + apart), x + y)))


def _blocks(at: TransitionMoment, values: Values) -> TransitionFrame:
    args = (number(values, "across"), at.direction, number(values, "by_lot"), float(at.seed % 2**31))
    return TransitionFrame(mix=TransitionMix(by_field, ("blocks", args, at.progress, number(values, "soft"))))


def _hits(at: TransitionMoment, values: Values) -> TransitionFrame:
    """The new picture from the turn on, and every second frame after it the old one for one frame."""
    frame = math.floor(at.since)
    if frame < 0:
        return TransitionFrame(only="out")
    if frame % 2 == 0:
        return TransitionFrame(only="into")
    closer = 1 + (number(values, "closer") - 1) * at.amount
    turned = words(values, "tilts") == "yes"
    tilt = (8.0 if (frame // 2) % 2 else -8.0) if turned else 0.0
    return TransitionFrame(Look(move=about(0.0, 0.0, closer, tilt)), only="out")


KINDS = (
    TransitionType(
        "slices", "Slices", "pieces", "strips of the new picture push in, neighbours opposite ways", _slices,
        (Setting("count", "strips", 6.0, 2, 40, "strips"), Setting("apart", "one after the other", 0.3)),
        directions=_WAYS, ease=SOFT, shutter_deg=USUAL_SHUTTER,
    ),
    TransitionType(
        "blocks", "Blocks", "pieces", "squares of the new picture come one after the other", _blocks,
        (
            Setting("across", "blocks across", 6.0, 1, 40, "blocks"),
            Setting("by_lot", "by lot", 0.6),
            Setting("soft", "softness", 0.12, 0.0, 1.0),
        ),
        directions=WAYS,
    ),
    TransitionType(
        "hits", "Hits", "pieces", "after the cut the old picture comes back for single frames, closer", _hits,
        (
            Setting("closer", "closer by", 1.3, 1, 4, "×"),
            Setting("tilts", "tilts", "yes", choices=("yes", "no")),
        ),
        frames=6, at=0.0,
    ),
)  # fmt: skip
