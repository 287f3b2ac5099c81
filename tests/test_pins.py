"""The pin solver: any shape bent through any pins, to a microsecond, within the limits and near to the shape."""

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy.optimize import minimize

from examples import examples
from tempik.reel import Curve, Node
from tempik.reel.validate import SPEED_LIMIT, curve_problems
from tempik.retime import PinnedCurve, TimeMap, constant, ramp, speed_at, speed_range, through
from tempik.retime.pins import _least


@st.composite
def shapes(draw: st.DrawFn) -> Curve:
    ats = sorted(draw(st.sets(st.integers(0, 20), min_size=1, max_size=5)))
    soft = st.sampled_from([0.0, 0.2, 0.42, 1.0])
    speed = st.floats(0.1, 4)
    return Curve(tuple(Node(a / 20, draw(speed), draw(soft), draw(soft), draw(st.booleans())) for a in ats))


@st.composite
def pinned(draw: st.DrawFn) -> tuple[TimeMap, list[tuple[float, float]]]:
    part = draw(st.sampled_from([(0.0, 1.0), (0.2, 0.7)]))
    shape = TimeMap(draw(shapes()), draw(st.floats(0.5, 4)), 0.0, part, draw(st.sampled_from([1.0, 4.0])))
    shares = sorted(draw(st.sets(st.integers(0, 40), min_size=2, max_size=5)))
    times = [s / 40 * shape.length_s for s in shares]
    cues = [5.0]
    for a, b in zip(times, times[1:], strict=False):
        cues.append(cues[-1] + (b - a) * draw(st.floats(0.1, 4)) * shape.conform_ratio)
    return shape, list(zip(times, cues, strict=True))


def laid(shape: TimeMap, bent: PinnedCurve, pins: list[tuple[float, float]]) -> TimeMap:
    """The bent curve with its first pin met, as the timeline lays it."""
    free = TimeMap(bent.curve, shape.length_s, 0.0, (0.0, 1.0), shape.conform_ratio)
    return TimeMap(bent.curve, shape.length_s, pins[0][1] - free.source_at(pins[0][0]), (0.0, 1.0), shape.conform_ratio)


@pytest.mark.explore
@settings(max_examples=examples(80), deadline=None)
@given(pinned())
def test_every_pin_is_met_to_a_microsecond(given_: tuple[TimeMap, list[tuple[float, float]]]) -> None:
    shape, pins = given_
    bent = through(shape, pins)
    assert list(curve_problems(bent.curve, "it")) == []
    met = laid(shape, bent, pins)
    assert [met.source_at(t) for t, _ in pins] == pytest.approx([c for _, c in pins], abs=1e-6)


@pytest.mark.explore
@settings(max_examples=examples(40), deadline=None)
@given(pinned())
def test_the_speed_is_continuous_where_the_shape_is_and_keeps_its_direction(
    given_: tuple[TimeMap, list[tuple[float, float]]],
) -> None:
    shape, pins = given_
    assume(not any(n.hold for n in shape.curve.nodes))
    bent = through(shape, pins)
    assume(not bent.message)
    assert not any(
        n.hold and abs(n.speed - m.speed) > 1e-9 for n, m in zip(bent.curve.nodes, bent.curve.nodes[1:], strict=False)
    )
    low, high = speed_range(bent.curve)
    assert low >= -1e-9 and high <= SPEED_LIMIT


def test_pins_where_the_shape_already_passes_leave_it_as_it_is() -> None:
    shape = TimeMap(ramp(2.0, 0.5, 0.42), 2.0, 3.0)
    bent = through(shape, [(t, shape.source_at(t)) for t in (0.4, 1.1, 1.7)])
    t = np.linspace(0, 1, 200)
    assert np.abs(speed_at(bent.curve, t) - speed_at(shape.curve, t)).max() < 0.02


def test_a_pin_that_asks_for_half_as_much_again_scales_the_shape_rather_than_flattening_it() -> None:
    shape = TimeMap(Curve((Node(0, 4, soft_out=0.42), Node(0.5, 0.5, 0.42, 0.42), Node(1, 4, 0.42))), 2.0)
    whole = shape.source_at(2.0)
    bent = through(shape, [(0.0, 0.0), (2.0, 1.5 * whole)])
    t = np.linspace(0, 1, 100)
    share = speed_at(bent.curve, t) / speed_at(shape.curve, t)
    assert share.min() > 1.2 and share.max() < 1.9
    assert speed_at(bent.curve, 0.5)[0] < 1.1  # the slow moment stays slow


def test_a_pin_beyond_the_limit_is_missed_by_as_little_as_can_be_and_said() -> None:
    shape = TimeMap(constant(1.0), 2.0)
    bent = through(shape, [(0.5, 1.0), (1.0, 9.0), (1.5, 9.5)])
    # Common practice: 8 s of footage in half a second is 1600 %.
    assert bent.message == "pin 2 cannot be reached: 8.00 s of footage in 0.50 s take 1600 %, and 1000 % is the limit"
    fastest = laid(shape, bent, [(0.5, 1.0)])
    assert fastest.source_at(1.0) == pytest.approx(6.0)
    assert speed_at(bent.curve, 0.375)[0] == pytest.approx(SPEED_LIMIT)


def test_a_clip_pinned_backward_plays_backward_between_its_pins() -> None:
    bent = through(TimeMap(constant(1.0), 2.0), [(0.5, 4.0), (1.5, 3.0)])
    met = laid(TimeMap(constant(1.0), 2.0), bent, [(0.5, 4.0)])
    assert met.source_at(1.5) == pytest.approx(3.0, abs=1e-9)


def test_of_pins_that_have_slid_out_of_the_slot_only_the_nearest_count() -> None:
    shape = TimeMap(constant(1.0), 2.0)
    pins = [(-3.0, 0.0), (-1.0, 50.0), (0.5, 52.0), (1.5, 53.0), (2.5, 55.0), (9.0, 0.0)]
    bent = through(shape, pins)
    assert bent.message == ""
    met = laid(shape, bent, [(0.5, 52.0)])
    assert [met.source_at(t) for t in (-1.0, 1.5, 2.5)] == pytest.approx([50.0, 53.0, 55.0], abs=1e-6)


@pytest.mark.slow
def test_the_solver_finds_what_a_general_one_finds() -> None:
    """Random small problems with equations and limits, against SciPy's SLSQP (`scipy.optimize.minimize`)."""
    draw = np.random.default_rng(7)
    met = 0
    for _ in range(300):
        count, equations = int(draw.integers(5, 14)), int(draw.integers(1, 4))
        root = draw.normal(size=(count, count))
        cost = root @ root.T + 0.1 * np.eye(count)
        rows = draw.uniform(0, 1, (equations, count))
        low, high = -draw.uniform(0.02, 0.6, count), draw.uniform(0.02, 0.6, count)
        sides = rows @ draw.uniform(low, high)
        found = _least(cost, rows, sides, low, high)
        assert found is not None
        assert np.abs(rows @ found - sides).max() < 1e-7
        assert (found >= low - 1e-9).all() and (found <= high + 1e-9).all()
        met += bool((np.abs(found - low) < 1e-9).any() or (np.abs(found - high) < 1e-9).any())
        other = minimize(
            lambda d, c=cost: d @ c @ d,
            np.zeros(count),
            jac=lambda d, c=cost: 2 * c @ d,
            bounds=list(zip(low, high, strict=True)),
            constraints={"type": "eq", "fun": lambda d, r=rows, s=sides: r @ d - s, "jac": lambda d, r=rows: r},
            method="SLSQP",
            options={"ftol": 1e-12, "maxiter": 500},
        )
        assert float(found @ cost @ found) <= float(other.fun) + 1e-6
    assert met > 20, "the limits must matter"
