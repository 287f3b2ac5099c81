"""Every command, asked for as a key or a menu asks: it does what its name says, as one step, and can be undone.

What a command does in all its cases is told by the tests of its page; here none is left untried."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QUrl
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QApplication, QColorDialog, QFileDialog, QInputDialog, QMenu, QMessageBox
from pytestqt.qtbot import QtBot

from tempik.desktop.pages import PAGES
from tempik.desktop.pages.footage.page import FootagePage
from tempik.desktop.session.log import log_path
from tempik.desktop.shell.palette import CommandPalette
from tempik.desktop.shell.shortcuts import ShortcutsDialog
from tempik.desktop.shell.window import Window
from tempik.edit.accents.lanes import with_lane
from tempik.edit.clips.pieces import with_framing
from tempik.edit.ruled import with_rule
from tempik.edit.song.points import with_name
from tempik.edit.titles import with_title_fields
from tempik.media import probe
from tempik.project.file import load_reel
from tempik.reel import Framing, Reel, by_id
from tempik.reel.grade import NEUTRAL
from tempik.render.export import ExportSettings, export
from tempik.rhythm.exchange import read_marks
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.sound_triggers import evaluated_sound_lanes

pytestmark = pytest.mark.usefixtures("no_dialogs")
WAIT = 30_000


def ask(window: Window, name: str, count: int | None = None, tick: bool | None = None) -> None:
    """Ask for a command as its menu entry does, and answer the question for a number where it has one."""
    action = window.commands[name]
    assert action.isEnabled(), name
    action.trigger()
    if count is not None:
        assert window.count.isVisible(), f"{name} asks for no number"
        window.count.count.setValue(count)
        if tick is not None:
            window.count.tick.setChecked(tick)
        window.count.take()


@contextmanager
def step(window: Window, name: str, count: int | None = None, tick: bool | None = None) -> Iterator[Reel]:
    """Ask for a command that is one step; give the reel that came of it, and undo it afterwards."""
    project = window.project
    before, steps = project.reel, project.history.at
    ask(window, name, count, tick)
    assert project.history.at == steps + 1, f"{name}: {window.foot.status.text()}"
    made = project.reel
    assert made != before, name
    yield made
    window.undo()
    assert project.reel == before, f"{name} is not undone"


def message(window: Window) -> str:
    return window.foot.status.text()


def clip(window: Window, name: str) -> PlacedClip:
    placed = window.project.timeline.placed_clip(name)
    assert placed is not None
    return placed


def at(window: Window, frame: int, *clips: str) -> None:
    """Stand at a frame with clips selected."""
    window.project.playhead.go(frame)
    window.project.selection.select_clips(list(clips))


def slots(window: Window) -> list[tuple[str, int, int]]:
    return [(p.clip.id, p.first, p.end) for p in window.project.timeline.placed]


BEFORE = [("c1", 0, 75), ("c2", 75, 135), ("c3", 135, 195), ("c4", 195, 255), ("c5", 255, 300)]


# Cutting


def test_commands_that_cut_off(opened: Window) -> None:
    assert slots(opened) == BEFORE
    at(opened, 100)
    with step(opened, "remove_before_gap"):
        assert ("c2", 100, 135) in slots(opened) and ("c3", 135, 195) in slots(opened)
    at(opened, 100)
    with step(opened, "remove_after"):
        assert slots(opened)[1:3] == [("c2", 75, 100), ("c3", 100, 160)]
    at(opened, 100)
    with step(opened, "remove_after_gap"):
        assert slots(opened)[1:3] == [("c2", 75, 100), ("c3", 135, 195)]
    at(opened, 100, "c2", "c3")
    with step(opened, "remove_and_close_up"):
        assert slots(opened) == [("c1", 0, 75), ("c4", 75, 135), ("c5", 135, 180)]
    at(opened, 100, "c2", "c3")
    with step(opened, "remove_clip"):
        assert slots(opened)[0] == ("c1", 0, 195), "the one before runs on"


def test_commands_that_split(opened: Window) -> None:
    at(opened, 100, "c2")
    with step(opened, "split"):
        assert [s[1:] for s in slots(opened)[1:3]] == [(75, 100), (100, 135)]
    with step(opened, "split_at_points"):
        assert [s[1:] for s in slots(opened)[1:5]] == [(75, 90), (90, 105), (105, 120), (120, 135)]
    opened.project.selection.mark_frames((190, 230))
    at(opened, 0)
    opened.project.selection.mark_frames((190, 230))
    with step(opened, "split_at_points"):
        assert [s[1] for s in slots(opened)] == [0, 75, 135, 195, 210, 225, 255]
    opened.project.selection.mark_frames(None)


@pytest.mark.slow
def test_commands_that_move_a_cut(opened: Window) -> None:
    at(opened, 130, "c2")
    for name, cut in (("roll_back", 134), ("roll_on", 136)):
        with step(opened, name):
            assert slots(opened)[1:3] == [("c2", 75, cut), ("c3", cut, 195)]
            assert opened.project.playhead.frame == cut
        at(opened, 130, "c2")
    for name, by in (("slide_back", -1), ("slide_on", 1)):
        with step(opened, name):
            assert slots(opened)[:3] == [("c1", 0, 75 + by), ("c2", 75 + by, 135 + by), ("c3", 135 + by, 195)]
    opened.project.selection.select_clip("c2")
    for name, by in (("slip_back", -1), ("slip_on", 1), ("slip_far_back", -10), ("slip_far_on", 10)):
        shown = clip(opened, "c2").map.start_s
        with step(opened, name):
            assert clip(opened, "c2").map.start_s - shown == pytest.approx(by / 30)
            assert slots(opened) == BEFORE and not clip(opened, "c2").ties, "the frame on the point is another"


@pytest.mark.slow
def test_commands_that_ask_for_a_length(opened: Window) -> None:
    at(opened, 80, "c2", "c3")
    with step(opened, "set_frames", 20, True):
        assert slots(opened)[1:4] == [("c2", 75, 95), ("c3", 95, 115), ("c4", 115, 175)]
    with step(opened, "set_frames", 20, False):
        assert slots(opened)[1:4] == [("c2", 75, 95), ("c3", 135, 155), ("c4", 195, 255)]
    with step(opened, "set_beats", 2, True):
        assert slots(opened)[1:4] == [("c2", 75, 105), ("c3", 105, 135), ("c4", 135, 195)]
    with step(opened, "overlap", 6):
        rows = {p.clip.id: (p.clip.track, p.first, p.end) for p in opened.project.timeline.placed}
        assert rows["c3"][1] == 135 and clip(opened, "c3").clip.transition is not None, "it begins on its point"
        assert clip(opened, "c2").until == 135 + 6 and rows["c4"][1:] == (195, 255)
    with step(opened, "stagger", 4):
        assert clip(opened, "c3").begin - clip(opened, "c2").begin == 4


# Selecting and going


def test_commands_that_select(opened: Window) -> None:
    chosen = opened.project.selection
    at(opened, 100)
    ask(opened, "select_clip_here")
    assert chosen.chosen_clips == ["c2"]
    ask(opened, "next_clip")
    assert chosen.chosen_clips == ["c3"]
    ask(opened, "next_clip_also")
    assert set(chosen.chosen_clips) == {"c3", "c4"}
    ask(opened, "select_no_clip")
    assert chosen.chosen_clips == []
    at(opened, 140, "c3")
    ask(opened, "previous_clip_also")
    assert set(chosen.chosen_clips) == {"c2", "c3"}
    chosen.select_clip("c3")
    ask(opened, "previous_clip")
    assert chosen.chosen_clips == ["c2"]
    opened.project.playhead.go(196)
    ask(opened, "select_from_here")
    assert set(chosen.chosen_clips) == {"c4", "c5"}
    ask(opened, "select_all")
    assert len(chosen.chosen_clips) == 5


def test_commands_that_go_along_the_reel(opened: Window) -> None:
    where = opened.project.playhead
    for name, start, end in (
        ("step_on", 20, 21), ("step_back", 20, 19), ("leap_on", 20, 30), ("leap_back", 20, 10), ("next_stop", 20, 30),
        ("previous_stop", 20, 15), ("next_stop", 60, 75), ("previous_stop", 76, 75), ("to_end", 20, 299),
        ("to_start", 20, 0), ("previous_stop", 0, 0), ("step_back", 0, 0), ("step_on", 299, 299),
    ):  # fmt: skip
        where.go(start)
        ask(opened, name)
        assert where.frame == end, name


def test_commands_that_play(opened: Window, qtbot: QtBot) -> None:
    opened.project.playhead.go(20)
    ask(opened, "play_pause")
    assert opened.player.playing
    qtbot.waitUntil(lambda: opened.project.playhead.frame > 22, timeout=WAIT)
    ask(opened, "play_pause")
    assert not opened.player.playing
    opened.project.selection.select_clip("c2")
    ask(opened, "loop_clip")
    assert opened.transport.loop_frames() == (75, 135)
    ask(opened, "loop_bars")
    first, end = opened.transport.loop_frames() or (0, 0)
    assert first <= 75 and end >= 135 and end - first >= 120, "two bars of two seconds"
    ask(opened, "loop_bars")
    assert opened.transport.loop_frames() is None, "asked for again it ends"
    opened.project.selection.select_clip(None)
    opened.project.playhead.go(100)
    ask(opened, "loop_here")
    assert opened.player.playing, "it plays at once"
    first, end = opened.transport.loop_frames() or (0, 0)
    assert first <= 100 < end and 28 <= end - first <= 32, "two beats of half a second"
    frames = {opened.project.timeline.frame_of_point(p) for p in opened.project.timeline.beats}
    assert {first, end} <= frames
    opened.project.selection.select_clip("c2")
    ask(opened, "loop_here")
    assert not opened.player.playing and opened.transport.loop_frames() is None, "again: it stops"
    full = opened.transport.size.pixels()
    ask(opened, "toggle_full_size")
    assert opened.transport.size.pixels() == (180, 320) != full
    ask(opened, "toggle_full_size")
    assert opened.transport.size.pixels() == full


# Copies and groups


def test_commands_that_copy_clips(opened: Window) -> None:
    at(opened, 75, "c2")
    ask(opened, "copy_clips")
    at(opened, 195)
    with step(opened, "paste_clips"):
        (new,) = opened.project.selection.chosen_clips
        assert (clip(opened, new).first, clip(opened, new).end) == (195, 255)
        assert clip(opened, new).footage.id == clip(opened, "c2").footage.id
        assert opened.project.timeline.placed_clip("c4") is None, "laid over what was there"
    at(opened, 195)
    with step(opened, "paste_insert"):
        assert clip(opened, "c4").first == 255, "what follows moves on"
    at(opened, 75, "c2")
    with step(opened, "cut_clips"):
        assert opened.project.timeline.placed_clip("c2") is None
        at(opened, 0)
        opened.commands["paste_clips"].trigger()
        assert opened.project.timeline.placed[0].footage.id == "f2"
        opened.undo()
    at(opened, 80, "c2")
    with step(opened, "duplicate"):
        (new,) = opened.project.selection.chosen_clips
        assert clip(opened, new).first == 135 == opened.project.playhead.frame
    at(opened, 80, "c2")
    with step(opened, "repeat", 2):
        assert [p.footage.id for p in opened.project.timeline.placed] == ["f1", "f2", "f2", "f2", "f3"]
        assert clip(opened, "c3").first == 135 + 2 * 60


def test_commands_that_paste_what_a_clip_has(opened: Window) -> None:
    model = opened.project.reel.clips[0].id
    at(opened, 10, model)
    ask(opened, "set_speed", 50, False)
    ask(opened, "copy_clips")
    at(opened, 200, "c4")
    with step(opened, "paste_speed") as made:
        assert by_id(made.clips, "c4").curve == by_id(made.clips, model).curve  # type: ignore[union-attr]
    with step(opened, "paste_attributes") as made:
        assert by_id(made.clips, "c4").curve == by_id(made.clips, model).curve  # type: ignore[union-attr]
    opened.undo()
    ask(opened, "paste_framing")
    assert message(opened) == "Nothing to change: framing pasted to 1 clip."


def test_commands_that_paste_masks_and_looks_of_titles(opened: Window) -> None:
    project = opened.project
    at(opened, 100)
    ask(opened, "add_title")
    first = project.selection.clip
    assert first is not None and first.title is not None
    project.change("Larger", lambda reel: with_title_fields(reel, [first.id], size=0.3))
    ask(opened, "copy_clips")
    opened.project.playhead.go(200)
    ask(opened, "add_title")
    second = project.selection.clip_id
    assert second is not None and second != first.id
    project.change("Smaller", lambda reel: with_title_fields(reel, [second], size=0.1))
    with step(opened, "paste_title_look") as made:
        assert by_id(made.clips, second).title.size == 0.3  # type: ignore[union-attr]
    ask(opened, "paste_masks")
    assert "Nothing to change" in message(opened), "neither has any"


def test_commands_that_group(opened: Window) -> None:
    at(opened, 80, "c2", "c3")
    ask(opened, "group")
    group = clip(opened, "c2").clip.group
    assert group and clip(opened, "c3").clip.group == group and not clip(opened, "c4").clip.group
    opened.project.selection.select_clip("c2")
    assert set(opened.project.selection.chosen_clips) == {"c2", "c3"}, "one means both"
    with step(opened, "ungroup"):
        assert not clip(opened, "c2").clip.group and not clip(opened, "c3").clip.group


# Placing


def test_commands_that_fill(opened: Window) -> None:
    at(opened, 0)
    with step(opened, "fill_in_order"):
        names = [p.footage.id for p in opened.project.timeline.placed]
        assert names[:6] == ["f1", "f2", "f3", "f1", "f2", "f3"]
        assert [p.first for p in opened.project.timeline.placed][1:4] == [15, 30, 45], "from point to point"
        in_order = names
    with step(opened, "fill_shuffled"):
        shuffled = [p.footage.id for p in opened.project.timeline.placed]
        assert sorted(shuffled) == sorted(in_order) or set(shuffled) == set(in_order)
    with step(opened, "fill_shuffled"):
        assert [p.footage.id for p in opened.project.timeline.placed] != shuffled, "another draw"
    with step(opened, "fill_strongest"):
        assert any(p.ties for p in opened.project.timeline.placed)


def test_commands_that_lay_footage(opened: Window) -> None:
    opened.project.selection.select_footage("f3")
    at(opened, 75)
    opened.project.selection.select_footage("f3")
    with step(opened, "insert_footage"):
        assert slots(opened)[1][1:] == (75, 105) and clip(opened, "c2").first == 105, "to a point, a second at least"
        assert opened.project.playhead.frame == 105, "the next comes there"
    for name, end in (("overwrite_footage", 105), ("overwrite_whole", None)):
        at(opened, 75)
        opened.project.selection.select_footage("f3")
        with step(opened, name):
            new = opened.project.selection.placed
            assert new is not None and (new.first, new.footage.id) == (75, "f3")
            assert new.end == (end or 75 + 120) and (end or opened.project.timeline.placed_clip("c2") is None)
    at(opened, 78)
    opened.project.selection.select_footage("f3")
    with step(opened, "place_cue_here"):
        new = opened.project.selection.placed
        assert new is not None and new.ties and new.ties[0].frame == 75, "the nearest point"


def test_commands_that_change_what_a_slot_shows(opened: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    at(opened, 80, "c2")
    opened.project.selection.select_footage("f3")
    opened.project.selection.select_clip("c2")
    opened.page(FootagePage)
    opened.looking.chosen = ["f3"]
    with step(opened, "swap_footage"):
        assert clip(opened, "c2").footage.id == "f3" and slots(opened) == BEFORE
    at(opened, 80, "c2")
    with step(opened, "freeze_end", 12):
        assert slots(opened)[1:4] == [("c2", 75, 135), ("c6", 135, 147), ("c3", 147, 195)]
        assert clip(opened, "c6").footage.id == "f2" and clip(opened, "c6").map.curve.nodes[0].speed == 0.0
    at(opened, 90)
    with step(opened, "add_blank", 9, False):
        (new,) = [p for p in opened.project.timeline.placed if p.first == 90 and p.end == 99]
        assert (new.footage.kind, new.footage.path) == ("solid", "#000000")
    monkeypatch.setattr(QColorDialog, "getColor", lambda *args, **kw: QColor("#ff8800"))
    at(opened, 90)
    with step(opened, "add_solid", 9, True):
        assert clip(opened, "c3").first == 135 + 9, "what follows moves on"
        assert any("ff8800" in str(p.footage) for p in opened.project.timeline.placed)


def test_commands_about_tracks(opened: Window) -> None:
    at(opened, 80, "c2")
    with step(opened, "track_up"):
        assert clip(opened, "c2").clip.track == 1
        with step(opened, "track_down"):
            assert clip(opened, "c2").clip.track == 0
    with step(opened, "add_track") as made:
        assert len(made.tracks) == 2
    for name in ("split_strips", "split_rows", "split_tiles"):
        at(opened, 80, "c2", "c3")
        with step(opened, name, 2):
            a, b = clip(opened, "c2"), clip(opened, "c3")
            assert a.clip.track != b.clip.track and a.first == b.first, f"{name}: seen at once"
    ask(opened, "fill_all_clips")
    assert "Nothing to change: all clips fill the frame" in message(opened), "they do already"
    opened.project.change("Seen whole", lambda reel: with_framing(reel, ["c2"], Framing(fit="contain")))
    with step(opened, "fill_all_clips") as made:
        assert {c.framing.fit for c in made.clips} == {"cover"}


# Cues


def test_commands_about_cues(opened: Window) -> None:
    at(opened, 92, "c2")
    shown = float(clip(opened, "c2").map.source_at((92 - 75) / 30))
    with step(opened, "cue_here"):
        (tie,) = clip(opened, "c2").ties
        assert tie.cue_s == pytest.approx(shown, abs=1 / 60) and tie.frame == 90, "on the nearest point"
    at(opened, 92, "c2")
    with step(opened, "cue_here_too"):
        assert sorted(t.frame for t in clip(opened, "c2").ties) == [90, 105]
    with step(opened, "pin_next"):
        assert [t.frame for t in clip(opened, "c2").ties] == [120]
    with step(opened, "pin_previous"):
        assert [t.frame for t in clip(opened, "c2").ties] == [90]
    with step(opened, "unpin"):
        assert clip(opened, "c2").ties == () and slots(opened) == BEFORE


# Speed


def speeds(window: Window, name: str) -> list[float]:
    placed = clip(window, name)
    return [
        float(placed.map.source_at((k + 1) / 30) - placed.map.source_at(k / 30)) * 30 for k in range(placed.frames - 1)
    ]


def test_commands_about_speed(opened: Window) -> None:
    at(opened, 100, "c2")
    with step(opened, "set_speed", 50, False):
        assert speeds(opened, "c2") == pytest.approx([0.5] * 59)
        assert clip(opened, "c2").ties[0].frame == 105, "the cue stays on its point"
    with step(opened, "set_speed", 200, True):
        assert speeds(opened, "c2") == pytest.approx([-2.0] * 59)
    with step(opened, "reverse"):
        assert speeds(opened, "c2") == pytest.approx([-1.0] * 59)
    with step(opened, "there_and_back"):
        found = speeds(opened, "c2")
        assert found[2] * found[-2] < 0 and clip(opened, "c2").map.turns()
    for name, count, turns in (("see_saw_pieces", 4, 3), ("see_saw_frames", 15, 3), ("see_saw_points", 1, 3)):
        with step(opened, name, count):
            assert len(clip(opened, "c2").map.turns()) == turns, name
    at(opened, 0)
    with step(opened, "swing_reel"):
        ways = [speeds(opened, n)[1] > 0 for n in ("c1", "c2", "c3", "c4", "c5")]
        assert ways == [True, False, True, False, True]
    at(opened, 90, "c2")
    with step(opened, "hold_inside", 10):
        assert sum(abs(s) < 1e-6 for s in speeds(opened, "c2")) in (9, 10)
    with step(opened, "retime_to_frames", 40):
        assert clip(opened, "c2").frames == 40 and speeds(opened, "c2")[5] == pytest.approx(1.5)


def test_commands_about_a_marked_stretch(opened: Window) -> None:
    at(opened, 80, "c2")
    ask(opened, "mark_here")
    opened.project.playhead.go(100)
    ask(opened, "mark_here")
    assert opened.project.selection.marked_frames == (80, 100)
    with step(opened, "stretch_speed", 50, False):
        found = speeds(opened, "c2")
        assert found[6:23] == pytest.approx([0.5] * 17) and found[40] == pytest.approx(1.0)
    opened.project.selection.mark_frames((80, 100))
    with step(opened, "rewind", 200, False):
        assert len(clip(opened, "c2").map.turns()) == 2, "back, and on again"


def test_commands_about_frames_between(opened: Window) -> None:
    at(opened, 100, "c2")
    seen = []
    for _ in range(4):
        ask(opened, "next_between")
        seen.append(clip(opened, "c2").clip.interpolation)
    assert seen == ["nearest", "blend", "flow", None]
    ask(opened, "toggle_sound")
    assert "no sound" in message(opened), "this footage is silent"


# Accents


def test_commands_about_the_chosen_accent_row(opened: Window) -> None:
    project = opened.project
    at(opened, 46)
    project.selection.select_lane("r1")

    def fires() -> list[int]:
        return [q.frame for q in project.timeline.pulses[[r.id for r in project.reel.accent_lanes].index("r1")]]

    before = fires()
    with step(opened, "toggle_step_here"):
        assert (45 in fires()) != (45 in before)
    with step(opened, "toggle_flash"):
        assert (45 in fires()) != (45 in before)
    with step(opened, "shift_lane"):
        assert [f - 15 for f in fires()][: len(before) - 1] == before[: len(before) - 1]
        with step(opened, "shift_lane_back"):
            assert fires() == before
    with step(opened, "mute_lane") as made:
        assert made.accent_lanes[0].muted
    with step(opened, "solo_lane") as made:
        assert made.accent_lanes[0].solo and project.timeline.accent_lanes[1].pulses is not None
    with step(opened, "lane_later") as made:
        assert [r.id for r in made.accent_lanes] == ["r2", "r1"]
        with step(opened, "lane_earlier") as back:
            assert [r.id for r in back.accent_lanes] == ["r1", "r2"]
    with step(opened, "randomise_lane"):
        assert fires() != before
        with step(opened, "reset_lane"):
            assert fires() == before
    with step(opened, "remove_lane") as made:
        assert [r.id for r in made.accent_lanes] == ["r2"]


def test_a_bar_is_copied_to_later_bars(opened: Window) -> None:
    project = opened.project
    project.change("A lane", lambda reel: with_lane(reel, "flash", 0))
    row = project.reel.accent_lanes[-1].id
    project.selection.select_lane(row)
    beats = [b for b in project.timeline.beats if b.bar == 2]
    frames = [project.timeline.frame_of_point(b) for b in beats]
    for frame in (frames[0], frames[2]):
        project.playhead.go(frame)
        project.selection.select_lane(row)
        ask(opened, "toggle_step_here")
    project.playhead.go(frames[1])
    with step(opened, "copy_bar"):
        evaluated = [q.frame for q in project.timeline.pulses[-1]]
        assert evaluated == [f + 60 * k for k in range(4) for f in (frames[0], frames[2]) if f + 60 * k < 300]


def test_commands_about_all_accents(opened: Window) -> None:
    for name, amount in (("calm_all", 0.9), ("stir_all", 1.1)):
        with step(opened, name) as made:
            assert made.amount == pytest.approx(amount)
    with step(opened, "ask_all", 40) as made:
        assert made.amount == pytest.approx(0.4)


def test_commands_that_copy_accent_rows(opened: Window) -> None:
    opened.project.selection.select_lane("r2")
    ask(opened, "copy_lane")
    with step(opened, "paste_lanes") as made:
        assert [r.accent for r in made.accent_lanes] == ["flash", "shake", "shake"]
    ask(opened, "copy_all_lanes")
    with step(opened, "paste_lanes") as made:
        assert [r.accent for r in made.accent_lanes] == ["flash", "shake", "flash", "shake"]
    at(opened, 100, "c2")
    with step(opened, "paste_lanes_on_clips") as made:
        assert [r.limit.clips for r in made.accent_lanes] == [(), (), ("c2",), ("c2",)]


@pytest.mark.slow
def test_a_focus_is_put_by_a_click_and_followed(opened: Window, qtbot: QtBot) -> None:
    project = opened.project
    project.selection.select_lane("r1")
    ask(opened, "place_focus")
    assert "focus" in message(opened), "a flash has none, and that is said"
    project.change("A punch", lambda reel: with_lane(reel, "punch", 4))
    project.selection.select_lane(project.reel.accent_lanes[-1].id)
    heard: list[bool] = []
    opened.accents.placing_focus.connect(heard.append)
    ask(opened, "place_focus")
    assert heard == [True]
    opened.accents.focus_at(0.25, 0.4)
    assert heard == [True, False] and project.reel.accent_lanes[-1].settings == {"focus_x": 0.25, "focus_y": 0.4}
    project.playhead.go(100)
    ask(opened, "follow_focus")
    qtbot.waitUntil(lambda: not opened.worker.jobs, timeout=WAIT)
    row = project.reel.accent_lanes[-1]
    assert row.follow in {t.id for t in clip(opened, "c2").footage.motion_tracks}


# Rhythm


def test_commands_about_the_reading(opened: Window) -> None:
    project = opened.project

    def beat_frames() -> list[int]:
        return [project.timeline.frame_of_point(b) for b in project.timeline.beats]

    before = beat_frames()
    with step(opened, "half_tempo"):
        assert set(beat_frames()) < set(before)
    with step(opened, "double_tempo"):
        assert set(beat_frames()) > set(before)
    with step(opened, "half_a_beat_later"):
        assert not set(beat_frames()) & set(before)
    project.playhead.go(47)
    with step(opened, "bar_here"):
        ones = [project.timeline.frame_of_point(b) for b in project.timeline.beats if b.beat == 1]
        assert 45 in ones and 15 not in ones


def test_commands_about_points(opened: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    project = opened.project
    song = project.reel.soundtrack
    assert song is not None

    def point(name: str = "b4") -> float:
        found = project.timeline.point(name)
        assert found is not None
        return found.time_s

    at(opened, 75)
    project.selection.select_points(["b4"])
    began = point()
    for name, by in (
        ("nudge_back", -0.001), ("nudge_on", 0.001), ("nudge_frame_back", -1 / 30), ("nudge_frame_on", 1 / 30),
    ):  # fmt: skip
        with step(opened, name):
            assert point() - began == pytest.approx(by, abs=1e-6), name
            if "frame" in name:
                assert clip(opened, "c2").first == 75 + round(30 * by), "the cut goes with it"
    opened.points._nudge(0.02)
    with step(opened, "snap_points"):
        assert point() == pytest.approx(began, abs=0.004)
    opened.undo()
    with step(opened, "lock_points"):
        assert project.timeline.point("b4").locked  # type: ignore[union-attr]
    with step(opened, "anchor_point"), step(opened, "free_anchors"):
        pass
    monkeypatch.setattr(QInputDialog, "getText", lambda *args, **kw: ("anvil", True))
    with step(opened, "name_point"):
        assert project.timeline.point("b4").name == "anvil"  # type: ignore[union-attr]
    with step(opened, "remove_points"):
        assert "b4" not in {p.id for p in project.timeline.points}
        with step(opened, "points_back"):
            assert "b4" in {p.id for p in project.timeline.points}
    project.playhead.go(82)
    project.selection.select_points(())
    with step(opened, "place_point"):
        assert any(project.timeline.frame_of_point(p) == 82 for p in project.timeline.points)


def test_points_are_written_and_read_by_command(
    opened: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = opened.project
    file = tmp_path / "points.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args, **kw: (str(file), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *args, **kw: (str(file), ""))
    ask(opened, "write_points")
    times = [p.time_s for p in project.timeline.points]
    assert [m.time_s for m in read_marks(file).marks] == pytest.approx(times, abs=1e-3)
    file.write_text("time\n1.0\n2.5\n")
    with step(opened, "read_points"):
        assert {1.0, 2.5} <= {round(p.time_s, 6) for p in project.timeline.points}, "placed beside those in use"


def test_commands_about_listening(opened: Window, qtbot: QtBot) -> None:
    listening = opened.listening
    assert not listening.clicks
    ask(opened, "toggle_clicks")
    assert listening.clicks
    ask(opened, "toggle_clicks")
    ask(opened, "toggle_loop")
    assert "Mark a stretch first" in message(opened) and not listening.looping
    opened.project.selection.mark((1.0, 3.0))
    ask(opened, "toggle_loop")
    assert listening.looping
    paces = []
    for _ in range(3):
        ask(opened, "next_pace")
        paces.append(listening.pace)
    assert sorted(paces) == [0.5, 0.75, 1.0] and paces[-1] == 1.0
    ask(opened, "tap")
    assert "Play the song" in message(opened)
    ask(opened, "play_pause")
    ask(opened, "tap")
    assert len(opened.rhythm.taps) == 1
    ask(opened, "play_pause")


# Sound


@pytest.mark.slow
def test_commands_about_a_sound_row(opened: Window) -> None:
    project = opened.project
    opened.sounds.add_lane("tick")
    row = project.reel.sound_lanes[-1].id

    def triggers() -> list[float]:
        return [s.at_s for s in evaluated_sound_lanes(project.timeline)[-1].triggers]

    before = triggers()
    assert before
    project.playhead.go(76)
    with step(opened, "toggle_trigger_here"):
        assert len(triggers()) == len(before) - 1
    ask(opened, "shift_triggers")
    assert "Nothing to change: sound lane shifted" in message(opened), "it is struck on every cut"
    project.change("Every 2nd", lambda reel: _every_second(reel, row))
    second = triggers()
    with step(opened, "shift_triggers"):
        assert not set(triggers()) & set(second) and set(triggers()) < set(before)
    opened.undo()
    seed = project.reel.sound_lanes[-1].seed
    with step(opened, "redraw_triggers") as made:
        assert made.sound_lanes[-1].seed == seed + 1
    with step(opened, "randomise_triggers"), step(opened, "unpaint_triggers"):
        assert triggers() == before
    assert project.selection.channel == row
    with step(opened, "mute_channel") as made:
        assert made.sound_lanes[-1].muted
    with step(opened, "solo_channel") as made:
        assert made.sound_lanes[-1].solo
    with step(opened, "remove_sound_lane") as made:
        assert made.sound_lanes == ()
    ask(opened, "hear_design")
    assert opened.reel_sound.design_alone
    ask(opened, "hear_design")


def test_commands_about_sound_clips(opened: Window) -> None:
    project = opened.project
    with step(opened, "add_sound_track") as made:
        assert len(made.sound_tracks) == 1
    project.playhead.go(100)
    opened.sounds.lay_here("boom" if "boom" in opened.sounds.shelf_names("") else opened.sounds.shelf_names("")[0])
    laid = project.reel.sound_clips[-1]
    with step(opened, "land_clip") as made:
        assert made.sound_clips[-1].at.point == "b6" and laid.at.point is None
    project.selection.select_sound_clip(laid.id)
    project.playhead.go(104)
    with step(opened, "split") as made:
        assert len(made.sound_clips) == 2
    project.selection.select_sound_clip(laid.id)
    with step(opened, "remove_clip") as made:
        assert made.sound_clips == () and len(made.clips) == 5


@pytest.mark.slow
def test_sounds_come_from_files_and_the_mix_goes_to_one(
    opened: Window, qtbot: QtBot, media: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *args, **kw: ([str(media / "song.wav")], ""))
    ask(opened, "choose_sounds")
    qtbot.waitUntil(lambda: len(opened.project.reel.sounds) == 1, timeout=WAIT)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args, **kw: (str(tmp_path / "mix"), ""))
    ask(opened, "write_alone")
    qtbot.waitUntil(lambda: "is written" in message(opened), timeout=WAIT)
    assert probe(str(tmp_path / "mix.wav")).length_s == pytest.approx(10.0, abs=0.01)


# Grade


@pytest.mark.slow
def test_commands_about_grades(opened: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    project, grading = opened.project, opened.grading
    at(opened, 100, "c2")
    grading.set_whose("clips")
    grading.set_fields("Lighter", exposure=0.5)
    assert project.reel.clips[1].grade is not None
    ask(opened, "copy_grade")
    project.selection.select_clip("c3")
    with step(opened, "paste_grade") as made:
        assert by_id(made.clips, "c3").grade == by_id(made.clips, "c2").grade  # type: ignore[union-attr]
    project.selection.select_clip("c2")
    with step(opened, "grade_all") as made:
        assert {c.grade for c in made.clips} == {by_id(made.clips, "c2").grade}  # type: ignore[union-attr]
    with step(opened, "key_amount"), step(opened, "unkey_amount"):
        pass
    lut = tmp_path / "grade.cube"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args, **kw: (str(lut), ""))
    ask(opened, "write_lut")
    assert lut.read_text().splitlines()[0] and "LUT_3D_SIZE" in lut.read_text()
    with step(opened, "no_grade"):
        assert grading.grade() == NEUTRAL
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *args, **kw: (str(lut), ""))
        with step(opened, "read_lut"):
            assert "grade.cube" in str(grading.grade())
    ask(opened, "toggle_split")
    assert grading.split
    ask(opened, "toggle_split")
    wanted: list[bool] = []
    grading.reference_wanted.connect(lambda: wanted.append(True))
    ask(opened, "keep_reference")
    assert wanted


@pytest.mark.slow
def test_light_is_made_even_by_command(opened: Window, qtbot: QtBot, tmp_path: Path) -> None:
    at(opened, 100, "c2", "c3")
    steps = opened.project.history.at
    ask(opened, "even_series")
    qtbot.waitUntil(lambda: not opened.worker.jobs, timeout=WAIT)
    assert opened.project.history.at == steps + 1 and message(opened).endswith("Light made even")
    assert clip(opened, "c3").clip.grade is not None
    opened.project.selection.select_clip("c2")
    ask(opened, "even_along")
    qtbot.waitUntil(lambda: not opened.worker.jobs, timeout=WAIT)
    assert len(clip(opened, "c2").clip.keys["exposure"]) > 5
    with step(opened, "uneven"):
        assert "exposure" not in clip(opened, "c2").clip.keys


# Titles and words


@pytest.mark.slow
def test_commands_about_words(opened: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot) -> None:
    project = opened.project
    at(opened, 75)
    ask(opened, "add_title")
    name = project.selection.clip_id
    assert name is not None
    project.change("Text", lambda reel: with_title_fields(reel, [name], text="strike while hot"))
    project.selection.select_clip(name)
    with step(opened, "words_each"):
        with step(opened, "words_even"):
            pass
        with step(opened, "words_off"):
            pass
    project.change("Named", _named)
    before = len(project.reel.clips)
    ask(opened, "named_to_words")
    assert len(project.reel.clips) == before + 1
    file = tmp_path / "words.srt"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args, **kw: (str(file), ""))
    ask(opened, "write_lyrics")
    assert "-->" in file.read_text() and "strike" in file.read_text()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *args, **kw: (str(file), ""))
    count = len(project.reel.clips)
    ask(opened, "read_lyrics")
    qtbot.waitUntil(lambda: len(project.reel.clips) > count)


# Transitions


@pytest.mark.slow
def test_commands_about_transitions(opened: Window, qtbot: QtBot) -> None:
    transitions, project = opened.transitions, opened.project
    at(opened, 135, "c3")
    transitions.lay_here("dissolve")

    def length() -> int:
        return project.timeline.transition_of("c3", False).frames  # type: ignore[union-attr]

    assert clip(opened, "c3").clip.transition is not None
    before = length()
    for name, by in (("longer", 1), ("shorter", -1)):
        with step(opened, name):
            assert length() == before + by
    with step(opened, "ask_all_lengths", 4):
        assert length() == 4
    transitions.lay_here("push")
    for name in ("calm_transitions", "stir_transitions", "turn_round"):
        was = clip(opened, "c3").clip.transition
        with step(opened, name):
            assert clip(opened, "c3").clip.transition != was, name
    at(opened, 195, "c4")
    with step(opened, "lay_again"):
        assert clip(opened, "c4").clip.transition.kind == "push"  # type: ignore[union-attr]
    at(opened, 135, "c3")
    with step(opened, "take_off"):
        assert clip(opened, "c3").clip.transition is None
    with step(opened, "take_all_off") as made:
        assert all(c.transition is None for c in made.clips)
    at(opened, 255, "c5")
    ask(opened, "match")
    qtbot.waitUntil(lambda: not opened.worker.jobs, timeout=WAIT)
    assert clip(opened, "c5").clip.transition is not None


# Layers and nests


def test_commands_about_nests(opened: Window) -> None:
    at(opened, 100, "c2", "c3")
    with step(opened, "nest") as made:
        (name,) = opened.project.selection.chosen_clips
        assert clip(opened, name).footage.nest is not None and len(made.clips) == 4
        with step(opened, "open_nest") as inside:
            assert inside.opened and {p.footage.id for p in opened.project.timeline.placed} == {"f2", "f3"}
            with step(opened, "close_nest") as closed:
                assert not closed.opened and opened.project.selection.chosen_clips == [name]
        opened.project.selection.select_clip(name)
        with step(opened, "flatten_nest") as flat:
            assert [c.footage for c in sorted(flat.clips, key=lambda c: c.start.time_s)][1:3] == ["f2", "f3"]


@pytest.mark.slow
def test_commands_about_subjects(opened: Window, qtbot: QtBot) -> None:
    at(opened, 20, "c1")
    ask(opened, "guess_subject")
    qtbot.waitUntil(lambda: not opened.worker.jobs, timeout=WAIT)
    assert clip(opened, "c1").clip.follow is not None, message(opened)
    with step(opened, "follow_nothing"):
        assert clip(opened, "c1").clip.follow is None
    ask(opened, "cut_nothing_out")
    assert "Nothing to change: all of the picture shown" in message(opened)
    with step(opened, "add_adjust"):
        assert opened.project.selection.placed.footage.kind == "adjust"  # type: ignore[union-attr]


# The project and its files


@pytest.mark.slow
def test_commands_about_the_project(
    opened: Window, qtbot: QtBot, tmp_path: Path, media: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = opened.project
    ask(opened, "calm_all")
    ask(opened, "undo")
    assert project.reel.amount == 1.0
    ask(opened, "redo")
    assert project.reel.amount == pytest.approx(0.9)
    ask(opened, "save")
    assert not project.unsaved and load_reel(tmp_path / "r.tempik").amount == pytest.approx(0.9)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args, **kw: (str(tmp_path / "s.tempik"), ""))
    ask(opened, "save_as")
    assert project.path == tmp_path / "s.tempik" and load_reel(tmp_path / "s.tempik") == project.reel
    ask(opened, "collect_media")
    qtbot.waitUntil(lambda: not opened.worker.jobs, timeout=WAIT)
    assert {Path(f.path).name for f in project.reel.footage} == {"a.mp4", "b.mp4", "c.mp4"}
    assert all(Path(f.path).is_relative_to(tmp_path) for f in project.reel.footage), "beside the project"
    project.selection.select_footage("f3")
    monkeypatch.setattr(QMessageBox, "exec", lambda box: QMessageBox.StandardButton.Yes)
    with step(opened, "remove_footage") as made:
        assert by_id(made.footage, "f3") is None
    monkeypatch.setattr(QMessageBox, "exec", lambda box: QMessageBox.StandardButton.Discard)
    ask(opened, "new_project")
    assert project.path is None and not project.reel.clips
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *args, **kw: (str(media / "song.wav"), ""))
    ask(opened, "choose_song")
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *args, **kw: ([str(media / "a.mp4")], ""))
    ask(opened, "choose_footage")
    there = lambda: project.reel.soundtrack is not None and len(project.reel.footage) == 1  # noqa: E731
    qtbot.waitUntil(there, timeout=WAIT)
    ask(opened, "show_draft")
    assert opened.drafting.panel.isVisible()
    opened.drafting.panel.close()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *args, **kw: (str(tmp_path / "r.tempik"), ""))
    ask(opened, "open_project")
    assert project.path == tmp_path / "r.tempik" and len(project.reel.clips) == 5


@pytest.mark.slow
def test_commands_that_pass_the_edit_on(
    opened: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def written(name: str, file: str) -> Path:
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args, **kw: (str(tmp_path / file), ""))
        ask(opened, name)
        qtbot.waitUntil(lambda: (tmp_path / file).is_file() and not opened.worker.jobs, timeout=WAIT)
        return tmp_path / file

    edit = written("write_for_others", "edit.edl")
    assert "TITLE" in edit.read_text()
    packed = written("zip_project", "all.zip")
    assert {"song.wav", "a.mp4", "b.mp4", "c.mp4"} <= {Path(n).name for n in zipfile.ZipFile(packed).namelist()}
    otio = written("write_for_others", "edit.otio")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *args, **kw: (str(otio), ""))
    ask(opened, "read_of_others")
    qtbot.waitUntil(lambda: opened.project.path == tmp_path / "edit.tempik", timeout=WAIT)
    assert [(p.first, p.end) for p in opened.project.timeline.placed] == [s[1:] for s in BEFORE]


@pytest.mark.film
def test_an_exported_film_is_measured_by_command(
    opened: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    export(opened.project.timeline, tmp_path / "o.mp4", ExportSettings(quality="draft"))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *args, **kw: (str(tmp_path / "o.mp4"), ""))
    ask(opened, "measure")
    qtbot.waitUntil(lambda: "on point" in message(opened), timeout=WAIT)


@pytest.mark.slow
def test_the_demo_opens_by_command(window: Window, demo: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tempik.desktop.session.importer.demo_folder", lambda: demo)
    ask(window, "open_demo")
    assert window.project.path == demo / "forge.tempik" and window.project.reel.clips


# The view


@pytest.mark.slow
def test_commands_about_the_view(opened: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    opened.project.playhead.go(20)
    scale = opened.timeline.view.px_per_s
    ask(opened, "zoom_in")
    assert opened.timeline.view.px_per_s > scale
    ask(opened, "zoom_out")
    assert opened.timeline.view.px_per_s == pytest.approx(scale)
    ask(opened, "zoom_in")
    ask(opened, "fit")
    assert opened.timeline.view.px_per_s == pytest.approx(scale)
    pictures = []
    for _ in range(2):
        ask(opened, "toggle_guides")
        pictures.append(opened.preview.grab().toImage())
    assert pictures[0] != pictures[1]
    for page in PAGES:
        ask(opened, f"show_{page.name}")
        assert isinstance(opened.page_panel.current, page) and opened.page_panel.current.isVisible()
    monkeypatch.setattr(QInputDialog, "getText", lambda *args, **kw: ("2.3", True))
    ask(opened, "jump_to_beat")
    beat = next(b for b in opened.project.timeline.beats if (b.bar, b.beat) == (2, 3))
    assert opened.transport.song_s == pytest.approx(beat.time_s, abs=0.02)
    for name in ("preview_window", "preview_whole_screen"):
        ask(opened, name)
        assert opened.views.alone().isVisible()
        opened.views.close_up()
        assert not opened.views.alone().isVisible()
    opened.project.selection.select_clip("c2")
    ask(opened, "set_speed", 50, False)
    ask(opened, "toggle_before")
    assert speeds(opened, "c2")[5] == pytest.approx(1.0), "as it was, to compare"
    ask(opened, "toggle_before")
    assert speeds(opened, "c2")[5] == pytest.approx(0.5)


def test_commands_that_list_things(opened: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    ask(opened, "calm_all")
    ask(opened, "show_steps")
    menu = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())
    assert [a.text() for a in menu.actions()] == ["as opened", "All accents 90 %"]
    menu.actions()[0].trigger()
    menu.close()
    assert opened.project.reel.amount == 1.0
    for name, kind in (("show_commands", CommandPalette), ("show_shortcuts", ShortcutsDialog)):
        ask(opened, name)
        (shown,) = [w for w in opened.findChildren(kind) if w.isVisible()]
        shown.close()
    ask(opened, "show_log")
    assert "Nothing has gone wrong yet" in message(opened)
    log_path().parent.mkdir(parents=True, exist_ok=True)
    log_path().write_text("a fault\n")
    urls: list[QUrl] = []
    monkeypatch.setattr("tempik.desktop.shell.view_commands._open", lambda url: urls.append(url) or True)
    ask(opened, "show_log")
    assert [u.toLocalFile() for u in urls] == [str(log_path())]
    shown_now = opened.proxy_store.on
    ask(opened, "toggle_proxies")
    assert opened.proxy_store.on is not shown_now
    ask(opened, "toggle_proxies")
    ask(opened, "clear_kept")
    qtbot.waitUntil(lambda: not opened.worker.jobs, timeout=WAIT)


def test_the_window_closes_by_command(opened: Window) -> None:
    ask(opened, "quit")
    assert not opened.isVisible()


# All of them


def test_no_command_is_left_untried(opened: Window) -> None:
    """Counted over the files of tests: a command that is new and tried nowhere is named here."""
    tests = "".join(p.read_text() for p in Path(__file__).parent.glob("test_*.py"))
    names = set(re.findall(r"""["']([a-z_0-9]+)["']""", tests)) | {f"show_{page.name}" for page in PAGES}
    assert sorted(set(opened.commands) - names) == []


def _every_second(reel: Reel, row: str) -> Reel:
    return with_rule(reel, row, replace(by_id(reel.sound_lanes, row).rule, every=2))  # type: ignore[union-attr]


def _named(reel: Reel) -> Reel:
    return with_name(with_name(reel, "b9", "hammer"), "b11", "anvil")
