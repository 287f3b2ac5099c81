"""The window, driven as a person drives it: files in, cues set, drafted, corrected, undone, exported, reopened."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QColor, QDropEvent, QImage, QWheelEvent
from PySide6.QtWidgets import QApplication, QFileDialog, QMessageBox, QWidget
from pytestqt.qtbot import QtBot

from media_files import write_sound
from tempik.accents import CATALOGUE
from tempik.check import check_reel
from tempik.cli.settings_list import settings_page
from tempik.deliver.order import Order
from tempik.desktop.pages.check import CheckPage
from tempik.desktop.pages.footage.page import FootagePage
from tempik.desktop.pages.speed.page import SpeedPage
from tempik.desktop.shell.keyboard import all_commands, keyboard_list
from tempik.desktop.shell.palette import CommandPalette
from tempik.desktop.shell.window import Window
from tempik.desktop.timeline.axis import AIR_PX, GUTTER
from tempik.desktop.timeline.lanes.accents import toggle_step
from tempik.desktop.timeline.lanes.points import points_top
from tempik.edit.draft import RuleDraftOptions
from tempik.edit.song.stretches import with_stretch
from tempik.project.file import load_reel, save_reel
from tempik.reel import Reel
from tempik.reel.points import points_of
from tempik.time import time_of
from waiting import until_at_rest

pytestmark = pytest.mark.usefixtures("no_dialogs")
WAIT = 30_000


def drop(window: Window, *paths: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    window.dropEvent(
        QDropEvent(
            QPointF(400, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
    )


def idle(window: Window, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: not window.worker.jobs, timeout=WAIT)


def drag(qtbot: QtBot, widget: QWidget, start: QPointF, end: QPointF) -> None:
    qtbot.mousePress(widget, Qt.MouseButton.LeftButton, pos=start.toPoint())
    for share in (0.3, 0.6, 1.0):
        spot = start + (end - start) * share
        from PySide6.QtGui import QMouseEvent

        widget.mouseMoveEvent(
            QMouseEvent(
                QMouseEvent.Type.MouseMove, spot, widget.mapToGlobal(spot), Qt.MouseButton.NoButton,
                Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier,
            )
        )  # fmt: skip
    qtbot.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end.toPoint())


def at_point(window: Window, number: int, y: float) -> QPointF:
    """Where the n-th point of the reel lies on the timeline, at a height."""
    timeline = window.project.timeline
    return QPointF(window.timeline.view.x(timeline.reel_s(timeline.on_reel()[number])), y)


def test_an_empty_window_teaches_and_its_texts_can_be_read(window: Window) -> None:
    assert window.middle.currentWidget() is window.welcome
    assert not window.header.export_button.isEnabled() and not window.header.draft_button.isEnabled()
    assert window.foot.progress.isHidden()
    for widget in window.findChildren(QWidget):
        if widget.isVisible() and hasattr(widget, "text"):
            assert widget.font().pixelSize() >= 12 or widget.font().pixelSize() == -1
    assert window.minimumWidth() <= 1100 and window.minimumHeight() <= 700


@pytest.mark.film(sample="")
def test_the_whole_job_from_drop_to_export_and_back(window: Window, qtbot: QtBot, media: Path, tmp_path: Path) -> None:
    drop(window, media / "song.wav", media / "a.mp4", media / "b.mp4")
    qtbot.waitUntil(
        lambda: window.project.reel.soundtrack is not None and len(window.project.reel.footage) == 2, timeout=WAIT
    )
    idle(window, qtbot)
    assert "song.wav" in window.welcome.song.text.text()
    # A cue on each piece, by scrubbing it.
    page = window.page(FootagePage)
    for number, time_s in enumerate((2.0, 2.5)):
        page.list.setCurrentRow(number)
        page.view.scrub_to(time_s + 0.004)
        page.view.step(1)
        page.view.step(-1)
        qtbot.mouseClick(page.view.cue_here, Qt.MouseButton.LeftButton)
        assert window.project.reel.footage[number].cues[0].time_s == pytest.approx(time_s, abs=0.002)
    # Go.
    window.projects.show_draft()
    panel = window.drafting.panel
    panel.choose_mood(None)
    panel.rule.every.setCurrentIndex(2)
    panel.length.setValue(8.0)
    panel._go()
    assert window.middle.currentWidget() is window.timeline
    timeline = window.project.timeline
    assert timeline.frames == 240 and all(p.ties for p in timeline.placed)
    qtbot.waitUntil(lambda: window.preview.image is not None, timeout=WAIT)
    # Out.
    out = tmp_path / "o.mp4"
    assert window.exports.start(Order(size=(90, 160), quality="draft"), out)
    assert window.header.export_button.text().startswith("Exporting")
    qtbot.waitUntil(lambda: window.exports.running is None, timeout=WAIT)
    idle(window, qtbot)
    assert window.header.export_button.text() == "Export" and "Exported" in window.foot.status.text()
    window.delivery.measure_file(out)
    idle(window, qtbot)
    qtbot.waitUntil(lambda: window.page(CheckPage).measured, timeout=WAIT)
    assert window.page(CheckPage).report.ok and "measured in the file" in window.page(CheckPage).summary.text()
    # Kept.
    assert window.recovery.save_to(tmp_path / "kept")
    assert window.header.saved.text() == "saved"
    kept = window.project.reel
    window.projects.new_project()
    assert window.middle.currentWidget() is window.welcome
    assert window.importer.open_project(tmp_path / "kept.tempik")
    assert window.project.reel == kept


def test_every_change_is_one_step_to_undo(opened: Window, qtbot: QtBot) -> None:
    window, start = opened, opened.project.reel
    window.commands["show_speed"].trigger()
    clip = start.clips[1].id
    changes: list[Callable[[], object]] = [
        window.speeds.reverse,
        lambda: window.page(SpeedPage).numbers.average.setValue(-50),
        lambda: window.page(SpeedPage).graph.add_node(0.5, 2.0),
        window.clips.pin_next,
        lambda: toggle_step(window.project, 0, window.project.timeline.on_reel()[1].id),
        window.accents.toggle_flash,
        window.points.place_point,
        lambda: window.accents.add_lane("punch"),
        lambda: window.importer.settings(180, 180, "60"),
        window.clips.unpin,
        window.cuts.remove_clip,
    ]
    seen = [start]
    for act in changes:
        window.project.selection.select_clip(clip)
        act()
        assert window.project.reel != seen[-1]
        seen.append(window.project.reel)
    for reel in reversed(seen[:-1]):
        window.undo()
        assert window.project.reel == reel
    for reel in seen[1:]:
        window.project.redo()
        assert window.project.reel == reel


def test_dragging_a_point_moves_what_hangs_off_it_in_one_step(opened: Window, qtbot: QtBot) -> None:
    window = opened
    placed = window.project.timeline.placed[1]
    number = next(i for i, q in enumerate(window.project.timeline.on_reel()) if q.id == placed.clip.start.point)
    start = at_point(window, number, points_top() + 9)
    drag(qtbot, window.timeline, start, start + QPointF(0.2 * window.timeline.view.px_per_s, 0))
    assert window.project.timeline.placed[1].first == pytest.approx(placed.first + 6, abs=1)
    assert check_reel(window.project.timeline).ok
    window.undo()
    assert window.project.timeline.placed[1].first == placed.first


def test_dragging_a_pin_ties_the_cue_to_another_point(opened: Window, qtbot: QtBot) -> None:
    window = opened
    tie = window.project.timeline.placed[1].ties[0]
    points = window.project.timeline.on_reel()
    number = points.index(tie.point)
    y = window.timeline.layout_.picture_top() + window.timeline.layout_.picture_h() / 2
    drag(qtbot, window.timeline, at_point(window, number, y), at_point(window, number + 1, y))
    after = window.project.timeline.placed[1].ties[0]
    assert after.point.id == points[number + 1].id and after.cue_s == tie.cue_s
    assert window.project.selection.clip_id == window.project.timeline.placed[1].clip.id


def test_accent_steps_are_clicked_swept_and_weighed(opened: Window, qtbot: QtBot) -> None:
    window = opened
    y = window.timeline.layout_.lane_top(0) + 20

    def lit() -> dict[str, float]:
        return {q.point.id: q.strength for q in window.project.timeline.pulses[0]}

    points = window.project.timeline.on_reel()
    silent = next(i for i, q in enumerate(points) if q.id not in lit())
    qtbot.mouseClick(
        window.timeline, Qt.MouseButton.LeftButton, pos=at_point(window, silent, y).toPoint() + QPoint(2, 0)
    )
    assert points[silent].id in lit()
    drag(
        qtbot,
        window.timeline,
        at_point(window, silent, y) + QPointF(2, 0),
        at_point(window, silent, y - 30) + QPointF(2, 0),
    )
    assert lit()[points[silent].id] == pytest.approx(1.5, abs=0.02)
    before = len(window.project.history.steps)
    drag(
        qtbot,
        window.timeline,
        at_point(window, silent + 3, y) + QPointF(2, 0),
        at_point(window, silent + 6, y) + QPointF(3, 0),
    )
    assert len(window.project.history.steps) == before + 1


def test_the_song_strip_moves_the_stretch(opened: Window, qtbot: QtBot) -> None:
    window = opened
    strip, start_s = window.song_strip, window.project.timeline.start_s
    drag(
        qtbot,
        strip,
        QPointF(strip._window().center().x(), 30),
        QPointF(strip._window().center().x() + strip._x(2.0), 30),
    )
    assert window.project.timeline.start_s > start_s + 1
    assert check_reel(window.project.timeline).ok
    length = window.project.timeline.frames
    drag(qtbot, strip, QPointF(strip._window().right(), 30), QPointF(strip._window().right() - strip._x(2.0), 30))
    assert window.project.timeline.frames < length


def test_the_song_strip_keeps_what_stands_and_shows_what_changed(
    opened: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    until_at_rest(opened, qtbot)
    strip, project = opened.song_strip, opened.project
    painted: list[int] = []
    whole = strip._paint_standing
    monkeypatch.setattr(strip, "_paint_standing", lambda p: (painted.append(1), whole(p)))
    first = strip.grab().toImage()
    painted.clear()
    project.playhead.go(97)
    moved = strip.grab().toImage()
    assert painted == [] and moved != first
    start_s = project.timeline.start_s
    changes = (
        lambda: project.change("Stretch", lambda reel: with_stretch(reel, start_s + 1.0, 5.0)),
        lambda: project.selection.mark((start_s + 2.0, start_s + 4.0)),
        opened.commands["half_tempo"].trigger,
        lambda: project.change("Fade", lambda reel: replace(reel, soundtrack=replace(reel.soundtrack, fade_in_s=1.0))),
        opened.undo,
    )
    before = moved
    for change in changes:
        change()
        now = strip.grab().toImage()
        strip._forget()
        assert now != before and now == strip.grab().toImage()
        before = now


def test_keys_step_and_jump_and_play(opened: Window, qtbot: QtBot) -> None:
    window = opened
    window.activateWindow()
    for key, modifier, frame in (
        (Qt.Key.Key_Right, Qt.KeyboardModifier.NoModifier, 1),
        (Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier, 11),
        (Qt.Key.Key_Left, Qt.KeyboardModifier.NoModifier, 10),
        (Qt.Key.Key_Down, Qt.KeyboardModifier.NoModifier, 15),
        (Qt.Key.Key_Up, Qt.KeyboardModifier.NoModifier, 0),
        (Qt.Key.Key_End, Qt.KeyboardModifier.NoModifier, 299),
    ):
        qtbot.keyClick(window, key, modifier)
        qtbot.waitUntil(lambda f=frame: window.project.playhead.frame == f, timeout=30_000)


@pytest.mark.slow
def test_playing_keeps_time_without_a_sound_card_and_stops_at_the_end(opened: Window, qtbot: QtBot) -> None:
    window = opened
    window.project.playhead.go(240)
    shown: list[int] = []
    window.player.due.connect(shown.append)
    import time

    began = time.perf_counter()
    window.play.play_pause()
    assert window.player.playing
    qtbot.waitUntil(lambda: not window.player.playing, timeout=30_000)
    took = time.perf_counter() - began
    assert 1.9 < took < 6.0  # never ahead; a busy machine may be late to notice the end
    assert shown == sorted(shown) and shown[-1] == 299


def test_the_playhead_follows_the_devices_clock_smoothly_and_never_back(window: Window) -> None:
    """A device that starts late, reports in steps and runs slow: the picture waits for it and keeps with it."""
    player = window.player
    player._shift_s = None
    assert player._heard_s(0.5, 0.016) == 0.0  # nothing has left the device yet
    heard = []
    for tick in range(1000):
        elapsed = 1.2 + tick * 0.004
        played = 0.04 + (tick * 0.004 * 0.999) // 0.02 * 0.02  # in steps of 20 ms, a thousandth slow
        heard.append((player._heard_s(elapsed, played), played))
    assert all(abs(h - p) < 0.045 for h, p in heard)
    steps = np.diff([h for h, _ in heard])
    assert steps.min() > 0


@pytest.mark.parametrize("ratio", [1.0, 1.5])
def test_the_picture_is_the_same_each_time_it_is_painted(opened: Window, qtbot: QtBot, ratio: float) -> None:
    """From the second time on it is laid down as it was painted; another picture, place or size is painted anew."""
    view = opened.preview
    qtbot.waitUntil(lambda: view.image is not None)
    opened.looking.clear()

    def painted() -> QImage:
        out = QImage(view.size() * ratio, QImage.Format.Format_RGB32)
        out.setDevicePixelRatio(ratio)
        view.render(out)
        return out

    first = painted()
    assert [painted() == first for _ in range(3)] == [True] * 3
    bright = QImage(90, 160, QImage.Format.Format_RGB32)
    bright.fill(QColor("#f0e0d0"))
    view.show_image(bright)
    other = painted()
    assert other != first and [painted() == other for _ in range(3)] == [True] * 3
    assert other.pixelColor(other.width() // 2, other.height() // 2) == QColor("#f0e0d0")
    at = QPointF(view.rect().center())
    turn = QWheelEvent(at, at, QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
                       Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(view, turn)
    nearer = painted()
    assert nearer != other and painted() == nearer == painted()
    view.message = "gone"
    assert painted() != nearer, "what lies over it is painted each time"
    opened.looking.show(bright, "bar.mp4  1.20 s")
    footage = painted()
    assert footage != nearer and [painted() == footage for _ in range(3)] == [True] * 3
    opened.looking.show(bright, "bar.mp4  1.24 s")
    assert painted() != footage, "its caption too"


def test_the_preview_shows_the_frame_under_the_playhead(opened: Window, qtbot: QtBot) -> None:
    window = opened
    window.project.playhead.go(window.project.timeline.pulses[0][1].frame - 1)
    qtbot.waitUntil(lambda: window.transport.shown == window.project.playhead.frame, timeout=WAIT)
    dark = window.preview.image.copy()  # type: ignore[union-attr]
    window.play.step_on()
    qtbot.waitUntil(lambda: window.transport.shown == window.project.playhead.frame, timeout=WAIT)
    lit = window.preview.image
    assert lit is not None
    spot = (lit.width() // 2, lit.height() // 8)
    assert lit.pixelColor(*spot).lightness() > dark.pixelColor(*spot).lightness() + 30


def test_the_landing_meter_and_check_page_agree(opened: Window, qtbot: QtBot) -> None:
    window = opened
    window.commands["show_check"].trigger()
    report = check_reel(window.project.timeline)
    assert window.page(CheckPage).model.rowCount() == len(report.events)
    event = next(e for e in report.events if e.kind == "pin")
    row = window.page(CheckPage).model.rows.index(event)
    window.page(CheckPage)._go(window.page(CheckPage).model.index(row, 0))
    assert window.project.playhead.frame == event.frame
    assert window.meter.nearest() == event
    window.page(CheckPage).kinds.setCurrentText("pins")
    assert {e.kind for e in window.page(CheckPage).model.rows} == {"pin"}


def test_missing_media_is_asked_for_and_the_rest_kept(
    window: Window, qtbot: QtBot, reel: Reel, media: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from tempik.project.media_files import relink

    lost = relink(reel, reel.footage[0].path, str(tmp_path / "gone" / "a.mp4"))
    save_reel(lost, tmp_path / "r.tempik")
    assert window.importer.open_project(tmp_path / "r.tempik")
    qtbot.waitUntil(lambda: "a.mp4" in window.foot.status.text(), timeout=WAIT)
    assert "missing" in window.foot.status.text()
    assert window.foot.find_missing.isVisible() and len(window.project.reel.clips) == len(reel.clips)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(media / "a.mp4"), ""))
    window.foot.find_missing.click()
    assert window.project.reel == reel
    qtbot.waitUntil(lambda: not window.foot.find_missing.isVisible(), timeout=WAIT)


@pytest.mark.parametrize("content", [b"nonsense", b'{"format": 99, "reel": {}}'])
def test_a_bad_project_leaves_the_open_one(opened: Window, tmp_path: Path, content: bytes) -> None:
    before = opened.project.reel
    (tmp_path / "bad.tempik").write_bytes(content)
    drop(opened, tmp_path / "bad.tempik")
    assert opened.project.reel is before
    assert "bad.tempik" in opened.foot.status.text()


@pytest.mark.film
def test_files_that_do_not_serve_are_named_and_the_good_ones_added(
    window: Window, qtbot: QtBot, media: Path, tmp_path: Path
) -> None:
    (tmp_path / "empty.mp4").write_bytes(b"")
    drop(window, media / "a.mp4", tmp_path / "empty.mp4")
    qtbot.waitUntil(lambda: "empty.mp4" in window.foot.status.text(), timeout=WAIT)
    assert [Path(f.path).name for f in window.project.reel.footage] == ["a.mp4"]
    silent = write_sound(tmp_path / "quiet.wav", np.zeros(48000 * 6, np.float32))
    drop(window, silent)
    qtbot.waitUntil(lambda: "no steady beat" in window.foot.status.text(), timeout=WAIT)
    assert window.project.reel.soundtrack is not None and points_of(window.project.reel.soundtrack) == ()
    idle(window, qtbot)
    window.delivery.draft(RuleDraftOptions(length_s=4.0))
    assert "no steady beat" in window.foot.status.text() and window.project.reel.clips == ()


@pytest.mark.film
def test_an_export_can_be_cancelled_and_leaves_nothing(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    target = tmp_path / "cancelled.mp4"
    assert opened.exports.start(Order(size=(1080, 1920), quality="high"), target)
    qtbot.waitUntil(lambda: opened.exports.share > 0.02, timeout=WAIT)
    opened.exports.stop(opened.exports.running or "")
    qtbot.waitUntil(lambda: opened.exports.running is None, timeout=WAIT)
    assert opened.exports.items[0].state == "stopped"
    assert not target.exists() and not list(tmp_path.glob("*.part")) and not list(tmp_path.glob(".*.part"))
    qtbot.waitUntil(lambda: opened.header.export_button.text() == "Export", timeout=WAIT)


def test_an_export_that_fails_says_why(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    assert not opened.exports.start(Order(), tmp_path / "no" / "o.mp4")
    qtbot.waitUntil(lambda: "is not there" in opened.foot.status.text(), timeout=WAIT)


def test_closing_with_unsaved_work_asks(opened: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    opened.project.selection.select_clip("c1")
    opened.speeds.reverse()
    asked: list[str] = []

    def answer(box: QMessageBox) -> QMessageBox.StandardButton:
        asked.append(box.text())
        return QMessageBox.StandardButton.Cancel

    monkeypatch.setattr(QMessageBox, "exec", answer)
    assert not opened.close() and opened.isVisible()
    assert asked and "r" in asked[0]
    opened.projects.save()
    assert opened.project.path is not None and load_reel(opened.project.path) == opened.project.reel
    assert opened.projects.may_leave()


def test_zoom_goes_from_the_whole_reel_to_single_frames(opened: Window) -> None:
    view = opened.timeline
    opened.fit()
    assert view.view.x(0.0) == pytest.approx(GUTTER + AIR_PX)
    assert view.view.end_s >= time_of(300, opened.project.reel.rate)
    held = view.view.time(500)
    view.zoom(3.0, 500)
    assert view.view.time(500) == pytest.approx(held, abs=1e-6)
    for _ in range(40):
        view.zoom(2.0, 500)
    assert view.view.px_per_s / 30 == pytest.approx(48)
    for _ in range(40):
        view.zoom(0.5, 500)
    assert view.view.px_per_s * 10 <= view.width() - GUTTER


def test_every_command_has_a_method_and_keys_of_its_own(window: Window) -> None:
    assert set(window.commands) == {c.name for c in all_commands()}
    keys = [k for c in all_commands() for k in c.keys]
    assert len(keys) == len(set(keys))
    palette = CommandPalette(list(window.commands.values()), window)
    palette.words.setText("reverse")
    assert [palette.list.item(i).text() for i in range(palette.list.count())] == ["Reverse the clips    R"]


def test_the_row_menu_mutes_and_offers_every_accent(opened: Window) -> None:
    row = opened.project.reel.accent_lanes[0].id
    menu = opened.accents.lane_menu(row, opened)
    actions = {a.text(): a for a in menu.actions()}
    actions["muted"].trigger()
    assert opened.project.reel.accent_lanes[0].muted
    light = next(m for m in menu.findChildren(type(menu)) if m.title() == "Light")
    assert {a.text() for a in light.actions()} >= {CATALOGUE["flash"].title}


def test_the_settings_in_the_docs_are_the_codes() -> None:
    docs = Path(__file__).parents[1] / "docs" / "settings.md"
    assert docs.read_text(encoding="utf-8") == settings_page(), "run ./run shots"


def test_the_keyboard_list_in_the_docs_is_the_codes() -> None:
    docs = Path(__file__).parents[1] / "docs" / "keyboard.md"
    assert docs.read_text(encoding="utf-8") == keyboard_list(), "run ./run shots"
