"""Commands in any order, with the mouse in between, in the real window: nothing ends in a fault, and the reel stays sound.

Dialogs are answered at once, by lot with a file or with nothing. What any fault in a slot or while painting would say is
caught by the test library; a fault that the window itself caught is in its log."""

from __future__ import annotations

import random
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QDrag, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QColorDialog,
    QDialog,
    QFileDialog,
    QInputDialog,
    QMenu,
    QMessageBox,
    QWidget,
)
from pytestqt.qtbot import QtBot

from tempik.desktop.pages import PAGES
from tempik.desktop.session.log import log_path
from tempik.desktop.shell.window import Window
from tempik.edit.frame_shapes import in_own_shape
from tempik.media import audio
from tempik.media.long_samples import LongSamples
from tempik.reel.validate import problems

# What leaves the window or the machine's own files behind, or waits for work that takes long.
NOT_HERE = {"quit", "open_demo", "preview_whole_screen", "new_project", "open_project", "collect_media", "zip_project"}
LEAST_CHANGED = 6  # of some 45 commands that are asked for; others go, look, listen or need what is not there
KEYS = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Delete, Qt.Key.Key_Escape, Qt.Key.Key_Space, Qt.Key.Key_Tab)


class Hand:
    """Somebody who tries everything."""

    def __init__(self, window: Window, qtbot: QtBot, seed: int) -> None:
        self.window, self.qtbot, self.rng = window, qtbot, random.Random(seed)
        self.done: list[str] = []
        self.changed: set[str] = set()  # commands after which the reel was another
        self.names = sorted(set(window.commands) - NOT_HERE)

    def go_on(self, steps: int) -> None:
        ways = [self.command] * 6 + [
            self.page,
            self.drag,
            self.drag,
            self.press,
            self.wheel,
            self.select,
            self.clip_menu,
        ]
        for _ in range(steps):
            self.rng.choice(ways)()
            self.put_away()
            QApplication.processEvents()
            reel = self.window.project.reel
            assert problems(in_own_shape(reel)) == [], self.done[-6:]

    def command(self) -> None:
        name = self.rng.choice(self.names)
        self.done.append(name)
        action, before = self.window.commands[name], self.window.project.reel
        if action.isEnabled():
            action.trigger()
        if self.window.count.isVisible():
            field = self.window.count.count
            field.setValue(self.rng.choice((1, 2, 7, 30, 100, field.maximum())))
            self.window.count.take()
        if self.window.project.reel is not before:
            self.changed.add(name)

    def page(self) -> None:
        page = self.rng.choice(PAGES)
        self.done.append(f"page {page.name}")
        self.window.open_page(page)

    def _somewhere(self, widget: QWidget) -> QPoint:
        return QPoint(self.rng.randrange(max(1, widget.width())), self.rng.randrange(max(1, widget.height())))

    def _widget(self) -> QWidget:
        window = self.window
        shown: list[QWidget] = [window.timeline, window.song_strip, window.preview]
        page = window.page_panel.current
        if page is not None:
            shown += [w for w in page.findChildren(QWidget) if w.isVisible() and w.isEnabled() and w.width() > 20]
        return self.rng.choice(shown[:3] * 8 + shown[3:])

    def drag(self) -> None:
        widget = self._widget()
        self.done.append(f"drag {type(widget).__name__}")
        held = self.rng.choice(
            (Qt.KeyboardModifier.NoModifier,) * 3 + (Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier)
        )
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, held, self._somewhere(widget))
        for _ in range(self.rng.randrange(4)):
            QTest.mouseMove(widget, self._somewhere(widget))
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, held, self._somewhere(widget))

    def press(self) -> None:
        widget, key = self._widget(), self.rng.choice(KEYS)
        self.done.append(f"{key.name} on {type(widget).__name__}")
        widget.setFocus()
        QTest.keyClick(widget, key)

    def wheel(self) -> None:
        widget = self._widget()
        at, turn = self._somewhere(widget), QPoint(0, self.rng.choice((-120, 120)))
        self.done.append(f"wheel on {type(widget).__name__}")
        held = self.rng.choice((Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier))
        event = QWheelEvent(
            QPointF(at), QPointF(widget.mapToGlobal(at)), QPoint(), turn, Qt.MouseButton.NoButton, held,
            Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(widget, event)

    def select(self) -> None:
        project = self.window.project
        clips = [c.id for c in project.reel.clips]
        self.done.append("select")
        project.playhead.go(self.rng.randrange(max(1, project.timeline.frames)))
        if clips:
            project.selection.select_clips(self.rng.sample(clips, min(len(clips), self.rng.randrange(1, 4))))
        if project.reel.accent_lanes:
            project.selection.select_lane(self.rng.choice(project.reel.accent_lanes).id)

    def clip_menu(self) -> None:
        """An entry of the menu over the timeline."""
        self.done.append("menu")
        timeline = self.window.timeline
        QTest.mouseClick(
            timeline, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier, self._somewhere(timeline)
        )
        QApplication.processEvents()
        for menu in [w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible()]:
            entries = [a for a in menu.actions() if a.isEnabled() and not a.isSeparator() and a.menu() is None]
            if entries and self.rng.random() < 0.7:
                chosen = self.rng.choice(entries)
                self.done.append(f"entry {chosen.text()}")
                chosen.trigger()
            menu.close()

    def put_away(self) -> None:
        """Close what opened over the window."""
        for widget in QApplication.topLevelWidgets():
            if widget is not self.window and widget.isVisible() and isinstance(widget, QMenu | QDialog):
                widget.close()
        for dialog in self.window.findChildren(QDialog):
            if dialog.isVisible():
                dialog.close()
        self.window.count.hide()


@pytest.fixture
def answered(monkeypatch: pytest.MonkeyPatch, tmp_path: Path, media: Path) -> None:
    """Dialogs answer by lot: a file that is there, a place to write, or nothing."""
    lot = random.Random(3)
    number = [0]

    def to_write(*args: object, **kw: object) -> tuple[str, str]:
        number[0] += 1
        name = lot.choice(("x.csv", "x.srt", "x.cube", "x.otio", "x.edl", "x.wav", "x.tempik", "no suffix"))
        return lot.choice((str(tmp_path / f"{number[0]} {name}"), "")), ""

    def to_read(*args: object, **kw: object) -> tuple[str, str]:
        (tmp_path / "torn.csv").write_text("time\nnever\n")
        return lot.choice((str(media / "a.mp4"), str(tmp_path / "torn.csv"), str(tmp_path / "gone"), "")), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", to_write)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", to_read)
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([str(media / "b.mp4")], ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: "")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: (lot.choice(("3.2", "anvil", "")), lot.random() < 0.7))
    monkeypatch.setattr(QInputDialog, "getMultiLineText", lambda *a, **k: ("it cracked", lot.random() < 0.5))
    monkeypatch.setattr(QDrag, "exec", lambda *a, **k: Qt.DropAction.IgnoreAction)
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: ("", False))
    monkeypatch.setattr(QColorDialog, "getColor", lambda *a, **k: QColor(lot.choice(("#336699", "no colour"))))
    monkeypatch.setattr(QMessageBox, "exec", lambda box: QMessageBox.StandardButton.Cancel)
    monkeypatch.setattr(QDialog, "exec", lambda dialog: 0)
    monkeypatch.setattr(QMenu, "exec", lambda *a, **k: None)
    monkeypatch.setattr("tempik.desktop.shell.view_commands._open", lambda url: True)


@pytest.mark.explore(sample="1")
@pytest.mark.usefixtures("answered")
@pytest.mark.parametrize("seed", range(3))
def test_nothing_that_is_asked_for_ends_in_a_fault(opened: Window, qtbot: QtBot, seed: int) -> None:
    asked(opened, qtbot, seed)


@pytest.fixture
def sounds_are_long(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(audio, "LONG_S", 0.1)


@pytest.mark.explore
@pytest.mark.usefixtures("sounds_are_long", "answered")
def test_nor_with_sounds_that_are_held_on_disk(opened: Window, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: opened.song.sound is not None, timeout=20_000)
    assert opened.song.sound is not None and isinstance(opened.song.sound.samples, LongSamples)
    asked(opened, qtbot, 4)


def asked(opened: Window, qtbot: QtBot, seed: int) -> None:
    hand = Hand(opened, qtbot, seed)
    hand.go_on(120)
    assert len(hand.changed) >= LEAST_CHANGED, f"hardly a command did anything: {sorted(hand.changed)}"
    opened.player.pause()
    for job in list(opened.worker.jobs):
        opened.worker.cancel(job)
    qtbot.waitUntil(lambda: not opened.worker.jobs, timeout=60_000)
    assert not log_path().is_file(), f"{hand.done[-8:]}: {log_path().read_text()[-2000:]}"
    reel = opened.project.reel
    while opened.project.history.can_undo:
        opened.undo()
    while opened.project.history.can_redo:
        opened.project.redo()
    assert opened.project.reel == reel
