"""Drafts by a mood, with planted truth: songs of known sections and drops, footage of known motion and blows."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from pytestqt.qtbot import QtBot

from examples import examples
from media_files import write_video
from tempik.check import check_reel
from tempik.cli.main import main
from tempik.desktop.shell.window import Window
from tempik.edit.drafting.casting import cast
from tempik.edit.drafting.make import DraftOptions, draft_in_mood
from tempik.edit.drafting.material import material_of, studies_of
from tempik.edit.drafting.moods import MOODS, mood_named
from tempik.edit.drafting.rhythm import slots_of
from tempik.edit.drafting.swap import chances_for, swapped
from tempik.edit.drafting.why import why_clip
from tempik.errors import TempikError
from tempik.media import STEP_S, Course, FootageStudy, Suggestion, study
from tempik.media.probe import Cadence
from tempik.project.file import load_reel
from tempik.reel import Cue, Footage, Soundtrack
from tempik.rhythm.records import Analysis, Beat, Section
from tempik.timeline.covering import gaps
from tempik.timeline.timeline import Timeline

GAP = 0.5  # 120 beats a minute
DROP_S = 16.0
NONE = Cadence(0, 0, 30.0, "none")


def a_song(length_s: float = 40.0, drop: bool = True, beats: bool = True) -> Soundtrack:
    """Quiet for 8 s, half loud up to the drop at 16 s, then loud for 16 s, then quiet; strong downbeats."""
    made = tuple(
        Beat(n * GAP, 1.0 if n % 4 == 0 else 0.5, n // 4 + 1, n % 4 + 1, n * GAP) for n in range(int(length_s / GAP))
    )
    sections = (
        Section(0.0, 8.0, 0.3, "quiet"), Section(8.0, DROP_S, 0.6, "middle"), Section(DROP_S, 32.0, 1.0, "full"),
        Section(32.0, length_s, 0.3, "quiet"),
    )  # fmt: skip
    heard = Analysis(
        length_s, 120.0, steady=True, confidence=0.95, beats=made if beats else (), sections=sections,
        drops=(DROP_S,) if drop else (),
    )  # fmt: skip
    return Soundtrack("/song.wav", length_s, heard=heard)


def pieces(count: int = 8, length_s: float = 12.0) -> tuple[list[Footage], dict[str, FootageStudy]]:
    """Footage whose motion is its number's: the first stands still, the last is the fastest; three blows each."""
    footage, studies = [], {}
    for n in range(count):
        footage.append(Footage(f"f{n}", f"/p{n}.mp4", 1080, 1920, Fraction(60), length_s))
        steps = int(length_s / STEP_S)
        motion = n / max(count - 1, 1)
        cues = tuple(Suggestion(2.0 + 3.5 * k, 1.0 - 0.2 * k, "impact") for k in range(3))
        studies[f"f{n}"] = FootageStudy(cues, NONE, Course((motion,) * steps, (0.5,) * steps, (6.0,) * steps))
    return footage, studies


def drafted(mood: str, seed: int = 0, **options: object) -> Timeline:
    footage, studies = pieces()
    return Timeline(draft_in_mood(a_song(), footage, studies, DraftOptions(mood_named(mood), seed, **options)).reel)  # type: ignore[arg-type]


names = pytest.mark.parametrize("mood", [m.name for m in MOODS])


@names
def test_the_first_picture_is_seen_as_it_is(mood: str) -> None:
    """It is what a reel is known by: no flash whitens it, not where a loud section begins the reel either."""
    song = a_song()
    assert song.heard is not None
    loud = (Section(0.0, DROP_S, 0.9, "full"), *song.heard.sections[2:])
    at_once = replace(song, heard=replace(song.heard, sections=loud))
    footage, studies = pieces()
    timeline = Timeline(draft_in_mood(at_once, footage, studies, DraftOptions(mood_named(mood))).reel)
    first = [p.frame for row in timeline.accent_lanes for p in row.pulses]
    assert all(frame > 3 for frame in first) and timeline.placed[0].first == 0


@names
def test_every_event_is_on_its_point_and_nothing_is_black(mood: str) -> None:
    timeline = drafted(mood)
    report = check_reel(timeline)
    assert report.ok and len(report.events) > 10 and not gaps(timeline)
    assert timeline.placed[0].first == 0 and timeline.placed[-1].end == timeline.frames
    assert all(p.short_before_s + p.short_after_s < 1e-3 for p in timeline.placed)


@names
def test_the_drop_is_cut_on_its_first_beat_and_held(mood: str) -> None:
    timeline = drafted(mood)
    at = [p for p in timeline.placed if p.first == round(DROP_S * 30)]
    assert len(at) == 1 and at[0].frames == round(mood_named(mood).hold * GAP * 30)
    # Its decisive frame is on the drop itself.
    assert at[0].ties and at[0].ties[0].frame == round(DROP_S * 30)


@names
def test_cuts_are_longer_where_it_is_quiet_and_roll_into_the_drop(mood: str) -> None:
    kind = mood_named(mood)
    slots = slots_of(a_song(), 0.0, 40.0, kind, 3).slots
    mean = {
        level: np.mean([s.beats for s in slots if s.level == level and s.role == "plain"])
        for level in ("quiet", "full")
    }
    assert mean["quiet"] >= mean["full"]
    rolls = [s for s in slots if s.role == "roll"]
    assert len(rolls) == round(2 * kind.roll) and all(s.beats == 0.5 and s.end.time_s <= DROP_S for s in rolls)
    assert all(s.end.time_s - s.start.time_s > 0.15 for s in slots)


@pytest.mark.slow
def test_moods_differ_from_each_other_to_the_eye() -> None:
    lengths = {m.name: np.median([p.frames for p in drafted(m.name).placed]) for m in MOODS}
    assert lengths["hammer"] < lengths["driving"] < lengths["low sun"] <= lengths["still water"]
    rows = {m.name: len(drafted(m.name).reel.accent_lanes) for m in MOODS}
    assert rows["still water"] < rows["driving"] <= rows["hammer"]
    assert len({str(drafted(m.name).reel.look) for m in MOODS}) == len(MOODS)


@names
def test_footage_moves_as_the_song_does_and_all_of_it_is_used(mood: str) -> None:
    footage, studies = pieces()
    kind = mood_named(mood)
    slots = slots_of(a_song(), 0.0, 40.0, kind, 0).slots
    chosen = cast(slots, material_of(footage, studies), kind, 0)
    used = [c.chance.piece.id for c in chosen]
    assert all(a != b for a, b in zip(used, used[1:], strict=False))
    if len(slots) >= len(footage):
        assert len(set(used)) >= 0.8 * len(footage)
    shown = [(c.chance.piece.id, c.chance.time_s) for c in chosen]
    most = max(shown.count(x) for x in shown)
    assert most == 1 or len(set(shown)) == 24  # no instant twice while another waits
    if len(slots) > 20:
        lengths = [s.end.time_s - s.start.time_s for s in slots]
        loud = np.corrcoef([s.energy for s in slots], [c.chance.motion for c in chosen])[0, 1]
        assert loud > 0.35, (loud, lengths)


@pytest.mark.slow
def test_one_seed_is_one_reel_and_another_is_another() -> None:
    assert drafted("driving", 4).reel == drafted("driving", 4).reel
    assert drafted("driving", 4).reel.clips != drafted("driving", 5).reel.clips


def test_accents_are_few_and_the_drop_has_the_most() -> None:
    timeline = drafted("driving")
    on = [f.accent.name for f in timeline.accent_lanes for p in f.pulses if f.accent and p.frame == round(DROP_S * 30)]
    pulses = sum(len(f.pulses) for f in timeline.accent_lanes)
    assert len(on) == 3 and pulses < 0.7 * len(timeline.beats)
    quiet = [p for f in timeline.accent_lanes for p in f.pulses if p.frame < 8 * 30 - 6]
    assert quiet == []


def test_transitions_lie_on_changes_of_section_and_never_on_the_drop() -> None:
    joined = [p.first / 30 for p in drafted("still water").placed if p.clip.transition is not None]
    assert joined and all(any(abs(at - s) < 0.1 for s in (8.0, 32.0)) for at in joined)


def test_every_choice_says_why() -> None:
    footage, studies = pieces()
    made = draft_in_mood(a_song(), footage, studies, DraftOptions(mood_named("driving")))
    why = {c: why_clip(made.reel, c, studies) for c in made.clips}
    assert set(why) == {c.id for c in made.reel.clips} and all(
        w.endswith(".") and w.count(". ") == 0 for w in why.values()
    )
    at_drop = next(p.clip.id for p in Timeline(made.reel).placed if p.first == round(DROP_S * 30))
    assert "on the drop, for its impact" in why[at_drop] and "it lands on 9.1" in why[at_drop]


def test_cues_set_by_hand_come_before_those_that_were_suggested() -> None:
    footage, studies = pieces(3)
    footage[1] = replace(footage[1], cues=(Cue("q1", 9.5, "the spark"),))
    made = draft_in_mood(a_song(), footage, studies, DraftOptions(mood_named("low sun")))
    assert any("the cue the spark" in why_clip(made.reel, c, studies) for c in made.clips)


@settings(max_examples=examples(40), deadline=None)
@given(
    mood=st.sampled_from(MOODS), seed=st.integers(0, 999), start=st.floats(0, 20), length=st.floats(2.0, 20.0),
    count=st.integers(1, 5), piece_s=st.floats(0.3, 6.0), rate=st.sampled_from([Fraction(24), Fraction(30000, 1001), Fraction(60)]),
)  # fmt: skip
def test_any_material_gives_a_reel_without_a_gap(mood, seed, start, length, count, piece_s, rate) -> None:  # type: ignore[no-untyped-def]
    footage, studies = pieces(count, piece_s)
    made = draft_in_mood(a_song(), footage, studies, DraftOptions(mood, seed, start, length, rate=rate))
    timeline = Timeline(made.reel)
    assert check_reel(timeline).ok and not gaps(timeline)


def test_odd_songs_and_footage_get_a_reel_or_a_sentence() -> None:
    footage, studies = pieces(2)
    options = DraftOptions(mood_named("hammer"))
    assert draft_in_mood(a_song(drop=False), footage, studies, options).reel.clips
    with pytest.raises(TempikError, match="needs footage"):
        draft_in_mood(a_song(), [], {}, options)
    with pytest.raises(TempikError, match="start the reel earlier"):
        draft_in_mood(a_song(), footage, studies, options._replace(start_s=50.0))
    assert (
        "the reel is that long"
        in draft_in_mood(a_song(), footage, studies, options._replace(start_s=30.0, length_s=30.0)).notes[0]
    )
    with pytest.raises(TempikError, match="There is no mood 'angry'; choose from still water"):
        mood_named("angry")
    dark = {k: v._replace(course=Course(v.course.motion, (0.01,) * 48, v.course.detail)) for k, v in studies.items()}
    made = draft_in_mood(a_song(), footage, dark, options)
    assert made.reel.clips and "all of it is black or blank" in made.notes[0]
    still = [Footage("s1", "/s.png", 1080, 1920, Fraction(30), 5.0, kind="still")]
    assert check_reel(Timeline(draft_in_mood(a_song(), still, {}, options).reel)).ok


@pytest.mark.slow
def test_drawn_footage_of_few_plain_shapes_is_not_taken_for_blank(tmp_path: Path) -> None:
    """All of it was left out as black or blank: large even areas have few steps from sample to sample."""

    def shapes(number: int) -> np.ndarray:
        image = np.full((360, 640, 3), (30, 40, 60), np.uint8)
        image[120:210] = (90, 60, 40)
        x = number * 4 % 560
        image[180:260, x : x + 80] = (220, 180, 90)
        return image

    write_video(tmp_path / "a.mp4", shapes, 60, 30)
    write_video(tmp_path / "b.mp4", lambda number: np.full((360, 640, 3), 90, np.uint8), 60, 30)
    drawn, even = (Footage(f"f{n}", str(tmp_path / n), 640, 360, Fraction(30), 2.0) for n in ("a.mp4", "b.mp4"))
    assert material_of([drawn], studies_of([drawn])).notes == ()
    assert "all of it is black or blank" in material_of([even], studies_of([even])).notes[0]


def test_what_goes_on_in_footage_is_measured(tmp_path: Path) -> None:
    def draw(number: int) -> np.ndarray:
        image = np.full((180, 320, 3), 100, np.uint8)
        image[:, ::16] = 140
        if number >= 30:  # a bar that sweeps across, after a second of nothing
            x = (number - 30) * 8 % 300
            image[40:140, x : x + 20] = 230
        if number >= 60:
            image[:] = 2
        return image

    write_video(tmp_path / "a.mp4", draw, 90, 30)
    course = study(str(tmp_path / "a.mp4")).course
    assert len(course.motion) == len(course.light) == len(course.detail) == 12
    assert max(course.motion[:3]) < 0.1 < min(course.motion[5:7]) and min(course.light[:7]) > 0.3 > max(
        course.light[9:]
    )
    piece = Footage("f1", str(tmp_path / "a.mp4"), 320, 180, Fraction(30), 3.0)
    assert "a.mp4: 1.0 s black or blank, left out." in material_of([piece], studies_of([piece])).notes[0]


def test_a_clip_goes_through_what_else_it_could_show_on_the_same_point() -> None:
    footage, studies = pieces(3)
    reel = draft_in_mood(a_song(), footage, studies, DraftOptions(mood_named("driving"))).reel
    clip = next(c for c in reel.clips if c.pins)
    best = chances_for(reel, clip.id, studies)
    assert len(best) == 9
    seen, now, at_before = set[tuple[str, float]](), reel, 0
    for number in range(9):
        now, chance, at, whole = swapped(now, clip.id, studies, 1)
        placed = Timeline(now).placed_clip(clip.id)
        assert placed is not None and placed.footage.id == chance.piece.id and whole == 9
        assert not placed.clip.pins or placed.clip.pins[0].point == clip.pins[0].point
        assert check_reel(Timeline(now)).ok and placed.short_before_s + placed.short_after_s < 1e-3
        seen.add((chance.piece.id, chance.time_s))
        assert number == 0 or at == at_before % 9 + 1
        at_before = at
    assert len(seen) == 9
    back, chance, at, _ = swapped(now, clip.id, studies, -1)
    assert at == (at_before - 2) % 9 + 1 and back.clips != now.clips
    with pytest.raises(TempikError, match="nothing else to show"):
        swapped(
            replace(reel, footage=(replace(reel.footage[0], cues=()),), clips=(replace(clip, footage="f0", pins=()),)),
            clip.id,
            {},
            1,
        )


# In the window and from the command line


@pytest.mark.film
def test_a_mood_from_the_command_line(media: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    common = [
        "draft",
        "--song",
        str(media / "song.wav"),
        "--footage",
        str(media / "a.mp4"),
        str(media / "b.mp4"),
        str(media / "c.mp4"),
    ]
    assert (
        main([*common, "--mood", "driving", "--seed", "2", "--length", "12", "--why", "-o", str(tmp_path / "r.tempik")])
        == 0
    )
    reel = load_reel(tmp_path / "r.tempik")
    told = capsys.readouterr().err
    assert check_reel(Timeline(reel)).ok and told.count("where the song is") + told.count("on the drop") >= len(
        reel.clips
    )
    assert main([*common, "--mood", "angry", "-o", str(tmp_path / "x.tempik")]) == 2
    assert "There is no mood 'angry'" in capsys.readouterr().err


@pytest.mark.slow
def test_a_mood_in_the_window_drawn_again_and_asked_why(opened: Window, qtbot: QtBot) -> None:
    before = opened.project.reel
    opened.commands["draft_another"].trigger()
    assert "Draft by a mood first" in opened.foot.status.text()
    opened.projects.show_draft()
    panel = opened.drafting.panel
    assert not panel.again.isEnabled()
    panel.choose_mood(None)
    assert panel.rule.isVisible() and not panel.wild.isVisible()
    panel.choose_mood(mood_named("driving"))
    assert panel.wild.isVisible() and not panel.rule.isVisible() and panel.does.text() == mood_named("driving").does
    panel.strength.setValue(60)
    panel._go()
    qtbot.waitUntil(lambda: opened.project.reel is not before and not opened.worker.jobs, timeout=60_000)
    first = opened.project.reel
    assert first.amount == 0.6 and check_reel(opened.project.timeline).ok and len(first.accent_lanes) >= 1
    opened.project.selection.select_clip(first.clips[0].id)
    opened.commands["say_why"].trigger()
    assert "where the song is" in opened.foot.status.text() or "on the drop" in opened.foot.status.text()
    opened.commands["next_chance"].trigger()
    assert opened.project.reel is not first and ", for " in opened.foot.status.text()
    opened.undo()
    opened.commands["draft_another"].trigger()
    qtbot.waitUntil(lambda: opened.project.reel is not first and not opened.worker.jobs, timeout=60_000)
    assert opened.project.reel.clips != first.clips
    opened.undo()
    opened.undo()
    assert opened.project.reel == before
