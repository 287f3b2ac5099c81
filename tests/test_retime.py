"""Speed curves and time maps, against scipy.integrate.quad and the trade's worked values."""

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from examples import examples
from tempik.reel import Curve, Node
from tempik.retime import TimeMap, average_speed, constant, ramp, reversed_curve, scaled, speed_at, speed_range


@st.composite
def curves(draw: st.DrawFn) -> Curve:
    ats = sorted(draw(st.sets(st.integers(0, 20), min_size=1, max_size=5)))
    speeds = st.floats(-10, 10)
    soft = st.sampled_from([0.0, 0.1, 0.42, 0.9, 1.0])
    return Curve(tuple(Node(a / 20, draw(speeds), draw(soft), draw(soft), draw(st.booleans())) for a in ats))


def integral(curve: Curve, length_s: float, until_s: float) -> float:
    """The reference: scipy's adaptive quadrature of the speed between the curve's own nodes.

    At full softness speed rises with an endless slope at a node. Quadrature over θ with t = a + (b − a)·θ³(10 − 15θ + 6θ²)
    takes that away without leaving the speed that is asked for.
    """
    stops = sorted({0.0, until_s, *(n.at * length_s for n in curve.nodes if n.at * length_s < until_s)})

    def between(a: float, b: float) -> float:
        def weighed(theta: float) -> float:
            t = a + (b - a) * theta**3 * (10 - 15 * theta + 6 * theta**2)
            inside = min(max(t, a + 1e-14), b - 1e-14)
            return float(speed_at(curve, inside / length_s)[0]) * 30 * theta**2 * (1 - theta) ** 2 * (b - a)

        return float(quad(weighed, 0, 1, epsabs=1e-12, epsrel=1e-12, limit=200)[0])

    return sum(between(a, b) for a, b in zip(stops, stops[1:], strict=False))


@pytest.mark.explore
@settings(max_examples=examples(40), deadline=None)
@given(curves(), st.floats(0.2, 4.0), st.floats(0.01, 1.0))
def test_the_map_is_the_exact_integral_of_the_speed(curve: Curve, length_s: float, share: float) -> None:
    time_map = TimeMap(curve, length_s, 3.0)
    until = share * length_s
    assert time_map.source_at(until) - 3.0 == pytest.approx(integral(curve, length_s, until), abs=1e-9)


@settings(max_examples=examples(80), deadline=None)
@given(curves(), st.lists(st.floats(-0.3, 1.3), min_size=1, max_size=6), st.sampled_from([(0.0, 1.0), (0.2, 0.7)]))
def test_one_instant_and_many_are_mapped_alike(curve: Curve, shares: list[float], part: tuple[float, float]) -> None:
    time_map = TimeMap(curve, 2.0, 30.0, part)
    times = [2.0 * s for s in shares]
    assert [time_map.source_at(t) for t in times] == pytest.approx(time_map.source(times).tolist(), abs=1e-12)
    assert [time_map._speed_at(t) for t in times] == pytest.approx(time_map.speed(times).tolist(), abs=1e-11)


@settings(max_examples=examples(60), deadline=None)
@given(curves(), st.floats(0.0, 1.0))
def test_every_instant_that_shows_a_picture_is_found_again(curve: Curve, share: float) -> None:
    time_map = TimeMap(curve, 2.0, 30.0)
    source = time_map.source_at(2.0 * share)
    found = time_map.when(source)
    assert [time_map.source_at(t) for t in found] == pytest.approx([source] * len(found), abs=1e-9)
    if abs(float(time_map.speed(2.0 * share)[0])) > 0.05:
        assert min(abs(t - 2.0 * share) for t in found) < 1e-9


@settings(max_examples=examples(25), deadline=None)
@given(st.floats(0.1, 10), st.floats(0.1, 10), st.sampled_from([0.0, 0.2, 0.42, 0.8]), st.floats(0.05, 0.95))
def test_on_a_ramp_the_integral_agrees_to_a_nanosecond(v0: float, v1: float, soft: float, share: float) -> None:
    curve = ramp(v0, v1, soft)
    assert TimeMap(curve, 2.0).source_at(2.0 * share) == pytest.approx(integral(curve, 2.0, 2.0 * share), abs=1e-9)


@settings(max_examples=examples(60), deadline=None)
@given(st.floats(0.05, 10), st.floats(0.05, 10), st.sampled_from([0.0, 0.42, 1.0]), st.floats(0, 1))
@example(4.0, 1.0, 1.0, 0.9999999999999999)
@example(8.693211835073656, 0.23215999260366887, 1.0, 0.9999999999999996)
def test_asking_when_a_source_instant_shows_leads_back_to_it(v0: float, v1: float, soft: float, share: float) -> None:
    time_map = TimeMap(ramp(v0, v1, soft), 1.7, 5.0)
    source = time_map.source_at(share * 1.7)
    (when,) = time_map.when(source)
    assert time_map.source_at(when) == pytest.approx(source, abs=1e-9)
    assert when == pytest.approx(share * 1.7, abs=1e-9)


def test_a_straight_ramp_eats_what_the_table_says() -> None:
    # Common practice: 1× to ¼×, straight, over 1 s uses 0.625 s; 4×→½×→4×, straight, over 4 s uses 9.0 s.
    assert average_speed(ramp(1.0, 0.25)) * 1.0 == pytest.approx(0.625)
    assert average_speed(Curve((Node(0, 4), Node(0.5, 0.5), Node(1, 4)))) * 4.0 == pytest.approx(9.0)


def test_speed_to_fit_is_source_over_slot() -> None:
    # Common practice: 3.0 s into 1.2 s = 250 %.
    assert TimeMap(constant(3.0 / 1.2), 1.2).source_at(1.2) == pytest.approx(3.0)


def test_a_curve_through_zero_shows_an_instant_twice() -> None:
    time_map = TimeMap(ramp(1.0, -1.0), 2.0, 10.0)
    assert time_map.turns() == pytest.approx([1.0])
    assert time_map.when(10.3) == pytest.approx([1 - 0.4**0.5, 1 + 0.4**0.5], abs=1e-9)
    assert time_map.when(10.6) == []


def test_reversing_plays_the_same_stretch_the_other_way() -> None:
    curve = Curve((Node(0, 2, soft_out=0.4), Node(0.3, 0.5, soft_in=0.2, hold=True), Node(1, 3)))
    back = reversed_curve(curve)
    t = np.linspace(0, 1.5, 40)
    forward = TimeMap(curve, 1.5)
    backward = TimeMap(back, 1.5, forward.end_s)
    assert backward.source(t) == pytest.approx(forward.source(1.5 - t), abs=1e-9)


def test_a_hold_keeps_its_speed_to_the_next_node() -> None:
    curve = Curve((Node(0, 2, hold=True), Node(0.5, 0.5)))
    assert speed_at(curve, [0.0, 0.49, 0.51, 1.0]) == pytest.approx([2, 2, 0.5, 0.5])


def test_speed_never_leaves_the_range_of_its_nodes_and_scales_with_them() -> None:
    curve = ramp(0.5, 4.0, 1.0)
    low, high = speed_range(curve)
    v = speed_at(curve, np.linspace(0, 1, 500))
    assert v.min() >= low - 1e-12 and v.max() <= high + 1e-12
    assert average_speed(scaled(curve, 2)) == pytest.approx(2 * average_speed(curve))


def test_beyond_its_slot_a_clip_goes_on_at_its_end_speeds() -> None:
    time_map = TimeMap(ramp(2.0, 0.5), 1.0, 1.0)
    assert time_map.source_at(-0.5) == pytest.approx(1.0 - 1.0)
    assert time_map.source_at(1.5) == pytest.approx(time_map.end_s + 0.25)
