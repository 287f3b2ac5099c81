"""Cutting by counted frames: what stays on screen shows what it showed, and edges that meet a point are that point."""

from fractions import Fraction
from itertools import groupby

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from examples import examples
from tempik.check import check_reel
from tempik.edit.clips import pieces, place, trim
from tempik.edit.clips import pins as pin
from tempik.edit.clips.slots import cleared, keep_locked, let_go, rippled, with_clips
from tempik.errors import TempikError
from tempik.reel import Clip, Cue, Curve, Edge, Footage, Node, Pin, Reel, Soundtrack, by_id
from tempik.reel.validate import problems
from tempik.retime import constant, ramp
from tempik.rhythm.records import Analysis, Beat
from tempik.timeline.covering import gaps
from tempik.timeline.placed_clip import source_at_frames
from tempik.timeline.timeline import Timeline

RATE = Fraction(30)


def song(bpm: float = 120.0, beats: int = 64, start_s: float = 0.0) -> Soundtrack:
    times = [0.5 + n * 60 / bpm for n in range(beats)]
    heard = Analysis(
        length_s=times[-1] + 2,
        tempo_bpm=bpm,
        beats=tuple(
            Beat(t, 1.0 if n % 4 == 0 else 0.5 + 0.1 * (n % 3), n // 4 + 1, n % 4 + 1, t) for n, t in enumerate(times)
        ),
    )
    return Soundtrack("/song.wav", heard.length_s, start_s=start_s, heard=heard)


def made(bpm: float = 120.0, curves: tuple[Curve, ...] = (), length_s: float = 16.0, rate: Fraction = RATE) -> Reel:
    """A reel of clips from beat to beat, four beats each, on one piece of footage of 60 frames/s."""
    track = song(bpm)
    piece = Footage("f1", "/a.mp4", 1920, 1080, Fraction(60), 60.0, cues=(Cue("q1", 20.0), Cue("q2", 21.3)))
    other = Footage("f2", "/b.mp4", 1080, 1920, Fraction(30), 40.0, cues=(Cue("q1", 9.0),))
    clips, n = [], 0
    while 0.5 + (n + 1) * 240 / bpm <= length_s:
        a, b = f"b{n * 4}", f"b{n * 4 + 4}"
        curve = curves[n % len(curves)] if curves else constant(1.0)
        clips.append(Clip(f"c{n + 1}", "f1", Edge(0, a), Edge(0, b), source_s=3.0 * n + 4, curve=curve))
        n += 1
    return Reel(rate=rate, length_s=length_s, soundtrack=track, footage=(piece, other), clips=tuple(clips))


def shown(reel: Reel) -> list[tuple[str, float] | None]:
    """What is on screen at each frame: the footage and its instant."""
    timeline = Timeline(reel)
    out: list[tuple[str, float] | None] = []
    for placed, run in groupby(range(timeline.frames), timeline.clip_at):
        frames = list(run)
        if placed is None:
            out += [None] * len(frames)
        else:
            out += [(placed.footage.id, float(s)) for s in source_at_frames(placed, frames, reel.rate)]
    return out


def same(a: list[tuple[str, float] | None], b: list[tuple[str, float] | None]) -> bool:
    return len(a) == len(b) and all(
        (x is None) == (y is None) and (x is None or y is None or (x[0] == y[0] and abs(x[1] - y[1]) < 1e-6))
        for x, y in zip(a, b, strict=True)
    )


SOFT = Curve((Node(0.0, 2.0, soft_out=0.6), Node(0.4, 0.25, soft_in=0.5, soft_out=0.5), Node(1.0, 3.0, soft_in=0.7)))
CURVES = (constant(1.0), ramp(2.0, 0.25), constant(-1.0), SOFT)


@pytest.mark.explore
@settings(max_examples=examples(60), deadline=None)
@given(st.lists(st.integers(16, 470), min_size=1, max_size=12), st.sampled_from([93.7, 120.0, 128.0]))
def test_splitting_anywhere_changes_nothing_on_screen(frames: list[int], bpm: float) -> None:
    reel = made(bpm, CURVES)
    before = shown(reel)
    try:
        cut = trim.with_split(reel, frames)
    except TempikError:
        return  # every frame was a cut already
    assert same(before, shown(cut)) and not problems(cut)
    again = trim.with_split_at_points(cut)
    assert same(before, shown(again))
    timeline = Timeline(again)
    begin = timeline.frame_of_point(timeline.points[0])
    on_points = {timeline.frame_of_point(q) for q in timeline.on_reel()}
    assert all(p.clip.start.point for p in timeline.placed if begin <= p.first and p.first in on_points)


def test_a_piece_cut_off_at_a_point_follows_that_point() -> None:
    reel = trim.with_split(made(), [45])  # frame 45 is beat 2 of bar 1 at 120 BPM: 1.5 s... the third beat's own frame
    piece = Timeline(reel).clip_at(45)
    assert piece is not None and piece.clip.start.point == "b2"
    free = Timeline(trim.with_split(made(), [47])).clip_at(47)
    assert free is not None and free.clip.start.point is None and free.first == 47


def test_what_is_before_the_playhead_goes_and_the_rest_closes_up_or_leaves_a_gap() -> None:
    reel = made(curves=CURVES)
    before = shown(reel)
    gap = shown(trim.without_before(reel, "c2", 100, ripple=False))
    assert gap[75:100] == [None] * 25 and same(gap[100:], before[100:]) and same(gap[:75], before[:75])
    closed = shown(trim.without_before(reel, "c2", 100, ripple=True))
    assert same(closed[:75], before[:75]) and same(closed[75 : len(before) - 25], before[100:])
    after = shown(trim.without_after(reel, "c2", 100, ripple=True))
    assert same(after[:100], before[:100]) and same(after[100 : len(before) - 35], before[135:])
    with pytest.raises(TempikError, match="playhead is not inside"):
        trim.without_before(reel, "c2", 300, ripple=True)


@pytest.mark.parametrize("frames", [1, 8, 10, 15, 40])
def test_clips_set_to_a_count_of_frames_have_exactly_that_many(frames: int) -> None:
    reel = made(128.0, CURVES)
    timeline = Timeline(trim.with_length(reel, ["c1", "c2", "c3", "c4"], frames))
    four = [timeline.placed_clip(f"c{n}") for n in (1, 2, 3, 4)]
    assert [p.frames for p in four if p] == [frames] * 4
    assert all(a.end == b.first for a, b in zip(four, four[1:], strict=False) if a and b)


def test_clips_set_to_beats_are_cut_each_on_its_own_beat_without_drift() -> None:
    # 128 BPM at 30 frames/s is 14.0625 frames a beat: adding 14 each time would be a frame early after 16 beats.
    reel = made(128.0, length_s=16.0)
    cut = trim.with_split_at_points(reel)
    names = [p.clip.id for p in Timeline(cut).placed]
    timeline = Timeline(trim.with_beats(cut, names, 2))
    for number, placed in enumerate(p for p in timeline.placed if p.until <= timeline.frames):
        exact = 0.5 + number * 2 * 60 / 128
        assert abs(placed.first / 30 - exact) <= 0.5 / 30 + 1e-9
        assert placed.clip.start.point == f"b{number * 2}"
        assert number > 8 or placed.frames in (28, 29)


def test_rolling_a_cut_moves_only_the_cut() -> None:
    reel = made(curves=CURVES)
    before = shown(reel)
    rolled = shown(trim.with_rolled_cut(reel, "c1", "c2", 90))
    assert same(rolled[:75], before[:75]) and same(rolled[90:], before[90:])
    assert rolled[80] is not None and before[74] is not None and rolled[80][1] > before[74][1]
    # Not past either neighbour: a frame of each stays.
    assert Timeline(trim.with_rolled_cut(reel, "c1", "c2", 999)).placed[1].frames == 1


def test_sliding_takes_the_same_footage_to_another_slot_between_its_neighbours() -> None:
    reel = made(curves=CURVES)
    before = shown(reel)
    slid = shown(trim.with_slid(reel, "c2", 15))
    assert same(slid[90:150], before[75:135]), "the clip shows what it showed, fifteen frames later"
    assert same(slid[:75], before[:75]) and same(slid[150:], before[150:])
    assert None not in slid[15:435], "neighbours give way without a gap"
    timeline = Timeline(trim.with_slid(reel, "c2", 15))
    moved = timeline.placed_clip("c2")
    assert moved is not None and moved.clip.start.point == "b5", "it stays on a beat where it meets one"


def test_slipping_shows_other_footage_in_the_same_slot_and_stays_within_the_file() -> None:
    reel = made()
    before = shown(reel)
    slipped = shown(trim.with_slipped(reel, ["c2"], 0.5))
    assert all(
        b and s and s[1] == pytest.approx(b[1] + 0.5) for b, s in zip(before[75:135], slipped[75:135], strict=True)
    )
    far = Timeline(trim.with_slipped(reel, ["c2"], 1e6)).placed_clip("c2")
    assert far is not None and far.short_after_s == 0
    early = Timeline(trim.with_slipped(reel, ["c2"], -1e6)).placed_clip("c2")
    assert early is not None and early.map.start_s == pytest.approx(0.0)


@pytest.mark.parametrize(("side", "frame"), [("end", 100), ("end", 170), ("start", 60), ("start", 100)])
def test_an_edge_dragged_trims_or_covers_its_neighbour(side: trim.Side, frame: int) -> None:
    reel = made(curves=CURVES)
    before = shown(reel)
    after = shown(trim.with_moved_edge(reel, "c2", side, frame))
    kept = range(75, 100) if (side, frame) == ("end", 100) else range(100 if frame == 100 else 75, 135)
    assert all(same([after[k]], [before[k]]) for k in kept)
    assert same(after[:60], before[:60]) and same(after[195:], before[195:])


def test_rippling_keeps_ties_where_there_are_beats_to_go_to() -> None:
    reel = made(128.0)
    moved = Timeline(rippled(reel, 0, 100, 28))  # two beats on, rounded
    later = [p for p in moved.placed if p.first > 100]
    assert later and all(p.clip.start.point for p in later)
    loose = Timeline(rippled(reel, 0, 100, 5))
    assert all(p.clip.start.point is None for p in loose.placed if p.first > 100)


def test_ties_that_a_change_loses_are_counted() -> None:
    reel = pin.with_pin(made(128.0), "c3", "q1", "b10")
    later = [c for c in reel.clips if c.id not in ("c1", "c2")]
    assert let_go(reel, rippled(reel, 0, 100, 5)) == len(later) + 1, "every beginning, and the pin"
    for same_ in (trim.with_split(reel, [97]), rippled(reel, 0, 100, 28), trim.without_clips(reel, ["c3"]), reel):
        assert let_go(reel, same_) == 0


def test_filling_gives_every_slot_a_clip_on_its_point() -> None:
    reel = replace(made(), clips=())
    for order in ("given", "shuffled", "strongest"):
        full = place.filled(reel, ["f1", "f2"], order, seed=3)  # type: ignore[arg-type]
        timeline = Timeline(full)
        assert gaps(timeline) == [] and not problems(full)
        for placed in timeline.placed[1:-1]:
            assert placed.clip.start.point and placed.ties and placed.ties[0].frame == placed.first
        assert check_reel(timeline).ok
        assert place.filled(reel, ["f1", "f2"], order, seed=3) == full, "the same seed makes the same reel"  # type: ignore[arg-type]
    given_, shuffled = (Timeline(place.filled(reel, ["f1", "f2"], o, seed=3)).placed for o in ("given", "shuffled"))  # type: ignore[arg-type]
    assert [p.footage.id for p in given_[:4]] == ["f1", "f2", "f1", "f2"]
    assert [p.footage.id for p in given_] != [p.footage.id for p in shuffled]


def test_filling_slows_short_footage_rather_than_leave_a_picture_standing() -> None:
    tail = Footage("f1", "/a.mp4", 1920, 1080, RATE, 2.0, cues=(Cue("q1", 1.6),))
    late = Footage("f2", "/b.mp4", 1920, 1080, RATE, 2.0, cues=(Cue("q1", 1.95),))
    reel = place.filled(replace(made(), footage=(tail, late), clips=()), ["f1", "f2"])
    timeline = Timeline(reel)
    assert all(not p.short_after_s and not p.short_before_s for p in timeline.placed)
    slowed = next(p for p in timeline.placed if p.footage.id == "f1" and p.ties)
    assert slowed.map.average_speed == pytest.approx(0.8), "0.4 s of footage in a slot of half a second"
    assert all(not p.ties for p in timeline.placed if p.footage.id == "f2")


def test_the_first_cue_goes_to_the_strongest_point() -> None:
    reel = replace(made(), clips=())
    timeline = Timeline(place.filled(reel, ["f2", "f1"], "strongest"))
    strongest = max(timeline.on_reel()[:-1], key=lambda p: (p.strength, -p.time_s))
    placed = timeline.clip_at(timeline.frame_of_point(strongest))
    assert placed is not None and (placed.footage.id, placed.ties[0].cue) == ("f2", "q1")


def test_a_clip_dropped_with_its_cue_on_a_point_lands_there_and_is_trimmed_around_it() -> None:
    reel = place.with_clip_on_point(made(), "f2", "q1", "b9")
    timeline = Timeline(reel)
    placed = next(p for p in timeline.placed if p.footage.id == "f2")
    assert (placed.clip.start.point, placed.clip.end.point) == ("b8", "b10")
    assert placed.map.source_at((placed.ties[0].frame - placed.begin) / 30) == pytest.approx(9.0, abs=1e-6)
    assert check_reel(timeline).ok and gaps(timeline) == gaps(Timeline(made()))
    # With little footage before the cue the clip begins later rather than on a still picture.
    short = replace(reel.footage[1], cues=(Cue("q1", 0.2),))
    reel = place.with_clip_on_point(replace(made(), footage=(reel.footage[0], short)), "f2", "q1", "b9")
    placed = next(p for p in Timeline(reel).placed if p.footage.id == "f2")
    assert placed.frames == 15 + 6 and placed.short_before_s == 0


def test_inserting_moves_what_follows_and_laying_over_does_not() -> None:
    reel = made(curves=CURVES)
    before = shown(reel)
    inserted = shown(place.with_clip_at(reel, "f2", 100, mode="insert", frames=20))
    assert same(inserted[:100], before[:100]) and same(inserted[120:], before[100:-20])
    assert inserted[100] is not None and inserted[100][0] == "f2"
    over = shown(place.with_clip_at(reel, "f2", 100, frames=20))
    assert same(over[:100], before[:100]) and same(over[120:], before[120:])


def test_swapping_footage_keeps_slot_speed_and_pin() -> None:
    reel = pin.with_pin(made(curves=(ramp(2.0, 0.5),)), "c2", "q1", "b6")
    swapped = place.with_swapped_footage(reel, ["c2"], "f2")
    old, new = by_id(reel.clips, "c2"), by_id(swapped.clips, "c2")
    assert old and new and (old.start, old.end, old.curve) == (new.start, new.end, new.curve)
    assert new.pins == (Pin("q1", "b6"),) and check_reel(Timeline(swapped)).ok


def test_both_blows_land_and_the_speed_between_them_follows() -> None:
    reel = pin.with_pin(made(), "c2", "q1", "b5")
    reel = pin.with_pin(reel, "c2", "q2", "b7", also=True)
    placed = Timeline(reel).placed_clip("c2")
    assert placed is not None and len(placed.ties) == 2
    for tie in placed.ties:
        assert placed.map.source_at((tie.frame - placed.begin) / 30) == pytest.approx(tie.cue_s, abs=1e-6)
    # 1.3 s of footage in the second between the two points: 130 %.
    assert float(placed.map.speed(0.75)[0]) == pytest.approx(1.3)
    assert check_reel(Timeline(reel)).ok
    # The tie outlives another tempo, another rate and another cue.
    for other in (replace(reel, rate=Fraction(24)), replace(reel, soundtrack=song(128.0))):
        assert check_reel(Timeline(other)).ok
    # A third that cannot be reached is said, with what it would take.
    third = replace(reel.footage[0], cues=(*reel.footage[0].cues, Cue("q3", 59.0)))
    far = pin.with_pin(replace(reel, footage=(third, reel.footage[1])), "c2", "q3", "b8", also=True)
    placed = Timeline(far).placed_clip("c2")
    assert placed is not None and "cannot be reached" in placed.message and "%" in placed.message
    mended = pin.mends(Timeline(far), placed)
    assert any(not m.change(far).clips[1].pins[2:] for m in mended)


def test_splitting_between_two_pins_keeps_what_is_on_screen() -> None:
    reel = pin.with_pin(pin.with_pin(made(), "c2", "q1", "b5"), "c2", "q2", "b7", also=True)
    before = shown(reel)
    cut = trim.with_split(reel, [105])
    assert same(before, shown(cut))
    assert sum(len(c.pins) for c in cut.clips) == 2 and check_reel(Timeline(cut)).ok


def test_what_a_pin_lacks_is_said_and_each_mend_mends_it() -> None:
    early = replace(made().footage[0], cues=(Cue("q1", 0.3),))
    reel = pin.with_pin(replace(made(), footage=(early, made().footage[1])), "c2", "q1", "b7")
    timeline = Timeline(reel)
    placed = timeline.placed_clip("c2")
    assert placed is not None
    # The point lies 45 frames into the slot, 1.5 s; only 0.3 s of footage come before the cue: 1.2 s missing.
    assert "not enough footage before its cue, 1.20 s missing" in pin.trouble(timeline, placed)
    mends = pin.mends(timeline, placed)
    assert len(mends) == 4 and mends[0].text == "slow it to 20 %"
    for mend in mends:
        mended = Timeline(mend.change(reel)).placed_clip("c2")
        assert mended is not None and mended.short_before_s == 0, mend.text
        assert mended.ties and check_reel(Timeline(mend.change(reel))).ok, mend.text


def test_pins_go_to_the_next_point_and_come_off_without_a_jump() -> None:
    reel = pin.with_pin(made(curves=(ramp(2.0, 0.5),)), "c2", "q1", "b5")
    on = pin.with_pins_moved(reel, ["c2"], 1)
    assert by_id(on.clips, "c2").pins[0].point == "b6"  # type: ignore[union-attr]
    assert pin.with_pins_moved(on, ["c2"], -1) == reel
    assert same(shown(reel), shown(pin.without_pins(reel, ["c2"])))
    two = pin.with_pin(reel, "c2", "q2", "b7", also=True)
    assert same(shown(two), shown(pin.without_pins(two, ["c2"])))


def test_a_frame_is_held_for_exactly_its_count_and_the_clip_goes_on_from_it() -> None:
    reel = made(curves=CURVES)
    before = shown(reel)
    held = shown(place.with_freeze(reel, "c2", 100, 12))
    assert same(held[:100], before[:100]) and same(held[112:], before[100:-12])
    assert all(same([held[k]], [before[100]]) for k in range(100, 112))
    over = shown(place.with_freeze(reel, "c2", 120, 15, insert=False))
    assert same(over[:120], before[:120]) and same(over[135:], before[135:])
    assert all(same([over[k]], [before[120]]) for k in range(120, 135))


def test_a_blank_lead_in_lasts_its_frames_and_is_black() -> None:
    reel = made()
    blank = place.with_solid(reel, 0, 33)  # 1.1 s at 30 frames/s
    timeline = Timeline(blank)
    assert timeline.placed[0].frames == 33 and timeline.placed[0].footage.path == "#000000"
    assert same(shown(blank)[33:], shown(reel)[:-33])
    again = place.with_solid(blank, 60, 10, insert=False)
    assert len([f for f in again.footage if f.kind == "solid"]) == 1 and not problems(again)


def test_repeats_overlaps_and_staircases_count_frames() -> None:
    reel = made(curves=CURVES)
    before = shown(reel)
    again = shown(pieces.repeated(reel, "c2", 2))
    assert (
        same(again[75:135], before[75:135])
        and same(again[135:195], before[75:135])
        and same(again[195:255], before[75:135])
    )
    names = [c.id for c in reel.clips[:4]]
    stairs = Timeline(pieces.staggered(reel, names, 7))
    starts = [p.begin for name in names if (p := stairs.placed_clip(name))]
    assert np.diff(starts).tolist() == [7, 7, 7]
    lapped = Timeline(pieces.overlapped(reel, names, 6))
    lengths = {p.clip.id: (p.begin, p.until) for p in lapped.placed}
    assert all(lengths[a][1] - lengths[b][0] == 6 for a, b in zip(names, names[1:], strict=False))
    with pytest.raises(TempikError, match="longer than a clip"):
        pieces.overlapped(reel, names, 60)


def test_copies_land_on_points_with_their_pins() -> None:
    reel = pin.with_pin(made(curves=CURVES), "c2", "q1", "b6")
    pasted, new = pieces.pasted(reel, pieces.copied(reel, ["c2"]), 195)
    clip = by_id(pasted.clips, new[0])
    assert (
        clip is not None and (clip.start.point, clip.end.point) == ("b12", "b16") and clip.pins == (Pin("q1", "b14"),)
    )
    assert check_reel(Timeline(pasted)).ok
    twice, more = pieces.duplicated_at_next_point(reel, ["c2"])
    assert same(shown(twice)[135:195], shown(reel)[75:135]) and len(more) == 1
    some = pieces.with_attributes(reel, reel.clips[1], ["c1", "c3"], ("speed",))
    assert some.clips[0].curve == some.clips[2].curve == reel.clips[1].curve


def test_a_group_goes_as_one() -> None:
    reel = pieces.grouped(made(), ["c1", "c3"])
    assert pieces.with_groups(reel, {"c1"}) == {"c1", "c3"}
    pasted, new = pieces.pasted(reel, pieces.copied(reel, ["c1", "c3"]), 255)
    groups = {c.group for c in pasted.clips if c.id in new}
    assert len(groups) == 1 and groups != {reel.clips[0].group}, "a copy is a group of its own"
    assert pieces.with_groups(pieces.ungrouped(reel, ["c1"]), {"c1"}) == {"c1"}


def test_a_clip_on_a_higher_row_lies_over_those_below_and_a_hidden_row_shows_nothing() -> None:
    reel = place.on_other_track(made(), ["c2"], 1)
    assert len(reel.tracks) == 2 and same(shown(reel), shown(made()))
    reel = place.with_clip_at(reel, "f2", 75, track=0, frames=60)
    assert shown(reel)[100][0] == "f1"  # type: ignore[index]
    assert shown(place.with_track(reel, 1, hidden=True))[100][0] == "f2"  # type: ignore[index]
    locked = place.with_track(reel, 1, locked=True)
    with pytest.raises(TempikError, match="Track 2 is locked"):
        keep_locked(locked, trim.without_clips(locked, ["c2"]))
    keep_locked(locked, trim.without_clips(locked, ["c1"]))
    with pytest.raises(TempikError, match="move them first"):
        place.without_track(reel, 1)


@pytest.mark.explore
@settings(max_examples=examples(40), deadline=None)
@given(st.integers(0, 400), st.integers(1, 80), st.integers(0, 1))
def test_clearing_a_stretch_leaves_the_rest_as_it_was(first: int, frames: int, track: int) -> None:
    reel = place.on_other_track(made(curves=CURVES), ["c3"], 1)
    before, after = Timeline(reel), Timeline(cleared(reel, track, first, first + frames))
    for k in range(before.frames):
        old, new = before.clip_at(k, track), after.clip_at(k, track)
        if first <= k < first + frames:
            assert new is None
        else:
            assert (old is None) == (new is None)
            if old is not None and new is not None:
                a, b = (source_at_frames(p, [k], RATE)[0] for p in (old, new))
                assert abs(float(a) - float(b)) < 1e-6


def test_footage_written_already_slowed_plays_at_its_true_speed() -> None:
    # 100 frames/s written as 25: one second of the reel as filmed takes four seconds of the file.
    slowed = replace(made().footage[0], rate=Fraction(25), read_rate=Fraction(100))
    reel = replace(made(), footage=(slowed, made().footage[1]))
    screen = shown(reel)
    assert screen[76] and screen[106] and screen[106][1] - screen[76][1] == pytest.approx(4.0)
    assert slowed.true_rate == 100 and float(reel.rate / slowed.true_rate) == 0.3
    pinned = pin.with_pin(reel, "c2", "q1", "b6")
    assert check_reel(Timeline(pinned)).ok and same(shown(trim.with_split(pinned, [99])), shown(pinned))


def test_a_timeline_built_from_what_is_remembered_is_the_same_as_one_built_afresh() -> None:
    reel = pin.with_pin(made(curves=CURVES), "c2", "q1", "b6")
    Timeline(reel)
    for changed in (
        trim.with_split(reel, [33, 99]),
        replace(reel, rate=Fraction(25)),
        replace(reel, soundtrack=song(100.0)),
        replace(reel, length_s=9.0),
        with_clips(reel, [], ["c1"]),
    ):
        built = Timeline(changed)
        copy = msgspec.convert(msgspec.to_builtins(changed, enc_hook=str), Reel, dec_hook=lambda kind, v: kind(v))
        afresh = Timeline(copy)
        assert [p[:6] for p in afresh.placed] == [p[:6] for p in built.placed]
        assert [p.map.start_s for p in afresh.placed] == [p.map.start_s for p in built.placed]
        assert afresh.on_reel() == built.on_reel() and afresh.pulses == built.pulses


def test_a_clip_dragged_into_the_middle_of_another_keeps_its_id_to_itself() -> None:
    """The part after it took the moved clip's id where that was the highest, and the project could not be opened again."""
    reel = made()
    last = max(reel.clips, key=lambda c: int(c.id[1:])).id
    timeline = Timeline(reel)
    placed, other = timeline.placed_clip(last), timeline.placed[1]
    assert placed is not None and other.frames > 40
    short = trim.with_length(reel, [last], 10, False)
    at = Timeline(short).placed_clip(last)
    assert at is not None
    moved = place.moved_to(short, [last], other.first + 20 - at.first)
    assert not problems(moved) and len({c.id for c in moved.clips}) == len(moved.clips) == len(reel.clips) + 1
    spans = [(p.clip.id, p.first, p.end) for p in Timeline(moved).placed if other.first <= p.first < other.end]
    assert [s[1:] for s in spans] == [
        (other.first, other.first + 20), (other.first + 20, other.first + 30), (other.first + 30, other.end)
    ] and spans[1][0] == last  # fmt: skip
