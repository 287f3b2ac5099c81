"""Reel time and frames, against the trade's own worked values."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tempik.digits import plural
from tempik.errors import TempikError
from tempik.time import clock_text, frame_of, frame_on_screen, frames_at, parse_rate, rate_text, time_of

RATES = [Fraction(24), Fraction(25), Fraction(30), Fraction(30000, 1001), Fraction(60)]


@pytest.mark.parametrize(
    ("bpm", "rate", "frames"),
    [(128, 30, 14.0625), (120, 24, 12.0), (174, 60, 20.69)],  # common practice: 60·rate / BPM
)
def test_frames_per_beat_match_the_trades_table(bpm: float, rate: int, frames: float) -> None:
    beats = 1000
    assert frame_of(beats * 60 / bpm, Fraction(rate)) / beats == pytest.approx(frames, abs=0.01)


def test_adding_rounded_steps_drifts_and_absolute_times_do_not() -> None:
    # Common practice: at 128 BPM and 30 frames/s a fixed step of 14 is one frame early after 16 beats, nine after 144.
    rate = Fraction(30)
    assert frame_of(16 * 60 / 128, rate) - 16 * 14 == 1
    assert frame_of(144 * 60 / 128, rate) - 144 * 14 == 9


@given(st.floats(0, 3600), st.sampled_from(RATES))
def test_a_points_frame_is_never_further_than_half_a_frame(time_s: float, rate: Fraction) -> None:
    error = time_of(frame_of(time_s, rate), rate) - time_s
    assert abs(error) <= 0.5 / float(rate) + 1e-9


@given(st.integers(0, 200_000), st.sampled_from(RATES))
def test_a_frames_own_time_leads_back_to_it(frame: int, rate: Fraction) -> None:
    assert frame_of(time_of(frame, rate), rate) == frame


def test_a_frame_is_on_screen_until_the_next_boundary() -> None:
    assert frame_on_screen(1 / 30 - 1e-6, Fraction(30)) == 0
    assert frame_on_screen(1 / 30 + 1e-6, Fraction(30)) == 1


@pytest.mark.parametrize(
    ("text", "rate"), [("30", Fraction(30)), ("29.97", Fraction(30000, 1001)), ("24000/1001", Fraction(24000, 1001))]
)
def test_rates_are_read_as_exact_fractions(text: str, rate: Fraction) -> None:
    assert parse_rate(text) == rate  # SMPTE ST 12-1 for the 1000/1001 rates
    assert parse_rate(rate_text(rate)) == rate


@pytest.mark.parametrize("text", ["", "fast", "0", "-3", "1/0", "5000"])
def test_what_is_no_rate_says_so(text: str) -> None:
    with pytest.raises(TempikError, match="rate"):
        parse_rate(text)


def test_the_clock_reads_minutes_seconds_and_milliseconds() -> None:
    assert clock_text(83.4567) == "1:23.457"
    assert clock_text(-0.0001) == "0:00.000"


@given(
    times=st.lists(st.one_of(st.floats(-1e4, 1e5), st.integers(-2000, 200_000).map(lambda n: n / 2)), max_size=30),
    rate=st.sampled_from([Fraction(30), Fraction(30000, 1001), Fraction(25), Fraction(24000, 1001), Fraction(2)]),
)
def test_the_frames_of_many_instants_are_those_of_each(times: list[float], rate: Fraction) -> None:
    """Halves too, which floating point alone would get wrong."""
    halves = [(n + 0.5) / float(rate) for n in range(20)]
    assert frames_at([*times, *halves], rate) == [frame_of(t, rate) for t in [*times, *halves]]


def test_one_of_something_is_not_many() -> None:
    assert [plural(n, "point") for n in (0, 1, 2)] == ["0 points", "1 point", "2 points"]
