"""Framing per shape: what is framed while another shape is shown belongs to that shape, is exported so, and leaves the reel's own alone."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tempik.cli.main import main
from tempik.deliver.order import Order, made
from tempik.desktop.pages.frame import FramePage
from tempik.desktop.shell.window import Window
from tempik.edit import titles
from tempik.edit.clips import layers, pieces
from tempik.edit.clips.slots import clip_of
from tempik.edit.clips.trim import with_split
from tempik.edit.frame_shapes import (
    framed_in,
    in_frame,
    in_own_shape,
    in_shape,
    size_of,
    with_own_frame,
    without_shape,
)
from tempik.edit.reframe import reframed
from tempik.edit.song.points import nudged
from tempik.errors import TempikError
from tempik.media.picture import to_rgb
from tempik.project.file import load_reel, save_reel
from tempik.reel import Framing, Position, Reel, ShownShape, Title
from tempik.reel.frame_shapes import FRAME_SHAPES, shape_name
from tempik.reel.nests import everywhere
from tempik.reel.points import points_of
from tempik.reel.validate import problems
from tempik.render import PictureSource, plan
from tempik.timeline.timeline import Timeline

SHIFTED = Framing(start=Position(zoom=1.6, x=0.2))


def framed(reel: Reel, clip: str, shape: str, framing: Framing = SHIFTED) -> Reel:
    """The reel with a clip framed by hand in a shape."""
    return in_own_shape(pieces.with_framing(in_shape(reel, shape), [clip], framing))


def test_shapes_are_told_by_whole_pixels_and_sizes_keep_the_shorter_side(reel: Reel) -> None:
    assert [shape_name(*s) for s in ((1080, 1920), (1080, 1350), (720, 720), (854, 480), (1080, 1440))] == [
        "upright", "portrait", "square", "wide", "",
    ]  # fmt: skip
    reel = replace(reel, width=1080, height=1920)
    assert [size_of(reel, s) for s in FRAME_SHAPES] == [(1080, 1920), (1080, 1350), (1080, 1080), (1920, 1080)]
    with pytest.raises(TempikError, match="no frame shape 'round'"):
        in_shape(reel, "round")


@pytest.mark.parametrize("shape", ["portrait", "square", "wide"])
def test_looking_at_another_shape_changes_nothing_and_shows_what_is_led_over(shape: str, reel: Reel) -> None:
    shown = in_shape(reel, shape)
    assert in_own_shape(shown) == reel and in_shape(shown, "") == reel
    bare = everywhere(shown, lambda r: replace(r, clips=tuple(replace(c, shapes={}) for c in r.clips)))
    assert replace(bare, shown=None) == reframed(reel, *size_of(reel, shape))


def test_what_is_framed_in_a_shape_belongs_to_it_and_all_else_to_every_shape(reel: Reel) -> None:
    clip, other = reel.clips[0].id, reel.clips[1].id
    made_wide = framed(reel, clip, "wide")
    assert clip_of(made_wide, clip).framing == clip_of(reel, clip).framing
    assert framed_in(made_wide) == {"upright": [], "portrait": [], "square": [], "wide": [clip]}
    assert clip_of(in_shape(made_wide, "wide"), clip).framing == SHIFTED
    assert clip_of(in_shape(made_wide, "square"), clip).framing == clip_of(in_shape(reel, "square"), clip).framing
    # Set in the reel's own frame afterwards: what was led over follows, what was framed by hand stays.
    later = pieces.with_framing(made_wide, [clip, other], replace(SHIFTED, flip_x=True))
    assert clip_of(in_shape(later, "wide"), clip).framing == SHIFTED
    assert clip_of(in_shape(later, "wide"), other).framing.flip_x
    # What is no framing goes for all.
    faded = in_own_shape(layers.with_opacity(in_shape(made_wide, "wide"), [clip], 0.5))
    assert clip_of(faded, clip).opacity == 0.5 and framed_in(faded) == framed_in(made_wide)


def test_titles_have_their_size_and_place_in_each_shape(reel: Reel) -> None:
    reel, name = titles.with_title(reel, Title("Open day"), 0, 60)
    shown = in_shape(reel, "wide")
    grown = titles.with_title_fields(shown, [name], size=0.3, text="Open day at the smithy")
    kept = in_own_shape(grown)
    own, wide = clip_of(kept, name).title, clip_of(in_shape(kept, "wide"), name).title
    assert own is not None and wide is not None
    assert (own.size, wide.size) == (0.14, 0.3) and own.text == wide.text == "Open day at the smithy"


def test_keys_of_the_place_belong_to_the_shape_and_go_along_with_points(reel: Reel) -> None:
    clip, song = reel.clips[0].id, reel.soundtrack
    assert song is not None
    timeline = Timeline(reel)
    placed = timeline.placed_clip(clip)
    assert placed is not None
    point = next(p for p in timeline.on_reel() if placed.first < timeline.frame_of_point(p) < placed.end)
    frame = timeline.frame_of_point(point)
    shown = layers.with_place_keys(in_shape(reel, "square"), [clip], frame, Position(zoom=1.5))
    kept = in_own_shape(shown)
    assert not layers.has_place_keys(clip_of(kept, clip))
    moved = nudged(kept, [point.id], 0.1)
    key = clip_of(in_shape(moved, "square"), clip).keys["zoom"][0]
    assert key.point == point.id and not problems(moved)
    assert abs(key.time_s - next(p for p in points_of(moved.soundtrack) if p.id == point.id).time_s) < 0.2  # type: ignore[arg-type]
    assert not problems(with_split(kept, [frame + 2]))


def test_what_a_split_or_a_copy_makes_in_a_shape_has_its_own_framing_back(reel: Reel) -> None:
    clip = reel.clips[0].id
    placed = Timeline(reel).placed_clip(clip)
    assert placed is not None
    at = (placed.first + placed.end) // 2
    kept = framed(reel, clip, "wide")
    apart = with_split(kept, [at])
    assert len(apart.clips) == len(reel.clips) + 1
    assert in_own_shape(with_split(in_shape(kept, "wide"), [at])) == apart
    assert in_own_shape(with_split(in_shape(kept, "square"), [at])) == apart


def test_by_itself_again(reel: Reel) -> None:
    clip = reel.clips[0].id
    there = in_shape(framed(reel, clip, "wide"), "wide")
    assert in_own_shape(without_shape(there, [clip], "wide")) == reel
    with pytest.raises(TempikError, match="framed by hand"):
        without_shape(there, [reel.clips[1].id], "wide")


@settings(max_examples=20, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.sampled_from(["upright", "portrait", "square", "wide", ""]), max_size=5), st.integers(0, 1))
def test_however_one_looks_about_the_reel_is_the_same(reel: Reel, shapes: list[str], number: int) -> None:
    kept = framed(reel, reel.clips[number].id, "square")
    now = kept
    for shape in shapes:
        now = in_shape(now, shape)
    assert in_own_shape(now) == kept and not problems(kept)


def test_the_reels_own_frame_becomes_another_and_what_was_framed_there_is_taken(reel: Reel) -> None:
    clip = reel.clips[0].id
    made_wide = framed(reel, clip, "wide")
    turned = with_own_frame(made_wide, *size_of(reel, "wide"))
    assert clip_of(turned, clip).framing == SHIFTED and "wide" not in clip_of(turned, clip).shapes
    back = with_own_frame(turned, reel.width, reel.height)
    assert clip_of(back, clip).framing == clip_of(reel, clip).framing and not problems(back)


def test_it_is_kept_in_the_file_and_what_is_shown_is_never(reel: Reel, tmp_path: Path) -> None:
    kept = framed(reel, reel.clips[0].id, "wide")
    save_reel(kept, tmp_path / "a.tempik")
    assert load_reel(tmp_path / "a.tempik") == kept
    with pytest.raises(TempikError, match="own alone"):
        save_reel(in_shape(kept, "wide"), tmp_path / "b.tempik")
    wrong = replace(kept.clips[0], shapes={"round": kept.clips[0].shapes["wide"]})
    assert any("'round'" in p for p in problems(replace(kept, clips=(wrong, *kept.clips[1:]))))
    assert problems(replace(reel, shown=ShownShape("wide", 180, 320)))


def test_it_is_exported_so(reel: Reel, tmp_path: Path) -> None:
    clip = reel.clips[0].id
    black = Framing(fit="contain", start=Position(zoom=0.2))
    kept = framed(reel, clip, "wide", black)
    for shown in (kept, in_shape(kept, "wide"), in_shape(kept, "square")):
        own, wide = made(shown, Order(shapes=("reel", "wide")), tmp_path / "a.mp4")
        assert (own.reel.width, own.reel.height) == (reel.width, reel.height)
        assert clip_of(wide.reel, clip).framing == black and not any(
            c.shapes for c in wide.reel.clips if c.id == clip and "own" in c.shapes
        )
    with PictureSource() as source:
        picture = to_rgb(source.render(plan(Timeline(wide.reel), 2, 320, 180)))
    assert np.mean(picture[:, :60]) < 3  # black beside the small picture
    assert in_frame(kept, 640, 360).width == 640 and clip_of(in_frame(kept, 640, 360), clip).framing == black


def test_a_shape_on_the_command_line(reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "a.tempik"
    reel, _ = titles.with_title(reel, Title("Open day"), 0, 60)
    save_reel(reel, path)
    clip = next(p.clip.id for p in Timeline(reel).placed)
    assert main(["layers", str(path), "--shape", "wide", "--clips", "1", "--place", "zoom=150"]) == 0
    assert (
        framed_in(load_reel(path))["wide"] == [clip]
        and clip_of(load_reel(path), clip).framing == clip_of(reel, clip).framing
    )
    assert main(["titles", str(path), "--shape", "square", "--clips", "1", "--set", "size=0.3"]) == 0
    assert len(framed_in(load_reel(path))["square"]) == 1
    assert main(["layers", str(path), "--shape", "wide", "--clips", "1", "--by-itself"]) == 0
    assert framed_in(load_reel(path))["wide"] == []
    for wrong, says in (
        (["--shape", "round", "--clips", "1", "--opacity", "50"], "no frame shape 'round'"),
        (["--clips", "1", "--by-itself"], "In which shape"),
        (["--shape", "wide"], "What should be done"),
    ):
        capsys.readouterr()
        assert main(["layers", str(path), *wrong]) != 0 and says in capsys.readouterr().err


# In the window


def chosen(window: Window, number: int = 0) -> str:
    clip = window.project.reel.clips[number].id
    window.project.selection.select_clip(clip)
    placed = window.project.timeline.placed_clip(clip)
    assert placed is not None
    window.project.playhead.go(placed.first + 2)
    return clip


def test_a_clip_is_reframed_for_one_shape_in_three_actions(
    opened: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, clip = opened, chosen(opened)
    before, steps = window.project.history.reel, len(window.project.history.steps)
    menus = []
    monkeypatch.setattr("tempik.desktop.shell.view_commands.pop_up", lambda menu, at: menus.append(menu))
    QTest.mouseClick(window.tool_strip.shape_button, Qt.MouseButton.LeftButton)
    next(a for a in menus[0].actions() if a.text().startswith("16:9")).trigger()
    assert window.project.reel.width > window.project.reel.height and window.project.history.reel is before
    assert window.tool_strip.shape_button.text() == "16:9" and window.tool_strip.shape_button.isChecked()
    window.commands["show_frame"].trigger()
    box = window.preview.frame_box()
    assert box.width() > box.height()
    begin = QPointF(box.center())
    QTest.mousePress(window.preview, Qt.MouseButton.LeftButton, pos=begin.toPoint())
    QTest.mouseMove(window.preview, (begin + QPointF(30, 20)).toPoint())
    QTest.mouseMove(window.preview, (begin + QPointF(40, 30)).toPoint())
    QTest.mouseRelease(window.preview, Qt.MouseButton.LeftButton, pos=(begin + QPointF(40, 30)).toPoint())
    assert len(window.project.history.steps) == steps + 1 and framed_in(window.project.history.reel)["wide"] == [clip]
    assert clip_of(window.project.history.reel, clip).framing == clip_of(before, clip).framing
    page = window.page(FramePage)
    assert page.by_itself.isVisible() and page.shape.text() == "frame 16:9"
    QTest.mouseClick(page.by_itself, Qt.MouseButton.LeftButton)
    assert window.project.history.reel == before
    window.undo()
    assert framed_in(window.project.history.reel)["wide"] == [clip]
    window.commands["show_own"].trigger()
    assert window.project.reel == window.project.history.reel and not window.tool_strip.shape_button.isChecked()


def test_undo_saving_and_drafts_are_of_the_reels_own_frame(opened: Window, tmp_path: Path) -> None:
    window, clip = opened, chosen(opened)
    window.commands["show_square"].trigger()
    window.project.change("framed", lambda r: pieces.with_framing(r, [clip], SHIFTED))
    window.project.save(tmp_path / "kept.tempik")
    saved = load_reel(tmp_path / "kept.tempik")
    assert (saved.width, saved.height) == (180, 320) and framed_in(saved)["square"] == [clip]
    window.undo()
    assert (
        framed_in(window.project.history.reel)["square"] == []
        and window.project.reel.width == window.project.reel.height
    )
    window.commands["show_next"].trigger()
    assert window.project.shown.name == "wide"
    window.importer.settings(320, 320, None)
    assert window.project.shown.name == "" and window.project.reel.width == 320


@pytest.mark.parametrize(
    "name, size",
    [
        ("show_upright", (180, 320)),
        ("show_portrait", (180, 224)),
        ("show_square", (180, 180)),
        ("show_wide", (320, 180)),
    ],
)
def test_each_shape_is_shown_by_its_command_and_the_own_one_again(
    name: str, size: tuple[int, int], opened: Window
) -> None:
    before = opened.project.history.reel
    opened.commands[name].trigger()
    assert (opened.project.reel.width, opened.project.reel.height) == size and opened.project.history.reel is before
    chosen(opened)
    opened.commands["by_itself"].trigger()
    assert "framed by hand" in opened.foot.status.text()
    opened.commands["show_own"].trigger()
    assert opened.project.reel is before
