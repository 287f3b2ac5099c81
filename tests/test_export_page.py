"""The Export page, driven as a person drives it: an order put together, queued, paused, stopped, done; and what outlives the window."""

import time
from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QFileDialog, QInputDialog, QMessageBox
from pytestqt.qtbot import QtBot

from tempik.check import check_rendered
from tempik.cli.main import main
from tempik.deliver import presets, queue
from tempik.deliver.order import Order
from tempik.deliver.presets import remembered
from tempik.desktop.pages.export.page import ExportPage
from tempik.desktop.shell.window import Window
from tempik.edit.draft import RuleDraftOptions, draft_reel
from tempik.formats import FORMATS
from tempik.media import probe
from tempik.reel import Reel
from tempik.timeline.timeline import timeline_of

WAIT = 90_000
SMALL = Order(short_px=180, quality="draft")


@pytest.fixture
def reel(drafted: Reel) -> Reel:
    """The small reel, a few seconds of it: what is written is watched here, not how long it takes."""
    assert drafted.soundtrack is not None
    options = RuleDraftOptions(every=2, length_s=4.0, width=180, height=320, accents=(("flash", 4), ("shake", 2)))
    return draft_reel(drafted.soundtrack, drafted.footage, options).reel


@pytest.fixture
def page(opened: Window, qtbot: QtBot) -> ExportPage:
    opened.commands["show_export"].trigger()
    page = opened.page(ExportPage)
    assert page.isVisible()
    return page


def choose(box: QComboBox, value: object) -> None:
    """Choose an entry by its value, as a hand does."""
    box.setCurrentIndex(box.findData(value))
    assert box.currentData() == value
    box.activated.emit(box.currentIndex())


def name(page: ExportPage, target: Path) -> None:
    page.target.setText(str(target))
    page.target.textEdited.emit(str(target))


def done(window: Window, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: window.exports.running is None and not window.exports.waiting, timeout=WAIT)


@pytest.mark.film
def test_a_new_user_exports_in_two_presses(page: ExportPage, opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    assert page.target.text() == str(tmp_path / "r.mp4") and page.go.isEnabled() and page.go.text() == "Export"
    qtbot.waitUntil(lambda: page.comes_to.text().startswith("About "), timeout=WAIT)
    page.go.click()
    done(opened, qtbot)
    (item,) = opened.exports.items
    assert item.state == "done" and item.ok and "measured in the file" in item.message
    assert "Exported" in opened.foot.status.text() and check_rendered(opened.project.timeline, tmp_path / "r.mp4").ok
    row = page.queue.rows[item.id]
    assert (
        row.show_it.isVisible() and row.again.isVisible() and not row.stop.isVisible() and "MB in" in row.message.text()
    )


@pytest.mark.film
def test_three_frames_are_one_press(page: ExportPage, opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    page.exports.ask_for(Order(short_px=90, quality="draft", part=(1.0, 3.0)))
    page.fields.shapes["square"].click()
    page.fields.shapes["wide"].click()
    assert page.go.text() == "Export 3"
    page.go.click()
    done(opened, qtbot)
    files = [probe(str(tmp_path / f"r-{n}.mp4")) for n in ("reel", "square", "wide")]
    assert [(f.width, f.height) for f in files] == [(90, 160), (90, 90), (160, 90)]
    assert [i.state for i in opened.exports.items] == ["done"] * 3 and all(i.ok for i in opened.exports.items)


@pytest.mark.slow
def test_every_format_is_offered_with_what_it_can_have(page: ExportPage) -> None:
    for kind in FORMATS:
        choose(page.fields.format, kind.key)
        assert page.purpose.text() == kind.purpose and page.exports.order.format == kind.key
        assert page.fields.limited.isEnabled() == (kind.limited is not None), kind.key
        assert page.fields.checks["clear"].isEnabled() == bool(kind.clear), kind.key
        assert page.fields.checks["hardware"].isEnabled() == bool(kind.hardware), kind.key
        assert page.fields.shapes["square"].isEnabled() == (kind.kind != "sound"), kind.key
        assert Path(page.target.text()).suffix == kind.suffixes[0] and page.go.isEnabled(), kind.key


@pytest.mark.film
def test_a_part_is_the_marked_stretch_or_the_selected_clips(
    page: ExportPage, opened: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    model = page.fields.part.model()
    assert not (model.flags(model.index(1, 0)) & Qt.ItemFlag.ItemIsEnabled)
    start_s = opened.project.timeline.start_s
    opened.project.selection.mark((start_s + 1.0, start_s + 2.0))
    assert "marked stretch, 1.0 to 2.0 s" in page.fields.part.itemText(1)
    page.fields.part.activated.emit(1)
    page.exports.ask_for(replace(page.exports.order, short_px=180, quality="draft"))
    page.go.click()
    done(opened, qtbot)
    assert probe(str(tmp_path / "r.mp4")).length_s == pytest.approx(1.0, abs=0.04)
    opened.project.selection.select_clip("c2")
    assert "selected clips" in page.fields.part.itemText(2) and "to" in page.fields.part.itemText(2)


@pytest.mark.film
def test_a_limit_is_kept_and_one_that_cannot_be_is_said(
    page: ExportPage, opened: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    page.exports.ask_for(SMALL)
    page.fields.limited.click()
    page.fields.limit.setValue(0.5)
    assert page.exports.order.limit_mb == 0.5 and not page.fields.quality.isEnabled()
    page.go.click()
    done(opened, qtbot)
    assert (tmp_path / "r.mp4").stat().st_size <= 500_000
    page.fields.limit.setValue(0.1)
    choose(page.fields.short, 1080)
    name(page, tmp_path / "other.mp4")
    page.go.click()
    assert "raise the limit of 0.1 MB" in opened.foot.status.text() and len(opened.exports.items) == 1


def test_presets_are_chosen_kept_and_forgotten(
    page: ExportPage, opened: Window, monkeypatch: pytest.MonkeyPatch
) -> None:
    page.preset.activated.emit(page.preset.findText("To go on elsewhere"))
    assert page.exports.order.format == "prores422" and page.target.text().endswith(".mov")
    assert page.preset.currentText() == "To go on elsewhere" and not page.forget.isEnabled()
    choose(page.fields.quality, "draft")
    assert page.preset.currentText() == "Begin with …"
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("Proxies", True))
    page.keep.click()
    assert page.preset.currentText() == "Proxies" and page.forget.isEnabled()
    assert presets.preset_named("Proxies").quality == "draft"
    page.forget.click()
    assert presets.own_presets() == [] and page.preset.currentText() == "Begin with …"
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("To publish", True))
    page.keep.click()
    assert "comes with Tempik" in opened.foot.status.text()


def test_what_was_ordered_is_there_when_the_project_is_opened_again(page: ExportPage, opened: Window) -> None:
    choose(page.fields.format, "vp9")
    path = opened.project.path
    assert path is not None
    opened.project.new()
    assert opened.exports.order.format == "h264"
    opened.importer.open_project(path)
    page.want()
    assert opened.exports.order.format == "vp9" and page.target.text().endswith("r.webm")


@pytest.mark.film
def test_the_reel_is_written_as_it_was_when_it_was_queued(
    page: ExportPage, opened: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    before = opened.project.reel
    page.exports.ask_for(SMALL)
    opened.exports.hold(True)
    page.go.click()
    assert [i.state for i in opened.exports.items] == ["waiting"] and page.queue.pause.text() == "Go on"
    opened.project.change("Gone", lambda reel: replace(reel, accent_lanes=()))
    page.queue.pause.click()
    done(opened, qtbot)
    assert check_rendered(timeline_of(before), tmp_path / "r.mp4").ok


@pytest.mark.film
def test_the_queue_is_put_in_order_paused_and_stopped(
    page: ExportPage, opened: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    exports = opened.exports
    slow = Order(size=(2160, 3840), quality="high")  # not done before it is stopped, whatever else the machine does
    for letter in "abc":
        assert exports.start(slow, tmp_path / f"{letter}.mp4")
    qtbot.waitUntil(lambda: exports.share > 0.02, timeout=WAIT)
    a, b, c = (i.id for i in exports.items)
    assert exports.running == a and opened.header.export_button.text().startswith("Exporting")
    page.queue.rows[c].up.click()
    assert [i.id for i in exports.items] == [a, c, b]
    # Paused in the middle of a file, it stands still.
    page.queue.pause.click()
    qtbot.wait(300)
    held = exports.share
    qtbot.wait(1200)
    assert exports.share == held and opened.header.export_button.text() == "Paused"
    page.queue.pause.click()
    qtbot.waitUntil(lambda: exports.share > held, timeout=WAIT)
    page.queue.rows[b].stop.click()
    page.queue.rows[c].stop.click()
    page.queue.rows[a].stop.click()
    done(opened, qtbot)
    assert [i.state for i in exports.items] == ["stopped"] * 3
    assert not list(tmp_path.glob("[abc].mp4")) and not list(tmp_path.glob(".*.part"))
    queue.save(replace(exports.items[0], order=Order(size=(90, 160), quality="draft")))
    exports.again(a)
    done(opened, qtbot)
    assert (tmp_path / "a.mp4").is_file() and exports.item(a).state == "done"  # type: ignore[union-attr]
    page.queue.clear.click()
    assert exports.items == [] and page.queue.empty.isVisible() and (tmp_path / "a.mp4").is_file()


@pytest.mark.film
def test_editing_goes_on_while_it_is_written(page: ExportPage, opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    opened.exports.start(Order(size=(540, 960), quality="high"), tmp_path / "a.mp4")
    qtbot.waitUntil(lambda: opened.exports.share > 0.02, timeout=WAIT)
    longest, last = 0.0, time.monotonic()
    for _ in range(100):
        opened.project.playhead.go((opened.project.playhead.frame + 7) % 300)
        qtbot.wait(5)
        now = time.monotonic()
        longest, last = max(longest, now - last), now
    opened.exports.stop(opened.exports.running or "")
    done(opened, qtbot)
    assert longest < 2.0  # how smooth it is, ./run bench tells


@pytest.mark.film
def test_what_waits_outlives_the_window(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    opened.exports.start(Order(size=(540, 960), quality="high"), tmp_path / "a.mp4")
    opened.exports.start(Order(size=(90, 160), quality="draft"), tmp_path / "b.mp4")
    qtbot.waitUntil(lambda: opened.exports.share > 0.02, timeout=WAIT)
    opened.exports.close()
    assert [i.state for i in queue.items()] == ["waiting", "waiting"] and not (tmp_path / "a.mp4").exists()
    other = Window()
    qtbot.addWidget(other)
    try:
        other.exports.read()
        assert len(other.exports.waiting) == 2 and other.exports.held
        assert "2 exports wait from an earlier session" in other.foot.status.text()
        other.exports.stop(other.exports.waiting[0].id)
        other.exports.hold(False)
        qtbot.waitUntil(lambda: other.exports.running is None and not other.exports.waiting, timeout=WAIT)
        assert (tmp_path / "b.mp4").is_file()
    finally:
        other.shut_down()


@pytest.mark.film
def test_closing_asks_and_an_export_is_finished_in_the_background(
    opened: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Closing once stopped it without a word. What waits behind it is written too."""
    asked: list[str] = []

    def answer(box: QMessageBox) -> QMessageBox.StandardButton:
        words = [b.text() for b in box.buttons()]
        asked.append(f"{box.text()} {words}")
        return box.standardButton(next(b for b, text in zip(box.buttons(), words, strict=True) if text == wanted))

    monkeypatch.setattr(QMessageBox, "exec", answer)
    opened.exports.start(Order(size=(360, 640), quality="draft"), tmp_path / "a.mp4")
    opened.exports.start(Order(size=(90, 160), quality="draft"), tmp_path / "b.mp4")
    qtbot.waitUntil(lambda: opened.exports.share > 0.02, timeout=WAIT)
    wanted = "Stay here"
    assert not opened.close() and opened.exports.running is not None
    assert "2 exports" in asked[0]
    wanted = "Finish in the background"
    assert opened.close()
    qtbot.waitUntil(lambda: [i.state for i in queue.items()] == ["done", "done"], timeout=WAIT)
    assert (
        probe(str(tmp_path / "a.mp4")).length_s == pytest.approx(opened.project.reel.length_s, abs=0.1)
        and (tmp_path / "b.mp4").is_file()
    )


@pytest.mark.film
def test_an_export_that_is_stopped_says_so(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """It once said that it ended unexpectedly, where it was stopped before it could say more."""
    for early in (True, False):
        opened.exports.start(Order(size=(540, 960), quality="high"), tmp_path / "a.mp4")
        if not early:
            qtbot.waitUntil(lambda: opened.exports.share > 0.02, timeout=WAIT)
        opened.exports.stop(opened.exports.running or "")
        assert "Stopping a.mp4" in opened.foot.status.text()
        done(opened, qtbot)
        assert opened.exports.items[-1].state == "stopped" and "a.mp4: stopped" in opened.foot.status.text()
        assert not list(tmp_path.glob("*.mp4")) and not list(tmp_path.glob(".*.part"))


def test_a_file_that_is_there_is_asked_about(
    page: ExportPage, opened: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "r.mp4").write_bytes(b"precious")
    asked: list[str] = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: asked.append(box.text()) or QMessageBox.StandardButton.Cancel)
    page.go.click()
    assert "is there already" in asked[0] and opened.exports.items == []
    choose(page.fields.format, "png")
    (tmp_path / "r").mkdir()
    page.go.click()
    assert "choose another name for the frames" in opened.foot.status.text()
    assert (tmp_path / "r.mp4").read_bytes() == b"precious"


@pytest.mark.slow
def test_an_export_that_fails_on_the_way_says_why_in_its_row(
    page: ExportPage, opened: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    (tmp_path / "gone").mkdir()
    opened.exports.hold(True)
    assert opened.exports.start(Order(), tmp_path / "gone" / "a.mp4")
    (tmp_path / "gone").rmdir()
    opened.exports.hold(False)
    done(opened, qtbot)
    (item,) = opened.exports.items
    assert item.state == "failed" and "is not there; choose another place" in page.queue.rows[item.id].message.text()
    assert "is not there" in opened.foot.status.text()


@pytest.mark.film
def test_a_process_that_dies_without_a_word_is_told(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    opened.exports.start(Order(size=(540, 960), quality="high"), tmp_path / "a.mp4")
    qtbot.waitUntil(lambda: opened.exports.share > 0.02, timeout=WAIT)
    assert opened.exports._process is not None
    opened.exports._process.kill()
    done(opened, qtbot)
    (item,) = opened.exports.items
    assert item.state == "failed" and "ended unexpectedly" in item.message and not (tmp_path / "a.mp4").exists()


@pytest.mark.film
def test_the_last_order_is_given_again_by_one_key(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    opened.exports.ask_for(Order(format="vp9", quality="draft", short_px=180))
    opened.commands["export_again"].trigger()
    done(opened, qtbot)
    assert (tmp_path / "r.webm").is_file()
    opened.commands["pause_exports"].trigger()
    assert "Nothing is being exported" in opened.foot.status.text()


def test_the_order_goes_with_the_project(opened: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """It was kept by the project's path alone, and lost where that was moved."""
    wanted = Order(format="vp9", quality="draft", short_px=180)
    opened.exports.ask_for(wanted)
    opened.project.save(tmp_path / "a.tempik")
    assert main(["speed", str(tmp_path / "a.tempik"), "--clips", "1", "--reverse"]) == 0
    (tmp_path / "a.tempik").rename(tmp_path / "moved.tempik")
    monkeypatch.setenv("TEMPIK_STATE", str(tmp_path / "another machine"))
    assert remembered(tmp_path / "moved.tempik") == wanted
    assert opened.importer.open_project(tmp_path / "moved.tempik")
    opened.project.save(tmp_path / "under another name.tempik")  # without a look at the Export page
    assert remembered(tmp_path / "under another name.tempik") == wanted == opened.exports.order


def test_a_typed_name_gets_its_formats_ending(page: ExportPage, qtbot: QtBot, tmp_path: Path) -> None:
    for typed, whole in (("open day", "open day.mp4"), ("a.mp4", "a.mp4"), ("a.webm", "a.mp4"), ("v1.2", "v1.2.mp4")):
        name(page, tmp_path / typed)
        page.target.editingFinished.emit()
        assert page.target.text() == str(tmp_path / whole)


@pytest.mark.slow
def test_where_to_is_asked_with_the_formats_ending(
    page: ExportPage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(tmp_path / "mine"), ""))
    page.choose.click()
    assert page.target.text() == str(tmp_path / "mine.mp4")
    # A name that was chosen by hand stays.
    page.exports.project.selection.select_clip("c1")
    assert page.target.text() == str(tmp_path / "mine.mp4")
