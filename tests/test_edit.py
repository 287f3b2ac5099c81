"""Drafting and changing a reel: what is tied to a point follows it, and nothing is lost."""

from copy import deepcopy
from fractions import Fraction
from pathlib import Path

import msgspec
import numpy as np
import pytest

from tempik.assemble import assemble
from tempik.check import check_reel
from tempik.edit import reel as change
from tempik.edit import ruled
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.accents.painting import with_painted, with_toggled
from tempik.edit.clips import pins as pin
from tempik.edit.clips import place, trim
from tempik.edit.clips.place import without_clip
from tempik.edit.draft import RuleDraftOptions, draft_reel
from tempik.edit.footage.cues import with_moved_cue, without_cue
from tempik.edit.footage.facts import footage_from, with_footage, without_footage
from tempik.edit.song import points
from tempik.edit.song.carry_over import with_song
from tempik.edit.song.stretches import with_stretch
from tempik.edit.speed import speed as retiming
from tempik.errors import TempikError
from tempik.media import probe
from tempik.reel import Cue, Footage, Reel, Rule, Soundtrack
from tempik.reel.points import points_of
from tempik.retime import constant, ramp, reversed_curve
from tempik.rhythm import Analysis, Beat
from tempik.timeline.covering import gaps
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import Timeline, timeline_of


def song(bpm: float = 120.0, beats: int = 64, first_s: float = 0.5) -> Soundtrack:
    times = [first_s + i * 60 / bpm for i in range(beats)]
    found = tuple(Beat(t, 1.0 if i % 4 == 0 else 0.6, i // 4 + 1, i % 4 + 1, t) for i, t in enumerate(times))
    length_s = first_s + beats * 60 / bpm + 1
    return Soundtrack("/music/song.wav", length_s, heard=Analysis(length_s, bpm, steady=True, beats=found))


def piece(number: int, length_s: float = 10.0, cue_s: float | None = 5.0, rate: int = 60) -> Footage:
    cues = (Cue("q1", cue_s),) if cue_s is not None else ()
    return Footage(f"f{number}", f"/film/{number}.mp4", 1080, 1920, Fraction(rate), length_s, cues=cues)


def shown_at(timeline: Timeline, placed: PlacedClip, frame: int) -> float:
    return float(source_at_frames(placed, np.array([float(frame)]), timeline.rate)[0])


def assert_pins_hold(reel: Reel) -> None:
    timeline = Timeline(reel)
    for placed in timeline.placed:
        for tie in placed.ties:
            assert shown_at(timeline, placed, tie.frame) == pytest.approx(tie.cue_s, abs=1e-6)


# Drafting


def test_a_draft_fills_the_song_with_slots_of_n_beats() -> None:
    draft = draft_reel(song(), [piece(1), piece(2)], RuleDraftOptions(every=4, length_s=20.5))
    timeline = Timeline(draft.reel)
    assert gaps(timeline) == []
    cuts = [p.first for p in timeline.placed]
    assert cuts[1:4] == [15 + 60, 15 + 120, 15 + 180]  # a bar of 120 BPM at 30 frames/s is 60 frames
    assert [p.footage.id for p in timeline.placed[:4]] == ["f1", "f2", "f1", "f2"]


def test_each_cue_lands_on_a_point_inside_its_slot_not_on_the_cut() -> None:
    draft = draft_reel(song(), [piece(1), piece(2)], RuleDraftOptions(every=4, length_s=20.5))
    timeline = Timeline(draft.reel)
    for placed in timeline.placed:
        (tie,) = placed.ties
        assert placed.first < tie.frame < placed.end
    assert_pins_hold(draft.reel)
    assert draft.notes == ()


def test_where_the_footage_ends_early_the_pin_moves_within_its_slot() -> None:
    # The cue comes 0.6 s in: only the slot's second beat (0.5 s after the cut) leaves enough before it.
    draft = draft_reel(song(), [piece(1, cue_s=0.6)], RuleDraftOptions(every=4, length_s=20.5))
    timeline = Timeline(draft.reel)
    whole = timeline.placed[1]
    assert whole.ties[0].frame - whole.first == 15
    assert whole.clip.curve == constant(1.0)
    assert whole.short_before_s == 0


def test_where_no_point_serves_the_clip_is_slowed_and_that_is_said() -> None:
    draft = draft_reel(song(), [piece(1, length_s=1.0, cue_s=0.5)], RuleDraftOptions(every=4, length_s=20.5))
    timeline = Timeline(draft.reel)
    assert all(p.short_before_s == 0 and p.short_after_s == 0 for p in timeline.placed)
    assert all(p.clip.curve.nodes[0].speed < 1 for p in timeline.placed)
    assert len(draft.notes) == len(timeline.placed) and "slowed to" in draft.notes[0]
    assert_pins_hold(draft.reel)


def test_where_footage_cannot_fill_its_slot_the_still_picture_is_said() -> None:
    draft = draft_reel(song(), [piece(1, length_s=0.1, cue_s=0.0)], RuleDraftOptions(every=4, length_s=20.5))
    assert all("stands still" in n for n in draft.notes) and draft.notes
    assert gaps(Timeline(draft.reel)) == []


def test_a_slot_of_one_beat_lands_the_cue_on_its_own_point() -> None:
    draft = draft_reel(song(), [piece(1)], RuleDraftOptions(every=1, length_s=10.5))
    assert_pins_hold(draft.reel)
    assert sum(bool(p.ties) for p in Timeline(draft.reel).placed) >= 19


def test_several_cues_of_a_file_take_turns() -> None:
    two = msgspec.structs.replace(piece(1), cues=(Cue("q1", 3.0), Cue("q2", 6.0)))
    reel = draft_reel(song(), [two], RuleDraftOptions(every=4, length_s=20.5)).reel
    assert [c.pins[0].cue for c in reel.clips[:4]] == ["q1", "q2", "q1", "q2"]


@pytest.mark.parametrize(
    ("options", "sentence"),
    [
        (RuleDraftOptions(every=0), "Slots of 0 beats"),
        (RuleDraftOptions(start_s=99.0), "cannot start at 99"),
        (RuleDraftOptions(length_s=500.0), "less than the reel's 500 s"),
        (RuleDraftOptions(length_s=-1.0), "length above 0"),
        (RuleDraftOptions(accents=(("sparkle", 1),)), "no accent named 'sparkle'"),
    ],
)
def test_a_wish_that_cannot_be_had_gets_one_sentence(options: RuleDraftOptions, sentence: str) -> None:
    with pytest.raises(TempikError, match=sentence):
        draft_reel(song(), [piece(1)], options)


def test_a_song_without_beats_cannot_be_drafted_on() -> None:
    with pytest.raises(TempikError, match="no steady beat"):
        draft_reel(Soundtrack("/music/talk.wav", 20.0), [piece(1)], RuleDraftOptions())


def test_cues_are_matched_to_files_by_path_or_name(media: Path) -> None:
    files = [str(media / "a.mp4"), str(media / "b.mp4")]
    reel = assemble(
        str(media / "song.wav"), files, [("b.mp4", 1.5), (files[0], 2.0)], RuleDraftOptions(length_s=8)
    ).reel
    assert [f.cues[0].time_s for f in reel.footage] == [2.0, 1.5]
    with pytest.raises(TempikError, match="not among the footage"):
        assemble(str(media / "song.wav"), files, [("z.mp4", 1.0)], RuleDraftOptions())
    with pytest.raises(TempikError, match="outside"):
        assemble(str(media / "song.wav"), files, [("a.mp4", 60.0)], RuleDraftOptions())


# Everything hangs off the points


def test_moving_a_point_moves_its_cut_its_pin_and_its_pulses(reel: Reel) -> None:
    timeline = Timeline(reel)
    placed = timeline.placed[1]
    cut_point, pin_point = placed.clip.start.point, placed.ties[0].point
    assert cut_point is not None
    for moved in (cut_point, pin_point.id):
        point = timeline.point(moved)
        assert point is not None
        after = Timeline(points.with_moved_point(reel, moved, point.time_s + 0.1))
        assert_pins_hold(after.reel)
        assert after.frame_of_point(after.point(moved)) == timeline.frame_of_point(point) + 3  # type: ignore[arg-type]
        before_frames = {q.frame for track in timeline.pulses for q in track if q.point.id == moved}
        after_frames = {q.frame for track in after.pulses for q in track if q.point.id == moved}
        assert after_frames == {f + 3 for f in before_frames}
    assert (
        Timeline(points.with_moved_point(reel, cut_point, timeline.point(cut_point).time_s + 0.1)).placed[1].first
        == placed.first + 3
    )  # type: ignore[union-attr]


@pytest.mark.parametrize("rate", [Fraction(24), Fraction(25), Fraction(30000, 1001), Fraction(60)])
def test_another_rate_moves_no_point_and_back_again_loses_nothing(reel: Reel, rate: Fraction) -> None:
    other = change.with_settings(reel, 180, 320, rate)
    assert_pins_hold(other)
    timeline = Timeline(other)
    for placed in timeline.placed[1:]:
        point = timeline.point(placed.clip.start.point)
        assert point is not None
        assert abs(placed.first / float(rate) - timeline.reel_s(point)) <= 0.5 / float(rate) + 1e-9
    assert change.with_settings(other, 180, 320, reel.rate) == reel


def test_another_stretch_of_the_song_keeps_clips_on_their_points(reel: Reel) -> None:
    later = with_stretch(reel, 2.0, 8.0)
    assert_pins_hold(later)
    assert gaps(Timeline(later)) == []
    assert_pins_hold(with_stretch(reel, 0.0, 14.0))
    assert gaps(Timeline(with_stretch(reel, 0.0, 14.0))) == []  # the last clip runs on to the new end
    inside = with_stretch(reel, 3.5, 6.0)
    assert Timeline(inside).placed[0].begin < 0  # the reel now begins inside this slot
    assert_pins_hold(inside)
    with pytest.raises(TempikError, match="must lie within"):
        with_stretch(reel, 15.0, 30.0)


def test_a_moved_cue_slips_its_clips_under_their_points(reel: Reel) -> None:
    piece_id, cue = reel.footage[0].id, reel.footage[0].cues[0]
    moved = with_moved_cue(reel, piece_id, cue.id, cue.time_s + 0.4)
    assert_pins_hold(moved)
    before, after = Timeline(reel).placed[0], Timeline(moved).placed[0]
    assert after.map.start_s == pytest.approx(before.map.start_s + 0.4)
    with pytest.raises(TempikError, match="outside the footage"):
        with_moved_cue(reel, piece_id, cue.id, 99.0)


@pytest.mark.parametrize(
    "curve", [constant(0.5), constant(-1.0), ramp(2.0, 0.4), ramp(-0.5, -2.0, 0.42), ramp(1.0, -1.0)]
)
def test_a_speed_change_never_slides_the_cue_off_its_point(reel: Reel, curve: object) -> None:
    for clip in reel.clips:
        assert_pins_hold(retiming.with_curve(reel, clip.id, curve))  # type: ignore[arg-type]


def test_reversing_a_free_clip_shows_the_same_stretch(reel: Reel) -> None:
    free = pin.without_pins(reel, ["c2"])
    before = Timeline(free).placed[1]
    after = Timeline(retiming.with_curve(free, "c2", reversed_curve(before.clip.curve))).placed[1]
    assert after.map.start_s == pytest.approx(before.map.end_s)
    assert after.map.end_s == pytest.approx(before.map.start_s)


def test_unpinning_and_removing_a_cue_change_no_picture(reel: Reel) -> None:
    before = Timeline(reel).placed[0].map.start_s
    assert Timeline(pin.without_pins(reel, ["c1"])).placed[0].map.start_s == pytest.approx(before)
    footage = reel.footage[0]
    gone = without_cue(reel, footage.id, footage.cues[0].id)
    assert Timeline(gone).placed[0].map.start_s == pytest.approx(before)
    assert Timeline(gone).placed[0].ties == ()


def test_swapping_footage_keeps_slot_speed_and_point(reel: Reel) -> None:
    fast = retiming.with_curve(reel, "c1", ramp(2, 1))
    swapped = place.with_swapped_footage(fast, ["c1"], "f2")
    old, new = Timeline(fast).placed[0], Timeline(swapped).placed[0]
    assert new.footage.id == "f2"
    assert (new.first, new.end, new.clip.curve) == (old.first, old.end, old.clip.curve)
    assert new.ties[0].frame == old.ties[0].frame
    assert_pins_hold(swapped)


def test_what_a_clip_shows_can_be_made_its_cue(reel: Reel) -> None:
    timeline = Timeline(reel)
    placed = timeline.placed[1]
    frame = placed.first + 20
    wanted = shown_at(timeline, placed, frame)
    point = placed.ties[0].point
    after = pin.with_clip_cue_here(reel, placed.clip.id, frame, point.id)
    again = Timeline(after).placed[1]
    assert again.ties[0].cue_s == pytest.approx(wanted)
    assert_pins_hold(after)


def test_removing_a_clip_leaves_no_black(reel: Reel) -> None:
    for clip in reel.clips:
        assert gaps(Timeline(without_clip(reel, clip.id))) == []


def test_another_song_takes_cuts_pins_and_accents_to_the_same_beats(reel: Reel) -> None:
    painted = with_painted(reel, reel.accent_lanes[0].id, Timeline(reel).on_reel()[5].id, 0.5)
    before, after = Timeline(painted), Timeline(with_song(painted, song(bpm=93.7)))
    assert len(after.placed) == len(before.placed)
    for a, b in zip(before.placed, after.placed, strict=True):
        assert len(b.ties) == len(a.ties)
        was, now = before.point(a.clip.start.point), after.point(b.clip.start.point)
        if was is not None:
            assert now is not None and now.beat == was.beat
    assert [c.point is None for p in after.placed for c in (p.clip.start,)][1:] == [False] * (len(after.placed) - 1)
    assert len(after.pulses[0]) == len(before.pulses[0])
    assert check_reel(after).ok


def test_a_song_without_beats_leaves_the_clips_where_they_are(reel: Reel) -> None:
    before = [(p.first, p.end) for p in Timeline(reel).placed]
    other = with_song(reel, Soundtrack("/quiet.wav", 20.0))
    assert [(p.first, p.end) for p in Timeline(other).placed] == before
    assert all(not c.pins and c.start.point is None for c in other.clips)


def test_a_locked_point_does_not_move_and_none_leaves_the_song(reel: Reel) -> None:
    assert reel.soundtrack is not None
    first, second = points_of(reel.soundtrack)[:2]
    held = points.with_locked(reel, [first.id], True)
    with pytest.raises(TempikError, match="is locked"):
        points.with_moved_point(held, first.id, 1.0)
    with pytest.raises(TempikError, match="cannot leave the song"):
        points.with_moved_point(held, second.id, -1.0)


def test_a_point_placed_by_hand_takes_its_place_in_time(reel: Reel) -> None:
    after = points.with_point(reel, 3.21)
    assert after.soundtrack is not None
    times = [p.time_s for p in points_of(after.soundtrack)]
    assert times == sorted(times) and 3.21 in times


def test_footage_is_added_once_and_kept_while_clips_use_it(reel: Reel, media: Path) -> None:
    assert with_footage(reel, probe(str(media / "a.mp4"))) is reel
    with pytest.raises(TempikError, match="clips use this footage"):
        without_footage(reel, "f1")
    with pytest.raises(TempikError, match="only sound"):
        footage_from(probe(str(media / "song.wav")), set())


# Accent lanes


def test_toggling_a_step_agrees_with_the_rule_or_is_painted(reel: Reel) -> None:
    lane = reel.accent_lanes[0]
    timeline = Timeline(reel)
    evaluated, silent = (
        timeline.pulses[0][0].point.id,
        next(q.id for q in timeline.on_reel() if q.id not in {u.point.id for u in timeline.pulses[0]}),
    )
    on = with_toggled(reel, lane.id, silent)
    assert silent in {q.point.id for q in Timeline(on).pulses[0]}
    off = with_toggled(reel, lane.id, evaluated)
    assert evaluated not in {q.point.id for q in Timeline(off).pulses[0]}
    assert with_toggled(on, lane.id, silent) == reel
    assert with_toggled(off, lane.id, evaluated) == reel


def test_rows_can_be_added_ruled_weighed_muted_and_removed(reel: Reel) -> None:
    added = accent_lanes.with_lane(reel, "punch", 2)
    lane = added.accent_lanes[-1].id
    assert len(Timeline(ruled.with_rule(added, lane, Rule(every=1))).pulses[-1]) > len(Timeline(added).pulses[-1])
    assert accent_lanes.with_amount(added, lane, 9.0).accent_lanes[-1].amount == 2.0
    assert Timeline(ruled.with_muted(added, lane, True)).accent_lanes[-1].silent
    assert accent_lanes.without_lane(added, lane) == reel


def test_what_is_remembered_of_a_reel_is_what_is_worked_out_anew(reel: Reel) -> None:
    """Clips and pulses are worked out once for as long as what they follow from is the same. A copy of the reel shares
    nothing with it, so all of its timeline is worked out anew."""
    now, before, rng = reel, [reel], np.random.default_rng(7)
    for step in range(60):
        clip = now.clips[int(rng.integers(len(now.clips)))]
        mark = [m for m in points_of(now.soundtrack) if not m.locked][int(rng.integers(8, 16))]
        frames = timeline_of(now).frames
        try:
            match step % 6:
                case 0:
                    now = points.with_moved_point(now, mark.id, mark.time_s + float(rng.uniform(-0.05, 0.05)))
                case 1:
                    now = trim.with_split(now, [int(rng.integers(1, frames - 1))])
                case 2:
                    now = retiming.with_constant(now, [clip.id], float(rng.choice([-1.0, 0.5, 1.5])))
                case 3:
                    now = trim.with_slid(now, clip.id, int(rng.integers(-6, 7)))
                case 4:
                    now = trim.without_clips(now, [clip.id], ripple=bool(rng.integers(2)))
                case 5:
                    now = before[int(rng.integers(len(before)))]
        except TempikError:
            continue
        before.append(now)
        remembered, anew = timeline_of(now), Timeline(deepcopy(now))
        assert [p[:6] for p in remembered.placed] == [p[:6] for p in anew.placed]
        for one, other in zip(remembered.placed, anew.placed, strict=True):
            assert (one.ties, one.message) == (other.ties, other.message)
            assert shown_at(remembered, one, one.first) == pytest.approx(shown_at(anew, other, other.first), abs=1e-9)
        assert remembered.pulses == anew.pulses
    assert len(before) > 30
