"""Changes to a speed curve: nodes put in, moved and taken out, a stretch at another speed, pieces joined end to end."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from tempik.reel import Curve, Node
from tempik.reel.validate import SPEED_LIMIT
from tempik.retime.curve import average_speed, cut_out, segments, speed_at

# Two nodes stand at least this share of the slot apart; a jump of speed after an eased stretch takes as much.
LEAST_APART = 1e-6
EASED = 0.42  # the softness of soft edges: a gentle S


def joined(pieces: Sequence[tuple[float, Curve]]) -> Curve:
    """Return the curve that plays pieces one after the other; each is its length in any one unit and its own curve.

    Where the speeds on the two sides of a transition differ, speed jumps there. Pieces without length are left out.
    """
    whole = sum(length for length, _ in pieces)
    nodes: list[Node] = []
    at = 0.0
    for length, curve in pieces:
        share = length / whole
        if share <= 2 * LEAST_APART:
            continue
        parts = segments(curve)
        ends = [*curve.nodes]
        if ends[0].at > 0:
            ends.insert(0, Node(0.0, ends[0].speed, hold=True))
        if ends[-1].at < 1:
            ends[-1] = replace(ends[-1], hold=True)
        if parts[-1].v0 == parts[-1].v1 and ends[-1].at == 1:
            # A flat last stretch is held, so that the next piece may begin at any speed.
            ends = ends[:-1]
            ends[-1] = replace(ends[-1], hold=True)
        moved = [replace(n, at=min(at + n.at * share, 1.0)) for n in ends]
        if nodes and abs(moved[0].at - nodes[-1].at) <= LEAST_APART / 2:
            before = nodes.pop()
            if abs(before.speed - moved[0].speed) <= 1e-9:
                moved[0] = replace(moved[0], soft_in=before.soft_in)
            else:
                nodes.append(replace(before, at=before.at - LEAST_APART, hold=True))
        nodes += moved
        at += share
    return Curve(tuple(nodes)) if len({n.speed for n in nodes}) > 1 else Curve((Node(0.0, nodes[0].speed),))


def with_ends(curve: Curve) -> Curve:
    """Return the curve with a node at either end of the slot, playing the same."""
    nodes = list(curve.nodes)
    if nodes[0].at > 0:
        nodes.insert(0, Node(0.0, nodes[0].speed, hold=True))
    if nodes[-1].at < 1:
        nodes.append(Node(1.0, nodes[-1].speed))
        nodes[-2] = replace(nodes[-2], hold=False)
    return Curve(tuple(nodes))


def with_node(curve: Curve, at: float, speed: float | None = None) -> tuple[Curve, int]:
    """Return the curve with one more node at a share of the slot, and the node's number.

    The speed there stays what it is unless given. A node already there is given the speed.
    """
    at = min(max(at, 0.0), 1.0)
    curve = with_ends(curve)
    value = float(speed_at(curve, at)[0]) if speed is None else limited(speed)
    for number, node in enumerate(curve.nodes):
        if abs(node.at - at) <= 1e-3:
            return with_changed_node(curve, number, speed=value), number
    number = sum(n.at < at for n in curve.nodes)
    hold = curve.nodes[number - 1].hold
    return Curve((*curve.nodes[:number], Node(at, value, hold=hold), *curve.nodes[number:])), number


def without_node(curve: Curve, number: int) -> Curve:
    """Return the curve without a node; the last one left plays throughout."""
    nodes = curve.nodes[:number] + curve.nodes[number + 1 :]
    return Curve((replace(nodes[0], at=0.0, hold=False),)) if len(nodes) == 1 else Curve(nodes or curve.nodes)


def with_changed_node(
    curve: Curve,
    number: int,
    at: float | None = None,
    speed: float | None = None,
    soft_in: float | None = None,
    soft_out: float | None = None,
    hold: bool | None = None,
    apart: float = 1e-3,
) -> Curve:
    """Return the curve with a node changed, kept between its neighbours (`apart` from them) and within the limits."""
    nodes = list(curve.nodes)
    node = nodes[number]
    if at is not None:
        low = nodes[number - 1].at + apart if number else 0.0
        high = nodes[number + 1].at - apart if number + 1 < len(nodes) else 1.0
        node = replace(node, at=min(max(at, low), high) if low <= high else node.at)
    if speed is not None:
        node = replace(node, speed=limited(speed))
    if soft_in is not None:
        node = replace(node, soft_in=min(max(soft_in, 0.0), 1.0))
    if soft_out is not None:
        node = replace(node, soft_out=min(max(soft_out, 0.0), 1.0))
    if hold is not None:
        node = replace(node, hold=hold)
    nodes[number] = node
    return Curve(tuple(nodes))


def limited(speed: float) -> float:
    """Return a speed within the limits."""
    return min(max(speed, -SPEED_LIMIT), SPEED_LIMIT)


def with_stretch(curve: Curve, a: float, b: float, speed: float, soft: float = 0.0) -> Curve:
    """Return the curve with another speed between two shares of the slot; what is before and after plays as it did.

    `soft` is the share of the slot, inside the stretch, over which speed eases in and out at its edges; 0 is hard.
    """
    a, b = max(min(a, b, 1.0), 0.0), min(max(a, b, 0.0), 1.0)
    speed = limited(speed)
    soft = min(soft, (b - a) / 2)
    pieces = [(a, cut_out(curve, (0.0, a)))] if a > LEAST_APART else []
    before, after = (float(speed_at(curve, s)[0]) for s in (max(a - 1e-9, 0.0), b))
    inside = b - a
    if soft > LEAST_APART:
        # At the clip's own ends there is nothing to ease from or to.
        into, out_of = soft if a > LEAST_APART else 0.0, soft if b < 1 - LEAST_APART else 0.0
        nodes = [Node(0.0, before, soft_out=EASED)] if into else []
        nodes.append(Node(into / inside, speed, soft_in=EASED if into else 0.0))
        if out_of and 1 - out_of / inside - into / inside > LEAST_APART:
            nodes.append(Node(1 - out_of / inside, speed, soft_out=EASED))
        elif out_of:
            nodes[-1] = replace(nodes[-1], soft_out=EASED)
        if out_of:
            nodes.append(Node(1.0, after, soft_in=EASED))
        pieces.append((inside, Curve(tuple(nodes))))
    else:
        pieces.append((inside, Curve((Node(0.0, speed, hold=True),))))
    if b < 1 - LEAST_APART:
        pieces.append((1 - b, cut_out(curve, (b, 1.0))))
    return joined(pieces)


def with_average(curve: Curve, average: float) -> Curve:
    """Return the shape of a curve at another average speed; its speeds are kept within the limits.

    A curve whose average is 0 has no such scale and is returned as it is.
    """
    now = average_speed(curve)
    if abs(now) < 1e-9:
        return curve
    factor = average / now
    return Curve(tuple(replace(n, speed=limited(n.speed * factor)) for n in curve.nodes))
