"""The first minutes: recent projects with pictures, a reel from a folder, the tour, the demo's frames, About and Report."""

import json
import shutil
import zipfile
from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QMimeData, QPoint, Qt
from PySide6.QtGui import QColor, QDragEnterEvent, QImage
from PySide6.QtWidgets import QApplication, QDialog, QFileDialog, QInputDialog, QPlainTextEdit, QPushButton
from pytestqt.qtbot import QtBot

from tempik.check import check_reel
from tempik.cli.main import main
from tempik.demo import OTHERS
from tempik.desktop.session.pictures import keep_picture, picture_of
from tempik.desktop.session.preferences import load_preferences, remember_recent
from tempik.desktop.shell.tour import MOST_HINTS
from tempik.desktop.shell.window import Window
from tempik.desktop.timeline.dropping import FOOTAGE_MIME
from tempik.home import PLACES, put_in_menu, take_from_menu
from tempik.project.file import load_reel, save_reel, state_folder
from tempik.project.zipped import zip_project
from tempik.reel import Reel
from tempik.report import about_text, parts, write_report

WAIT = 60_000


def test_recent_projects_are_on_the_welcome_screen_with_their_pictures(
    window: Window, reel: Reel, tmp_path: Path, qtbot: QtBot
) -> None:
    save_reel(reel, tmp_path / "first day.tempik")
    image = QImage(180, 320, QImage.Format.Format_RGB888)
    image.fill(QColor("#c04020"))
    keep_picture(tmp_path / "first day.tempik", image)
    remember_recent(tmp_path / "first day.tempik")
    window.first.refill()
    (button,) = [b for b in window.welcome.recent.findChildren(QPushButton) if b.isEnabled()]
    assert button.text() == "first day" and not button.icon().isNull()
    kept = picture_of(tmp_path / "first day.tempik")
    assert kept is not None and kept.height() == 240 and kept.pixelColor(60, 100).red() > 150
    button.click()
    assert window.project.path == tmp_path / "first day.tempik"


def test_a_project_that_is_left_keeps_its_picture(opened: Window) -> None:
    path = opened.project.path
    assert path is not None and picture_of(path) is None
    opened.first.keep_picture()
    assert picture_of(path) is not None


@pytest.mark.film
def test_a_folder_dropped_on_the_empty_window_is_a_first_reel(
    window: Window, media: Path, tmp_path: Path, qtbot: QtBot, no_dialogs: None
) -> None:
    for name in ("song.wav", "a.mp4", "b.mp4", "c.mp4"):  # of other tests there may be projects beside them
        shutil.copy(media / name, tmp_path / name)
    window.first.bring([str(tmp_path)])
    qtbot.waitUntil(lambda: bool(window.project.reel.clips), timeout=WAIT)
    reel = window.project.reel
    assert reel.soundtrack is not None and len(reel.footage) == 3 and reel.accent_lanes
    assert reel.draft is not None and reel.draft.mood == "driving" and reel.look is not None
    assert check_reel(window.project.timeline).ok
    assert sum(bool(c.start.point) for c in reel.clips) >= len(reel.clips) - 1
    assert "A first reel of that folder" in window.foot.status.text()
    window.undo()
    assert not window.project.reel.clips and len(window.project.reel.footage) == 3


def test_a_first_clip_is_laid_by_hand(window: Window, reel: Reel, qtbot: QtBot) -> None:
    """Without a draft there was no way to the timeline but keys: a piece dragged from the shelf was refused."""
    bare = replace(reel, clips=(), accent_lanes=())
    window.project.change("Begun", lambda _: replace(bare, footage=()))
    assert window.middle.currentWidget() is window.welcome and not window.welcome.by_hand.isVisible()
    window.project.change("Footage", lambda _: bare)
    assert window.middle.currentWidget() is window.welcome
    held = QMimeData()
    held.setData(FOOTAGE_MIME, bare.footage[0].id.encode())
    at, button = QPoint(300, 100), Qt.MouseButton.LeftButton
    event = QDragEnterEvent(at, Qt.DropAction.CopyAction, held, button, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(window.middle, event)
    assert event.isAccepted() and window.middle.currentWidget() is window.timeline
    points = window.project.timeline.on_reel()
    frame = window.project.timeline.frame_of_point(points[5])
    window.dropped.footage(bare.footage[0].id, frame, points[5].id, 0)
    assert window.project.selection.placed is not None and window.project.playhead.frame == frame
    window.dropped.footage(bare.footage[0].id, 3, "", 0)
    placed = window.project.selection.placed
    assert placed is not None and placed.first == 3 == window.project.playhead.frame


def test_the_timeline_is_left_when_its_first_clip_is_undone_and_not_when_the_last_is_taken_out(
    window: Window, reel: Reel, no_dialogs: None
) -> None:
    bare = replace(reel, clips=(), accent_lanes=())
    window.project.change("Begun", lambda _: bare)
    window.project.change("Drafted", lambda _: reel)
    assert window.middle.currentWidget() is window.timeline
    window.undo()
    assert window.middle.currentWidget() is window.welcome
    window.project.change("Drafted", lambda _: reel)
    window.project.change("All taken out", lambda r: replace(r, clips=()))
    assert window.middle.currentWidget() is window.timeline
    window.projects.new_project()
    assert window.middle.currentWidget() is window.welcome
    window.project.change("Begun", lambda _: bare)
    window.welcome.by_hand.click()
    assert window.middle.currentWidget() is window.timeline


def test_a_folder_without_a_song_only_adds_its_footage(
    window: Window, media: Path, tmp_path: Path, qtbot: QtBot
) -> None:
    shutil.copy(media / "a.mp4", tmp_path / "a.mp4")
    window.first.bring([str(tmp_path)])
    qtbot.waitUntil(lambda: len(window.project.reel.footage) == 1, timeout=WAIT)
    assert not window.project.reel.clips


def test_the_tour_points_at_controls_that_are_there_and_comes_once(opened: Window, qtbot: QtBot) -> None:
    opened.first.begin()
    tour = opened.first.tour
    assert tour is not None and len(tour.hints) == MOST_HINTS
    seen = []
    while opened.first.tour is not None:
        widget, part = tour.hints[tour.at].about()
        assert widget.isVisible() and tour.isVisible()
        box = widget.rect() if part is None else part & widget.rect()
        middle = widget.mapTo(opened, box.center())
        assert tour.ring.geometry().contains(middle)
        assert opened.rect().contains(tour.geometry()), tour.title.text()
        assert len(tour.text.text()) < 140
        seen.append(tour.title.text())
        tour.go_on()
    assert len(set(seen)) == 6 and load_preferences().toured
    opened.first.begin()
    assert opened.first.tour is None
    opened.commands["show_tour"].trigger()
    assert opened.first.tour is not None
    opened.first.tour.finish()
    assert opened.first.tour is None


def test_an_empty_window_has_a_tour_of_its_own(window: Window) -> None:
    window.first.begin()
    assert window.first.tour is None  # not before there is something to see
    window.first.show_tour()
    assert window.first.tour is not None and window.first.tour.title.text() == "A song first"
    assert window.first.tour.pos() != QPoint(0, 0)
    window.first.tour.finish()


def test_esc_ends_the_tour_though_it_is_a_command_too(opened: Window, qtbot: QtBot) -> None:
    opened.first.show_tour()
    tour = opened.first.tour
    assert tour is not None
    opened.activateWindow()
    tour.next.setFocus()
    qtbot.keyClick(tour.next, Qt.Key.Key_Escape)
    assert opened.first.tour is None


def test_about_names_version_and_licences(window: Window) -> None:
    window.first.about()
    (dialog,) = window.findChildren(QDialog)
    text = dialog.findChildren(QPlainTextEdit)[0].toPlainText()
    dialog.close()
    assert text == about_text() and "GPL-3.0-or-later" in text
    named = {part.name.lower().replace("_", "-") for part in parts()}
    assert {"av", "numpy", "pyside6", "opentimelineio", "pillow"} <= named and all(p.licence for p in parts())


def test_a_report_has_log_versions_and_project_and_no_names_of_the_home(
    opened: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    home = tmp_path / "home of someone"
    home.mkdir()
    monkeypatch.setenv("HOME", str(home))
    state_folder().mkdir(parents=True, exist_ok=True)
    (state_folder() / "tempik.log").write_text(f"fault in {home}/song.wav")
    monkeypatch.setattr(QInputDialog, "getMultiLineText", lambda *_: ("it went dark", True))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "r.zip"), ""))
    opened.first.report()
    with zipfile.ZipFile(tmp_path / "r.zip") as packed:
        assert set(packed.namelist()) == {"versions.txt", "screen.json", "what happened.txt", "tempik.log", "r.tempik"}
        assert packed.read("tempik.log") == b"fault in ~/song.wav" and json.loads(packed.read("screen.json"))["python"]
        assert packed.read("what happened.txt") == b"it went dark"
    assert "no media" in opened.foot.status.text()


def test_a_report_from_the_command_line(reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    save_reel(reel, tmp_path / "p.tempik")
    assert main(["report", str(tmp_path / "p.tempik"), "-o", str(tmp_path / "r.zip")]) == 0
    with zipfile.ZipFile(tmp_path / "r.zip") as packed:
        assert "p.tempik" in packed.namelist()
    assert main(["about"]) == 0 and "Tempik" in capsys.readouterr().out
    write_report(tmp_path / "bare.zip")


# The menu entry


def test_the_menu_entry_comes_and_goes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    files = put_in_menu(Path("/home/a smith/bin/tempik-desktop"))
    assert {str(f.relative_to(tmp_path / "data")) for f in files} == set(PLACES.values())
    entry = files[0].read_text()
    assert 'Exec="/home/a smith/bin/tempik-desktop" %f' in entry and "MimeType=application/x-tempik" in entry
    assert set(take_from_menu()) == set(files) and not any(f.exists() for f in files)
    assert take_from_menu() == []


def test_every_file_that_is_no_code_is_in_the_wheel() -> None:
    import fnmatch
    import tomllib

    root = Path(__file__).parent.parent
    patterns = tomllib.loads((root / "pyproject.toml").read_text())["tool"]["setuptools"]["package-data"]["tempik"]
    package = root / "src" / "tempik"
    data = [p for p in package.rglob("*") if p.is_file() and p.suffix not in (".py", ".pyc")]
    left_out = [
        p for p in data if not any(fnmatch.fnmatch(str(p.relative_to(package)), pattern) for pattern in patterns)
    ]
    assert data and not left_out, left_out


# Zips and edits of others, in the window


def test_a_zip_that_is_opened_is_unpacked_beside_and_opened(
    window: Window, reel: Reel, tmp_path: Path, qtbot: QtBot
) -> None:
    zip_project(reel, tmp_path / "sent.zip")
    window.first.bring([str(tmp_path / "sent.zip")])
    qtbot.waitUntil(lambda: window.project.path is not None, timeout=WAIT)
    assert window.project.path == tmp_path / "sent" / "sent.tempik" and len(window.project.reel.clips) == len(
        reel.clips
    )


@pytest.mark.slow
def test_an_edit_of_another_tool_becomes_a_project_beside_it(
    opened: Window, tmp_path: Path, qtbot: QtBot, no_dialogs: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    clips = opened.project.reel.clips
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "cut.otio"), "OpenTimelineIO (*.otio)")
    )
    opened.exchanges.write_for_others()
    qtbot.waitUntil(lambda: "cannot say everything: accents (2)" in opened.foot.status.text(), timeout=WAIT)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "cut.otio"), ""))
    opened.exchanges.read_of_others()
    qtbot.waitUntil(lambda: opened.project.path == tmp_path / "cut.tempik", timeout=WAIT)
    assert len(opened.project.reel.clips) == len(clips)
    assert [c.start.point for c in load_reel(tmp_path / "cut.tempik").clips] == [c.start.point for c in clips]


def test_the_demo_has_three_frames() -> None:
    assert set(OTHERS.values()) == {(1080, 1080), (1920, 1080)}
