"""Drafts among edits, in any order: drawn again, over a stretch, in another mood, swapped, kept, calmed, and corrected by hand in between.

The song, its drop and the footage are drawn, so that nothing has to be studied; what is checked is what an editor who corrects a draft
takes for granted."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from tempik.check import check_reel
from tempik.edit.drafting.locking import with_locked
from tempik.edit.drafting.make import DraftOptions, MoodDraft, draft_in_mood, drafted_anew, with_strength
from tempik.edit.drafting.moods import MOODS, Mood, mood_named
from tempik.edit.drafting.swap import swapped
from tempik.edit.drafting.why import why_clip, why_lane, why_reel, why_sound_lane, why_transition
from tempik.errors import TempikError
from tempik.media import STEP_S, Course, FootageStudy, Suggestion
from tempik.project.file import load_reel, save_reel
from tempik.reel import Cue, Footage, Reel, Soundtrack
from tempik.timeline.covering import gaps
from tempik.timeline.timeline import Timeline
from test_any_edits import EDITS, Pick, assert_sound
from test_moods import NONE, a_song

STILL_S = 1.0  # as a picture is read
moods = st.sampled_from([m.name for m in MOODS])


def by_lot(most: int) -> settings:
    return settings(
        max_examples=most, deadline=None,
        suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow, HealthCheck.data_too_large],
    )  # fmt: skip


Shelf = tuple[list[Footage], dict[str, FootageStudy]]


@st.composite
def shelves(draw: st.DrawFn, most: int = 12) -> Shelf:
    """Footage of any length, rate and shape: films with blows or without, stills, some looked over and some not yet."""
    footage, studies = [], {}
    for n in range(draw(st.integers(1, most))):
        still = draw(st.integers(0, 5)) == 0
        length_s = STILL_S if still else draw(st.sampled_from([0.2, 0.7, 1.5, 4.0, 12.0, 600.0]))
        rate = draw(st.sampled_from([Fraction(24), Fraction(30000, 1001), Fraction(60), Fraction(240)]))
        across, down = draw(st.sampled_from([(1080, 1920), (1920, 1080), (640, 640)]))
        own = (Cue(f"q{n}", 0.4 * length_s, "the blow"),) if draw(st.booleans()) and not still else ()
        suffix = "png" if still else "mp4"
        kind = "still" if still else "video"
        footage.append(Footage(f"f{n}", f"/p{n}.{suffix}", across, down, rate, length_s, kind=kind, cues=own))  # type: ignore[arg-type]
        if draw(st.integers(0, 3)):  # one in four was not looked through yet
            blows = draw(st.lists(st.integers(1, 9), max_size=3, unique=True)) if not still else []
            steps = max(1, int(min(length_s, 60) / STEP_S))
            speed = draw(st.integers(0, 10)) / 10
            studies[f"f{n}"] = FootageStudy(
                tuple(Suggestion(b / 10 * length_s, 1 - b / 20, "impact") for b in sorted(blows)),
                NONE,
                Course((speed,) * steps, (draw(st.integers(0, 10)) / 10,) * steps, (6.0,) * steps),
            )
    return footage, studies


songs = st.builds(a_song, st.sampled_from([3.0, 17.0, 40.0, 90.0]), st.booleans(), st.booleans())


@st.composite
def wishes(draw: st.DrawFn, song: Soundtrack, over: bool = False) -> DraftOptions:
    start_s = draw(st.integers(0, int(song.length_s) - 2))
    length_s = draw(st.sampled_from([None, 1.0, 5.5, 15.0, 70.0]))
    options = DraftOptions(
        mood_named(draw(moods)), draw(st.integers(0, 50)), float(start_s), length_s, 180, 320,
        draw(st.sampled_from([Fraction(24), Fraction(30), Fraction(60000, 1001)])),
        draw(st.integers(0, 8)) / 4, draw(st.booleans()),
    )  # fmt: skip
    return options


def assert_drafted(made: MoodDraft, options: DraftOptions, folder: Path) -> None:
    """Check what holds of every draft."""
    reel = made.reel
    timeline = Timeline(reel)
    assert_sound(reel, folder)
    assert check_reel(timeline).ok
    a, b = options.over or (0.0, reel.length_s)
    rate = float(reel.rate)
    bare = [(x, y) for x, y in gaps(timeline) if x < b * rate - 1 and y > a * rate + 1]
    assert not bare, "something is seen all through what was drafted"
    assert all(note.endswith(".") for note in made.notes)
    there = {c.id for c in reel.clips}
    assert set(made.clips) <= there
    for clip in made.clips:
        assert why_clip(reel, clip, {}).endswith(".")
        assert why_transition(reel, clip).endswith(".")
    assert all(why_lane(reel, r).endswith(".") for r in reel.accent_lanes)
    assert all(why_sound_lane(reel, r).endswith(".") for r in reel.sound_lanes)


@pytest.mark.explore
@by_lot(40)
@given(shelf=shelves(), song=songs, data=st.data())
def test_any_song_and_any_shelf_give_a_reel(
    shelf: Shelf, song: Soundtrack, tmp_path: Path, data: st.DataObject
) -> None:
    footage, studies = shelf
    options = data.draw(wishes(song))
    made = draft_in_mood(song, footage, studies, options)
    assert_drafted(made, options, tmp_path)
    assert draft_in_mood(song, footage, studies, options) == made, "the same wish gives the same reel"
    assert why_reel(made.reel).startswith(f"Drafted by the mood '{options.mood.name}'")
    row = Timeline(made.reel).own_tracks[0]
    if len({f.id for f in footage}) > 2:
        assert all(a.footage.id != b.footage.id for a, b in pairwise(row)), "no piece twice in a row"


def drafted_again(reel: Reel, studies: dict[str, FootageStudy], pick: Pick) -> tuple[MoodDraft, DraftOptions] | str:
    """Draft a reel anew, all of it or over a stretch; return the draft, or why it was refused."""
    song = reel.soundtrack
    assert song is not None
    over = None
    if pick.yes():
        a = pick.number(0, reel.length_s)
        over = (a, min(a + pick.number(0.2, 8), reel.length_s))
    mood = mood_named(str(pick.one(*(m.name for m in MOODS))))
    options = DraftOptions(
        mood, pick.whole(0, 50), song.start_s, reel.length_s, reel.width, reel.height, reel.rate, pick.number(0, 2), pick.yes(), over
    )  # fmt: skip
    try:
        return drafted_anew(reel, studies, options), options
    except TempikError as error:
        return str(error)


def kept_of(reel: Reel) -> list[object]:
    """Return what is kept, as it is shown: transitions may come beside it, and its cues may be told anew."""
    clips = [replace(c, transition=None) for c in reel.clips if c.locked]
    return [*clips, *(a for a in reel.accent_lanes if a.locked), *(s for s in reel.sound_lanes if s.locked)]


@pytest.mark.explore
@by_lot(30)
@given(shelf=shelves(8), data=st.data())
def test_drafts_and_corrections_in_any_order(shelf: Shelf, tmp_path: Path, data: st.DataObject) -> None:
    footage, studies = shelf
    song = a_song(24.0)
    reel = draft_in_mood(
        song, footage, studies, DraftOptions(mood_named(data.draw(moods)), 0, 0.0, 12.0, 180, 320)
    ).reel
    steps = ["draft", "draft", "keep", "let go", "swap", "strength", "edit", "edit", "save"]
    for step in data.draw(st.lists(st.sampled_from(steps), min_size=2, max_size=8)):
        pick = Pick(data, reel)
        if step == "draft":
            before = kept_of(reel)
            again = drafted_again(reel, studies, pick)
            if isinstance(again, str):
                assert again.endswith(".") and "\n" not in again
                continue
            reel = again[0].reel
            assert_sound(reel, tmp_path)
            assert kept_of(reel) == before, "what is kept stays as it is"
        elif step in ("keep", "let go"):
            reel = with_locked(reel, pick.clips, [pick.row], step == "keep")
        elif step == "swap":
            try:
                reel, _, number, whole = swapped(reel, pick.clip, studies, 1 if pick.yes() else -1)
                assert 1 <= number <= whole
            except TempikError as error:
                assert str(error).endswith(".")
        elif step == "strength":
            reel = with_strength(reel, moods_of(reel), pick.number(0, 2))
        elif step == "edit":
            name = data.draw(st.sampled_from(sorted(EDITS)))
            try:
                reel = EDITS[name](pick)
            except TempikError:
                continue
        else:
            save_reel(reel, tmp_path / "s.tempik")
            assert load_reel(tmp_path / "s.tempik") == reel
    assert_sound(reel, tmp_path)


def moods_of(reel: Reel) -> Mood:
    name = reel.draft.mood if reel.draft is not None else "driving"
    return mood_named(name)


@by_lot(15)
@given(shelf=shelves(6), data=st.data(), mood=moods, seed=st.integers(0, 30))
def test_over_a_stretch_nothing_else_changes_whatever_was_done_before(
    shelf: Shelf, data: st.DataObject, mood: str, seed: int
) -> None:
    footage, studies = shelf
    song = a_song(24.0)
    reel = draft_in_mood(song, footage, studies, DraftOptions(mood_named(mood), seed, 0.0, 16.0, 180, 320)).reel
    for name in data.draw(
        st.lists(st.sampled_from(["split", "take out", "reverse", "slip", "grade", "one speed"]), max_size=3)
    ):
        try:
            reel = EDITS[name](Pick(data, reel))
        except TempikError:
            continue
    a = data.draw(st.integers(0, 12))
    options = DraftOptions(
        mood_named(mood), seed + 1, 0.0, reel.length_s, 180, 320, reel.rate, over=(float(a), a + 3.0)
    )
    made = drafted_anew(reel, studies, options).reel
    rate = float(reel.rate)
    outside = [p for p in Timeline(reel).own_tracks[0] if p.end <= a * rate or p.first >= (a + 3) * rate]
    after = {(p.footage.id, p.first, p.end): p for p in Timeline(made).own_tracks[0]}
    for placed in outside:
        now = after.get((placed.footage.id, placed.first, placed.end))
        assert now is not None, f"{placed.clip.id} lay outside the stretch"
        assert replace(now.clip, transition=None) == replace(placed.clip, transition=None)
