"""Shapes on clips, what gives way, directions and one's own shapes: the core of the Speed page, without a window."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from tempik.edit.clips import pins as pin
from tempik.edit.clips import trim
from tempik.edit.song.points import nudged
from tempik.edit.speed import direction, speed
from tempik.errors import TempikError
from tempik.project import shapes as shape_library
from tempik.project.file import load_reel, save_reel
from tempik.reel import Clip, Cue, Curve, Edge, Footage, Node, Pin, Reel, Shaped, Soundtrack, SpeedShape
from tempik.reel.validate import curve_problems
from tempik.retime import READY, SlotAnchors, TimeMap, average_speed, constant, ready_shape, shaped_curve, speed_at
from tempik.retime.shaping import joined, with_changed_node, with_node, with_stretch, without_node
from tempik.rhythm.records import Analysis, Beat
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import Timeline

DIP = ready_shape("dip")
assert DIP is not None


def song() -> Soundtrack:
    """120 BPM from the reel's first frame: at 30 frames/s a beat every 15 frames."""
    beats = tuple(Beat(i / 2, 1.0, i // 4 + 1, i % 4 + 1, i / 2) for i in range(61))
    return Soundtrack("/s.wav", 30.0, heard=Analysis(30.0, 120.0, steady=True, beats=beats))


def one_clip(curve: Curve = Curve(), frames: int = 60, source_s: float = 4.0, length_s: float = 60.0) -> Reel:
    """A clip over frames 0 to 60 of a reel of 30 frames/s, on a minute of footage at 60, and one after it."""
    piece = Footage("f1", "/v/one.mp4", 1080, 1920, Fraction(60), length_s, has_sound=True)
    clips = (
        Clip("c1", "f1", Edge(0.0, "b0"), Edge(frames / 30), source_s, curve),
        Clip("c2", "f1", Edge(frames / 30), Edge(6.0), 20.0),
    )
    return Reel(length_s=10.0, soundtrack=song(), footage=(piece,), clips=clips)


def placed(reel: Reel, name: str = "c1") -> PlacedClip:
    found = Timeline(reel).placed_clip(name)
    assert found is not None
    return found


def shown(reel: Reel, name: str = "c1") -> list[float]:
    clip = placed(reel, name)
    return source_at_frames(clip, np.arange(clip.first, clip.end), reel.rate).tolist()


def cued(reel: Reel, frame: int, point: str) -> Reel:
    return pin.with_clip_cue_here(reel, "c1", frame, point)


# Curves


def test_a_node_put_on_a_straight_ramp_changes_nothing_and_can_be_taken_out_again() -> None:
    curve = Curve((Node(0, 2), Node(1, 1)))
    more, number = with_node(curve, 0.4)
    assert number == 1 and more.nodes[1].speed == pytest.approx(1.6)
    assert average_speed(more) == pytest.approx(1.5)
    assert without_node(more, 1) == curve


def test_a_node_stays_between_its_neighbours_and_within_the_limits() -> None:
    curve = Curve((Node(0, 1), Node(0.5, 2), Node(1, 1)))
    assert with_changed_node(curve, 1, at=7.0).nodes[1].at < 1
    assert with_changed_node(curve, 1, speed=-99).nodes[1].speed == -10


@pytest.mark.parametrize("soft", [0.0, 0.1])
def test_a_stretch_inside_a_clip_plays_at_its_own_speed(soft: float) -> None:
    curve = with_stretch(constant(1.0), 0.25, 0.75, 4.0, soft)
    assert list(curve_problems(curve, "it")) == []
    assert speed_at(curve, [0.1, 0.5, 0.9]) == pytest.approx([1, 4, 1])
    # Hard: 0.5·1 + 0.5·4; an S-shaped edge of a tenth costs (4 − 1)/2 of its length at either end.
    assert average_speed(curve) == pytest.approx(2.5 - (0.3 if soft else 0.0), abs=1e-5)


def test_joined_pieces_play_one_after_the_other() -> None:
    curve = joined([(1.0, constant(2.0)), (3.0, Curve((Node(0, 1), Node(1, 3)))), (1.0, constant(-1.0))])
    whole = TimeMap(curve, 5.0)
    assert [whole.source_at(t) for t in (1.0, 4.0, 5.0)] == pytest.approx([2.0, 8.0, 7.0], abs=2e-5)


# What gives way


def test_slot_source_and_speed_each_give_way() -> None:
    reel = one_clip()
    source = speed.with_constant(reel, ["c1"], 2.0)
    assert (placed(source).frames, speed.source_used(placed(source))) == (60, pytest.approx(4.0))
    slot = speed.with_constant(reel, ["c1"], 2.0, "slot")
    assert (placed(slot).frames, speed.source_used(placed(slot))) == (30, pytest.approx(2.0))
    assert placed(slot, "c2").first == 30  # what follows moves along
    kept = speed.with_curve(reel, "c1", Curve((Node(0, 4), Node(1, 2))), "speed")
    assert average_speed(placed(kept).curve) == pytest.approx(1.0) and placed(kept).frames == 60
    assert placed(kept).curve.nodes[0].speed == pytest.approx(2 * placed(kept).curve.nodes[1].speed)


def test_where_a_see_saw_has_no_average_to_keep_an_edit_does_not_freeze_it() -> None:
    reel = direction.with_see_saw(one_clip(), "c1", pieces=4)
    curve = with_changed_node(placed(reel).curve, 0, speed=2.0)
    changed = speed.with_curve(reel, "c1", curve, "speed")
    assert max(abs(n.speed) for n in placed(changed).curve.nodes) == pytest.approx(2.0)


def test_a_slot_that_a_neighbour_cuts_off_gives_way_from_its_own_length() -> None:
    reel = one_clip()
    covered = replace(reel, clips=(reel.clips[0], replace(reel.clips[1], start=Edge(1.0))))
    assert placed(covered).frames == 30
    slower = placed(speed.with_constant(covered, ["c1"], 0.5, "slot"))
    assert slower.until - slower.begin == 120


def test_exactly_this_long_keeps_the_footage_and_says_what_cannot_be() -> None:
    reel = speed.with_slot_frames(one_clip(), ["c1"], 24)
    # Common practice, speed to fit: 2.0 s into 0.8 s = 250 %.
    assert placed(reel).map.average_speed == pytest.approx(2.5)
    assert speed.source_used(placed(reel)) == pytest.approx(2.0)
    with pytest.raises(TempikError, match="1000 %; give it 6 frames or more"):
        speed.with_slot_frames(one_clip(), ["c1"], 5)
    assert speed.with_slot_frames(one_clip(), ["c1"], 6) != one_clip()


def test_footage_used_is_set_by_speed_or_by_slot() -> None:
    assert placed(speed.with_source_used(one_clip(), "c1", 1.0)).map.average_speed == pytest.approx(0.5)
    assert placed(speed.with_source_used(one_clip(), "c1", 1.0, "slot")).frames == 30
    with pytest.raises(TempikError, match="give it a speed first"):
        speed.with_source_used(one_clip(constant(0.0)), "c1", 1.0)


# Shapes


@pytest.mark.parametrize("shape", READY, ids=lambda s: s.name)
@pytest.mark.parametrize("amount", [0.0, 0.6, 1.0, 2.0])
def test_every_shape_fits_every_ground_within_the_limits(shape: SpeedShape, amount: float) -> None:
    grounds = {
        "clip": SlotAnchors(),
        "point": SlotAnchors(point=0.3),
        "pin": SlotAnchors(pin=0.0),
        "every": SlotAnchors(inside=(0.2, 0.41, 0.75)),
    }
    for align, anchors in grounds.items():
        curve = shaped_curve(Shaped(shape, 1.3, amount, align), anchors)  # type: ignore[arg-type]
        assert list(curve_problems(curve, f"{shape.name} {align}")) == []
        if amount <= 1 and all(n.speed > 0 for n in curve.nodes):
            assert average_speed(curve) == pytest.approx(1.3, abs=1e-4)  # as much footage as before


def test_no_amount_is_even_and_twice_is_steeper() -> None:
    flat, twice = (shaped_curve(Shaped(DIP, 1.0, a)) for a in (0.0, 2.0))
    assert speed_at(flat, np.linspace(0, 1, 9)) == pytest.approx(np.ones(9))
    # At twice the amount the share of fastest to slowest is squared: 8 becomes 64.
    assert twice.nodes[0].speed / twice.nodes[1].speed == pytest.approx(64)


def test_the_slow_moment_lies_on_the_point_and_follows_it() -> None:
    reel = speed.with_shape(one_clip(), ["c1"], DIP, align="point", near=43)
    slow = min(placed(reel).curve.nodes, key=lambda n: n.speed)
    assert slow.at * 60 == pytest.approx(45)  # beat 1.4, not the clip's middle
    moved = nudged(reel, ["b3"], 0.1)
    slow = min(placed(moved).curve.nodes, key=lambda n: n.speed)
    assert slow.at * 60 == pytest.approx(48)


def test_unless_told_otherwise_a_shape_is_slow_on_the_pin_of_the_clip() -> None:
    """It was laid on the middle of the clip, whatever landed where."""
    plain = one_clip()
    pinned = replace(
        plain,
        footage=(replace(plain.footage[0], cues=(Cue("q1", 4.5),)),),
        clips=(replace(plain.clips[0], pins=(Pin("q1", "b1"),)), plain.clips[1]),
    )
    reel = speed.with_shape(pinned, ["c1", "c2"], DIP, align=None)
    slow = min(placed(reel).curve.nodes, key=lambda n: n.speed)
    assert slow.at * 60 == pytest.approx(15) and placed(reel).ties[0].frame == 15
    assert [c.shaped.align for c in reel.clips if c.shaped is not None] == ["pin", "clip"]
    # A cue on the clip's own cut leaves it no room before: the whole shape is in the clip.
    on_cut = replace(pinned, clips=(replace(pinned.clips[0], pins=(Pin("q1", "b0"),)), plain.clips[1]))
    made = speed.with_shape(on_cut, ["c1"], DIP, align=None).clips[0].shaped
    assert made is not None and made.align == "clip"


def test_on_every_point_the_shape_plays_once_about_each() -> None:
    reel = speed.with_shape(one_clip(), ["c1"], DIP, align="every")
    slow = [round(n.at * 60) for n in placed(reel).curve.nodes if n.speed < 0.5]
    assert slow == [0, 15, 30, 45, 60]
    second = speed.with_shape(one_clip(), ["c1"], DIP, align="every", every=2)
    assert [round(n.at * 60) for n in placed(second).curve.nodes if n.speed < 0.5] == [0, 30, 60]


def test_ten_clips_take_a_shape_and_an_amount_in_one_step_and_keep_their_cues(reel: Reel) -> None:
    names = [c.id for c in reel.clips]
    shaped = speed.with_amount(speed.with_shape(reel, names, DIP, align="pin"), names, 0.5)
    for clip in Timeline(shaped).placed:
        assert clip.clip.shaped is not None and clip.clip.shaped.amount == 0.5
        for tie in clip.ties:
            shows = clip.map.source_at((tie.frame - clip.begin) / float(shaped.rate))
            assert shows == pytest.approx(tie.cue_s, abs=1e-9)


def test_a_shaped_clip_that_is_split_shows_what_it_showed() -> None:
    reel = speed.with_shape(one_clip(), ["c1"], DIP)
    halves = trim.with_split(reel, [25], ["c1"])
    names = [p.clip.id for p in Timeline(halves).placed if p.end <= 60]
    assert [s for n in names for s in shown(halves, n)] == pytest.approx(shown(reel), abs=1e-6)


def test_shapes_survive_the_project_file(tmp_path: Path) -> None:
    reel = speed.with_shape(one_clip(), ["c1"], DIP, 0.7, "every", 2)
    reel = speed.with_between(reel, ["c1"], "flow")
    save_reel(reel, tmp_path / "r.tempik")
    assert load_reel(tmp_path / "r.tempik").clips[0] == reel.clips[0]


# One's own shapes


def test_a_curve_is_kept_as_a_shape_written_read_and_used_again(tmp_path: Path) -> None:
    mine = shape_library.kept_shape(Curve((Node(0, 3), Node(0.3, 0.5), Node(1, 2))), "My kick", 0.3)
    assert shape_library.shape_named("My kick") == mine
    assert average_speed(Curve(mine.nodes)) == pytest.approx(1.0)
    shape_library.write_shape(mine, tmp_path / "kick.tempikshape")
    shape_library.removed("My kick")
    assert not shape_library.own_shapes()
    assert shape_library.added(shape_library.read_shape(tmp_path / "kick.tempikshape")) == mine


@pytest.mark.parametrize(
    ("content", "message"),
    [
        (b"nonsense", "is no shape"),
        (b'{"format": 9, "shape": {}}', "newer Tempik"),
        (b'{"format": 1, "shape": {"name": "x"}}', "is damaged"),
        (b'{"format": 1, "shape": {"name": "x", "nodes": []}}', "without nodes"),
        (b'{"format": 1, "shape": {"name": "x", "nodes": [{"at": 0, "speed": 0}]}}', "stands still"),
        (
            b'{"format": 1, "shape": {"name": "x", "nodes": [{"at": 0, "speed": 1}, {"at": 0, "speed": 2}]}}',
            "same time",
        ),
    ],
)
def test_files_that_are_no_shapes_are_refused_with_a_sentence(tmp_path: Path, content: bytes, message: str) -> None:
    (tmp_path / "x.tempikshape").write_bytes(content)
    with pytest.raises(TempikError, match=message):
        shape_library.read_shape(tmp_path / "x.tempikshape")


@pytest.mark.parametrize(("name", "message"), [("", "1 to 40 letters"), ("dip", "comes with"), ("×" * 99, "1 to 40")])
def test_names_that_cannot_be_had_are_refused(name: str, message: str) -> None:
    with pytest.raises(TempikError, match=message):
        shape_library.kept_shape(constant(1.0), name)


# Directions


def turning(frames: list[float], at: int) -> None:
    """The picture at a turn is shown once, and those on its two sides are the same."""
    assert frames[at - 1] == pytest.approx(frames[at + 1], abs=1e-4)
    assert abs(frames[at] - frames[at - 1]) == pytest.approx(abs(frames[at - 1] - frames[at - 2]), abs=1e-4)


def test_there_and_back_turns_on_the_frame_and_shows_its_picture_once() -> None:
    frames = shown(direction.with_there_and_back(one_clip(), "c1", 20))
    turning(frames, 20)
    assert frames[0] == 4.0 and frames[20] == pytest.approx(4 + 20 / 30) and frames[40] == pytest.approx(4.0, abs=1e-4)


def test_there_and_back_without_a_place_turns_on_the_point_nearest_the_middle() -> None:
    turning(shown(direction.with_there_and_back(one_clip(frames=64), "c1")), 30)


def test_a_rewind_goes_back_to_where_it_began_and_plays_on() -> None:
    frames = shown(direction.with_rewind(one_clip(), "c1", 10, 30, 2.0))
    assert frames[30] == pytest.approx(5.0) and frames[40] == pytest.approx(4 + 10 / 30, abs=1e-4)
    turns = np.sign(np.diff(frames))
    assert turns[:30].min() == 1 and turns[30:40].max() == -1 and turns[40:].min() == 1
    longer = direction.with_rewind(one_clip(), "c1", 10, 30, 2.0, longer=True)
    assert placed(longer).frames == 60 + 10 + 20
    assert shown(longer)[-1] == pytest.approx(4 + 59 / 30, abs=1e-4)  # nothing of it was lost


def test_a_see_saw_goes_over_the_same_footage_again_and_again() -> None:
    frames = shown(direction.with_see_saw(one_clip(), "c1", pieces=4))
    for at in (15, 30, 45):
        turning(frames, at)
    assert frames[15] == pytest.approx(frames[45], abs=1e-4) and frames[0] == pytest.approx(frames[30], abs=1e-4)


def test_a_see_saw_by_frames_may_end_on_a_piece_cut_short() -> None:
    frames = shown(direction.with_see_saw(one_clip(), "c1", frames=14))
    for at in (14, 28, 42, 56):
        turning(frames, at)
    with pytest.raises(TempikError, match="1 to 59 frames"):
        direction.with_see_saw(one_clip(), "c1", frames=60)


def test_a_see_saw_on_points_follows_them_with_the_cue_still_pinned() -> None:
    reel = direction.with_see_saw(cued(one_clip(), 15, "b1"), "c1", points=1)
    assert [round(t * 30) for t in placed(reel).map.turns()] == [15, 30, 45]
    moved = nudged(reel, ["b2"], 0.1)
    assert [round(t * 30) for t in placed(moved).map.turns()] == [15, 33, 45]
    for state in (reel, moved):
        (tie,) = placed(state).ties
        assert shown(state)[tie.frame] == pytest.approx(tie.cue_s, abs=1e-6)


def test_the_reel_swings_every_second_clip_backward_and_says_when_it_does_already(reel: Reel) -> None:
    swung = direction.with_swing(reel)
    ways = [np.sign(p.map.average_speed) for p in Timeline(swung).placed]
    assert ways == [(-1) ** i for i in range(len(ways))]
    with pytest.raises(TempikError, match="swings already"):
        direction.with_swing(swung)


def test_a_picture_is_held_inside_the_slot_and_goes_on_from_there() -> None:
    frames = shown(speed.with_hold(one_clip(), "c1", 20, 10))
    assert frames[20:31] == pytest.approx([frames[20]] * 11, abs=1e-5)
    assert frames[31] == pytest.approx(frames[20] + 1 / 30, abs=1e-4) and len(frames) == 60


def test_a_cue_stays_on_its_point_through_every_direction() -> None:
    reel = cued(one_clip(), 15, "b1")
    for changed in (
        direction.with_there_and_back(reel, "c1", 30),
        direction.with_rewind(reel, "c1", 10, 40, 3.0),
        direction.with_see_saw(reel, "c1", pieces=5),
        speed.with_reversed(reel, "c1"),
        speed.with_hold(reel, "c1", 20, 8),
        speed.with_stretch_speed(reel, "c1", 10, 40, 3.0, 4),
    ):
        (tie,) = placed(changed).ties
        assert tie.frame == 15 and shown(changed)[15] == pytest.approx(tie.cue_s, abs=1e-6)


# Bad input


@pytest.mark.parametrize(
    ("change", "message"),
    [
        (lambda r: direction.with_see_saw(r, "c1", pieces=1), "2 pieces or more"),
        (lambda r: direction.with_see_saw(r, "c1", points=9), "too few to turn on"),
        (lambda r: direction.with_rewind(r, "c1", 30, 90, 2.0), "not inside the clip"),
        (lambda r: direction.with_rewind(r, "c1", 10, 20, 0.0), "above 0"),
        (lambda r: direction.with_rewind(speed.with_constant(r, ["c1"], 0.0), "c1", 10, 20, 2.0), "stands still there"),
        (lambda r: speed.with_stretch_speed(r, "c1", 20, 20, 2.0), "stretch is empty"),
        (lambda r: speed.with_constant(r, ["c1"], 11.0), "beyond the limit"),
        (lambda r: speed.with_amount(r, ["c1"], 1.0), "no shape"),
        (lambda r: speed.with_hold(r, "c1", 70, 5), "not in the clip"),
        (lambda r: speed.with_slot_frames(r, ["c1"], 0), "One frame"),
    ],
)
def test_what_cannot_be_had_is_said_in_a_sentence(change: object, message: str) -> None:
    with pytest.raises(TempikError, match=message):
        change(one_clip())  # type: ignore[operator]


def test_a_clip_of_one_frame_takes_a_shape_and_refuses_a_direction() -> None:
    reel = one_clip(frames=1)
    assert len(shown(speed.with_shape(reel, ["c1"], DIP, align="every"))) == 1
    assert shown(speed.with_constant(reel, ["c1"], 0.0)) == [4.0]
    with pytest.raises(TempikError, match="one frame has no direction"):
        direction.with_there_and_back(reel, "c1")


def test_footage_shorter_than_the_slot_is_held_gone_round_or_refitted() -> None:
    reel = one_clip(source_s=1.0, length_s=2.0)
    short = placed(reel)
    assert short.short_after_s == pytest.approx(29 / 30)
    offers = {m.text: m.change for m in pin.mends(Timeline(reel), short)}
    assert {"slow it to 50 %", "go round the footage again", "cut off the 29 frames that stand still"} <= set(offers)
    round_ = offers["go round the footage again"](reel)
    assert placed(round_).short_after_s == 0 and shown(round_)[45] == pytest.approx(0.5)
    assert placed(offers["slow it to 50 %"](reel)).short_after_s == 0


def test_a_free_clip_is_not_moved_by_a_shape_and_a_still_is_left_out() -> None:
    reel = one_clip()
    still = replace(reel.footage[0], id="f2", kind="still")
    both = replace(reel, footage=(*reel.footage, still), clips=(reel.clips[0], replace(reel.clips[1], footage="f2")))
    shaped = speed.with_shape(both, ["c1", "c2"], DIP)
    assert shown(shaped)[0] == 4.0 and shaped.clips[1].shaped is None
    with pytest.raises(TempikError, match="A still has no speed"):
        speed.with_shape(both, ["c2"], DIP)
