"""Transitions: the turn lands on the cut, both pictures go on beyond their slots, no border is ever seen, and two pictures become
one as the kind says."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from bench import drawn_motion
from bench.drawn_motion import Truth, write_piece
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from examples import examples
from media_files import numbered, write_video
from tempik.check import check_reel, check_rendered
from tempik.cli.main import main
from tempik.edit.clips import pieces, trim
from tempik.edit.clips.split_picture import with_split_picture
from tempik.edit.song.points import nudged
from tempik.edit.speed import speed
from tempik.edit.transitions import laying, mending
from tempik.edit.transitions.laying import TransitionPlace
from tempik.errors import TempikError
from tempik.media import Sound
from tempik.media.picture import Picture, from_rgb, solid, to_rgb
from tempik.project.file import load_reel, save_reel
from tempik.reel import Clip, ClipSound, Edge, Footage, Reel, Transition
from tempik.render import ExportSettings, PictureSource, export, plan
from tempik.render.clip_sound import clip_audio
from tempik.render.compose import Source, compose
from tempik.render.footage_sounds import transitions_of
from tempik.render.motion import motion_of, proposals_at
from tempik.render.plan import Pair
from tempik.retime import constant, ramp
from tempik.settings import Setting
from tempik.timeline.covering import overlaps
from tempik.timeline.placed_clip import source_at_frames
from tempik.timeline.timeline import Timeline
from tempik.timeline.transitions import progress_at, short_of
from tempik.transitions import CATALOGUE, EASES, about_turn, eased, fitted, halfway, new_transition
from tempik.transitions.matching import Motion, proposals
from tempik.transitions.mixing import dissolved_in_light, field_of, sharers
from test_closed_loop import RATES, make_reel
from unsound import refused_both_ways

W, H = 90, 160
EVERY = sorted(CATALOGUE)
MOVING = [n for n in EVERY if CATALOGUE[n].family in ("movement", "zoom") or n in ("slices", "hits")]


def footage(number: int, length_s: float = 10.0, **more: object) -> Footage:
    return Footage(f"f{number}", f"/nowhere/{number}.mp4", W, H, Fraction(60), length_s, **more)  # type: ignore[arg-type]


def joined(
    transition: Transition | None, rate: Fraction = Fraction(30), first_s: float = 3.0, **second: object
) -> Reel:
    """Two clips of two seconds that meet at 2 s, the second from 3 s of its footage on."""
    clips = (
        Clip("c1", "f1", Edge(0.0), Edge(2.0), source_s=first_s),
        Clip("c2", "f2", Edge(2.0), Edge(4.0), source_s=3.0, transition=transition, **second),  # type: ignore[arg-type]
    )
    return Reel(width=W, height=H, rate=rate, length_s=4.0, footage=(footage(1), footage(2)), clips=clips)


# The turn


@pytest.mark.explore
@given(
    st.sampled_from(EVERY),
    st.integers(1, 40),
    st.one_of(st.none(), st.floats(0, 1)),
    st.one_of(st.none(), st.tuples(*[st.floats(0, 1)] * 4)),
    st.sampled_from(RATES),
)
@settings(max_examples=examples(300), deadline=None)
def test_the_turn_is_on_the_cuts_own_frame(
    kind: str, frames: int, at: float | None, ease: tuple[float, float, float, float] | None, rate: Fraction
) -> None:
    timeline = Timeline(joined(Transition(kind, float(frames), at=at, ease=ease), rate))
    placed_transition, cut = timeline.transition_of("c2"), timeline.own_tracks[0][1].first
    assert placed_transition is not None and placed_transition.turn == cut and placed_transition.frames == frames
    assert placed_transition.begin <= cut <= placed_transition.end
    course = [progress_at(placed_transition, f + 0.5) for f in range(placed_transition.begin, placed_transition.end)]
    assert course == sorted(course) and all(0 <= p <= 1 for p in course)
    before, after = course[: cut - placed_transition.begin], course[cut - placed_transition.begin :]
    assert all(p <= 0.5 for p in before) and all(p >= 0.5 for p in after)
    if placed_transition.end > cut:
        assert progress_at(placed_transition, cut) == pytest.approx(0.5, abs=1e-6)


@pytest.mark.slow
@pytest.mark.parametrize("rate", RATES, ids=str)
def test_the_check_finds_the_turn_on_its_point(tmp_path: Path, rate: Fraction) -> None:
    reel = make_reel(tmp_path, 128, rate, 8.0)
    for frames in (3.0, 8.0, 15.0):
        laid = laying.laid(reel, laying.cuts(Timeline(reel)), Transition("push", frames), laying.TURNS)
        transitions = [e for e in check_reel(Timeline(laid)).events if e.kind == "transition"]
        assert len(transitions) >= 3 and all(e.ok and e.tied and abs(e.error_frames) <= 0.5 for e in transitions)


def test_a_curve_of_ease_is_that_of_its_handles() -> None:
    # The cubic Bézier curve worked out by itself: De Casteljau's construction at many parameters.
    for handles in (*EASES.values(), (0.1, 0.9, 0.3, 0.2)):
        x1, y1, x2, y2 = handles
        for t in np.linspace(0, 1, 41):
            points = np.array([(0, 0), (x1, y1), (x2, y2), (1, 1)], dtype=float)
            while len(points) > 1:
                points = points[:-1] * (1 - t) + points[1:] * t
            assert eased(points[0][0], handles) == pytest.approx(points[0][1], abs=6e-3)
        assert eased(halfway(handles), handles) == pytest.approx(0.5, abs=6e-3)
        assert about_turn(0.0, 3, 9, handles) == pytest.approx(0.5, abs=6e-3)


def test_a_length_in_beats_follows_the_beat(tmp_path: Path) -> None:
    reel = make_reel(tmp_path, 120, Fraction(30), 8.0)  # a beat is 15 frames
    reel = laying.laid(reel, laying.cuts(Timeline(reel)), Transition("dissolve", 0.5, "beats"))
    assert {s.wanted for s in Timeline(reel).transitions[0]} <= {7, 8}
    assert {s.wanted for s in Timeline(replace(reel, rate=Fraction(60))).transitions[0]} == {15}


# Beyond the slots


@pytest.mark.parametrize("curve", [constant(1.0), constant(-1.0), constant(0.5), ramp(2.0, 0.5), ramp(-0.5, -2.0)])
def test_both_clips_go_on_at_the_speed_of_their_edge(curve: object) -> None:
    reel = joined(Transition("dissolve", 12.0))
    reel = replace(reel, clips=tuple(replace(c, curve=curve, source_s=5.0) for c in reel.clips))
    timeline = Timeline(reel)
    placed_transition = timeline.transition_of("c2")
    assert placed_transition is not None and placed_transition.out is not None and placed_transition.into is not None
    after = source_at_frames(placed_transition.out, np.arange(59.0, 67.0), timeline.rate)
    before = source_at_frames(placed_transition.into, np.arange(53.0, 62.0), timeline.rate)
    edge_out = float(placed_transition.out.map.speed(2.0)[0]) / 30
    edge_in = float(placed_transition.into.map.speed(0.0)[0]) / 30
    assert np.diff(after[1:]) == pytest.approx(edge_out, abs=1e-9) and np.diff(before[:8]) == pytest.approx(
        edge_in, abs=1e-9
    )
    plain = Timeline(replace(reel, clips=tuple(replace(c, transition=None) for c in reel.clips)))
    for a, b in zip(timeline.placed, plain.placed, strict=True):
        assert (a.first, a.end, a.ties, a.map.start_s) == (b.first, b.end, b.ties, b.map.start_s)


def test_missing_frames_are_counted_and_said_and_there_is_a_picture_always() -> None:
    reel = joined(Transition("push", 10.0), first_s=8.0)  # the first clip ends with its footage
    timeline = Timeline(reel)
    placed_transition = timeline.transition_of("c2")
    assert placed_transition is not None and placed_transition.missing_out == 5 and placed_transition.missing_in == 0
    assert "1.mp4 lacks 5 frames after the cut" in short_of(placed_transition)[0]
    assert any("lacks 5 frames" in n for n in check_reel(timeline).notes)
    assert all(plan(timeline, f, W, H).layer_plans for f in range(placed_transition.begin, placed_transition.end))
    assert Timeline(joined(Transition("push", 10.0), first_s=7.9)).transition_of("c2").missing_out == 2  # type: ignore[union-attr]


@pytest.mark.parametrize("name", ["shorter", "move", "slip", "slow", "hold", "round"])
def test_each_mend_leaves_nothing_lacking(name: str) -> None:
    reel = joined(Transition("dissolve", 10.0), first_s=7.95)
    offered = {m.name: m for m in mending.mends(reel, TransitionPlace("c2"))}
    assert name in offered and offered[name].does
    timeline = Timeline(mending.mended(reel, TransitionPlace("c2"), name))
    placed_transition = timeline.transition_of("c2")
    assert placed_transition is not None and placed_transition.turn == 60 and not short_of(placed_transition)
    assert mending.mends(timeline.reel, TransitionPlace("c2")) == []


def test_a_pinned_clip_is_neither_slipped_nor_slowed(tmp_path: Path) -> None:
    reel = make_reel(tmp_path, 120, Fraction(30), 8.0)
    reel = laying.laid(reel, laying.cuts(Timeline(reel)), Transition("dissolve", 200.0))
    lacking = [at for at in laying.all_joined(reel) if mending.mends(reel, at)]
    assert lacking and not {m.name for at in lacking for m in mending.mends(reel, at)} & {"slip", "slow"}


# What lies beside


def test_two_transitions_that_meet_in_a_clip_each_get_their_share() -> None:
    reel = joined(Transition("dissolve", 40.0))
    short = Clip("c3", "f1", Edge(4.0), Edge(4.1), transition=Transition("dissolve", 8.0), source_s=1.0)
    last = Clip("c4", "f2", Edge(4.1), Edge(6.0), transition=Transition("dissolve", 8.0), source_s=1.0)
    timeline = Timeline(replace(reel, length_s=6.0, clips=(*reel.clips, short, last)))
    transitions = timeline.transitions[0]
    assert [s.turn for s in transitions] == [60, 120, 123]
    for a, b in zip(transitions, transitions[1:], strict=False):
        assert a.end <= b.begin
    assert transitions[1].end - 120 + 123 - transitions[2].begin == 3  # a clip of three frames has no more to give
    assert "of its 8 frames fit: the clips beside it are too short" in short_of(transitions[2])[0]
    assert fitted((4, 4), 1) in ((0, 1), (1, 0)) and fitted((6, 2), 4) == (3, 1) and fitted((2, 2), 9) == (2, 2)


def test_a_clip_of_one_frame_keeps_its_transition_and_its_frame() -> None:
    reel = joined(Transition("whip", 9.0))
    one = replace(reel.clips[1], end=Edge(2.0 + 1 / 30))
    timeline = Timeline(replace(reel, clips=(reel.clips[0], one)))
    placed_transition = timeline.transition_of("c2")
    assert placed_transition is not None and (placed_transition.turn, placed_transition.end) == (60, 61)


def test_beside_nothing_a_transition_fades_within_its_clip_and_at_the_reels_ends() -> None:
    fade = Transition("dissolve", 10.0)
    reel = joined(None)
    clips = (replace(reel.clips[0], transition=fade), replace(reel.clips[1], leave=fade))
    timeline = Timeline(replace(reel, clips=clips))
    first, last = timeline.transitions[0]
    assert (first.begin, first.end, first.out) == (0, 10, None) and (last.begin, last.end, last.into) == (
        110,
        120,
        None,
    )
    assert progress_at(first, 0.5) < 0.1 and progress_at(first, 9.5) > 0.9
    apart = replace(
        reel, clips=(reel.clips[0], replace(reel.clips[1], start=Edge(3.0), transition=replace(fade, at=1.0)))
    )
    placed_transition = Timeline(apart).transition_of("c2")
    assert placed_transition is not None and (placed_transition.begin, placed_transition.end) == (
        80,
        90,
    )  # it slides in before its slot, to be there in time
    assert Timeline(apart).layers_at(85)[0].placed_transition is placed_transition
    assert {e.kind for e in check_reel(Timeline(apart)).events} <= {"cut"}


def test_a_transition_that_this_version_does_not_know_is_kept_and_the_cut_is_hard(tmp_path: Path) -> None:
    reel = joined(Transition("from the future", 8.0, settings={"bend": 3.0}))
    save_reel(reel, tmp_path / "p.tempik")
    again = load_reel(tmp_path / "p.tempik")
    assert again.clips[1].transition == reel.clips[1].transition
    timeline = Timeline(again)
    assert not isinstance(plan(timeline, 60, W, H).layers[0], Pair)
    assert any("does not know the transition 'from the future'" in n for n in check_reel(timeline).notes)


@pytest.mark.parametrize(
    "transition",
    [Transition(length=0.0), Transition(length=700.0), Transition(at=1.5), Transition(amount=3.0), Transition(shutter_deg=400.0),
     Transition(ease=(0.0, -1.0, 1.0, 1.0)), Transition(settings={"x": float("nan")})],
)  # fmt: skip
def test_transitions_that_cannot_be_are_refused_with_a_sentence(transition: Transition, tmp_path: Path) -> None:
    if "x" not in transition.settings:
        refused_both_ways(joined(transition), tmp_path / "q.tempik", "transition")
    with pytest.raises(TempikError):
        laying.laid(joined(None), [TransitionPlace("c2")], transition)


# Editing


def test_a_clip_that_is_split_keeps_its_transition_at_its_own_start() -> None:
    reel = laying.laid(joined(None), [TransitionPlace("c2")], Transition("whip", 8.0))
    reel = laying.with_transitions(reel, {TransitionPlace("c2", True): Transition("dissolve", 6.0)})
    split = Timeline(trim.with_split(reel, [90]))
    assert [(c.clip.transition is not None, c.clip.leave is not None) for c in split.placed] == [
        (False, False), (True, False), (False, True),
    ]  # fmt: skip


def test_all_are_made_shorter_and_weaker_by_one_step_each() -> None:
    reel = laying.laid(joined(None), [TransitionPlace("c2")], Transition("zoom-in", 8.0))
    reel = laying.longer(reel, None, -2)
    reel = laying.with_amounts(reel, None, 0.5)
    transition = reel.clips[1].transition
    assert transition is not None and (transition.length, transition.amount) == (6.0, 0.5)
    assert laying.longer(reel, None, -50).clips[1].transition.length == 1.0  # type: ignore[union-attr]


def test_directions_go_by_turns_or_by_lot_with_a_seed(tmp_path: Path) -> None:
    reel = make_reel(tmp_path, 120, Fraction(30), 12.0)
    edges = laying.cuts(Timeline(reel))

    def ways(kind: str, how: str, seed: int = 0) -> list[str]:
        made = laying.laid(reel, edges, new_transition(kind), how, seed)
        return [laying.transition_at(made, at).direction for at in edges]  # type: ignore[union-attr]

    assert ways("push", laying.TURNS)[:4] == ["left", "right", "left", "right"]
    assert ways("push", laying.LOT, 3) == ways("push", laying.LOT, 3) != ways("push", laying.LOT, 4)
    assert ways("spin", laying.TURNS)[:2] == ["clockwise", "anticlockwise"] and set(ways("dissolve", "turns")) == {""}
    with pytest.raises(TempikError, match="no direction 'sideways'"):
        ways("push", "sideways")


def test_cuts_are_chosen_by_count_by_bar_and_by_drop(tmp_path: Path) -> None:
    reel = make_reel(tmp_path, 120, Fraction(30), 12.0)
    timeline = Timeline(reel)
    every = laying.cuts_on(timeline, "cuts")
    assert laying.cuts_on(timeline, "every:2") == every[1::2]
    assert laying.cuts_on(timeline, "downbeats") == every  # slots of four beats from a downbeat on
    moved = nudged(reel, [timeline.point(timeline.placed[1].clip.start.point).id], 0.3)  # type: ignore[union-attr]
    assert laying.cuts_on(Timeline(moved), "downbeats") == every  # a point that was moved is still its bar's first
    with pytest.raises(TempikError, match="names no cuts"):
        laying.cuts_on(timeline, "every:0")


def test_overlapped_clips_and_a_staircase_slide_from_alternating_sides() -> None:
    reel = joined(None)
    third = Clip("c3", "f1", Edge(4.0), Edge(6.0), source_s=1.0)
    reel = replace(reel, length_s=6.0, clips=(*reel.clips, third))
    names = ["c1", "c2", "c3"]
    for made, frames in ((pieces.overlapped(reel, names, 3), 3), (pieces.staggered(reel, names, 10), 3)):
        transitions = Timeline(made).transitions[0]
        assert [s.transition.direction for s in transitions] == ["left", "right"]
        assert all((s.begin, s.frames, s.transition.shutter_deg) == (s.turn, frames, 200.0) for s in transitions)
    assert len(overlaps(Timeline(pieces.overlapped(reel, names, 3)))) == 2


# Pictures


def grey(size: tuple[int, int], level: int) -> Picture:
    return solid(*size, level, 128, 128)


def two(timeline: Timeline, frame: int, out: Picture, into: Picture) -> Picture:
    """Return a composed frame with pictures in place of footage."""
    meant = plan(timeline, frame, W, H)
    given = [Source(out if s.path.endswith("1.mp4") else into) for s in meant.layer_plans]
    return compose(meant, given)


@pytest.mark.explore
@given(st.sampled_from(EVERY), st.data())
@settings(max_examples=examples(250), deadline=None)
def test_no_border_is_seen_in_any_frame_whatever_the_settings(kind: str, data: st.DataObject) -> None:
    made = CATALOGUE[kind]

    def value(setting: Setting) -> float | str:
        if setting.choices:
            return data.draw(st.sampled_from(setting.choices))
        return setting.default if isinstance(setting.default, str) else data.draw(st.floats(setting.low, setting.high))

    given_ = {s.name: value(s) for s in made.settings if s.kind != "colour"}
    if kind == "dip":
        given_["colour"] = "#a0a0a0"
    transition = Transition(
        kind,
        float(data.draw(st.integers(1, 20))),
        at=data.draw(st.one_of(st.none(), st.floats(0, 1))),
        direction=data.draw(st.sampled_from(made.directions)) if made.directions else "",
        amount=data.draw(st.floats(0, 2)),
        settings=given_ | ({"shade": 0.0} if kind.startswith("slide") else {}),
        seed=data.draw(st.integers(0, 99)),
        shutter_deg=data.draw(st.one_of(st.none(), st.floats(0, 360))),
    )
    timeline = Timeline(joined(transition))
    placed_transition = timeline.transition_of("c2")
    assert placed_transition is not None
    frame = data.draw(st.integers(placed_transition.begin, placed_transition.end - 1))
    y = two(timeline, frame, grey((W, H), 150), grey((W, H), 190)).y
    assert y.min() >= 146, (
        f"{kind} shows a border at frame {frame - placed_transition.turn} of {placed_transition.frames}"
    )


@pytest.mark.parametrize("kind", EVERY)
def test_a_transition_begins_with_the_one_picture_and_ends_with_the_other(kind: str) -> None:
    rng = np.random.default_rng(3)
    out, into = (from_rgb(rng.integers(0, 255, (H, W, 3)).astype(np.uint8)) for _ in range(2))
    timeline = Timeline(joined(replace(new_transition(kind), length=40.0)))
    placed_transition = timeline.transition_of("c2")
    assert placed_transition is not None and placed_transition.kind is not None
    around = [placed_transition.begin - 1, placed_transition.end]
    first, last = (two(timeline, f, out, into).y.astype(int) for f in around)
    assert (first == out.y).all() and (last == into.y).all()
    if kind != "hits":
        # One frame in forty is little of any way: what it begins and ends with is still nearer to its own picture.
        for frame, mine, other in ((placed_transition.begin, out, into), (placed_transition.end - 1, into, out)):
            y = two(timeline, frame, out, into).y.astype(int)
            assert np.abs(y - mine.y).mean() < np.abs(y - other.y).mean(), kind


def test_a_dissolve_in_light_is_that_of_bt_1886() -> None:
    """Against the formula in NumPy: light is the value to the power of 2.4 (Rec. ITU-R BT.1886), mixed, and back."""
    rng = np.random.default_rng(1)
    a, b = (from_rgb(rng.integers(0, 256, (40, 60, 3)).astype(np.uint8)) for _ in range(2))
    for share in (0.1, 0.5, 0.83):
        made = dissolved_in_light(a, b, share)
        x, y = (to_rgb(p).astype(np.float64) / 255 for p in (a, b))
        wanted = 255 * ((1 - share) * x**2.4 + share * y**2.4) ** (1 / 2.4)
        reference = from_rgb(np.round(wanted).astype(np.uint8))
        for plane, other in zip(made, reference, strict=True):
            assert np.abs(plane.astype(int) - other.astype(int)).max() <= 1
    # Half the light of white is 0.5^(1/2.4) of its value: 191, not 128.
    half = dissolved_in_light(from_rgb(np.zeros((8, 8, 3), np.uint8)), from_rgb(np.full((8, 8, 3), 255, np.uint8)), 0.5)
    assert abs(int(to_rgb(half)[4, 4, 0]) - 191) <= 1


@pytest.mark.parametrize(
    ("number", "name", "args", "inside", "outside"),
    [
        (1, "bar", ("right", 1.0), [(0.1, 0.5), (0.4, 0.1)], [(0.6, 0.5), (0.9, 0.9)]),
        (2, "bar", ("down", 1.0), [(0.5, 0.1), (0.1, 0.4)], [(0.5, 0.6), (0.9, 0.9)]),
        (101, "iris", ("box", "from the middle"), [(0.5, 0.5), (0.68, 0.68)], [(0.95, 0.5), (0.9, 0.9)]),
        (102, "iris", ("diamond", "from the middle"), [(0.5, 0.5), (0.85, 0.5)], [(0.85, 0.85), (0.02, 0.02)]),
        (119, "iris", ("circle", "from the middle"), [(0.5, 0.5), (0.9, 0.5), (0.5, 0.7)], [(0.5, 0.98), (0.02, 0.02)]),
        (201, "clock", ("clockwise", 12.0), [(0.75, 0.25), (0.75, 0.75)], [(0.25, 0.25), (0.25, 0.75)]),
        (202, "clock", ("clockwise", 3.0), [(0.75, 0.75), (0.25, 0.75)], [(0.25, 0.25), (0.75, 0.25)]),
        (203, "clock", ("clockwise", 6.0), [(0.25, 0.75), (0.25, 0.25)], [(0.75, 0.25), (0.75, 0.75)]),
        (204, "clock", ("clockwise", 9.0), [(0.25, 0.25), (0.75, 0.25)], [(0.75, 0.75), (0.25, 0.75)]),
    ],
)
def test_wipes_have_the_geometry_of_smpte_258m(
    number: int,
    name: str,
    args: tuple[float | str, ...],
    inside: list[tuple[float, float]],
    outside: list[tuple[float, float]],
) -> None:
    """Half way, by the descriptions of SMPTE 258M as W3C SMIL 2.0 lists them with their numbers (from memory): which
    places the new picture has taken."""
    size = (180, 320)
    share = sharers(field_of(name, args, size), 0.5, 0.0)
    for (x, y), wanted in [*((p, 255) for p in inside), *((p, 0) for p in outside)]:
        assert share[int(y * size[1]), int(x * size[0])] == wanted, (number, x, y)
    for progress in (0.1, 0.5, 0.9):  # the share of the frame that has turned is the progress
        assert sharers(field_of(name, args, size), progress, 0.0).mean() / 255 == pytest.approx(progress, abs=0.02)


# The exported file


def with_song_edits(reel: Reel) -> Reel:
    ways = [constant(0.5), constant(-1.0), ramp(2.0, 0.5), constant(1.0), ramp(-0.5, -1.5)]
    for number, clip in enumerate(reel.clips):
        reel = speed.with_curve(reel, clip.id, ways[number % len(ways)])
    return reel


@pytest.mark.film(sample="30000/1001")
@pytest.mark.parametrize("rate", RATES, ids=str)
def test_turns_land_in_the_exported_file(tmp_path: Path, rate: Fraction) -> None:
    """Every kind in turn, 3, 8 and 15 frames long, with ramps and reversed clips on either side."""
    reel = with_song_edits(replace(make_reel(tmp_path, 128, rate, 12.0), accent_lanes=()))
    edges = laying.cuts(Timeline(reel))
    names = [n for n in EVERY if n != "hits"]
    start = RATES.index(rate) * len(edges)
    transitions = {
        at: replace(new_transition(names[(start + n) % len(names)]), length=(3.0, 8.0, 15.0)[n % 3])
        for n, at in enumerate(edges)
    }
    reel = laying.with_transitions(reel, dict(transitions))
    export(Timeline(reel), tmp_path / "o.mp4", ExportSettings(quality="draft"))
    found = [e for e in check_rendered(Timeline(reel), tmp_path / "o.mp4").events if e.kind == "transition"]
    assert len(found) == len(edges)
    missed = [(e.what, e.measured_ms) for e in found if not e.ok or e.measured_ms is None]
    assert not missed


@pytest.mark.film
def test_a_file_whose_turns_come_late_is_caught(tmp_path: Path) -> None:
    reel = make_reel(tmp_path, 120, Fraction(30), 8.0)
    edges = laying.cuts(Timeline(reel))
    reel = laying.laid(replace(reel, accent_lanes=()), edges, new_transition("push"))
    late = replace(reel, clips=tuple(replace(c, start=_later(c.start, reel, n), end=_later(c.end, reel, n + 1))
                                     for n, c in enumerate(reel.clips)))  # fmt: skip
    export(Timeline(late), tmp_path / "o.mp4", ExportSettings(quality="draft"))
    found = [e for e in check_rendered(Timeline(reel), tmp_path / "o.mp4").events if e.kind == "transition"]
    assert found and all(not e.ok and e.measured_ms == pytest.approx(2000 / 30, abs=20) for e in found)


@pytest.mark.film
def test_the_cut_of_a_layer_beside_a_transition_is_not_measured_early(tmp_path: Path) -> None:
    """Half of the incoming picture of the track below is seen before the layer's own cut."""
    reel = make_reel(tmp_path, 120, Fraction(30), 8.0)
    names = [p.clip.id for p in Timeline(reel).placed]
    reel = with_split_picture(replace(reel, accent_lanes=()), names[1:3], "strips")
    reel = laying.laid(reel, laying.cuts(Timeline(reel)), Transition("push", 9.0))
    export(Timeline(reel), tmp_path / "o.mp4", ExportSettings(quality="draft"))
    found = check_rendered(Timeline(reel), tmp_path / "o.mp4").events
    assert {e.kind for e in found} >= {"cut", "transition"} and all(e.ok for e in found)
    assert any(e.kind == "cut" and e.frame == Timeline(reel).own_tracks[1][0].first for e in found)


def _later(edge: Edge, reel: Reel, number: int) -> Edge:
    return Edge(Timeline(reel).edge_s(edge) + (2 / 30 if number else 0.0))


def test_stills_solids_and_clips_of_other_sizes_and_rates_are_joined(tmp_path: Path) -> None:
    film = write_video(tmp_path / "a.mp4", numbered(160, 90), 60, 25)
    pieces_ = (
        Footage("f1", str(film), 160, 90, Fraction(25), 2.4),
        Footage("f2", "#3060a0", W, H, Fraction(30), 1.0, kind="solid"),
    )
    clips = (
        Clip("c1", "f1", Edge(0.0), Edge(1.0)),
        Clip("c2", "f2", Edge(1.0), Edge(2.0), transition=new_transition("whip")),
        Clip("c3", "f1", Edge(2.0), Edge(3.0), transition=new_transition("iris")),
    )
    reel = Reel(width=W, height=H, length_s=3.0, footage=pieces_, clips=clips)
    done = export(Timeline(reel), tmp_path / "o.mp4", ExportSettings(quality="draft"))
    assert done is not None and Timeline(reel).transition_of("c2").missing == 0  # type: ignore[union-attr]


# The motion


def shot(tmp_path: Path, truth: Truth, seed: int, number: int) -> Footage:
    path = write_piece(tmp_path / f"{number}.mp4", truth, seed)
    return Footage(f"f{number}", str(path), drawn_motion.W, drawn_motion.H, Fraction(30), 1.5)


@pytest.mark.slow
@pytest.mark.parametrize(
    ("truth", "kind", "way"),
    [
        (Truth("pan", "left", 0.6), "push", "left"),
        (Truth("pan", "down", 0.6), "push", "down"),
        (Truth("pan", "up right", 0.6), "whip", "up right"),
        (Truth("zoom", "in", 0.7), "zoom-in", ""),
        (Truth("zoom", "out", 0.7), "zoom-out", ""),
        (Truth("turn", "anticlockwise", 40.0), "spin", "anticlockwise"),
        (Truth("still", "", 0.0), "dissolve", ""),
        (Truth("still", "", 0.0, subject=True), "dissolve", ""),
    ],
)
def test_what_is_proposed_first_carries_the_drawn_motion_on(tmp_path: Path, truth: Truth, kind: str, way: str) -> None:
    pieces_ = (shot(tmp_path, truth, 70, 1), shot(tmp_path, truth, 71, 2))
    clips = (Clip("c1", "f1", Edge(0.0), Edge(1.0)), Clip("c2", "f2", Edge(1.0), Edge(2.0)))
    timeline = Timeline(Reel(width=540, height=960, length_s=2.0, footage=pieces_, clips=clips))
    with PictureSource() as source:
        first = proposals_at(timeline, "c2", source)[0]
    assert (first.kind, first.direction) == (kind, way) and first.why


def test_pictures_that_move_against_each_other_are_not_pushed() -> None:
    left, right = Motion(right=-0.5, trust=1.0), Motion(right=0.5, trust=1.0)
    assert proposals(left, right)[0].kind == "flash-through"
    assert "moves left" in proposals(left, right)[0].why
    assert proposals(left, Motion(trust=1.0))[0][:2] == ("push", "left")
    assert proposals(Motion(right=-0.5, trust=0.05), left)[0][:2] == ("push", "left")


@pytest.mark.slow
def test_a_reversed_clip_moves_the_other_way(tmp_path: Path) -> None:
    piece = shot(tmp_path, Truth("pan", "left", 0.6), 70, 1)
    clip = Clip("c1", "f1", Edge(0.0), Edge(1.0), source_s=1.2, curve=constant(-1.0))
    timeline = Timeline(Reel(width=540, height=960, length_s=1.0, footage=(piece,), clips=(clip,)))
    with PictureSource() as source:
        motion = motion_of(timeline, timeline.placed[0], True, source)
    assert motion.way == "right" and motion.right == pytest.approx(0.6, rel=0.1)


# The sound


@pytest.mark.slow
def test_the_clips_own_sounds_cross_with_equal_power() -> None:
    """Two unlike sounds of one power: through the transition their sum keeps it (sine and cosine, common practice)."""
    rng = np.random.default_rng(5)
    sounds = [Sound(rng.normal(0, 0.1, (10 * 48000, 2)).astype(np.float32), 48000) for _ in range(2)]
    reel = joined(Transition("dissolve", 20.0))
    timeline = Timeline(
        replace(reel, clips=tuple(replace(c, sound=ClipSound(on=True, pitch="follows")) for c in reel.clips))
    )
    whole = np.zeros((4 * 48000, 2))
    for placed, sound in zip(timeline.placed, sounds, strict=True):
        track = clip_audio(placed, sound, timeline.rate, 0.005, transitions_of(timeline, placed))
        a, b = max(track.first, 0), min(track.first + len(track.samples), len(whole))
        whole[a:b] += track.samples[a - track.first : b - track.first]
    power = (whole**2).mean(axis=1)
    begin, end = (round(f / 30 * 48000) for f in (50, 70))
    plain = power[10000 : begin - 1000].mean()
    for a in range(begin, end - 3200, 3200):
        assert power[a : a + 3200].mean() == pytest.approx(plain, rel=0.12)
    first = clip_audio(
        timeline.placed[0], sounds[0], timeline.rate, 0.005, transitions_of(timeline, timeline.placed[0])
    )
    assert abs(first.first + len(first.samples) - end) < 500 and not first.samples[end - first.first + 1 :].any()


# The command line


@pytest.mark.slow
def test_transitions_are_laid_listed_and_changed_from_the_command_line(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    reel = make_reel(tmp_path, 120, Fraction(30), 8.0)
    project = tmp_path / "p.tempik"
    save_reel(reel, project)

    def run(*words: str) -> list[str]:
        assert main(["transitions", str(project), *words]) == 0
        return capsys.readouterr().out.splitlines()

    run("--on", "cuts", "--kind", "push", "--direction", "turns", "--frames", "6")
    rows = run()
    assert rows[0] == "clip,kind,frames,first,turn_frame,end,point_s,error_ms" and len(rows) == 4
    assert rows[1].startswith("2,push,6,72,75,78,2.5") and abs(float(rows[1].split(",")[-1])) < 17
    run("--longer", "-2")
    run("--clips", "3", "--kind", "iris", "--set", "shape=diamond", "--ease", "sharp", "--at", "0.25")
    made = load_reel(project).clips
    third = next(c for c in made if c.id == Timeline(load_reel(project)).placed[2].clip.id).transition
    assert third is not None and (third.kind, third.settings, third.ease, third.at) == (
        "iris", {"shape": "diamond"}, EASES["sharp"], 0.25,
    )  # fmt: skip
    run("--on", "open", "--kind", "dissolve", "--frames", "10")
    assert [r.split(",")[1] for r in run()[1:]] == ["dissolve", "push", "iris", "push", "dissolve"]
    run("--keep", "Mine", "--clips", "3")
    run("--own", "Mine", "--clips", "2")
    assert run()[2].split(",")[1] == "iris"
    run("--remove")
    assert run() == ["clip,kind,frames,first,turn_frame,end,point_s,error_ms"]
    run("--staircase", "10", "--clips", "1-3")
    assert [s.transition.kind for s in Timeline(load_reel(project)).transitions[0]] == ["slide-over", "slide-over"]


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (["--kind", "warp"], "no transition named 'warp'"),
        (["--on", "somewhere", "--kind", "push"], "names no cuts"),
        (["--kind", "push", "--direction", "sideways"], "no direction 'sideways'"),
        (["--kind", "push", "--frames", "0"], "keep it above 0"),
        (["--kind", "push", "--set", "colour"], "NAME=VALUE"),
        (["--kind", "iris", "--set", "shape=star"], "'shape' is one of circle"),
        (["--kind", "push", "--ease", "0,1"], "no curve of ease"),
        (["--kind", "push", "--frames", "4", "--beats", "1"], "one of --frames and --beats"),
        (["--kind", "push", "--amount", "300"], "give 0 to 200"),
        (["--longer", "2"], "no transition here"),
        (["--mend", "hold"], "nothing to mend"),
        (["--copy-from", "99"], "no clip 99"),
        (["--own", "nothing"], "no transition of yours"),
        (["--overlap", "3"], "Which clips"),
    ],
)
def test_bad_words_get_one_sentence(
    words: list[str], message: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    save_reel(joined(None), tmp_path / "p.tempik")
    before = (tmp_path / "p.tempik").read_bytes()
    assert main(["transitions", str(tmp_path / "p.tempik"), *words]) == 2
    error = capsys.readouterr().err
    assert message in error and error.count("\n") == 1
    assert (tmp_path / "p.tempik").read_bytes() == before
