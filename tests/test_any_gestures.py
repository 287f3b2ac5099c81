"""Any drag, anywhere on what can be dragged: it can be dropped by Esc, taken back, and led back to where it began.

By lot over a reel that has a little of everything. What a drag means is told in other tests; here only what holds of all of them."""

from __future__ import annotations

import random

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractSlider, QApplication, QScrollBar, QWidget
from pytestqt.qtbot import QtBot

from tempik.desktop.pages import PAGES
from tempik.desktop.session.log import log_path
from tempik.desktop.shell.window import Window
from tempik.desktop.timeline.axis import GUTTER, points_in_view
from tempik.edit.accents.keys import with_key
from tempik.edit.clips.layers import with_clip_key, with_fade
from tempik.edit.clips.nests import with_nest
from tempik.edit.clips.place import with_clip_at, with_new_track, with_track
from tempik.edit.song.points import with_moved_point
from tempik.edit.sounds.clips import with_sound_clip, with_sound_track
from tempik.edit.sounds.lanes import with_sound_lane
from tempik.edit.titles import with_title
from tempik.edit.transitions.laying import TransitionPlace, laid
from tempik.reel import Edge, Reel, Rule, Title
from tempik.reel.validate import problems
from tempik.transitions import new_transition
from waiting import until_at_rest

pytestmark = pytest.mark.usefixtures("no_dialogs")
NONE = Qt.KeyboardModifier.NoModifier
HELD = (
    NONE,
    NONE,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ControlModifier,
)
LEFT = Qt.MouseButton.LeftButton


def rich(reel: Reel) -> Reel:
    """A reel with a transition, keys, a fade, a title, a second track, sounds of both kinds, and accents."""
    first = reel.clips[0]
    reel = laid(reel, [TransitionPlace(reel.clips[1].id)], new_transition("dissolve"))
    reel = with_clip_key(reel, first.id, "zoom", 20, 1.3)
    reel = with_fade(reel, [first.id], False, 12)
    reel = with_new_track(reel)
    reel = with_clip_at(reel, reel.footage[1].id, 40, 1, "over", 1.0, 60)
    reel, _ = with_title(reel, Title("hot iron"), 120, 60)
    reel = with_key(reel, reel.accent_lanes[0].id, "level", 60, 0.5)
    reel = with_sound_lane(reel, ["tick"], Rule("points", every=4))
    reel = with_sound_track(reel)
    return with_sound_clip(reel, "boom", Edge(3.0))


@pytest.fixture
def whole(opened: Window) -> Window:
    assert opened.project.change("A little of everything", rich)
    opened.resize(1280, 800)
    opened.activateWindow()
    opened.setFocus()
    return opened


class Dragger:
    """Presses and drags at places by lot."""

    def __init__(self, window: Window, seed: int) -> None:
        self.window, self.rng = window, random.Random(seed)

    def widget(self) -> QWidget:
        window = self.window
        page = window.page_panel.current
        own = (
            [w for w in page.findChildren(QWidget) if type(w).__module__.startswith("tempik") and w.isVisible()]
            if page
            else []
        )
        # A button of our own is no place to drag: it is let go on another.
        places = [w for w in own if w.width() > 60 and w.height() > 30 and not hasattr(w, "clicked")]
        return self.rng.choice([window.timeline] * 6 + [window.song_strip, window.preview, *places])

    def path(self, widget: QWidget) -> list[QPoint]:
        at = QPoint(self.rng.randrange(widget.width()), self.rng.randrange(widget.height()))
        out = [at]
        for _ in range(self.rng.randrange(2, 5)):
            at = at + QPoint(self.rng.randrange(-90, 91), self.rng.randrange(-25, 26))
            out.append(QPoint(min(max(at.x(), 0), widget.width() - 1), min(max(at.y(), 0), widget.height() - 1)))
        return out

    def press(self, widget: QWidget, path: list[QPoint], held: Qt.KeyboardModifier) -> None:
        QTest.mousePress(widget, LEFT, held, path[0])
        for at in path[1:]:
            QTest.mouseMove(widget, at)
        QApplication.processEvents()

    def release(self, widget: QWidget, at: QPoint, held: Qt.KeyboardModifier) -> None:
        QTest.mouseRelease(widget, LEFT, held, at)
        # A hand that goes on to another part leaves this one: what is shown of what it pointed at, such as a look, ends.
        QApplication.sendEvent(widget, QEvent(QEvent.Type.Leave))
        QApplication.processEvents()


def pages_by_turns(window: Window, number: int, every: int) -> None:
    """Open another page every so many drags."""
    if number % every:
        return
    page = PAGES[(number // every) % len(PAGES)]
    window.open_page(page)
    QApplication.processEvents()


@pytest.mark.explore(sample="1")
@pytest.mark.parametrize("seed", range(2))
def test_any_drag_is_one_step_that_is_taken_back_and_done_again(whole: Window, qtbot: QtBot, seed: int) -> None:
    hand, project = Dragger(whole, seed), whole.project
    for number in range(100):
        pages_by_turns(whole, number, 11)
        before, steps = project.reel, project.history.at
        widget, held = hand.widget(), hand.rng.choice(HELD)
        path = hand.path(widget)
        hand.press(widget, path, held)
        hand.release(widget, path[-1], held)
        after = project.reel
        where = f"{type(widget).__name__} {[(p.x(), p.y()) for p in path]} {held}"
        assert problems(after) == [], where
        made = project.history.at - steps
        assert made in (0, 1), where
        assert (after == before) or made == 1, f"changed without a step: {where}"
        if made:
            whole.undo()
            assert project.reel == before, where
            project.redo()
            assert project.reel == after, where
            whole.undo()
    assert not log_path().is_file(), log_path().read_text()[-1500:]


@pytest.mark.explore
@pytest.mark.parametrize("seed", range(2, 4))
def test_any_drag_is_dropped_by_esc(whole: Window, qtbot: QtBot, seed: int) -> None:
    hand, project, dropped = Dragger(whole, seed), whole.project, 0
    for number in range(100):
        pages_by_turns(whole, number, 11)
        before, steps = project.reel, project.history.at
        widget, held = hand.widget(), hand.rng.choice(HELD)
        path = hand.path(widget)
        hand.press(widget, path, held)
        under_way = project.gesture is not None
        dropped += under_way
        whole.activateWindow()  # a popup that closed leaves none active without a window manager
        QTest.keyClick(whole.windowHandle(), Qt.Key.Key_Escape)
        where = f"{type(widget).__name__} {[(p.x(), p.y()) for p in path]} {held}"
        if under_way:
            assert project.reel == before, f"Esc leaves it as it was: {where}"
        hand.release(widget, path[-1], held)
        assert project.history.at - steps in (0, 1), where
        if under_way:
            assert project.reel == before and project.history.at == steps, f"nor does letting go: {where}"
        elif project.history.at > steps:
            whole.undo()
            assert project.reel == before, where
    assert dropped > 15
    assert not log_path().is_file(), log_path().read_text()[-1500:]


@pytest.mark.explore
def test_no_drag_changes_a_locked_track(whole: Window, qtbot: QtBot) -> None:
    hand, project = Dragger(whole, 9), whole.project
    project.change("Locked", lambda reel: with_track(with_track(reel, 0, locked=True), 1, locked=True))
    locked = {c.id: c for c in project.reel.clips if project.reel.tracks[c.track].locked}
    assert len(locked) > 3
    for number in range(80):
        pages_by_turns(whole, number, 11)
        widget, held = hand.widget(), hand.rng.choice(HELD)
        path = hand.path(widget)
        hand.press(widget, path, held)
        hand.release(widget, path[-1], held)
        if all(project.reel.tracks[c.track].locked for c in locked.values()):
            now = {c.id: c for c in project.reel.clips if c.id in locked}
            assert now == locked, f"{type(widget).__name__} {path} {held}"
        if project.history.at > 2:
            whole.undo()


def _picture(window: Window) -> np.ndarray:
    """The timeline as it stands, without what moves over it."""
    window.timeline.repaint()
    standing = window.timeline._picture._now
    assert standing is not None
    image = standing.layer.toImage()
    return np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), -1, 4).astype(int)


def _is_as_painted_anew(window: Window, picture: np.ndarray) -> bool:
    window.timeline._picture.forget()
    return bool(np.mean(np.abs(picture - _picture(window)).max(axis=2) > 40) < 0.001)


@pytest.mark.explore(sample="0-True")
@pytest.mark.parametrize("nested", [False, True])
@pytest.mark.parametrize("seed", range(2))
def test_the_timeline_that_follows_a_moved_point_is_the_one_painted_anew(
    whole: Window, qtbot: QtBot, seed: int, nested: bool
) -> None:
    rng, timeline, project = random.Random(seed), whole.timeline, whole.project
    qtbot.waitUntil(lambda: whole.song.bands is not None, timeout=30_000)
    if nested:
        clips = [placed.clip.id for placed in project.timeline.own_tracks[0][1:3]]
        project.change("Nested", lambda reel: with_nest(reel, clips)[0])
    until_at_rest(whole, qtbot)
    mended = 0
    for number in range(24):
        if number % 6 == 0:
            timeline.fit()
            for _ in range(rng.randrange(4)):
                timeline.zoom(1.7, rng.randrange(GUTTER, timeline.width()))
            qtbot.waitUntil(lambda: not timeline._coarse, timeout=10_000)
            until_at_rest(whole, qtbot)  # what a thread reads for the new view comes in while it is compared
        timeline.refresh()
        before, point = _picture(whole), rng.choice(list(points_in_view(project.timeline, timeline.view)))
        time_s = max(0.0, point.time_s + rng.choice((-0.2, -0.05, -0.01, 0.01, 0.05, 0.2)))
        if not project.change("Point moved", lambda reel, to=point.id, at=time_s: with_moved_point(reel, to, at)):
            continue
        kept = timeline._picture._now is not None
        after = _picture(whole)
        where = f"{point.label} to {time_s} in {timeline.view}"
        if not _is_as_painted_anew(whole, after):  # a thread may have read something in between: again, at rest
            project.undo()
            until_at_rest(whole, qtbot)
            project.redo()
            assert _is_as_painted_anew(whole, _picture(whole)), where
        mended += kept and not (after == before).all()
    assert mended >= 10, "most are painted along their stretch alone, and it is seen"


@pytest.mark.explore
def test_a_slider_that_is_dropped_shows_what_is_so(whole: Window) -> None:
    """It had stayed where it was dragged to, though the reel was as before."""
    whole.project.selection.select_clip(whole.project.timeline.placed[1].clip.id)
    for page in PAGES:
        whole.open_page(page)
        QApplication.processEvents()
        current = whole.page_panel.current
        assert current is not None
        drop_every_slider(whole, current)


def drop_every_slider(window: Window, page: QWidget) -> None:
    before = window.project.reel
    for slider in page.findChildren(QAbstractSlider):
        if isinstance(slider, QScrollBar) or not slider.isVisible() or not slider.isEnabled():
            continue
        value, across, middle = slider.value(), slider.width(), slider.height() // 2
        QTest.mousePress(slider, LEFT, NONE, QPoint(across // 3, middle))
        QTest.mouseMove(slider, QPoint(across * 2 // 3, middle))
        if window.project.gesture is None:
            QTest.mouseRelease(slider, LEFT, NONE, QPoint(across * 2 // 3, middle))
            window.project.go_to_step(1)
            continue
        window.activateWindow()
        QApplication.processEvents()  # it is active only once that has come through
        QTest.keyClick(window.windowHandle(), Qt.Key.Key_Escape)
        QTest.mouseMove(slider, QPoint(across * 3 // 4, middle))
        QTest.mouseRelease(slider, LEFT, NONE, QPoint(across * 3 // 4, middle))
        QTest.qWait(30)
        assert window.project.reel == before and slider.value() == value, slider.accessibleName()
