"""The beats of a song as read, all at once: the same points that each place has by itself."""

from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from tempik.reel import PointChoice
from tempik.reel.grid import Grid, lattice

PACES = st.sampled_from([Fraction(1), Fraction(2), Fraction(1, 2), Fraction(3), Fraction(2, 3), Fraction(1, 4)])
PLACES = st.fractions(0, 5, max_denominator=12)


@st.composite
def grids(draw: st.DrawFn) -> Grid:
    """Two to 24 beats at any instants, with any pace, any first of a bar and any metre, or bars as they were counted."""
    times = sorted(draw(st.lists(st.floats(0, 20), min_size=2, max_size=24)))
    strengths = tuple(draw(st.floats(0, 1)) for _ in times)
    step, one, metre = 1 / draw(PACES), draw(PLACES), draw(st.integers(1, 7))
    counted = tuple((n // 3 + 1, n % 3 + 1) for n in range(len(times))) if draw(st.booleans()) else ()
    return Grid("b", tuple(times), strengths, step, one % step, one, metre, counted)


@given(grids(), st.sampled_from([1, 2, 3, 4]), st.sampled_from([1, 2, 4]), st.floats(5, 25))
def test_a_lattice_has_the_points_of_its_places(grid: Grid, parts: int, every: int, length_s: float) -> None:
    choice = PointChoice(every=every, subdivision=parts, at_least=0.25)
    for point in lattice(grid, choice, length_s, None):
        whole, _, rest = point.id[1:].partition("+")
        assert point == grid.point(Fraction(whole) + (Fraction(rest) if rest else 0))
        assert point.strength >= 0.25 and 0 <= point.time_s <= length_s


@given(grids(), PLACES, st.sampled_from([1, 2, 3]))
def test_every_so_many_beats_are_counted_from_the_first_that_is_named(grid: Grid, first: Fraction, every: int) -> None:
    of_all = {p.id for p in lattice(grid, PointChoice(), 30.0, first)}
    taken = {p.id for p in lattice(grid, PointChoice(every=every), 30.0, first)}
    places = {name: sum(map(Fraction, name[1:].split("+")), Fraction()) for name in of_all}
    assert taken == {name for name, place in places.items() if (place - first) / grid.step % every == 0}


def test_half_the_pace_and_two_parts_of_each_beat_are_the_beats_again() -> None:
    times = tuple(0.5 + 0.5 * n for n in range(8))
    beats, halves = (Grid("b", times, (1.0,) * 8, Fraction(n), Fraction(0), Fraction(0), 4) for n in (1, 2))
    again = lattice(halves, PointChoice(subdivision=2), 30.0, None)
    assert [p.time_s for p in again] == [p.time_s for p in lattice(beats, PointChoice(), 30.0, None)]
    assert [p.part for p in again] == [0, Fraction(1, 2)] * 4
    assert [p.label for p in again[:3]] == ["1.1", "1.1+1/2", "1.2"]
