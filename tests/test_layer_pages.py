"""Titles, masks, layings and following by hand: the pages, the preview and the timeline in a real window."""

from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QImage, QMouseEvent, QPainter
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from media_files import write_video
from tempik.desktop.pages.accents.page import AccentsPage
from tempik.desktop.pages.frame import FramePage
from tempik.desktop.pages.layer.clip_fields import RULES
from tempik.desktop.pages.layer.page import LayerPage
from tempik.desktop.pages.titles.page import SETTLE_MS, TitlesPage
from tempik.desktop.shell.window import Window
from tempik.desktop.timeline.lanes.words import chips_of
from tempik.edit import titles
from tempik.edit.clips import masks, place, repeats
from tempik.edit.footage.facts import with_footage
from tempik.media import probe
from tempik.reel import Clip, Title
from tempik.timeline.extents import way_in_frame
from tempik.timeline.timeline import Timeline
from tempik.timeline.wording import word_frames
from tempik.titles.fonts import families


def clip_of(window: Window) -> Clip:
    clip = window.project.selection.clip
    assert clip is not None
    return clip


def title_of(window: Window) -> Title:
    title = clip_of(window).title
    assert title is not None
    return title


def send(widget: QWidget, kind: QEvent.Type, at: QPointF) -> None:
    """A pointer event: moves keep the button held."""
    held = Qt.MouseButton.LeftButton
    cause = held if kind != QEvent.Type.MouseMove else Qt.MouseButton.NoButton
    place_ = QPointF(widget.mapToGlobal(at.toPoint()))
    QApplication.sendEvent(widget, QMouseEvent(kind, at, place_, cause, held, Qt.KeyboardModifier.NoModifier))


def drag_on(widget: QWidget, begin: QPointF, end: QPointF) -> None:
    send(widget, QEvent.Type.MouseButtonPress, begin)
    for share in (0.4, 0.8, 1.0):
        send(widget, QEvent.Type.MouseMove, begin + share * (end - begin))
    send(widget, QEvent.Type.MouseButtonRelease, end)


def drag(window: Window, begin: tuple[float, float], end: tuple[float, float]) -> None:
    """Drag in the preview, by shares of the frame."""
    preview = window.preview
    box = preview.frame_box()
    a, b = (QPointF(box.left() + x * box.width(), box.top() + y * box.height()) for x, y in (begin, end))
    drag_on(preview, a, b)


def wide_film(folder: Path, begin: int, frames: int) -> str:
    """Footage wider than the frame, with a mark that goes across it from so many pixels on."""
    draw = np.random.default_rng(3)
    ground = (draw.integers(90, 130, (180, 320, 1)) * np.ones(3)).astype(np.uint8)
    mark = draw.integers(0, 255, (40, 40, 3)).astype(np.uint8)

    def frame(n: int) -> np.ndarray:  # type: ignore[type-arg]
        picture = ground.copy()
        picture[70:110, begin + n : begin + 40 + n] = mark
        return picture

    write_video(folder / "wide.mp4", frame, frames, 30)
    return str(folder / "wide.mp4")


# Titles


@pytest.mark.slow
def test_a_title_is_laid_typed_and_set_with_a_step_for_each(opened: Window, qtbot: QtBot) -> None:
    opened.project.playhead.go(40)
    opened.commands["add_title"].trigger()
    page = opened.page(TitlesPage)
    assert opened.page_panel.current is page and title_of(opened).text == "Title"
    steps = len(opened.project.history.steps)
    for text in ("S", "St", "Strike while it glows"):
        page.text.setPlainText(text)
    assert title_of(opened).text == "Strike while it glows"
    qtbot.wait(SETTLE_MS + 300)
    assert len(opened.project.history.steps) == steps + 1  # what was typed in one go is one step
    page.fields.form["size"].setValue(20)
    page.fields.font_box.setCurrentText("EB Garamond")
    page.fields.font_box.activated.emit(page.fields.font_box.currentIndex())
    tiles = page.fields.arrivals["enter"].tiles
    at = next(tiles.box(n).center().toPoint() for n, tile in enumerate(tiles.items) if tile.name == "rise")
    page.fields.pane.button(1).click()
    QTest.mouseClick(tiles, Qt.MouseButton.LeftButton, pos=at)
    made = title_of(opened)
    assert (made.size, made.font, made.enter.kind) == (0.2, "EB Garamond", "rise")
    opened.undo()
    opened.undo()
    assert title_of(opened).font == next(iter(families())) and title_of(opened).size == 0.2


@pytest.mark.slow
def test_typing_goes_to_one_title_and_fields_to_all_selected(opened: Window, qtbot: QtBot) -> None:
    opened.project.change(
        "two", lambda r: titles.with_title(titles.with_title(r, Title("one"), 0, 30)[0], Title("two"), 60, 30)[0]
    )
    names = [c.id for c in opened.project.reel.clips if c.title is not None]
    opened.commands["show_titles"].trigger()
    opened.project.selection.select_clips(names)
    page = opened.page(TitlesPage)
    page.text.setPlainText("changed")
    page.fields.form["outline"].setValue(5)
    found = [c.title for c in opened.project.reel.clips if c.title is not None]
    assert sorted(t.text for t in found) == ["changed", "two"] and {t.outline for t in found} == {0.05}


@pytest.mark.slow
def test_a_title_dragged_in_the_preview_snaps_to_the_middle(opened: Window, qtbot: QtBot) -> None:
    opened.project.playhead.go(40)
    opened.commands["add_title"].trigger()
    qtbot.wait(50)
    before = clip_of(opened).framing.start
    assert before.y == pytest.approx(0.16)
    drag(opened, (0.5, 0.66), (0.512, 0.60))
    at = clip_of(opened).framing.start
    assert at.x == pytest.approx(0, abs=1e-9) and at.y == pytest.approx(0.10, abs=0.02)
    drag(opened, (0.5, 0.6), (0.62, 0.6))
    assert clip_of(opened).framing.start.x == pytest.approx(0.12, abs=0.03)
    opened.undo()
    assert clip_of(opened).framing.start.x == pytest.approx(0, abs=1e-9)


@pytest.mark.slow
def test_what_a_title_lacks_is_said(opened: Window) -> None:
    opened.project.playhead.go(40)
    opened.commands["add_title"].trigger()
    page = opened.page(TitlesPage)
    opened.titles.set_fields("font", font="No Such Font")
    assert "No Such Font is not on this machine" in page.note.text()
    assert page.fields.font_box.currentText() == "No Such Font"
    opened.titles.set_fields("font", font="League Spartan", text="word " * 900)
    assert "lines have no room" in page.note.text()
    opened.titles.set_fields("text", text="word", size=1.4)
    assert "beyond what phones leave free" in page.note.text()


def test_words_are_put_on_points_and_dragged_on_the_timeline(opened: Window, qtbot: QtBot) -> None:
    opened.project.playhead.go(30)
    opened.commands["add_title"].trigger()
    opened.titles.set_fields("text", text="one two three")
    opened.commands["words_each"].trigger()
    opened.fit()
    placed = opened.project.selection.placed
    assert placed is not None
    timeline = opened.project.timeline
    frames = word_frames(timeline, placed)
    points = [timeline.frame_of_point(p) for p in timeline.on_reel()]
    assert set(frames) <= set(points) and len(set(frames)) == 3
    view = opened.timeline
    view.zoom(2.5)
    chip = chips_of(view.context(), placed)[1]
    begin = QPointF(chip.box.left() + 5, chip.box.center().y())
    beat = points[points.index(frames[2]) + 1] - frames[2]
    by = beat / float(timeline.rate) * view.view.px_per_s
    drag_on(view, begin, begin + QPointF(by, 0))
    again_ = opened.project.selection.placed
    assert again_ is not None and word_frames(opened.project.timeline, again_) == [frames[0], frames[2], frames[2]]
    opened.commands["words_off"].trigger()
    assert "word" not in clip_of(opened).keys


def test_lyrics_are_read_and_written(opened: Window, tmp_path: Path, qtbot: QtBot) -> None:
    (tmp_path / "s.lrc").write_text("[00:01.00]iron in the fire\n[00:03.00]strike\n[00:04.00]\n[00:50.00]far\n")
    opened.titles.read_lyrics_from(tmp_path / "s.lrc")
    qtbot.waitUntil(lambda: "2 of 3 lines" in opened.foot.status.text())
    texts = [c.title.text for c in opened.project.reel.clips if c.title is not None]
    assert texts == ["iron in the fire", "strike"] and "2 of 3 lines" in opened.foot.status.text()
    opened.titles.write_lyrics_to(tmp_path / "out.srt")
    assert "iron in the fire" in (tmp_path / "out.srt").read_text()
    opened.titles.read_lyrics_from(tmp_path / "none.lrc")
    qtbot.waitUntil(lambda: "none.lrc" in opened.foot.status.text())


# Layer


def test_masks_are_added_dragged_scaled_and_turned(opened: Window, qtbot: QtBot) -> None:
    first = opened.project.timeline.placed[0]
    opened.project.selection.select_clip(first.clip.id)
    opened.project.playhead.go(first.first + 2)
    opened.commands["show_layer"].trigger()
    page = opened.page(LayerPage)
    page.masks.wanted.emit("rectangle")
    drag(opened, (0.5, 0.5), (0.6, 0.4))
    (mask,) = clip_of(opened).masks
    assert mask.x > 0.52 and mask.y < 0.48
    placed = opened.project.selection.placed
    assert placed is not None
    to = page.tool._to_frame(placed)
    for grip, by in (("right", (0.05, 0.0)), ("bottom", (0.0, 0.05)), ("turn", (0.1, 0.02))):
        mask = clip_of(opened).masks[0]
        at = to @ [*page.tool._handles(placed, mask)[grip], 1.0]
        drag(opened, (at[0], at[1]), (at[0] + by[0], at[1] + by[1]))
        now = clip_of(opened).masks[0]
        assert {"right": now.width > mask.width, "bottom": now.height > mask.height, "turn": now.turn_deg > 5}[grip], (
            grip
        )
    page.masks.form["feather"].setValue(4)
    page.masks.form["invert"].click()
    assert clip_of(opened).masks[0].feather == 0.04 and clip_of(opened).masks[0].invert
    page.masks.key.click()
    assert set(clip_of(opened).masks[0].keys) == {"x", "y", "width", "height", "turn_deg"}
    page.masks.removed.emit()
    assert clip_of(opened).masks == ()


def test_a_polygon_is_drawn_click_by_click(opened: Window, qtbot: QtBot) -> None:
    first = opened.project.timeline.placed[0]
    opened.project.selection.select_clip(first.clip.id)
    opened.project.playhead.go(first.first + 2)
    opened.commands["show_layer"].trigger()
    page = opened.page(LayerPage)
    page.masks.wanted.emit("polygon")
    for at in ((0.3, 0.3), (0.7, 0.35), (0.6, 0.7)):
        drag(opened, at, at)
    page.tool.centre()
    (mask,) = clip_of(opened).masks
    assert mask.kind == "polygon" and len(mask.points) == 3
    opened.preview.grab()  # paints the handles


def test_a_colour_is_picked_in_the_preview_and_made_clear(opened: Window, qtbot: QtBot) -> None:
    opened.project.change(
        "solid", lambda r: place.with_solid(place.with_new_track(r), 0, 60, "#2080c0", 1, insert=False)
    )
    clip = opened.project.reel.clips[-1].id
    opened.project.selection.select_clip(clip)
    opened.project.playhead.go(5)
    opened.commands["show_layer"].trigger()
    page = opened.page(LayerPage)
    page.clear.of.setCurrentIndex(1)
    page.clear.of.activated.emit(1)
    page.clear.pick.click()
    drag(opened, (0.5, 0.5), (0.5, 0.5))
    clear = clip_of(opened).clear
    assert clear is not None
    picked = [int(clear.colour[i : i + 2], 16) for i in (1, 3, 5)]
    assert np.abs(np.array(picked) - (0x20, 0x80, 0xC0)).max() <= 4
    page.clear.of.setCurrentIndex(0)
    page.clear.of.activated.emit(0)
    assert clip_of(opened).clear is None


def test_a_clip_is_laid_again_left_out_and_made_its_own(opened: Window) -> None:
    opened.project.change(
        "solid", lambda r: place.with_solid(place.with_new_track(r), 0, 6, "#ffffff", 1, insert=False)
    )
    clip = opened.project.reel.clips[-1].id
    opened.project.selection.select_clip(clip)
    opened.commands["show_layer"].trigger()
    page = opened.page(LayerPage)
    number = [title for title, _ in RULES].index("on downbeats")
    page.repeat.rule.setCurrentIndex(number)
    page.repeat.rule.activated.emit(number)
    names = repeats.repeat_instances(opened.project.timeline, clip)
    assert len(names) >= 3 and page.repeat.count.text() == f"{len(names)} more"
    third = opened.project.timeline.placed_clip(names[1])
    assert third is not None
    opened.project.playhead.go(third.first + 1)
    opened.commands["leave_out"].trigger()
    assert len(repeats.repeat_instances(opened.project.timeline, clip)) == len(names) - 1
    page.repeat.all_back.click()
    opened.project.playhead.go(third.first + 1)
    opened.commands["make_own"].trigger()
    own = opened.project.selection.placed
    assert own is not None and own.first == third.first and not own.repeated
    opened.timeline.grab()


def test_an_adjust_clip_is_laid_and_accents_act_on_all_below_it(opened: Window) -> None:
    opened.project.playhead.go(30)
    opened.commands["add_adjust"].trigger()
    placed = opened.project.selection.placed
    assert placed is not None and placed.footage.kind == "adjust" and placed.first == 30
    opened.accents.add_lane("invert")
    opened.commands["show_accents"].trigger()
    page = opened.page(AccentsPage)
    page.rule.place.setCurrentIndex(3)
    page.rule.place.activated.emit(3)
    row = opened.project.reel.accent_lanes[-1]
    assert row.alone and row.limit.clips == (placed.clip.id,)
    opened.timeline.grab()


@pytest.mark.film
def test_a_subject_clicked_in_the_preview_is_followed(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    film = wide_film(tmp_path, 130, 60)
    project = opened.project
    project.change("wide", lambda r: with_footage(r, probe(film)))
    piece = project.reel.footage[-1].id
    project.change("laid", lambda r: place.with_clip_at(place.with_new_track(r), piece, 0, 1, frames=60))
    clip = project.reel.clips[-1].id
    project.selection.select_clip(clip)
    project.playhead.go(10)
    opened.commands["show_frame"].trigger()
    opened.commands["pick_subject"].trigger()
    placed = project.timeline.placed_clip(clip)
    assert placed is not None
    drag(opened, (0.5, 0.5), (0.5, 0.5))
    qtbot.waitUntil(lambda: clip_of(opened).follow is not None, timeout=20_000)
    page = opened.page(FramePage)
    page.follow.form["x"].setValue(30)
    found = clip_of(opened).follow
    assert found is not None and found.x == 0.3
    way = [
        project.timeline.framing_at(placed_, f).start.x
        for f in (10, 40)
        if (placed_ := project.timeline.placed_clip(clip))
    ]
    assert way[1] < way[0]
    now = project.timeline.placed_clip(clip)
    assert now is not None
    seen = way_in_frame(project.timeline, now, 20)
    assert seen.shape == (now.frames, 3) and seen[20 - now.first, 0] == pytest.approx(0.3, abs=0.06)
    assert seen[40 - now.first, 0] > seen[20 - now.first, 0]  # the mark goes to the right in the picture
    opened.preview.grab()
    opened.commands["follow_nothing"].trigger()
    assert clip_of(opened).follow is None


def test_every_overlay_paints_on_a_clip_that_has_everything(opened: Window) -> None:
    first = opened.project.timeline.placed[0].clip.id

    def everything(reel):  # type: ignore[no-untyped-def]
        for kind, points in (("rectangle", ()), ("ellipse", ()), ("polygon", ((0, 0), (1, 0), (0.5, 1)))):
            reel, _ = masks.with_mask(reel, first, kind, points)
        clips = tuple(
            replace(c, masks=(*c.masks, replace(c.masks[0], id="m9", kind="cloud"))) if c.id == first else c
            for c in reel.clips
        )
        return replace(reel, clips=clips)

    opened.project.change("masks", everything)
    opened.project.selection.select_clip(first)
    opened.project.playhead.go(2)
    image = QImage(400, 700, QImage.Format.Format_RGB32)
    for name in ("show_layer", "show_titles", "show_frame"):
        opened.commands[name].trigger()
        painter = QPainter(image)
        tool = opened.preview.mode.tool
        assert tool is not None
        tool.paint(painter, opened.preview.frame_box())
        painter.end()
        tool.press(QPointF(0.5, 0.5))
        tool.zoom_by(1.1)
        tool.settle()
    assert isinstance(opened.project.timeline, Timeline)


@pytest.mark.film
def test_all_wide_clips_are_followed_and_looked_over(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    film = wide_film(tmp_path, 100, 50)
    project = opened.project
    project.change("wide", lambda r: with_footage(r, probe(film)))
    piece = project.reel.footage[-1].id
    for number, at in enumerate((0, 60)):
        project.change(
            "laid",
            lambda r, n=number, a=at: place.with_clip_at(
                place.with_new_track(r) if not n else r, piece, a, 1, frames=45
            ),
        )  # type: ignore[misc]
    wide = [c.id for c in project.reel.clips if c.footage == piece]
    opened.commands["show_frame"].trigger()
    opened.commands["follow_all"].trigger()
    fields = opened.page(FramePage).follow
    qtbot.waitUntil(lambda: getattr(fields, "sheet", None) is not None, timeout=30_000)
    followed = {c.id for c in project.reel.clips if c.follow is not None}
    assert set(wide) <= followed and fields.sheet.list.count() == len(followed)
    item = fields.sheet.list.item(0)
    fields.sheet.list.itemClicked.emit(item)
    assert project.selection.clip_id == item.data(Qt.ItemDataRole.UserRole)
    opened.undo()
    assert not any(c.follow for c in project.reel.clips)  # one step for all
    fields.sheet.close()


@pytest.mark.film
def test_a_subject_is_stroked_cut_out_and_shown_whole_again(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    draw = np.random.default_rng(8)
    ground = (draw.integers(60, 100, (320, 180, 1)) * np.ones(3)).astype(np.uint8)

    def frame(n: int) -> np.ndarray:  # type: ignore[type-arg]
        picture = ground.copy()
        picture[120 + n // 3 : 200 + n // 3, 60:120] = (220, 70, 40)
        return picture

    write_video(tmp_path / "block.mp4", frame, 30, 30)
    project = opened.project
    project.change("block", lambda r: with_footage(r, probe(str(tmp_path / "block.mp4"))))
    piece = project.reel.footage[-1].id
    project.change("laid", lambda r: place.with_clip_at(place.with_new_track(r), piece, 0, 1, frames=24))
    clip = project.reel.clips[-1].id
    project.selection.select_clip(clip)
    project.playhead.go(4)
    opened.commands["show_layer"].trigger()
    page = opened.page(LayerPage)
    assert not page.cutting.cut.isEnabled()
    page.cutting.keep.click()
    drag(opened, (0.4, 0.5), (0.6, 0.5))
    page.cutting.drop.click()
    drag(opened, (0.06, 0.06), (0.94, 0.06))
    drag(opened, (0.06, 0.94), (0.94, 0.94))
    assert page.cutting.strokes.text() == "3 strokes" and page.cutting.cut.isEnabled()
    opened.preview.grab()
    page.cutting.cut.click()
    qtbot.waitUntil(lambda: bool(clip_of(opened).cutout), timeout=30_000)
    kept = project.reel.footage[-1].cutouts[0]
    assert Path(kept.path).is_file() and len(kept.strokes) == 3 and page.cutting.strokes.text() == ""
    page.cutting.show_all.click()
    assert clip_of(opened).cutout == "" and project.reel.footage[-1].cutouts == ()
    opened.undo()
    assert clip_of(opened).cutout and Path(kept.path).is_file()
