"""Transitions by hand: laid with the chooser, dragged on the timeline and on the page, matched, mended, kept."""

from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QMenu, QPushButton
from pytestqt.qtbot import QtBot

from tempik.desktop.commands.transition_menu import transition_menu
from tempik.desktop.pages.check import CheckPage
from tempik.desktop.pages.transitions.page import TransitionsPage
from tempik.desktop.shell.window import Window
from tempik.desktop.timeline.lanes.transitions import plate_of
from tempik.edit.clips.place import changed_clip
from tempik.edit.transitions import laying
from tempik.edit.transitions.laying import TransitionPlace
from tempik.project import transitions as library
from tempik.reel import Clip, Transition
from tempik.timeline.transitions import PlacedTransition
from tempik.transitions import CATALOGUE, EASES

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
WAIT = 30_000


@pytest.fixture
def shown(opened: Window) -> Window:
    """The Transitions page, with the reel's second clip selected."""
    opened.commands["show_transitions"].trigger()
    opened.project.selection.select_clip(opened.project.timeline.own_tracks[0][1].clip.id)
    return opened


def page_of(window: Window) -> TransitionsPage:
    return window.page(TransitionsPage)


def second(window: Window) -> str:
    return window.project.timeline.own_tracks[0][1].clip.id


def transition_shown(window: Window) -> PlacedTransition:
    found = window.project.timeline.transition_of(second(window))
    assert found is not None
    return found


def click(window: Window, kind: str) -> None:
    tiles = page_of(window).tiles
    number = next(i for i, c in enumerate(tiles.items) if c.name == kind)
    at = tiles.box(number).center()
    press = QMouseEvent.Type.MouseButtonPress
    tiles.mousePressEvent(QMouseEvent(press, at, QPointF(tiles.mapToGlobal(at)), LEFT, LEFT, NONE))


def closer(window: Window) -> None:
    while window.timeline.view.px_per_s < 8 * float(window.project.reel.rate):
        window.timeline.zoom(1.4, 400)
    view, timeline = window.timeline.view, window.project.timeline
    start = (transition_shown(window).turn - 40) / float(timeline.rate)
    window.timeline.view = view._replace(start_s=max(0.0, start)).kept_on(timeline)


def drag(window: Window, start: QPointF, by: float) -> None:
    end = QPointF(start.x() + by, start.y())
    QTest.mousePress(window.timeline, LEFT, NONE, start.toPoint())
    QTest.mouseMove(window.timeline, QPoint(round((start.x() + end.x()) / 2), round(start.y())))
    QTest.mouseMove(window.timeline, end.toPoint())
    QTest.mouseRelease(window.timeline, LEFT, NONE, end.toPoint())


def plate(window: Window) -> object:
    return plate_of(window.project.timeline, window.timeline.view, window.timeline.layout_, transition_shown(window))


@pytest.mark.slow
def test_a_click_on_a_transition_lays_it_on_the_selected_clips_cut(shown: Window) -> None:
    click(shown, "push")
    page = page_of(shown)
    assert (
        transition_shown(shown).transition.kind == "push"
        and page.heading.text() == "Push"
        and page.tiles.chosen == ("push",)
    )
    assert f"frame {transition_shown(shown).turn} · 7 f" in page.whose.text()
    click(shown, "iris")
    assert transition_shown(shown).transition.kind == "iris" and transition_shown(shown).frames == 7  # the length stays
    assert set(page.settings.form.controls) == {"shape", "runs", "soft"}
    shown.undo()
    assert transition_shown(shown).transition.kind == "push"


@pytest.mark.slow
def test_the_transition_under_the_pointer_plays_between_the_two_clips(shown: Window, qtbot: QtBot) -> None:
    page = page_of(shown)
    qtbot.waitUntil(lambda: not shown.worker.jobs, timeout=WAIT)
    page._show_between()
    tiles = page.tiles
    tiles._point_at(next(i for i, c in enumerate(tiles.items) if c.name == "dissolve"))
    assert "Dissolve: the one picture" in tiles.toolTip()
    seen = set()
    for _ in range(20):
        tiles._play()
        picture = tiles.playing(tiles.items[0]).toImage()
        seen.add(round(sum(picture.pixelColor(x, 30).lightnessF() for x in range(0, 90, 6)), 2))
    assert len(seen) > 4
    rest = {bytes(tiles.picture(c, 7.0).toImage().constBits()) for c in tiles.items}
    assert len(rest) >= len(CATALOGUE) - 1  # the two dissolves may look alike on such pictures


@pytest.mark.slow
def test_one_click_lays_it_on_all_cuts_from_one_side_and_the_other(shown: Window) -> None:
    page = page_of(shown)
    shown.transitions.choose_scope("cuts")
    assert page.fields.scope.currentText() == "all cuts"
    click(shown, "slide-over")
    page.fields.way.activated.emit(page.fields.way.findText("by turns"))
    ways = [s.transition.direction for s in shown.project.timeline.transitions[0]]
    assert ways == (["left", "right"] * len(ways))[: len(ways)] and len(ways) >= 2
    page.fields.length.setValue(5)
    assert {s.wanted for s in shown.project.timeline.transitions[0]} == {5}
    page.fields.amount.setValue(40)
    assert {s.transition.amount for s in shown.project.timeline.transitions[0]} == {0.4}
    shown.undo()
    assert {s.transition.amount for s in shown.project.timeline.transitions[0]} == {1.0}


@pytest.mark.slow
def test_the_ends_of_a_transition_are_dragged_on_the_timeline_and_its_middle_goes_about_the_cut(shown: Window) -> None:
    click(shown, "push")
    closer(shown)
    turn = transition_shown(shown).turn
    box = plate(shown)
    drag(shown, QPointF(box.right() - 2, box.center().y()), 5 * 8.2)  # type: ignore[attr-defined]
    frame_px = shown.timeline.view.px_per_s / float(shown.project.reel.rate)
    longer = 7 + round(5 * 8.2 / frame_px)
    assert (transition_shown(shown).frames, transition_shown(shown).turn) == (longer, turn)
    box = plate(shown)
    drag(shown, QPointF(box.center().x(), box.center().y()), -2 * frame_px)  # type: ignore[attr-defined]
    assert (
        transition_shown(shown).frames == longer
        and turn - transition_shown(shown).begin == 5
        and transition_shown(shown).turn == turn
    )
    shown.undo()
    shown.undo()
    assert transition_shown(shown).frames == 7
    assert shown.project.playhead.frame == turn  # what the turn shows is seen meanwhile


@pytest.mark.slow
def test_the_strip_on_the_page_shows_both_clips_and_its_ends_are_dragged(shown: Window) -> None:
    click(shown, "dissolve")
    strip, turn = page_of(shown).strip, transition_shown(shown).turn
    strip.resize(420, 120)
    spot = QPoint(round(strip.across(transition_shown(shown).begin)), 60)
    QTest.mousePress(strip, LEFT, NONE, spot)
    QTest.mouseMove(strip, QPoint(round(strip.across(turn - 2)), 60))
    QTest.mouseRelease(strip, LEFT, NONE, QPoint(round(strip.across(turn - 2)), 60))
    assert (turn - transition_shown(shown).begin, transition_shown(shown).end - turn) == (2, 4)
    QTest.mouseClick(strip, LEFT, NONE, QPoint(round(strip.across(turn + 1.5)), 20))
    assert shown.project.playhead.frame == turn + 1


@pytest.mark.slow
def test_the_curve_of_ease_is_bent_by_its_handles(shown: Window) -> None:
    click(shown, "push")
    page = page_of(shown)
    graph = page.graph
    graph.resize(110, 110)
    start = graph.spot(0).toPoint()
    QTest.mousePress(graph, LEFT, NONE, start)
    QTest.mouseMove(graph, start + QPoint(12, -20))
    QTest.mouseRelease(graph, LEFT, NONE, start + QPoint(12, -20))
    ease = transition_shown(shown).transition.ease
    assert ease is not None and ease[0] > 0.42 and ease[1] > 0.1 and page.ease.currentText() == "own curve"
    page.ease.activated.emit(page.ease.findText("sharp"))
    assert transition_shown(shown).transition.ease == EASES["sharp"]


@pytest.mark.slow
def test_what_suits_the_motion_is_proposed_and_taken_by_a_click(shown: Window, qtbot: QtBot) -> None:
    page = page_of(shown)
    page.refill()
    qtbot.waitUntil(lambda: bool(page.suggesting.proposals), timeout=WAIT)
    page.offers.refill()
    best = page.suggesting.proposals[0]
    button = next(b for b in page.editor.findChildren(QPushButton) if best.why.lower() in b.toolTip().lower())
    button.click()
    if best.kind:
        assert (
            transition_shown(shown).transition.kind == best.kind
            and transition_shown(shown).transition.direction == best.direction
        )
    else:
        assert shown.project.timeline.transition_of(second(shown)) is None


@pytest.mark.slow
def test_transitions_of_all_cuts_are_matched_in_the_background_as_one_step(shown: Window, qtbot: QtBot) -> None:
    shown.transitions.choose_scope("cuts")
    before = shown.project.reel
    shown.transitions.match()
    qtbot.waitUntil(lambda: shown.project.reel is not before, timeout=WAIT)
    assert shown.project.timeline.transitions[0]
    shown.undo()
    assert shown.project.reel == before


def _from_the_start(clip: Clip) -> Clip:
    return replace(clip, pins=(), source_s=0.0)


def test_a_transition_that_lacks_footage_says_so_and_is_mended_by_a_click(shown: Window) -> None:
    clip = second(shown)
    shown.project.change("from the file's first frame", lambda r: changed_clip(r, clip, _from_the_start))
    shown.project.change("long", lambda r: laying.laid(r, [TransitionPlace(clip)], Transition("dissolve", 12.0)))
    page = page_of(shown)
    page.refill()
    assert transition_shown(shown).missing_in == 6
    texts = [w.text() for w in page.editor.findChildren(QLabel)]
    assert any("lacks" in t for t in texts)
    names = [b.text() for b in page.editor.findChildren(QPushButton)]
    assert "let it stand" in names
    next(b for b in page.editor.findChildren(QPushButton) if b.text() == "let it stand").click()
    assert transition_shown(shown).transition.held


@pytest.mark.slow
def test_a_transition_is_kept_under_a_name_and_laid_again(shown: Window) -> None:
    click(shown, "whip")
    shown.transitions.change(
        "far", lambda j: Transition(**{**{f: getattr(j, f) for f in j.__struct_fields__}, "length": 5.0})
    )
    shown.transitions.keep("My whip")
    assert library.own_transitions()["My whip"].length == 5.0
    tiles = page_of(shown).tiles
    assert tiles.items[-1].name == "My whip" and tiles.items[-1].own
    shown.transitions.take_off()
    assert shown.project.timeline.transition_of(second(shown)) is None
    click(shown, "My whip")
    assert (transition_shown(shown).transition.kind, transition_shown(shown).frames) == ("whip", 5)
    message: list[str] = []
    shown.project.messages.posted.connect(lambda text, error: message.append(text))
    shown.transitions.keep("push")
    assert "comes with Tempik" in message[-1]


@pytest.mark.slow
def test_keys_lay_lengthen_copy_and_take_off(shown: Window) -> None:
    click(shown, "spin")
    shown.commands["longer"].trigger()
    assert transition_shown(shown).frames == 9
    shown.commands["turn_round"].trigger()
    assert transition_shown(shown).transition.direction == "anticlockwise"
    shown.commands["copy_clips"].trigger()
    third = shown.project.timeline.own_tracks[0][2].clip.id
    shown.project.selection.select_clip(third)
    shown.commands["paste_transition"].trigger()
    copied = shown.project.timeline.transition_of(third)
    assert copied is not None and copied.transition == transition_shown(shown).transition
    shown.commands["take_off"].trigger()
    assert shown.project.timeline.transition_of(third) is None
    shown.commands["lay_again"].trigger()
    again = shown.project.timeline.transition_of(third)
    assert again is not None and again.transition.kind == "spin"


@pytest.mark.slow
def test_the_menu_of_a_transition_offers_mends_kinds_and_directions(shown: Window) -> None:
    click(shown, "push")
    menu = transition_menu(shown.transitions, TransitionPlace(second(shown)), shown)
    titles = [a.text() for a in menu.actions()]
    assert {"Fade", "Movement", "Zoom", "Wipe", "Pieces", "Direction", "Take the transition off"} <= set(titles)
    way = next(a.menu() for a in menu.actions() if a.text() == "Direction")
    assert isinstance(way, QMenu)
    next(a for a in way.actions() if a.text() == "up").trigger()
    assert transition_shown(shown).transition.direction == "up"


@pytest.mark.slow
def test_the_check_page_lists_transitions_by_themselves(shown: Window, qtbot: QtBot) -> None:
    click(shown, "dissolve")
    shown.commands["show_check"].trigger()
    page = shown.page(CheckPage)
    page.kinds.setCurrentText("transitions")
    qtbot.waitUntil(lambda: page.model.rowCount() == 1, timeout=WAIT)
    event = page.model.rows[0]
    assert event.kind == "transition" and event.what.startswith("Dissolve to ") and event.ok


def test_a_transition_unknown_to_this_version_is_shown_as_unknown(shown: Window) -> None:
    clip = second(shown)
    shown.project.change(
        "x", lambda r: laying.with_transitions(r, {TransitionPlace(clip): Transition("from the future")})
    )
    page = page_of(shown)
    page.refill()
    assert page.heading.text() == "Unknown transition" and not page.graph.isEnabled()
    shown.timeline.grab()  # its plate is painted too
    assert transition_shown(shown).kind is None


@pytest.mark.slow
def test_what_is_drawn_of_a_transition_is_the_same_painted_at_once_and_patched(shown: Window, tmp_path: Path) -> None:
    closer_after = shown.timeline
    closer_after.grab()
    click(shown, "push")
    patched = closer_after.grab().toImage()
    closer_after.refresh()
    anew = closer_after.grab().toImage()
    assert patched == anew
