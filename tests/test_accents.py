"""Accents: full on the point's own frame, nothing before it, gone when they should be."""

import math
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tempik.accents import CATALOGUE, EvaluatedLane, Form, RuleScene, accent_named, evaluated, form_of, level, look_at
from tempik.accents.light import FLASH_PEAK
from tempik.accents.look import Look, folded
from tempik.errors import TempikError
from tempik.reel import AccentLane, Envelope, Length, Rule, Soundtrack, StepOverride
from tempik.rhythm import Analysis, Beat

R30, R60 = Fraction(30), Fraction(60)
TALL = 16 / 9


def song() -> Soundtrack:
    beats = tuple(Beat(i * 0.5, 1.0 if i % 4 == 2 else 0.5, (i + 2) // 4, (i + 2) % 4 + 1, i * 0.5) for i in range(40))
    return Soundtrack("/s.wav", 30.0, heard=Analysis(30.0, 120.0, steady=True, beats=beats))


def lanes(lane: AccentLane, rate: Fraction = R30, frames: int = 900) -> EvaluatedLane:
    return evaluated(lane, RuleScene(song(), rate, frames, TALL))


def look(found: EvaluatedLane, frame: float, rate: Fraction = R30) -> Look:
    return look_at(frame, [found], rate, TALL)


def opacity(look: Look) -> float:
    """How much white lies over black, 0 to 1."""
    return (float(folded(look.tones).y[16]) - 16) / 219


def test_a_pulses_length_in_milliseconds_is_the_trades_count_of_frames() -> None:
    # Common practice: 19 frames at 60 are 317 ms; 7 frames at 30 are 233 ms.
    for frames, rate, ms in ((19, R60, 317), (7, R30, 233)):
        envelope = Envelope(decay=Length(ms))
        form = form_of(envelope, rate, 1.0)
        assert level(form, frames - 1) > 0
        assert level(form, frames) == pytest.approx(0, abs=1e-5)


@given(st.floats(0, 30), st.floats(1, 10), st.floats(0, 60), st.floats(0.3, 4))
def test_an_envelope_is_full_on_its_frame_and_never_early(lead: float, hold: float, decay: float, bend: float) -> None:
    form = Form(lead, hold, decay, bend, bend)
    levels = {k: level(form, k) for k in range(-80, 120)}
    assert levels[0] == 1.0
    assert all(0 <= v <= 1 for v in levels.values())
    assert all(v == 0 for k, v in levels.items() if k <= -lead and k < 0)
    assert all(v == 0 for k, v in levels.items() if k >= hold - 1 + decay and k > hold)
    if lead == 0:
        assert levels[-1] == 0


def test_lengths_can_be_shares_of_the_gap_to_the_next_point() -> None:
    form = form_of(Envelope(decay=Length(1.0, "gap")), R30, 0.5)
    assert level(form, 14) > 0
    assert level(form, 15) == 0


def test_every_nth_point_is_counted_from_the_first_downbeat() -> None:
    evaluated = lanes(AccentLane("r1", "flash", Rule(every=4))).pulses
    assert {q.point.beat for q in evaluated} == {1}
    shifted = lanes(AccentLane("r1", "flash", Rule(every=4, offset=1))).pulses
    assert {q.point.beat for q in shifted} == {2}
    assert len(lanes(AccentLane("r1", "flash", Rule(every=1))).pulses) == 40
    assert lanes(AccentLane("r1", "flash", Rule("hand"))).pulses == []


def test_painting_adds_silences_and_weighs_and_survives_a_lost_point() -> None:
    lane = AccentLane(
        "r1",
        "flash",
        Rule(every=4),
        overrides=(StepOverride("b3", 0.5), StepOverride("b2", 0.0), StepOverride("gone", 1.0)),
    )
    evaluated = {q.step: q for q in lanes(lane).pulses}
    assert evaluated["b3"].strength == 0.5 and evaluated["b3"].overridden
    assert "b2" not in evaluated and "gone" not in evaluated
    assert not evaluated["b6"].overridden


def test_strength_follows_the_points_strength() -> None:
    evaluated = lanes(AccentLane("r1", "flash", Rule(every=1))).pulses
    strong = next(q for q in evaluated if q.point.strength == 1.0)
    weak = next(q for q in evaluated if q.point.strength == 0.5)
    assert strong.strength == 1.0 and weak.strength == pytest.approx(1 - 0.4 * 0.5)


def test_points_outside_the_reel_fire_nothing() -> None:
    assert max(q.frame for q in lanes(AccentLane("r1", "flash"), R30, 100).pulses) < 100


@pytest.mark.parametrize("name", [n for n in CATALOGUE if n != "cycle"])
def test_every_accent_is_still_before_its_lead_and_after_its_end(name: str) -> None:
    found = lanes(AccentLane("r1", name, Rule(every=8)))
    first = found.pulses[0]
    lead = round(first.form.lead)
    assert look(found, first.frame - max(lead, 1)) == Look() == look(found, first.frame + 58)
    assert look(found, first.frame) != Look()


@pytest.mark.parametrize("rate", [R30, R60, Fraction(30000, 1001)])
@pytest.mark.parametrize("texture", ["smooth", "rough"])
def test_a_shakes_largest_displacement_is_on_the_points_own_frame(rate: Fraction, texture: str) -> None:
    found = lanes(AccentLane("r1", "shake", Rule(every=8), settings={"texture": texture}), rate, 1800)
    first = found.pulses[0]
    swing = [math.hypot(*look(found, first.frame + k, rate).shift) for k in range(-5, 25)]
    assert swing.index(max(swing)) == 5
    assert max(swing) == pytest.approx(0.035 * first.strength)


def test_the_same_seed_shakes_the_same_way_and_another_does_not() -> None:
    def angles(seed: int) -> list[float]:
        return [q.angle for q in lanes(AccentLane("r1", "shake", seed=seed)).pulses]

    assert angles(1) == angles(1)
    assert angles(1) != angles(2)


def test_a_punch_in_shows_nine_tenths_of_the_frame_at_its_peak() -> None:
    # Common practice: 0.905 of the frame seen is × 1.105.
    found = lanes(AccentLane("r1", "punch", Rule(every=4)))
    assert look(found, found.pulses[0].frame).scale == pytest.approx(1.105, abs=1e-3)


def test_a_flash_covers_three_quarters_at_its_peak() -> None:
    # Common practice: a one-frame solid at about three quarters.
    found = lanes(AccentLane("r1", "flash", Rule(every=4)))
    assert opacity(look(found, found.pulses[0].frame)) == pytest.approx(FLASH_PEAK, abs=0.01)


def test_overlapping_flashes_show_the_larger_or_the_sum_and_never_more_than_white() -> None:
    long = Envelope(decay=Length(20, "frames"), fall=1.0)
    larger = lanes(AccentLane("r1", "flash", Rule(), envelope=long, degree=0.0, settings={"opacity": 0.4}))
    added = lanes(
        AccentLane("r1", "flash", Rule(), envelope=long, degree=0.0, settings={"opacity": 0.4}, overlap="sum")
    )
    at = larger.pulses[3].frame  # 15 frames after the one before, a quarter of which is left
    assert opacity(look(larger, at)) == pytest.approx(0.4, abs=0.01)
    assert opacity(look(added, at)) == pytest.approx(0.4 * 1.25, abs=0.01)
    much = lanes(AccentLane("r1", "flash", Rule(), envelope=long, amount=2.0, overlap="sum"))
    assert all(opacity(look(much, k)) <= 1.0 for k in range(200))


def test_an_unknown_accent_is_named_with_those_there_are() -> None:
    with pytest.raises(TempikError, match=r"no accent named 'sparkle'.*flash"):
        accent_named("sparkle")
