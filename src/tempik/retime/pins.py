"""Any shape bent through any number of pins, staying near to it.

With the nodes' places and softness given, the source that a curve uses between two instants is linear in the nodes'
speeds. So the pins are linear equations, and the curve nearest to the shape is their least-squares solution within the
speed limits: the one whose nodes change by the least share of their speed, evenly rather than here and there.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from tempik.reel import Curve, Node
from tempik.reel.validate import SPEED_LIMIT
from tempik.retime.curve import average_speed, cut_out, eased, is_straight, segments, speed_at
from tempik.retime.shaping import LEAST_APART, joined
from tempik.retime.timemap import TimeMap

Array = NDArray[np.float64]
# A node this slow or slower may change as a node of this speed would: shares of nothing would hold it fast.
SLOW = 0.25
# How much an uneven change counts beside a large one.
EVENNESS = 0.5
# Straight stretches that follow an eased one.
FOLLOWED = 12


class PinnedCurve(NamedTuple):
    """A curve through pins, and a sentence where a pin cannot be reached, or only with a jump ('' otherwise)."""

    curve: Curve
    message: str


def through(shape: TimeMap, pins: Sequence[tuple[float, float]]) -> PinnedCurve:
    """Return the curve over the slot of `shape` that passes each pin (slot seconds in order, source seconds).

    Its speed is continuous where the shape's is. Speeds are kept within ±SPEED_LIMIT: a later pin that asks for more is
    missed by as little as possible, and said. Of the pins outside the slot only those nearest to it count; the speeds of
    its ends go on there.
    """
    whole, message = cut_out(shape.curve, shape.part), ""
    wanted: list[tuple[float, float, float]] = []
    for number, ((t0, c0), (t1, c1)) in enumerate(zip(pins, pins[1:], strict=False)):
        if t1 <= 0 or t0 >= shape.length_s:
            continue  # neither can be seen, nor asks anything of what can
        speed = (c1 - c0) / shape.conform_ratio / (t1 - t0)
        if abs(speed) > SPEED_LIMIT and not message:
            message = (
                f"pin {number + 2} cannot be reached: {abs(c1 - c0) / shape.conform_ratio:.2f} s of footage in {t1 - t0:.2f} s "
                f"take {abs(speed) * 100:.0f} %, and {SPEED_LIMIT * 100:.0f} % is the limit"
            )
        limited = min(max(speed, -SPEED_LIMIT), SPEED_LIMIT)
        wanted.append((t0 / shape.length_s, t1 / shape.length_s, limited))
    bent = _nearest(whole, wanted) if wanted else whole
    if bent is None:
        bent = _stepped(whole, wanted)
        message = (
            message
            or f"its pins are reached only with jumps of speed: no smooth way keeps within {SPEED_LIMIT:g} times"
        )
    return PinnedCurve(bent, message)


def _nearest(shape: Curve, wanted: Sequence[tuple[float, float, float]]) -> Curve | None:
    """Return the curve nearest to `shape` with an average speed between each two shares, or None: none is continuous."""
    nodes = _with_room(shape, wanted)
    v = np.array([n.speed for n in nodes])
    use = _uses(nodes, wanted)
    averages = np.array([w[2] for w in wanted])
    scale = np.maximum(np.abs(v), SLOW)
    low, high = _limits(nodes, v, wanted)
    # Unknown is each node's change as a share of its speed: d, with speed v + scale·d.
    rows, sides = use * scale, averages - use @ v
    weight = np.gradient(np.array([n.at for n in nodes])) if len(nodes) > 1 else np.ones(1)
    cost = np.diag(np.maximum(weight, 1e-4))
    for i, (n0, n1) in enumerate(zip(nodes, nodes[1:], strict=False)):
        if not n0.hold:
            step = np.zeros(len(nodes))
            step[i], step[i + 1] = -1.0, 1.0
            cost += EVENNESS * np.outer(step, step) / max(n1.at - n0.at, 0.02) * 0.05
    d = _least(cost, rows, sides, (low - v) / scale, (high - v) / scale)
    if d is None:
        return None
    speeds = np.clip(v + scale * d, -SPEED_LIMIT, SPEED_LIMIT).tolist()
    return Curve(tuple(replace(n, speed=s) for n, s in zip(nodes, speeds, strict=True)))


def _with_room(shape: Curve, wanted: Sequence[tuple[float, float, float]]) -> list[Node]:
    """Return nodes, joined by straight or held stretches, that follow the shape, with one at every pin inside the slot
    and between two pins enough of them to bend the curve there."""
    stops = sorted({0.0, 1.0, *(s for w in wanted for s in w[:2] if 4 * LEAST_APART < s < 1 - 4 * LEAST_APART)})
    parts = segments(shape)
    out: list[Node] = []
    for a, b in zip(stops, stops[1:], strict=False):
        before = len(out)
        for number, part in enumerate(parts):
            end = part.start + part.width
            x0, x1 = max(part.start, a), min(end, b)
            if x1 - x0 <= 2 * LEAST_APART:
                continue
            jumps = number + 1 < len(parts) and abs(parts[number + 1].v0 - part.v1) > 1e-9
            straight = part.v0 == part.v1 or is_straight(part)
            count = 1 if straight else max(2, round(FOLLOWED * (x1 - x0) / part.width))
            shares = np.linspace(x0, x1, count + 1)
            speeds = part.v0 + (part.v1 - part.v0) * eased((shares - part.start) / part.width, part)
            out += [Node(s, v) for s, v in zip(shares[:-1].tolist(), speeds[:-1].tolist(), strict=True)]
            if jumps and x1 == end:
                out[-1] = replace(out[-1], hold=True)
        if len(out) - before == 1:
            middle = (a + b) / 2
            held = out[-1].hold
            out[-1] = replace(out[-1], hold=False)
            out.append(Node(middle, float(speed_at(shape, middle)[0]), hold=held))
    return [*out, Node(1.0, parts[-1].v1)]


def _uses(nodes: Sequence[Node], wanted: Sequence[tuple[float, float, float]]) -> Array:
    """Return the matrix from the nodes' speeds to the average speed between each two shares.

    Beyond the slot the speeds of its ends go on, so a pin there counts on the first or last node.
    """
    out = np.zeros((len(wanted), len(nodes)))
    for row, (a, b, _) in enumerate(wanted):
        for i, (n0, n1) in enumerate(zip(nodes, nodes[1:], strict=False)):
            if a < (n0.at + n1.at) / 2 < b:
                later = 0.0 if n0.hold else 0.5
                out[row, i] += (n1.at - n0.at) * (1 - later)
                out[row, i + 1] += (n1.at - n0.at) * later
        out[row, 0] += max(min(b, 0.0) - a, 0.0)
        # A held last stretch goes on at its own speed.
        last = len(nodes) - 2 if nodes[-2].hold else len(nodes) - 1
        out[row, last] += max(b - max(a, 1.0), 0.0)
        out[row] /= b - a
    return out


def _limits(nodes: Sequence[Node], v: Array, wanted: Sequence[tuple[float, float, float]]) -> tuple[Array, Array]:
    """Return the least and greatest speed of each node: a stretch that plays one way is not turned round."""
    low, high = np.full(len(nodes), -SPEED_LIMIT), np.full(len(nodes), SPEED_LIMIT)
    for i, node in enumerate(nodes):
        around = [w[2] for w in wanted if w[0] - 1e-9 <= node.at <= w[1] + 1e-9]
        inside = [n.speed for n in nodes]
        if all(s >= 0 for s in inside) and all(w >= 0 for w in around):
            low[i] = 0.0
        if all(s <= 0 for s in inside) and all(w <= 0 for w in around):
            high[i] = 0.0
    return low, high


def _least(cost: Array, rows: Array, sides: Array, low: Array, high: Array) -> Array | None:
    """Return the d that minimises d·cost·d with rows·d = sides and low ≤ d ≤ high, or None where there is none.

    `cost` is symmetric and positive definite, shape (n, n); `rows` has shape (m, n), `sides` (m,), the limits (n,).
    A primal active-set method (Nocedal and Wright, Numerical Optimization, 2nd ed., section 16.5, from memory): from a
    point within the limits step toward the minimum on the limits that are held, hold the first that is met, and where the
    minimum is reached let go of the limit whose multiplier pulls back the most.
    """
    count = len(cost)
    freely = _least_norm(rows, sides)
    freely = freely + _step(cost, rows, freely, list(range(count)))[0]
    if np.abs(rows @ freely - sides).max(initial=0.0) > 1e-9:
        return None
    if (freely >= low - 1e-12).all() and (freely <= high + 1e-12).all():
        return np.asarray(np.clip(freely, low, high), dtype=np.float64)  # no limit is met: as most often
    at = _within(rows, sides, low, high)
    if at is None:
        return None
    held = {i for i in range(count) if high[i] - low[i] < 1e-12}
    always = frozenset(held)
    for _ in range(20 * count + 50):
        free = [i for i in range(count) if i not in held]
        step, multipliers = _step(cost, rows, at, free)
        if np.abs(step).max(initial=0.0) < 1e-11:
            pull = cost @ at + rows.T @ multipliers
            # On its lower limit a speed wants to go down further where the pull is positive, and so on its upper one.
            wrong = {i: float(-pull[i] if at[i] <= low[i] + 1e-12 else pull[i]) for i in held - always}
            worst = max(wrong, key=wrong.__getitem__, default=None)
            if worst is None or wrong[worst] <= 1e-9:
                return np.asarray(np.clip(at, low, high), dtype=np.float64)
            held.discard(worst)
            continue
        share, met = 1.0, None
        for i in free:
            limit = low[i] if step[i] < 0 else high[i]
            reach = (limit - at[i]) / step[i] if abs(step[i]) > 1e-14 else np.inf
            if reach < share:
                share, met = max(reach, 0.0), i
        at = at + share * step
        if met is not None:
            held.add(met)
    return np.asarray(np.clip(at, low, high), dtype=np.float64)


def _step(cost: Array, rows: Array, at: Array, free: list[int]) -> tuple[Array, Array]:
    """Return the step from `at` to the minimum in the free variables on the equations, and the equations' multipliers."""
    count, equations = len(free), len(rows)
    top = np.hstack([cost[np.ix_(free, free)], rows[:, free].T])
    bottom = np.hstack([rows[:, free], np.zeros((equations, equations))])
    right = np.concatenate([-(cost @ at)[free], np.zeros(equations)])
    solved = np.linalg.lstsq(np.vstack([top, bottom]), right, rcond=None)[0]
    step = np.zeros(len(at))
    step[free] = solved[:count]
    return step, np.asarray(solved[count:], dtype=np.float64)


def _least_norm(rows: Array, sides: Array) -> Array:
    """Return the shortest d with rows·d as near to sides as can be."""
    return np.asarray(np.linalg.lstsq(rows, sides, rcond=None)[0], dtype=np.float64)


def _within(rows: Array, sides: Array, low: Array, high: Array) -> Array | None:
    """Return a point within the limits that meets the equations, or None where there is none."""
    from scipy.optimize import linprog  # loaded where a limit is met for the first time

    found = linprog(
        np.zeros(len(low)), A_eq=rows, b_eq=sides, bounds=list(zip(low.tolist(), high.tolist(), strict=True))
    )
    if found.x is None or np.abs(rows @ found.x - sides).max(initial=0.0) > 1e-8:
        return None
    return np.asarray(found.x, dtype=np.float64)


def _stepped(shape: Curve, wanted: Sequence[tuple[float, float, float]]) -> Curve:
    """Return one speed between each two pins, with the shape's average before the first and after the last."""
    pieces: list[tuple[float, Curve]] = []
    first, last = min(max(wanted[0][0], 0.0), 1.0), min(max(wanted[-1][1], 0.0), 1.0)
    if first > LEAST_APART:
        pieces.append((first, _even(average_speed(cut_out(shape, (0.0, first))))))
    pieces += [(min(b, 1.0) - max(a, 0.0), _even(speed)) for a, b, speed in wanted if b > 0 and a < 1]
    if last < 1 - LEAST_APART:
        pieces.append((1 - last, _even(average_speed(cut_out(shape, (last, 1.0))))))
    return joined(pieces)


def _even(speed: float) -> Curve:
    return Curve((Node(0.0, speed, hold=True),))
