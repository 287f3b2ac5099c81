"""What a draft takes into account: footage seen as it is, the song as it is, what is kept, the order that is wished."""

import json
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from numpy.typing import NDArray

from examples import examples
from media_files import write_video
from tempik.check import check_reel
from tempik.cli.main import main
from tempik.edit.clips.nests import with_nest, with_nest_open
from tempik.edit.clips.place import with_new_track
from tempik.edit.clips.slots import clip_of
from tempik.edit.drafting.casting import CastingContext, agreement, cast
from tempik.edit.drafting.framing import framed
from tempik.edit.drafting.locking import clips_between, with_locked
from tempik.edit.drafting.make import DraftOptions, MoodDraft, draft_in_mood, drafted_anew, footage_for, with_strength
from tempik.edit.drafting.material import Chance, material_of, studies_of, unusable
from tempik.edit.drafting.moods import MOODS, Mood, mood_named, mood_problems
from tempik.edit.drafting.rhythm import slots_of
from tempik.edit.drafting.swap import swapped
from tempik.edit.drafting.why import why_clip, why_lane, why_reel, why_sound_lane, why_transition
from tempik.errors import TempikError
from tempik.media import STEP_S, Course, FootageStudy, Suggestion, study, upright
from tempik.project.file import load_reel, save_reel
from tempik.project.moods import any_mood, kept_mood, own_moods, read_mood, removed_mood, write_mood
from tempik.reel import AccentLane, Clip, Cue, Edge, Footage, PlannedShot, Reel, Rule, Soundtrack
from tempik.reel.points import points_of
from tempik.reel.validate import problems
from tempik.rhythm.records import Analysis, Onset, Section
from tempik.timeline.covering import gaps
from tempik.timeline.framing import frame_matrix
from tempik.timeline.timeline import Timeline
from test_moods import DROP_S, NONE, a_song, names, pieces

Picture = NDArray[np.uint8]
DRIVING = mood_named("driving")


def texture(width: int, height: int, seed: int = 3) -> Picture:
    """Blocks of grey by lot, so that the flow has something to hold on to."""
    dice = np.random.default_rng(seed)
    steps = dice.integers(40, 200, (height // 6 + 1, width // 6 + 1), dtype=np.uint8)
    return np.kron(steps, np.ones((6, 6), np.uint8))[:height, :width]


def as_rgb(grey: Picture) -> Picture:
    return np.repeat(grey[..., None], 3, axis=2)


def a_piece(path: Path, length_s: float, width: int = 320, height: int = 180, **more: object) -> Footage:
    return Footage(path.stem, str(path), width, height, Fraction(30), length_s, **more)  # type: ignore[arg-type]


# What is seen in footage: drawn, so that it is known


def moving_box(dx: float, dy: float, start: tuple[float, float] = (40, 40)) -> object:
    ground = texture(320, 180)

    def draw(number: int) -> Picture:
        image = ground.copy()
        x, y = round(start[0] + dx * number), round(start[1] + dy * number)
        image[y : y + 40, x : x + 40] = texture(40, 40, 9) // 2 + 120
        return as_rgb(image)

    return draw


@pytest.mark.parametrize(("dx", "dy", "way"), [(4, 0, (1, 0)), (-4, 0, (-1, 0)), (0, 2, (0, 1))])
def test_where_things_move_and_which_way_is_measured(
    dx: float, dy: float, way: tuple[int, int], tmp_path: Path
) -> None:
    start = (40.0 if dx >= 0 else 240.0, 40.0)
    write_video(tmp_path / "m.mp4", moving_box(dx, dy, start), 45, 30)  # type: ignore[arg-type]
    course = study(str(tmp_path / "m.mp4")).course
    mine = np.array([np.mean(course.across[1:6]), np.mean(course.down[1:6])])
    assert mine @ np.array(way) > 0.8 * np.hypot(*mine) > 0.02
    # The box's middle at a second: 30 frames on, 20 px into the box.
    at_x, at_y = (start[0] + dx * 30 + 20) / 320, (start[1] + dy * 30 + 20) / 180
    assert abs(course.x[4] - at_x) < 0.12 and abs(course.y[4] - at_y) < 0.12


def test_a_course_is_turned_as_its_picture_is() -> None:
    course = Course((1.0,), (0.5,), (5.0,), (0.9,), (0.2,), (1.0,), (0.0,), (0.0,))
    once = upright(course, 90)  # right becomes down, the right edge the bottom
    assert (once.across, once.down) == ((-0.0,), (1.0,)) and once.x == (0.8,) and once.y == (0.9,)
    assert upright(course, 360) == course and upright(upright(course, 90), 270).x == pytest.approx(course.x)


def test_what_is_blurred_or_knocked_about_is_left_out_and_said(tmp_path: Path) -> None:
    sharp = texture(360, 240)
    import cv2

    soft = np.asarray(cv2.GaussianBlur(sharp, (0, 0), 7), np.uint8)
    dice = np.random.default_rng(1)
    knocks = dice.integers(-16, 17, (200, 2))

    def draw(number: int) -> Picture:
        image = soft if 30 <= number < 60 else sharp  # the second second is out of focus
        dx, dy = knocks[number] if 90 <= number < 120 else (0, 0)  # the fourth is knocked about
        return as_rgb(image[30 + dy : 210 + dy, 20 + dx : 340 + dx])

    write_video(tmp_path / "s.mp4", draw, 150, 30)
    found = study(str(tmp_path / "s.mp4"))
    bad = unusable(found.course)
    assert list(np.flatnonzero(bad[1])) == [4, 5, 6, 7] and not bad[0].any()
    assert set(np.flatnonzero(bad[2])) <= {11, 12, 13, 14, 15, 16} and {13, 14} <= set(np.flatnonzero(bad[2]))
    piece = a_piece(tmp_path / "s.mp4", 5.0)
    material = material_of([piece], {"s": found})
    assert "1.0 s blurred" in material.notes[0] and "shaken, left out." in material.notes[0]
    assert all(not bad[:, int(c.time_s / STEP_S)].any() for c in material.chances)


@pytest.mark.slow
def test_a_ball_that_falls_before_a_plain_ground_is_not_taken_for_a_knock(tmp_path: Path) -> None:
    """The flow makes up what the ground does, and jumps as the ball does."""

    def draw(number: int) -> Picture:
        image = np.full((640, 360, 3), (32, 44, 60), np.uint8)
        fallen = (number % 25) / 25
        lanes, columns = np.ogrid[:640, :360]
        image[(lanes - 60 - 520 * fallen**2) ** 2 + (columns - 180) ** 2 < 30**2] = (250, 190, 60)
        return image

    write_video(tmp_path / "d.mp4", draw, 125, 25)
    assert not unusable(study(str(tmp_path / "d.mp4")).course)[2].any()


def test_a_steady_pan_is_not_taken_for_a_knock(tmp_path: Path) -> None:
    wide = texture(900, 180)
    write_video(tmp_path / "p.mp4", lambda n: as_rgb(wide[:, 4 * n : 4 * n + 320]), 120, 30)
    assert not unusable(study(str(tmp_path / "p.mp4")).course).any()


def test_a_piece_that_is_soft_or_shaky_throughout_is_as_it_was_meant() -> None:
    steps = 20
    soft = Course((0.2,) * steps, (0.5,) * steps, (1.0,) * steps, jerk=(0.0,) * steps)
    shaky = Course((0.2,) * steps, (0.5,) * steps, (5.0,) * steps, jerk=(0.03,) * steps)
    assert not unusable(soft).any() and not unusable(shaky).any()


# Whatever is brought


def stills(count: int) -> list[Footage]:
    return [Footage(f"s{n}", f"/s{n}.png", 800 + 100 * n, 900, Fraction(30), 5.0, kind="still") for n in range(count)]


@pytest.mark.slow
@names
@pytest.mark.parametrize(
    "what", ["one", "a hundred", "stills", "shorter than a beat", "all black", "all the same", "mixed"]
)
def test_a_reel_all_the_same_whatever_the_footage_is(mood: str, what: str) -> None:
    """No gap, nothing that stands still for want of footage, and of what there is a picture everywhere."""
    count = {"one": 1, "a hundred": 100}.get(what, 8)
    footage, studies = pieces(count, 0.3 if what == "shorter than a beat" else 12.0)
    if what == "stills":
        footage, studies = stills(5), {}
    elif what == "all black":
        studies = {
            k: v._replace(course=v.course._replace(light=(0.01,) * len(v.course.light))) for k, v in studies.items()
        }
    elif what == "all the same":
        studies = dict.fromkeys(studies, studies["f3"])
    elif what == "mixed":
        footage = [*footage[:3], *stills(2), replace(footage[4], length_s=0.3)]
    made = draft_in_mood(a_song(), footage, studies, DraftOptions(mood_named(mood)))
    timeline = Timeline(made.reel)
    assert check_reel(timeline).ok and not gaps(timeline)
    lacking = sum(p.short_before_s + p.short_after_s for p in timeline.placed)
    if what == "shorter than a beat":  # slowed as far as it looks like footage, then held
        assert lacking < 0.6 * made.reel.length_s and all(p.map.slowest >= 0 for p in timeline.placed)
    else:
        assert lacking < 1e-3
    if what == "all black":
        assert len(made.notes) == 8 and "all of it is black" in made.notes[0]
    if what == "a hundred":
        assert len({p.footage.id for p in timeline.placed}) == len(timeline.placed)
    if what != "one":
        assert all(a.footage.id != b.footage.id for a, b in pairwise(timeline.placed))


@pytest.mark.slow
@names
def test_a_song_of_six_minutes_is_drafted_whole_or_a_minute_of_it(mood: str) -> None:
    footage, studies = pieces(40)
    song = a_song(360.0)
    assert draft_in_mood(song, footage, studies, DraftOptions(mood_named(mood))).reel.length_s == 60.0
    whole = draft_in_mood(song, footage, studies, DraftOptions(mood_named(mood), length_s=360.0)).reel
    assert whole.length_s == 360.0 and not gaps(Timeline(whole)) and check_reel(Timeline(whole)).ok


def test_a_song_shorter_than_wanted_gives_a_shorter_reel_and_says_so() -> None:
    footage, studies = pieces()
    made = draft_in_mood(a_song(20.0), footage, studies, DraftOptions(DRIVING, length_s=45.0))
    assert made.reel.length_s == 20.0 and "The song has 20.0 s left there" in made.notes[0]
    with pytest.raises(TempikError, match=r"above 0\.5 s"):
        draft_in_mood(a_song(20.0), footage, studies, DraftOptions(DRIVING, length_s=0.2))


# Framing


@given(
    at_x=st.floats(0.0, 1.0),
    at_y=st.floats(0.0, 1.0),
    size=st.sampled_from([(320, 180), (180, 320), (300, 300), (1080, 1920)]),
)
def test_what_moves_is_brought_into_the_upright_frame_and_the_frame_stays_full(
    at_x: float, at_y: float, size: tuple[int, int]
) -> None:
    piece = Footage("f", "/f.mp4", *size, Fraction(30), 5.0)
    framing = framed(piece, (at_x, at_y), 1080, 1920)
    corners = frame_matrix(framing, piece, 1080, 1920) @ np.array([[0, 1, at_x], [0, 1, at_y], [1, 1, 1]])
    (left, right, x), (top, bottom, y) = corners[0], corners[1]
    assert left < 1 and top < 1 and right > 1079 and bottom > 1919  # no edge of the picture is seen
    assert -1 <= x <= 1081 and -1 <= y <= 1921
    if size == (320, 180) and 0.2 < at_x < 0.8:
        assert abs(x - 540) < 0.05 * 1080


def test_a_still_moves_in_slowly() -> None:
    still = Footage("s", "/s.png", 1000, 1000, Fraction(30), 5.0, kind="still")
    framing = framed(still, (0.5, 0.5), 1080, 1920)
    assert framing.end is not None and framing.end.zoom > framing.start.zoom == 1.0


def test_drafted_clips_keep_their_subject(tmp_path: Path) -> None:
    write_video(tmp_path / "m.mp4", moving_box(0.5, 0, (230, 60)), 90, 30)  # type: ignore[arg-type]
    footage = [a_piece(tmp_path / "m.mp4", 3.0)]
    made = draft_in_mood(a_song(), footage, studies_of(footage), DraftOptions(DRIVING, length_s=8.0))
    for placed in Timeline(made.reel).placed:
        x = (frame_matrix(placed.clip.framing, placed.footage, 1080, 1920) @ np.array([0.85, 0.45, 1]))[0]
        assert 0 <= x <= 1080  # in the middle of a wide picture's upright cut it would be lost


# Ways across cuts


def a_chance(piece: str, way_in: tuple[float, float], way_out: tuple[float, float] | None = None) -> Chance:
    record = Footage(piece, f"/{piece}.mp4", 320, 180, Fraction(30), 8.0)
    return Chance(record, 2.0, None, 1.0, "its impact", 0.5, (0.5, 0.5), way_in, way_out or way_in)


def test_ways_that_go_on_agree_and_those_across_do_not() -> None:
    right, left, down = a_chance("a", (1, 0)), a_chance("b", (-1, 0)), a_chance("c", (0, 1))
    carried, answered = mood_named("driving"), mood_named("hammer")
    assert agreement(right, right, carried) == 1 == agreement(right, left, answered)
    assert agreement(right, left, carried) == -1 and agreement(right, down, answered) == -1
    assert agreement(right, a_chance("d", (0, 0)), carried) == 0


def test_neighbours_are_chosen_so_that_movement_goes_on() -> None:
    """Half of the footage moves right, half of it left, alike in all else: drafted, most cuts go on the same way."""
    footage, studies = [], {}
    steps = int(8 / STEP_S)
    for n in range(16):
        footage.append(Footage(f"f{n}", f"/p{n}.mp4", 1080, 1920, Fraction(60), 8.0))
        way = 0.6 if n % 2 else -0.6
        course = Course(
            (0.5,) * steps,
            (0.5,) * steps,
            (6.0,) * steps,
            (0.5,) * steps,
            (0.5,) * steps,
            (way,) * steps,
            (0.0,) * steps,
            (0.0,) * steps,
        )
        studies[f"f{n}"] = FootageStudy((Suggestion(3.0, 1.0, "impact"),), NONE, course)
    slots = slots_of(a_song(), 0.0, 40.0, DRIVING, 1).slots[:16]

    def same(mood: Mood) -> float:
        chosen = cast(slots, material_of(footage, studies), mood, 1)
        ways = [c.chance.way_in[0] > 0 for c in chosen]
        return float(np.mean([a == b for a, b in pairwise(ways)]))

    assert same(DRIVING) > 0.8
    assert same(replace(DRIVING, flow="")) < 0.7


@names
@pytest.mark.parametrize("count", [4, 6, 12])
def test_no_piece_comes_to_and_fro_while_there_are_others(mood: str, count: int) -> None:
    footage, studies = pieces(count)
    kind = mood_named(mood)
    slots = slots_of(a_song(), 0.0, 40.0, kind, 1).slots
    shown = [c.chance.piece.id for c in cast(slots, material_of(footage, studies), kind, 1)]
    swings = sum(a == b for a, b in zip(shown, shown[2:], strict=False))
    assert swings <= (0.34 if count == 4 else 0.0) * len(shown)


def test_what_is_black_is_not_seen_before_or_after_what_is_shown() -> None:
    """Pieces of 6 s of which the first 2 and the last 1.5 are black, their blow right after the black: no drafted clip shows any."""
    footage, studies = [], {}
    steps = int(6 / STEP_S)
    light = tuple(0.02 if t < 2 / STEP_S or t >= 4.5 / STEP_S else 0.5 for t in range(steps))
    for n in range(8):
        footage.append(Footage(f"f{n}", f"/p{n}.mp4", 1080, 1920, Fraction(60), 6.0))
        course = Course((0.3 + 0.05 * n,) * steps, light, (6.0,) * steps)
        studies[f"f{n}"] = FootageStudy((Suggestion(2.3, 1.0, "impact"), Suggestion(4.2, 0.8, "stop")), NONE, course)
    for mood in MOODS:
        reel = draft_in_mood(a_song(), footage, studies, DraftOptions(mood)).reel
        assert check_reel(Timeline(reel)).ok
        for placed in Timeline(reel).placed:
            shown = placed.map.source(np.arange(placed.frames) / 30)
            assert shown.min() >= 2.0 - 0.06 and shown.max() <= 4.5 + 0.06, (mood.name, placed.clip.id)


@names
@pytest.mark.parametrize("seed", range(4))
def test_the_drop_has_the_best_there_is(mood: str, seed: int) -> None:
    """One piece has a blow of the user's own in fast movement: it is on the drop in every draw."""
    footage, studies = pieces(8)
    footage[6] = replace(footage[6], cues=(Cue("q1", 5.0, "the blow"),))
    reel = draft_in_mood(a_song(), footage, studies, DraftOptions(mood_named(mood), seed)).reel
    at = next(p for p in Timeline(reel).placed if p.first == round(DROP_S * 30))
    assert at.footage.id == "f6" and [p.cue for p in at.clip.pins] == ["q1"] and at.ties[0].frame == at.first


@pytest.mark.slow
@pytest.mark.parametrize("mood", ["driving", "hammer", "night walk"])
def test_the_opening_holds_who_looks(mood: str) -> None:
    """What a person marked in a calm piece opens a reel whose song begins calmly, and is not kept for somewhere in the middle."""
    opened = 0
    for seed in range(6):
        footage, studies = pieces(8)
        footage[1] = replace(footage[1], cues=(Cue("q1", 5.0, "the face"),))
        reel = draft_in_mood(a_song(), footage, studies, DraftOptions(mood_named(mood), seed)).reel
        opened += [p.cue for p in Timeline(reel).placed[0].clip.pins] == ["q1"]
    assert opened >= 5


@names
def test_stills_take_the_short_slots_while_films_wait(mood: str) -> None:
    footage, studies = pieces(8)
    reel = draft_in_mood(a_song(), [*footage, *stills(3)], studies, DraftOptions(mood_named(mood), 2)).reel
    of_stills, of_films = (
        [p.end - p.first for p in Timeline(reel).placed if (p.footage.kind == "still") == still]
        for still in (True, False)
    )
    assert of_stills and max(of_stills) <= max(of_films)
    assert np.mean(of_stills) <= max(2.5 * 30, np.mean(of_films)) and max(of_stills) <= 4.0 * 30


# Songs as they are


def attack_song(strengths: dict[float, float], length_s: float = 20.0) -> Soundtrack:
    onsets = tuple(Onset(t, s, "other") for t, s in sorted(strengths.items()))
    heard = Analysis(length_s, onsets=onsets, sections=(Section(0.0, length_s, 0.8, "middle"),))
    from tempik.assemble import soundtrack_from

    return soundtrack_from("/song.wav", heard)


@names
def test_a_song_without_beats_is_cut_on_its_strongest_attacks(mood: str) -> None:
    """Attacks by lot, some strong: every cut lies on one, and those are stronger than the others."""
    dice = np.random.default_rng(4)
    strengths = {
        float(t): float(dice.choice([0.2, 0.5, 0.95])) for t in np.cumsum(dice.uniform(0.15, 0.6, 60)) if t < 20
    }
    song = attack_song(strengths)
    footage, studies = pieces()
    made = draft_in_mood(song, footage, studies, DraftOptions(mood_named(mood)))
    timeline = Timeline(made.reel)
    assert check_reel(timeline).ok and not gaps(timeline) and "no steady beat" in made.notes[0]
    cuts = [p.clip.start for p in timeline.placed[1:]]
    on = [c for c in cuts if c.point is not None]
    assert len(on) >= 0.9 * len(cuts) > 0
    at = [strengths[min(strengths, key=lambda t: abs(t - e.time_s))] for e in on]
    assert np.mean(at) > np.mean(list(strengths.values()))


def test_a_song_with_neither_beats_nor_attacks_is_cut_evenly_and_said() -> None:
    footage, studies = pieces()
    made = draft_in_mood(attack_song({}), footage, studies, DraftOptions(DRIVING))
    assert not gaps(Timeline(made.reel)) and len(made.reel.clips) > 4
    assert "neither beats nor attacks" in made.notes[0]


def test_cuts_move_to_the_beats_that_count_where_bars_were_counted_wrong() -> None:
    """Every second beat is strong, but the first of the bar is not one of those: cuts every two beats go where it is strong."""
    song = a_song(drop=False)
    assert song.heard is not None
    weak_first = tuple(replace(b, strength=0.9 if b.beat % 2 == 0 else 0.3) for b in song.heard.beats)
    song = replace(song, heard=replace(song.heard, beats=weak_first, sections=(Section(0.0, 40.0, 0.6, "middle"),)))
    mood = replace(DRIVING, phrases=dict.fromkeys(DRIVING.phrases, ((2.0, 2.0),)), fill=False)
    slots = slots_of(song, 0.0, 40.0, mood, 0).slots
    strengths = {p.id: p.strength for p in points_of(song)}
    assert np.mean([strengths[s.start.point] > 0.5 for s in slots[1:] if s.start.point]) == 1.0


def test_a_section_ends_with_a_fill_and_the_drop_keeps_its_roll() -> None:
    mood = replace(DRIVING, phrases={"quiet": ((4.0, 4.0),), "middle": ((4.0,),), "full": ((4.0,),)}, roll=2.0)
    slots = slots_of(a_song(), 0.0, 40.0, mood, 0).slots
    before_change = [s.beats for s in slots if 4.0 <= s.start.time_s < 8.0]  # the quiet's last phrase
    assert before_change == [2, 2, 2, 2]
    assert [s.beats for s in slots if DROP_S - 1.0 <= s.start.time_s < DROP_S] == [0.5] * 4


@pytest.mark.slow
def test_another_draft_chooses_no_more_points_than_it_needs() -> None:
    footage, studies = pieces()
    reel = draft_in_mood(a_song(), footage, studies, DraftOptions(mood_named("hammer"), 0)).reel
    for seed in range(1, 6):
        reel = drafted_anew(reel, studies, draft_options_of(reel, "hammer", seed)).reel
        assert reel.soundtrack is not None and len(reel.soundtrack.choices) <= 14
    plain = drafted_anew(reel, studies, draft_options_of(reel, "still water", 0)).reel
    assert plain.soundtrack is not None and len(plain.soundtrack.choices) == 1
    assert {c.id for f in plain.footage for c in f.cues} <= {p.cue for c in plain.clips for p in c.pins}


# What is kept, where, and in which order


def draft_options_of(reel: Reel, mood: str, seed: int, **more: object) -> DraftOptions:
    start_s = reel.soundtrack.start_s if reel.soundtrack is not None else 0.0
    return DraftOptions(mood_named(mood), seed, start_s, reel.length_s, **more)  # type: ignore[arg-type]


@pytest.fixture(scope="module")
def first() -> MoodDraft:
    footage, studies = pieces()
    return draft_in_mood(a_song(), footage, studies, DraftOptions(DRIVING))


STUDIES = pieces()[1]


@pytest.mark.explore
@settings(max_examples=examples(40), deadline=None)
@given(
    mood=st.sampled_from([m.name for m in MOODS]), seed=st.integers(0, 99),
    numbers=st.sets(st.integers(0, 30), min_size=1, max_size=8),
)  # fmt: skip
def test_kept_clips_stay_whatever_is_drafted_around_them(
    first: MoodDraft, mood: str, seed: int, numbers: set[int]
) -> None:
    lane = [p.clip.id for p in Timeline(first.reel).placed]
    kept = {lane[n] for n in numbers if n < len(lane)}
    reel = with_locked(first.reel, kept)
    made = drafted_anew(reel, STUDIES, draft_options_of(reel, mood, seed)).reel
    for name in kept:
        now, then = clip_of(made, name), clip_of(reel, name)
        assert replace(now, transition=None) == replace(then, transition=None)
    timeline = Timeline(made)
    assert not gaps(timeline) and check_reel(timeline).ok
    assert all(b.first >= a.end for a, b in pairwise(timeline.placed))
    # No flicker is left beside what is kept, but for what a kept neighbour leaves no room for.
    assert all(p.frames >= 4 or p.clip.id in kept for p in timeline.placed)
    # Nor does a neighbour show the same footage.
    for a, b in pairwise(timeline.placed):
        assert a.footage.id != b.footage.id or {a.clip.id, b.clip.id} <= kept


@pytest.mark.explore
@settings(max_examples=examples(30), deadline=None)
@given(
    a=st.floats(0, 30), length=st.floats(2, 20), seed=st.integers(0, 99), mood=st.sampled_from([m.name for m in MOODS])
)
def test_over_a_stretch_all_else_stays(first: MoodDraft, a: float, length: float, seed: int, mood: str) -> None:
    reel = first.reel
    b = min(a + length, reel.length_s)
    made = drafted_anew(reel, STUDIES, draft_options_of(reel, mood, seed, over=(a, b))).reel
    before, after = Timeline(reel), Timeline(made)
    first_frame, end = round(a * 30), round(b * 30)
    for placed in before.placed:
        if placed.end <= first_frame or placed.first >= end:
            assert any(
                p.clip.footage == placed.clip.footage and p.first == placed.first and p.end == placed.end
                for p in after.placed
            )
    assert not gaps(after) and check_reel(after).ok
    assert made.length_s == reel.length_s and made.soundtrack is not None and made.look == reel.look
    if mood == "driving":
        assert made.accent_lanes == reel.accent_lanes  # the accents go on as they are


def test_another_mood_over_a_stretch_has_its_accents_there_alone(first: MoodDraft) -> None:
    reel = first.reel
    made = drafted_anew(reel, STUDIES, draft_options_of(reel, "hammer", 1, over=(20.0, 30.0))).reel

    def fires(of: Reel, accent: str, a: float, b: float) -> int:
        return sum(
            a <= p.frame / 30 < b for f in Timeline(of).accent_lanes if f.lane.accent == accent for p in f.pulses
        )

    assert fires(made, "kick", 20.0, 29.5) > 0 == fires(reel, "kick", 20.0, 29.5)
    assert fires(made, "punch", 20.0, 29.5) == 0 < fires(reel, "punch", 20.0, 29.5)
    for accent in ("punch", "shake", "flash", "kick"):
        assert fires(made, accent, 0.0, 19.5) == fires(reel, accent, 0.0, 19.5)


def test_a_shorter_draft_leaves_nothing_beyond_its_end(first: MoodDraft) -> None:
    made = drafted_anew(first.reel, STUDIES, DraftOptions(DRIVING, 1, 8.0, 12.0)).reel
    timeline = Timeline(made)
    assert timeline.frames == 360 and {p.clip.id for p in timeline.placed} == {c.id for c in made.clips}
    assert not check_reel(timeline).notes and not gaps(timeline)


def test_what_was_laid_by_hand_on_other_tracks_and_rows_stays(first: MoodDraft) -> None:
    reel = with_new_track(first.reel)
    over = Clip("c900", "f0", Edge(2.0), Edge(4.0), track=1)
    mine = AccentLane("r900", "split", Rule("bars"))
    reel = replace(reel, clips=(*reel.clips, over), accent_lanes=(*reel.accent_lanes, mine))
    made = drafted_anew(reel, STUDIES, draft_options_of(reel, "driving", 7)).reel
    assert clip_of(made, "c900") == over and mine in made.accent_lanes
    assert [r.accent for r in made.accent_lanes].count("flash") == 1  # the draft's own lanes are not doubled


def test_kept_rows_stay_and_are_not_doubled(first: MoodDraft) -> None:
    flash = next(r for r in first.reel.accent_lanes if r.accent == "flash")
    reel = replace(
        first.reel, accent_lanes=tuple(replace(r, amount=0.3) if r is flash else r for r in first.reel.accent_lanes)
    )
    reel = with_locked(reel, lanes=[flash.id])
    made = drafted_anew(reel, STUDIES, draft_options_of(reel, "driving", 3)).reel
    assert [r.amount for r in made.accent_lanes if r.accent == "flash"] == [0.3]
    sound = reel.sound_lanes[0]
    reel = with_locked(
        replace(reel, sound_lanes=tuple(replace(r, gain_db=-20.0) for r in reel.sound_lanes)), lanes=[sound.id]
    )
    made = drafted_anew(reel, STUDIES, draft_options_of(reel, "driving", 3)).reel
    assert [r.gain_db for r in made.sound_lanes if r.sounds == sound.sounds] == [-20.0]


def test_a_look_that_was_corrected_stays_with_the_same_mood(first: MoodDraft) -> None:
    assert first.reel.look is not None
    reel = replace(first.reel, look=replace(first.reel.look, exposure=0.5))
    assert drafted_anew(reel, STUDIES, draft_options_of(reel, "driving", 1)).reel.look == reel.look
    other = drafted_anew(reel, STUDIES, draft_options_of(reel, "sparks", 1)).reel.look
    assert other is not None and other.exposure != 0.5


def test_all_kept_or_a_locked_track_is_said(first: MoodDraft) -> None:
    reel = with_locked(first.reel, [c.id for c in first.reel.clips])
    with pytest.raises(TempikError, match="All clips there are locked"):
        drafted_anew(reel, STUDIES, draft_options_of(reel, "driving", 1))
    locked = replace(first.reel, tracks=(replace(first.reel.tracks[0], locked=True),))
    with pytest.raises(TempikError, match="Track 1 is locked"):
        drafted_anew(locked, STUDIES, draft_options_of(locked, "driving", 1))
    with pytest.raises(TempikError, match="too short"):
        drafted_anew(first.reel, STUDIES, draft_options_of(first.reel, "driving", 1, over=(2.0, 2.05)))


def test_nests_go_with_their_clips_and_stay_with_kept_ones(first: MoodDraft) -> None:
    lane = [p.clip.id for p in Timeline(first.reel).placed]
    reel, one = with_nest(first.reel, lane[2:4])
    reel, two = with_nest(reel, lane[6:8])
    reel = with_locked(reel, [one])
    made = drafted_anew(reel, STUDIES, draft_options_of(reel, "driving", 1)).reel
    assert clip_of(made, one).locked and [f.kind for f in made.footage].count("nest") == 1
    nests = {f.id for f in made.footage if f.kind == "nest"}
    assert [c.id for c in made.clips if c.footage in nests] == [one] and two != one
    assert not gaps(Timeline(made)) and problems(made) == []
    inside = with_nest_open(reel, one)
    with pytest.raises(TempikError, match="close the nest first"):
        drafted_anew(inside, STUDIES, draft_options_of(inside, "driving", 1))


def test_a_kept_nest_keeps_the_cues_that_its_clips_land_with(first: MoodDraft) -> None:
    lane = [p.clip.id for p in Timeline(first.reel).placed]
    for at in range(4, 12, 2):
        reel, nest = with_nest(first.reel, lane[at : at + 2])
        before = {(f.id, c.id): c.time_s for f in reel.footage for c in f.cues}
        for mood in ("still water", "driving"):
            made = drafted_anew(with_locked(reel, [nest]), STUDIES, draft_options_of(reel, mood, 3)).reel
            after = {(f.id, c.id): c.time_s for f in made.footage for c in f.cues}
            pins = [
                (c.footage, p.cue) for f in made.footage if f.nest is not None for c in f.nest.clips for p in c.pins
            ]
            assert pins and all(after.get(pin) == before[pin] for pin in pins) and problems(made) == []


def test_clips_of_a_stretch_are_found(first: MoodDraft) -> None:
    found = clips_between(first.reel, 16 * 30, 20 * 30)
    assert found and all(16 <= clip_of(first.reel, c).start.time_s < 20 for c in found)


@pytest.mark.parametrize("count", [5, 8, 40])
def test_footage_comes_in_its_order_where_that_is_wished(count: int) -> None:
    footage, studies = pieces(count)
    slots = slots_of(a_song(), 0.0, 40.0, DRIVING, 2).slots
    chosen = cast(slots, material_of(footage, studies), DRIVING, 2, CastingContext(ordered=True))
    ranks = [int(c.chance.piece.id[1:]) for c in chosen]
    assert all(a != b for a, b in pairwise(ranks))
    if count >= len(slots):
        assert ranks == sorted(ranks)
    else:
        due = np.linspace(0, count - 1, len(ranks))
        assert np.abs(np.array(ranks) - due).max() <= 1.5 and set(ranks) == set(range(count))


def test_the_shot_list_says_the_order() -> None:
    footage, studies = pieces(6)
    shots = tuple(PlannedShot(f"s{n}", f"shot {n}") for n in range(6))
    footage = [replace(f, shot=f"s{5 - n}") for n, f in enumerate(footage)]
    reel = Reel(soundtrack=a_song(), footage=tuple(footage), shots=shots, length_s=16.0)
    assert [f.id for f in footage_for(reel, True)] == [f"f{5 - n}" for n in range(6)]
    made = drafted_anew(reel, studies, DraftOptions(mood_named("still water"), length_s=16.0, ordered=True)).reel
    shown = [p.clip.footage for p in Timeline(made).placed]
    assert shown == sorted(shown, reverse=True) and made.draft is not None and made.draft.ordered


def test_pictures_with_clear_parts_and_overlays_are_not_drafted_with() -> None:
    footage, _ = pieces(3)
    logo = Footage("logo", "/l.png", 400, 400, Fraction(30), 5.0, kind="still", alpha=True)
    over = Clip("c1", "f2", Edge(0.0), Edge(2.0), track=1)
    reel = with_new_track(Reel(soundtrack=a_song(), footage=(*footage, logo), length_s=16.0))
    reel = replace(reel, clips=(over,))
    assert [f.id for f in footage_for(reel, False)] == ["f0", "f1"]
    assert [f.id for f in footage_for(replace(reel, footage=(logo,), clips=()), False)] == ["logo"]


# Strength after the fact, speed, and why


def test_strength_makes_all_of_it_calmer_or_wilder_but_what_is_kept(first: MoodDraft) -> None:
    ramped = [c for c in first.reel.clips if c.shaped is not None and c.shaped.align == "pin"]
    assert ramped
    reel = with_locked(first.reel, [ramped[0].id])
    calm, wild = with_strength(reel, DRIVING, 0.0), with_strength(reel, DRIVING, 2.0)
    assert (calm.amount, wild.amount) == (0.0, 2.0) and calm.draft is not None and calm.draft.strength == 0.0
    for clip in ramped[1:]:
        shapes = [clip_of(r, clip.id).shaped for r in (calm, reel, wild)]
        amounts = [s.amount if s is not None else 0.0 for s in shapes]
        assert amounts[0] < amounts[1] <= max(amounts[2], amounts[1])
    assert clip_of(wild, ramped[0].id).shaped == ramped[0].shaped
    for each in (calm, wild):
        assert check_reel(Timeline(each)).ok and all(
            p.short_before_s + p.short_after_s < 1e-3 for p in Timeline(each).placed
        )


@names
def test_no_clip_is_slower_than_its_footage_stays_clean_at(mood: str) -> None:
    footage, studies = pieces(8)
    footage = [replace(f, rate=Fraction(30 * 2 ** (n % 3))) for n, f in enumerate(footage)]
    reel = draft_in_mood(a_song(), footage, studies, DraftOptions(mood_named(mood))).reel
    for placed in Timeline(reel).placed:
        if placed.clip.shaped is not None and placed.clip.shaped.align == "pin":
            assert placed.map.slowest >= 30 / float(placed.footage.true_rate) - 0.02


def test_rare_effects_are_rare_and_apart() -> None:
    footage, studies = pieces(16)
    mood = mood_named("sparks")
    reel = draft_in_mood(a_song(120.0), footage, studies, DraftOptions(mood, 3, length_s=60.0)).reel
    odd = [
        n
        for n, p in enumerate(Timeline(reel).placed)
        if p.clip.shaped is not None and p.clip.shaped.shape.name == "see-saw"
    ]
    assert 1 <= len(odd) <= 0.2 * len(reel.clips) and all(b - a >= 4 for a, b in pairwise(odd))


def test_why_is_told_of_what_was_corrected_too(first: MoodDraft) -> None:
    reel = first.reel
    clip = next(c for c in reel.clips if c.pins)
    assert "for its impact" in why_clip(reel, clip.id, STUDIES)
    mine = replace(
        reel,
        footage=tuple(
            replace(f, cues=(Cue("q90", 5.0, "the blow"),)) if f.id == clip.footage else f for f in reel.footage
        ),
    )
    mine = replace(
        mine,
        clips=tuple(replace(c, pins=(replace(c.pins[0], cue="q90"),)) if c.id == clip.id else c for c in mine.clips),
    )
    assert "for the cue the blow" in why_clip(mine, clip.id, STUDIES)
    flash = next(r for r in reel.accent_lanes if r.accent == "flash")
    assert why_lane(reel, flash) == "Flash on the drops alone, which should have the most: the mood 'driving' has it."
    assert "laid by hand" in why_lane(reel, AccentLane("r99", "split", Rule("cuts")))
    assert "where the song is loud" in why_lane(reel, next(r for r in reel.accent_lanes if r.accent == "shake"))
    drop = next(p.clip for p in Timeline(reel).placed if p.first == round(DROP_S * 30))
    assert why_transition(reel, drop.id) == "This cut is hard: the song drops here."
    joined = [c for c in reel.clips if c.transition is not None]
    assert all("section changes here" in why_transition(reel, c.id) for c in joined)
    with pytest.raises(TempikError, match="no longer"):
        why_clip(reel, "c999", STUDIES)
    impact = next(r for r in reel.sound_lanes if r.sounds == ("impact",))
    assert why_sound_lane(reel, impact) == "Impact on the drops: the mood 'driving' has it."
    assert why_reel(reel).startswith(
        "Drafted by the mood 'driving' (draw 1): on the beat"
    ) and "the look Embers" in why_reel(reel)
    assert "begins where the song is quiet" in why_reel(reel) and why_reel(replace(reel, draft=None)) == ""


@pytest.mark.explore
@settings(max_examples=examples(10), deadline=None)
@example(length=0.3, number=7, mood="night walk")  # what a draft had put at a middle counted for more than a middle
@given(
    length=st.sampled_from([0.3, 0.8, 2.0, 5.0, 12.0]),
    number=st.integers(0, 20),
    mood=st.sampled_from([m.name for m in MOODS]),
)
def test_what_else_a_clip_could_show_is_gone_through_once_round(length: float, number: int, mood: str) -> None:
    """Each press shows another, and after the last comes the first, however short the footage is."""
    footage, studies = pieces(5, length)
    reel = draft_in_mood(a_song(), footage, studies, DraftOptions(mood_named(mood))).reel
    lane = Timeline(reel).placed
    clip = lane[number % len(lane)].clip.id
    reel, _, first, whole = swapped(reel, clip, studies, 1)
    at = [first]
    for _ in range(whole):
        reel, _, number, count = swapped(reel, clip, studies, 1)
        at.append(number)
        assert count == whole and check_reel(Timeline(reel)).ok
    assert at == [(first - 1 + n) % whole + 1 for n in range(whole + 1)]


@pytest.mark.parametrize("number", [0, 4, 8])
def test_what_would_play_far_too_slow_is_offered_last(number: int) -> None:
    """The best instants of some footage are right before it ends: a clip about them shows every frame several times."""
    footage = [replace(f, rate=Fraction(30)) for f in pieces(4, 9.0)[0]]
    studies = {
        f.id: s._replace(
            cues=(Suggestion(8.85, 1.2, "impact"), Suggestion(0.05, 1.2, "impact"), Suggestion(4.0, 0.5, "rest"))
        )
        for f, s in zip(footage, pieces(4, 9.0)[1].values(), strict=True)
    }
    reel = draft_in_mood(a_song(), footage, studies, DraftOptions(DRIVING)).reel
    clip = max(Timeline(reel).placed, key=lambda p: (p.first >= number * 30, p.end - p.first)).clip.id
    slowest = {}
    for _ in range(12):
        reel, _, place, _ = swapped(reel, clip, studies, 1)
        placed = Timeline(reel).placed_clip(clip)
        assert placed is not None
        slowest[place] = placed.map.slowest
    in_order = [slowest[n] < 0.7 for n in sorted(slowest)]
    assert in_order == sorted(in_order) and not in_order[0]


# Moods of one's own


def test_ready_moods_have_nothing_wrong_and_broken_ones_are_told() -> None:
    assert [list(mood_problems(m)) for m in MOODS] == [[]] * len(MOODS) and len(MOODS) >= 6
    for change, message in (
        ({"hold": 0.0}, "hold of 0"), ({"shape": "wobble"}, "the shape 'wobble'"), ({"look": "Neon"}, "the look 'Neon'"),
        ({"phrases": {**DRIVING.phrases, "quiet": ((0.3,),)}}, "whole beats and halves"), ({"phrases": {}}, "no lengths of cuts"),
        ({"fires": (replace(DRIVING.fires[0], accent="boom"),)}, "the accent 'boom'"), ({"roll": 1.5}, "no whole number"),
    ):  # fmt: skip
        assert any(message in p for p in mood_problems(replace(DRIVING, **change))), message


def test_a_mood_of_ones_own_is_kept_changed_drafted_by_and_taken_away(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("TEMPIK_STATE", str(tmp_path / "state"))
    mine = kept_mood(replace(DRIVING, hold=4.0, does="mine"), "Open day")
    assert own_moods() == [mine] and any_mood("open day") == mine
    write_mood(mine, tmp_path / "m.tempikmood")
    assert read_mood(tmp_path / "m.tempikmood") == mine
    footage, studies = pieces()
    made = draft_in_mood(a_song(), footage, studies, DraftOptions(mine))
    at = next(p for p in Timeline(made.reel).placed if p.first == round(DROP_S * 30))
    assert at.frames == 60 and made.reel.draft is not None and made.reel.draft.mood == "Open day"
    removed_mood("Open day")
    with pytest.raises(TempikError, match="There is no mood 'Open day'; choose from still water"):
        any_mood("Open day")
    with pytest.raises(TempikError, match="comes with Tempik"):
        kept_mood(mine, "driving")
    document = json.loads((tmp_path / "m.tempikmood").read_text())
    document["mood"]["ramp"] = 9.0
    (tmp_path / "m.tempikmood").write_text(json.dumps(document))
    with pytest.raises(TempikError, match=r"m\.tempikmood has a ramp of 9; keep it between 0 and 2"):
        read_mood(tmp_path / "m.tempikmood")
    (tmp_path / "m.tempikmood").write_text("{}")
    with pytest.raises(TempikError, match="no mood"):
        read_mood(tmp_path / "m.tempikmood")


# From the command line


def ran(capsys: pytest.CaptureFixture[str], *arguments: object, code: int = 0) -> tuple[str, str]:
    assert main([str(a) for a in arguments]) == code
    message = capsys.readouterr()
    return message.out, message.err


@pytest.mark.film
def test_stretches_are_proposed_and_taken(media: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    out, _ = ran(capsys, "draft", "--song", media / "song.wav", "--length", 8, "--stretches")
    lines = out.splitlines()
    assert (
        lines[0] == "stretch,from_s,length_s,why"
        and lines[1].startswith("1,")
        and lines[-1].startswith("arranged,0.000,")
    )
    common = (
        "draft",
        "--song",
        media / "song.wav",
        "--footage",
        media / "a.mp4",
        media / "b.mp4",
        "--mood",
        "driving",
        "--length",
        8,
    )
    ran(capsys, *common, "--stretch", 1, "-o", tmp_path / "one.tempik")
    reel = load_reel(tmp_path / "one.tempik")
    start, length = (float(v) for v in lines[1].split(",")[1:3])
    assert reel.soundtrack is not None and reel.soundtrack.start_s == pytest.approx(start, abs=1e-3)
    assert reel.length_s == pytest.approx(length, abs=1e-3)
    ran(capsys, *common, "--stretch", "arranged", "-o", tmp_path / "two.tempik")
    arranged = load_reel(tmp_path / "two.tempik")
    assert (
        arranged.soundtrack is not None and len(arranged.soundtrack.pieces) >= 2 and abs(arranged.length_s - 8) <= 1.01
    )
    assert check_reel(Timeline(arranged)).ok and not gaps(Timeline(arranged))
    _, err = ran(capsys, *common, "--stretch", 9, "-o", tmp_path / "x.tempik", code=2)
    assert "There is no stretch '9'" in err and not (tmp_path / "x.tempik").exists()


@pytest.mark.film
def test_a_project_is_drafted_anew_kept_swapped_and_asked(
    media: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    project = tmp_path / "r.tempik"
    ran(
        capsys,
        "draft",
        "--song",
        media / "song.wav",
        "--footage",
        *(media / f"{n}.mp4" for n in "abc"),
        "--mood",
        "driving",
        "-o",
        project,
    )
    before = load_reel(project)
    lane = [p.clip.id for p in Timeline(before).placed]
    ran(capsys, "draft", project, "--lock", "clips:2-3", "--lock", "lanes:1")
    kept = load_reel(project)
    assert [c.id for c in kept.clips if c.locked] == lane[1:3] and kept.accent_lanes[0].locked
    ran(capsys, "draft", project, "--seed", 5)
    again = load_reel(project)
    assert all(clip_of(again, c) == clip_of(kept, c) for c in lane[1:3]) and again.clips != kept.clips
    ran(capsys, "draft", project, "--mood", "still water", "--over", "8-12")
    _, err = ran(capsys, "draft", project, "--swap", "1=2")
    assert ", for " in err and load_reel(project).clips != again.clips
    out, _ = ran(capsys, "draft", project, "--why")
    assert out.count("clip ") == len(load_reel(project).clips) and "lane 1: " in out
    ran(capsys, "draft", project, "--unlock", "clips:2-3")
    assert not any(c.locked for c in load_reel(project).clips)
    saved = project.read_bytes()
    for options, message in (
        ((), "What should be drafted?"), (("--lock", "shoes:1"), "nothing that stays"), (("--over", "a-b", "--seed", 1), "is no stretch"),
        (("--swap", "1-2"), "no clip to change"), (("--mood", "loud"), "There is no mood 'loud'"), (("--lock", "clips:99"), "names no clips"),
    ):  # fmt: skip
        assert message in ran(capsys, "draft", project, *options, code=2)[1]
    assert project.read_bytes() == saved


@pytest.mark.slow
def test_a_project_that_was_never_drafted_says_so(
    reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    save_reel(reel, tmp_path / "r.tempik")
    assert "not drafted by a mood yet" in ran(capsys, "draft", tmp_path / "r.tempik", "--seed", 1, code=2)[1]


def test_moods_are_listed_written_kept_and_forgotten(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("TEMPIK_STATE", str(tmp_path / "state"))
    assert len(ran(capsys, "moods")[0].splitlines()) == 1 + len(MOODS)
    ran(capsys, "moods", "--show", "sparks", "-o", tmp_path / "mine.tempikmood")
    text = (tmp_path / "mine.tempikmood").read_text().replace('"sparks"', '"my sparks"')
    (tmp_path / "mine.tempikmood").write_text(text)
    assert ran(capsys, "moods", "--keep", tmp_path / "mine.tempikmood")[0] == "my sparks\n"
    assert "my sparks," in ran(capsys, "moods")[0]
    ran(capsys, "moods", "--forget", "my sparks")
    assert "my sparks," not in ran(capsys, "moods")[0]
    assert "There is no mood" in ran(capsys, "moods", "--show", "gone", "-o", tmp_path / "g", code=2)[1]
