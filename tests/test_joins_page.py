"""Joins by hand: laid with the chooser, dragged on the timeline and on the page, matched, mended, kept."""

from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton
from pytestqt.qtbot import QtBot

from tempik.desktop.commands.join_menu import join_menu
from tempik.desktop.pages.check import CheckPage
from tempik.desktop.pages.joins.page import JoinsPage
from tempik.desktop.shell.window import Window
from tempik.desktop.timeline.lanes.joins import plate_of
from tempik.edit.clips.place import changed_clip
from tempik.edit.joins import laying
from tempik.edit.joins.laying import JoinPlace
from tempik.joins import CATALOGUE, EASES
from tempik.project import joins as library
from tempik.reel import Clip, Join
from tempik.timeline.seams import Seam

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
WAIT = 30_000


@pytest.fixture
def shown(opened: Window) -> Window:
    """The Joins page, with the reel's second clip selected."""
    opened.commands["show_joins"].trigger()
    opened.project.selection.select_clip(opened.project.timeline.rows[0][1].clip.id)
    return opened


def page_of(window: Window) -> JoinsPage:
    return window.page(JoinsPage)


def second(window: Window) -> str:
    return window.project.timeline.rows[0][1].clip.id


def seam_of(window: Window) -> Seam:
    found = window.project.timeline.seam_of(second(window))
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
    start = (seam_of(window).turn - 40) / float(timeline.rate)
    window.timeline.view = view._replace(start_s=max(0.0, start)).kept_on(timeline)


def drag(window: Window, start: QPointF, by: float) -> None:
    end = QPointF(start.x() + by, start.y())
    QTest.mousePress(window.timeline, LEFT, NONE, start.toPoint())
    QTest.mouseMove(window.timeline, QPoint(round((start.x() + end.x()) / 2), round(start.y())))
    QTest.mouseMove(window.timeline, end.toPoint())
    QTest.mouseRelease(window.timeline, LEFT, NONE, end.toPoint())


def plate(window: Window) -> object:
    return plate_of(window.project.timeline, window.timeline.view, window.timeline.layout_, seam_of(window))


def test_a_click_on_a_join_lays_it_on_the_selected_clips_cut(shown: Window) -> None:
    click(shown, "push")
    page = page_of(shown)
    assert seam_of(shown).join.kind == "push" and page.heading.text() == "Push" and page.tiles.chosen == "push"
    assert f"frame {seam_of(shown).turn} · 7 f" in page.whose.text()
    click(shown, "iris")
    assert seam_of(shown).join.kind == "iris" and seam_of(shown).frames == 7  # the length stays
    assert set(page.settings.fields) == {"shape", "runs", "soft"}
    shown.undo()
    assert seam_of(shown).join.kind == "push"


def test_the_join_under_the_pointer_plays_between_the_two_clips(shown: Window, qtbot: QtBot) -> None:
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


def test_one_click_lays_it_on_all_cuts_from_one_side_and_the_other(shown: Window) -> None:
    page = page_of(shown)
    shown.joins.choose_scope("cuts")
    assert page.fields.scope.currentText() == "all cuts"
    click(shown, "slide-over")
    page.fields.way.setCurrentText("by turns")
    page.fields._way_picked()
    ways = [s.join.direction for s in shown.project.timeline.seams[0]]
    assert ways == (["left", "right"] * len(ways))[: len(ways)] and len(ways) >= 2
    page.fields.length.setValue(5)
    assert {s.wanted for s in shown.project.timeline.seams[0]} == {5}
    page.fields.amount.setValue(40)
    assert {s.join.amount for s in shown.project.timeline.seams[0]} == {0.4}
    shown.undo()
    assert {s.join.amount for s in shown.project.timeline.seams[0]} == {1.0}


def test_the_ends_of_a_join_are_dragged_on_the_timeline_and_its_middle_goes_about_the_cut(shown: Window) -> None:
    click(shown, "push")
    closer(shown)
    turn = seam_of(shown).turn
    box = plate(shown)
    drag(shown, QPointF(box.right() - 2, box.center().y()), 5 * 8.2)  # type: ignore[attr-defined]
    frame_px = shown.timeline.view.px_per_s / float(shown.project.reel.rate)
    longer = 7 + round(5 * 8.2 / frame_px)
    assert (seam_of(shown).frames, seam_of(shown).turn) == (longer, turn)
    box = plate(shown)
    drag(shown, QPointF(box.center().x(), box.center().y()), -2 * frame_px)  # type: ignore[attr-defined]
    assert seam_of(shown).frames == longer and turn - seam_of(shown).begin == 5 and seam_of(shown).turn == turn
    shown.undo()
    shown.undo()
    assert seam_of(shown).frames == 7
    assert shown.project.playhead.frame == turn  # what the turn shows is seen meanwhile


def test_the_strip_on_the_page_shows_both_clips_and_its_ends_are_dragged(shown: Window) -> None:
    click(shown, "dissolve")
    strip, turn = page_of(shown).strip, seam_of(shown).turn
    strip.resize(420, 120)
    spot = QPoint(round(strip.across(seam_of(shown).begin)), 60)
    QTest.mousePress(strip, LEFT, NONE, spot)
    QTest.mouseMove(strip, QPoint(round(strip.across(turn - 2)), 60))
    QTest.mouseRelease(strip, LEFT, NONE, QPoint(round(strip.across(turn - 2)), 60))
    assert (turn - seam_of(shown).begin, seam_of(shown).end - turn) == (2, 4)
    QTest.mouseClick(strip, LEFT, NONE, QPoint(round(strip.across(turn + 1.5)), 20))
    assert shown.project.playhead.frame == turn + 1


def test_the_curve_of_ease_is_bent_by_its_handles(shown: Window) -> None:
    click(shown, "push")
    page = page_of(shown)
    graph = page.graph
    graph.resize(110, 110)
    start = graph.spot(0).toPoint()
    QTest.mousePress(graph, LEFT, NONE, start)
    QTest.mouseMove(graph, start + QPoint(12, -20))
    QTest.mouseRelease(graph, LEFT, NONE, start + QPoint(12, -20))
    ease = seam_of(shown).join.ease
    assert ease is not None and ease[0] > 0.42 and ease[1] > 0.1 and page.ease.currentText() == "own curve"
    page.ease.setCurrentText("sharp")
    page._ease_picked()
    assert seam_of(shown).join.ease == EASES["sharp"]


def test_what_suits_the_motion_is_proposed_and_taken_by_a_click(shown: Window, qtbot: QtBot) -> None:
    page = page_of(shown)
    page.refill()
    qtbot.waitUntil(lambda: bool(page.suggesting.proposals), timeout=WAIT)
    page.offers.refill()
    best = page.suggesting.proposals[0]
    button = next(b for b in page.editor.findChildren(QPushButton) if best.why.lower() in b.toolTip().lower())
    button.click()
    if best.kind:
        assert seam_of(shown).join.kind == best.kind and seam_of(shown).join.direction == best.direction
    else:
        assert shown.project.timeline.seam_of(second(shown)) is None


def test_joins_of_all_cuts_are_matched_in_the_background_as_one_step(shown: Window, qtbot: QtBot) -> None:
    shown.joins.choose_scope("cuts")
    before = shown.project.reel
    shown.joins.match()
    qtbot.waitUntil(lambda: shown.project.reel is not before, timeout=WAIT)
    assert shown.project.timeline.seams[0]
    shown.undo()
    assert shown.project.reel == before


def _from_the_start(clip: Clip) -> Clip:
    return replace(clip, pins=(), source_s=0.0)


def test_a_join_that_lacks_footage_says_so_and_is_mended_by_a_click(shown: Window) -> None:
    clip = second(shown)
    shown.project.change("from the file's first frame", lambda r: changed_clip(r, clip, _from_the_start))
    shown.project.change("long", lambda r: laying.laid(r, [JoinPlace(clip)], Join("dissolve", 12.0)))
    page = page_of(shown)
    page.refill()
    assert seam_of(shown).missing_in == 6
    texts = [w.text() for w in page.editor.findChildren(QLabel)]
    assert any("lacks" in t for t in texts)
    names = [b.text() for b in page.editor.findChildren(QPushButton)]
    assert "let it stand" in names
    next(b for b in page.editor.findChildren(QPushButton) if b.text() == "let it stand").click()
    assert seam_of(shown).join.held


def test_a_join_is_kept_under_a_name_and_laid_again(shown: Window) -> None:
    click(shown, "whip")
    shown.joins.change("far", lambda j: Join(**{**{f: getattr(j, f) for f in j.__struct_fields__}, "length": 5.0}))
    shown.joins.keep("My whip")
    assert library.own_joins()["My whip"].length == 5.0
    tiles = page_of(shown).tiles
    assert tiles.items[-1].name == "My whip" and tiles.items[-1].own
    shown.joins.take_off()
    assert shown.project.timeline.seam_of(second(shown)) is None
    click(shown, "My whip")
    assert (seam_of(shown).join.kind, seam_of(shown).frames) == ("whip", 5)
    said: list[str] = []
    shown.project.messages.said.connect(lambda text, error: said.append(text))
    shown.joins.keep("push")
    assert "comes with Tempik" in said[-1]


def test_keys_lay_lengthen_copy_and_take_off(shown: Window) -> None:
    click(shown, "spin")
    shown.commands["longer"].trigger()
    assert seam_of(shown).frames == 9
    shown.commands["turn_round"].trigger()
    assert seam_of(shown).join.direction == "anticlockwise"
    shown.commands["copy_clips"].trigger()
    third = shown.project.timeline.rows[0][2].clip.id
    shown.project.selection.select_clip(third)
    shown.commands["paste_join"].trigger()
    copied = shown.project.timeline.seam_of(third)
    assert copied is not None and copied.join == seam_of(shown).join
    shown.commands["take_off"].trigger()
    assert shown.project.timeline.seam_of(third) is None
    shown.commands["lay_again"].trigger()
    again = shown.project.timeline.seam_of(third)
    assert again is not None and again.join.kind == "spin"


def test_the_menu_of_a_join_offers_mends_kinds_and_directions(shown: Window) -> None:
    click(shown, "push")
    menu = join_menu(shown.joins, JoinPlace(second(shown)), shown)
    titles = [a.text() for a in menu.actions()]
    assert {"Fade", "Movement", "Zoom", "Wipe", "Pieces", "Direction", "Take the join off"} <= set(titles)
    way = next(a.menu() for a in menu.actions() if a.text() == "Direction")
    next(a for a in way.actions() if a.text() == "up").trigger()  # type: ignore[union-attr]
    assert seam_of(shown).join.direction == "up"


def test_the_check_page_lists_joins_by_themselves(shown: Window, qtbot: QtBot) -> None:
    click(shown, "dissolve")
    shown.commands["show_check"].trigger()
    page = shown.page(CheckPage)
    page.kinds.setCurrentText("joins")
    qtbot.waitUntil(lambda: page.model.rowCount() == 1, timeout=WAIT)
    event = page.model.rows[0]
    assert event.kind == "join" and event.what.startswith("Dissolve to ") and event.ok


def test_a_join_unknown_to_this_version_is_shown_as_unknown(shown: Window) -> None:
    clip = second(shown)
    shown.project.change("x", lambda r: laying.with_joins(r, {JoinPlace(clip): Join("from the future")}))
    page = page_of(shown)
    page.refill()
    assert page.heading.text() == "Unknown join" and not page.graph.isEnabled()
    shown.timeline.grab()  # its plate is painted too
    assert seam_of(shown).kind is None


def test_what_is_drawn_of_a_join_is_the_same_painted_at_once_and_patched(shown: Window, tmp_path: Path) -> None:
    closer_after = shown.timeline
    closer_after.grab()
    click(shown, "push")
    patched = closer_after.grab().toImage()
    closer_after.refresh()
    anew = closer_after.grab().toImage()
    assert patched == anew
