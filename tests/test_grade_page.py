"""The Grade page: what is dragged shows and is one step; looks are seen before they are taken; scopes say what is there."""

from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QImage, QKeyEvent, QPixmap
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog
from pytestqt.qtbot import QtBot

from tempik.desktop.pages.grade.page import GradePage
from tempik.desktop.pages.grade.scope_view import pixels_of
from tempik.desktop.pages.grade.split_tool import before_of
from tempik.desktop.preview import landing_meter
from tempik.desktop.shell.window import Window
from tempik.grade import scopes
from tempik.grade.cube import written_cube
from tempik.grade.looks import LOOKS
from tempik.reel import Grade, Reel, Wheel
from tempik.reel.grade import AMOUNTS, PARTS
from waiting import until_at_rest


@pytest.fixture
def page(opened: Window, qtbot: QtBot) -> GradePage:
    opened.open_page(GradePage)
    page = opened.page(GradePage)
    qtbot.waitUntil(lambda: page.tool.image is not None)
    return page


def look(page: GradePage) -> Grade | None:
    return page.project.reel.look


def drag(widget: object, a: QPoint, b: QPoint, steps: int = 4) -> None:
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, a)
    for n in range(1, steps + 1):
        QTest.mouseMove(widget, a + (b - a) * n / steps)
        QApplication.processEvents()
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, b)


def shown(page: GradePage, qtbot: QtBot, frame: int | None = None) -> np.ndarray:
    """The picture in the preview once it is up to date."""
    transport = page.context.transport
    if frame is not None:
        page.project.playhead.go(frame)
    qtbot.wait(60)
    qtbot.waitUntil(lambda: transport.frames.want(page.project.playhead.frame, False) is not None, timeout=10_000)
    image = transport.frames.want(page.project.playhead.frame, False)
    assert image is not None
    return pixels_of(image).astype(int)


def test_a_slider_shows_while_it_is_dragged_and_is_one_step(page: GradePage, qtbot: QtBot) -> None:
    page.show_subject(1)
    before = shown(page, qtbot, 40)
    steps = len(page.project.history.steps)
    row = page.panes["Light"].sliders.rows["exposure"]  # type: ignore[attr-defined]
    middle = row.slider.rect().center()
    QTest.mousePress(row.slider, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle)
    QTest.mouseMove(row.slider, middle + QPoint(25, 0))
    assert page.project.gesture is not None and (look(page) or Grade()).exposure > 0.4
    brighter = shown(page, qtbot)
    assert brighter.mean() > before.mean() + 8  # at once, coarser
    QTest.mouseRelease(row.slider, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle + QPoint(25, 0))
    assert len(page.project.history.steps) == steps + 1 and "exposure" in page.project.history.can_undo
    assert np.abs(shown(page, qtbot) - brighter).mean() < 6
    row.label.back.emit()  # a double click on its name
    assert look(page) is None
    row.box.setValue(1.5)
    assert look(page) == Grade(exposure=1.5)
    page.project.undo()
    assert row.box.value() == 0.0


@pytest.mark.slow
def test_while_a_look_is_dragged_nothing_is_worked_out_that_it_does_not_change(
    page: GradePage, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    page.show_subject(1)
    shown(page, qtbot, 40)
    opened = page.window()
    assert isinstance(opened, Window)
    until_at_rest(opened, qtbot)
    asked: list[int] = []
    monkeypatch.setattr(landing_meter, "nearest_event", lambda timeline, frame: asked.append(frame))
    timeline = opened.timeline
    painted = timeline._picture._now
    assert painted is not None
    commands = page.commands
    for step in range(4):
        commands.show_fields(exposure=0.1 * step + 0.1)
        QApplication.processEvents()
    assert page.project.regraded and not asked and timeline._picture._now is painted
    commands.settle("Grade: exposure")
    page.project.change("A clip less", lambda reel: replace(reel, clips=reel.clips[:-1]))
    QApplication.processEvents()
    assert not page.project.regraded and asked  # here it may be another event that is nearest


def test_every_number_of_a_grade_stands_on_the_page_once(page: GradePage) -> None:
    rows = [
        name
        for pane in page.panes.values()
        for s in pane.findChildren(object)
        for name in getattr(s, "rows", {})
        if hasattr(s, "typed")
    ]
    assert sorted(rows) == sorted(n for n in AMOUNTS if n != "amount")


def test_curves_are_bent_by_points(page: GradePage, qtbot: QtBot) -> None:
    page.show_subject(3)
    graph = page.curves.graph
    at = graph.spot((0.5, 0.5)).toPoint()
    drag(graph, at, at - QPoint(0, 30))
    curve = (look(page) or Grade()).luma_curve
    assert len(curve) == 3 and curve[0] == (0, 0) and curve[1][1] > curve[1][0] + 0.08
    QTest.keyClick(graph, Qt.Key.Key_Down)
    assert (look(page) or Grade()).luma_curve[1][1] < curve[1][1]
    QTest.mouseClick(
        graph,
        Qt.MouseButton.RightButton,
        Qt.KeyboardModifier.NoModifier,
        graph.spot((look(page) or Grade()).luma_curve[1]).toPoint(),
    )
    assert len((look(page) or Grade()).luma_curve) == 2
    page.curves.choice.setCurrentIndex(4)
    page.curves.show_grade(page.commands.grade())
    assert graph.is_hue
    QTest.mouseClick(
        graph, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, graph.spot((120.0, 0.3)).toPoint()
    )
    ((hue, more),) = (look(page) or Grade()).hue_saturation
    assert hue == pytest.approx(120, abs=3) and more == pytest.approx(0.3, abs=0.05)
    page.curves.back.click()
    assert (look(page) or Grade()).hue_saturation == ()
    far = graph.spot((0.0, 0.0)).toPoint()
    QTest.mouseClick(graph, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, far)
    drag(graph, far, QPoint(-300, 300))
    assert (look(page) or Grade()).hue_saturation == ()  # far out it goes


def test_the_balance_is_pushed(page: GradePage) -> None:
    page.show_subject(4)
    wheels = page.panes["Balance"].wheels  # type: ignore[attr-defined]
    disc = wheels.discs["dark_wheel"]
    middle = disc.rect().center()
    drag(disc, middle, middle + QPoint(20, 0))
    wheel = (look(page) or Grade()).dark_wheel
    assert wheel.x > 0.1 and wheel.y == 0
    QTest.keyClick(disc, Qt.Key.Key_Up)
    assert (look(page) or Grade()).dark_wheel.y > 0
    wheels.levels["light_wheel"].setValue(20)
    assert (look(page) or Grade()).light_wheel == Wheel(0, 0, 0.2)
    QTest.mouseDClick(disc, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle)
    assert (look(page) or Grade()).dark_wheel == Wheel()


def test_a_look_is_seen_before_it_is_taken(page: GradePage, qtbot: QtBot) -> None:
    plain = shown(page, qtbot, 40)
    steps = len(page.project.history.steps)
    ink = next(c for c in page.tiles.items if c.name == "Ink")
    page.tiles.pointed.emit(ink)
    assert page.project.compared and np.ptp(shown(page, qtbot), axis=2).max() < 12 < np.ptp(plain, axis=2).max()
    page.tiles.pointed.emit(None)
    assert look(page) is None and len(page.project.history.steps) == steps
    QTest.mouseClick(
        page.tiles, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, page.tiles.box(10).center().toPoint()
    )
    assert look(page) == LOOKS[10].grade and LOOKS[10].name == "Ink"
    assert len(page.project.history.steps) == steps + 1


def test_clips_and_footage_have_grades_of_their_own(page: GradePage, qtbot: QtBot) -> None:
    page.targets["clips"].click()
    page.project.selection.select_clips([])
    page.refill()
    assert "select a clip" in page.message.text() and not page.panes["Light"].isEnabled()
    names = [c.id for c in page.project.reel.clips[:2]]
    page.project.selection.select_clips(names)
    page.commands.set_fields("x", contrast=0.4)
    assert [c.grade for c in page.project.reel.clips[:3]] == [Grade(contrast=0.4), Grade(contrast=0.4), None]
    assert page.message.text() == "grades 2 clips"
    page.commands.copy_grade()
    page.targets["footage"].click()
    page.commands.paste_parts(("light",))
    first = page.project.reel.clips[0].footage
    graded = [f.id for f in page.project.reel.footage if f.grade == Grade(contrast=0.4)]
    assert graded == [first] and page.across.meant.isVisibleTo(page)
    page.commands.set_colour(range="full")
    assert next(f for f in page.project.reel.footage if f.id == first).colour.range == "full"
    page.commands.no_grade()
    assert all(f.grade is None for f in page.project.reel.footage)
    page.targets["reel"].click()
    page.commands.paste_grade()
    assert look(page) == Grade(contrast=0.4)
    page.project.selection.select_clips(names[:1])
    page.commands.grade_all()
    assert {c.grade for c in page.project.reel.clips} == {Grade(contrast=0.4)}
    assert set(PARTS) >= {"light"}


@pytest.mark.slow
def test_how_much_shows_is_set_and_keyed_at_the_playhead(page: GradePage) -> None:
    page.commands.set_grade("x", Grade(mono=1.0))
    page.across.amount.setValue(50)
    assert look(page) == Grade(mono=1.0, amount=0.5)
    page.project.playhead.go(30)
    page.across.key.click()
    page.project.playhead.go(90)
    page.across.amount.setValue(20)
    keys = page.project.reel.look_keys
    assert [round(k.value, 2) for k in keys] == [1.0, 0.2]
    page.project.playhead.go(60)
    page.refill()
    assert 40 < page.across.amount.value() < 80
    page.project.playhead.go(90)
    page.across.key.setChecked(False)
    page.across._toggle_key(False)
    assert len(page.project.reel.look_keys) == 1


def test_before_and_after_beside_each_other(page: GradePage, qtbot: QtBot) -> None:
    plain = shown(page, qtbot, 40)
    page.commands.set_grade("x", Grade(exposure=-3.0))
    page.across.split.click()
    assert page.commands.split and page.window().preview.mode.tool is page.tool  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: before_of(page.tool.image) is not None, timeout=10_000)
    image = page.tool.image
    before = before_of(image)
    assert before is not None and image is not None
    assert np.abs(pixels_of(before).astype(int) - plain).mean() < 2 and pixels_of(image).mean() < 0.6 * plain.mean()
    page.tool.press(QPointF(0.3, 0.5))
    page.tool.drag(QPointF(0.2, 0))
    assert page.tool.share == pytest.approx(0.5)
    picture = page.window().preview.grab().toImage()  # type: ignore[attr-defined]
    assert not picture.isNull()
    page.tool.centre()
    page.commands.keep_reference()
    assert page.tool.reference is not None and not page.tool.reference.text("both")
    page.commands.keep_reference()
    assert page.tool.reference is None
    page.across.split.click()
    qtbot.waitUntil(lambda: page.tool.image is not None and not page.tool.image.text("both"), timeout=10_000)


def test_a_held_key_shows_what_was_before(page: GradePage, qtbot: QtBot) -> None:
    plain = shown(page, qtbot, 40)
    page.commands.set_grade("x", Grade(exposure=-3.0))
    dark = shown(page, qtbot)
    window = page.window()
    press, release = (
        QKeyEvent(k, Qt.Key.Key_QuoteLeft, Qt.KeyboardModifier.NoModifier, "`")
        for k in (QKeyEvent.Type.KeyPress, QKeyEvent.Type.KeyRelease)
    )
    QApplication.sendEvent(window, press)
    assert np.abs(shown(page, qtbot) - plain).mean() < 2
    QApplication.sendEvent(window, release)
    assert np.abs(shown(page, qtbot) - dark).mean() < 2


@pytest.mark.slow
def test_matched_evened_and_kept_as_a_look(page: GradePage, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    clips = page.project.reel.clips
    page.project.selection.select_clips([clips[0].id])
    page.commands.match_to(clips[1].id)
    qtbot.waitUntil(lambda: page.project.reel.clips[0].grade is not None, timeout=20_000)
    page.project.undo()
    page.project.selection.select_clips([c.id for c in clips])
    page.commands.even_series()
    qtbot.waitUntil(lambda: any(c.grade is not None for c in page.project.reel.clips), timeout=20_000)
    page.commands.set_grade("x", Grade(contrast=0.3))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("Dusk", True))
    page.keep_look()
    own = page.tiles.items[-1]
    assert own.name == "Dusk" and own.own and own.grade == Grade(contrast=0.3)
    from tempik.project.looks import own_looks

    assert own_looks()[0].picture[:4] == b"\x89PNG"
    page._forget("Dusk")
    assert page.tiles.items[-1].name != "Dusk"


def test_a_lut_is_read_and_taken_off(page: GradePage, qtbot: QtBot, tmp_path: Path) -> None:
    path = tmp_path / "m.cube"
    written_cube(lambda rgb: rgb**1.2, path, "m", 9)
    page.commands.set_lut(str(path))
    page.show_subject(2)
    assert (look(page) or Grade()).lut == str(path) and page.panes["Colour"].lut.text() == "m"  # type: ignore[attr-defined]
    path.write_text("nonsense")
    with qtbot.waitSignal(page.project.messages.posted) as heard:
        page.commands.set_lut(str(path))
    assert "says no size" in heard.args[0]
    page.commands.set_lut("")
    assert look(page) is None


def test_looks_are_painted_without_what_takes_long(page: GradePage, monkeypatch: pytest.MonkeyPatch) -> None:
    """The window stood still for seconds while the page was made ahead, soon after each start."""
    monkeypatch.setattr("tempik.grade.apply.table_of", lambda *_: pytest.fail("a table was made"))
    frame = QPixmap(180, 320)
    frame.fill(QColor("#445566"))
    page.tiles.show_frame(frame)
    page.tiles.grab()
    made = dict(page.tiles._rest)
    assert len(made) == len(page.tiles.items)
    page.tiles.show_frame(QPixmap(frame))
    page.tiles.grab()
    assert page.tiles._rest == made, "on the same frame nothing is made anew"


# Scopes


def ramp() -> np.ndarray:
    return np.repeat(np.repeat(np.arange(0, 192, dtype=np.uint8)[None, :, None], 100, 0), 3, 2)


def test_a_ramp_is_a_diagonal_in_the_waveform_and_a_flat_histogram() -> None:
    counts = scopes.waveform(ramp())
    assert counts.shape == (256, 192) and (counts.argmax(axis=0) == np.arange(192)).all() and counts.max() == 1
    for part in scopes.parade(ramp()):
        assert (part.argmax(axis=0) == np.arange(192)).all()
    found = scopes.histogram(ramp())
    for part in found:
        assert part.sum() == pytest.approx(1.0, abs=1e-4) and part[10] == pytest.approx(1 / 192) and part[250] == 0


def test_colour_bars_stand_where_the_vectorscope_marks_them() -> None:
    """The colour differences of BT.709 (Rec. ITU-R BT.709-6, item 3.3); 75 % bars after BT.471."""
    for r, g, b in ((1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 1, 1), (0, 0, 1), (1, 0, 1)):
        rgb = np.full((20, 20, 3), (191 * r, 191 * g, 191 * b), np.uint8)
        luma = 0.75 * (0.2126 * r + 0.7152 * g + 0.0722 * b)
        u, v = (0.75 * b - luma) / 1.8556, (0.75 * r - luma) / 1.5748
        row, column = np.unravel_index(scopes.vectorscope(rgb, 201).argmax(), (201, 201))
        assert (column - 100) / 200 == pytest.approx(u, abs=0.006) and (100 - row) / 200 == pytest.approx(v, abs=0.006)
    grey = scopes.vectorscope(np.full((9, 9, 3), 90, np.uint8), 201)
    assert grey[100, 100] == 81


def test_scopes_follow_the_frame_and_say_what_is_cut(page: GradePage, qtbot: QtBot) -> None:
    shown(page, qtbot, 40)
    for kind in ("red, green, blue", "vectorscope", "histogram", "waveform"):
        page.scope.show_kind(kind)
        assert not page.scope.plot.grab().toImage().isNull()
    page.commands.set_grade("x", Grade(luma_curve=((0.0, 0.0), (1.0, 0.0))))
    shown(page, qtbot)
    qtbot.waitUntil(lambda: "black" in page.scope.cut.text(), timeout=5_000)
    bright = QImage(40, 40, QImage.Format.Format_RGB888)
    bright.fill(Qt.GlobalColor.white)
    page.scope.show_image(bright)
    qtbot.waitUntil(lambda: page.scope.cut.text() == "100 % white", timeout=2_000)


def test_the_reel_says_nothing_of_grades_it_has_not(reel: Reel) -> None:
    assert reel.look is None and replace(reel, look=Grade()).look == Grade()


@pytest.mark.parametrize("kind", [QImage.Format.Format_RGB888, QImage.Format.Format_RGB32])
def test_what_a_scope_shows_outlives_the_picture_it_was_told_of(kind: QImage.Format) -> None:
    """Qt's memory of a picture was read after the picture had gone: the window ended after two hours of work."""
    image = QImage(61, 40, kind)
    image.fill(QColor("#804020"))
    shown = pixels_of(image)
    assert not np.shares_memory(shown, np.frombuffer(image.constBits(), np.uint8)) and shown.flags.writeable
    image.fill(QColor("#000000"))
    assert (shown == (0x80, 0x40, 0x20)).all() and shown.shape == (40, 61, 3)
    del image
    assert (shown == (0x80, 0x40, 0x20)).all()
