"""Shapes: forms of speed that fit any clip, and how one is laid on a clip's points.

A shape's speeds are multiples of the clip's own speed, so the clip goes on using about as much of its footage.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from tempik.reel import Curve, Node, Shaped, SpeedShape
from tempik.retime.curve import average_speed, constant, cut_out, reversed_curve, scaled, segments, speed_at
from tempik.retime.shaping import EASED, LEAST_APART, joined, limited

# Anchors closer to the clip's edge, or to one another, than this share of it are one.
MERGED = 1e-3
_S = EASED


def _nodes(*nodes: tuple[float, float], soft: float = _S, hold: bool = False) -> tuple[Node, ...]:
    last = len(nodes) - 1
    return tuple(
        Node(at, speed, soft if i else 0.0, soft if i < last else 0.0, hold) for i, (at, speed) in enumerate(nodes)
    )


READY: tuple[SpeedShape, ...] = (
    SpeedShape("dip", _nodes((0, 4), (0.5, 0.5), (1, 4)), 0.5, does="fast, slow on the point, fast"),
    SpeedShape("swell", _nodes((0, 0.4), (0.5, 3), (1, 0.4)), 0.5, does="slow, fast on the point, slow"),
    SpeedShape("launch", (Node(0, 0.4, hold=True), Node(0.5, 4, soft_out=_S), Node(1, 1.5, _S)), 0.5, does="slow, then off the point at full speed"),
    SpeedShape("settle", (Node(0, 3, soft_out=0.7), Node(0.5, 0.4, soft_in=0.7), Node(1, 0.4)), 0.5, does="fast, coming to rest slow on the point"),
    SpeedShape("rush", (Node(0, 0.4), Node(0.25, 0.4, soft_out=0.8), Node(1, 5, soft_in=0.1)), 1.0, does="slow for long, then rushing to the point"),
    SpeedShape("run out", (Node(0, 5, soft_out=0.1), Node(0.75, 0.4, soft_in=0.8), Node(1, 0.4)), 0.0, does="off the point fast, running out slow"),
    SpeedShape("hang", (Node(0, 2, soft_out=_S), Node(0.4, 0.1, 0.8), Node(0.6, 0.1, 0, 0.8), Node(1, 2, _S)), 0.5, does="almost still at the point"),
    SpeedShape("steps", (Node(0, 2.5, hold=True), Node(0.5, 0.5, hold=True)), 0.0, does="fast from the point, slow for the other half"),
    SpeedShape("stutter", tuple(Node(i / 8, 0.0 if i % 2 else 2.0, hold=True) for i in range(8)), 0.0, does="stopping and catching up, four times"),
    SpeedShape("bounce", (Node(0, 4, soft_out=0.15), Node(1, 0.35, soft_in=0.8)), 0.0, does="kicked off the point, slowing to the next"),
    SpeedShape("swing", _nodes((0, 2), (0.5, -2), (1, 2)), 0.5, does="forward, back through a standstill, forward again"),
    SpeedShape("see-saw", (Node(0, 1),), 0.0, True, does="forward and backward from point to point"),
)  # fmt: skip


def ready_shape(name: str) -> SpeedShape | None:
    """Return the shape of that name that comes with the program, or None."""
    return next((s for s in READY if s.name == name), None)


def shape_of(curve: Curve, name: str, focus: float = 0.5) -> SpeedShape:
    """Return the shape of a curve: its speeds as multiples of its average (of its size where it turns round)."""
    size = _size(curve)
    return SpeedShape(name, scaled(curve, 1 / size).nodes if size > 1e-9 else curve.nodes, focus)


def weighed(shape: SpeedShape, amount: float) -> Curve:
    """Return the shape with `amount` of it (0 to 2): none is even, 1 the shape, 2 its speeds' multiples squared.

    A shape that stands still or turns round has no such powers: its distance from even is multiplied instead.
    """
    powers = all(n.speed > 0 for n in shape.nodes)

    def weigh(speed: float) -> float:
        return speed**amount if powers else 1 + (speed - 1) * amount

    return Curve(tuple(replace(n, speed=weigh(n.speed)) for n in shape.nodes))


class SlotAnchors(NamedTuple):
    """What a shape may be laid on, in shares of the slot."""

    point: float | None = None  # the one point it names
    pin: float | None = None  # the clip's first pin
    inside: Sequence[float] = ()  # the chosen points inside the clip


def shaped_curve(use: Shaped, anchors: SlotAnchors = SlotAnchors()) -> Curve:
    """Return the curve of a clip that uses a shape. Where its point or pin is not in the clip, the clip is its ground.

    Its average speed is `use.speed`, or the average size of its speed where it turns round, as far as the limits allow.
    """
    unit = weighed(use.shape, use.amount)
    at = anchors.point if use.align == "point" else anchors.pin if use.align == "pin" else None
    if use.align == "every":
        marks = [s for s in sorted(anchors.inside) if MERGED < s < 1 - MERGED]
        curve = _over_gaps(use.shape, unit, marks[use.every - 1 :: use.every])
    elif at is not None and 0 <= at <= 1:
        curve = _about(unit, use.shape.focus, at)
    else:
        curve = unit
    size = _size(curve)
    factor = use.speed / size if size > 1e-9 else use.speed
    return Curve(tuple(replace(n, speed=limited(n.speed * factor)) for n in curve.nodes))


def _about(unit: Curve, focus: float, at: float) -> Curve:
    """Return the shape with its focus at a share of the slot: the two sides are stretched, or go on at its end."""
    left, right = _halves(unit, focus)
    return joined([(at, left), (1 - at, right)])


def _halves(unit: Curve, focus: float) -> tuple[Curve, Curve]:
    left = cut_out(unit, (0.0, focus)) if focus > LEAST_APART else constant(segments(unit)[0].v0)
    right = cut_out(unit, (focus, 1.0)) if focus < 1 - LEAST_APART else constant(segments(unit)[-1].v1)
    return left, right


def _over_gaps(shape: SpeedShape, unit: Curve, marks: Sequence[float]) -> Curve:
    """Return the shape once about every mark and either end of the slot, its focus on them.

    A turning shape plays every second gap backward; each gap then uses the same stretch of footage, so that it goes
    over it again and again.
    """
    stops = [0.0, *(m for i, m in enumerate(marks) if i == 0 or m - marks[i - 1] > MERGED), 1.0]
    left, right = _halves(unit, shape.focus)
    pieces: list[tuple[float, Curve]] = []
    for number, (a, b) in enumerate(zip(stops, stops[1:], strict=False)):
        if shape.turning:
            piece = unit if number % 2 == 0 else reversed_curve(unit)
            pieces.append((b - a, scaled(piece, 1 / (len(stops) - 1) / (b - a))))
            continue
        for length, half in ((1 - shape.focus, right), (shape.focus, left)):
            if length > LEAST_APART:
                pieces.append((length * (b - a), half))
    return joined(pieces)


def _size(curve: Curve) -> float:
    """Return the average speed of a curve, of its size where it turns round."""
    speeds = [n.speed for n in curve.nodes]
    if min(speeds) >= 0 or max(speeds) <= 0:
        return abs(average_speed(curve))
    # Fine enough for a size that only scales the shape; what lands is worked out from the curve itself.
    return float(np.abs(speed_at(curve, (np.arange(512) + 0.5) / 512)).mean())
