"""The window on any screen: what fits, what is remembered, the picture alone, and everything by keyboard."""

import subprocess
import sys
from pathlib import Path
from types import SimpleNamespace

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QEvent, QPoint, QPointF, QRect, QSize, Qt
from PySide6.QtGui import QAccessible, QColor, QFont, QGuiApplication, QImage, QKeyEvent, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDoubleSpinBox,
    QLabel,
    QLineEdit,
    QScrollArea,
    QScrollBar,
    QWidget,
)
from pytestqt.qtbot import QtBot

from tempik.desktop.pages import FIRST, PAGES
from tempik.desktop.pages.footage.page import FootagePage
from tempik.desktop.pages.speed.page import SpeedPage
from tempik.desktop.session.preferences import load_preferences
from tempik.desktop.shell.ahead import PagesAhead
from tempik.desktop.shell.keyboard import KeyboardPresses
from tempik.desktop.shell.places import Divider, first_size, fitted, preview_width
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import marks, pixmap_cache, theme
from tempik.desktop.widgets.pixmap_cache import room_for_pictures
from tempik.desktop.widgets.plain import FittingLabel, Label
from tempik.edit import ruled, titles
from tempik.edit.clips import masks
from tempik.edit.sounds.lanes import with_sound_lane
from tempik.edit.transitions import laying
from tempik.reel import Arrival, Clear, Reel, Rule, Title
from tempik.timeline.timeline import timeline_of
from tempik.transitions import new_transition

pytestmark = pytest.mark.usefixtures("no_dialogs")
CONTROLS = (QAbstractButton, QComboBox, QAbstractSpinBox, QLineEdit, QAbstractSlider)


# The first of two windows is made in a process of its own, as it is at a start.
TWO_WINDOWS = """
import os
from PySide6.QtWidgets import QAbstractButton, QAbstractSpinBox, QApplication, QComboBox, QLabel, QWidget
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import theme
app = QApplication([])
theme.dress(app)
sheet, seen, windows = app.styleSheet(), [], []
for _ in range(2):
    windows.append(Window())
    windows[-1].show()
    app.processEvents()
for window in windows:
    parts = [w for w in window.findChildren(QWidget) if isinstance(w, QLabel | QAbstractButton | QComboBox | QAbstractSpinBox)]
    seen.append([(type(w).__name__, w.sizeHint().toTuple(), w.palette().windowText().color().name()) for w in parts])
print(len(seen[0]) > 100, seen[0] == seen[1], app.styleSheet() == sheet != "", flush=True)
os._exit(0)
"""


def dividers(window: Window) -> dict[str, Divider]:
    return {d.name: d for d in window.findChildren(Divider)}


@pytest.mark.parametrize("screen", [(1280, 800), (1366, 768), (1366, 728), (1920, 1080), (2560, 1440)])
def test_the_first_window_fits_its_screen(screen: tuple[int, int]) -> None:
    room = QRect(0, 0, *screen)
    size = fitted(first_size(room), room)
    assert size.width() <= room.width() and size.height() <= room.height()
    assert size.width() >= 1100 and size.height() >= 660


SIZES = ((1100, 660), (1280, 740), (1366, 700), (1366, 768), (1920, 1040))


@pytest.mark.slow
def test_no_page_is_cut_off_or_moves_the_others(opened: Window, qtbot: QtBot) -> None:
    opened.project.selection.select_lane(
        opened.project.reel.accent_lanes[1].id
    )  # a shake: the accent with the most fields
    opened.project.selection.select_clip(opened.project.timeline.placed[1].clip.id)
    for size in SIZES:
        opened.resize(*size)
        opened.open_page(PAGES[1])
        qtbot.wait(30)
        areas = [d.sizes() for d in dividers(opened).values()]
        for kind in PAGES:
            opened.open_page(kind)
            qtbot.wait(20)
            assert [d.sizes() for d in dividers(opened).values()] == areas, f"{kind.title} moved the areas"
            area = opened.page_panel.pages.currentWidget()
            assert isinstance(area, QScrollArea)
            across, down = area.horizontalScrollBar(), area.verticalScrollBar()
            bars = (across,) if size[1] < 700 else (across, down)

            def fits(bars: tuple[QScrollBar, ...] = bars, where: str = f"{kind.title} at {size}") -> None:
                assert [b.maximum() for b in bars] == [0] * len(bars), f"{where} is cut off"

            qtbot.waitUntil(fits, timeout=30_000)
        assert opened.width() == size[0] and opened.height() == size[1]


def test_what_stands_beside_the_tabs_moves_nothing_and_is_not_cut_on_the_smallest_screen(
    opened: Window, qtbot: QtBot
) -> None:
    """Opening the Speed page took 49 px from the preview, and one of its buttons read "oop cli"."""
    opened.resize(1100, 660)
    opened.importer.settings(1080, 1920, None)
    qtbot.wait(30)
    across = dividers(opened)["work and preview"]
    usual = across.sizes()
    opened.open_page(SpeedPage)
    qtbot.wait(30)
    tools = opened.page(SpeedPage).tools()
    assert tools is not None and tools.width() >= tools.sizeHint().width()
    assert across.sizes() == usual and usual[0] < 830
    bench = opened.page_panel
    assert all(tab.width() >= tab.fontMetrics().horizontalAdvance(tab.text()) for tab in bench.tabs)
    assert bench.tabs[-1].geometry().right() < tools.geometry().left()


def test_a_large_screen_is_used(opened: Window, qtbot: QtBot) -> None:
    opened.resize(2560, 1400)
    qtbot.waitUntil(lambda: opened.preview.frame_box().height() > 1000, timeout=5_000)
    layout = opened.timeline.layout_
    assert layout.picture_h() > 180 and layout.lane_h > 60
    assert preview_width(2560, 1312) < 0.42 * 2560


def test_dividers_are_dragged_put_back_and_remembered(opened: Window, qtbot: QtBot, reel: Reel, tmp_path: Path) -> None:
    across = dividers(opened)["work and preview"]
    usual = across.sizes()
    handle = across.handle(1)
    middle = handle.rect().center()
    QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=middle)
    move = QPoint(middle.x() - 60, middle.y())
    event = QMouseEvent(
        QEvent.Type.MouseMove, QPointF(move), QPointF(handle.mapToGlobal(move)),
        Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier,
    )  # fmt: skip
    QApplication.sendEvent(handle, event)
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=move)
    moved = across.sizes()
    assert moved[1] > usual[1] + 30 and across.by_hand
    opened.resize(opened.width() + 40, opened.height())
    assert across.by_hand
    opened.close()
    assert tuple(load_preferences().splits["work and preview"]) == tuple(across.sizes()) and load_preferences().window
    again = Window()
    qtbot.addWidget(again)
    again.show()
    other = dividers(again)["work and preview"]
    assert other.by_hand and abs(other.sizes()[1] - across.sizes()[1]) <= 30
    QTest.mouseDClick(other.handle(1), Qt.MouseButton.LeftButton)
    assert not other.by_hand and other.sizes()[1] < across.sizes()[1] - 20
    again.shut_down()


def test_the_title_bar_has_the_projects_name_and_its_mark(opened: Window) -> None:
    assert opened.windowTitle() == "r[*] – Tempik" and not opened.isWindowModified()
    opened.project.change(
        "Cleared",
        lambda reel: reel.__class__(**{**{f: getattr(reel, f) for f in reel.__struct_fields__}, "amount": 0.5}),
    )
    assert opened.isWindowModified()
    opened.undo()
    assert not opened.isWindowModified()


def test_a_message_is_shown_once(opened: Window) -> None:
    opened.say("x.mp4 is cut off.", True)
    opened.say("x.mp4 is cut off.")
    assert opened.foot.status.text() == "x.mp4 is cut off."
    opened.say("<b>bold</b> & <img src='/etc/passwd'>")
    assert "<b>bold</b>" in opened.foot.status.text()
    assert opened.foot.status.textFormat() == Qt.TextFormat.PlainText


def test_the_picture_alone_plays_and_steps(opened: Window, qtbot: QtBot) -> None:
    opened.commands["preview_window"].trigger()
    alone = opened.views.alone()
    qtbot.waitUntil(lambda: alone.view.image is not None, timeout=30_000)
    assert alone.isVisible() and not alone.isFullScreen()
    at = opened.project.playhead.frame
    assert opened.commands["step_on"] in alone.actions()
    opened.commands["step_on"].trigger()
    assert opened.project.playhead.frame == at + 1
    height_px = opened.transport.size.pixels()[1]
    alone.resize(900, 1500)
    qtbot.waitUntil(lambda: opened.transport.size.pixels()[1] >= height_px, timeout=30_000)
    opened.commands["preview_whole_screen"].trigger()
    assert alone.isFullScreen()
    alone.keyPressEvent(QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Escape, Qt.KeyboardModifier.NoModifier))
    assert not alone.isVisible() and opened.preview.image is not None


# By keyboard, and for those who do not see it


def test_every_control_has_a_name_and_a_role(opened: Window) -> None:
    unnamed = []
    for kind in PAGES:
        opened.open_page(kind)
        for widget in opened.findChildren(QWidget):
            if (
                isinstance(widget, CONTROLS)
                and widget.isVisible()
                and not isinstance(widget.parent(), QAbstractSpinBox)
            ):
                seen = QAccessible.queryAccessibleInterface(widget)
                name = seen.text(QAccessible.Text.Name) if seen is not None else ""
                if not name.strip() or seen.role() == QAccessible.Role.NoRole:
                    inside = isinstance(widget, QLineEdit) and isinstance(widget.parent(), QComboBox)
                    scroll = widget.parent() is not None and "scroll" in widget.parent().objectName()
                    if not inside and not scroll:
                        unnamed.append(
                            f"{kind.title}: {type(widget).__name__} {widget.objectName()} {widget.toolTip()}"
                        )
    assert not unnamed, "\n".join(unnamed)


def test_numbers_stand_off_the_edge_of_their_fields(opened: Window) -> None:
    for page in PAGES:
        opened.open_page(page)
    fields = [box for box in opened.findChildren(QAbstractSpinBox) if box.alignment() & Qt.AlignmentFlag.AlignLeft]
    assert len(fields) > 20
    assert [box.accessibleName() for box in fields if box.lineEdit().textMargins().left() < marks.INDENT_PX] == []


def test_the_timelines_parts_are_in_the_accessibility_tree(opened: Window, qtbot: QtBot) -> None:
    opened.timeline._spoken.say()
    seen = QAccessible.queryAccessibleInterface(opened.timeline)
    names = [seen.child(n).text(QAccessible.Text.Name) for n in range(seen.childCount())]
    assert any("Picture track 1" in n for n in names) and any("Accent lane" in n for n in names)
    clip = opened.project.timeline.placed[1]
    opened.project.selection.select_clip(clip.clip.id)
    opened.timeline._spoken.say()
    names = [seen.child(n).text(QAccessible.Text.Name) for n in range(seen.childCount())]
    assert any(f"selected {clip.footage.name}" in n for n in names)


def test_tab_goes_through_the_controls_and_space_presses_them(opened: Window, qtbot: QtBot) -> None:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    presses = KeyboardPresses(app)
    opened.activateWindow()
    opened.header.undo_button.setEnabled(True)
    opened.header.form_button.setFocus(Qt.FocusReason.TabFocusReason)
    seen: list[str] = []
    for _ in range(60):
        QTest.keyClick(app.focusWidget() or opened, Qt.Key.Key_Tab)
        widget = app.focusWidget()
        if widget is not None:
            seen.append(type(widget).__name__)
    assert len(set(map(id, [app.focusWidget()]))) == 1 and len(seen) > 20
    pressed: list[bool] = []
    opened.header.export_button.clicked.disconnect()
    opened.header.export_button.clicked.connect(lambda: pressed.append(True))
    opened.header.draft_button.setFocus(Qt.FocusReason.TabFocusReason)
    opened.header.export_button.setFocus(Qt.FocusReason.TabFocusReason)
    opened.setAttribute(Qt.WidgetAttribute.WA_KeyboardFocusChange, True)
    for key in (Qt.Key.Key_Space, Qt.Key.Key_Return):
        QTest.keyClick(opened.header.export_button, key)
    assert pressed == [True, True] and not opened.player.playing
    app.focusChanged.disconnect(presses._watch)


@pytest.mark.slow
def test_pages_are_made_ahead_while_nothing_is_touched(window: Window, qtbot: QtBot) -> None:
    rest = [False]
    ahead = PagesAhead(window, window.page_panel, lambda: rest[0])
    assert FIRST not in window.page_panel.unmade and len(window.page_panel.unmade) == len(PAGES) - 1
    qtbot.wait(1300)
    assert len(window.page_panel.unmade) == len(PAGES) - 1  # the reel plays, say
    rest[0] = True
    QTest.keyClick(window.windowHandle(), Qt.Key.Key_Shift)
    ahead.look()
    assert len(window.page_panel.unmade) == len(PAGES) - 1  # a hand is on it
    qtbot.waitUntil(lambda: not window.page_panel.unmade, timeout=60_000)
    assert window.page_panel.current is window.page(FootagePage) and not window.page(SpeedPage).isVisible()
    tiles = window.page(SpeedPage).shapes.tiles
    assert len(tiles._pictures) == len(tiles.items)  # what is slow to paint is painted
    window.open_page(SpeedPage)
    assert window.page(SpeedPage).isVisible()


def test_a_label_that_must_fit_keeps_its_beginning(qtbot: QtBot) -> None:
    label = FittingLabel("hammer-blow · 2 pins")
    qtbot.addWidget(label)

    def painted(width: int) -> QImage:
        label.resize(width, 20)
        return label.grab().toImage().convertToFormat(QImage.Format.Format_Grayscale8)

    whole, less = painted(300), painted(80)
    assert less.copy(0, 0, 50, 20) == whole.copy(0, 0, 50, 20) != painted(20).copy(0, 0, 50, 20)
    blank = painted(20).copy(0, 0, 20, 20)
    assert len(set(bytes(blank.constBits()))) == 1  # an ellipsis alone says nothing


def test_text_is_not_clipped_when_the_systems_font_is_larger(window: Window, qtbot: QtBot) -> None:
    for label in window.findChildren(QLabel):
        font = QFont(label.font())
        if font.pixelSize() > 0:
            font.setPixelSize(round(font.pixelSize() * 1.3))
            label.setFont(font)
    qtbot.wait(50)
    for label in (window.header.title, window.header.place, window.header.clock, window.foot.status):
        assert label.height() >= label.fontMetrics().height() - 2, label.text()


def test_a_stale_size_of_another_screen_is_brought_onto_this_one() -> None:
    room = QRect(0, 0, 1366, 728)
    assert fitted(QSize(2400, 1300), room) == QSize(1366, 728)
    assert fitted(QSize(400, 300), room) == QSize(1100, 660)


def test_the_header_stays_in_place_when_something_is_changed(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """Undo and play moved by eight pixels when the word beside the name changed: a second click met another button."""
    opened.project.save(tmp_path / "r.tempik")
    qtbot.wait(50)
    header = opened.header

    def places() -> list[tuple[int, int]]:
        QApplication.processEvents()
        buttons = (header.undo_button, header.redo_button, header.play_button, header.export_button)
        return [(b.mapTo(opened, QPoint(0, 0)).x(), b.width()) for b in buttons]

    saved = places()
    assert header.saved.text() == "saved"
    opened.project.playhead.go(20)
    opened.cuts.split()
    assert header.saved.text() == "unsaved" and places() == saved
    opened.undo()
    assert header.saved.text() == "saved" and places() == saved


def test_a_mark_is_seen_before_and_after_a_widget_is_shown(qtbot: QtBot) -> None:
    label, field = Label("words"), QDoubleSpinBox()
    qtbot.addWidget(label)
    qtbot.addWidget(field)
    marks.ink(label, "quiet")
    label.show()
    field.show()
    assert label.palette().text().color() == QColor(theme.QUIET)
    high = field.sizeHint().height()
    marks.ink(label, "warning")
    marks.room(field, "low")
    assert label.palette().text().color() == QColor(theme.WARNING_TEXT)
    assert field.sizeHint().height() < high
    marks.ink(label, "")
    assert label.palette().text().color() == QColor(theme.TEXT)


@pytest.mark.slow
def test_a_window_made_first_is_dressed_like_any_other() -> None:
    """The style sheet is put on once all is there, which must not leave anything without it."""
    done = subprocess.run([sys.executable, "-c", TWO_WINDOWS], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "True True True"


@pytest.mark.parametrize(
    ("screens", "most_mb"),
    [([(1280, 800, 1.0)], 12), ([(1366, 768, 1.0), (2560, 1440, 1.0)], 43), ([(1920, 1080, 2.0)], 48), ([], 12)],
)
def test_no_more_painted_pictures_are_kept_than_fill_the_screen_three_times(
    screens: list[tuple[int, int, float]], most_mb: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One store for all screens filled up for hours on a small one."""
    there = [SimpleNamespace(size=lambda w=w, h=h: QSize(w, h), devicePixelRatio=lambda r=r: r) for w, h, r in screens]
    monkeypatch.setattr(QGuiApplication, "screens", lambda: there)
    assert room_for_pictures() / (1 << 20) == pytest.approx(most_mb, abs=1)


@pytest.mark.slow
def test_cuts_made_and_taken_back_fill_no_store_without_end(opened: Window) -> None:
    project = opened.project
    for number in range(150):
        project.playhead.go(1 + number * 2 % (project.timeline.frames - 2))
        opened.cuts.split()
        opened.timeline.repaint()
        opened.undo()
        opened.timeline.repaint()
    (store,) = pixmap_cache._KEPT
    assert store.currsize <= store.maxsize == room_for_pictures()


def test_the_status_line_tells_places_from_ones_own_folder_on(window: Window) -> None:
    window.say(f"Saved {Path.home()}/reels/open day.tempik")
    assert window.foot.status.text() == "Saved ~/reels/open day.tempik"
    assert str(Path.home()) in window.foot.status.toolTip()


@pytest.fixture
def varied(opened: Window) -> Window:
    """A reel with something for every page, each thing twice and unlike."""

    def edit(reel: Reel) -> Reel:
        timeline = timeline_of(reel)
        cuts = laying.cuts(timeline)
        reel = laying.laid(reel, cuts[:1], new_transition("push"), "left", 0)
        reel = laying.laid(reel, cuts[1:2], replace(new_transition("dissolve"), length=0.5, unit="beats"), "", 0)
        lanes = [lane.id for lane in reel.accent_lanes]
        reel = ruled.with_rule(reel, lanes[0], Rule("points", every=8, offset=7, at_least=0.3))
        reel = ruled.with_rule(reel, lanes[1], Rule("bars", beats=(1,), every=2, offset=1))
        reel = with_sound_lane(reel, ["whoosh"])
        reel = with_sound_lane(reel, ["riser", "tick"])
        reel = ruled.with_rule(reel, reel.sound_lanes[1].id, Rule("points", every=16, offset=15))
        first = reel.clips[0].id
        for kind in ("rectangle", "ellipse"):
            reel, _ = masks.with_mask(reel, first, kind)
        reel = masks.with_clear(reel, [first], Clear(of="colour"))
        return titles.with_title(reel, Title("Strike\\nnow", enter=Arrival("rise", 0.5, "beats")), 0, 40)[0]

    assert opened.project.change("Varied", edit)
    return opened


def test_to_look_at_pages_is_no_edit(varied: Window, qtbot: QtBot) -> None:
    """What a page shows is filled in by hand-made controls: none of them may take that for what a person gives. Three did."""
    project, errors = varied.project, []
    project.messages.posted.connect(lambda text, error: errors.append(text) if error else None)
    reel, steps = project.reel, len(project.history.steps)
    clips = [c.id for c in reel.clips]
    for page in PAGES:
        varied.open_page(page)
        for clip in (*clips, clips[0]):
            project.selection.select_clips([clip])
            QApplication.processEvents()
        for lane in (*reel.accent_lanes, reel.accent_lanes[0]):
            project.selection.select_lane(lane.id)
            QApplication.processEvents()
        for lane_of_sounds in (*reel.sound_lanes, reel.sound_lanes[0]):
            project.selection.select_channel(lane_of_sounds.id)
            QApplication.processEvents()
        for frame in (0, project.timeline.frames // 2, project.timeline.frames - 1):
            project.playhead.go(frame)
            QApplication.processEvents()
        assert project.reel is reel and len(project.history.steps) == steps and errors == [], page.title


def test_a_frame_that_comes_late_is_fitted_all_the_same(window: Window, qtbot: QtBot) -> None:
    """A busy window manager puts its frame about a window seconds after it was asked for."""
    room = window.screen().availableGeometry()
    window.hide()
    window.resize(room.size())
    window.show()
    assert not window.isMaximized()
    QTest.qWait(1200)  # longer than it used to be waited for
    window.frameGeometry = lambda: window.geometry().adjusted(-1, -20, 1, 4)  # type: ignore[method-assign]
    try:  # to its least width: the screens of tests are small
        qtbot.waitUntil(lambda: window.height() + 24 <= room.height(), timeout=3000)
    finally:
        del window.frameGeometry
