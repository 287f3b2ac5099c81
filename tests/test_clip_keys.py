"""Keys of clips along their slots: dragged onto points, set once more, eased, copied and taken away, on the page and on the timeline."""

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from tempik.cli.main import main
from tempik.desktop.pages.layer.key_lane import KeyLane
from tempik.desktop.pages.layer.page import LayerPage
from tempik.desktop.shell.window import Window
from tempik.desktop.timeline.lanes.keys import keys_of
from tempik.edit import clip_keys
from tempik.edit.clip_keys import KeyAt, marks_in
from tempik.edit.clips import layers, masks
from tempik.edit.clips.slots import clip_of
from tempik.edit.keying import frame_of_key
from tempik.errors import TempikError
from tempik.project.file import load_reel, save_reel
from tempik.reel import Clip, Reel
from tempik.reel.validate import problems
from tempik.timeline.timeline import Timeline


def point_frames(reel: Reel, first: int, end: int) -> list[int]:
    """The frames of points between two frames."""
    timeline = Timeline(reel)
    return [f for p in timeline.on_reel() if first <= (f := timeline.frame_of_point(p)) < end]


def keyed(reel: Reel) -> tuple[Reel, Clip, list[int]]:
    """A clip with two keys of its opacity, the first on a point, and one of its place; the points of its slot."""
    placed = max(Timeline(reel).placed, key=lambda q: q.frames)
    on = point_frames(reel, placed.first, placed.end)
    reel = layers.with_clip_key(reel, placed.clip.id, "opacity", on[0], 0.2)
    reel = layers.with_clip_key(reel, placed.clip.id, "opacity", on[1] + 2, 0.8)
    reel = clip_keys.with_key_here(reel, placed.clip.id, "place", on[1] + 2)
    return reel, clip_of(reel, placed.clip.id), on


def frames_of(reel: Reel, clip: str, row: str) -> list[tuple[int, bool]]:
    return [(m.frame, m.tied) for m in marks_in(Timeline(reel), clip_of(reel, clip), row)]


def test_a_key_that_is_moved_onto_a_point_goes_with_it_and_takes_the_place_of_another(reel: Reel) -> None:
    reel, clip, on = keyed(reel)
    assert frames_of(reel, clip.id, "opacity") == [(on[0], True), (on[1] + 2, False)]
    moved = clip_keys.with_keys_moved(reel, clip.id, [KeyAt("opacity", on[1] + 2)], -2)
    assert frames_of(moved, clip.id, "opacity") == [(on[0], True), (on[1], True)]
    over = clip_keys.with_keys_moved(reel, clip.id, [KeyAt("opacity", on[1] + 2)], on[0] - on[1] - 2)
    (key,) = clip_of(over, clip.id).keys["opacity"]
    assert key.value == 0.8 and key.point is not None
    assert frames_of(over, clip.id, "place") == [(on[1] + 2, False)], "keys that are not chosen stay"


def test_keys_set_once_more_stay_where_they_were_and_all_four_of_a_place_go_together(reel: Reel) -> None:
    reel, clip, on = keyed(reel)
    twice = clip_keys.with_keys_copied(reel, clip.id, [KeyAt("place", on[1] + 2)], 3)
    assert [f for f, _ in frames_of(twice, clip.id, "place")] == [on[1] + 2, on[1] + 5]
    assert all(len(clip_of(twice, clip.id).keys[name]) == 2 for name in ("zoom", "x", "y", "turn_deg"))


def test_the_last_key_that_goes_leaves_its_value(reel: Reel) -> None:
    reel, clip, on = keyed(reel)
    reel = clip_keys.without_keys(reel, clip.id, [KeyAt("opacity", on[0]), KeyAt("opacity", on[1] + 2)])
    assert "opacity" not in clip_of(reel, clip.id).keys and clip_of(reel, clip.id).opacity == 0.8


def test_keys_are_pasted_on_another_clip_and_those_of_a_mask_need_one(reel: Reel) -> None:
    reel, clip, on = keyed(reel)
    reel, mask = masks.with_mask(reel, clip.id, "ellipse")
    reel = clip_keys.with_key_here(reel, clip.id, f"mask {mask}", on[0])
    other = next(c for c in reel.clips if c.id != clip.id)
    chosen = [KeyAt("opacity", on[0]), KeyAt("opacity", on[1] + 2)]
    copied = clip_keys.copied_keys(reel, clip.id, chosen)
    pasted = clip_keys.with_keys_pasted(reel, [other.id], copied, 5)
    assert [f for f, _ in frames_of(pasted, other.id, "opacity")] == [5, 5 + on[1] + 2 - on[0]]
    of_mask = clip_keys.copied_keys(reel, clip.id, [KeyAt(f"mask {mask}", on[0])])
    with pytest.raises(TempikError, match="no mask"):
        clip_keys.with_keys_pasted(reel, [other.id], of_mask, 5)
    again = clip_keys.with_keys_pasted(reel, [clip.id], of_mask, on[0] + 1)
    assert [f for f, _ in frames_of(again, clip.id, f"mask {mask}")] == [on[0], on[0] + 1]


@settings(max_examples=40, deadline=None, database=None, suppress_health_check=list(HealthCheck))
@given(data=st.data())
def test_whatever_is_done_to_keys_the_reel_stays_sound_and_one_key_stands_at_a_frame(
    data: st.DataObject, reel: Reel
) -> None:
    reel, clip, _ = keyed(reel)
    for _ in range(data.draw(st.integers(1, 6))):
        record, timeline = clip_of(reel, clip.id), Timeline(reel)
        there = [KeyAt(row, m.frame) for row in clip_keys.row_titles(record) for m in marks_in(timeline, record, row)]
        chosen = data.draw(st.sets(st.sampled_from(there))) if there else set()
        edit = data.draw(st.sampled_from(["move", "copy", "ease", "away"]))
        by = data.draw(st.integers(-60, 60))
        if edit in ("move", "copy"):
            reel = clip_keys._with_moved(reel, clip.id, chosen, by, edit == "copy")
        elif edit == "ease":
            reel = clip_keys.with_key_ease(reel, clip.id, chosen, data.draw(st.sampled_from(clip_keys.EASES)))
        else:
            reel = clip_keys.without_keys(reel, clip.id, chosen)
        assert not problems(reel)
        timeline = Timeline(reel)
        for keys in clip_of(reel, clip.id).keys.values():
            frames = [frame_of_key(timeline, k) for k in keys]
            assert frames == sorted(set(frames))


def test_keys_from_the_command_line(reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    reel, clip, on = keyed(reel)
    path = tmp_path / "k.tempik"
    save_reel(reel, path)
    number = str([q.clip.id for q in Timeline(reel).placed].index(clip.id) + 1)

    def run(*wanted: str) -> int:
        return main(["layers", str(path), "--clips", number, *wanted])

    def now() -> list[int]:
        return [f for f, _ in frames_of(load_reel(path), clip.id, "opacity")]

    assert run("--keys", f"opacity@{on[1] + 2}", "--keys-to", str(on[1])) == 0 and now() == [on[0], on[1]]
    assert run("--keys", f"opacity@{on[0]},opacity@{on[1]}", "--keys-again", str(on[0] + 1)) == 0 and len(now()) == 4
    assert run("--keys", f"opacity@{on[0]}", "--keys-ease", "hold") == 0
    assert marks_in(Timeline(load_reel(path)), clip_of(load_reel(path), clip.id), "opacity")[0].ease == "hold"
    assert run("--keys", f"opacity@{on[0]}", "--keys-off") == 0 and on[0] not in now()
    for wrong, says in (
        (["--keys", "opacity@9999", "--keys-off"], "No key of the opacity stands at frame 9999"),
        (["--keys", "opacity", "--keys-off"], "names no key"),
        (["--keys", "mask 3@3", "--keys-off"], "no mask 3"),
        (["--keys", "opacity@3"], "Say which keys"),
        (["--keys-to", "3"], "Say which keys"),
        (["--keys", f"opacity@{on[1]}", "--keys-ease", "wild"], "no ease 'wild'"),
    ):
        capsys.readouterr()
        assert run(*wrong) != 0 and says in capsys.readouterr().err


@pytest.fixture
def lane(opened: Window) -> KeyLane:
    """The lane of a clip with keys, on the Layer page."""
    reel, clip, on = keyed(opened.project.reel)
    opened.project.change("keys", lambda _: reel)
    opened.project.selection.select_clip(clip.id)
    opened.project.playhead.go(on[0])
    opened.commands["show_layer"].trigger()
    return opened.page(LayerPage).keys


def spot(lane: KeyLane, row: str, frame: int) -> QPoint:
    return QPoint(round(lane.across(frame)), round(lane.row_y(list(lane.rows()).index(row))))


def dragged(
    lane: KeyLane, begin: QPoint, end: QPoint, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
) -> None:
    QTest.mousePress(lane, Qt.MouseButton.LeftButton, keys, begin)
    for share in (0.3, 0.7, 1.0):
        at = QPointF(begin) + share * QPointF(end - begin)
        QTest.mouseMove(lane, at.toPoint())
    QTest.mouseRelease(lane, Qt.MouseButton.LeftButton, keys, end)


def test_a_key_is_dragged_onto_a_point_in_the_clips_lane_as_one_step(lane: KeyLane, opened: Window) -> None:
    clip = opened.project.selection.clip_id
    assert clip is not None
    (first, _), (second, _) = frames_of(opened.project.reel, clip, "opacity")
    steps = len(opened.project.history.steps)
    on = [f for f in point_frames(opened.project.reel, first + 1, 10_000) if f != second]
    dragged(lane, spot(lane, "opacity", second), spot(lane, "opacity", on[1]) + QPoint(3, 0))
    assert frames_of(opened.project.reel, clip, "opacity") == [(first, True), (on[1], True)]
    assert len(opened.project.history.steps) == steps + 1 and opened.project.playhead.frame == on[1]
    assert opened.keys.keys.of(clip) == {KeyAt("opacity", on[1])}
    opened.undo()
    assert [f for f, _ in frames_of(opened.project.reel, clip, "opacity")] == [first, second]


def test_double_click_arrows_and_delete_work_in_the_clips_lane(lane: KeyLane, opened: Window) -> None:
    clip = opened.project.selection.clip_id
    assert clip is not None
    place = [f for f, _ in frames_of(opened.project.reel, clip, "place")]
    QTest.mouseDClick(lane, Qt.MouseButton.LeftButton, pos=spot(lane, "place", place[0] + 9))
    assert len(frames_of(opened.project.reel, clip, "place")) == 2
    QTest.keyClick(lane, Qt.Key.Key_Delete)
    assert [f for f, _ in frames_of(opened.project.reel, clip, "place")] == place
    (first, _), (second, _) = frames_of(opened.project.reel, clip, "opacity")
    opened.project.playhead.go(first)
    QTest.keyClick(lane, Qt.Key.Key_Right)
    assert opened.project.playhead.frame == second == place[0]
    assert opened.keys.keys.of(clip) == {KeyAt("opacity", second), KeyAt("place", second)}
    QTest.keyClick(lane, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    after = min(f for f in point_frames(opened.project.reel, second + 1, 10_000))
    assert frames_of(opened.project.reel, clip, "place") == [(after, True)]


def test_the_corner_of_the_clips_lane_is_its_fade(lane: KeyLane, opened: Window) -> None:
    placed = opened.project.selection.placed
    assert placed is not None
    at, own = lane.fade_at(False)
    if not own:
        pytest.skip("the clip before shares this edge")
    dragged(
        lane, at.toPoint(), at.toPoint() + QPoint(round(lane.across(placed.first + 20) - lane.across(placed.first)), 0)
    )
    laid = opened.project.timeline.transition_of(placed.clip.id, False)
    assert laid is not None and laid.frames > 5


def test_keys_are_seen_and_dragged_on_the_timeline_and_open_in_rows(lane: KeyLane, opened: Window) -> None:
    timeline, clip = opened.timeline, opened.project.selection.clip_id
    assert clip is not None
    ctx = timeline.context()
    placed = ctx.timeline.placed_clip(clip)
    assert placed is not None
    closed = keys_of(ctx, placed)
    assert len(closed) == 2 and len({k.at.y() for k in closed}) == 1
    opened.commands["show_keys"].trigger()
    rows = keys_of(timeline.context(), placed)
    assert len(rows) == 3 and len({k.at.y() for k in rows}) == 2
    key = rows[0]
    found = timeline.hit(key.at)
    assert found is not None and found[0] == "keys"
    QTest.mouseClick(timeline, Qt.MouseButton.LeftButton, pos=key.at.toPoint())
    assert opened.keys.keys.of(clip) == key.keys and opened.project.playhead.frame == key.mark.frame
    opened.keys.ease("hold")
    assert marks_in(opened.project.timeline, clip_of(opened.project.reel, clip), "opacity")[0].ease == "hold"
    opened.commands["copy_keys"].trigger()
    opened.project.playhead.go(key.mark.frame + 1)
    opened.commands["paste_keys"].trigger()
    assert key.mark.frame + 1 in [f for f, _ in frames_of(opened.project.reel, clip, "opacity")]
    opened.keys.keys.choose(clip, [KeyAt("opacity", key.mark.frame + 1)])
    count = len(opened.project.reel.clips)
    opened.commands["remove_clip"].trigger()  # Delete means the keys that are chosen
    assert len(opened.project.reel.clips) == count and len(frames_of(opened.project.reel, clip, "opacity")) == 2
    opened.keys.keys.choose(None, ())
    opened.commands["remove_keys"].trigger()
    assert "Choose keys first" in opened.foot.status.text()
    opened.commands["next_key"].trigger()
