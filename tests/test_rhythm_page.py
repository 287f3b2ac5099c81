"""The Rhythm page, driven as a person would: reading, choosing, selecting, tapping, listening."""

from pathlib import Path

import msgspec
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tempik.assemble import assemble
from tempik.demo.song import write_song
from tempik.desktop.pages.rhythm.page import RhythmPage
from tempik.desktop.pages.rhythm.painting import BARS_H, HEAD_H, SECTIONS_H
from tempik.desktop.pages.rhythm.readings_strip import ROW_H
from tempik.desktop.shell.window import Window
from tempik.desktop.timeline.axis import GUTTER
from tempik.desktop.widgets import theme
from tempik.edit.draft import RuleDraftOptions
from tempik.edit.song import points as edit_points
from tempik.edit.song.readings import bars_in_use, bars_of, heard_anew
from tempik.media.inspecting import look_over
from tempik.project.file import load_reel, save_reel
from tempik.reel import PointChoice, Soundtrack
from tempik.reel.points import points_of, tempo_of

WAIT = 30_000


@pytest.fixture(scope="module")
def forged(media: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A reel to the demo's song, 128 BPM and 16 bars, of small pictures."""
    folder = tmp_path_factory.mktemp("forged")
    write_song(folder / "song.wav")
    files = [str(media / "a.mp4"), str(media / "b.mp4")]
    options = RuleDraftOptions(every=4, length_s=30.0, width=180, height=320, accents=(("flash", 4), ("shake", 2)))
    reel = assemble(str(folder / "song.wav"), files, [(files[0], 2.0)], options).reel
    for piece in reel.footage:
        look_over(piece.path, piece.rotation_deg)
    save_reel(reel, folder / "r.tempik")
    return folder / "r.tempik"


@pytest.fixture
def page(window: Window, forged: Path, qtbot: QtBot, worker_cache: Path, monkeypatch: pytest.MonkeyPatch) -> Window:
    """That reel, open at the Rhythm page with its song read."""
    monkeypatch.setenv("TEMPIK_CACHE", str(worker_cache))
    assert window.importer.open_project(forged)
    window.commands["show_rhythm"].trigger()
    qtbot.waitUntil(lambda: window.song.sound is not None, timeout=WAIT)
    qtbot.waitUntil(lambda: window.page(RhythmPage).view.width() > 300, timeout=WAIT)
    return window


def song(window: Window) -> Soundtrack:
    record = window.project.reel.soundtrack
    assert record is not None
    return record


def sign(window: Window, number: int) -> QPoint:
    """Where the sign of a point stands in the view."""
    view = window.page(RhythmPage).view
    x = view.span.x(window.project.timeline.points[number].time_s)
    return QPoint(round(x), SECTIONS_H + BARS_H + HEAD_H // 2)


def near(window: Window, song_s: float, px_per_s: float = 300.0) -> None:
    """Zoom so that an instant lies in the middle of the view."""
    view = window.page(RhythmPage).view
    view.span = view.span._replace(start_s=song_s - view.width() / px_per_s / 2, px_per_s=px_per_s).kept_on(
        song(window).length_s
    )
    view.refresh()


def test_half_tempo_a_shift_and_another_bar_are_one_step_each(page: Window) -> None:
    rhythm, before = page.page(RhythmPage), [p.time_s for p in points_of(song(page))]
    rhythm.reading.half.click()
    assert tempo_of(song(page)) == pytest.approx(64, abs=0.1)
    page.undo()
    rhythm.reading.later.click()
    assert points_of(song(page))[1].time_s == pytest.approx((before[0] + before[1]) / 2, abs=0.01)
    page.undo()
    rhythm.reading.metre.setValue(3)
    assert {p.beat for p in points_of(song(page))} == {1, 2, 3}
    page.undo()
    assert [p.time_s for p in points_of(song(page))] == before


@pytest.mark.slow
def test_choosing_points_moves_slots_accents_and_the_count(page: Window) -> None:
    rhythm = page.page(RhythmPage)
    pulses = len(page.project.timeline.pulses[1])
    rhythm.choosing.kind.setCurrentText("downbeats")
    rhythm.choosing.kind.activated.emit(rhythm.choosing.kind.currentIndex())
    assert all(p.beat == 1 for p in points_of(song(page)))
    assert len(page.project.timeline.pulses[1]) < pulses
    assert f"{len(points_of(song(page)))} points in use" in rhythm.foot.selection.text()


def test_every_nth_is_counted_from_the_selected_beat(page: Window) -> None:
    rhythm, point = page.page(RhythmPage), points_of(song(page))[5]
    page.project.selection.select_points({point.id})
    rhythm.choosing.kind.setCurrentText("every 4th beat")
    rhythm.choosing.kind.activated.emit(rhythm.choosing.kind.currentIndex())
    assert {p.beat for p in points_of(song(page))} == {point.beat} and point.id in {p.id for p in points_of(song(page))}


@pytest.mark.slow
def test_points_of_a_marked_stretch_are_chosen_apart(page: Window) -> None:
    rhythm = page.page(RhythmPage)
    page.project.selection.mark((8.0, 16.0))
    rhythm.choosing.where.setCurrentIndex(1)
    rhythm.choosing.kind.setCurrentText("onsets")
    rhythm.choosing.kind.activated.emit(rhythm.choosing.kind.currentIndex())
    kinds = {p.kind for p in points_of(song(page)) if 8 <= p.time_s < 16}
    assert kinds == {"onset"} and points_of(song(page))[0].kind == "downbeat"


def test_a_click_selects_a_drag_moves_and_shift_extends(page: Window, qtbot: QtBot) -> None:
    near(page, points_of(song(page))[20].time_s)
    view = page.page(RhythmPage).view
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=sign(page, 20))
    assert page.project.selection.points == {points_of(song(page))[20].id}
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, sign(page, 21))
    assert len(page.project.selection.points) == 2
    before = [p.time_s for p in page.project.selection.points_of()]
    start = sign(page, 20)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.AltModifier, start)
    QTest.mouseMove(view, start + QPoint(12, 0))
    from PySide6.QtCore import QEvent, QPointF
    from PySide6.QtGui import QMouseEvent

    moved = QPointF(start + QPoint(12, 0))
    view.mouseMoveEvent(
        QMouseEvent(
            QEvent.Type.MouseMove,
            moved,
            view.mapToGlobal(moved),
            Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.AltModifier,
        )
    )
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.AltModifier, start + QPoint(12, 0))
    after = [p.time_s for p in page.project.selection.points_of()]
    assert [b - a for a, b in zip(before, after, strict=True)] == pytest.approx([12 / 300] * 2, abs=0.002)
    page.undo()
    assert [p.time_s for p in page.project.selection.points_of()] == before


def test_a_sweep_over_the_wave_selects_and_a_click_moves_the_cursor(page: Window) -> None:
    near(page, 10.0, 100.0)
    view = page.page(RhythmPage).view
    middle = SECTIONS_H + BARS_H + HEAD_H + 40
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(200, middle))
    assert view.cursor_s == pytest.approx(view.span.time(200), abs=1e-6)
    assert page.project.playhead.frame == round((view.cursor_s - song(page).start_s) * float(page.project.reel.rate))


@pytest.mark.slow
def test_nudging_snapping_locking_and_taking_out_by_key(page: Window) -> None:
    point = points_of(song(page))[12]
    page.project.selection.select_points({point.id})
    for name, by in (("nudge_on", 0.001), ("nudge_back", 0.0), ("nudge_frame_on", 1 / 30)):
        page.commands[name].trigger()
        (now,) = page.project.selection.points_of()
        assert now.time_s == pytest.approx(point.time_s + by, abs=1e-9)
    page.commands["lock_points"].trigger()
    page.commands["nudge_on"].trigger()
    assert "locked" in page.foot.status.text()
    page.commands["lock_points"].trigger()
    page.commands["remove_clip"].trigger()
    assert point.id not in {p.id for p in points_of(song(page))} and page.project.selection.points == frozenset()
    assert len(page.project.reel.clips) > 5  # Delete took the point, not a clip


@pytest.mark.slow
def test_two_anchored_beats_refit_the_grid(page: Window) -> None:
    first, later = points_of(song(page))[4], points_of(song(page))[44]
    for point, by in ((first, 0.010), (later, 0.050)):
        page.project.selection.select_points({point.id})
        for _ in range(round(by * 1000)):
            page.points.nudge_on()
        page.points.anchor_point()
    between = next(p for p in points_of(song(page)) if p.id == "b24")
    # The first anchor shifted every beat by 10 ms, the later one stands 50 ms beyond that.
    assert between.time_s == pytest.approx((first.time_s + 0.010 + later.time_s + 0.060) / 2, abs=1e-4)
    page.points.free_anchors()
    assert next(p for p in points_of(song(page)) if p.id == "b4").time_s == first.time_s


def test_taps_become_points_on_the_attacks(page: Window, qtbot: QtBot) -> None:
    """Taps 60 ms late on every beat of two bars: offered with the lateness, placed on the beats themselves."""
    page.rhythm.tap()
    assert "Play the song" in page.foot.status.text()
    beats = [p.time_s for p in points_of(song(page))[20:28]]
    page.page(RhythmPage)
    for beat in beats:
        page.rhythm.tap_at(beat + 0.06)
    assert page.page(RhythmPage).foot.taps.text().startswith("8 taps, 6")
    assert page.page(RhythmPage).foot.for_taps[0].isVisibleTo(page.page(RhythmPage))
    page.page(RhythmPage).foot.for_taps[0].click()
    assert "in use already" in page.foot.status.text()  # every beat is a point as it is
    page.rhythm.choose(PointChoice("onsets", bands=()), False)
    for beat in beats:
        page.rhythm.tap_at(beat + 0.06)
    page.page(RhythmPage).foot.for_taps[0].click()
    placed = [p.time_s for p in points_of(song(page))]
    assert len(placed) == 8 and max(min(abs(t - b) for t in placed) for b in beats) < 0.012
    assert page.rhythm.taps == []


def test_a_tapped_tempo_reads_the_whole_song(page: Window) -> None:
    beats = [p.time_s for p in points_of(song(page))]
    page.rhythm.taps = [b + 0.04 for b in beats[16:32:2]]
    page.rhythm.take_tempo()
    assert song(page).reading.beat_source == "own"
    assert tempo_of(song(page)) == pytest.approx(64, rel=0.002)
    page.undo()
    assert [p.time_s for p in points_of(song(page))] == beats


@pytest.mark.slow
def test_clicks_loop_and_pace_play_on(page: Window, qtbot: QtBot) -> None:
    page.project.selection.mark((10.0, 10.6))
    page.rhythm.toggle_loop()
    page.rhythm.toggle_clicks()
    heard: list[float] = []
    page.transport.song_placement.connect(heard.append)
    page.play.play_pause()
    qtbot.waitUntil(
        lambda: any(b < a - 0.3 for a, b in zip(heard, heard[1:], strict=False)), timeout=WAIT
    )  # it went round
    assert all(10.0 - 0.02 <= t <= 10.6 + 0.02 for t in heard)
    page.rhythm.next_pace()
    assert page.listening.pace == 0.75 and page.player.playing
    page.play.play_pause()
    assert not page.player.playing


def test_a_point_on_the_very_first_instant_is_seen_whole(page: Window) -> None:
    view, timeline = page.page(RhythmPage).view, page.timeline
    page.project.change("placed", lambda r: edit_points.with_point(r, 0.0))
    first = page.project.timeline.points[0]
    view.show_all()
    for px_per_s in (view.span.px_per_s, 300.0):
        near(page, 0.0, px_per_s)
        seen, x = view.grab().toImage(), round(view.span.x(first.time_s))
        for side in (-1, 1):
            row = [seen.pixelColor(x + side * d, SECTIONS_H + BARS_H + HEAD_H // 2).name() for d in range(2, 7)]
            assert theme.RHYTHM in row, "to the left as to the right"
    timeline.zoom(8, 0)
    assert timeline.view.x(first.time_s) >= GUTTER + 8
    page.undo()
    QTest.mouseDClick(view, Qt.MouseButton.LeftButton, pos=QPoint(2, SECTIONS_H + BARS_H + HEAD_H + 30))
    assert page.project.timeline.points[0].time_s == 0.0, "left of the beginning is the beginning"


def test_jumping_to_a_bar_and_beat(page: Window) -> None:
    assert page.page(RhythmPage).jump_to("9.3")
    assert page.page(RhythmPage).count.text() == "9.3"
    assert page.header.place.text() == "9.3"  # the playhead is on the beat's own frame, and both counts agree
    assert not page.page(RhythmPage).jump_to("900.1")
    assert "no beat '900.1'" in page.foot.status.text()


def test_points_go_to_a_file_and_come_back(page: Window, tmp_path: Path) -> None:
    before = [(round(p.time_s, 5), p.bar, p.beat) for p in points_of(song(page))]
    page.points.write_points_to(tmp_path / "p.mid")
    page.rhythm.half_tempo()
    page.points.read_points_from(tmp_path / "p.mid")
    assert [(round(p.time_s, 5), p.bar, p.beat) for p in points_of(song(page))] == [
        (pytest.approx(t, abs=2e-5), bar, beat) for t, bar, beat in before
    ]
    (tmp_path / "bad.csv").write_text("time_s\nsoon\n")
    page.points.read_points_from(tmp_path / "bad.csv")
    assert "row 2: 'soon'" in page.foot.status.text() and len(points_of(song(page))) == len(before)


def test_a_suggested_stretch_fades_and_gain_are_kept(page: Window, tmp_path: Path, qtbot: QtBot) -> None:
    page.song_strip.show_panel()
    panel = page.song_strip.panel
    panel.fade_out.setValue(1.5)
    panel.gain.setValue(-6.0)
    assert (song(page).fade_out_s, song(page).gain_db) == (1.5, -6.0)
    page.project.save(tmp_path / "r.tempik")
    kept = load_reel(tmp_path / "r.tempik").soundtrack
    assert kept is not None and (kept.fade_out_s, kept.gain_db) == (1.5, -6.0)
    panel.hide()


def test_a_hand_edit_outlives_another_choice_in_the_window(page: Window) -> None:
    point = points_of(song(page))[9]
    page.project.selection.select_points({point.id})
    page.points.set_strength(0.33)
    page.rhythm.choose(PointChoice("downbeats"), False)
    page.rhythm.choose(PointChoice(), False)
    assert next(p for p in points_of(song(page)) if p.id == point.id).strength == pytest.approx(0.33)


def test_one_key_steps_through_the_readings_with_the_clicks_on_and_round_to_where_it_was(page: Window) -> None:
    before = page.project.reel
    count = len(page.page(RhythmPage).strip.readings())
    assert count > 1
    tempi = []
    for _ in range(count):
        page.commands["next_reading"].trigger()
        tempi.append(round(tempo_of(song(page)), 2))
        assert page.listening.clicks and page.page(RhythmPage).strip.isVisible()
    assert (song(page).reading.rival == 0 and len({*tempi}) > 1) or count == 2
    # All the way round, every tie is back where it was.
    assert page.project.reel == before
    page.undo()
    assert song(page).reading.rival == count - 1


def test_a_click_on_a_reading_over_the_wave_takes_it_and_the_cuts_follow(page: Window, qtbot: QtBot) -> None:
    rhythm = page.page(RhythmPage)
    rhythm.readings.click()
    qtbot.waitUntil(rhythm.strip.isVisible, timeout=WAIT)
    QTest.mouseClick(rhythm.strip, Qt.MouseButton.LeftButton, pos=QPoint(60, ROW_H + ROW_H // 2))
    assert song(page).reading.rival == 1
    times = {p.time_s for p in points_of(song(page))}
    for clip in page.project.reel.clips:
        point = page.project.timeline.point(clip.start.point)
        assert point is None or point.time_s in times
    page.undo()
    assert song(page).reading.rival == 0


def test_one_key_steps_through_the_ways_to_count_bars_and_a_click_takes_one(page: Window, qtbot: QtBot) -> None:
    rhythm = page.page(RhythmPage)
    before = song(page)
    times = [p.time_s for p in points_of(before)]
    count = len(bars_of(before))
    assert count >= 3 and "next_bars" in page.commands
    firsts = set()
    for number in range(1, count):
        QTest.keyClick(page, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
        assert bars_in_use(song(page)) == number and page.listening.clicks and rhythm.strip.isVisible()
        assert [p.time_s for p in points_of(song(page))] == times
        firsts.add(tuple(p.time_s for p in points_of(song(page)) if p.beat == 1)[:2])
    assert len(firsts) == count - 1
    QTest.keyClick(page, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    assert song(page) == before
    readings = len(rhythm.strip.readings())
    QTest.mouseClick(rhythm.strip, Qt.MouseButton.LeftButton, pos=QPoint(60, (readings + 1) * ROW_H + ROW_H // 2))
    assert bars_in_use(song(page)) == 1
    page.commands["undo"].trigger()
    assert song(page) == before


def test_a_song_that_is_not_sure_opens_the_rhythm_page_with_its_readings(page: Window) -> None:
    page.commands["show_speed"].trigger()
    heard = song(page).heard
    assert heard is not None
    unsure = msgspec.structs.replace(heard, confidence=0.4)
    page.project.change("heard", lambda reel: heard_anew(reel, unsure))
    page.importer.unsure.emit()
    assert page.page_panel.current is page.page(RhythmPage) and page.page(RhythmPage).strip.isVisible()
    assert "unsure 40 %" in page.page(RhythmPage).tempo.text()


def test_the_song_can_be_heard_anew_and_keeps_what_was_named(page: Window, qtbot: QtBot) -> None:
    first = points_of(song(page))[4]
    page.project.change("named", lambda reel: edit_points.with_name(reel, first.id, "hammer"))
    older = msgspec.structs.replace(song(page).heard, beats=song(page).heard.beats[::2], rivals=())  # type: ignore[union-attr, type-var]
    page.project.change("older", lambda reel: heard_anew(reel, older))
    with qtbot.waitSignal(page.project.changed, timeout=60000):
        page.commands["hear_anew"].trigger()
    assert tempo_of(song(page)) == pytest.approx(128, abs=0.1)
    assert [p.time_s for p in points_of(song(page)) if p.name == "hammer"] == [pytest.approx(first.time_s, abs=0.005)]


def test_making_the_page_leaves_the_playhead_where_it_is(opened: Window) -> None:
    """It is made ahead while nothing is touched: some seconds after a start the playhead had gone back to the first frame."""
    opened.project.playhead.go(100)
    opened.page_panel.page(RhythmPage)
    assert opened.project.playhead.frame == 100
    opened.page(RhythmPage).refill()
    assert opened.project.playhead.frame == 100
