"""Every button, tile, choice, number and menu entry of every page, really pressed: none is dead, none ends in a fault.

What can be pressed is found by walking what a screen reader is told of the window. A press counts as answered when anything but the
pressed control itself is different afterwards: the reel, what is said, shown, chosen, asked or played. After each the reel is put back."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAccessible, QAccessibleInterface, QColor, QDesktopServices, QDrag
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QColorDialog,
    QComboBox,
    QDialog,
    QFileDialog,
    QInputDialog,
    QLabel,
    QLineEdit,
    QMenu,
    QMessageBox,
    QSlider,
    QWidget,
)
from pytestqt.qtbot import QtBot

from tempik.desktop.pages import PAGES
from tempik.desktop.session.log import log_path
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets.tile_grid import TileGrid
from tempik.edit import titles
from tempik.edit.accents.lanes import with_lane
from tempik.edit.clips import layers, masks
from tempik.edit.sounds.lanes import with_sound_lane
from tempik.edit.transitions.laying import TransitionPlace, with_transitions
from tempik.reel import Reel, Title
from tempik.reel.validate import problems
from tempik.transitions import new_transition

PRESSED = (QAbstractButton, QComboBox, QAbstractSpinBox, QSlider, TileGrid)
# What leaves the window, or waits for work that takes long; each is tried by a test of its own.
NOT_HERE = {"Export", "Pause", "Stop"}
# What only says how the next gesture is meant, which of several is painted in one place, or holds for as long as it is held;
# the last frame of an order stays pressed.
SEEN_ELSEWHERE = {"Before", "as the reel", "slot", "speed", "source", "1", "Which curve is shown"}


class Asked:
    """What was asked of the user; dialogs answer at once."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch, media: Path) -> None:
        self.count = 0

        def answering(answer: Any) -> Any:
            def asked(*args: object, **kw: object) -> Any:
                self.count += 1
                return answer

            return asked

        answers: tuple[tuple[type, str, object], ...] = (
            (QFileDialog, "getSaveFileName", ("", "")),
            (QFileDialog, "getOpenFileName", (str(media / "a.mp4"), "")),
            (QFileDialog, "getOpenFileNames", ([], "")),
            (QFileDialog, "getExistingDirectory", ""),
            (QInputDialog, "getText", ("anvil", True)),
            (QInputDialog, "getMultiLineText", ("it cracked", True)),
            (QInputDialog, "getItem", ("", False)),
            (QColorDialog, "getColor", QColor("#336699")),
            (QMessageBox, "exec", QMessageBox.StandardButton.Cancel),
            (QDialog, "exec", 0),
            (QDrag, "exec", Qt.DropAction.IgnoreAction),
            (QDesktopServices, "openUrl", True),
        )
        for dialog, name, answer in answers:
            monkeypatch.setattr(dialog, name, answering(answer))
        monkeypatch.setattr(QMenu, "exec", answering(None))


@pytest.fixture
def asked(monkeypatch: pytest.MonkeyPatch, media: Path) -> Asked:
    return Asked(monkeypatch, media)


def with_everything(reel: Reel) -> Reel:
    """A layer with a mask, keys and a fade, a title on points, transitions, grades, lanes of accents and of sounds."""
    first = reel.clips[0].id
    reel = with_transitions(with_lane(reel, "flash"), {TransitionPlace(reel.clips[1].id): new_transition("dissolve")})
    reel = with_sound_lane(reel, ["tick"])
    reel, _ = titles.with_title(reel, Title("Open day at the smithy"), 0, 150)
    title = reel.clips[-1].id
    reel = titles.with_words_on_points(reel, [title])
    reel, mask = masks.with_mask(reel, first, "ellipse")
    return layers.with_opacity(masks.with_mask_key(reel, first, mask, 5), [first], 0.8)


class Target(NamedTuple):
    """A control, told by its class, what it is called and how many of the same come before it; of a grid, one of its tiles."""

    kind: str
    name: str
    nth: int
    tile: int = -1


def interfaces(found: QAccessibleInterface) -> Iterator[QAccessibleInterface]:
    """All that a screen reader is told of, from one thing on."""
    for number in range(found.childCount()):
        child = found.child(number)
        if child is not None and child.isValid():
            yield child
            yield from interfaces(child)


def controls(root: QWidget) -> dict[Target, QWidget]:
    """What can be pressed in a widget now."""
    found: dict[Target, QWidget] = {}
    count: dict[tuple[str, str], int] = {}
    top = QAccessible.queryAccessibleInterface(root)
    for each in interfaces(top):
        widget = each.object()
        if not isinstance(widget, PRESSED) or not widget.isVisible() or not widget.isEnabled():
            continue
        name = each.text(QAccessible.Text.Name)
        if isinstance(widget, QComboBox):  # a box of choices says what it shows as its name
            name = widget.accessibleName()
        kind = type(widget).__name__
        if isinstance(widget, QAbstractButton) and widget.isCheckable() and widget.isChecked() and widget.group():
            continue  # the one of several that is chosen already
        nth = count[kind, name] = count.get((kind, name), -1) + 1
        if isinstance(widget, TileGrid):
            for number, item in enumerate(widget.items):
                if widget.name_of(item) not in widget.chosen and widget.visibleRegion().contains(
                    widget.box(number).center().toPoint()
                ):
                    found[Target(kind, name, nth, number)] = widget
        else:
            found[Target(kind, name, nth)] = widget
    return found


def press(widget: QWidget, target: Target) -> bool:
    """Press a control as a hand does; False where there is nothing else to choose."""
    if isinstance(widget, TileGrid):
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=widget.box(target.tile).center().toPoint())
    elif isinstance(widget, QComboBox):
        if widget.count() < 2:
            return False
        widget.setFocus()
        QTest.keyClick(widget, Qt.Key.Key_Down if widget.currentIndex() + 1 < widget.count() else Qt.Key.Key_Up)
    elif isinstance(widget, QAbstractSpinBox | QSlider):
        value = widget.value()  # type: ignore[union-attr]
        widget.setFocus()
        for key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            QTest.keyClick(widget, key)
            if widget.value() != value:  # type: ignore[union-attr]
                break
    else:
        QTest.mouseClick(
            widget, Qt.MouseButton.LeftButton, pos=QPoint(min(widget.width() // 2, 12), widget.height() // 2)
        )
    return True


def state(window: Window, asked: Asked, but: QWidget | None) -> tuple[object, ...]:
    """All that may be different after a press, but for the control itself."""
    project, selection = window.project, window.project.selection
    page = window.page_panel.current
    shown = []
    for widget in page.findChildren(QWidget) if page is not None else ():
        if widget is but or (but is not None and (but.isAncestorOf(widget) or widget.parent() is but)):
            continue
        own: list[object] = [widget.isVisible(), widget.isEnabled()]
        if isinstance(widget, QAbstractButton) and not (
            but is not None and widget.parent() is but.parent() and widget.group()
        ):  # type: ignore[union-attr]
            own += [widget.text(), widget.isChecked()]
        elif isinstance(widget, QLabel | QLineEdit):
            own.append(widget.text())
        elif isinstance(widget, QComboBox):
            own.append(widget.currentText())
        elif isinstance(widget, QAbstractSpinBox):
            own.append(widget.text())
        elif isinstance(widget, TileGrid):
            own += [widget.chosen, len(widget.items)]
        shown.append(tuple(own))
    return (
        project.reel,
        project.history.at,
        window.foot.status.text(),
        tuple(selection.chosen_clips),
        selection.lane,
        selection.transition_place,
        project.playhead.frame,
        window.player.playing,
        asked.count,
        type(window.preview.mode.tool).__name__,
        window.tool_strip.buttons["layers"].isChecked(),
        tuple(sorted(job.title for job in window.worker.jobs)),
        page,
        tuple(shown),
        window.exports.order,
        window.listening.clicks,
        window.listening.pace,
        window.listening.level,
        window.count.isVisible(),
    )


def set_out(window: Window, page: type, begin: int) -> None:
    """The reel as it was, the page open, and what the page is for selected."""
    project = window.project
    while (menu := open_menu()) is not None:
        menu.close()
    window.count.hide()
    window.player.pause()
    if project.history.at != begin:
        project.go_to_step(begin)
    window.open_page(page)  # type: ignore[arg-type]
    reel = project.reel
    title = next(c.id for c in reel.clips if c.title is not None)
    clip = title if page.__name__ == "TitlesPage" else reel.clips[0].id
    project.selection.select_clip(clip)
    placed = project.timeline.placed_clip(clip)
    assert placed is not None
    project.playhead.go(placed.first + 4)
    if page.__name__ == "AccentsPage":
        project.selection.select_lane(reel.accent_lanes[0].id)
    QApplication.processEvents()
    project.messages.say("set out")  # the same sentence said twice is an answer each time


@pytest.mark.slow
@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_every_control_of_a_page_does_something(page: Any, opened: Window, qtbot: QtBot, asked: Asked) -> None:
    assert opened.project.change("everything", with_everything), opened.foot.status.text()
    begin = opened.project.history.at
    set_out(opened, page, begin)
    shown = opened.page_panel.current
    assert shown is not None
    dead, done = list[object](), set[Target]()
    while True:
        set_out(opened, page, begin)
        there = controls(shown)
        left = [t for t in there if t not in done and t.name.split(" ")[0].rstrip("…") not in NOT_HERE]
        if not left:
            break
        # What shows other controls last: those that are there now would be gone.
        target = min(left, key=lambda t: t.kind == "Switch")
        done.add(target)
        widget = there[target]
        before = state(opened, asked, widget)
        if not press(widget, target):
            continue
        QApplication.processEvents()
        if state(opened, asked, widget) == before:
            qtbot.wait(60)
            if state(opened, asked, widget) == before and target.name not in SEEN_ELSEWHERE:
                dead.append(target)
        assert problems(opened.project.history.reel) == [], target
        if open_menu() is not None:
            dead += [(target, entry) for entry in dead_entries(opened, page, begin, target, asked)]
        assert not log_path().is_file(), f"{target}: {log_path().read_text()[-1500:]}"
    assert len(done) > 2
    assert not dead, f"{len(dead)} of {len(done)}: {dead}"


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_every_control_has_a_name(page: Any, opened: Window) -> None:
    assert opened.project.change("everything", with_everything), opened.foot.status.text()
    set_out(opened, page, opened.project.history.at)
    shown = opened.page_panel.current
    assert shown is not None
    nameless = [target for target in controls(shown) if not target.name]
    assert not nameless, nameless


def open_menu() -> QMenu | None:
    """The menu that is open."""
    shown = [w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible()]
    return shown[0] if shown else None


def dead_entries(window: Window, page: Any, begin: int, target: Target, asked: Asked) -> list[str]:
    """Click every entry of the menu that a control opens, each in a window set out anew; return those that did nothing."""
    out, number = list[str](), -1
    while True:
        set_out(window, page, begin)
        shown = window.page_panel.current
        widget = controls(shown).get(target) if shown is not None else None
        if widget is None:
            return out
        press(widget, target)
        QApplication.processEvents()
        menu = open_menu()
        if menu is None:
            return out
        entries = menu.actions()
        number = next(
            (
                n
                for n, a in enumerate(entries)
                if n > number and a.isEnabled() and not a.isSeparator() and a.menu() is None and not a.isChecked()
            ),
            len(entries),
        )
        if number == len(entries):
            menu.close()
            return out
        text, before = entries[number].text(), state(window, asked, None)
        QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(entries[number]).center())
        QApplication.processEvents()
        if state(window, asked, None) == before:
            out.append(text)
