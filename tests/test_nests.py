"""Nests: clips as one clip with a reel inside; what is seen, heard and checked stays as it was, and follows the points."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tempik.check import check_reel
from tempik.cli.main import main
from tempik.desktop.shell.window import Window
from tempik.edit import ruled, titles
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.clips import layers, nests, pieces, place
from tempik.edit.clips.slots import with_clips
from tempik.edit.clips.trim import with_split, without_clips
from tempik.edit.song.points import nudged
from tempik.edit.speed.speed import with_constant
from tempik.errors import TempikError
from tempik.project.file import load_reel, save_reel
from tempik.reel import ClipSound, Limit, Reel, Title
from tempik.reel.nests import all_closed
from tempik.reel.validate import problems
from tempik.render import PictureSource, plan
from tempik.render.sound import mix
from tempik.timeline.timeline import Timeline
from tempik.transitions import new_transition
from test_gestures import NONE, show, spot
from test_ties import CHANGES
from unsound import refused_both_ways

W, H = 90, 160


def frames_of(reel: Reel, every: int = 7) -> list[np.ndarray]:
    """Return the luma of every n-th frame of a reel."""
    timeline = Timeline(all_closed(reel))
    with PictureSource() as source:
        return [source.render(plan(timeline, n, W, H)).y.astype(np.int16) for n in range(0, timeline.frames, every)]


def assert_looks_alike(one: Reel, other: Reel, within: int = 3) -> None:
    for number, (a, b) in enumerate(zip(frames_of(one), frames_of(other), strict=True)):
        assert np.abs(a - b).max() <= within, f"frame {number * 7} looks otherwise"


@pytest.fixture
def rich(reel: Reel) -> Reel:
    """The small reel with a dissolve, a title on points over two clips, a half-clear layer and a lane for one clip."""
    clips = [
        replace(c, transition=replace(new_transition("dissolve"), length=8.0)) if n == 2 else c
        for n, c in enumerate(reel.clips)
    ]
    reel = replace(reel, clips=tuple(clips))
    reel, name = titles.with_title(reel, Title("strike while hot"), 80, 100)
    reel = titles.with_words_on_points(reel, [name])
    reel = place.with_solid(place.with_new_track(reel), 80, 40, "#3060a0", 2, insert=False)
    reel = layers.with_opacity(reel, [reel.clips[-1].id], 0.5)
    reel = accent_lanes.with_lane(reel, "flash")
    return ruled.with_limit(reel, reel.accent_lanes[-1].id, Limit(clips=(reel.clips[1].id,)))


def inner_of(reel: Reel) -> list[str]:
    """The second and third clips and all that lies over them."""
    return [c.id for c in reel.clips if c.track or c.id in (reel.clips[1].id, reel.clips[2].id)]


@pytest.mark.slow
def test_a_nest_looks_sounds_and_lands_as_its_clips_did(rich: Reel) -> None:
    rich = with_clips(rich, [replace(rich.clips[1], sound=ClipSound(on=True))])
    nested, clip = nests.with_nest(rich, inner_of(rich))
    assert not problems(nested) and len(nested.clips) == len(rich.clips) - len(inner_of(rich)) + 1
    placed = Timeline(nested).placed_clip(clip)
    assert placed is not None and placed.footage.length_s == pytest.approx(placed.frames / 30)
    assert_looks_alike(nested, rich)
    np.testing.assert_allclose(mix(Timeline(nested)).samples, mix(Timeline(rich)).samples, atol=1e-6)

    def landings(reel: Reel) -> set[tuple[str, str, int, bool]]:
        return {(e.kind, e.what, e.frame, e.ok) for e in check_reel(Timeline(reel)).events if e.tied}

    # The nest's own beginning is a cut beside the one of its first clip.
    assert landings(nested) - {e for e in landings(nested) if e[1] == "nest 1"} == landings(rich)


def test_laid_flat_again_a_nest_is_what_it_was(rich: Reel) -> None:
    nested, clip = nests.with_nest(rich, inner_of(rich))
    flat, laid = nests.flattened(nested, clip)
    assert set(laid) == set(inner_of(rich))
    assert sorted(flat.clips, key=lambda c: c.id) == sorted(rich.clips, key=lambda c: c.id)
    assert sorted(flat.accent_lanes, key=lambda r: r.id) == sorted(rich.accent_lanes, key=lambda r: r.id)
    assert (flat.tracks, flat.footage) == (rich.tracks, rich.footage)


@pytest.mark.parametrize("change", CHANGES.values(), ids=CHANGES.keys())
def test_whatever_becomes_of_the_points_a_nest_follows_as_its_clips_would(
    rich: Reel, change: Callable[[Reel], Reel]
) -> None:
    nested, clip = nests.with_nest(rich, inner_of(rich))
    led = change(nested)
    assert not problems(led), problems(led)
    expected = change(rich)
    flat, _ = nests.flattened(led, clip)
    assert {c.id: c for c in flat.clips} == {c.id: c for c in expected.clips}
    # And while it is open: what it was opened out of is led as well.
    opened = change(nests.with_nest_open(nested, clip))
    assert {c.id: c for c in all_closed(opened).clips} == {c.id: c for c in led.clips}


def test_a_moved_point_moves_what_lies_in_a_nest(rich: Reel) -> None:
    timeline = Timeline(rich)
    inside = [p for p in timeline.on_reel() if 75 < timeline.frame_of_point(p) < 110]
    start = timeline.point(rich.clips[1].start.point)
    assert start is not None
    nested, clip = nests.with_nest(rich, inner_of(rich))
    for point in (*inside, start):  # the one that the nest begins on, too
        nested, rich = nudged(nested, [point.id], 0.1), nudged(rich, [point.id], 0.1)
    assert_looks_alike(nested, rich)
    placed = Timeline(nested).placed_clip(clip)
    assert placed is not None and placed.first == Timeline(rich).placed_clip(rich.clips[1].id).first  # type: ignore[union-attr]


def test_a_split_nest_stays_in_register_and_a_moved_one_takes_its_clips_along(rich: Reel) -> None:
    nested, clip = nests.with_nest(rich, inner_of(rich))
    placed = Timeline(nested).placed_clip(clip)
    assert placed is not None
    split = with_split(nested, [placed.first + 50], [clip])
    assert_looks_alike(split, rich)
    later = place.moved_to(place.with_new_track(nested), [clip], 15, 3)
    there = Timeline(later).placed_clip(clip)
    assert there is not None and there.first == placed.first + 15
    with PictureSource() as source:
        was = source.render(plan(Timeline(nested), placed.first + 30, W, H, False, placed)).y.astype(int)
        now = source.render(plan(Timeline(later), there.first + 30, W, H, False, there)).y.astype(int)
    assert np.abs(was - now).mean() < 1.0
    tied = [e for e in check_reel(Timeline(later)).events if e.tied and e.kind == "word"]
    assert not tied  # its words sound elsewhere now
    with pytest.raises(TempikError, match="moved or slipped"):
        nests.flattened(later, clip)


def test_a_nest_is_retimed_as_footage_is(rich: Reel) -> None:
    nested, clip = nests.with_nest(rich, inner_of(rich))
    slow = with_constant(nested, [clip], 0.5)
    timeline = Timeline(slow)
    placed = timeline.placed_clip(clip)
    assert placed is not None
    begin = placed.first
    at = [plan(timeline, n, W, H, clip=placed).layer_plans[-1].inner for n in range(begin, begin + 9)]
    assert [inner.frame for inner in at if inner is not None] == [begin + n // 2 for n in range(9)]
    with pytest.raises(TempikError, match="its own curve"):
        nests.flattened(slow, clip)


def test_what_a_nest_does_not_cover_is_clear(reel: Reel) -> None:
    """A half-strength solid in the middle of a nest: below shows through by half, and wholly around it in time."""
    reel = place.with_solid(place.with_new_track(reel), 30, 60, "#ffffff", 1, insert=False)
    top = reel.clips[-1].id
    reel = layers.with_opacity(reel, [top], 0.5)
    reel = place.with_solid(reel, 110, 20, "#000000", 1, insert=False)
    nested, _ = nests.with_nest(reel, [top, reel.clips[-1].id])
    assert_looks_alike(nested, reel)


def test_nests_within_nests(rich: Reel) -> None:
    names = inner_of(rich)
    nested, inner = nests.with_nest(rich, names)
    twice, outer = nests.with_nest(nested, [inner, nested.clips[0].id])
    assert_looks_alike(twice, rich)
    opened = nests.with_nest_open(nests.with_nest_open(twice, outer), inner)
    assert {c.id for c in opened.clips} == set(names) and not problems(opened)
    assert all_closed(opened) == twice
    flat, _ = nests.flattened(nests.flattened(twice, outer)[0], inner)
    assert {c.id for c in flat.clips} == {c.id for c in rich.clips}


def test_a_nest_within_itself_is_refused(rich: Reel, tmp_path: Path) -> None:
    nested, clip = nests.with_nest(rich, inner_of(rich))
    what = pieces.copied(nested, [clip])
    with pytest.raises(TempikError, match="within itself"):
        pieces.pasted(nests.with_nest_open(nested, clip), what, 70, track=0)
    piece = nests.nest_of(nested, clip)
    assert piece.nest is not None
    looped = replace(piece, nest=replace(piece.nest, clips=(replace(piece.nest.clips[0], footage=piece.id, pins=()),)))
    refused_both_ways(
        replace(nested, footage=(*nested.footage[:-1], looped)), tmp_path / "loop.tempik", "lies within itself"
    )


def test_a_clip_between_those_that_are_nested_is_said(reel: Reel) -> None:
    with pytest.raises(TempikError, match="lie on all of their tracks"):
        nests.with_nest(reel, [reel.clips[0].id, reel.clips[2].id])


def test_a_layer_that_reaches_over_the_neighbours_goes_in_all_the_same(rich: Reel) -> None:
    rich = with_clips(
        rich, [replace(rich.clips[2], transition=None)]
    )  # with the clip before it in a nest it has no other side
    names = [c.id for c in rich.clips if c.track or c.id == rich.clips[1].id]
    nested, clip = nests.with_nest(rich, names)
    record = next(c for c in nested.clips if c.id == clip)
    assert record.track == 1  # over the clip that the title reaches over
    assert_looks_alike(nested, rich)


def test_what_is_changed_in_an_open_nest_shows_outside(rich: Reel) -> None:
    nested, clip = nests.with_nest(rich, inner_of(rich))
    opened = nests.with_nest_open(nested, clip)
    top = next(c.id for c in opened.clips if c.title is not None)
    changed = nests.with_nest_closed(without_clips(opened, [top]))
    assert_looks_alike(changed, without_clips(rich, [top]))
    # A clip laid at its end makes the nest longer, and the clip that shows all of it too, as far as there is room.
    last = rich.clips[2].id
    there = Timeline(nested).placed_clip(clip)
    assert there is not None
    shorter = nests.with_nest_closed(without_clips(opened, [c.id for c in opened.clips if c.id != last]))
    now = Timeline(shorter).placed_clip(clip)
    assert now is not None and now.end == there.end and now.first > there.first


def test_flat_again_another_layer_in_the_way_goes_up(rich: Reel) -> None:
    nested, clip = nests.with_nest(rich, inner_of(rich))
    nested = place.with_solid(nested, 90, 10, "#20c020", 1, insert=False)
    flat, laid = nests.flattened(nested, clip)
    assert not problems(flat) and len(flat.clips) == len(rich.clips) + 1
    assert_looks_alike(flat, nested)
    assert max(c.track for c in flat.clips) == max(c.track for c in flat.clips if c.id not in laid)


def test_copies_show_one_nest_and_flat_they_are_clips_of_their_own(rich: Reel) -> None:
    nested, clip = nests.with_nest(rich, [rich.clips[1].id])
    two, made = pieces.pasted(nested, pieces.copied(nested, [clip]), 200)
    flat, laid = nests.flattened(two, clip)
    assert not problems(flat) and laid[0] not in {c.id for c in rich.clips}
    assert any(f.nest is not None for f in flat.footage) and made[0] in {c.id for c in flat.clips}


def test_nests_are_saved_and_opened_again(rich: Reel, tmp_path: Path) -> None:
    nested, clip = nests.with_nest(rich, inner_of(rich))
    for number, reel in enumerate((nested, nests.with_nest_open(nested, clip))):
        path = tmp_path / f"{number}.tempik"
        save_reel(reel, path)
        assert load_reel(path) == reel


# In the window, and from the command line


def test_by_double_click_in_and_by_the_button_out(opened: Window, qtbot: QtBot) -> None:
    window, project = opened, opened.project
    names = [c.id for c in project.reel.clips[1:3]]
    project.selection.select_clips(names)
    window.commands["nest"].trigger()
    clip = project.selection.clip_id
    placed = project.timeline.placed_clip(clip)
    assert placed is not None and placed.footage.kind == "nest" and not window.header.nest_button.isVisible()
    show(window, placed.first)
    QTest.mouseDClick(window.timeline, Qt.MouseButton.LeftButton, NONE, spot(window, placed.first + 40).toPoint())
    assert [c.id for c in project.reel.clips] == names and window.header.nest_button.isVisible()
    assert "nest 1" in window.header.nest_button.text()
    assert project.playhead.frame >= placed.first
    project.selection.select_clips(names[:1])
    window.commands["remove_leave_gap"].trigger()
    qtbot.mouseClick(window.header.nest_button, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
    assert not project.reel.opened and project.selection.clip_id == clip
    window.commands["flatten_nest"].trigger()
    assert names[1] in {c.id for c in project.reel.clips} and names[0] not in {c.id for c in project.reel.clips}
    for _ in range(5):
        project.undo()
    assert {c.id for c in project.reel.clips} >= set(names) and not project.reel.opened


@pytest.mark.film
def test_from_the_command_line(rich: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "p.tempik"
    save_reel(rich, path)

    def run(*words: str) -> str:
        capsys.readouterr()
        assert main(["layers", str(path), *words]) == 0
        return capsys.readouterr().out

    rows = run().splitlines()[1:]
    wanted = [r.split(",")[0] for r in rows if r.split(",")[1] != "1" or r.split(",")[0] in ("2", "3")]
    run("--clips", ",".join(wanted), "--nest")
    table = run().splitlines()[1:]
    number = next(r.split(",")[0] for r in table if "nest 1" in r)
    run("--clips", number, "--open")
    assert len(run().splitlines()) - 1 == len(wanted)
    out = tmp_path / "o.mp4"
    assert main(["export", str(path), "-o", str(out), "--size", "90x160"]) == 0  # closed for this
    assert main(["check", str(path), "--rendered", str(out)]) == 0
    run("--close")
    run("--clips", number, "--flatten")
    assert {c.id for c in load_reel(path).clips} == {c.id for c in rich.clips}
    assert main(["layers", str(path), "--close"]) == 2
    assert "No nest is open" in capsys.readouterr().err
