"""Accents: full on the point's own frame, nothing before it, gone when they should be."""

import math
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tempik.accents import CATALOGUE, Envelope, Length, accent_named, level, look_at, pulses
from tempik.accents.catalogue import SHAKE_SHARE
from tempik.errors import TempikError
from tempik.reel import AccentRow, Painted, Rule, Soundtrack
from tempik.rhythm import Analysis, Beat

R30, R60 = Fraction(30), Fraction(60)


def song() -> Soundtrack:
    beats = tuple(Beat(i * 0.5, 1.0 if i % 4 == 2 else 0.5, (i + 2) // 4, (i + 2) % 4 + 1, i * 0.5) for i in range(40))
    return Soundtrack("/s.wav", 30.0, heard=Analysis(30.0, 120.0, steady=True, beats=beats))


def test_a_pulses_length_in_milliseconds_is_the_trades_count_of_frames() -> None:
    # Common practice: 19 frames at 60 are 317 ms; 7 frames at 30 are 233 ms.
    for frames, rate, ms in ((19, R60, 317), (7, R30, 233)):
        envelope = Envelope(decay=Length(ms))
        assert level(envelope, frames - 1, rate, 1.0) > 0
        assert level(envelope, frames, rate, 1.0) == pytest.approx(0, abs=1e-5)


@given(st.floats(0, 30), st.floats(1, 10), st.floats(0, 60), st.floats(0.3, 4), st.sampled_from([R30, R60]))
def test_an_envelope_is_full_on_its_frame_and_never_early(
    lead: float, hold: float, decay: float, bend: float, rate: Fraction
) -> None:
    envelope = Envelope(Length(lead, "frames"), Length(hold, "frames"), Length(decay, "frames"), bend)
    levels = {k: level(envelope, k, rate, 0.5) for k in range(-80, 120)}
    assert levels[0] == 1.0
    assert all(0 <= v <= 1 for v in levels.values())
    assert all(v == 0 for k, v in levels.items() if k <= -lead and k < 0)
    assert all(v == 0 for k, v in levels.items() if k >= hold - 1 + decay and k > hold)
    if lead == 0:
        assert levels[-1] == 0


def test_lengths_can_be_shares_of_the_gap_to_the_next_point() -> None:
    envelope = Envelope(decay=Length(1.0, "gap"))
    assert level(envelope, 14, R30, 0.5) > 0
    assert level(envelope, 15, R30, 0.5) == 0


def test_every_nth_point_is_counted_from_the_first_downbeat() -> None:
    fired = pulses(AccentRow("r1", "flash", Rule(4)), song(), R30, 900)
    assert {q.point.beat for q in fired} == {1}
    shifted = pulses(AccentRow("r1", "flash", Rule(4, 1)), song(), R30, 900)
    assert {q.point.beat for q in shifted} == {2}
    assert len(pulses(AccentRow("r1", "flash", Rule(1)), song(), R30, 900)) == 40
    assert pulses(AccentRow("r1", "flash", Rule(0)), song(), R30, 900) == []


def test_painting_adds_silences_and_weighs_and_survives_a_lost_point() -> None:
    row = AccentRow("r1", "flash", Rule(4), painted=(Painted("b3", 0.5), Painted("b2", 0.0), Painted("gone", 1.0)))
    fired = {q.point.id: q for q in pulses(row, song(), R30, 900)}
    assert fired["b3"].strength == 0.5 and fired["b3"].painted
    assert "b2" not in fired and "gone" not in fired
    assert not fired["b6"].painted


def test_strength_follows_the_points_strength() -> None:
    fired = pulses(AccentRow("r1", "flash", Rule(1)), song(), R30, 900)
    strong = next(q for q in fired if q.point.strength == 1.0)
    weak = next(q for q in fired if q.point.strength == 0.5)
    assert strong.strength == 1.0 and weak.strength == pytest.approx(1 - 0.4 * 0.5)


def test_points_outside_the_reel_fire_nothing() -> None:
    assert max(q.frame for q in pulses(AccentRow("r1", "flash"), song(), R30, 100)) < 100


@pytest.mark.parametrize("name", list(CATALOGUE))
def test_every_accent_is_still_before_its_point_and_after_its_end(name: str) -> None:
    row = pulses(AccentRow("r1", name, Rule(8)), song(), R30, 900)
    first = row[0].frame
    still = look_at(first - 1, [row], R30)
    assert still == look_at(first + 55, [row], R30)
    assert look_at(first, [row], R30) != still


@pytest.mark.parametrize("rate", [R30, R60, Fraction(30000, 1001)])
def test_a_shakes_largest_displacement_is_on_the_points_own_frame(rate: Fraction) -> None:
    row = pulses(AccentRow("r1", "shake", Rule(8)), song(), rate, 1800)
    first = row[0].frame
    swing = [math.hypot(*look_at(first + k, [row], rate)[1:3]) for k in range(-5, 25)]
    assert swing.index(max(swing)) == 5
    assert max(swing) == pytest.approx(SHAKE_SHARE * row[0].strength)


def test_the_same_seed_shakes_the_same_way_and_another_does_not() -> None:
    def angles(seed: int) -> list[float]:
        return [q.angle for q in pulses(AccentRow("r1", "shake", seed=seed), song(), R30, 900)]

    assert angles(1) == angles(1)
    assert angles(1) != angles(2)


def test_a_punch_in_shows_nine_tenths_of_the_frame_at_its_peak() -> None:
    # Common practice: 0.905 of the frame seen is × 1.105.
    row = pulses(AccentRow("r1", "punch", Rule(4)), song(), R30, 900)
    assert look_at(row[0].frame, [row], R30).scale == pytest.approx(1.105, abs=1e-3)


def test_overlapping_flashes_show_the_larger_and_never_more_than_white() -> None:
    row = pulses(AccentRow("r1", "flash", Rule(1), amount=2.0), song(), R30, 900)
    assert all(look_at(k, [row, row], R30).flash <= 1.0 for k in range(0, 200))


def test_an_unknown_accent_is_named_with_those_there_are() -> None:
    with pytest.raises(TempikError, match=r"no accent named 'sparkle'.*flash"):
        accent_named("sparkle")
