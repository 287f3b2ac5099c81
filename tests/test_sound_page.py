"""Sounds in the window: the shelf, lanes and tracks on the timeline, the mixer, playing, the song's arrangement."""

import time
from pathlib import Path
from types import SimpleNamespace
from typing import ClassVar

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QByteArray, QEvent, QIODevice, QObject, QPoint, QPointF, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QMouseEvent
from PySide6.QtMultimedia import QAudioFormat
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from media_files import beat_song, numbered, write_sound, write_video
from tempik.desktop.commands.sound_menus import channel_menu, clip_sound_menu, sound_clip_menu, sound_menu
from tempik.desktop.pages.sound.page import SoundPage
from tempik.desktop.playback import player as player_module
from tempik.desktop.playback import sampler as sampler_module
from tempik.desktop.shell.window import Window
from tempik.edit.song.arranging import with_whole_song
from tempik.edit.speed.speed import with_clip_sound
from tempik.reel import ClipSound, Rule
from tempik.render.mastering import BLOCK
from tempik.render.mixdown import Mixdown
from tempik.sounds.loudness import RATE
from tempik.sounds.shelf import SHELF
from tempik.timeline.sound_triggers import evaluated_sound_lanes, laid_sounds
from test_gestures import NONE, send

WAIT = 30_000
CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)


@pytest.fixture
def page(opened: Window, qtbot: QtBot) -> SoundPage:
    """The Sound page of the small reel, every outline made."""
    opened.resize(1280, 900)
    opened.open_page(SoundPage)
    page = opened.page(SoundPage)
    qtbot.waitUntil(lambda: all(opened.shapes.of(opened.project.reel, n) is not None for n in SHELF), timeout=WAIT)
    return page


def lanes(window: Window) -> list[str]:
    return [s for r in window.project.reel.sound_lanes for s in r.sounds]


def lane(window: Window, key: str, x: float, share: float = 0.5) -> QPointF:
    layout = window.timeline.layout_
    return QPointF(x, layout.top(key) + share * layout.height_of(key))


def at(window: Window, seconds: float) -> float:
    return window.timeline.view.x(seconds)


def drag(window: Window, a: QPointF, b: QPointF, keys: Qt.KeyboardModifier = NONE) -> str:
    send(window, QEvent.Type.MouseButtonPress, a, keys)
    for share in (0.3, 0.7, 1.0):
        send(window, QEvent.Type.MouseMove, a + (b - a) * share, keys)
    text = window.timeline._drag_text
    send(window, QEvent.Type.MouseButtonRelease, b, keys, button=False)
    return text


def test_a_click_on_a_sound_lays_it_on_every_cut(opened: Window, page: SoundPage) -> None:
    tiles = page.shelf.tiles
    number = tiles.items.index("whoosh")
    QTest.mouseClick(tiles, Qt.MouseButton.LeftButton, pos=tiles.box(number).center().toPoint())
    (lane,) = opened.project.reel.sound_lanes
    assert lane.sounds == ("whoosh",) and lane.rule.of == "cuts"
    assert opened.project.selection.channel == lane.id
    assert page.chosen.title.text() == "Whoosh" and "triggers" in page.chosen.message.text()
    assert "n1" in page.mixer.channels and tiles.chosen == ("whoosh",)
    opened.undo()
    assert opened.project.reel.sound_lanes == () and "n1" not in page.mixer.channels


@pytest.mark.slow
def test_the_shelf_is_searched_by_what_sounds_are(page: SoundPage) -> None:
    page.shelf.wanted.setText("metal hit")
    assert "anvil" in page.shelf.tiles.items and "whoosh" not in page.shelf.tiles.items
    page.shelf.wanted.setText("")
    assert len(page.shelf.tiles.items) == len(SHELF)


def test_pointing_at_a_sound_says_what_it_is_and_plays_it(
    opened: Window, page: SoundPage, qtbot: QtBot, devices: SimpleNamespace
) -> None:
    page.shelf._point_at("anvil")
    assert "hammer on an anvil" in page.shelf.chooser.does.text() or page.shelf.chooser.does.text().startswith("Anvil")
    qtbot.waitUntil(lambda: opened.sounds.sampler.playing == "anvil", timeout=WAIT)
    assert any(FakeSink.made[-1].heard), "it is the sound, not silence, that the device gets"
    page.shelf._point_at(None)
    assert opened.sounds.sampler.playing == ""


def test_without_a_device_pointing_at_a_sound_plays_nothing(
    opened: Window, page: SoundPage, qtbot: QtBot, devices: SimpleNamespace
) -> None:
    devices.device = FakeDevice("")
    page.shelf._point_at("anvil")
    qtbot.waitUntil(lambda: not opened.sounds.sampler._rest.isActive() and not opened.worker.jobs, timeout=WAIT)
    assert opened.sounds.sampler.playing == "" and FakeSink.made == []


@pytest.mark.slow
def test_a_sounds_menu_offers_every_place(opened: Window, page: SoundPage) -> None:
    menu = sound_menu(opened.sounds, "tick", page)
    texts = [a.text() for a in menu.actions()]
    assert "A lane on drops" in texts and "Lay it at the playhead" in texts
    next(a for a in menu.actions() if a.text() == "A lane on the first beat of the bar").trigger()
    assert opened.project.reel.sound_lanes[0].rule == Rule("bars", beats=(1,))
    more = sound_menu(opened.sounds, "tock", page)
    next(a for a in more.actions() if a.text().startswith("One more")).trigger()
    assert opened.project.reel.sound_lanes[0].sounds == ("tick", "tock")
    next(a for a in sound_menu(opened.sounds, "wood", page).actions() if a.text().startswith("Use it")).trigger()
    assert opened.project.reel.sound_lanes[0].sounds == ("wood",)


@pytest.mark.slow
def test_steps_of_a_sound_row_are_painted_on_the_timeline(opened: Window, page: SoundPage) -> None:
    opened.sounds.add_lane("tick", Rule("hand"))
    points = opened.project.timeline.on_reel()
    x = at(opened, opened.project.timeline.reel_s(points[4]))
    spot = lane(opened, "sound 0", x + 1)
    drag(opened, spot, spot)
    (found,) = evaluated_sound_lanes(opened.project.timeline)
    assert [s.point.id for s in found.triggers if s.point] == [points[4].id]
    text = drag(opened, spot, spot - QPointF(0, 30))
    assert text.startswith("strength") and evaluated_sound_lanes(opened.project.timeline)[0].triggers[0].gain > 1.2
    drag(opened, spot, lane(opened, "sound 0", at(opened, opened.project.timeline.reel_s(points[7])) + 1))
    assert len(evaluated_sound_lanes(opened.project.timeline)[0].triggers) != 1
    before = len(evaluated_sound_lanes(opened.project.timeline)[0].triggers)
    opened.project.playhead.go(opened.project.timeline.frame_of_point(points[10]))
    opened.commands["toggle_trigger_here"].trigger()
    assert len(evaluated_sound_lanes(opened.project.timeline)[0].triggers) == before + 1


@pytest.mark.slow
def test_the_name_of_a_row_is_dragged_for_its_gain(opened: Window, page: SoundPage) -> None:
    opened.sounds.add_lane("tick")
    text = drag(opened, lane(opened, "sound 0", 30), lane(opened, "sound 0", 6))
    assert text == "gain -6.0 dB" and opened.project.reel.sound_lanes[0].gain_db == -6.0
    opened.undo()
    assert opened.project.reel.sound_lanes[0].gain_db == 0.0


@pytest.mark.slow
def test_a_rows_hit_is_dragged_on_its_wave_as_one_step(opened: Window, page: SoundPage, qtbot: QtBot) -> None:
    opened.sounds.add_lane("whoosh")
    wave, steps = page.chosen.wave, len(opened.project.history.steps)
    middle = QPoint(wave.width() // 2, wave.height() // 2)
    QTest.mousePress(wave, Qt.MouseButton.LeftButton, pos=middle)
    for x in (10, 20, 30):
        QTest.mouseMove(wave, middle + QPoint(x, 0))
    QTest.mouseRelease(wave, Qt.MouseButton.LeftButton, pos=middle + QPoint(30, 0))
    assert "whoosh" in opened.project.reel.hits and len(opened.project.history.steps) == steps + 1
    was = opened.project.reel.hits["whoosh"]
    wave.setFocus()
    QTest.keyClick(wave, Qt.Key.Key_Right)
    assert opened.project.reel.hits["whoosh"] == pytest.approx(was + 0.001)
    QTest.mouseDClick(wave, Qt.MouseButton.LeftButton, pos=middle)
    assert opened.project.reel.hits == {}


@pytest.mark.slow
def test_fields_of_a_row_change_it(opened: Window, page: SoundPage) -> None:
    opened.sounds.add_lane("riser", Rule("bars", beats=(1,)))
    spin = page.chosen.lane_form["vary_pitch"]
    spin.setValue(3)
    spin = page.chosen.lane_form["fade_in_s"]
    spin.setValue(120)
    page.chosen.beats.setCurrentIndex(2)
    page.chosen.beats.activated.emit(2)
    (lane,) = opened.project.reel.sound_lanes
    assert (lane.vary_pitch, lane.fade_in_s, lane.beats) == (3.0, 0.12, 1.0)
    page.chosen.rule.of.setCurrentIndex(0)
    page.chosen.rule.of.activated.emit(0)
    page.chosen.rule.every.setValue(4)
    assert opened.project.reel.sound_lanes[0].rule == replace(lane.rule, of="points", every=4)
    seed = opened.project.reel.sound_lanes[0].seed
    page.chosen.again.click()
    assert opened.project.reel.sound_lanes[0].seed == seed + 1


@pytest.mark.slow
def test_a_row_can_follow_the_pulses_of_an_accent_row(opened: Window, page: SoundPage) -> None:
    opened.sounds.add_lane("tick")
    of = page.chosen.rule.of
    number = next(n for n in range(of.count()) if of.itemText(n).startswith("pulses of"))
    of.setCurrentIndex(number)
    of.activated.emit(number)
    lane = opened.project.reel.sound_lanes[0]
    assert lane.rule.of == "pulses" and lane.rule.lane == opened.project.reel.accent_lanes[0].id
    assert of.currentIndex() == number


@pytest.mark.slow
def test_a_sound_laid_at_the_playhead_is_on_the_point_there(opened: Window, page: SoundPage) -> None:
    timeline = opened.project.timeline
    point = timeline.on_reel()[6]
    opened.project.playhead.go(timeline.frame_of_point(point))
    opened.sounds.lay_here("anvil")
    (laid,) = laid_sounds(opened.project.timeline)
    assert laid.point is not None and laid.point.id == point.id
    assert page.chosen.stack.currentIndex() == 2 and page.chosen.message.text() == f"· hit on {point.label}"
    page.chosen.clip_form["loop"].click()
    page.chosen.clip_form["backward"].click()
    spin = page.chosen.clip_form["gain_db"]
    spin.setValue(-4)
    clip = opened.project.reel.sound_clips[0]
    assert clip.loop and clip.backward and clip.gain_db == -4


@pytest.mark.slow
def test_sound_clips_are_dragged_onto_points_trimmed_faded_and_slipped(opened: Window, page: SoundPage) -> None:
    opened.sounds.lay_here("room")
    timeline = opened.project.timeline
    (laid,) = laid_sounds(timeline)
    points = timeline.on_reel()
    wanted = points[5]
    grip = lane(opened, "sounds 0", at(opened, laid.begin_s) + 60, 0.8)
    by = at(opened, timeline.reel_s(wanted)) - at(opened, laid.hit_s or laid.begin_s)
    text = drag(opened, grip, grip + QPointF(by + 4, 0))
    assert text == f"hit on {wanted.label}" and opened.project.reel.sound_clips[0].at.point == wanted.id
    (laid,) = laid_sounds(opened.project.timeline)
    free = drag(opened, grip + QPointF(by, 0), grip + QPointF(by + 21, 0), ALT)
    assert "hit at" in free and opened.project.reel.sound_clips[0].at.point is None
    (laid,) = laid_sounds(opened.project.timeline)
    end = lane(opened, "sounds 0", at(opened, laid.end_s) - 2, 0.9)
    drag(opened, end, end - QPointF(50, 0), ALT)
    (after,) = laid_sounds(opened.project.timeline)
    assert after.end_s < laid.end_s - 0.1 and after.begin_s == pytest.approx(laid.begin_s)
    corner = lane(opened, "sounds 0", at(opened, after.begin_s) + 8, 0.1)
    drag(opened, corner, corner + QPointF(40, 0))
    assert opened.project.reel.sound_clips[0].fade_in_s > 0.1
    middle = lane(opened, "sounds 0", (at(opened, after.begin_s) + at(opened, after.end_s)) / 2, 0.8)
    drag(opened, middle, middle - QPointF(30, 0), CTRL)
    assert opened.project.reel.sound_clips[0].from_s > 0.05
    drag(opened, middle, middle - QPointF(0, 24), SHIFT)
    assert opened.project.reel.sound_clips[0].gain_db == 6.0
    opened.project.playhead.go(round((after.begin_s + 0.5) * 30))
    opened.commands["split"].trigger()
    assert len(opened.project.reel.sound_clips) == 2
    opened.commands["land_clip"].trigger()
    cut = opened.project.reel.clips
    opened.commands["remove_clip"].trigger()
    assert len(opened.project.reel.sound_clips) == 1 and opened.project.reel.clips == cut
    opened.project.selection.select_sound_clip(opened.project.reel.sound_clips[0].id)
    opened.project.selection.select_clip(cut[0].id)
    opened.commands["remove_clip"].trigger()
    assert len(opened.project.reel.sound_clips) == 1 and len(opened.project.reel.clips) == len(cut) - 1


@pytest.mark.slow
def test_menus_of_rows_tracks_and_clips(opened: Window, page: SoundPage) -> None:
    opened.sounds.add_lane("tick")
    opened.commands["add_sound_track"].trigger()
    track = opened.project.reel.sound_tracks[0].id
    menu = channel_menu(opened.sounds, "n1", opened)
    next(a for a in menu.actions() if a.text() == "the song ducks under it").trigger()
    assert opened.project.reel.sound_lanes[0].ducks
    next(a for a in channel_menu(opened.sounds, track, opened).actions() if a.text() == "Lock").trigger()
    assert opened.project.reel.sound_tracks[0].locked
    next(a for a in channel_menu(opened.sounds, track, opened).actions() if a.text() == "Remove track").trigger()
    assert opened.project.reel.sound_tracks == ()
    opened.sounds.lay_here("anvil")
    menu = sound_clip_menu(opened.sounds, "x1", opened)
    next(a for a in menu.actions() if a.text() == "backward").trigger()
    assert opened.project.reel.sound_clips[0].backward
    next(a for a in channel_menu(opened.sounds, "n1", opened).actions() if a.text() == "Remove lane").trigger()
    assert opened.project.reel.sound_lanes == ()


# The mixer


@pytest.mark.slow
def test_a_channels_gain_is_dragged_as_one_step(opened: Window, page: SoundPage) -> None:
    bar, steps = page.mixer.channels["song"].bar, len(opened.project.history.steps)
    y = bar.height() // 2
    QTest.mousePress(bar, Qt.MouseButton.LeftButton, pos=QPoint(bar.width() - 20, y))
    for x in (40, 60, 80):
        QTest.mouseMove(bar, QPoint(bar.width() - x, y))
    QTest.mouseRelease(bar, Qt.MouseButton.LeftButton, pos=QPoint(bar.width() - 80, y))
    assert opened.project.reel.mix.song.gain_db < -5 and len(opened.project.history.steps) == steps + 1
    QTest.mouseDClick(bar, Qt.MouseButton.LeftButton, pos=QPoint(30, y))
    assert opened.project.reel.mix.song.gain_db == 0.0
    page.mixer.channels["clips"].gain.setValue(-3.5)
    page.mixer.channels["song"].pan.setValue(-40)
    page.mixer.channels["song"].form["muted"].click()
    assert opened.project.reel.mix.clips.gain_db == -3.5
    assert opened.project.reel.mix.song.pan == -0.4 and opened.project.reel.mix.song.muted


def test_loudness_ceiling_and_ducking_are_set(opened: Window, page: SoundPage) -> None:
    mixer = page.mixer
    mixer.loud.click()
    mixer.kept.click()
    assert (opened.project.reel.mix.loudness, opened.project.reel.mix.ceiling_db) == (None, None)
    assert not mixer.loudness.isEnabled()
    mixer.loud.click()
    mixer.kept.click()
    assert (opened.project.reel.mix.loudness, opened.project.reel.mix.ceiling_db) == (-14.0, -1.0)
    mixer.loudness.setValue(-16)
    mixer.duck["depth_db"].setValue(12)
    assert opened.project.reel.mix.loudness == -16 and opened.project.reel.mix.ducking.depth_db == 12
    mixer.loud.click()
    assert opened.project.reel.mix.loudness is None


@pytest.mark.film
def test_what_plays_is_what_is_exported_and_levels_move(opened: Window, page: SoundPage, qtbot: QtBot) -> None:
    opened.sounds.add_lane("impact", Rule(every=2))
    qtbot.waitUntil(lambda: opened.reel_sound.ready, timeout=WAIT)
    whole = opened.reel_sound.mixdown(made_only=False)
    gain = whole.gain()
    assert opened.reel_sound.gain == pytest.approx(gain)
    track = opened.listening.reel_track(2.0)
    first = 4 * BLOCK
    meant = np.asarray(np.clip(whole.block(4, gain), -1, 1) * 32767, np.int16)
    assert np.array_equal(track.samples[first : first + BLOCK], meant)
    opened.play.play_pause()
    qtbot.waitUntil(lambda: page.mixer.channels["song"].bar._level_db > -60, timeout=WAIT)
    qtbot.waitUntil(lambda: page.mixer.heard.text() != "", timeout=WAIT)
    opened.play.play_pause()


@pytest.mark.slow
def test_the_sounds_alone_are_heard_when_asked(opened: Window, page: SoundPage, qtbot: QtBot) -> None:
    opened.sounds.add_lane("impact", Rule(every=2))
    qtbot.waitUntil(lambda: opened.reel_sound.ready, timeout=WAIT)
    page.mixer.alone.click()
    assert opened.reel_sound.design_alone and "song" not in {
        k for k, v in opened.reel_sound.mixdown().channels(0, RATE).items() if v.any()
    }
    opened.commands["hear_design"].trigger()
    assert not opened.reel_sound.design_alone and not page.mixer.alone.isChecked()


@pytest.mark.slow
def test_a_change_while_playing_is_heard_at_once(opened: Window, page: SoundPage, qtbot: QtBot) -> None:
    opened.play.play_pause()
    opened.sounds.add_lane("tick", Rule())
    qtbot.waitUntil(lambda: opened.reel_sound.ready, timeout=WAIT)
    assert opened.player.playing
    playing = opened.reel_sound.playing
    assert playing is not None and any(p.channel == "n1" for p in playing.pieces)
    opened.play.play_pause()


@pytest.mark.film
def test_a_change_is_measured_once_and_a_song_that_nothing_is_cut_on_when_it_is_heard(
    opened: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    measured: list[int] = []
    whole = Mixdown.gain
    monkeypatch.setattr(Mixdown, "gain", lambda mixdown: (measured.append(1), whole(mixdown))[1])
    sound = opened.reel_sound
    qtbot.waitUntil(lambda: sound.ready, timeout=WAIT)
    measured.clear()
    opened.project.change("Gain", lambda reel: replace(reel, soundtrack=replace(reel.soundtrack, gain_db=-3.0)))
    qtbot.waitUntil(lambda: sound.ready, timeout=WAIT)
    qtbot.wait(1000)
    assert sound.ready and measured == [1]
    measured.clear()
    opened.project.change(
        "Bare", lambda reel: replace(reel, clips=(), soundtrack=replace(reel.soundtrack, gain_db=-6.0))
    )
    qtbot.wait(1000)
    assert measured == [] and not sound.ready
    opened.play.play_pause()
    qtbot.waitUntil(lambda: sound.ready, timeout=WAIT)
    opened.play.play_pause()
    assert measured == [1] and sound.gain == pytest.approx(whole(sound.mixdown(made_only=False)))


# Files


@pytest.mark.slow
def test_own_files_join_the_shelf_and_missing_ones_are_found(
    opened: Window, page: SoundPage, qtbot: QtBot, tmp_path: Path
) -> None:
    path = write_sound(tmp_path / "my knock.wav", beat_song(120, 1)[0][: RATE * 2])
    broken = tmp_path / "broken.wav"
    broken.write_bytes(b"RIFF nothing")
    opened.sounds.bring([str(path), str(broken)])
    qtbot.waitUntil(lambda: len(opened.project.reel.sounds) == 1, timeout=WAIT)
    assert page.shelf.tiles.items[0] == "s1"
    qtbot.waitUntil(lambda: "broken.wav" in opened.foot.status.text(), timeout=WAIT)
    opened.sounds.add_lane("s1", Rule(every=4))
    assert page.chosen.title.text() == "my knock"
    path.rename(tmp_path / "moved.wav")
    opened.watch.check()
    qtbot.waitUntil(lambda: str(path) in opened.watch.missing, timeout=WAIT)
    assert opened.foot.find_missing.isVisible()


# Clips' own sound on the timeline


@pytest.mark.film
def test_a_clips_wave_is_dragged_for_gain_fades_and_its_own_edge(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    samples, _ = beat_song(120, 3)
    path = write_video(tmp_path / "loud.mp4", numbered(180, 320), 200, 30, sound=samples[: 6 * RATE])
    opened.importer.add_footage([str(path)])
    qtbot.waitUntil(lambda: any(f.path == str(path) for f in opened.project.reel.footage), timeout=WAIT)
    loud = opened.project.reel.footage[-1].id
    names = [p.clip.id for p in opened.project.timeline.placed[:3]]

    def heard(reel):  # type: ignore[no-untyped-def]
        clips = tuple(replace(c, footage=loud, pins=()) if c.id in names else c for c in reel.clips)
        return with_clip_sound(replace(reel, clips=clips), names, ClipSound(on=True))

    opened.project.change("loud", heard)
    opened.resize(1280, 1100)
    qtbot.wait(50)
    layout, timeline = opened.timeline.layout_, opened.project.timeline
    assert layout.picture_h() > 96
    placed = timeline.placed_clip(names[1])
    assert placed is not None
    y = layout.picture_top(0) + layout.picture_h() - 26 - 13.0
    left, right = at(opened, placed.first / 30), at(opened, placed.end / 30)
    middle = QPointF((left + right) / 2, y)
    assert drag(opened, middle, middle - QPointF(0, 20)) == "gain +6.0 dB"
    fade = QPointF(left + 9, y)
    drag(opened, fade, fade + QPointF(24, 0))
    edge = QPointF(left + 2, y)
    text = drag(opened, edge, edge - QPointF(30, 0))
    assert text.startswith("sound leads its picture by")
    after = opened.project.timeline.placed_clip(names[1])
    before = opened.project.timeline.placed_clip(names[0])
    assert after is not None and before is not None
    assert after.clip.sound.gain_db == 6.0 and after.clip.sound.fade_in_s > 0.05
    assert after.clip.sound.lead_s > 0.2 and before.clip.sound.trail_s == pytest.approx(-after.clip.sound.lead_s)
    assert (after.first, after.end) == (placed.first, placed.end)  # the picture's cut stays
    far = QPointF(right - 2, y)
    assert drag(opened, far, far - QPointF(35, 0), SHIFT) == "crossfade 40 ms"  # 5 ms as the reel's, and 35 pixels
    assert opened.project.timeline.placed_clip(names[1]).clip.sound.crossfade_ms == 40.0  # type: ignore[union-attr]
    menu = clip_sound_menu(opened.sounds, names[1], opened)
    next(a for a in menu.actions() if a.text() == "pitch follows the speed").trigger()
    lengths = next(a.menu() for a in menu.actions() if a.text() == "crossfade")
    assert isinstance(lengths, QMenu)
    next(a for a in lengths.actions() if a.text() == "20 ms").trigger()
    sound = opened.project.timeline.placed_clip(names[1]).clip.sound  # type: ignore[union-attr]
    assert (sound.pitch, sound.crossfade_ms) == ("follows", 20.0)
    for _ in range(6):
        opened.undo()
    assert opened.project.timeline.placed_clip(names[1]).clip.sound == ClipSound(on=True)  # type: ignore[union-attr]


# The song's arrangement


def channel_event(window: Window, kind: QEvent.Type, x: float, keys: Qt.KeyboardModifier) -> None:
    channel = window.song_strip
    pos = QPointF(x, channel.height() / 2)
    event = QMouseEvent(
        kind,
        pos,
        QPointF(channel.mapToGlobal(pos.toPoint())),
        Qt.MouseButton.LeftButton,
        Qt.MouseButton.LeftButton,
        keys,
    )
    QApplication.sendEvent(channel, event)


def test_bars_are_marked_on_the_strip_and_left_out(opened: Window, qtbot: QtBot) -> None:
    channel, before = opened.song_strip, opened.project.reel
    a, b = channel._x(2.7), channel._x(4.3)
    channel_event(opened, QEvent.Type.MouseButtonPress, a, CTRL)
    channel_event(opened, QEvent.Type.MouseMove, b, CTRL)
    channel_event(opened, QEvent.Type.MouseButtonRelease, b, CTRL)
    marked = opened.project.selection.marked
    assert marked is not None and marked[1] - marked[0] == pytest.approx(2.0, abs=0.01)
    assert opened.project.reel is before
    opened.commands["drop_bars"].trigger()
    song = opened.project.reel.soundtrack
    assert song is not None and len(song.pieces) == 2 and opened.project.selection.marked is None
    qtbot.waitUntil(lambda: opened.song.sound is not None, timeout=WAIT)
    assert opened.song.sound is not None and opened.song.sound.length_s == pytest.approx(song.length_s, abs=0.01)
    opened.undo()
    assert opened.project.reel == before
    qtbot.waitUntil(lambda: opened.song.sound is not None, timeout=WAIT)
    opened.project.redo()
    opened.commands["whole_song"].trigger()
    assert opened.project.reel.soundtrack.pieces == ()  # type: ignore[union-attr]


def test_marked_bars_again_and_moved(opened: Window) -> None:
    opened.project.selection.mark((2.5, 4.5))
    opened.commands["bars_again"].trigger()
    assert opened.project.reel.length_s == pytest.approx(12.0, abs=0.01)
    opened.project.selection.mark((2.5, 4.5))
    opened.project.playhead.go(round(8.5 * 30))
    opened.commands["move_bars"].trigger()
    assert len(opened.project.reel.soundtrack.pieces) >= 3  # type: ignore[union-attr]
    opened.commands["drop_bars"].trigger()
    assert "Mark bars first" in opened.foot.status.text()


def test_the_panel_offers_ways_to_listen_to_and_to_take(opened: Window, qtbot: QtBot) -> None:
    opened.commands["ask_length"].trigger()
    panel = opened.song_strip.panel
    assert panel.isVisible()
    panel.wanted.setValue(11)
    panel.finder.click()
    qtbot.waitUntil(panel.finder.isEnabled, timeout=WAIT)
    assert panel.song_edits.count() >= 1
    line = panel.song_edits.itemAt(0).widget().layout()
    line.itemAt(0).widget().click()  # listening
    assert opened.project.reel.soundtrack.pieces == ()  # type: ignore[union-attr]
    line.itemAt(1).widget().click()
    assert not panel.isVisible() and opened.project.reel.soundtrack.pieces  # type: ignore[union-attr]
    assert opened.project.reel.length_s == pytest.approx(11, abs=1.01)
    assert with_whole_song(opened.project.reel).soundtrack.pieces == ()  # type: ignore[union-attr]


def test_the_strips_menu_offers_what_can_be_done(opened: Window) -> None:
    menu = opened.arrange.menu(opened)
    enabled = {a.text(): a.isEnabled() for a in menu.actions() if a.text()}
    assert not enabled["Leave the marked bars out"] and enabled["Make the song so long …"]
    assert not enabled["The whole song again"]
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, QPoint(20, 20), QPoint(20, 20))
    QApplication.sendEvent(opened.song_strip, event)
    popup = QApplication.activePopupWidget()
    if popup is not None:
        popup.close()


# Sound devices


class FakeDevice:
    """A sound device as Qt has it."""

    def __init__(self, name: str, rates: tuple[int, ...] = (48000,)) -> None:
        self.name, self.rates = name, rates

    def isNull(self) -> bool:
        return not self.name

    def id(self) -> QByteArray:
        return QByteArray(self.name.encode())

    def isFormatSupported(self, form: QAudioFormat) -> bool:
        return form.sampleRate() in self.rates

    def preferredFormat(self) -> QAudioFormat:
        form = QAudioFormat()
        form.setSampleRate(self.rates[0])
        return form


class FakeSink(QObject):
    """What plays: it takes sound as fast as time goes, and breaks when told to."""

    stateChanged = Signal(object)
    made: ClassVar[list["FakeSink"]] = []

    def __init__(self, device: FakeDevice, form: QAudioFormat, parent: QObject) -> None:
        super().__init__(parent)
        self.device, self.form, self.fault = device, form, 0
        self.began, self.feed = time.monotonic(), None
        self.heard = b""
        FakeSink.made.append(self)

    def setBufferSize(self, size: int) -> None:
        pass

    def error(self) -> SimpleNamespace:
        return SimpleNamespace(value=self.fault)

    def start(self, feed: QIODevice) -> None:
        self.heard = bytes(feed.readData(4 * 4000))

    def stop(self) -> None:
        self.stateChanged.emit(None)

    def processedUSecs(self) -> int:
        return round((time.monotonic() - self.began) * 1e6)


@pytest.fixture
def devices(monkeypatch: pytest.MonkeyPatch) -> SimpleNamespace:
    """The devices that there are, to be changed by a test."""
    now = SimpleNamespace(device=FakeDevice("one"))
    FakeSink.made.clear()
    for module in (player_module, sampler_module):
        monkeypatch.setattr(module, "QAudioSink", FakeSink)
    monkeypatch.setattr(player_module.QMediaDevices, "defaultAudioOutput", staticmethod(lambda: now.device))  # type: ignore[attr-defined]
    return now


@pytest.mark.slow
def test_a_device_that_disappears_and_comes_back_while_playing(
    opened: Window, devices: SimpleNamespace, qtbot: QtBot
) -> None:
    player = opened.player
    player._device = None
    opened.play.play_pause()
    qtbot.waitUntil(lambda: player.position_s() > 0.3, timeout=WAIT)
    devices.device = FakeDevice("")
    player._devices_changed()
    assert player.playing and player._sink is None
    assert "goes on without sound" in opened.foot.status.text()
    gone = player.position_s()
    qtbot.waitUntil(lambda: player.position_s() > gone + 0.2, timeout=WAIT)  # time goes on
    devices.device = FakeDevice("two")
    player._devices_changed()
    back = player.position_s()
    assert player.playing and FakeSink.made[-1].device.name == "two" and back >= gone
    track = player._track
    first = track.sample_at(back)
    found = np.frombuffer(FakeSink.made[-1].heard, np.int16).reshape(-1, 2)
    assert any(np.array_equal(found, track.samples[a : a + len(found)]) for a in range(first - 4800, first + 4800))
    qtbot.waitUntil(lambda: player.position_s() > back + 0.1, timeout=WAIT)
    opened.play.play_pause()


def test_a_device_that_fails_while_playing_is_let_go(opened: Window, devices: SimpleNamespace, qtbot: QtBot) -> None:
    player = opened.player
    player._device = None
    opened.play.play_pause()
    qtbot.waitUntil(lambda: player.position_s() > 0.1, timeout=WAIT)
    sink = FakeSink.made[-1]
    sink.fault = 2
    sink.stateChanged.emit(None)
    assert player.playing and player._sink is None
    was = player.position_s()
    qtbot.waitUntil(lambda: player.position_s() > was + 0.1, timeout=WAIT)
    opened.play.play_pause()


def test_a_device_of_another_rate_gets_the_sound_at_its_own(opened: Window, devices: SimpleNamespace) -> None:
    devices.device = FakeDevice("three", (44100,))
    opened.player._device = None
    opened.play.play_pause()
    sink = FakeSink.made[-1]
    assert sink.form.sampleRate() == 44100
    found = np.frombuffer(sink.heard, np.int16).reshape(-1, 2).astype(float)
    track = opened.player._track.samples[: round(len(found) * 48000 / 44100) + 400].astype(float)
    a, b = np.square(found).mean(), np.square(track).mean()
    assert a == pytest.approx(b, rel=0.2, abs=50.0)
    opened.play.play_pause()
