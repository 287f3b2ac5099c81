"""Cutting by hand in the window: dragging cuts, edges, clips, cues and footage, and the keys for the same."""

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QByteArray, QEvent, QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from tempik.desktop.pages.footage.page import FootagePage
from tempik.desktop.session.preferences import load_preferences
from tempik.desktop.shell.palette import CommandPalette
from tempik.desktop.shell.shortcuts import ShortcutsDialog
from tempik.desktop.shell.window import Window
from tempik.desktop.timeline.dropping import FOOTAGE_MIME
from tempik.desktop.timeline.lanes import cues, points
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.clips import pins as pin
from tempik.edit.footage.cues import with_cue, with_moved_cue
from tempik.project.file import save_reel
from tempik.reel import Reel, by_id
from tempik.time import time_of
from tempik.timeline.covering import gaps
from tempik.timeline.placed_clip import PlacedClip

pytestmark = pytest.mark.usefixtures("no_dialogs")
WAIT = 30_000
NONE, SHIFT, CTRL, ALT = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
)


@pytest.fixture
def cut(opened: Window) -> Iterator[Window]:
    """The small reel at frame scale: a frame is eight pixels wide."""
    while opened.timeline.view.px_per_s < 8 * float(opened.project.reel.rate):
        opened.timeline.zoom(1.4, 400)
    yield opened


def spot(window: Window, frame: float, share: float = 0.5, row: int = 0) -> QPointF:
    """A place on the timeline: a frame, and how far down its track."""
    layout = window.timeline.layout_
    x = window.timeline.view.x(frame / float(window.project.timeline.rate))
    return QPointF(x, layout.picture_top(row) + share * layout.picture_h(row))


def show(window: Window, frame: int) -> None:
    view, timeline = window.timeline.view, window.project.timeline
    window.timeline.view = view._replace(start_s=max(0.0, time_of(frame - 30, timeline.rate))).kept_on(timeline)


def send(window: Window, kind: QEvent.Type, at: QPointF, keys: Qt.KeyboardModifier, button: bool = True) -> None:
    held = Qt.MouseButton.LeftButton if button else Qt.MouseButton.NoButton
    cause = Qt.MouseButton.LeftButton if kind != QEvent.Type.MouseMove else Qt.MouseButton.NoButton
    widget = window.timeline
    event = QMouseEvent(kind, at, QPointF(widget.mapToGlobal(at.toPoint())), cause, held, keys)
    QApplication.sendEvent(widget, event)


def drag(window: Window, a: QPointF, b: QPointF, keys: Qt.KeyboardModifier = NONE, free: bool = True) -> str:
    """Drag from one place to another; return what was written beside the pointer."""
    send(window, QEvent.Type.MouseButtonPress, a, keys)
    for share in (0.25, 0.6, 1.0):
        send(window, QEvent.Type.MouseMove, a + (b - a) * share, keys | ALT if free else keys)
    message = window.timeline._drag_text
    send(window, QEvent.Type.MouseButtonRelease, b, keys, False)
    return message


def clip(window: Window, number: int) -> PlacedClip:
    return window.project.timeline.own_tracks[0][number]


@pytest.mark.slow
def test_a_cut_is_dragged_and_says_frames_and_lengths(cut: Window) -> None:
    a, b = clip(cut, 1), clip(cut, 2)
    show(cut, b.first)
    message = drag(cut, spot(cut, b.first + 0.2, 0.3), spot(cut, b.first + 5.2, 0.3))
    assert (clip(cut, 1).end, clip(cut, 2).first) == (b.first + 5, b.first + 5)
    assert f"frame {b.first + 5} (+5)" in message and f"{a.frames + 5} f | {b.frames - 5} f" in message
    assert cut.project.history.can_undo == "Cut moved"
    cut.undo()
    assert clip(cut, 2).first == b.first


@pytest.mark.slow
def test_a_dragged_cut_snaps_to_points_and_alt_lets_it_go(cut: Window) -> None:
    b = clip(cut, 2)
    show(cut, b.first)
    points = [cut.project.timeline.frame_of_point(p) for p in cut.project.timeline.on_reel()]
    later = min(f for f in points if f > b.first)
    drag(cut, spot(cut, b.first + 0.2, 0.3), spot(cut, later + 1.0, 0.3), free=False)
    assert clip(cut, 2).first == later and clip(cut, 2).clip.start.point
    cut.undo()
    drag(cut, spot(cut, b.first + 0.2, 0.3), spot(cut, later - 0.8, 0.3), free=True)
    assert clip(cut, 2).first == later - 1 and clip(cut, 2).clip.start.point is None


def test_ctrl_trims_one_side_and_shift_moves_what_follows(cut: Window) -> None:
    a, b = clip(cut, 1), clip(cut, 2)
    show(cut, b.first)
    drag(cut, spot(cut, b.first - 0.3, 0.3), spot(cut, b.first - 6.3, 0.3), CTRL)
    assert clip(cut, 1).end == a.end - 6 and clip(cut, 2).first == b.first
    assert gaps(cut.project.timeline) == [(a.end - 6, b.first)]
    cut.undo()
    drag(cut, spot(cut, b.first - 0.3, 0.3), spot(cut, b.first - 6.3, 0.3), SHIFT)
    assert clip(cut, 2).first == a.end - 6 and clip(cut, 2).frames == b.frames


def test_clips_are_moved_slid_and_slipped(cut: Window) -> None:
    a, b, c = (clip(cut, n) for n in (0, 1, 2))
    show(cut, b.first)
    middle = b.first + 12
    source = b.map.source_at(0)
    message = drag(cut, spot(cut, middle, 0.4), spot(cut, middle + 7, 0.4), SHIFT)
    assert message.startswith("slide") and clip(cut, 1).first == b.first + 7 and clip(cut, 0).end == b.first + 7
    assert clip(cut, 2).first == c.first + 7 and clip(cut, 1).map.source_at(0) == pytest.approx(source, abs=1e-6)
    cut.undo()
    message = drag(cut, spot(cut, middle, 0.4), spot(cut, middle - 6, 0.4), CTRL)
    assert message.startswith("slip") and clip(cut, 1).first == b.first and not clip(cut, 1).clip.pins
    assert clip(cut, 1).map.source_at(0) == pytest.approx(source + 0.2, abs=1e-6)
    cut.undo()
    message = drag(cut, spot(cut, middle, 0.4), spot(cut, middle + 5, 0.4))
    assert message.startswith("move") and clip(cut, 1).first == b.first + 5
    assert gaps(cut.project.timeline)[0] == (b.first, b.first + 5) and a.end == b.first


def test_a_clip_is_dragged_to_a_new_row_above(cut: Window) -> None:
    b = clip(cut, 1)
    show(cut, b.first)
    middle = b.first + 12
    top = cut.timeline.layout_.picture_top(0)
    drag(cut, spot(cut, middle, 0.4), QPointF(spot(cut, middle).x(), top - 20))
    assert len(cut.project.reel.tracks) == 2 and cut.project.reel.clips[1].track == 1
    assert cut.timeline.layout_.picture_top(1) < cut.timeline.layout_.picture_top(0)


def test_clicks_select_one_more_or_all_between(cut: Window) -> None:
    cut.fit()
    names = [p.clip.id for p in cut.project.timeline.own_tracks[0]]

    def click(number: int, keys: Qt.KeyboardModifier) -> None:
        p = clip(cut, number)
        at = spot(cut, (p.first + p.end) / 2 + 3, 0.3)
        send(cut, QEvent.Type.MouseButtonPress, at, keys)
        send(cut, QEvent.Type.MouseButtonRelease, at, keys, False)

    click(0, NONE)
    click(2, CTRL)
    assert cut.project.selection.chosen_clips == [names[0], names[2]]
    click(2, CTRL)
    assert cut.project.selection.chosen_clips == [names[0]]
    click(3, SHIFT)
    assert cut.project.selection.chosen_clips == names[:4]
    cut.copies.group()
    click(1, NONE)
    assert set(cut.project.selection.chosen_clips) == set(names[:4]), "a group is selected as one"
    at = spot(cut, (clip(cut, 1).first + clip(cut, 1).end) / 2 + 3, 0.3)
    send(cut, QEvent.Type.MouseButtonDblClick, at, NONE)
    assert cut.project.selection.chosen_clips == [names[1]], "a double click opens it"
    cut.commands["select_all"].trigger()
    assert set(cut.project.selection.chosen_clips) == set(names)


def test_a_free_cue_is_dragged_onto_a_point_and_both_land(cut: Window) -> None:
    b = clip(cut, 1)
    placed_s = b.map.source_at((b.first + 20 - b.begin) / 30)
    cut.project.selection.select_clip(b.clip.id)
    cut.page(FootagePage).project.change("Cue set", lambda reel: with_cue(reel, b.footage.id, placed_s))
    show(cut, b.first)
    b = clip(cut, 1)
    cue, frame = cues.free_cues(cut.project.timeline, b)[0]
    points = [q for q in cut.project.timeline.on_reel() if b.first < cut.project.timeline.frame_of_point(q) < b.end]
    target = next(q for q in reversed(points) if q.id != b.ties[0].point.id)
    at = QPointF(cut.timeline.view.x(frame / 30), cues.cue_bottom(cut.timeline.layout_, b) - 4)
    to = cut.timeline.view.x(cut.project.timeline.reel_s(target))
    drag(cut, at, QPointF(to, at.y()), free=False)
    after = clip(cut, 1)
    assert {t.point.id for t in after.ties} == {b.ties[0].point.id, target.id} and cue in {t.cue for t in after.ties}
    for tie in after.ties:
        assert after.map.source_at((tie.frame - after.begin) / 30) == pytest.approx(tie.cue_s, abs=1e-6)


def test_footage_is_dropped_on_a_point_and_its_cue_lands_there(cut: Window) -> None:
    cut.fit()
    timeline = cut.project.timeline
    target = timeline.on_reel()[9]
    piece = cut.project.reel.footage[1]
    data = QMimeData()
    data.setData(FOOTAGE_MIME, QByteArray(piece.id.encode()))
    at = QPointF(cut.timeline.view.x(timeline.reel_s(target)) + 2, spot(cut, 0).y())
    cut.timeline.drops.eventFilter(
        cut.timeline, QDropEvent(at, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, NONE)
    )
    placed = cut.project.selection.placed
    assert placed is not None and placed.footage.id == piece.id
    assert placed.ties[0].point.id == target.id and cut.project.report.ok


def test_files_dropped_on_the_timeline_are_added_and_placed(
    cut: Window, qtbot: QtBot, media: Path, tmp_path: Path
) -> None:
    new = tmp_path / "new piece.mp4"
    shutil.copy(media / "a.mp4", new)
    cut.timeline.drops.files_dropped.emit([str(new)], 100, "", 0)
    qtbot.waitUntil(lambda: any(f.path == str(new) for f in cut.project.reel.footage), timeout=WAIT)
    qtbot.waitUntil(lambda: cut.project.timeline.clip_at(100).footage.path == str(new), timeout=WAIT)  # type: ignore[union-attr]


def test_keys_cut_trim_hold_and_count(cut: Window) -> None:
    project = cut.project
    count = len(project.reel.clips)
    project.playhead.go(80)
    cut.commands["split"].trigger()
    assert len(project.reel.clips) == count + 1 and clip(cut, 0).end == 75
    project.playhead.go(100)
    cut.commands["remove_before"].trigger()
    assert project.playhead.frame == clip(cut, 2).first == 80, "the playhead stays with what is left"
    project.selection.select_clip(clip(cut, 1).clip.id)
    cut.commands["set_frames"].trigger()
    cut.count.count.setValue(8)
    cut.count.take()
    assert clip(cut, 1).frames == 8
    project.playhead.go(clip(cut, 2).first + 4)
    cut.commands["freeze"].trigger()
    assert cut.count.count.value() == 12, "0.4 s unless told otherwise"
    cut.count.keyPressEvent(QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Return, NONE))
    held = project.timeline.clip_at(project.playhead.frame)
    assert held is not None and held.frames == 12 and held.map.average_speed == 0
    steps = [s.done for s in project.history.steps]
    assert len(steps) == len(set(map(str, steps))) == 5
    project.go_to_step(0)
    assert len(project.reel.clips) == count
    project.go_to_step(4)
    assert project.timeline.clip_at(project.playhead.frame) is not None


def test_a_locked_row_refuses_and_says_so(cut: Window) -> None:
    before = cut.project.reel
    menu = cut.tracks.track_menu(0, cut)
    next(a for a in menu.actions() if a.text() == "locked").trigger()
    cut.project.playhead.go(80)
    cut.commands["split"].trigger()
    assert "Track 1 is locked" in cut.foot.status.text() and cut.project.reel.clips == before.clips


def test_the_frame_page_and_the_preview_place_the_picture(cut: Window, qtbot: QtBot) -> None:
    window = cut
    window.project.selection.select_clip(clip(window, 1).clip.id)
    window.project.playhead.go(clip(window, 1).first + 1)
    window.show_frame()
    page, preview = window.frame_page, window.preview
    assert preview.box is page.tool
    page.fits.button(1).click()
    page.zoom.setValue(150)
    box = preview.frame_box()
    start = box.center()
    for kind, at in (
        (QEvent.Type.MouseButtonPress, start),
        (QEvent.Type.MouseMove, start + QPointF(box.width() / 4, 0)),
        (QEvent.Type.MouseButtonRelease, start + QPointF(box.width() / 4, 0)),
    ):
        button = Qt.MouseButton.LeftButton
        held = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseButtonRelease else button
        QApplication.sendEvent(preview, QMouseEvent(kind, at, preview.mapToGlobal(at), button, held, NONE))
    framing = window.project.reel.clips[1].framing
    assert framing.fit == "contain" and framing.start.x == pytest.approx(0.25, abs=0.01)
    wheel = QWheelEvent(start, start, QPointF(0, 0).toPoint(), QPointF(0, 120).toPoint(), Qt.MouseButton.NoButton, NONE,
                        Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(preview, wheel)
    assert window.project.reel.clips[1].framing.start.zoom > 1.5
    page.moves.click()
    end = window.project.reel.clips[1].framing.end
    assert end is not None and end.zoom > window.project.reel.clips[1].framing.start.zoom
    window.placing.fill_all_clips()
    assert all(c.framing.fit == "cover" for c in window.project.reel.clips)


def test_keys_can_be_changed_and_are_remembered(window: Window) -> None:
    dialog = ShortcutsDialog(window.registry, window)
    dialog.words.setText("reverse the clips")
    dialog.table.selectRow(0)
    dialog.keys.setKeySequence("S")
    dialog.set_key()
    assert window.commands["reverse"].shortcut().toString() == "S"
    assert window.commands["split"].shortcut().toString() == "", "the key is taken over"
    assert "Split at the playhead had S" in dialog.message.text()
    assert load_preferences().keys["reverse"] == ("S",)
    dialog._store(None)
    assert window.commands["reverse"].shortcut().toString() == "R"
    palette = CommandPalette(list(window.commands.values()), window)
    palette.words.setText("hold frame")
    assert palette.list.count() >= 1


def test_a_second_window_opens_read_only_and_may_save_elsewhere(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    path = opened.project.path
    assert path is not None
    second = Window()
    qtbot.addWidget(second)
    assert second.importer.open_project(path)
    assert second.header.saved.text() == "read only" and "another window" in second.foot.status.text()
    before = second.project.reel
    second.project.playhead.go(80)
    second.cuts.split()
    assert second.project.reel is before
    assert second.recovery.save_to(tmp_path / "copy")
    second.cuts.split()
    assert second.project.reel is not before and not second.project.read_only
    second.project.saved_reel = second.project.reel
    second.shut_down()


def kill(window: Window) -> None:
    """Leave a project as a killed process does: its journal stays, its lock goes."""
    assert window.project._journaling.kept and window.project._lock is not None
    window.project._journaling.leave()
    window.project._lock.close()


def test_work_left_behind_is_offered_and_taken_up_with_its_steps(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    path = opened.project.path
    assert path is not None
    opened.project.playhead.go(80)
    opened.cuts.split()
    opened.points.place_point()
    opened.undo()
    state = opened.project.reel
    kill(opened)
    again = Window()
    qtbot.addWidget(again)
    again.show()
    assert again.importer.open_project(path)
    assert again.foot.take_up.isVisible() and "2 steps" in again.foot.status.text()
    again.foot.take_up.click()
    assert again.project.reel == state and again.project.unsaved
    again.project.redo()
    assert len(again.project.timeline.points) == len(opened.project.timeline.points) + 1
    again.undo()
    again.undo()
    assert len(again.project.reel.clips) == len(opened.project.reel.clips) - 1
    again.project.saved_reel = again.project.reel
    again.shut_down()
    assert not list(path.parent.glob(".*journal")), "closed well, nothing is left behind"


def test_work_left_behind_is_kept_when_other_work_is_begun_without_an_answer(opened: Window, qtbot: QtBot) -> None:
    path = opened.project.path
    assert path is not None
    opened.project.playhead.go(80)
    opened.cuts.split()
    state = opened.project.reel
    kill(opened)
    again = Window()
    qtbot.addWidget(again)
    assert again.importer.open_project(path)
    again.points.place_point()
    again.project.playhead.go(140)
    again.cuts.split()
    again.projects.fill_versions(again.versions_menu)
    again.versions_menu.actions()[0].trigger()
    assert again.project.reel == state
    again.project.saved_reel = again.project.reel
    again.shut_down()


def test_earlier_saves_come_back_as_one_step(opened: Window) -> None:
    assert opened.projects.save()
    first = opened.project.reel
    opened.project.playhead.go(80)
    opened.cuts.split()
    assert opened.projects.save()
    opened.projects.fill_versions(opened.versions_menu)
    actions = opened.versions_menu.actions()
    assert len(actions) == 2
    actions[1].trigger()
    assert opened.project.reel.clips == first.clips
    opened.undo()
    assert len(opened.project.reel.clips) == len(first.clips) + 1
    opened.projects.fill_recent(opened.recent_menu)
    assert opened.project.path is not None and opened.project.path.name in opened.recent_menu.actions()[0].text()


def test_pins_that_cannot_be_had_offer_their_mends(opened: Window, reel: Reel, tmp_path: Path) -> None:
    window = opened
    b = clip(window, 1)
    window.project.change("x", lambda r: pin.with_moved_pin(r, b.clip.id, b.ties[0].cue, b.ties[0].point.id))
    early = by_id(window.project.reel.footage, b.footage.id)
    assert early is not None
    window.project.change("Cue moved", lambda r: with_moved_cue(r, early.id, early.cues[0].id, 0.1))
    window.clips.say_trouble(b.clip.id)
    assert "not enough footage before its cue" in window.foot.status.text()
    menu = QMenu()
    window.clips.fill_mend_menu(menu, b.clip.id)
    assert menu.actions()
    menu.actions()[0].trigger()
    after = window.project.timeline.placed_clip(b.clip.id)
    assert after is not None and after.short_before_s == 0
    save_reel(window.project.reel, tmp_path / "x.tempik")


def test_rows_that_do_not_fit_get_lower_and_then_scroll(cut: Window) -> None:
    timeline = cut.timeline
    for accent in ("shake", "punch", "kick") * 3:
        cut.project.change("lane", lambda r, a=accent: accent_lanes.with_lane(r, a, 4))
    layout, last = timeline.layout_, len(cut.project.reel.accent_lanes) - 1
    assert layout.lane_h < 38 and layout.hidden > 0
    assert layout.lane_top(last) + layout.lane_h > timeline.height()
    at = QPointF(20, layout.lane_top(0) + 5)
    turn = QWheelEvent(
        at, timeline.mapToGlobal(at), QPoint(0, 0), QPoint(0, -4000), Qt.MouseButton.NoButton, NONE,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    scale = timeline.view.px_per_s
    QApplication.sendEvent(timeline, turn)
    scrolled = timeline.layout_
    assert timeline.view.px_per_s == scale and scrolled.scroll == layout.hidden
    assert scrolled.lane_top(last) + layout.lane_h <= timeline.height()
    assert timeline.layout_.accent_lane_at(scrolled.lane_top(last) + 5) == last
    assert timeline.layout_.accent_lane_at(points.points_top() + 30) is None  # what has gone up is under the points
    timeline.grab()
