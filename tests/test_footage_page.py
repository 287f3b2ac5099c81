"""The shelf and the strip: found, sorted, tagged, scrubbed; cues suggested, taken and dismissed; rates and repeats said."""

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from media_files import numbered, write_video
from tempik.desktop.pages.footage.page import FootagePage
from tempik.desktop.pages.footage.shot_list import ShotList
from tempik.desktop.shell.window import Window
from tempik.project.file import save_reel
from tempik.project.journal import Journal, journal_path
from tempik.reel import Footage, Reel, by_id
from test_cues import bounce, scene

pytestmark = pytest.mark.usefixtures("no_dialogs")
WAIT = 30_000


@pytest.fixture(scope="module")
def films(tmp_path_factory: pytest.TempPathFactory) -> list[str]:
    """A ball that bounces at 0.7 s, 24 in 30, and a still, made and looked over once."""
    folder = tmp_path_factory.mktemp("films")
    write_video(folder / "ball.mp4", scene(bounce(0.7), 60), 84, 60)
    draw = numbered(320, 180)
    write_video(folder / "pulldown.mp4", lambda n: draw(n - n // 5 - (n % 5 == 4)), 100, 30)
    write_video(folder / "wide.mp4", numbered(1280, 720), 40, 25, gop=40)
    return [str(folder / n) for n in ("ball.mp4", "pulldown.mp4", "wide.mp4")]


@pytest.fixture
def shelf(
    window: Window, qtbot: QtBot, films: list[str], worker_cache: Path, monkeypatch: pytest.MonkeyPatch
) -> Iterator[Window]:
    """The window on its Footage page with those three films, looked over."""
    monkeypatch.setenv("TEMPIK_CACHE", str(worker_cache))
    window.commands["show_footage"].trigger()
    window.importer.add_footage(films)
    qtbot.waitUntil(lambda: len(window.project.reel.footage) == 3, timeout=WAIT)
    paths = [f.path for f in window.project.reel.footage]
    for piece in window.project.reel.footage:
        window.proxy_store.look_through(piece)
    qtbot.waitUntil(lambda: all(window.proxy_store.study_of(p) for p in paths), timeout=WAIT)
    qtbot.waitUntil(lambda: not window.worker.jobs and not window.background.jobs, timeout=WAIT)
    yield window


def piece(window: Window, name: str) -> Footage:
    return next(f for f in window.project.reel.footage if f.name == name)


def look_at(window: Window, name: str) -> None:
    window.project.selection.select_footage(piece(window, name).id)


def test_a_suggested_cue_is_taken_by_one_key_and_dismissed_by_another(shelf: Window) -> None:
    page = shelf.page(FootagePage)
    look_at(shelf, "ball.mp4")
    assert page.view.row.shown[0].time_s == pytest.approx(0.7, abs=1 / 60)
    page.view.go_stop(1)
    first = page.view.row.shown[page.view.row.at].time_s
    count = len(page.view.row.shown)
    page.view.row.pick(0)
    page.view.row.keyPressEvent(QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Return, Qt.KeyboardModifier.NoModifier))
    assert piece(shelf, "ball.mp4").cues[0].time_s == pytest.approx(0.7, abs=1 / 60)
    assert len(page.view.row.shown) == count - 1 and first > 0
    if page.view.row.shown:
        page.view.row.pick(0)
        gone = page.view.row.shown[0].time_s
        page.view.remove_cue()
        assert gone in piece(shelf, "ball.mp4").dismissed and all(s.time_s != gone for s in page.view.row.shown)
    page.view.scrub_to(0.7)
    page.view.cue_name.setText("hits the floor")
    page.view.cue_name.editingFinished.emit()
    assert piece(shelf, "ball.mp4").cues[0].name == "hits the floor"
    page.shelf.words.setText("floor")
    assert page.shelf.order() == [piece(shelf, "ball.mp4").id]


def test_a_cue_is_set_while_the_piece_plays(shelf: Window, qtbot: QtBot) -> None:
    page = shelf.page(FootagePage)
    look_at(shelf, "wide.mp4")
    page.view.scrub_to(0.0)
    page.view.play_pause()
    qtbot.waitUntil(lambda: page.view.time_s > 0.2, timeout=WAIT)
    page.view.set_cue()
    cue = piece(shelf, "wide.mp4").cues[0]
    assert 0.2 <= cue.time_s < 1.6 and (cue.time_s * 25) % 1 == pytest.approx(0, abs=1e-6), "on a frame's own timestamp"
    page.view.play_pause()
    page.view.play_pause()
    page.view.step(3)
    assert page.view.time_s == pytest.approx(min(cue.time_s + 0.12, 39 / 25), abs=0.05)


def test_the_shelf_is_sorted_searched_tagged_and_noted(shelf: Window) -> None:
    page = shelf.page(FootagePage)
    page.shelf.sort.setCurrentText("length")
    lengths = [by_id(shelf.project.reel.footage, i).length_s for i in page.shelf.order()]  # type: ignore[union-attr]
    assert lengths == sorted(lengths, reverse=True)
    look_at(shelf, "wide.mp4")
    page.about.tag.setCurrentIndex(page.about.tag.findData("first choice"))
    page.about.tag.activated.emit(page.about.tag.currentIndex())
    page.about.note.setText("steam on the left")
    page.about.note.editingFinished.emit()
    assert (piece(shelf, "wide.mp4").tag, piece(shelf, "wide.mp4").note) == ("first choice", "steam on the left")
    page.shelf.sort.setCurrentText("tag")
    assert page.shelf.order()[0] == piece(shelf, "wide.mp4").id
    page.shelf.words.setText("steam first")
    assert page.list.count() == 1
    page.shelf.words.setText("")
    assert page.list.count() == 3


def test_planned_shots_have_footage_attached(shelf: Window) -> None:
    page = shelf.page(FootagePage)
    dialog = ShotList(shelf.project, shelf)
    dialog.lines.setPlainText("the ball comes down\n\nsteam from the trough\nthe ball comes down")
    dialog.keep()
    assert [s.text for s in shelf.project.reel.shots] == ["the ball comes down", "steam from the trough"]
    look_at(shelf, "ball.mp4")
    page.about.shot.setCurrentIndex(1)
    page.about.shot.activated.emit(1)
    again = ShotList(shelf.project, shelf)
    assert "the ball comes down: ball.mp4" in again.have.text() and "trough: nothing yet" in again.have.text()
    again.lines.setPlainText("steam from the trough")
    again.keep()
    assert piece(shelf, "ball.mp4").shot == "" and len(shelf.project.reel.shots) == 1


def test_a_true_rate_is_said_and_shown_wherever_speed_is(shelf: Window) -> None:
    page = shelf.page(FootagePage)
    look_at(shelf, "wide.mp4")
    assert "uneven" in page.shelf.facts(piece(shelf, "wide.mp4"))
    page.about.read_rate.setCurrentText("100 fps")
    page.about.set_rate()
    assert piece(shelf, "wide.mp4").read_rate == 100
    assert "clean down to 30 %" in page.about.facts.text() and "written as 25" in page.about.facts.text()
    assert "≥ 30 %" in page.shelf.facts(piece(shelf, "wide.mp4"))
    page.about.read_rate.setCurrentText("fast")
    page.about.set_rate()
    assert "'fast' is not a frame rate" in shelf.foot.status.text()
    shelf.undo()
    assert piece(shelf, "wide.mp4").read_rate is None


def test_repeated_frames_are_said_and_left_out(shelf: Window) -> None:
    page = shelf.page(FootagePage)
    look_at(shelf, "pulldown.mp4")
    assert "only repeat (one in 5): 24" in page.about.facts.text() and page.about.around.isVisible()
    page.about.around.click()
    assert piece(shelf, "pulldown.mp4").true_rate == pytest.approx(Fraction(24), abs=0.4)
    page.about.around.click()
    assert not piece(shelf, "pulldown.mp4").skip_repeats


def test_moving_over_the_shelf_scrubs_and_the_preview_says_what_it_shows(shelf: Window, qtbot: QtBot) -> None:
    page = shelf.page(FootagePage)
    page.list.scrollToTop()
    viewport = page.list.viewport()
    at = QPointF(viewport.width() / 2, 30)
    none = Qt.MouseButton.NoButton
    move = QMouseEvent(
        QEvent.Type.MouseMove,
        at,
        QPointF(viewport.mapToGlobal(at.toPoint())),
        none,
        none,
        Qt.KeyboardModifier.NoModifier,
    )
    QApplication.sendEvent(viewport, move)
    assert page.shelf.hovered is not None and 0.3 < page.shelf.hovered[1] < 0.7
    qtbot.waitUntil(lambda: "ball.mp4" in shelf.looking.caption, timeout=WAIT)
    assert shelf.looking.image is not None
    shelf.commands["show_speed"].trigger()
    assert shelf.looking.image is None, "another page shows the reel"


def test_proxies_stand_in_for_the_preview_and_are_cleared(shelf: Window, qtbot: QtBot) -> None:
    path = piece(shelf, "wide.mp4").path
    proxy = shelf.proxy_store.proxy_for(path)
    assert proxy is not None and Path(proxy).is_file()
    assert shelf.proxy_store.proxy_for(piece(shelf, "ball.mp4").path) is None, "small footage needs none"
    shelf.media.toggle_proxies()
    assert shelf.proxy_store.proxy_for(path) is None
    shelf.media.toggle_proxies()
    # A new window finds what was made.
    again = Window()
    qtbot.addWidget(again)
    again.proxy_store.want(piece(shelf, "wide.mp4"))
    qtbot.waitUntil(lambda: again.proxy_store.proxy_for(path) == proxy, timeout=WAIT)
    again.shut_down()
    shelf.proxy_store.clear()
    assert not Path(proxy).exists() and "removed" in shelf.foot.status.text()


@pytest.mark.slow
def test_work_without_a_name_that_was_left_is_offered_at_the_next_start(shelf: Window, qtbot: QtBot) -> None:
    history = shelf.project.history
    left = journal_path(None, "1")
    Journal(left, history, None).leave()
    again = Window()
    qtbot.addWidget(again)
    again.recovery.begin()
    assert again.recovery.left is not None and "unnamed project" in again.foot.status.text()
    again.recovery.answer(True)
    assert again.project.reel == history.reel and not left.exists()
    again.project.saved_reel = again.project.reel
    again.shut_down()
    assert not list(left.parent.glob("*.journal"))


def test_a_project_that_is_opened_shows_its_reel(window: Window, qtbot: QtBot, reel: Reel, tmp_path: Path) -> None:
    """The preview showed the first piece of footage on its cue, while the meter under it spoke of the reel."""
    save_reel(reel, tmp_path / "r.tempik")
    looked: list[str] = []
    window.looking.changed.connect(lambda: looked.append(window.looking.caption))
    assert window.page_panel.current is window.page(FootagePage)
    assert window.importer.open_project(tmp_path / "r.tempik")
    qtbot.waitUntil(lambda: window.preview.image is not None, timeout=20_000)
    qtbot.wait(400)
    assert looked == []
