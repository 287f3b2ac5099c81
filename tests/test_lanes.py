"""The timeline's lanes: how they share the room, what snaps to what, what is hit, what stays quick."""

import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from examples import examples
from tempik.desktop.shell.window import Window
from tempik.desktop.song.wave import DIM_BANDS, wave_picture
from tempik.desktop.timeline import backing_store
from tempik.desktop.timeline.axis import GUTTER, View
from tempik.desktop.timeline.lane import Hit, LaneView, PaintContext
from tempik.desktop.timeline.lanes import LANES, clip_painting, pointer_words
from tempik.desktop.timeline.lanes.accents import LEAST_ROW_H
from tempik.desktop.timeline.lanes.clip_painting import clip_picture
from tempik.desktop.timeline.lanes.pictures import LEAST_PICTURE_H
from tempik.desktop.timeline.lanes.pulse_painting import lane_picture
from tempik.desktop.timeline.layout import Room, layout_of
from tempik.desktop.timeline.snapping import Target, point_near, snapped, targets
from tempik.desktop.widgets.drawing import draw_lines, draw_spans
from tempik.desktop.widgets.theme import icon
from tempik.edit.accents.lanes import with_lane
from tempik.edit.clips.pieces import overlapped
from tempik.edit.clips.place import with_new_track
from tempik.edit.speed.speed import with_curve
from tempik.project.file import save_reel
from tempik.reel import Reel
from tempik.retime import constant
from tempik.timeline.covering import overlaps
from tempik.timeline.timeline import Timeline
from waiting import until_at_rest


class Plain(LaneView):
    """A lane of nothing but its height."""

    def __init__(self, key: str, room: Room, head: bool = False) -> None:
        self.key, self._room, self.head = key, room, head

    def room(self) -> Room:
        return self._room


LANE = st.builds(
    lambda least, more, most, gives: Room(least, least + more, least + more + most, gives),
    st.integers(10, 60),
    st.integers(0, 80),
    st.integers(0, 120),
    st.integers(0, 2),
)


@given(st.lists(LANE, min_size=1, max_size=12), st.integers(60, 1400))
@settings(max_examples=examples(200), deadline=None)
def test_lanes_share_the_room_within_their_bounds(rooms: list[Room], height: int) -> None:
    layout = layout_of([Plain(f"plain {n}", room) for n, room in enumerate(rooms)], height)
    for room, height_px in zip(rooms, layout.heights, strict=True):
        assert room.least <= height_px <= room.most
    for top, height_px, later in zip(layout.tops, layout.heights, layout.tops[1:], strict=False):
        assert later >= top + height_px
    if layout.hidden:  # what does not fit has shrunk as far as it may
        assert all(height_px == room.least for room, height_px in zip(rooms, layout.heights, strict=True))
    if any(height_px > room.usual for room, height_px in zip(rooms, layout.heights, strict=True)):
        assert not layout.hidden and layout.end <= height


def test_tracks_give_way_before_accent_rows_and_both_before_the_head(opened: Window) -> None:
    lanes = opened.timeline.layout_.lanes
    low = layout_of(lanes, 200)
    assert low.picture_h() == LEAST_PICTURE_H and low.lane_h == LEAST_ROW_H
    assert low.height_of("ruler") == 40 and low.height_of("points") >= 74 and low.hidden > 0
    middle = layout_of(lanes, 300)
    assert middle.picture_h() < 112 and middle.lane_h == 38
    high = layout_of(lanes, 900)
    assert high.picture_h() > 200 and high.lane_h > 60 and not high.hidden


def test_a_drag_snaps_to_points_first_and_only_within_reach(reel: Reel) -> None:
    timeline = Timeline(reel)
    view = View.of(0.0, 60.0, 900)
    wanted = targets(timeline, 17)
    assert {t.label for t in wanted} >= {"playhead", "start", "end"} and any("point" in t.label for t in wanted)
    point = next(t for t in wanted if t.label.startswith("point") and t.frame > 40)
    near = snapped(3.0, [(point.frame - 5.0, "")], wanted, view, 30.0)
    assert near.frames == 5 and near.target is not None and near.target.label == point.label
    assert snapped(3.4, [(900.0, "")], wanted, view, 30.0).target is None
    same = [Target(100, "cut"), Target(100, "point 3.1")]
    found = snapped(0.0, [(99.0, "cue")], same, view, 30.0)
    assert found.target is not None and found.target.label == "cue on point 3.1"


def test_the_point_near_the_pointer_is_the_nearest_within_reach(reel: Reel) -> None:
    timeline, view = Timeline(reel), View.of(0.4, 60.0, 900)
    points = timeline.on_reel()
    for x in range(-200, 1400, 7):
        found = point_near(timeline, view, x)
        assert found is not None
        away = [abs(view.x(timeline.reel_s(q)) - x) for q in points]
        assert away[points.index(found)] == min(away)
        assert (point_near(timeline, view, x, 5.0) is not None) == (min(away) <= 5.0)
    assert point_near(Timeline(Reel()), view, 100) is None


def test_the_axis_zooms_about_what_is_pointed_at() -> None:
    view = View.of(1.0, 60.0, 900)
    before = view.time(500)
    after = view.zoomed(2.0, 500, 1.0, 1e6)
    assert after.time(500) == pytest.approx(before) and after.px_per_s == pytest.approx(120.0)
    assert view.x(view.time(321.0)) == pytest.approx(321.0) and view.x(1.0) == GUTTER


def test_every_lane_says_what_it_is_and_what_the_pointer_does(opened: Window) -> None:
    ctx = opened.timeline.context()
    spoken = [lane.spoken(ctx) for lane in ctx.layout.lanes]
    assert any(text.startswith("Picture track 1: 5 clips") for text in spoken), spoken
    assert any(text.startswith("Accent lane Flash") for text in spoken)
    gestures = [gesture for gesture, _ in pointer_words()]
    assert len(gestures) == len(set(gestures)) and all(kind.words() for kind in LANES)


def test_a_new_kind_of_lane_is_one_class(opened: Window, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot) -> None:
    """Markers every second, in a lane of their own: measured, painted, hit and dragged by the one class."""
    pressed: list[float] = []

    class Seconds(LaneView):
        key = "seconds"

        @classmethod
        def of(cls, reel: Reel) -> list[LaneView]:
            return [cls()]

        def room(self) -> Room:
            return Room(18, 18, 18, gives=5)

        def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
            for second in range(60):
                p.fillRect(QRectF(ctx.view.x(second), box.top(), 2, box.height()), Qt.GlobalColor.magenta)

        def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
            if not box.contains(pos):
                return None
            return Hit(press=lambda at: pressed.append(ctx.view.time(at.pos.x())))

    monkeypatch.setattr("tempik.desktop.timeline.lanes.LANES", (*LANES, Seconds))
    opened.timeline._lanes = opened.timeline._layout = None
    opened.timeline.refresh()
    layout = opened.timeline.layout_
    box = layout.box(len(layout.lanes) - 1, opened.timeline.width())
    image = opened.timeline.grab().toImage()
    x = round(opened.timeline.view.x(3.0)) + 1
    assert image.pixelColor(x, round(box.center().y())).name() == "#ff00ff"
    qtbot.mouseClick(opened.timeline, Qt.MouseButton.LeftButton, pos=QPoint(x, round(box.center().y())))
    assert pressed == [pytest.approx(3.0, abs=0.05)]


@pytest.mark.slow
def test_hovering_paints_nothing_that_stands_anew(opened: Window, qtbot: QtBot) -> None:
    """Sixty accent lanes: pointing at a step once painted all of them again."""
    qtbot.waitUntil(lambda: opened.song.bands is not None, timeout=30_000)
    made = opened.project.reel
    for _ in range(58):
        made = with_lane(made, "flash")
    opened.project.change("Lanes", lambda _: made)
    until_at_rest(opened, qtbot)
    standing = opened.timeline._picture._now
    assert standing is not None
    row = opened.timeline.layout_.lane_top(0) + 6
    for x in range(GUTTER + 20, GUTTER + 220, 10):
        qtbot.mouseMove(opened.timeline, QPoint(x, row))
        opened.timeline.repaint()
    assert opened.timeline._picture._now is standing


@pytest.mark.parametrize("ratio", [1.0, 1.25, 1.5, 2.0])
def test_pictures_are_painted_at_the_screens_own_ratio(opened: Window, ratio: float) -> None:
    """What is kept of clips, accent lanes and the wave has the screen's own detail, not that of a plain one enlarged."""
    timeline = opened.timeline
    image = QImage(round(timeline.width() * ratio), round(timeline.height() * ratio), QImage.Format.Format_RGB32)
    image.setDevicePixelRatio(ratio)
    p = QPainter(image)
    ctx = timeline.context()
    placed, found = opened.project.timeline.placed[1], opened.project.timeline.accent_lanes[0]
    clip = clip_picture(p, ctx, placed, QRectF(0, 0, 80, 100), QColor("#4a3220"))
    row = lane_picture(p, ctx, found, 38)
    wave = wave_picture(opened.song, 0.0, 60.0, (300, 54), DIM_BANDS, ratio)
    p.end()
    assert wave is not None
    for picture, size in ((clip, (80, 100)), (row, (ctx.view.width, 38)), (wave, (300, 54))):
        assert picture.devicePixelRatio() == ratio
        assert (picture.width(), picture.height()) == (round(size[0] * ratio), round(size[1] * ratio))
    for name in ("play", "undo", "more"):
        drawn = icon(name).pixmap(QSize(20, 20), ratio)
        assert drawn.width() == pytest.approx(20 * ratio, abs=1)


@pytest.mark.slow
def test_clips_that_show_what_they_showed_are_not_painted_again(
    opened: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Bars counted otherwise, half the tempo, beats half a beat later: each clip lies where it lay, its picture is ready."""
    until_at_rest(opened, qtbot)
    opened.timeline.grab()
    painted = []
    monkeypatch.setattr(clip_painting, "paint_clip", lambda *_: painted.append(1))
    for act in (lambda: opened.rhythm.set_metre(3), opened.rhythm.half_tempo, opened.rhythm.half_a_beat_later):
        before = opened.project.timeline
        act()
        assert opened.project.timeline is not before
        opened.timeline.grab()
    assert not painted
    clip = opened.project.timeline.placed[1].clip.id
    opened.project.change("Speed", lambda reel: with_curve(reel, clip, constant(0.5)))
    opened.timeline.grab()
    assert len(painted) == 1


def test_what_overlaps_is_known_and_marked(opened: Window) -> None:
    reel = opened.project.reel
    names = [c.id for c in reel.clips[:3]]
    lapped = Timeline(overlapped(reel, names, 6))
    pairs = [(a.clip.id, b.clip.id, a.until - b.first) for a, b in overlaps(lapped)]
    assert pairs == [(names[0], names[1], 6), (names[1], names[2], 6)]
    assert all(a.end == b.first for a, b in overlaps(lapped))


def test_a_track_more_is_a_lane_more(opened: Window) -> None:
    before = len(opened.timeline.layout_.lanes)
    opened.project.change("Track", with_new_track)
    layout = opened.timeline.layout_
    assert len(layout.lanes) == before + 1 and layout.picture_top(1) < layout.picture_top(0)
    assert layout.track_at(layout.picture_top(1) + 5) == 1


def _painted(window: Window) -> QImage:
    window.timeline.repaint()
    standing = window.timeline._picture._now
    assert standing is not None
    return standing.layer.toImage()


def _different(one: QImage, other: QImage) -> float:
    """Return the share of pixels that differ by more than a shade."""
    as_array = [np.frombuffer(i.constBits(), np.uint8).reshape(i.height(), -1, 4).astype(int) for i in (one, other)]
    return float(np.mean(np.abs(as_array[0] - as_array[1]).max(axis=2) > 40))


@pytest.mark.slow
@pytest.mark.parametrize("steps", [(33, 33, 33), (-21, -21), (400,), (60, -90, 200, -30)])
def test_a_picture_moved_along_is_the_one_painted_anew(opened: Window, qtbot: QtBot, steps: tuple[int, ...]) -> None:
    qtbot.waitUntil(lambda: opened.song.bands is not None, timeout=30_000)
    timeline = opened.timeline
    timeline.zoom(6, 500)
    timeline.view = timeline.view.panned(300, opened.project.timeline)
    qtbot.wait(150)
    before = _painted(opened)
    for step in steps:
        timeline.view = timeline.view.panned(step, opened.project.timeline)
        moved = _painted(opened)
    timeline._picture.forget()
    anew = _painted(opened)
    assert _different(before, anew) > 0.02, "it did move"
    assert _different(moved, anew) < 0.002


@pytest.mark.slow
def test_zooming_in_steps_ends_in_the_picture_painted_anew(opened: Window, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: opened.song.bands is not None, timeout=30_000)
    timeline = opened.timeline
    _painted(opened)
    for _ in range(6):
        timeline.zoom(1.2, 500)
        stretched = _painted(opened)
    qtbot.waitUntil(lambda: not timeline._coarse, timeout=10_000)
    settled = _painted(opened)
    timeline._picture.forget()
    assert _different(settled, _painted(opened)) == 0
    assert _different(stretched, settled) < 0.4, "while it zooms it is near enough to steer by"


@pytest.mark.slow
def test_neither_a_step_of_zooming_nor_the_rest_after_it_paints_everything_at_once(
    opened: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    qtbot.waitUntil(lambda: opened.song.bands is not None, timeout=30_000)
    until_at_rest(opened, qtbot)
    timeline, widths, paint = opened.timeline, list[int](), backing_store._paint

    def counted(p: QPainter, ctx: PaintContext, sketch: bool = False, names: bool = True) -> None:
        widths.append(ctx.view.width)
        paint(p, ctx, sketch, names)

    _painted(opened)
    monkeypatch.setattr(backing_store, "_paint", counted)
    timeline.zoom(1.3, 500)
    qtbot.waitUntil(lambda: not timeline._coarse, timeout=10_000)
    most = GUTTER + backing_store.PART_PX + 2 * backing_store.MARGIN
    assert len(widths) >= 3 and max(widths) <= most < timeline.width()


@pytest.mark.parametrize("ratio", [1.0, 2.0])
def test_lines_and_stripes_of_one_row_lie_where_they_are_asked_for(ratio: float) -> None:
    canvas = QImage(QSize(round(40 * ratio), round(4 * ratio)), QImage.Format.Format_ARGB32_Premultiplied)
    canvas.setDevicePixelRatio(ratio)
    canvas.fill(QColor(0, 0, 0))
    p = QPainter(canvas)
    draw_spans(p, QRectF(0, 0, 40, 4), [2.0, 10.0], [6.0, 10.2], [QColor(255, 0, 0), QColor(0, 255, 0)])
    draw_lines(p, QRectF(0, 0, 40, 4), [20.5, 20.6, 90.0], [0.5, 1.0, 1.0], QColor(255, 255, 255))
    p.end()
    row = [canvas.pixelColor(x, 0).getRgb()[:3] for x in range(round(40 * ratio))]
    reds = [x for x, shade in enumerate(row) if shade == (255, 0, 0)]
    greens = [x for x, shade in enumerate(row) if shade == (0, 255, 0)]
    whites = [x for x, shade in enumerate(row) if shade == (255, 255, 255)]
    assert reds == list(range(round(2 * ratio), round(6 * ratio)))
    assert greens == [round(10 * ratio)], "never narrower than a pixel"
    assert whites[:1] == [round(20 * ratio)] and len(whites) <= 2 * ratio


def test_a_fault_while_painting_is_said_and_the_window_goes_on(
    opened: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A painter that was left open took the process with it."""
    message: list[str] = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, trace: message.append(f"{kind.__name__}: {error}"))

    def bad(*_: object, **__: object) -> None:
        raise OverflowError("a lane that cannot be painted")

    with monkeypatch.context() as patch:
        patch.setattr(LANES[0], "paint", bad)
        opened.timeline._picture.forget()
        for _ in range(3):
            opened.timeline.repaint()
    assert message == ["OverflowError: a lane that cannot be painted"], "once, not at every frame"
    opened.timeline.repaint()
    assert opened.timeline._picture._now is not None


def test_a_press_on_a_tracks_name_opens_its_menu_and_nothing_else(opened: Window, qtbot: QtBot) -> None:
    """What the menu's signal answered was taken for a gesture, and letting go ended in a fault."""
    timeline = opened.timeline
    asked: list[int] = []
    timeline.asks.picture_menu.connect(lambda track, screen: asked.append(track))
    place = QPoint(20, int(timeline.layout_.pictures_end) - 10)
    for button in (Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton):
        QTest.mouseClick(timeline, button, Qt.KeyboardModifier.NoModifier, place)
        for menu in [w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu)]:
            menu.close()
    assert asked == [0, 0]


def test_menus_that_were_opened_are_gone_when_they_are_closed(opened: Window, qtbot: QtBot) -> None:
    """Each right click left a menu with all that its entries would do."""
    timeline = opened.timeline
    opened.project.selection.select_clip("c2")

    def menus() -> int:
        return len(opened.findChildren(QMenu))

    begun = menus()
    for x in range(150, 650, 50):
        place = QPoint(x, int(timeline.layout_.pictures_end) - 10)
        QTest.mouseClick(timeline, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier, place)
        (menu,) = [w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible()]
        opened.project.playhead.go(x // 3)
        clips = len(opened.project.reel.clips)
        entry = menu.actionGeometry(opened.commands["split"])
        QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=entry.center())
        assert len(opened.project.reel.clips) == clips + 1, "the entry is carried out before its menu goes"
    qtbot.waitUntil(lambda: menus() == begun, timeout=5000)


ONE_FILE = """
from PySide6.QtCore import QRectF, Qt

from tempik.desktop.timeline.lane import Depends, LaneView
from tempik.desktop.timeline.layout import Room


class LengthLaneView(LaneView):
    order = 95
    key = "length"

    @classmethod
    def of(cls, reel):
        return [cls()]

    def room(self):
        return Room(18, 18, 18, gives=5)

    def depends(self, timeline, ctx):
        return Depends((timeline.reel.amount,))

    def paint(self, p, ctx, box):
        p.fillRect(QRectF(ctx.view.x(0), box.top(), 200 * ctx.timeline.reel.amount, box.height()), Qt.GlobalColor.magenta)
"""


@pytest.mark.slow
def test_a_new_lane_is_one_file(reel: Reel, tmp_path: Path) -> None:
    """It is found, laid out, painted, and painted anew where what it says that it depends on is another."""
    (tmp_path / "length.py").write_text(ONE_FILE)
    save_reel(reel, tmp_path / "r.tempik")
    code = f"""
import sys
from pathlib import Path
from msgspec.structs import replace
from PySide6.QtWidgets import QApplication
import tempik.desktop.timeline
package = Path(tempik.desktop.timeline.__file__).parent / "lanes"
import importlib.util
spec = importlib.util.spec_from_file_location(
    "tempik.desktop.timeline.lanes", package / "__init__.py", submodule_search_locations=[str(package), {str(tmp_path)!r}]
)
lanes = importlib.util.module_from_spec(spec)
sys.modules["tempik.desktop.timeline.lanes"] = lanes
spec.loader.exec_module(lanes)
app = QApplication([])
from tempik.desktop.shell.window import Window
window = Window()
window.resize(1280, 800)
window.show()
assert window.importer.open_project(Path(sys.argv[1]))
window.timeline.fit()
app.processEvents()

def wide():
    layout = window.timeline.layout_
    number = [lane.key for lane in layout.lanes].index("length")
    y = round(layout.box(number, 900).center().y())
    image = window.timeline.grab().toImage()
    return sum(image.pixelColor(x, y).name() == "#ff00ff" for x in range(image.width()))

before = wide()
window.project.change("Calmer", lambda reel: replace(reel, amount=0.5))
app.processEvents()
print(before, wide())
window.shut_down()
import os
sys.stdout.flush()
os._exit(0)
"""
    done = subprocess.run(
        [sys.executable, "-c", code, str(tmp_path / "r.tempik")],
        capture_output=True,
        text=True,
        timeout=120,
        check=False,
    )
    assert done.returncode == 0, done.stderr[-2000:]
    before, after = (int(n) for n in done.stdout.split())
    assert before > 190 and before - after == 100, "half as much of it"


def test_a_track_is_made_higher_or_folded_by_its_lower_edge_and_shares_the_room_again(opened: Window) -> None:
    opened.project.change("track", with_new_track)
    timeline = opened.timeline
    before = timeline.layout_

    def edge(key: str) -> QPoint:
        layout = timeline.layout_
        return QPoint(40, layout.top(key) + layout.height_of(key) + 1)

    def drag(key: str, down: int) -> None:
        begin = edge(key)
        QTest.mousePress(timeline, Qt.MouseButton.LeftButton, pos=begin)
        for share in (0.5, 1.0):
            QTest.mouseMove(timeline, begin + QPoint(0, round(down * share)))
        QTest.mouseRelease(timeline, Qt.MouseButton.LeftButton, pos=begin + QPoint(0, down))

    drag("picture 0", 40)
    assert timeline.layout_.picture_h(0) == before.picture_h(0) + 40
    drag("picture 1", -200)
    assert timeline.layout_.folded(1) and not timeline.layout_.folded(0)
    timeline.grab()  # it paints folded
    QTest.mouseDClick(timeline, Qt.MouseButton.LeftButton, pos=edge("picture 1"))
    assert not timeline.layout_.folded(1)
    QTest.mouseDClick(timeline, Qt.MouseButton.LeftButton, pos=edge("picture 0"))
    assert timeline.layout_.heights == before.heights
    QTest.mouseDClick(timeline, Qt.MouseButton.LeftButton, pos=edge("picture 0"))
    assert timeline.layout_.folded(0)
