"""Lanes: what a rule fires, what is done by hand, and that all of it follows the points."""

from fractions import Fraction
from pathlib import Path

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from media_files import write_video
from tempik.accents import EvaluatedLane, RuleScene, clashes, evaluated, look_at
from tempik.accents.look import Look
from tempik.accents.rules import AROUND_S
from tempik.check import check_reel
from tempik.edit import reel as change
from tempik.edit import ruled
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.accents.bundles import with_bundle, with_bundle_amount, without_bundle
from tempik.edit.accents.copying import copied_lanes, pasted_lanes
from tempik.edit.accents.keys import with_key, without_key
from tempik.edit.accents.painting import (
    with_bar_copied,
    with_lane_shifted,
    with_painted,
    with_pulse_setting,
    with_random,
    with_swept,
    without_painting,
)
from tempik.edit.clips import place
from tempik.edit.footage import tracking
from tempik.edit.footage.facts import footage_from, with_footage
from tempik.edit.song import points
from tempik.edit.song.stretches import with_stretch
from tempik.errors import TempikError
from tempik.media import probe
from tempik.project import bundles as accent_library
from tempik.project.file import load_reel, save_reel
from tempik.reel import AccentLane, Envelope, Key, Length, Limit, Reel, Rule, Soundtrack, StepOverride, by_id
from tempik.rhythm import Analysis, Beat, Onset
from tempik.time import time_of
from tempik.timeline.timeline import Timeline
from unsound import refused_both_ways

R30 = Fraction(30)
TALL = 16 / 9


def song(drops: tuple[float, ...] = ()) -> Soundtrack:
    beats = tuple(Beat(i * 0.5, 1.0 if i % 4 == 0 else 0.4, i // 4 + 1, i % 4 + 1, i * 0.5) for i in range(40))
    onsets = (Onset(0.25, 0.9, "kick"), Onset(1.2, 0.3, "hat"), Onset(2.2, 0.8, "kick"))
    return Soundtrack("/s.wav", 30.0, heard=Analysis(30.0, 120.0, steady=True, beats=beats, onsets=onsets, drops=drops))


def lanes(lane: AccentLane, soundtrack: Soundtrack | None = None) -> EvaluatedLane:
    return evaluated(lane, RuleScene(soundtrack or song(), R30, 600, TALL))


def frames(reel: Reel, lane: int = -1) -> list[int]:
    return [p.frame for p in Timeline(reel).pulses[lane]]


# Rules


def test_beats_two_and_four_of_each_bar() -> None:
    assert {p.point.beat for p in lanes(AccentLane("r", "flash", Rule("bars", beats=(2, 4)))).pulses if p.point} == {
        2,
        4,
    }
    second = lanes(AccentLane("r", "flash", Rule("bars", beats=(2, 4), every=2))).pulses
    assert {p.point.beat for p in second if p.point} == {2}


def test_only_points_that_are_strong_enough() -> None:
    assert all(p.point and p.point.beat == 1 for p in lanes(AccentLane("r", "flash", Rule(at_least=0.9))).pulses)


def test_a_bands_onsets_and_the_drops() -> None:
    kicks = lanes(AccentLane("r", "flash", Rule("onsets", bands=("kick",)))).pulses
    assert [p.frame for p in kicks] == [8, 66]  # 0.25 s is 7.5 frames, 2.2 s is 66
    dropped = lanes(AccentLane("r", "flash", Rule("drops")), song((8.0,))).pulses
    assert [p.frame for p in dropped] == [240]


def test_cuts_clip_starts_ends_and_pins_fire_on_their_own_frames(reel: Reel) -> None:
    placed = Timeline(reel).placed
    for of, wanted in (
        ("cuts", [p.first for p in placed if p.first > 0]),
        ("starts", [p.first for p in placed]),
        ("ends", [p.end - 1 for p in placed]),
        ("pins", sorted(t.frame for p in placed for t in p.ties if p.first <= t.frame < p.end)),
    ):
        assert frames(accent_lanes.with_lane(reel, "flash", rule=Rule(of))) == wanted
    assert check_reel(Timeline(accent_lanes.with_lane(reel, "flash", rule=Rule("pins")))).ok


def test_every_frame_of_a_stretch_and_no_other() -> None:
    found = lanes(AccentLane("r", "kick", Rule("frames"), limit=Limit(from_s=2.0, to_s=3.0)))
    assert [p.frame for p in found.pulses] == list(range(60, 90))
    assert look_at(59, [found], R30, TALL) == Look() != look_at(60, [found], R30, TALL)


def test_a_limit_to_a_stretch_or_to_clips(reel: Reel) -> None:
    half = lanes(AccentLane("r", "flash", limit=Limit(from_s=5.0)))
    assert min(p.frame for p in half.pulses) == 150
    clip = Timeline(reel).placed[1]
    only = ruled.with_limit(accent_lanes.with_lane(reel, "flash"), reel.accent_lanes[0].id, Limit())
    only = ruled.with_limit(only, only.accent_lanes[-1].id, Limit(clips=(clip.clip.id,)))
    assert frames(only) and all(clip.first <= f < clip.end for f in frames(only))


def test_the_first_and_last_quarter_of_a_clip_scale_and_frames_do_not() -> None:
    # The trade's table: 60 frames: 15; 30: 7 or 8; 15: 4.
    from tempik.accents import form_of, level

    envelope = Envelope(decay=Length(0.25, "clip"))
    for clip, quarter in ((60, (15,)), (30, (7, 8)), (15, (3, 4))):
        form = form_of(envelope, R30, 0.5, clip)
        last = max(k for k in range(clip) if level(form, k) > 0)
        assert last + 1 in quarter
    assert form_of(Envelope(decay=Length(6, "frames")), R30, 0.5, 60) == form_of(
        Envelope(decay=Length(6, "frames")), R30, 0.5, 15
    )


def test_what_a_newer_version_may_fire_on_is_kept_and_fires_nothing() -> None:
    assert lanes(AccentLane("r", "flash", Rule("moonrise"))).pulses == []


# Amounts


def test_one_number_calms_everything_by_a_third(reel: Reel) -> None:
    before, after = Timeline(reel), Timeline(accent_lanes.with_all_amounts(reel, 2 / 3))
    for a, b in zip(before.pulses, after.pulses, strict=True):
        assert [p.strength * 2 / 3 for p in a] == pytest.approx([p.strength for p in b])


def test_a_bundles_amount_is_on_top_of_its_rows_and_stays_when_it_is_opened(reel: Reel) -> None:
    made = with_bundle(reel, [r.id for r in reel.accent_lanes], "Blow")
    calm = with_bundle_amount(made, made.bundles[0].id, 0.5)
    strengths = [p.strength for p in Timeline(calm).pulses[0]]
    assert strengths == pytest.approx([p.strength / 2 for p in Timeline(reel).pulses[0]])
    opened = without_bundle(calm, calm.bundles[0].id)
    assert opened.bundles == () and [p.strength for p in Timeline(opened).pulses[0]] == pytest.approx(strengths)
    assert accent_lanes.without_lane(accent_lanes.without_lane(made, "r1"), "r2").bundles == ()


def test_a_soloed_row_silences_the_others_and_a_muted_one_itself(reel: Reel) -> None:
    alone = Timeline(ruled.with_solo(reel, reel.accent_lanes[0].id, True))
    assert [f.silent for f in alone.accent_lanes] == [False, True]
    assert not any(e.lane == reel.accent_lanes[1].id for e in check_reel(alone).events)
    muted = Timeline(ruled.with_muted(reel, reel.accent_lanes[0].id, True))
    assert [f.silent for f in muted.accent_lanes] == [True, False]


# Painting


def test_a_sweep_gives_back_to_the_rule_what_it_has_so_already(reel: Reel) -> None:
    lane = reel.accent_lanes[0].id
    steps = [c.id for c in Timeline(reel).accent_lanes[0].steps]
    on = with_swept(reel, lane, steps, True)
    assert len(frames(on, 0)) == sum(0 <= c.frame < Timeline(reel).frames for c in Timeline(reel).accent_lanes[0].steps)
    assert with_swept(with_swept(on, lane, steps, False), lane, steps[:0], True).accent_lanes[0].overrides
    assert frames(without_painting(on, lane), 0) == frames(reel, 0)


def test_a_bars_pattern_is_repeated_in_the_later_ones(reel: Reel) -> None:
    lane = reel.accent_lanes[0].id
    timeline = Timeline(reel)
    third = next(c for c in timeline.accent_lanes[0].steps if c.point and c.point.bar == 2 and c.point.beat == 3)
    made = with_bar_copied(with_painted(reel, lane, third.id, 0.4), lane, 2)
    found = Timeline(made).pulses[0]
    for bar in {p.point.bar for p in found if p.point}:
        if bar >= 2:
            mine = {p.point.beat: p.own for p in found if p.point and p.point.bar == bar}
            assert mine.get(3, 0.4) == 0.4 and 2 not in mine
    with pytest.raises(TempikError, match="no point in bar 99"):
        with_bar_copied(reel, lane, 99)


def test_a_row_is_shifted_by_a_point_with_what_is_painted(reel: Reel) -> None:
    lane = reel.accent_lanes[0].id
    steps = [c.id for c in Timeline(reel).accent_lanes[0].steps]
    made = with_lane_shifted(with_painted(reel, lane, steps[1], 0.3), lane)
    assert [p.point for p in made.accent_lanes[0].overrides] == [steps[2]]
    assert next(p.point.beat for p in Timeline(made).pulses[0] if p.point and not p.overridden) == 2
    back = with_lane_shifted(made, lane, -1)
    assert back.accent_lanes[0].rule == reel.accent_lanes[0].rule
    beats = ruled.with_rule(reel, lane, Rule("bars", beats=(1, 4)))
    assert with_lane_shifted(beats, lane).accent_lanes[0].rule.beats == (1, 2)


def test_painting_by_lot_is_the_same_for_the_same_seed(reel: Reel) -> None:
    lane = reel.accent_lanes[0].id
    once, again = (with_random(reel, lane, 7) for _ in range(2))
    assert once == again != with_random(reel, lane, 8)
    clip = Timeline(reel).placed[1]
    limited = ruled.with_limit(reel, lane, Limit(clips=(clip.clip.id,)))
    lot = frames(with_random(limited, lane, 7, 1.0), 0)
    assert lot and all(clip.first <= f < clip.end for f in lot)


def test_a_pulse_of_its_own(reel: Reel) -> None:
    lane = reel.accent_lanes[0].id
    first = Timeline(reel).pulses[0][0]
    made = with_pulse_setting(reel, lane, first.step, "opacity", 0.2)
    timeline = Timeline(made)
    assert timeline.look_at(first.frame).tones != Timeline(reel).look_at(first.frame).tones
    other = Timeline(reel).pulses[0][1]
    assert timeline.look_at(other.frame) == Timeline(reel).look_at(other.frame)
    with pytest.raises(TempikError, match="between 0 and 1"):
        with_pulse_setting(reel, lane, first.step, "opacity", 3.0)


# Following the points


def test_a_moved_point_takes_its_pulses_paintings_and_keys_along(reel: Reel) -> None:
    lane = reel.accent_lanes[0].id
    point = Timeline(reel).on_reel()[6]
    at = Timeline(reel).frame_of_point(point)
    made = with_painted(reel, lane, point.id, 0.7)
    made = with_key(made, lane, "opacity", at, 0.3)
    moved = Timeline(points.with_moved_point(made, point.id, point.time_s + 0.2))
    pulse = next(p for p in moved.pulses[0] if p.step == point.id)
    assert pulse.frame == moved.frame_of_point(point) == at + 6
    assert moved.accent_lanes[0].keyed["opacity"][0][0] == at + 6


def test_a_painting_whose_point_is_gone_is_kept_and_said(reel: Reel) -> None:
    lane = reel.accent_lanes[0]
    lost = replace(reel, accent_lanes=(replace(lane, overrides=(StepOverride("b999", 1.0),)), *reel.accent_lanes[1:]))
    report = check_reel(Timeline(lost))
    assert any("1 painted step lost the point" in n for n in report.notes)
    assert lost.accent_lanes[0].overrides


def test_another_rate_or_stretch_of_the_song_moves_every_pulse_to_its_points_frame(reel: Reel) -> None:
    for other in (change.with_settings(reel, 180, 320, Fraction(60000, 1001)), with_stretch(reel, 2.0, 6.0)):
        timeline = Timeline(other)
        for lane in timeline.pulses:
            assert all(p.point and p.frame == timeline.frame_of_point(p.point) for p in lane)
        assert check_reel(timeline).ok


# Keys


def test_keys_ease_from_value_to_value_and_a_level_needs_no_rule(reel: Reel) -> None:
    lane = accent_lanes.with_lane(reel, "kick", 0)
    name = lane.accent_lanes[-1].id
    made = with_key(lane, name, "level", 30, 0.0, "even")
    made = with_key(made, name, "level", 60, 1.0, "even")
    timeline = Timeline(ruled.with_muted(ruled.with_muted(made, "r1", True), "r2", True))
    stops = [t.args[0] for f in (30, 45, 60, 200) for t in timeline.look_at(f).tones]
    assert stops == pytest.approx([0.5, 1.0, 1.0])
    gone = without_key(without_key(made, name, "level", 30), name, "level", 60)
    assert gone.accent_lanes[-1].keys == {}
    with pytest.raises(TempikError, match="no number"):
        with_key(reel, "r1", "blend", 10, 1.0)


# What is said


def test_a_lead_that_begins_before_the_pulse_before_has_ended_is_said() -> None:
    long = Envelope(lead=Length(10, "frames"), decay=Length(12, "frames"), rise=1.0, fall=1.0)
    assert "its lead begins" in clashes(lanes(AccentLane("r", "punch", envelope=long)), R30)[0].message
    short = Envelope(lead=Length(4, "frames"), decay=Length(8, "frames"))
    assert clashes(lanes(AccentLane("r", "punch", envelope=short)), R30) == []


def test_a_pulse_that_its_clips_end_cuts_off_is_said(reel: Reel) -> None:
    last = Timeline(reel).placed[1]
    made = accent_lanes.with_lane(reel, "punch", rule=Rule("ends"))
    name = made.accent_lanes[-1].id
    made = accent_lanes.with_envelope(made, name, Envelope(decay=Length(500)))
    found = Timeline(made).accent_lanes[-1]
    assert "the clip ends" in clashes(found, R30)[0].message
    look = look_at(last.end, [found], R30, TALL)
    assert look == Look()  # and it really does end there
    assert any("Punch-in" in n and "the clip ends" in n for n in check_reel(Timeline(made)).notes)


# Bad input


def test_an_unknown_accent_of_a_newer_version_is_kept_through_a_save(reel: Reel, tmp_path: Path) -> None:
    newer = replace(reel, accent_lanes=(*reel.accent_lanes, AccentLane("r9", "sparkle", settings={"dust": 0.4})))
    save_reel(newer, tmp_path / "n.tempik")
    back = load_reel(tmp_path / "n.tempik")
    assert back.accent_lanes[-1] == newer.accent_lanes[-1]
    timeline = Timeline(back)
    assert timeline.pulses[-1] == [] and timeline.look_at(30) == Timeline(reel).look_at(30)
    assert any("does not know the accent 'sparkle'" in n for n in check_reel(timeline).notes)


def test_amounts_beyond_range_are_a_sentence_and_typed_ones_kept_within(reel: Reel, tmp_path: Path) -> None:
    assert accent_lanes.with_amount(reel, "r1", 7.0).accent_lanes[0].amount == 2.0
    assert accent_lanes.with_all_amounts(reel, -1.0).amount == 0.0
    refused_both_ways(
        replace(reel, accent_lanes=(replace(reel.accent_lanes[0], amount=9.0),)),
        tmp_path / "bad.tempik",
        r"an amount of 9;",
    )
    with pytest.raises(TempikError, match="lead, hold or decay"):
        accent_lanes.with_envelope(reel, "r1", Envelope(decay=Length(-3)))


@given(st.floats(0, 4), st.floats(0, 4), st.floats(0, 4))
def test_envelopes_of_no_length_show_on_one_frame(lead: float, hold: float, decay: float) -> None:
    tiny = Envelope(Length(lead * 1e-3, "gap"), Length(hold * 1e-3, "gap"), Length(decay * 1e-3, "gap"))
    found = lanes(AccentLane("r", "kick", Rule(every=4), envelope=tiny))
    at = found.pulses[1].frame
    shown = [k for k in range(at - 5, at + 6) if look_at(k, [found], R30, TALL) != Look()]
    assert shown == [at]


def test_thousands_of_pulses_cost_a_frame_no_more_than_the_few_near_it() -> None:
    beats = tuple(Beat(i * 0.05, 1.0, i // 4 + 1, i % 4 + 1, i * 0.05) for i in range(12_000))
    many = Soundtrack("/s.wav", 600.0, heard=Analysis(600.0, 1200.0, steady=True, beats=beats))
    found = evaluated(AccentLane("r", "shake"), RuleScene(many, R30, 18_000, TALL))
    assert len(found.pulses) == 12_000
    from tempik.accents.pulses import sounding

    assert all(len(sounding(found, k)) < 12 for k in (0, 9000, 17_999))


# Copying and the library


def test_rows_go_to_another_song_by_bar_and_beat(reel: Reel) -> None:
    step = next(c for c in Timeline(reel).accent_lanes[0].steps if c.point and (c.point.bar, c.point.beat) == (2, 3))
    painted = with_painted(reel, reel.accent_lanes[0].id, step.id, 0.6)
    text = accent_library.lanes_text(copied_lanes(painted, [reel.accent_lanes[0].id]))
    other = Reel(length_s=18.0, soundtrack=song())
    made, names = pasted_lanes(other, accent_library.lanes_from_text(text))
    pulse = next(p for p in Timeline(made).pulses[0] if p.overridden)
    assert names == ["r1"] and pulse.point and (pulse.point.bar, pulse.point.beat) == (2, 3) and pulse.own == 0.6
    with pytest.raises(TempikError, match="No accent lanes have been copied"):
        accent_library.lanes_from_text("a shopping list")


def test_a_bundle_is_kept_read_and_put_on_clips(reel: Reel, tmp_path: Path) -> None:
    grouped = with_bundle(reel, [r.id for r in reel.accent_lanes], "Mine")
    accent_library.kept_bundle(copied_lanes(grouped, [r.id for r in grouped.accent_lanes]), "Mine")
    again = accent_library.bundle_named("Mine")
    clip = Timeline(reel).placed[1]
    made, names = pasted_lanes(reel, again, [clip.clip.id])
    assert len(names) == 2 and by_id(made.bundles, made.accent_lanes[-1].bundle) is not None
    assert all(clip.first <= f < clip.end for f in frames(made))
    accent_library.removed_bundle("Mine")
    with pytest.raises(TempikError, match="There is no bundle 'Mine'"):
        accent_library.bundle_named("Mine")
    (tmp_path / "no.tempikaccents").write_text('{"format": 1}')
    with pytest.raises(TempikError, match="is no bundle of accents"):
        accent_library.read_bundle(tmp_path / "no.tempikaccents")
    (tmp_path / "new.tempikaccents").write_text('{"format": 9, "lanes": []}')
    with pytest.raises(TempikError, match="newer Tempik"):
        accent_library.read_bundle(tmp_path / "new.tempikaccents")
    with pytest.raises(TempikError, match="comes with Tempik"):
        accent_library.kept_bundle(again, "Back beat")


@pytest.mark.parametrize("name", [n for n, _ in accent_library.READY])
def test_every_ready_bundle_fires_on_a_reel(reel: Reel, name: str) -> None:
    made, _ = pasted_lanes(reel, accent_library.bundle_named(name))
    assert all(lane for lane in Timeline(made).pulses[2:])
    assert check_reel(Timeline(made)).ok


def test_a_format_4_row_that_fired_on_no_point_is_painted_by_hand(tmp_path: Path) -> None:
    document = msgspec.json.decode((Path(__file__).parent / "formats" / "format4.tempik").read_bytes())
    document["reel"]["rows"][0]["rule"] = {"every": 0}
    (tmp_path / "old.tempik").write_bytes(msgspec.json.encode(document))
    assert load_reel(tmp_path / "old.tempik").accent_lanes[0].rule.of == "hand"


# Focus


def test_a_focus_follows_a_patch_through_the_footage(tmp_path: Path) -> None:
    rng = np.random.default_rng(1)
    ground = (rng.random((180, 320, 3)) * 60 + 60).astype(np.uint8)
    mark = (rng.random((30, 30, 3)) * 255).astype(np.uint8)

    def place(n: int) -> tuple[float, float]:
        return 60 + 3.0 * n, 80 + 25 * np.sin(n / 8)

    def frame(n: int) -> np.ndarray:  # type: ignore[type-arg]
        picture = ground.copy()
        x, y = (round(v) for v in place(n))
        picture[y - 15 : y + 15, x - 15 : x + 15] = mark
        return picture

    write_video(tmp_path / "mark.mp4", frame, 60, 30)
    piece = footage_from(probe(str(tmp_path / "mark.mp4")), set())
    track = tracking.tracked(piece, 30 / 30, place(30)[0] / 320, place(30)[1] / 180)
    wanted = np.array([place(round(t * 30)) for t in track.times_s])
    seen = np.array([track.xs, track.ys]).T * (320, 180)
    assert len(track.times_s) == 60
    assert np.abs(seen - wanted).max() < 2.5
    reel = with_footage(Reel(width=320, height=180, length_s=2.0), probe(str(tmp_path / "mark.mp4")))
    from tempik.edit.clips import place as placing

    reel = placing.with_clip_at(reel, reel.footage[0].id, 0, 0, frames=60)
    reel, name = tracking.with_track(reel, reel.footage[0].id, track)
    reel = accent_lanes.with_lane(reel, "punch", 0)
    reel = accent_lanes.with_follow(reel, reel.accent_lanes[0].id, name)
    reel = with_key(reel, reel.accent_lanes[0].id, "level", 0, 1.0)
    timeline = Timeline(reel)
    # A punch about the mark leaves it where it is.
    x, y = timeline.focus_at(timeline.accent_lanes[0], 45)
    assert ((x + 0.5) * 320, y * 320 + 90) == pytest.approx(place(45), abs=3)
    move = timeline.look_at(45).move
    assert (move[0] * x + move[1] * y + move[2], move[3] * x + move[4] * y + move[5]) == pytest.approx((x, y))


def test_a_plain_surface_cannot_be_followed(tmp_path: Path) -> None:
    write_video(tmp_path / "plain.mp4", lambda n: np.full((90, 160, 3), 120, np.uint8), 10, 30)
    piece = footage_from(probe(str(tmp_path / "plain.mp4")), set())
    with pytest.raises(TempikError, match="nothing at the focus"):
        tracking.tracked(piece, 0.1, 0.5, 0.5)


def test_a_key_stands_on_its_point() -> None:
    key = Key(1.0, 0.5, "b4")
    found = lanes(AccentLane("r", "flash", keys={"opacity": (key,)}))
    assert found.keyed["opacity"] == [(60, 0.5, "soft")]  # b4 sounds at 2 s, whatever the key's own time says


def test_a_mask_goes_with_the_media(reel: Reel, tmp_path: Path) -> None:
    import cv2

    from tempik.project.media_files import collect, missing_media, relink

    (tmp_path / "far").mkdir()
    cv2.imwrite(str(tmp_path / "far" / "mask.png"), np.full((8, 8), 255, np.uint8))
    made = accent_lanes.with_mask(reel, "r1", str(tmp_path / "far" / "mask.png"))
    save_reel(made, tmp_path / "p.tempik")
    assert '"mask": "far/mask.png"' in (tmp_path / "p.tempik").read_text()
    assert load_reel(tmp_path / "p.tempik").accent_lanes[0].mask == str(tmp_path / "far" / "mask.png")
    collected = collect(made, tmp_path / "p.tempik").reel
    assert collected.accent_lanes[0].mask == str(tmp_path / "p media" / "mask.png")
    (tmp_path / "far" / "mask.png").unlink()
    assert missing_media(made) == [str(tmp_path / "far" / "mask.png")]
    assert missing_media(relink(made, made.accent_lanes[0].mask, collected.accent_lanes[0].mask)) == []
    assert any("until then it shows everywhere" in n.lower() for n in check_reel(Timeline(made)).notes)


def test_a_rule_of_a_newer_version_is_said(reel: Reel) -> None:
    newer = accent_lanes.with_lane(reel, "flash", rule=Rule("moonrise"))
    assert any("'moonrise'" in n for n in check_reel(Timeline(newer)).notes)


def test_a_steady_shake_stays_in_its_clips_and_yields_to_its_pulses(reel: Reel) -> None:
    clip = Timeline(reel).placed[1]
    alone = accent_lanes.without_lane(accent_lanes.without_lane(reel, "r1"), "r2")
    made = accent_lanes.with_lane(alone, "shake", 4)
    name = made.accent_lanes[-1].id
    made = accent_lanes.with_setting(made, name, "base", 0.3)
    everywhere = Timeline(made)
    assert sum(everywhere.look_at(k) != Look() for k in range(0, 200, 7)) > 20
    pulse = everywhere.pulses[0][1]
    far = max(abs(v) for v in everywhere.look_at(pulse.frame).shift)
    assert all(max(abs(v) for v in everywhere.look_at(pulse.frame + k).shift) <= far for k in range(-12, 30))
    limited = Timeline(ruled.with_limit(made, name, Limit(clips=(clip.clip.id,))))
    moved = [k for k in range(limited.frames) if limited.look_at(k) != Look()]
    assert moved and clip.first <= min(moved) and max(moved) < clip.end


def test_the_clips_that_rules_fire_on_stay_while_amounts_change_and_follow_what_is_shown(reel: Reel) -> None:
    """Worked out once for a state of the clips: a drag of an amount must not pay for three hundred of them."""
    spans = Timeline(reel).scene.spans
    assert len(spans) > 2
    assert Timeline(accent_lanes.with_all_amounts(reel, 0.3)).scene.spans is spans
    hidden = place.with_track(reel, 0, hidden=True)
    assert Timeline(hidden).scene.spans == ()
    shorter = replace(reel, length_s=time_of(spans[1].first, reel.rate))
    assert [s.clip for s in Timeline(shorter).scene.spans] == [spans[0].clip]


def test_steps_reach_beyond_the_reel_for_when_its_stretch_is_moved_but_not_through_a_day(reel: Reel) -> None:
    beats = tuple(Beat(i * 0.5, 1.0, i // 4 + 1, i % 4 + 1, i * 0.5) for i in range(20_000))
    day = Soundtrack("/s.wav", 10_000.0, start_s=5000.0, heard=Analysis(10_000.0, 120.0, steady=True, beats=beats))
    found = lanes(AccentLane("r1", "flash", rule=Rule(every=4)), day)
    at = [c.point.time_s for c in found.steps if c.point is not None]
    assert (at[0], at[-1]) == (5000 - AROUND_S, 5020 + AROUND_S)
    assert all(p.point is not None and p.point.beat == 1 for p in found.pulses)  # counted from the song's first bar
