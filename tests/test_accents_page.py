"""The Accents page and the lanes on the timeline: what a person does with the pointer and the keys."""

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox
from pytestqt.qtbot import QtBot

from tempik.accents import CATALOGUE
from tempik.deliver.order import Order
from tempik.desktop.pages.accents.page import AccentsPage
from tempik.desktop.pages.check import CheckPage
from tempik.desktop.playback.preview_size import STEPS
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets.controls import ColourButton
from tempik.desktop.widgets.rule_fields import KINDS
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.accents.bundles import with_bundle
from tempik.edit.accents.painting import with_painted
from tempik.reel import Length, Rule
from tempik.time import time_of

LEFT, CTRL, SHIFT, NONE = (
    Qt.MouseButton.LeftButton,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.NoModifier,
)


@pytest.fixture
def shown(opened: Window) -> Window:
    opened.commands["show_accents"].trigger()
    return opened


def page_of(window: Window) -> AccentsPage:
    return window.page(AccentsPage)


def step_spot(window: Window, row: int, number: int) -> QPoint:
    timeline = window.project.timeline
    step = timeline.accent_lanes[row].steps[number]
    x = window.timeline.view.x(time_of(step.frame, timeline.rate))
    return QPoint(round(x) + 4, window.timeline.layout_.lane_top(row) + window.timeline.layout_.lane_h // 2)


def drag(window: Window, start: QPoint, end: QPoint, keys: Qt.KeyboardModifier = NONE) -> None:
    QTest.mousePress(window.timeline, LEFT, keys, start)
    QTest.mouseMove(window.timeline, start + (end - start) / 2)
    QTest.mouseMove(window.timeline, end)
    QTest.mouseRelease(window.timeline, LEFT, keys, end)


@pytest.mark.slow
def test_a_click_on_an_accent_adds_its_row_and_the_page_shows_it(shown: Window) -> None:
    page, before = page_of(shown), len(shown.project.reel.accent_lanes)
    number = page.tiles.items.index("mono")
    page.tiles.mousePressEvent(_press(page.tiles.box(number).center()))
    assert [r.accent for r in shown.project.reel.accent_lanes[before:]] == ["mono"]
    assert page.lane_title.text() == "Mono" and page.tiles.chosen == ("mono",)
    assert set(page.fields.form.controls) == {"gain"}


def _press(at: QPointF):  # type: ignore[no-untyped-def]
    from PySide6.QtCore import QEvent
    from PySide6.QtGui import QMouseEvent

    return QMouseEvent(QEvent.Type.MouseButtonPress, at, at, LEFT, LEFT, NONE)


@pytest.mark.slow
def test_the_accent_under_the_pointer_plays_on_the_users_own_frame(shown: Window, qtbot: QtBot) -> None:
    tiles = page_of(shown).tiles
    page_of(shown)._show_frame()
    shown.project.playhead.go(40)
    page_of(shown)._show_frame()
    number = tiles.items.index("flash")
    tiles._point_at(number)
    assert "Flash: " in page_of(shown).chooser.does.text()
    seen = set()
    for _ in range(12):
        tiles._play()
        seen.add(round(tiles.playing("flash").toImage().pixelColor(40, 30).lightnessF(), 2))
    assert len(seen) > 3
    tiles._point_at(None)
    assert not tiles._timer.isActive()


@pytest.mark.slow
def test_every_accent_has_a_picture_of_its_own(shown: Window) -> None:
    tiles = page_of(shown).tiles
    shown.project.playhead.go(40)
    page_of(shown)._show_frame()
    plain = tiles.picture("flash", -20).toImage()
    for name in CATALOGUE:
        if name not in ("freeze", "echo"):  # these show only in what moves
            assert tiles.picture(name, 0).toImage() != plain, name


@pytest.mark.slow
def test_a_row_name_is_dragged_for_its_amount_and_with_shift_for_all(shown: Window) -> None:
    top = shown.timeline.layout_.lane_top(1) + 12
    drag(shown, QPoint(30, top), QPoint(30 - 27, top))
    assert shown.project.reel.accent_lanes[1].amount == pytest.approx(0.65)
    assert shown.project.selection.lane_id == shown.project.reel.accent_lanes[1].id
    drag(shown, QPoint(30, top), QPoint(70, top), SHIFT)
    assert shown.project.reel.amount == pytest.approx(1.5)
    shown.undo()
    shown.undo()
    assert (shown.project.reel.amount, shown.project.reel.accent_lanes[1].amount) == (1.0, 1.0)


@pytest.mark.slow
def test_a_click_on_a_rows_name_opens_its_page(opened: Window) -> None:
    opened.commands["show_check"].trigger()
    QTest.mouseClick(opened.timeline, LEFT, NONE, QPoint(30, opened.timeline.layout_.lane_top(1) + 12))
    assert opened.page_panel.current is opened.page(AccentsPage)
    assert page_of(opened).lane_title.text() == "Shake"


@pytest.mark.slow
def test_steps_are_swept_and_a_drag_upward_weighs_one(shown: Window) -> None:
    drag(shown, step_spot(shown, 0, 2), step_spot(shown, 0, 3))
    steps = shown.project.timeline.accent_lanes[0].steps
    assert {p.step for p in shown.project.timeline.pulses[0]} >= {steps[2].id, steps[3].id}
    start = step_spot(shown, 0, 2)
    drag(shown, start, start + QPoint(0, 24))
    painted = {p.point: p.strength for p in shown.project.reel.accent_lanes[0].overrides}
    assert painted[steps[2].id] == pytest.approx(0.6, abs=0.02)


@pytest.mark.slow
def test_ctrl_and_click_edits_one_pulse_alone(shown: Window) -> None:
    page = page_of(shown)
    fires = next(i for i, c in enumerate(shown.project.timeline.accent_lanes[0].steps) if c.ruled)
    step = shown.project.timeline.accent_lanes[0].steps[fires].id
    QTest.mouseClick(shown.timeline, LEFT, CTRL, step_spot(shown, 0, fires))
    assert page.edits.pulse is not None and page.edits.pulse.step == step and page.alone.isChecked()
    assert not page.rule.isEnabled() and page.amount_name.text() == "this pulse"
    page.amount.setValue(40)
    opacity = page.fields.form["opacity"]
    assert isinstance(opacity, QDoubleSpinBox)
    opacity.setValue(30)
    painted = {p.point: p for p in shown.project.reel.accent_lanes[0].overrides}
    assert painted[step].strength == pytest.approx(0.4) and painted[step].settings == {"opacity": 0.3}
    assert shown.project.reel.accent_lanes[0].settings == {}
    page.edits.choose_alone(page.alone.isChecked())


@pytest.mark.slow
def test_the_rule_is_chosen_by_kind_count_and_bar_position(shown: Window) -> None:
    page, project = page_of(shown), shown.project
    project.selection.select_lane(project.reel.accent_lanes[0].id)
    page.rule.every.setValue(2)
    assert project.reel.accent_lanes[0].rule.every == 2
    page.rule.of.activated.emit(1)
    page.rule.beats.setText("1, 3")
    page.rule.beats.editingFinished.emit()
    assert project.reel.accent_lanes[0].rule == Rule("bars", every=2, beats=(1, 3))
    page.rule.of.activated.emit(4)
    assert project.reel.accent_lanes[0].rule.of == "cuts" and not page.rule.beats.isVisible()
    page.rule.place.activated.emit(1)
    assert "Select the clips first" in shown.foot.status.text()
    project.selection.select_clip(project.timeline.placed[1].clip.id)
    page.rule.place.activated.emit(1)
    assert project.reel.accent_lanes[0].limit.clips == (project.timeline.placed[1].clip.id,)
    page.rule.place.activated.emit(2)
    assert "Mark a stretch first" in shown.foot.status.text()
    for frame in (30, 90):
        project.playhead.go(frame)
        shown.commands["mark_here"].trigger()
    page.rule.of.activated.emit([k for k, _ in KINDS].index("frames"))
    page.rule.place.activated.emit(2)
    evaluated = [p.frame for p in project.timeline.pulses[0]]
    assert (evaluated[0], evaluated[-1]) == (30, 88) and len(evaluated) == 30  # every second frame of it


def test_the_envelope_is_typed_dragged_and_measured_otherwise(shown: Window) -> None:
    page, project = page_of(shown), shown.project
    project.selection.select_lane(project.reel.accent_lanes[0].id)
    spin, unit = page.envelope.lengths["decay"]
    spin.setValue(400)
    envelope = accent_lanes.envelope_of(project.reel.accent_lanes[0])
    assert envelope.decay == Length(400, "ms")
    unit.setCurrentIndex(0)
    unit.activated.emit(0)
    assert accent_lanes.envelope_of(project.reel.accent_lanes[0]).decay == Length(12, "frames")
    graph = page.envelope.graph
    made = graph.dragged("lead", QPointF(graph.across(-6), 20))
    assert made.lead == Length(200, "ms")
    graph.changed.emit(made)
    graph.settled.emit()
    assert accent_lanes.envelope_of(project.reel.accent_lanes[0]).lead == Length(200, "ms")
    shown.undo()
    assert accent_lanes.envelope_of(project.reel.accent_lanes[0]).lead.value == 0
    assert graph.dragged("fall", QPointF(graph.across(3), graph.height() - 25)).fall > 2


@pytest.mark.slow
def test_settings_are_fields_of_their_kind(shown: Window) -> None:
    page, project = page_of(shown), shown.project
    project.selection.select_lane(project.reel.accent_lanes[0].id)
    blend, colour = page.fields.form["blend"], page.fields.form["colour"]
    assert isinstance(blend, QComboBox) and isinstance(colour, ColourButton)
    blend.setCurrentText("screen")
    blend.activated.emit(blend.currentIndex())
    colour.chosen.emit("#ff8800")
    assert project.reel.accent_lanes[0].settings == {"blend": "screen", "colour": "#ff8800"}
    assert colour.text() == "#ff8800"
    page.edits.as_it_comes()
    assert project.reel.accent_lanes[0].settings == {}


def test_a_key_set_at_the_playhead_is_what_the_field_edits_there(shown: Window) -> None:
    page, project = page_of(shown), shown.project
    project.selection.select_lane(project.reel.accent_lanes[0].id)
    project.playhead.go(20)
    page.edits.key_here("opacity")
    project.playhead.go(50)
    field = page.fields.form["opacity"]
    assert isinstance(field, QDoubleSpinBox)
    field.setValue(20)
    keys = project.timeline.accent_lanes[0].keyed["opacity"]
    assert [(k[0], round(k[1], 2)) for k in keys] == [(20, 0.75), (50, 0.2)]
    project.playhead.go(35)
    assert 20 < field.value() < 75
    page.edits.set_key("level", 1.0)
    assert project.reel.accent_lanes[0].keys["level"]


@pytest.mark.slow
def test_the_focus_is_placed_in_the_preview(shown: Window) -> None:
    shown.accents.add_lane("punch")
    shown.accents.place_focus()
    assert shown.preview.asking_place
    box = shown.preview.frame_box()
    at = QPoint(round(box.left() + box.width() * 0.25), round(box.top() + box.height() * 0.3))
    QTest.mouseClick(shown.preview, LEFT, NONE, at)
    settings = shown.project.reel.accent_lanes[-1].settings
    assert (settings["focus_x"], settings["focus_y"]) == pytest.approx((0.25, 0.3), abs=0.02)
    assert not shown.preview.asking_place
    shown.project.selection.select_lane(shown.project.reel.accent_lanes[0].id)
    shown.accents.place_focus()
    assert "has a focus" in shown.foot.status.text()


def test_keys_calm_stir_mute_and_repeat(shown: Window) -> None:
    project, commands = shown.project, shown.commands
    commands["calm_all"].trigger()
    commands["calm_all"].trigger()
    assert project.reel.amount == pytest.approx(0.8)
    commands["stir_all"].trigger()
    assert project.reel.amount == pytest.approx(0.9)
    project.selection.select_lane(project.reel.accent_lanes[1].id)
    commands["mute_lane"].trigger()
    commands["solo_lane"].trigger()
    assert project.reel.accent_lanes[1].muted and project.reel.accent_lanes[1].solo
    project.playhead.go(0)
    commands["toggle_step_here"].trigger()
    assert project.reel.accent_lanes[1].overrides
    commands["randomise_lane"].trigger()
    commands["reset_lane"].trigger()
    assert not project.reel.accent_lanes[1].overrides
    commands["copy_all_lanes"].trigger()
    commands["paste_lanes"].trigger()
    assert len(project.reel.accent_lanes) == 4
    commands["remove_lane"].trigger()
    assert len(project.reel.accent_lanes) == 3


def test_a_bundle_is_one_amount_on_the_page(shown: Window) -> None:
    project, page = shown.project, page_of(shown)
    project.change("Bundled", lambda reel: with_bundle(reel, [r.id for r in reel.accent_lanes], "Blow"))
    project.selection.select_lane(project.reel.accent_lanes[0].id)
    assert page.bundle_name.text() == "Blow" and page.bundle_amount.isVisible()
    page.bundle_amount.setValue(50)
    assert project.reel.bundles[0].amount == 0.5
    page.all.setValue(67)
    assert project.reel.amount == pytest.approx(0.67)
    page.shutter.setValue(180)
    assert project.reel.shutter_deg == 180


def test_ones_own_bundle_is_kept_offered_and_taken_away(shown: Window) -> None:
    from PySide6.QtWidgets import QMenu

    shown.bundles.keep_bundle("My blow")
    menu = QMenu(shown)
    shown.bundles.fill_bundle_menu(menu)
    actions = {a.text(): a for a in menu.actions()}
    actions["My blow"].trigger()
    assert len(shown.project.reel.accent_lanes) == 4
    actions["Take 'My blow' away"].trigger()
    again = QMenu(shown)
    shown.bundles.fill_bundle_menu(again)
    assert "My blow" not in {a.text() for a in again.actions()} and len(shown.project.reel.accent_lanes) == 4


def test_an_unknown_accent_is_shown_as_unknown_and_not_lost(shown: Window) -> None:
    from msgspec.structs import replace

    project = shown.project
    project.change(
        "From elsewhere",
        lambda r: replace(r, accent_lanes=(replace(r.accent_lanes[0], accent="sparkle"), *r.accent_lanes[1:])),
    )
    project.selection.select_lane(project.reel.accent_lanes[0].id)
    assert page_of(shown).lane_title.text() == "unknown: sparkle"
    assert not page_of(shown).rule.isEnabled()
    shown.timeline.grab()
    assert project.reel.accent_lanes[0].accent == "sparkle"


# The preview


def test_frames_are_kept_over_a_change_that_does_not_touch_them(shown: Window, qtbot: QtBot) -> None:
    frames, project = shown.transport.frames, shown.project
    project.playhead.go(5)
    qtbot.waitUntil(lambda: frames.want(5, False) is not None, timeout=30_000)
    kept = set(frames._kept)
    late = project.timeline.accent_lanes[0].steps[-2].id
    project.change("Late", lambda reel: with_painted(reel, "r1", late, 0.5))
    qtbot.waitUntil(lambda: frames.want(5, False) is not None, timeout=30_000)
    assert frames._keys[5] in kept


@pytest.mark.slow
def test_dear_frames_are_made_ahead_and_the_ruler_says_so(shown: Window, qtbot: QtBot) -> None:
    frames, project = shown.transport.frames, shown.project
    project.change("Echo", lambda reel: accent_lanes.with_lane(reel, "echo", 4))
    qtbot.waitUntil(
        lambda: bool(frames.stretches()) and all(ready for _, _, ready in frames.stretches())
        and len(frames._dear) == project.timeline.frames,
        timeout=40_000,
    )  # fmt: skip
    first = frames.stretches()[0]
    assert frames.stretches() is frames.stretches(), "the timeline asks at every paint: it is not worked out anew"
    assert project.timeline.look_at(first[0]).echo is not None
    before = shown.timeline.grab().toImage()
    project.change("No echo", lambda reel: accent_lanes.without_lane(reel, reel.accent_lanes[-1].id))
    assert shown.timeline.grab().toImage() != before


@pytest.mark.slow
def test_playing_that_cannot_keep_up_gets_coarser_says_so_and_recovers(shown: Window) -> None:
    transport = shown.transport
    full = transport.size.pixels()
    for frame in (3, 6, 9, 12):
        if transport.size.count_late(frame):
            transport._size_changed()
    assert transport.size.pixels()[1] == pytest.approx(full[1] * STEPS[1], abs=2)
    assert "(adapted)" in shown.meter.playback
    transport._state(False)
    assert transport.size.pixels() == full and "(adapted)" not in shown.meter.playback
    shown.commands["toggle_full_size"].trigger()
    assert transport.size.pixels() == (180, 320)


# The check


def test_the_check_is_filtered_by_row_and_a_click_goes_there(shown: Window, qtbot: QtBot) -> None:
    shown.commands["show_check"].trigger()
    page = shown.page(CheckPage)
    page.catch_up()
    shake = page.kinds.findData(shown.project.reel.accent_lanes[1].id)
    assert page.kinds.itemText(shake) == "shake"
    page.kinds.setCurrentIndex(shake)
    assert {e.what for e in page.model.rows} == {"shake"}
    page._go(page.model.index(2, 0))
    assert (
        shown.project.playhead.frame == page.model.rows[2].frame
        and shown.project.selection.lane_id == shown.project.reel.accent_lanes[1].id
    )


@pytest.mark.film
def test_an_export_says_how_many_events_land(shown: Window, qtbot: QtBot, tmp_path: Path) -> None:
    assert shown.exports.start(Order(), tmp_path / "out.mp4")
    qtbot.waitUntil(lambda: shown.exports.running is None, timeout=60_000)
    assert "on point, worst" in shown.foot.status.text()


@pytest.mark.slow
def test_calming_all_accents_is_seen_in_the_rows_at_once(shown: Window) -> None:
    before = shown.timeline.grab().toImage()
    shown.project.change("Calm", lambda reel: accent_lanes.with_all_amounts(reel, 0.5))
    assert shown.timeline.grab().toImage() != before
