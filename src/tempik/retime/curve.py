"""Speed curves: playback speed over the share of a clip's slot.

Between two nodes speed runs `v0 + (v1 - v0)·E(x)`, E a cubic Bézier from (0,0) to (1,1) with control points
(soft_out, 0) and (1 - soft_in, 1): with no softness E is the straight line x. Both coordinates and the speed
are polynomials of the Bézier parameter u, so the integral of speed is a polynomial too, and exact.
Node positions are shares of the slot, so a shape fits any slot and its average speed does not depend on it.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import msgspec
import numpy as np
from numpy.polynomial import polynomial as poly
from numpy.typing import NDArray

from tempik.reel import Curve, Node

Array = NDArray[np.float64]
RISE = np.array([0.0, 0.0, 3.0, -2.0])  # y(u) = 3u² − 2u³, the Bézier ordinate for every softness


class Segment(NamedTuple):
    """One stretch of a curve between `start` and `start + width` (shares of the slot)."""

    start: float
    width: float
    v0: float
    v1: float
    x: Array  # polynomial of u, from 0 to 1
    area: Array  # polynomial of u: the integral of speed over share, from the segment's start


def constant(speed: float) -> Curve:
    """Return the curve that plays at one speed throughout."""
    return Curve((Node(0.0, speed),))


def ramp(first: float, last: float, soft: float = 0.0) -> Curve:
    """Return the curve that runs from one speed to another over the whole slot."""
    return Curve((Node(0.0, first, soft_out=soft), Node(1.0, last, soft_in=soft)))


def scaled(curve: Curve, factor: float) -> Curve:
    """Return the curve with every speed multiplied by `factor`."""
    return Curve(tuple(msgspec.structs.replace(n, speed=n.speed * factor) for n in curve.nodes))


def reversed_curve(curve: Curve) -> Curve:
    """Return the curve that plays the same stretch of source the other way round."""
    flipped = []
    for i in range(len(curve.nodes) - 1, -1, -1):
        node = curve.nodes[i]
        # Hold belongs to the segment after a node; mirrored, that segment starts at the node that ended it.
        holds = i > 0 and curve.nodes[i - 1].hold
        speed = curve.nodes[i - 1].speed if holds else node.speed
        flipped.append(Node(1.0 - node.at, -speed, node.soft_out, node.soft_in, holds))
    return Curve(tuple(flipped))


def cut_out(curve: Curve, part: tuple[float, float]) -> Curve:
    """Return the curve over a part of its shares, as a curve of its own; beyond its ends the end speeds go on.

    Holds and straight stretches are exact; of a stretch that eases and is cut, three more nodes follow the shape.
    """
    a, b = part
    if part == (0.0, 1.0):
        return curve
    nodes: list[Node] = []

    def put(share: float, speed: float, hold: bool, soft_in: float = 0.0, soft_out: float = 0.0) -> None:
        at = min(max((share - a) / (b - a), 0.0), 1.0)
        if nodes and at <= nodes[-1].at + 1e-9:  # where two stretches meet, the later one says how it goes on
            at, soft_in = nodes[-1].at, nodes[-1].soft_in
            nodes.pop()
        nodes.append(Node(at, speed, soft_in, soft_out, hold))

    for part_ in segments(curve):
        start, end = part_.start, part_.start + part_.width
        low = -np.inf if start == 0.0 else start
        high = np.inf if end >= 1 - 1e-12 else end
        if high <= a or low >= b:
            continue
        x0, x1 = max(start, a), min(end, b)
        flat = part_.v0 == part_.v1
        if flat or x1 <= x0:
            put(max(low, a), part_.v0 if x0 <= start or flat else part_.v1, flat)
            continue
        whole = x0 == start and x1 == end
        if whole:
            out_, in_ = float(part_.x[1]) / 3, 1 - float(part_.x[2] + 2 * part_.x[1]) / 3
            put(x0, part_.v0, False, soft_out=out_)
            put(x1, part_.v1, False, soft_in=in_)
            continue
        count = 2 if is_straight(part_) else 5
        shares = np.linspace(x0, x1, count)
        speeds = part_.v0 + (part_.v1 - part_.v0) * eased((shares - start) / part_.width, part_)
        for share, speed in zip(shares.tolist(), speeds.tolist(), strict=True):
            put(share, speed, False)
    return Curve(tuple(nodes))


def segments(curve: Curve) -> list[Segment]:
    """Return the curve as contiguous segments from share 0 to share 1; the ends hold the end speeds."""
    nodes = list(curve.nodes)
    if nodes[0].at > 0:
        nodes.insert(0, Node(0.0, nodes[0].speed, hold=True))
    if nodes[-1].at < 1:
        nodes[-1] = msgspec.structs.replace(nodes[-1], hold=True)
        nodes.append(Node(1.0, nodes[-1].speed))
    out = []
    for a, b in zip(nodes, nodes[1:], strict=False):
        v1 = a.speed if a.hold else b.speed
        soft_out, soft_in = (0.0, 0.0) if v1 == a.speed else (a.soft_out, b.soft_in)
        x = np.array([0.0, 3 * soft_out, 3 * (1 - soft_in) - 6 * soft_out, 1 - 3 * (1 - soft_in) + 3 * soft_out])
        speed = (v1 - a.speed) * RISE
        speed[0] += a.speed
        area = poly.polyint(poly.polymul(speed, poly.polyder(x))) * (b.at - a.at)
        out.append(Segment(a.at, b.at - a.at, a.speed, v1, x, np.asarray(area, dtype=np.float64)))
    return out


def parameter(x: Array, segment: Segment) -> Array:
    """Return the Bézier parameter u at which the segment's abscissa is `x` (0 to 1), to rounding error.

    The abscissa never falls for softness within 0 to 1, so bisection holds a bracket while Newton's step,
    where it stays inside, does the work.
    """
    low, high = np.zeros_like(x), np.ones_like(x)
    u = x.copy()
    c1, c2, c3 = (float(c) for c in segment.x[1:])
    for _ in range(60):
        error = ((c3 * u + c2) * u + c1) * u - x
        low, high = np.where(error < 0, u, low), np.where(error < 0, high, u)
        rise = (3 * c3 * u + 2 * c2) * u + c1
        with np.errstate(divide="ignore", invalid="ignore"):
            step = u - error / rise
        # A step of a rounding or two would go to and fro for ever.
        done = (np.abs(error) <= 2e-16) | (np.abs(step - u) <= 5e-16)
        if done.all():
            break
        inside = (step > low) & (step < high)
        u = np.where(done, u, np.where(inside, step, (low + high) / 2))
    return u


def parameter_at(x: float, segment: Segment) -> float:
    """Return `parameter` of one abscissa, without arrays: a step of a drag asks for hundreds of them one by one."""
    c1, c2, c3 = segment.x[1:].tolist()
    low, high, u = 0.0, 1.0, x
    for _ in range(60):
        error = ((c3 * u + c2) * u + c1) * u - x
        if error < 0:
            low = u
        else:
            high = u
        rise = (3 * c3 * u + 2 * c2) * u + c1
        step = u - error / rise if rise else math.inf
        if abs(error) <= 2e-16 or abs(step - u) <= 5e-16:
            break
        u = step if low < step < high else (low + high) / 2
    return u


def area_at(x: float, segment: Segment) -> float:
    """Return the integral of speed over share from the segment's start to one abscissa, 0 to 1."""
    if segment.v0 == segment.v1:
        return segment.v0 * segment.width * x
    if is_straight(segment):
        return segment.width * x * (segment.v0 + (segment.v1 - segment.v0) * x / 2)
    u, out = parameter_at(x, segment), 0.0
    for factor in reversed(segment.area.tolist()):
        out = out * u + factor
    return out


def speed_within(x: float, segment: Segment) -> float:
    """Return the speed at one abscissa of a segment, 0 to 1."""
    if segment.v0 == segment.v1:
        return segment.v0
    u = x if is_straight(segment) else parameter_at(x, segment)
    return segment.v0 + (segment.v1 - segment.v0) * (u if is_straight(segment) else (3 - 2 * u) * u * u)


def is_straight(segment: Segment) -> bool:
    """Tell whether speed runs straight in x: the abscissa is then the ordinate."""
    return bool(segment.x[1] == 0.0 and segment.x[3] == RISE[3])


def eased(x: Array, segment: Segment) -> Array:
    """Return how far the segment's speed has gone from its first to its last at the abscissa `x`, 0 to 1."""
    if is_straight(segment) or segment.v0 == segment.v1:
        return x
    return np.asarray(poly.polyval(parameter(x, segment), RISE), dtype=np.float64)


def speed_at(curve: Curve, share: Array | float) -> Array:
    """Return the speed at shares of the slot (0 to 1; beyond them the end speeds)."""
    return speed_on(segments(curve), np.atleast_1d(np.asarray(share, dtype=np.float64)))


def speed_on(parts: list[Segment], share: Array) -> Array:
    """Return the speed at shares of the slot, of a curve given as its segments."""
    out = np.empty_like(share)
    which = np.clip(np.searchsorted([s.start for s in parts], share, side="right") - 1, 0, len(parts) - 1)
    for i, part in enumerate(parts):
        here = which == i
        if not here.any():
            continue
        if part.v0 == part.v1:
            out[here] = part.v0
            continue
        x = np.clip((share[here] - part.start) / part.width, 0.0, 1.0)
        out[here] = part.v0 + (part.v1 - part.v0) * eased(x, part)
    return out


def average_speed(curve: Curve) -> float:
    """Return source used per second of slot; negative when the clip goes backward on the whole."""
    return float(sum(poly.polyval(1.0, s.area) for s in segments(curve)))


def speed_range(curve: Curve) -> tuple[float, float]:
    """Return the slowest and fastest signed speed (a curve never overshoots its nodes)."""
    speeds = [n.speed for n in curve.nodes]
    return min(speeds), max(speeds)
