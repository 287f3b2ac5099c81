"""The Speed page by hand: nodes, whiskers, keys, shapes, what gives way, comparing, looping, sound."""

from pathlib import Path

import pytest
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from media_files import beat_song, numbered, write_video
from tempik.desktop.pages.speed.graph import SpeedGraph
from tempik.desktop.pages.speed.page import SpeedPage
from tempik.desktop.shell.window import Window
from tempik.edit.clips.slots import with_clips
from tempik.edit.sounds.mixing import with_master
from tempik.edit.speed import speed
from tempik.reel import Clip
from tempik.retime import constant, ramp, ready_shape
from tempik.timeline.placed_clip import PlacedClip

NONE, LEFT = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton
WAIT = 30_000


@pytest.fixture
def page(opened: Window, qtbot: QtBot) -> SpeedPage:
    """The Speed page with the second clip chosen."""
    opened.project.selection.select_clip("c2")
    opened.commands["show_speed"].trigger()
    qtbot.waitUntil(lambda: opened.page(SpeedPage).graph.height() > 140)
    return opened.page(SpeedPage)


def now(page: SpeedPage) -> Clip:
    clip = page.project.selection.clip
    assert clip is not None
    return clip


def placed(page: SpeedPage) -> PlacedClip:
    found = page.project.selection.placed
    assert found is not None
    return found


def set_curve(page: SpeedPage, curve: object) -> None:
    clip = now(page).id
    page.project.change("curve", lambda r: speed.with_curve(r, clip, curve))  # type: ignore[arg-type]


def mouse(graph: SpeedGraph, kind: QMouseEvent.Type, at: QPointF, keys: Qt.KeyboardModifier = NONE) -> None:
    held = Qt.MouseButton.NoButton if kind == QMouseEvent.Type.MouseButtonRelease else LEFT
    QApplication.sendEvent(graph, QMouseEvent(kind, at, graph.mapToGlobal(at), LEFT, held, keys))


def drag(graph: SpeedGraph, a: QPointF, b: QPointF, keys: Qt.KeyboardModifier = NONE) -> None:
    mouse(graph, QMouseEvent.Type.MouseButtonPress, a)
    mouse(graph, QMouseEvent.Type.MouseMove, a + (b - a) / 2, keys)
    mouse(graph, QMouseEvent.Type.MouseMove, b, keys)
    mouse(graph, QMouseEvent.Type.MouseButtonRelease, b, keys)


def steps(page: SpeedPage) -> int:
    return len(page.project.history.steps)


# The graph


@pytest.mark.slow
def test_words_of_the_graph_stand_where_the_curve_does_not(page: SpeedPage) -> None:
    page.project.change("Ramp", lambda reel: speed.with_curve(reel, "c2", ramp(2.0, 0.4)))
    graph = page.graph
    box, y = graph.axes.graph(), graph.axes.height_of(0.4)
    where = QRectF(box.right() - 92, y - 7, 80, 14)
    across = graph.painting.clear_of_curve(placed(page), where)
    assert across.top() == where.top() and across.left() - box.left() == pytest.approx(box.right() - where.right())
    free = where.translated(0, graph.axes.height_of(4.0) - y)
    assert graph.painting.clear_of_curve(placed(page), free) == free


def test_the_graph_is_dragged_live_and_settles_as_one_step(page: SpeedPage) -> None:
    graph, before = page.graph, steps(page)
    box = graph.axes.graph()
    at = QPointF(box.center().x(), graph.axes.height_of(placed(page).chosen.nodes[0].speed))
    drag(graph, at, QPointF(box.center().x(), graph.axes.height_of(0.5)))
    assert now(page).curve.nodes[0].speed == 0.5 and steps(page) == before + 1
    assert page.numbers.average.value() == pytest.approx(50.0)
    for value in (0.1, 0.7, 1.0, 10.0):
        assert graph.axes.speed(graph.axes.height_of(value)) == pytest.approx(value)


def test_dragged_below_the_zero_band_a_clip_stands_still_then_plays_backward(page: SpeedPage) -> None:
    set_curve(page, constant(1.0))
    graph, box = page.graph, page.graph.axes.graph()
    start = QPointF(box.center().x(), graph.axes.height_of(1.0))
    drag(graph, start, QPointF(box.center().x(), graph.axes.height_of(0.0) + 2))
    assert now(page).curve.nodes[0].speed == 0.0 and "stands still throughout" in page.note.text()
    set_curve(page, constant(1.0))
    drag(graph, start, QPointF(box.center().x(), graph.axes.height_of(0.0) + 30))
    assert now(page).curve.nodes[0].speed < 0 and graph.axes.two_sided()


def test_a_double_click_adds_a_node_on_the_point_and_another_takes_it_out(page: SpeedPage) -> None:
    set_curve(page, constant(1.0))
    graph, clip = page.graph, placed(page)
    point = next(f for f, kind in graph.axes.stops(clip) if kind == "point" and clip.first < f < clip.end)
    share = (point - clip.begin) / (clip.until - clip.begin)
    mouse(
        graph,
        QMouseEvent.Type.MouseButtonDblClick,
        QPointF(graph.axes.x_of(clip, share) + 4, graph.axes.height_of(2.0)),
    )
    assert [n.speed for n in now(page).curve.nodes] == [1.0, 2.0, 1.0]
    assert now(page).curve.nodes[1].at == pytest.approx(share)  # four pixels off, and yet on the point
    spot = graph.axes.spots(placed(page))[1]
    mouse(graph, QMouseEvent.Type.MouseButtonDblClick, spot)
    assert len(now(page).curve.nodes) == 2


def test_a_node_is_moved_along_and_snaps_unless_alt_is_held(page: SpeedPage) -> None:
    set_curve(page, constant(1.0))
    graph = page.graph
    graph.add_node(0.3, 2.0)
    clip = placed(page)
    spot = graph.axes.spots(clip)[1]
    frame = 1 / (clip.until - clip.begin)
    drag(graph, spot, spot + QPointF(63.0, 0))
    assert now(page).curve.nodes[1].at / frame == pytest.approx(round(now(page).curve.nodes[1].at / frame))
    drag(graph, graph.axes.spots(placed(page))[1], spot, Qt.KeyboardModifier.AltModifier)
    assert now(page).curve.nodes[1].at == pytest.approx(0.3, abs=1e-3)


def test_whiskers_set_the_softness_of_one_side_or_both(page: SpeedPage) -> None:
    set_curve(page, constant(1.0))
    graph = page.graph
    graph.add_node(0.5, 3.0)
    whiskers = graph.axes.whiskers(placed(page), 1)
    drag(graph, whiskers["out"], whiskers["out"] + QPointF(400, 0))
    assert (now(page).curve.nodes[1].soft_in, now(page).curve.nodes[1].soft_out) == (0.0, 1.0)
    whiskers = graph.axes.whiskers(placed(page), 1)
    drag(graph, whiskers["in"], whiskers["in"] - QPointF(400, 0), Qt.KeyboardModifier.ShiftModifier)
    assert (now(page).curve.nodes[1].soft_in, now(page).curve.nodes[1].soft_out) == (1.0, 1.0)


def test_a_chosen_node_is_stepped_with_the_keys(page: SpeedPage, qtbot: QtBot) -> None:
    set_curve(page, constant(1.0))
    graph, frames = page.graph, placed(page).until - placed(page).begin
    graph.add_node(20 / frames, 2.0)
    for key, keys in (
        (Qt.Key.Key_Right, NONE),
        (Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier),
        (Qt.Key.Key_Up, NONE),
        (Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier),
    ):
        qtbot.keyClick(graph, key, keys)
    node = now(page).curve.nodes[1]
    assert node.at * frames == pytest.approx(31) and node.speed == pytest.approx(1.91)
    qtbot.keyClick(graph, Qt.Key.Key_PageDown)
    assert graph.node == 2
    qtbot.keyClick(graph, Qt.Key.Key_PageUp)
    qtbot.keyClick(graph, Qt.Key.Key_Delete)
    assert len(now(page).curve.nodes) == 2 and graph.node is None


def test_a_node_is_typed_exactly(page: SpeedPage) -> None:
    set_curve(page, constant(1.0))
    page.graph.add_node(0.5, 2.0)
    frames = placed(page).until - placed(page).begin
    page.node.form["at"].setValue(17)
    page.node.form["speed"].setValue(-35.5)
    page.node.form["soft_in"].setValue(40)
    page.node.hold.click()
    node = now(page).curve.nodes[1]
    assert (node.at * frames, node.speed, node.soft_in, node.hold) == (pytest.approx(17), -0.355, 0.4, True)
    page.node.gone.click()
    assert len(now(page).curve.nodes) == 2


def test_the_strip_marks_a_stretch_and_a_click_goes_there(page: SpeedPage, opened: Window) -> None:
    graph = page.graph
    strip, clip = graph.axes.strip(), placed(page)
    x = [graph.axes.x_of(clip, s) for s in (0.2, 0.6)]
    drag(graph, QPointF(x[0], strip.center().y()), QPointF(x[1], strip.center().y()))
    length = clip.until - clip.begin
    assert opened.project.selection.marked_frames == (
        pytest.approx(clip.begin + 0.2 * length, abs=1),
        pytest.approx(clip.begin + 0.6 * length, abs=1),
    )
    assert page.direction.mark_text.text().startswith("Marked: ")
    at = QPointF(graph.axes.x_of(clip, 0.4), strip.center().y())
    drag(graph, at, at)
    assert opened.project.selection.marked_frames is None and page.direction.mark_text.text().startswith(
        "Mark a stretch"
    )
    assert opened.project.playhead.frame == pytest.approx(clip.begin + 0.4 * length, abs=1)


# What gives way


def test_what_gives_way_is_chosen_and_holds_for_every_edit(page: SpeedPage) -> None:
    set_curve(page, constant(1.0))
    frames, used = page.numbers.slot.value(), page.numbers.uses.value()
    page.numbers.gives.button(1).click()  # the slot
    page.numbers.average.setValue(200)
    assert page.numbers.slot.value() == frames // 2 and page.numbers.uses.value() == pytest.approx(used, abs=0.02)
    page.project.undo()
    page.numbers.gives.button(2).click()  # the speed
    page.numbers.slot.setValue(frames * 2)
    assert page.numbers.average.value() == pytest.approx(50) and page.numbers.uses.value() == pytest.approx(
        used, abs=0.01
    )
    page.project.undo()
    page.numbers.gives.button(0).click()  # the footage used
    page.numbers.average.setValue(150)
    assert page.numbers.slot.value() == frames and page.numbers.uses.value() == pytest.approx(1.5 * used, abs=0.02)


def test_a_length_that_cannot_be_is_said_and_the_field_shows_what_is(page: SpeedPage, opened: Window) -> None:
    page.numbers.gives.button(2).click()
    frames = page.numbers.slot.value()
    page.numbers.slot.setValue(1)
    assert "beyond the limit" in opened.foot.status.text() and page.numbers.slot.value() == frames


# Shapes, directions


def test_a_shape_goes_to_every_selected_clip_and_its_amount_is_one_gesture(page: SpeedPage, opened: Window) -> None:
    opened.project.selection.select_clips(c.id for c in opened.project.reel.clips)
    before = steps(page)
    page.shapes.align.setCurrentIndex(1)  # on the pin
    number = next(i for i, s in enumerate(page.shapes.tiles.items) if s.name == "dip")
    at = page.shapes.tiles.box(number).center()
    QApplication.sendEvent(
        page.shapes.tiles,
        QMouseEvent(QMouseEvent.Type.MouseButtonPress, at, page.shapes.tiles.mapToGlobal(at), LEFT, LEFT, NONE),
    )
    shaped = [c.shaped for c in opened.project.reel.clips]
    assert all(s is not None and s.shape.name == "dip" and s.align == "pin" for s in shaped)
    assert steps(page) == before + 1
    page.shapes.amount.setSliderDown(True)
    for percent in (120, 160, 180):
        page.shapes.amount.setValue(percent)
    page.shapes.amount.setSliderDown(False)
    assert {c.shaped.amount for c in opened.project.reel.clips if c.shaped} == {1.8}
    assert steps(page) == before + 2
    assert opened.project.report.ok


def test_the_pointer_reads_out_what_a_shape_does_and_keys_choose_it(page: SpeedPage, qtbot: QtBot) -> None:
    page.shapes.tiles.setFocus()
    qtbot.keyClick(page.shapes.tiles, Qt.Key.Key_Right)
    assert page.shapes.shape_text.text().startswith("swell: slow, fast on the point")
    qtbot.keyClick(page.shapes.tiles, Qt.Key.Key_Return)
    shaped = now(page).shaped
    assert shaped is not None and shaped.shape.name == "swell"


def test_a_curve_is_kept_as_ones_own_shape_and_taken_away(page: SpeedPage, opened: Window) -> None:
    set_curve(page, ramp(3.0, 0.5, 0.42))
    page.shapes.keep_shape("My fall")
    assert page.shapes.tiles.items[-1].name == "My fall"
    page.shapes.keep_shape("dip")
    assert "comes with Tempik" in opened.foot.status.text()
    menu = page.shapes.shape_menu(page.shapes.tiles.items[-1])
    next(a for a in menu.actions() if "Take" in a.text()).trigger()
    assert all(s.name != "My fall" for s in page.shapes.tiles.items)


def test_laid_on_something_else_a_see_saw_keeps_its_count_of_points(page: SpeedPage, opened: Window) -> None:
    see_saw = ready_shape("see-saw")
    assert see_saw is not None
    clip = now(page).id
    opened.project.change("x", lambda r: speed.with_shape(r, [clip], see_saw, 1.0, "every", 2))
    page.shapes.align.activated.emit(0)
    page.shapes.align.activated.emit(3)
    shaped = now(page).shaped
    assert shaped is not None and (shaped.align, shaped.every) == ("every", 2)


def test_moving_a_node_of_a_shape_makes_the_curve_ones_own(page: SpeedPage) -> None:
    dip = ready_shape("dip")
    assert dip is not None
    page.shapes.pick(dip)
    page.graph.choose_node(1)
    page.graph.change_node("Speed changed", speed=0.8)
    assert now(page).shaped is None and now(page).curve.nodes[1].speed == pytest.approx(0.8)


def test_directions_ask_and_act_on_the_marked_stretch(page: SpeedPage, opened: Window) -> None:
    clip = placed(page)
    opened.project.selection.mark_frames(None)
    opened.speeds.rewind()
    assert "Mark a stretch" in opened.foot.status.text()
    opened.project.playhead.go(clip.first + 10)
    opened.speeds.mark_here()
    opened.project.playhead.go(clip.first + 25)
    opened.speeds.mark_here()
    assert opened.project.selection.marked_frames == (clip.first + 10, clip.first + 25)
    opened.speeds.rewind()
    opened.count.count.setValue(300)
    opened.count.take()
    assert [round(t * 30) for t in placed(page).map.turns()] == [25, 30]
    opened.undo()
    opened.speeds.stretch_speed()
    opened.count.count.setValue(400)
    opened.count.take()
    assert float(placed(page).map.speed(17.5 / 30)[0]) == pytest.approx(4.0)
    opened.undo()
    opened.speeds.see_saw_pieces()
    opened.count.count.setValue(3)
    opened.count.take()
    assert len(placed(page).map.turns()) == 2
    opened.speeds.hold_inside()
    opened.count.take()
    assert any(n.speed == 0 for n in now(page).curve.nodes)


def test_two_pins_bend_the_shape_which_stays_in_sight(page: SpeedPage, opened: Window) -> None:
    clip = placed(page)
    inside = [f for f, kind in page.graph.axes.stops(clip) if kind == "point" and clip.first < f < clip.end - 4]
    other = next(f for f in inside if all(abs(f - t.frame) > 10 for t in clip.ties))
    opened.project.playhead.go(int(other) + 3)
    opened.clips.cue_here_too()
    bent = placed(page)
    assert len(bent.ties) == 2 and bent.shape is not None
    opened.project.change("steeper", lambda r: speed.with_curve(r, bent.clip.id, ramp(2.0, 0.6, 0.42)))
    for tie in placed(page).ties:
        assert placed(page).map.source_at((tie.frame - clip.begin) / 30) == pytest.approx(tie.cue_s, abs=1e-6)


# Comparing, looping, between, sound


def test_the_speed_before_is_compared_and_nothing_is_changed_by_it(page: SpeedPage, opened: Window) -> None:
    opened.views.toggle_before()
    assert "has not been changed" in opened.foot.status.text()
    was = now(page).curve
    set_curve(page, ramp(2.0, 0.5))
    before = steps(page)
    opened.views.toggle_before()
    assert now(page).curve == was and page.graph.before is not None and page.compare.isChecked()
    opened.views.toggle_before()
    assert now(page).curve == ramp(2.0, 0.5) and page.graph.before is None and steps(page) == before


def test_the_clip_or_the_two_bars_around_it_are_looped(page: SpeedPage, opened: Window, qtbot: QtBot) -> None:
    clip = placed(page)
    opened.play.loop_clip()
    assert opened.transport.loop_frames() == (clip.first, clip.end) and page.loop_clip.isChecked()
    opened.play.play_pause()
    went_round: list[bool] = []
    opened.player.due.connect(went_round.append)
    qtbot.waitUntil(lambda: len(went_round) > 5, timeout=WAIT)
    assert all(clip.first <= f < clip.end for f in went_round)
    opened.play.play_pause()
    opened.play.loop_bars()
    bars = opened.transport.loop_frames()
    assert bars is not None and bars[0] <= clip.first and bars[1] >= clip.end and bars[1] - bars[0] >= 120
    opened.play.loop_bars()
    assert opened.transport.loop_frames() is None


def test_frames_between_are_set_for_clips_and_for_the_reel(page: SpeedPage, opened: Window) -> None:
    set_curve(page, constant(0.25))
    assert "frames repeat" in page.note.text()
    page.between.between.button(3).click()
    assert now(page).interpolation == "flow" and page.note.text() == ""
    opened.speeds.next_between()
    assert now(page).interpolation is None and "frames repeat" in page.note.text()
    page.between.reel_between.activated.emit(1)
    assert opened.project.reel.interpolation == "blend" and page.note.text() == ""


@pytest.mark.film
def test_a_clips_own_sound_is_made_in_the_background_and_heard(
    page: SpeedPage, opened: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    opened.speeds.toggle_sound()
    assert "has no sound" in opened.foot.status.text()
    samples, _ = beat_song(120, 3)
    path = write_video(tmp_path / "loud.mp4", numbered(180, 320), 120, 30, sound=samples[: 4 * 48000])
    opened.importer.add_footage([str(path)])
    qtbot.waitUntil(lambda: any(f.path == str(path) for f in opened.project.reel.footage), timeout=WAIT)
    loud = opened.project.reel.footage[-1].id
    swap = lambda r: with_clips(r, [_with_footage(now(page), loud)])  # noqa: E731
    opened.project.change("swap", swap)
    opened.project.change("unmastered", lambda r: with_master(r, None, None))
    quiet = opened.reel_sound.whole([], 0.0).samples
    opened.speeds.toggle_sound()
    qtbot.waitUntil(lambda: opened.clip_sounds.ready, timeout=WAIT)
    clip = placed(page)
    a, b = (round(f / 30 * 48000) for f in (clip.first, clip.end))
    mixed = opened.reel_sound.whole([], 0.0).samples
    assert (mixed[a + 5000 : b - 5000] != quiet[a + 5000 : b - 5000]).mean() > 0.2
    assert (mixed[b + 5000 :] == quiet[b + 5000 :]).all()
    page.sound.gain.setValue(-12)
    page.sound.pitch.button(1).click()
    assert (now(page).sound.gain_db, now(page).sound.pitch) == (-12, "follows")


def _with_footage(clip: Clip, footage: str) -> Clip:
    from msgspec.structs import replace

    return replace(clip, footage=footage, pins=(), source_s=0.0)
