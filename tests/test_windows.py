"""Windows that pictures are seen through, rims round what shows, and recipes: as laid, as seen, by hand in the preview, from the command
line."""

import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from tempik.cli.main import main
from tempik.desktop.pages.layer.page import LayerPage
from tempik.desktop.shell.window import Window
from tempik.edit import recipes
from tempik.edit.clips import masks, windows
from tempik.edit.clips.follow import with_follow
from tempik.edit.clips.slots import clip_of
from tempik.edit.frame_shapes import in_shape
from tempik.edit.titles import with_title
from tempik.errors import TempikError
from tempik.media.blend import BLENDS
from tempik.media.picture import Picture, solid, to_rgb
from tempik.media.rim import RimPaint, grown, rimmed
from tempik.project.file import load_reel, save_reel
from tempik.reel import Clip, Cutout, Edge, Footage, Framing, Mask, MotionTrack, Position, Reel, Stroke, Title
from tempik.reel import PictureWindow as Hole
from tempik.reel.validate import problems
from tempik.render.alone import DARK, LIGHT, plan_alone, shown_alone
from tempik.render.picking import edge_colour
from tempik.render.pictures import PictureSource
from tempik.render.plan import plan
from tempik.timeline.extents import corners_of
from tempik.timeline.framing import frame_matrix
from tempik.timeline.timeline import Timeline

W, H = 180, 320


def two(framing: Framing = Framing(), **fields: object) -> Reel:
    """White over blue, for two seconds."""
    from fractions import Fraction

    footage = tuple(
        Footage(name, colour, W, H, Fraction(30), 10.0, kind="solid")
        for name, colour in (("f1", "#0000ff"), ("f2", "#ffffff"))
    )
    below = Clip("c1", "f1", Edge(0.0), Edge(2.0))
    above = Clip("c2", "f2", Edge(0.0), Edge(2.0), track=1, framing=framing, **fields)  # type: ignore[arg-type]
    from tempik.reel import VideoTrack

    return Reel(W, H, Fraction(30), 2.0, footage=footage, clips=(below, above), tracks=(VideoTrack(), VideoTrack()))


def seen(reel: Reel, frame: int = 0) -> np.ndarray:  # type: ignore[type-arg]
    picture: Picture
    with PictureSource() as source:
        picture = source.render(plan(Timeline(reel), frame, W, H))
    return to_rgb(picture).astype(int)


def test_a_picture_is_seen_in_its_window_alone_and_the_window_stands_and_turns_where_the_clip_is_put() -> None:
    hole = Hole(0.5, 0.25)
    rgb = seen(two(Framing(window=hole)))
    white = rgb[:, :, 0] > 128
    rows, columns = np.flatnonzero(white.any(axis=1)), np.flatnonzero(white.any(axis=0))
    assert (columns[0], columns[-1] + 1) == (45, 135) and (rows[0], rows[-1] + 1) == (120, 200)
    moved = Framing(window=hole, start=Position(1.0, 0.2, -0.3, 90.0))
    rgb = seen(two(moved))
    white = rgb[:, :, 0] > 128
    rows, columns = np.flatnonzero(white.any(axis=1)), np.flatnonzero(white.any(axis=0))
    # Turned by a quarter, what was 90 wide is 90 high.
    assert (rows[0], rows[-1] + 1) == pytest.approx((64 - 45, 64 + 45), abs=1)
    assert (columns[0], columns[-1] + 1) == pytest.approx((126 - 40, 126 + 40), abs=1)
    corners = corners_of(Timeline(two(moved)), Timeline(two(moved)).placed_clip("c2"), 0) * [W, H]  # type: ignore[arg-type]
    assert corners.min(axis=0) == pytest.approx([86, 19], abs=0.01) and corners.max(axis=0) == pytest.approx(
        [166, 109], abs=0.01
    )


@pytest.mark.parametrize("fit", ["cover", "contain", "stretch"])
def test_a_window_is_to_its_picture_what_the_frame_is_without_one(fit: str) -> None:
    """The affine within a window is that within a frame of the window's size, moved to where the window lies."""
    footage = two().footage[0]
    wide = replace(footage, width=400, height=200)
    framing = Framing(fit=fit, start=Position(1.3, 0.1, -0.05, 12.0))  # type: ignore[arg-type]
    alone = frame_matrix(replace(framing, start=Position(1.3, 0.1, -0.05)), wide, 100.0, 60.0)
    hole = Hole(0.5, 0.3, zoom=1.3, x=0.1, y=-0.05)
    within = frame_matrix(Framing(fit=fit, window=hole), wide, 200.0, 200.0)  # type: ignore[arg-type]
    shift = np.array([[1, 0, 50.0], [0, 1, 70.0], [0, 0, 1]])
    assert within == pytest.approx(shift @ alone)


def test_what_a_clip_follows_moves_inside_its_window_and_keys_move_the_window(reel: Reel) -> None:
    clip = max(Timeline(reel).placed, key=lambda q: q.frames).clip
    times = tuple(np.arange(0, 20, 0.1))
    track = MotionTrack("t1", times, tuple(np.linspace(0.3, 0.7, len(times))), tuple(np.full(len(times), 0.5)))
    reel = with_follow(reel, clip.id, track)
    reel = windows.with_window(reel, [clip.id], width=0.3, height=0.3)
    timeline = Timeline(reel)
    placed = timeline.placed_clip(clip.id)
    assert placed is not None
    first, last = (timeline.framing_at(placed, f) for f in (placed.first, placed.end - 1))
    assert first.window is not None and last.window is not None
    assert first.start == last.start == Position() and first.window.x != last.window.x
    assert np.array_equal(corners_of(timeline, placed, placed.first), corners_of(timeline, placed, placed.end - 1))


def test_an_outline_is_so_wide_all_round_and_lies_below_the_picture() -> None:
    cover = np.zeros((100, 100), np.uint8)
    cover[40:60, 30:70] = 255
    edge = grown(cover, 5.0) >= 128
    rows, columns = np.flatnonzero(edge.any(axis=1)), np.flatnonzero(edge.any(axis=0))
    assert (rows[0], rows[-1] + 1, columns[0], columns[-1] + 1) == (35, 65, 25, 75)
    # Round about corners: the area is that of the box, four sides and a disc of the outline's width.
    assert np.count_nonzero(edge) == pytest.approx(20 * 40 + 2 * 5 * (20 + 40) + np.pi * 25, rel=0.02)
    made = to_rgb(rimmed(solid(100, 100), cover, RimPaint(5.0, "#ff0000"), 0.5))
    assert made[37, 50, 0] == pytest.approx(128, abs=4) and made[20, 50].max() < 8
    mask = Mask("m1", "rectangle", 0.5, 0.5, 0.4, 0.2)
    outlined = windows.with_rim(two(masks=(mask,)), ["c2"], outline=0.05, outline_colour="#ff0000")
    rgb = seen(outlined)
    assert tuple(rgb[160, 90] > 128) == (True, True, True) and tuple(rgb[160, 90 - 36 - 4] > 128) == (
        True,
        False,
        False,
    )
    assert tuple(rgb[160, 90 - 36 - 14] > 128) == (False, False, True)


def test_the_rim_of_what_is_seen_through_lies_outside_alone() -> None:
    mask = Mask("m1", "rectangle", 0.5, 0.5, 0.4, 0.2)
    through = windows.with_rim(two(masks=(mask,), blend="multiply"), ["c2"], outline=0.05, outline_colour="#ff0000")
    rgb = seen(through)
    assert tuple(rgb[160, 90] > 128) == (False, False, True), (
        "white multiplied changes nothing, and no red lies below it"
    )
    assert tuple(rgb[160, 90 - 36 - 4] > 128) == (True, False, False)


@pytest.mark.parametrize("size", [(101, 75), (64, 64), (7, 5)])
def test_a_rim_is_painted_at_any_size_and_where_the_layer_lies_at_the_edge(size: tuple[int, int]) -> None:
    wide, high = size
    cover = np.zeros((high, wide), np.uint8)
    cover[: high // 2, : wide // 2] = 255
    made = rimmed(solid(wide, high), cover, RimPaint(3.0, "#ff0000", 5.0, "#00ff00", 0.5))
    assert made.size == (wide, high) and to_rgb(made)[:, :, 0].max() > 100


def test_a_glow_is_brighter_near_and_a_shadow_falls_below() -> None:
    mask = Mask("m1", "rectangle", 0.5, 0.5, 0.4, 0.2)
    glow = seen(windows.with_rim(two(masks=(mask,)), ["c2"], glow=0.1, glow_colour="#ff0000"))[160, :, 0]
    assert glow[50] > glow[44] > glow[36] > 5
    dark = seen(windows.with_rim(two(masks=(mask,)), ["c2"], shadow=0.9))[:, 90, 2]
    assert dark[128 - 3] > dark[192 + 3] and dark[20] > 200


def test_windows_and_rims_are_kept_in_the_file_and_checked(reel: Reel, tmp_path: Path) -> None:
    made = windows.with_rim(windows.with_window(reel, ["c1"], corner=0.4), ["c1"], glow=0.1)
    save_reel(made, tmp_path / "w.tempik")
    assert load_reel(tmp_path / "w.tempik") == made
    clip = clip_of(made, "c1")
    for bad in (
        replace(clip, framing=replace(clip.framing, window=Hole(0.0, 0.4))),
        replace(clip, rim=replace(clip.rim, glow=3.0)),
        replace(clip, rim=replace(clip.rim, outline_colour="red; drop")),
    ):
        assert problems(replace(made, clips=tuple(bad if c.id == "c1" else c for c in made.clips)))
    assert clip_of(windows.with_rim(made, ["c1"], glow=0.0), "c1").rim is None
    assert clip_of(windows.without_window(made, ["c1"]), "c1").framing.window is None


@pytest.mark.parametrize(
    "wish, says",
    [
        (lambda r: windows.without_window(r, ["c1"]), "seen through a window"),
        (lambda r: windows.without_rim(r, ["c1"]), "has a rim"),
        (lambda r: windows.with_window(r, ["c1"], width=4.0), "width"),
        (lambda r: recipes.outlined(r, ["c1"]), "ends within the frame"),
        (lambda r: recipes.words_behind(r, ["c1"]), "Stroke over the subject first"),
        (lambda r: recipes.recipe_named("soup").edit(r, ["c1"]), "no recipe 'soup'"),
        (lambda r: windows.with_rim(with_title(r, Title("A"), 0, 30)[0], [with_title(r, Title("A"), 0, 30)[1]], glow=0.1), "Titles page"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_said(wish: Callable[[Reel], Reel], says: str, reel: Reel) -> None:
    with pytest.raises(TempikError, match=says):
        wish(reel)


def test_a_small_picture_stays_in_its_corner_in_frames_of_other_shapes(reel: Reel) -> None:
    reel = replace(reel, width=1080, height=1920)
    made = recipes.small_picture(reel, ["c1"])
    hole = clip_of(made, "c1").framing.window
    assert hole is not None and hole.width * 1080 * 1.25 == pytest.approx(hole.height * 1920)
    for shape, (width, height) in {"wide": (1920, 1080), "square": (1080, 1080)}.items():
        shown = in_shape(made, shape)
        framing = clip_of(shown, "c1").framing
        assert framing.window is not None and (shown.width, shown.height) == (width, height)
        assert framing.window.width * width == pytest.approx(
            432, abs=1
        ) and framing.window.height * height == pytest.approx(540, abs=1)
        right = (0.5 - framing.start.x - framing.window.width / 2) * width
        assert right == pytest.approx(54, abs=1)


def test_words_go_between_a_clip_and_its_cut_out_subject(reel: Reel) -> None:
    clip = next(c for c in reel.clips if c.id == "c1")
    cutout = Cutout("o1", (Stroke(0.0, ((0.5, 0.5), (0.6, 0.6))),), "matte.mkv")
    footage = tuple(replace(f, cutouts=(cutout,)) if f.id == clip.footage else f for f in reel.footage)
    reel = replace(
        reel, footage=footage, clips=tuple(replace(c, cutout="o1") if c.id == "c1" else c for c in reel.clips)
    )
    made = recipes.words_behind(reel, ["c1"])
    frame = next(p.first for p in Timeline(made).placed if p.clip.id == "c1")
    layers = [p.clip for p in Timeline(made).clips_at(frame)]
    layers.sort(key=lambda c: c.track)
    assert [bool(c.cutout) for c in layers] == [False, False, True] and layers[1].title is not None
    assert layers[2].footage == layers[0].footage and not problems(made)


def test_the_colour_of_the_edges_is_found_and_a_picture_without_one_refused(reel: Reel) -> None:
    green = two()
    footage = replace(green.footage[1], path="#21a045")
    green = replace(green, footage=(green.footage[0], footage))
    placed = Timeline(green).placed_clip("c2")
    assert placed is not None
    found = edge_colour(Timeline(green), placed, 0)
    assert all(abs(int(found[n : n + 2], 16) - int("21a045"[n - 1 : n + 1], 16)) <= 4 for n in (1, 3, 5))
    with pytest.raises(TempikError, match="no strong colour"):
        edge_colour(Timeline(two()), Timeline(two()).placed_clip("c2"), 0)  # type: ignore[arg-type]


def test_windows_rims_and_recipes_from_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "w.tempik"
    green = two()
    save_reel(replace(green, footage=(green.footage[0], replace(green.footage[1], path="#21a045"))), path)

    def run(*wanted: str) -> int:
        return main(["layers", str(path), "--clips", "2", *wanted])

    def now() -> Clip:
        return clip_of(load_reel(path), "c2")

    assert (
        run("--window", "width=50", "--window", "corner=30", "--rim", "outline=1", "--rim", "outline-colour=#00ff00")
        == 0
    )
    clip = now()
    assert clip.framing.window == Hole(0.5, 0.3, 0.3) and clip.rim is not None and clip.rim.outline == 0.01
    assert run("--window", "off", "--rim", "off") == 0 and now().rim is None and now().framing.window is None
    assert run("--recipe", "small picture") == 0 and now().framing.window is not None
    assert run("--recipe", "glow") == 0
    assert run("--recipe", "remove green") == 0
    made = now().clear
    assert made is not None and made.of == "colour"
    for wrong, says in (
        (["--recipe", "soup"], "no recipe 'soup'"),
        (["--window", "depth=3"], "A window has no 'depth'"),
        (["--window", "width=900"], "width"),
        (["--rim", "sparkle=3"], "A rim has no 'sparkle'"),
        (["--recipe", "words behind"], "Stroke over the subject first"),
    ):
        capsys.readouterr()
        assert run(*wrong) != 0 and says in capsys.readouterr().err


@pytest.fixture
def page(opened: Window) -> LayerPage:
    """A clip on the Layer page, at the playhead."""
    placed = max(opened.project.timeline.placed, key=lambda q: q.frames)
    opened.project.selection.select_clip(placed.clip.id)
    opened.project.playhead.go(placed.first + 2)
    opened.commands["show_layer"].trigger()
    return opened.page(LayerPage)


def press(page: LayerPage, text: str) -> None:
    """Press the button of a recipe."""
    found = next(b for b in page.recipes.findChildren(QPushButton) if b.text() == text)
    QTest.mouseClick(found, Qt.MouseButton.LeftButton)


def test_a_small_picture_is_one_click_and_its_window_is_dragged_by_its_sides_and_its_picture_with_ctrl(
    page: LayerPage, opened: Window
) -> None:
    steps = len(opened.project.history.steps)
    press(page, "small picture")
    assert len(opened.project.history.steps) == steps + 1
    clip = opened.project.selection.clip
    assert clip is not None and clip.framing.window is not None and clip.rim is not None
    before, tool = clip.framing.window, page.tool.box
    placed = opened.project.selection.placed
    assert placed is not None
    corners = corners_of(opened.project.timeline, placed, opened.project.playhead.frame)
    left = (corners[0] + corners[3]) / 2
    tool.press(QPointF(*left))
    tool.drag(QPointF(-0.2, 0.0))
    tool.settle()
    clip = opened.project.selection.clip
    assert clip is not None and clip.framing.window is not None
    assert clip.framing.window.width == pytest.approx(before.width + 0.2, abs=0.002)
    now = corners_of(opened.project.timeline, opened.project.selection.placed, opened.project.playhead.frame)  # type: ignore[arg-type]
    assert now[1] == pytest.approx(corners[1], abs=1e-3), "the other side stays"
    middle = now.mean(axis=0)
    tool.press(QPointF(*middle), Qt.KeyboardModifier.ControlModifier)
    tool.drag(QPointF(0.03, 0.01), Qt.KeyboardModifier.ControlModifier)
    tool.settle()
    clip = opened.project.selection.clip
    assert clip is not None and clip.framing.window is not None and clip.framing.window.x > 0.04
    page.windows.window_form["corner"].setValue(60)
    page.windows.rim_form["glow"].setValue(5)
    clip = opened.project.selection.clip
    assert clip is not None and clip.framing.window is not None and clip.rim is not None
    assert clip.framing.window.corner == 0.6 and clip.rim.glow == 0.05


def test_recipes_that_cannot_be_say_why_with_what_mends_it(page: LayerPage, opened: Window) -> None:
    press(page, "outline")
    assert "ends within the frame" in opened.foot.status.text() and opened.foot.remedy.text() == "Small picture"
    press(page, "words behind")
    assert "Stroke over the subject first" in opened.foot.status.text()
    press(page, "remove green")
    assert "no strong colour" in opened.foot.status.text() or opened.project.selection.clip.clear is not None  # type: ignore[union-attr]
    for name in ("small_picture", "outline", "glow", "on_downbeats"):
        opened.commands[name].trigger()
    clip = opened.project.selection.clip
    assert clip is not None and clip.rim is not None and clip.rim.outline and clip.rim.glow and clip.repeat is not None
    reel, _ = masks.with_mask(opened.project.reel, clip.id, "ellipse")
    assert not problems(reel)
    opened.commands["words_behind"].trigger()
    opened.commands["remove_green"].trigger()


def test_a_clip_is_seen_alone_over_a_checkerboard_and_as_where_it_shows() -> None:
    reel = two(masks=(Mask("m1", "rectangle", 0.5, 0.5, 0.5, 0.5),))
    found = plan_alone(Timeline(reel), 0, (W, H), "c2")
    assert found is not None and plan_alone(Timeline(reel), 500, (W, H), "c2") is None
    with PictureSource() as source:
        over, mask = shown_alone(source, found, "clip"), shown_alone(source, found, "mask")
    assert over[160, 90].min() > 240 and {tuple(over[4, x]) for x in (3, 10)} == {(105, 105, 105), (150, 150, 150)}
    assert mask[160, 90].min() > 250 and mask[10, 10].max() == 0
    # White covers the half by the half in the middle.
    assert np.count_nonzero(mask[:, :, 0] > 127) == pytest.approx(W * H / 4, rel=0.02)


def test_the_button_under_the_preview_shows_the_clip_alone_then_where_it_shows_then_all(
    page: LayerPage, opened: Window, qtbot: QtBot
) -> None:
    placed = opened.project.selection.placed
    assert placed is not None
    opened.project.change("mask", lambda r: masks.with_mask(r, placed.clip.id, "rectangle")[0])
    qtbot.waitUntil(lambda: opened.preview.image is not None, timeout=20_000)

    def corner() -> tuple[int, int, int]:
        image = opened.preview.image
        assert image is not None
        return image.pixelColor(3, 3).getRgb()[:3]  # type: ignore[return-value]

    button = opened.tool_strip.alone_button
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(
        lambda: all(abs(v - LIGHT) < 4 for v in corner()) or all(abs(v - DARK) < 4 for v in corner()), timeout=20_000
    )
    assert button.isChecked() and "by itself" in button.toolTip()
    opened.commands["see_alone"].trigger()
    qtbot.waitUntil(lambda: corner() == (0, 0, 0), timeout=20_000)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    assert not button.isChecked()
    opened.project.selection.select_clip(None)
    opened.commands["see_alone"].trigger()
    assert "Select a clip first" in opened.foot.status.text()


def test_blend_modes_are_picked_from_pictures_of_the_users_own_frame(page: LayerPage, opened: Window) -> None:
    steps = len(opened.project.history.steps)
    QTest.mouseClick(page.laid.see, Qt.MouseButton.LeftButton)
    chooser = page.laid.chooser
    assert chooser is not None and chooser.isVisible()
    tiles = chooser.tiles
    assert [tiles.name_of(item) for item in tiles.items] == list(BLENDS)
    looks = {
        bytes(tiles.resting(blend).toImage().constBits()) for blend in ("normal", "screen", "multiply", "difference")
    }
    assert len(looks) >= 2
    number = list(BLENDS).index("screen")
    QTest.mouseClick(tiles, Qt.MouseButton.LeftButton, pos=tiles.box(number).center().toPoint())
    clip = opened.project.selection.clip
    assert clip is not None and clip.blend == "screen" and len(opened.project.history.steps) == steps + 1
    opened.project.playhead.go(opened.project.timeline.frames - 1)
    QTest.mouseClick(page.laid.see, Qt.MouseButton.LeftButton)
    assert "not at the playhead" in opened.foot.status.text()


def test_the_page_says_where_a_clip_is_seen_only_while_the_playhead_is_elsewhere(
    page: LayerPage, opened: Window
) -> None:
    """It went on saying so after the playhead had come there."""
    placed = opened.project.selection.placed
    assert placed is not None
    opened.project.playhead.go(placed.end + 1)
    page.refill()
    assert "is not at the playhead" in page.note.text()
    opened.project.playhead.go(placed.first)
    assert "is not at the playhead" not in page.note.text()


@pytest.mark.parametrize("turn", [0.0, 17.0])
def test_a_layer_worked_out_in_the_box_where_it_shows_is_the_same_as_in_the_whole_frame(
    turn: float, reel: Reel, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Within a step of 255: an affine counts in thirty-seconds of a sample, from another corner."""
    reel = replace(reel, clips=reel.clips[:1], accent_lanes=())
    reel = recipes.small_picture(reel, ["c1"])
    clip = clip_of(reel, "c1")
    framing = replace(clip.framing, start=replace(clip.framing.start, turn_deg=turn, x=0.103))
    reel = replace(reel, clips=(replace(clip, framing=framing, opacity=0.9),))
    in_part = seen(reel, 5)
    monkeypatch.setattr(sys.modules["tempik.render.compose"], "MOST_PART", -1.0)
    whole = seen(reel, 5)
    away = np.abs(in_part - whole)
    assert away.mean() < 0.15 and np.percentile(away, 99.9) <= 12, (away.mean(), away.max())
