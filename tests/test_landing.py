"""The sync check, unit by unit: what counts as an event, what its error is, and what is said of the rest."""

import csv
import io
import json
from fractions import Fraction

import msgspec
import pytest

from tempik.check import as_csv, as_json, check_reel
from tempik.check.landing import nearest_point
from tempik.edit import reel as change
from tempik.edit import ruled
from tempik.edit.speed import speed as retiming
from tempik.reel import Edge, Pin, Reel, Rule
from tempik.reel.points import points_of
from tempik.retime import constant, ramp
from tempik.timeline.timeline import Timeline


def events(reel: Reel, kind: str) -> list:
    return [e for e in check_reel(Timeline(reel)).events if e.kind == kind]


def test_every_cut_pin_and_pulse_is_an_event(reel: Reel) -> None:
    timeline = Timeline(reel)
    assert len(events(reel, "cut")) == sum(p.first > 0 for p in timeline.placed)
    assert len(events(reel, "pin")) == sum(len(p.ties) for p in timeline.placed)
    assert len(events(reel, "accent")) == sum(len(row) for row in timeline.pulses)


def test_errors_are_event_minus_point_in_ms_and_frames(reel: Reel) -> None:
    for event in check_reel(Timeline(reel)).events:
        assert event.error_ms == pytest.approx((event.time_s - event.point_s) * 1000)
        assert event.error_frames == pytest.approx(event.error_ms * 30 / 1000)
        assert event.time_s == pytest.approx(event.frame / 30)
        # Common practice: landing error is at most half a frame, 16.7 ms at 30.
        assert abs(event.error_ms) <= 1000 / 60 + 1e-6 and event.ok


@pytest.mark.parametrize(("rate", "worst"), [(24, 20.9), (25, 20.001), (30, 16.7), (60, 8.4)])
def test_the_worst_error_is_half_a_frame_of_the_rate(reel: Reel, rate: int, worst: float) -> None:
    report = check_reel(Timeline(change.with_settings(reel, 180, 320, Fraction(rate))))
    assert report.ok and report.worst_ms <= worst


def test_a_cut_off_the_points_is_free_and_does_not_spoil_the_verdict(reel: Reel) -> None:
    clips = (
        msgspec.structs.replace(reel.clips[0], end=Edge(3.1)),
        msgspec.structs.replace(reel.clips[1], start=Edge(3.1), pins=()),
        *reel.clips[2:],
    )
    report = check_reel(Timeline(msgspec.structs.replace(reel, clips=clips)))
    (free,) = [e for e in report.events if not e.tied]
    assert free.frame == 93 and not free.ok
    assert report.ok


def test_a_cue_that_its_clip_never_shows_is_off_its_point(reel: Reel) -> None:
    points = points_of(reel.soundtrack) if reel.soundtrack else ()
    elsewhere = msgspec.structs.replace(reel.clips[0], pins=(Pin("q1", points[14].id),))
    report = check_reel(Timeline(msgspec.structs.replace(reel, clips=(elsewhere, *reel.clips[1:]))))
    assert not report.ok
    assert [e.what for e in report.events if not e.ok] == ["a.mp4"]


def test_a_pin_beyond_the_reel_has_nothing_to_land_on(reel: Reel) -> None:
    points = points_of(reel.soundtrack) if reel.soundtrack else ()
    beyond = msgspec.structs.replace(reel.clips[0], pins=(Pin("q1", points[-1].id),))
    assert check_reel(Timeline(msgspec.structs.replace(reel, clips=(beyond, *reel.clips[1:])))).ok


@pytest.mark.parametrize("curve", [constant(3.0), constant(-0.3), ramp(0.2, 4.0), ramp(-4.0, -0.2, 0.42)])
def test_pins_are_found_by_the_time_map_at_any_speed(reel: Reel, curve: object) -> None:
    for clip in reel.clips:
        reel = retiming.with_curve(reel, clip.id, curve)  # type: ignore[arg-type]
    timeline = Timeline(reel)
    wanted = {t.frame for p in timeline.placed for t in p.ties}
    assert {e.frame for e in events(reel, "pin")} == wanted


def test_notes_say_what_would_surprise(reel: Reel) -> None:
    assert check_reel(Timeline(reel)).notes == ()
    fast = retiming.with_curve(reel, "c1", constant(4.0))
    assert any("stands still" in n and "a.mp4" in n for n in check_reel(Timeline(fast)).notes)
    holed = msgspec.structs.replace(reel, clips=reel.clips[1:])
    assert any("black" in n for n in check_reel(Timeline(holed)).notes)
    long = msgspec.structs.replace(reel, length_s=60.0)
    assert any("song ends" in n and "silence" in n for n in check_reel(Timeline(long)).notes)
    squeezed = msgspec.structs.replace(reel.clips[1], end=reel.clips[1].start)
    none_left = msgspec.structs.replace(reel, clips=(reel.clips[0], squeezed, *reel.clips[2:]))
    assert any("has no frame on the reel" in n for n in check_reel(Timeline(none_left)).notes)


def test_muted_rows_and_silent_steps_make_no_events(reel: Reel) -> None:
    quiet = ruled.with_muted(reel, reel.accent_lanes[0].id, True)
    assert all(e.what != "flash" for e in events(quiet, "accent"))
    none = ruled.with_rule(reel, reel.accent_lanes[1].id, Rule("hand"))
    assert all(e.what != "shake" for e in events(none, "accent"))


def test_the_report_reads_back_from_json_and_csv(reel: Reel) -> None:
    report = check_reel(Timeline(reel))
    document = json.loads(as_json(report))
    assert document["ok"] is True and document["worst_ms"] == pytest.approx(report.worst_ms)
    assert [e["frame"] for e in document["events"]] == [e.frame for e in report.events]
    rows = list(csv.DictReader(io.StringIO(as_csv(report))))
    assert [float(r["error_ms"]) for r in rows] == pytest.approx([e.error_ms for e in report.events], abs=1e-6)


def test_the_nearest_point_is_nearest_in_time(reel: Reel) -> None:
    timeline = Timeline(reel)
    for time_s in (0.0, 1.1, 2.6, 9.9):
        found = nearest_point(timeline, time_s)
        assert found is not None
        assert abs(timeline.reel_s(found) - time_s) == min(abs(timeline.reel_s(q) - time_s) for q in timeline.points)
    assert nearest_point(Timeline(Reel()), 1.0) is None
