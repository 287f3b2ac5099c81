"""Several pins on one clip: the speed between two cues follows from where they must land.

Between two pins the clip plays at the one speed that takes it from cue to cue; before the first and after the last it
plays at the average that its shape has there.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from tempik.reel import Curve, Node
from tempik.reel.validate import SPEED_LIMIT
from tempik.retime.timemap import TimeMap


class Bent(NamedTuple):
    """A curve through pins, and a sentence where a pin cannot be reached ('' otherwise)."""

    curve: Curve
    said: str


def through(shape: TimeMap, pins: Sequence[tuple[float, float]]) -> Bent:
    """Return the curve over the slot of `shape` that passes each pin (slot seconds in order, source seconds).

    Speeds are kept within ±SPEED_LIMIT: a later pin that asks for more is missed, and said. The pins' instants may lie
    outside the slot; the speeds of its ends go on there.
    """
    length_s, pace = shape.length_s, shape.pace
    said = ""
    stretches: list[tuple[float, float]] = []  # (from slot seconds, speed)
    first, last = pins[0][0], pins[-1][0]
    if first > 0:
        stretches.append((0.0, _average(shape, 0.0, min(first, length_s))))
    for number, ((a_s, a_cue), (b_s, b_cue)) in enumerate(zip(pins, pins[1:], strict=False)):
        speed = (b_cue - a_cue) / pace / (b_s - a_s)
        if abs(speed) > SPEED_LIMIT and not said:
            said = (
                f"pin {number + 2} cannot be reached: {abs(b_cue - a_cue) / pace:.2f} s of footage in {b_s - a_s:.2f} s "
                f"take {abs(speed) * 100:.0f} %, and {SPEED_LIMIT * 100:.0f} % is the limit"
            )
        if b_s > 0 and a_s < length_s:
            stretches.append((max(a_s, 0.0), min(max(speed, -SPEED_LIMIT), SPEED_LIMIT)))
    if last < length_s:
        stretches.append((max(last, 0.0), _average(shape, max(last, 0.0), length_s)))
    nodes: list[Node] = []
    for start_s, speed in stretches or [(0.0, shape.average_speed)]:
        at = min(start_s / length_s, 1.0)
        if nodes and at - nodes[-1].at < 1e-9:
            nodes.pop()
        nodes.append(Node(at, speed, hold=True))
    return Bent(Curve(tuple(nodes)), said)


def _average(shape: TimeMap, a_s: float, b_s: float) -> float:
    if b_s - a_s < 1e-9:
        return float(shape.speed(a_s)[0])
    return (shape.source_at(b_s) - shape.source_at(a_s)) / shape.pace / (b_s - a_s)
