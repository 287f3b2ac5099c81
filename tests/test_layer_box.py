"""Layers are taken hold of in the preview: clicked, moved, scaled, turned, cropped, nudged, typed; each one step."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication, QMenu, QPushButton
from pytestqt.qtbot import QtBot

from tempik.desktop.pages.layer.page import LayerPage
from tempik.desktop.preview.box_tool import BoxTool
from tempik.desktop.preview.snapping import Extent, snapped
from tempik.desktop.shell.window import Window
from tempik.edit.clips import layers, masks
from tempik.errors import TempikError
from tempik.reel import Clip, Framing, Position, Reel, VideoTrack
from tempik.render.under import clips_under
from tempik.timeline.extents import corners_of, holds
from test_gestures import ALT, CTRL, NONE, SHIFT


@pytest.fixture
def layered(opened: Window) -> Window:
    """A window with a small layer over the second clip: 40 % of the frame, its middle a quarter to the left and up."""
    reel, below = opened.project.reel, opened.project.timeline.placed[1]
    small = Clip(
        "small", below.clip.footage, below.clip.start, below.clip.end, track=1,
        framing=Framing(fit="stretch", start=Position(zoom=0.4, x=-0.25, y=-0.25)),
    )  # fmt: skip
    tracks = (*reel.tracks, VideoTrack()) if len(reel.tracks) < 2 else reel.tracks
    assert opened.project.change("Small layer", lambda r: replace(r, tracks=tracks, clips=(*r.clips, small)))
    opened.project.playhead.go(below.first + 2)
    opened.project.selection.select_clip(None)
    return opened


def at(window: Window, x: float, y: float) -> QPointF:
    box = window.preview.frame_box()
    return QPointF(box.left() + x * box.width(), box.top() + y * box.height())


def mouse(window: Window, kind: QEvent.Type, place: QPointF, keys: Qt.KeyboardModifier = NONE) -> None:
    left = Qt.MouseButton.LeftButton
    held = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseButtonRelease else left
    QApplication.sendEvent(
        window.preview, QMouseEvent(kind, place, window.preview.mapToGlobal(place), left, held, keys)
    )


def click(window: Window, x: float, y: float, keys: Qt.KeyboardModifier = NONE) -> None:
    mouse(window, QEvent.Type.MouseButtonPress, at(window, x, y), keys)
    mouse(window, QEvent.Type.MouseButtonRelease, at(window, x, y), keys)


def drag(
    window: Window, begin: tuple[float, float], end: tuple[float, float], keys: Qt.KeyboardModifier = NONE
) -> None:
    a, b = at(window, *begin), at(window, *end)
    mouse(window, QEvent.Type.MouseButtonPress, a, keys)
    for share in (0.3, 0.7, 1.0):
        mouse(window, QEvent.Type.MouseMove, a + (b - a) * share, keys)
    mouse(window, QEvent.Type.MouseButtonRelease, b, keys)


def small(window: Window) -> Framing:
    return next(c for c in window.project.reel.clips if c.id == "small").framing


def corners(window: Window) -> np.ndarray:
    placed = window.project.timeline.placed_clip("small")
    assert placed is not None
    return corners_of(window.project.timeline, placed, window.project.playhead.frame)


def test_a_click_selects_the_topmost_layer_and_the_next_one_that_below(layered: Window) -> None:
    selection = layered.project.selection
    click(layered, 0.25, 0.25)
    assert selection.clip_id == "small"
    click(layered, 0.25, 0.25)
    assert selection.clip_id is not None and selection.clip_id != "small"
    click(layered, 0.25, 0.25)
    assert selection.clip_id == "small", "and round again"
    click(layered, 0.8, 0.8)
    assert selection.clip_id not in ("small", None)


def test_the_first_drag_in_the_preview_only_selects_unless_a_page_is_for_placing(layered: Window) -> None:
    steps = len(layered.project.history.steps)
    layered.commands["show_rhythm"].trigger()
    layered.timeline.setFocus()
    drag(layered, (0.25, 0.25), (0.5, 0.5))
    assert layered.project.selection.clip_id == "small" and len(layered.project.history.steps) == steps
    drag(layered, (0.25, 0.25), (0.62, 0.58))
    assert len(layered.project.history.steps) == steps + 1
    assert small(layered).start.x > 0.05


def test_a_layer_is_moved_and_catches_on_the_middle_unless_alt_is_held(layered: Window) -> None:
    layered.show_frame()
    click(layered, 0.25, 0.25)
    drag(layered, (0.25, 0.25), (0.495, 0.505))
    assert (small(layered).start.x, small(layered).start.y) == (0.0, 0.0), "its middle on the frame's"
    layered.commands["undo"].trigger()
    assert small(layered).start.x == -0.25
    mouse(layered, QEvent.Type.MouseButtonPress, at(layered, 0.25, 0.25))
    mouse(layered, QEvent.Type.MouseMove, at(layered, 0.495, 0.505), ALT)
    mouse(layered, QEvent.Type.MouseButtonRelease, at(layered, 0.495, 0.505), ALT)
    assert small(layered).start.x == pytest.approx(-0.005, abs=0.004) and small(layered).start.x != 0.0


def test_a_corner_scales_about_the_opposite_one_and_with_ctrl_about_the_middle(layered: Window) -> None:
    layered.show_frame()
    click(layered, 0.25, 0.25)
    before = corners(layered)
    end = before[0] + 1.37 * (before[2] - before[0])
    drag(layered, tuple(before[2]), tuple(end))
    after = corners(layered)
    assert after[0] == pytest.approx(before[0], abs=1e-6), "the opposite corner stays"
    assert small(layered).start.zoom == pytest.approx(0.4 * 1.37, rel=0.04)
    layered.commands["undo"].trigger()
    middle = before.mean(axis=0)
    drag(layered, tuple(before[2]), tuple(middle + 1.3 * (before[2] - middle)), CTRL)
    assert corners(layered).mean(axis=0) == pytest.approx(middle, abs=1e-6), "the middle stays"


def test_outside_a_corner_it_turns_and_shift_turns_in_steps_of_fifteen_degrees(layered: Window) -> None:
    layered.show_frame()
    click(layered, 0.25, 0.25)
    box, before = layered.preview.frame_box(), corners(layered)
    middle = before.mean(axis=0)
    outside = before[2] + np.array([14 / box.width(), 14 / box.height()])
    arm = (outside - middle) * [box.width(), box.height()]
    angle = np.radians(40)
    turned = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]]) @ arm
    end = middle + turned / [box.width(), box.height()]
    drag(layered, tuple(outside), tuple(end))
    assert small(layered).start.turn_deg == pytest.approx(40, abs=0.5)
    layered.commands["undo"].trigger()
    drag(layered, tuple(outside), tuple(end), SHIFT)
    assert small(layered).start.turn_deg == 45


def test_the_bar_on_a_side_crops_the_picture(layered: Window) -> None:
    layered.show_frame()
    click(layered, 0.25, 0.25)
    before = corners(layered)
    left = (before[0] + before[3]) / 2
    drag(layered, tuple(left), (float(left[0] + 0.1), float(left[1])))
    assert small(layered).crop == pytest.approx((0.25, 0, 0, 0), abs=0.01), "a tenth of the frame is a quarter of 40 %"
    assert corners(layered)[0][0] == pytest.approx(before[0][0] + 0.1, abs=0.01)
    assert small(layered).start == Position(zoom=0.4, x=-0.25, y=-0.25)


def test_a_right_click_lists_the_layers_there_and_each_can_be_chosen(layered: Window) -> None:
    """With Alt it had been, which window managers keep for themselves."""
    layered.show_frame()
    place, button = at(layered, 0.25, 0.25), Qt.MouseButton.RightButton
    press = QMouseEvent(QEvent.Type.MouseButtonPress, place, layered.preview.mapToGlobal(place), button, button, NONE)
    QApplication.sendEvent(layered.preview, press)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu) and [a.text().split(" · ")[1] for a in menu.actions()] == ["track 2", "track 1"]
    menu.actions()[1].trigger()
    menu.close()
    assert layered.project.selection.clip_id not in ("small", None)


def test_of_several_clips_each_goes_as_far_from_its_own_place(layered: Window) -> None:
    """All had been laid where the one that is shown went."""
    below = clips_under(layered.project.timeline, layered.project.playhead.frame, 0.8, 0.8)[0].clip
    layered.show_frame()
    click(layered, 0.25, 0.25)
    layered.project.selection.toggle_clip(below.id)
    layered.project.selection.select_clips(["small", below.id])
    box = layered.preview.box
    assert box is not None and box.nudge(10, 0)
    width = layered.project.reel.width
    after = {c.id: c.framing for c in layered.project.reel.clips}
    assert after["small"].start == Position(zoom=0.4, x=pytest.approx(-0.25 + 10 / width), y=-0.25)
    assert after[below.id].start.x == pytest.approx(below.framing.start.x + 10 / width)
    assert (after["small"].fit, after[below.id].fit) == ("stretch", below.framing.fit)


def test_arrows_nudge_by_pixels_of_the_reel_and_enter_types_them(layered: Window, qtbot: QtBot) -> None:
    layered.show_frame()
    click(layered, 0.25, 0.25)
    preview, width = layered.preview, layered.project.reel.width
    preview.setFocus()
    frame = layered.project.playhead.frame
    qtbot.keyClick(preview, Qt.Key.Key_Right)
    assert small(layered).start.x == pytest.approx(-0.25 + 1 / width)
    qtbot.keyClick(preview, Qt.Key.Key_Right, SHIFT)
    assert small(layered).start.x == pytest.approx(-0.25 + 11 / width)
    assert layered.project.playhead.frame == frame, "the arrows were the layer's"
    qtbot.keyClick(preview, Qt.Key.Key_Return)
    assert preview.typing.isVisible() and preview.typing.text().endswith("px")
    preview.typing.setText("120 -40")
    qtbot.keyClick(preview.typing, Qt.Key.Key_Return)
    assert not preview.typing.isVisible()
    assert small(layered).start.x == pytest.approx(120 / width)
    assert small(layered).start.y == pytest.approx(-40 / layered.project.reel.height)
    qtbot.keyClick(preview, Qt.Key.Key_Return)
    preview.typing.setText("left of it")
    qtbot.keyClick(preview.typing, Qt.Key.Key_Return)
    assert "does not say where the layer stands" in layered.foot.status.text()
    assert small(layered).start.x == pytest.approx(120 / width)


def test_with_keys_on_its_place_a_drag_writes_a_key_at_the_playhead(layered: Window) -> None:
    frame = layered.project.playhead.frame
    stood = small(layered).start
    assert layered.project.change("Key", lambda r: layers.with_place_keys(r, ["small"], frame + 4, stood))
    layered.show_frame()
    click(layered, 0.25, 0.25)
    drag(layered, (0.25, 0.25), (0.4, 0.4))
    timeline = layered.project.timeline
    clip = next(c for c in layered.project.reel.clips if c.id == "small")
    assert layers.key_frames(timeline, clip, ("x",)) == [frame, frame + 4]
    assert clip.framing.start == stood, "the place without keys is as it was"


def test_what_a_mask_hides_is_not_under_the_pointer(layered: Window) -> None:
    project = layered.project

    def masked(reel: Reel) -> Reel:
        out, name = masks.with_mask(reel, "small", "rectangle")
        return masks.with_mask_fields(out, "small", name, {"x": 0.25, "width": 0.5, "height": 1.0}, None)

    assert project.change("Mask", masked)
    frame = project.playhead.frame
    left, right = (clips_under(project.timeline, frame, x, 0.25) for x in (0.12, 0.38))
    assert left[0].clip.id == "small" and all(p.clip.id != "small" for p in right)


def test_a_layer_is_dragged_by_its_box_where_a_mask_hides_it_and_a_click_there_selects_what_is_seen(
    layered: Window,
) -> None:
    project = layered.project

    def masked(reel: Reel) -> Reel:
        out, name = masks.with_mask(reel, "small", "rectangle")
        return masks.with_mask_fields(out, "small", name, {"x": 0.25, "width": 0.5, "height": 1.0}, None)

    assert project.change("Mask", masked)
    layered.show_frame()
    click(layered, 0.12, 0.25)
    assert project.selection.clip_id == "small"
    drag(layered, (0.38, 0.25), (0.57, 0.47))
    assert project.selection.clip_id == "small" and small(layered).start.x > -0.1
    click(layered, 0.6, 0.5)
    assert project.selection.clip_id not in ("small", None)


def test_all_of_a_session_in_the_preview_undone_and_redone_is_equal_in_every_field(layered: Window) -> None:
    layered.show_frame()
    before = layered.project.reel
    click(layered, 0.25, 0.25)
    drag(layered, (0.25, 0.25), (0.6, 0.5))
    drag(layered, tuple(corners(layered)[2]), (0.9, 0.9))
    layered.preview.box.nudge(3, 4)  # type: ignore[union-attr]
    after = layered.project.reel
    for _ in range(3):
        layered.commands["undo"].trigger()
    assert layered.project.reel == before
    for _ in range(3):
        layered.commands["redo"].trigger()
    assert layered.project.reel == after


def test_what_fills_the_frame_is_selected_before_it_is_dragged(layered: Window) -> None:
    layered.show_frame()
    click(layered, 0.25, 0.25)
    steps = len(layered.project.history.steps)
    drag(layered, (0.8, 0.8), (0.6, 0.6))
    assert layered.project.selection.clip_id != "small" and len(layered.project.history.steps) == steps


def test_edges_and_middles_catch_on_lines_nearby() -> None:
    near = snapped(Extent(0.005, 0.2, 0.305, 0.5), 16 / 9)
    assert near.by_x == pytest.approx(-0.005) and near.line_x == 0.0
    assert snapped(Extent(0.42, 0.1, 0.47, 0.15), 16 / 9).line_x is None


def test_a_place_lies_within_a_polygon_or_not() -> None:
    square = np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]])
    assert holds(square, 0.5, 0.5) and not holds(square, 1.5, 0.5) and not holds(square, 0.5, -0.1)
    assert not holds(np.zeros((0, 2)), 0.5, 0.5)


def test_the_box_says_nothing_where_no_layer_is_on_screen(layered: Window) -> None:
    box = BoxTool(layered.project)
    assert box.numbers() == "" and box.placed() is None and not box.nudge(1, 0)


def test_the_pad_of_the_frame_page_lays_the_picture_against_the_frame(layered: Window, qtbot: QtBot) -> None:
    layered.show_frame()
    click(layered, 0.25, 0.25)
    cells = list(layered.frame_page.pad.findChildren(QPushButton))
    assert [b.accessibleName() for b in cells][:1] == ["Lay the picture at the top left"]
    for cell, side in ((8, (1.0, 1.0)), (0, (0.0, 0.0))):
        qtbot.mouseClick(cells[cell], Qt.MouseButton.LeftButton)
        where = corners(layered)
        assert (where.max(axis=0) if cell else where.min(axis=0)) == pytest.approx(side, abs=1e-5)
    qtbot.mouseClick(cells[4], Qt.MouseButton.LeftButton)
    assert corners(layered).mean(axis=0) == pytest.approx((0.5, 0.5), abs=1e-5)
    assert not layered.frame_page.numbers.isVisible()
    qtbot.mouseClick(layered.frame_page.fold, Qt.MouseButton.LeftButton)
    assert layered.frame_page.numbers.isVisible() and layered.frame_page.place["x"].isEnabled()


# The tools under the preview


def on_layer_page(window: Window) -> LayerPage:
    window.open_page(LayerPage)
    return window.page_panel.page(LayerPage)


def test_a_rectangle_of_the_strip_is_drawn_over_the_layer_and_the_tool_is_put_down(layered: Window) -> None:
    page, strip = on_layer_page(layered), layered.tool_strip
    click(layered, 0.25, 0.25)
    strip.buttons["rectangle"].click()
    assert strip.buttons["rectangle"].isChecked() and page.tool.taken == "rectangle"
    drag(layered, (0.15, 0.15), (0.35, 0.3))
    clip = next(c for c in layered.project.reel.clips if c.id == "small")
    assert len(clip.masks) == 1 and clip.masks[0].kind == "rectangle"
    assert (clip.masks[0].width, clip.masks[0].height) == pytest.approx((0.5, 0.375), abs=0.01), "shares of the picture"
    assert (clip.masks[0].x, clip.masks[0].y) == pytest.approx((0.5, 0.4375), abs=0.01)
    assert strip.buttons["layers"].isChecked() and page.mask_id == clip.masks[0].id
    assert layered.project.history.steps[-1].done == "Mask drawn"


def test_the_handle_below_a_mask_makes_its_edge_soft_and_the_one_at_its_corner_round(layered: Window) -> None:
    page = on_layer_page(layered)
    click(layered, 0.25, 0.25)
    layered.tool_strip.buttons["rectangle"].click()
    drag(layered, (0.15, 0.15), (0.35, 0.3))
    placed = layered.project.selection.placed
    assert placed is not None

    def handle(name: str) -> tuple[float, float]:
        to, mask = page.tool._to_frame(placed), page.tool._standing(placed)[page.mask_id]
        x, y, _ = to @ [*page.tool._handles(placed, mask)[name], 1.0]
        return float(x), float(y)

    x, y = handle("feather")
    drag(layered, (x, y), (x, y + 0.02))
    (mask,) = next(c for c in layered.project.reel.clips if c.id == "small").masks
    assert mask.feather > 0.02
    x, y = handle("round")
    drag(layered, (x, y), (x + 0.04, y + 0.04))
    (mask,) = next(c for c in layered.project.reel.clips if c.id == "small").masks
    assert 0.1 < mask.corner <= 1


def test_arrows_move_the_mask_that_was_taken_hold_of_and_else_the_layer(layered: Window, qtbot: QtBot) -> None:
    on_layer_page(layered)
    click(layered, 0.25, 0.25)
    layered.tool_strip.buttons["ellipse"].click()
    drag(layered, (0.15, 0.15), (0.35, 0.3))
    click(layered, 0.25, 0.22)
    layered.preview.setFocus()
    before, stood = next(c for c in layered.project.reel.clips if c.id == "small").masks[0], small(layered).start
    qtbot.keyClick(layered.preview, Qt.Key.Key_Down, SHIFT)
    after = next(c for c in layered.project.reel.clips if c.id == "small").masks[0]
    assert after.y - before.y == pytest.approx(10 / layered.project.reel.height / 0.4) and small(layered).start == stood
    drag(layered, (0.4, 0.4), (0.48, 0.52))
    stood = small(layered).start
    qtbot.keyClick(layered.preview, Qt.Key.Key_Right)
    assert small(layered).start.x == pytest.approx(stood.x + 1 / layered.project.reel.width)


def test_a_tool_without_a_selected_clip_says_what_to_do(layered: Window) -> None:
    layered.project.selection.select_clip(None)
    layered.tool_strip.buttons["ellipse"].click()
    assert "Select a clip first" in layered.foot.status.text()
    assert layered.tool_strip.buttons["layers"].isChecked()


def test_a_tool_that_is_clicked_again_is_put_down(layered: Window) -> None:
    page = on_layer_page(layered)
    click(layered, 0.25, 0.25)
    for name in ("rectangle", "ellipse", "polygon", "keep", "drop", "colour"):
        layered.tool_strip.buttons[name].click()
        assert page.tool.taken == name and layered.tool_strip.buttons[name].isChecked()
        layered.tool_strip.buttons[name].click()
        assert page.tool.taken == "layers"


# The stack of the Layer page


def on_stack(window: Window, kind: QEvent.Type, at: QPointF) -> None:
    stack, left = on_layer_page(window).stack, Qt.MouseButton.LeftButton
    held = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseButtonRelease else left
    QApplication.sendEvent(stack, QMouseEvent(kind, at, stack.mapToGlobal(at), left, held, NONE))


def test_the_stack_shows_what_lies_over_what_and_its_eye_hides_a_track(layered: Window) -> None:
    stack = on_layer_page(layered).stack
    assert stack.rows[0].placed.clip.id == "small" and len(stack.rows) == 2
    on_stack(layered, QEvent.Type.MouseButtonPress, QPointF(10, 15))
    on_stack(layered, QEvent.Type.MouseButtonRelease, QPointF(10, 15))
    assert layered.project.reel.tracks[1].hidden and not stack.rows[0].shown
    assert all(p.clip.id != "small" for p in layered.project.timeline.clips_at(layered.project.playhead.frame))
    on_stack(layered, QEvent.Type.MouseButtonPress, QPointF(80, 60))
    on_stack(layered, QEvent.Type.MouseButtonRelease, QPointF(80, 60))
    assert layered.project.selection.clip_id == stack.rows[1].placed.clip.id


def test_the_bar_of_the_stack_sets_the_opacity_in_one_step(layered: Window) -> None:
    stack, steps = on_layer_page(layered).stack, len(layered.project.history.steps)
    bar = stack._bar(0)
    for kind, x in (
        (QEvent.Type.MouseButtonPress, 0.9),
        (QEvent.Type.MouseMove, 0.6),
        (QEvent.Type.MouseMove, 0.5),
        (QEvent.Type.MouseButtonRelease, 0.5),
    ):
        on_stack(layered, kind, QPointF(bar.left() + x * bar.width(), bar.center().y()))
    assert next(c for c in layered.project.reel.clips if c.id == "small").opacity == 0.5
    assert len(layered.project.history.steps) == steps + 1


def test_a_line_dragged_under_another_changes_places_with_it(layered: Window) -> None:
    stack = on_layer_page(layered).stack
    below = stack.rows[1].placed.clip.id
    for kind, y in (
        (QEvent.Type.MouseButtonPress, 15),
        (QEvent.Type.MouseMove, 40),
        (QEvent.Type.MouseMove, 60),
        (QEvent.Type.MouseButtonRelease, 60),
    ):
        on_stack(layered, kind, QPointF(90, y))
    tracks = {c.id: c.track for c in layered.project.reel.clips}
    assert tracks["small"] == 0 and tracks[below] == 1
    layered.commands["undo"].trigger()
    assert {c.id: c.track for c in layered.project.reel.clips}["small"] == 1


def test_a_layer_that_has_no_room_below_is_refused_in_a_sentence(layered: Window) -> None:
    project = layered.project
    below = project.timeline.clip_at(project.playhead.frame, 0)
    assert below is not None
    after = project.timeline.tracks[0][[p.clip.id for p in project.timeline.tracks[0]].index(below.clip.id) + 1]
    long = replace(next(c for c in project.reel.clips if c.id == "small"), end=after.clip.end)
    assert project.change("Longer", lambda r: replace(r, clips=tuple(long if c.id == "small" else c for c in r.clips)))
    with pytest.raises(TempikError, match="lock"):
        layers.restacked(replace(project.reel, tracks=(VideoTrack(locked=True), VideoTrack())), "small", 0)
    moved = layers.restacked(project.reel, "small", 0)
    assert {c.track for c in moved.clips if c.id in (below.clip.id, after.clip.id)} == {1}, "both come to lie above"
    with pytest.raises(TempikError, match="no room"):
        layers.restacked(moved, below.clip.id, 0)
