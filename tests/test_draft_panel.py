"""Drafting in the window: how it should feel, which stretch, what stays, why it is there, moods of one's own."""

from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from tempik.check import check_reel
from tempik.desktop.pages.footage.page import FootagePage
from tempik.desktop.shell.draft_panel import DraftPanel
from tempik.desktop.shell.menus import clip_menu
from tempik.desktop.shell.mood_dialog import MoodDialog, phrases_of, phrases_text
from tempik.desktop.shell.window import Window
from tempik.edit.drafting.locking import with_locked
from tempik.edit.drafting.moods import MOODS, mood_named
from tempik.edit.song.stretches import with_stretch
from tempik.errors import TempikError
from tempik.project.moods import own_moods
from tempik.reel import Reel
from tempik.timeline.covering import gaps

WAIT = 60_000


@pytest.fixture
def panel(opened: Window, qtbot: QtBot) -> DraftPanel:
    qtbot.waitUntil(lambda: opened.song.sound is not None and not opened.background.jobs, timeout=WAIT)
    opened.projects.show_draft()
    return opened.drafting.panel


def pressed(panel: DraftPanel, qtbot: QtBot, text: str) -> None:
    button = next(b for b in panel.findChildren(QPushButton) if b.text().startswith(text) and b.isVisible())
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)


def drafted(window: Window, qtbot: QtBot, before: Reel) -> Reel:
    qtbot.waitUntil(lambda: window.project.reel is not before and not window.worker.jobs, timeout=WAIT)
    return window.project.reel


def test_every_mood_is_seen_at_once_and_says_what_it_is_like(panel: DraftPanel, qtbot: QtBot) -> None:
    texts = [b.text() for b in panel.mood_group.buttons()]
    assert texts == [*(m.name for m in MOODS), "plain rule"]
    pressed(panel, qtbot, "night walk")
    assert panel.does.text() == mood_named("night walk").does and panel.mood == mood_named("night walk")
    assert [b.text() for b in panel.mood_group.buttons() if b.isChecked()] == ["night walk"]


def test_a_stretch_is_chosen_shown_on_the_strip_and_listened_to(
    opened: Window, panel: DraftPanel, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    heard: list[int] = []
    monkeypatch.setattr(opened.arrange.sampler, "play", lambda samples: heard.append(len(samples)))
    panel.hide()
    opened.project.change("Elsewhere", lambda reel: with_stretch(reel, 7.0, 8.0))
    opened.projects.show_draft()
    panel.length.setValue(6.0)
    qtbot.wait(50)
    offers = [b for b in panel.offer_group.buttons() if b.isVisible()]
    assert len(offers) >= 2 and offers[0].isChecked()
    other = offers[1]
    qtbot.mouseClick(other, Qt.MouseButton.LeftButton)
    chosen = panel.stretch
    assert chosen is not None and opened.project.selection.marked == (chosen.start_s, chosen.start_s + chosen.length_s)
    panel._listen(chosen)
    assert heard == [round((chosen.start_s + chosen.length_s) * 48000) - round(chosen.start_s * 48000)]
    before = opened.project.reel
    pressed(panel, qtbot, "Draft")
    reel = drafted(opened, qtbot, before)
    assert reel.soundtrack is not None and reel.soundtrack.start_s == pytest.approx(chosen.start_s)
    assert reel.length_s == pytest.approx(chosen.length_s) and check_reel(opened.project.timeline).ok


def test_the_whole_song_is_made_as_long_as_wanted_and_drafted(opened: Window, panel: DraftPanel, qtbot: QtBot) -> None:
    panel.length.setValue(8.0)
    qtbot.wait(50)
    pressed(panel, qtbot, "the whole song")
    qtbot.waitUntil(lambda: panel.stretch is not None and panel.stretch.song_edit is not None, timeout=WAIT)
    before = opened.project.reel
    pressed(panel, qtbot, "Draft")
    reel = drafted(opened, qtbot, before)
    assert reel.soundtrack is not None and len(reel.soundtrack.pieces) >= 2 and abs(reel.length_s - 8) <= 1.1
    assert check_reel(opened.project.timeline).ok and not gaps(opened.project.timeline)
    opened.undo()
    assert opened.project.reel == before  # one step


def test_the_slider_makes_a_drafted_reel_calmer_while_one_looks_in_one_step(
    opened: Window, panel: DraftPanel, qtbot: QtBot
) -> None:
    before = opened.project.reel
    pressed(panel, qtbot, "Draft")
    first = drafted(opened, qtbot, before)
    opened.projects.show_draft()
    panel.strength.setSliderDown(True)
    for value in (80, 50, 20):
        panel.strength.setValue(value)
        assert opened.project.reel.amount == pytest.approx(value / 100)  # seen at once
    panel.strength.setSliderDown(False)
    panel.strength.sliderReleased.emit()
    panel.hide()
    assert opened.project.reel.amount == 0.2 and opened.project.reel.draft is not None
    assert opened.project.reel.draft.strength == 0.2
    opened.undo()
    assert opened.project.reel == first


def test_only_the_marked_stretch_is_drafted_where_that_is_ticked(opened: Window, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: not opened.background.jobs, timeout=WAIT)
    opened.projects.show_draft()
    assert opened.drafting.panel.over.isHidden()  # nothing is marked
    opened.drafting.panel.hide()
    opened.project.selection.mark_frames((120, 240))
    opened.projects.show_draft()
    panel = opened.drafting.panel
    panel.over.setChecked(True)
    assert not panel.length.isEnabled()
    before = opened.project.reel
    first = [p for p in opened.project.timeline.placed if p.end <= 120]
    panel.choose_mood(mood_named("hammer"))
    pressed(panel, qtbot, "Draft")
    reel = drafted(opened, qtbot, before)
    after = opened.project.timeline
    assert reel.length_s == before.length_s and not gaps(after)
    assert first and all(p.clip in reel.clips for p in first)  # what reached into it is cut off there
    assert len([p for p in after.placed if 120 <= p.first < 240]) > 2


def test_locked_clips_are_marked_said_and_stay_with_another(opened: Window, panel: DraftPanel, qtbot: QtBot) -> None:
    before = opened.project.reel
    pressed(panel, qtbot, "Draft")
    first = drafted(opened, qtbot, before)
    clip = opened.project.timeline.placed[1].clip.id
    opened.project.selection.select_clip(clip)
    opened.commands["lock_against_drafts"].trigger()
    assert next(c for c in opened.project.reel.clips if c.id == clip).locked
    menu = clip_menu(opened.commands, opened.context, opened.clips, clip, opened)
    assert next(a for a in menu.actions() if a.text() == "Lock this against drafts").isChecked()
    opened.projects.show_draft()
    assert panel.about.text().startswith("1 locked clip stays")
    now = opened.project.reel
    pressed(panel, qtbot, "Another")
    again = drafted(opened, qtbot, now)
    assert again.draft is not None and first.draft is not None and again.draft.seed == first.draft.seed + 1
    stays = next(c for c in again.clips if c.id == clip)
    assert replace(stays, transition=None) == replace(next(c for c in now.clips if c.id == clip), transition=None)
    opened.project.selection.select_clip(clip)
    opened.commands["lock_against_drafts"].trigger()
    assert "open to drafts" in opened.foot.status.text()


def test_what_else_a_clip_could_show_is_seen_at_once(opened: Window, panel: DraftPanel, qtbot: QtBot) -> None:
    before = opened.project.reel
    pressed(panel, qtbot, "Draft")
    drafted(opened, qtbot, before)
    last = opened.project.timeline.placed[-2]
    opened.project.selection.select_clip(last.clip.id)
    opened.project.playhead.go(0)
    seen = set()
    for _ in range(4):
        opened.commands["next_chance"].trigger()
        placed = opened.project.timeline.placed_clip(last.clip.id)
        assert placed is not None and placed.first <= opened.project.playhead.frame < placed.end
        seen.add((placed.footage.id, placed.clip.pins))
        frame = opened.project.playhead.frame
    assert len(seen) == 4
    opened.commands["previous_chance"].trigger()
    assert opened.project.playhead.frame == frame  # it is in the clip already


@pytest.mark.slow
def test_beside_the_shelf_the_preview_shows_the_clip_that_is_selected_or_swapped(
    opened: Window, panel: DraftPanel, qtbot: QtBot
) -> None:
    before = opened.project.reel
    pressed(panel, qtbot, "Draft")
    drafted(opened, qtbot, before)
    opened.commands["show_footage"].trigger()
    page = opened.page(FootagePage)
    first, other = opened.project.timeline.placed[0], opened.project.timeline.placed[-2]
    opened.project.selection.select_clip(first.clip.id)
    qtbot.waitUntil(lambda: not opened.worker.jobs and not opened.background.jobs, timeout=WAIT)
    shown: list[float] = []
    page.view.scrubber.shown.connect(lambda path, time_s, image: shown.append(time_s))
    opened.project.selection.select_clip(other.clip.id)
    for _ in range(3):
        opened.commands["next_chance"].trigger()
    qtbot.wait(600)
    assert not shown and opened.looking.image is None and page.view.piece == opened.project.selection.footage
    rows = [page.list.item(n) for n in range(page.list.count())]
    picked = next(
        r
        for r in rows
        if not r.isSelected() and page.view.piece is not None and r.data(Qt.ItemDataRole.UserRole) != page.view.piece.id
    )
    with qtbot.waitSignal(page.view.scrubber.shown, timeout=WAIT):
        page.list.setCurrentItem(picked)
    assert opened.looking.image is not None  # asked for on the shelf, it is shown


def test_a_lane_is_locked_and_told_why_from_its_menu(opened: Window, panel: DraftPanel, qtbot: QtBot) -> None:
    before = opened.project.reel
    pressed(panel, qtbot, "Draft")
    reel = drafted(opened, qtbot, before)
    row = reel.accent_lanes[0]
    menu = opened.accents.lane_menu(row.id, opened)
    next(a for a in menu.actions() if a.text() == "Lock against drafts").trigger()
    assert opened.project.reel.accent_lanes[0].locked
    next(a for a in menu.actions() if a.text() == "Why is this here?").trigger()
    assert "the mood 'driving' has it" in opened.foot.status.text()
    opened.project.selection.select_clip(None)
    opened.project.selection.select_lane(row.id)
    opened.commands["lock_against_drafts"].trigger()
    assert not opened.project.reel.accent_lanes[0].locked
    opened.commands["say_why"].trigger()
    assert "the mood 'driving' has it" in opened.foot.status.text()


def test_a_locked_clip_looks_otherwise_on_the_timeline(opened: Window, qtbot: QtBot) -> None:
    opened.fit()
    qtbot.wait(100)
    before = opened.timeline.grab().toImage()
    clip = opened.project.timeline.placed[0].clip.id
    opened.project.change("Clip locked against drafts", lambda reel: with_locked(reel, [clip]))
    qtbot.waitUntil(lambda: opened.timeline.grab().toImage() != before, timeout=5_000)


def test_nothing_selected_is_said(opened: Window) -> None:
    opened.project.selection.select_clip(None)
    opened.project.selection.select_lane(None)
    for name in ("say_why", "lock_against_drafts", "next_chance"):
        opened.commands[name].trigger()
        assert opened.foot.status.text().lower().startswith("select")


# Moods of one's own


@pytest.fixture
def dialog(opened: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> MoodDialog:
    monkeypatch.setenv("TEMPIK_STATE", str(tmp_path / "state"))
    opened.drafting.show_moods(mood_named("driving"))
    assert opened.drafting.dialog is not None
    return opened.drafting.dialog


def test_phrases_are_written_and_read() -> None:
    for mood in MOODS:
        for phrases in mood.phrases.values():
            assert phrases_of(phrases_text(phrases)) == tuple(tuple(map(float, p)) for p in phrases)
    with pytest.raises(TempikError, match="'4 two' is no row of lengths"):
        phrases_of("4 two")


def test_the_dialog_shows_a_mood_as_it_is(dialog: MoodDialog) -> None:
    shown = dialog.mood()
    plain = mood_named("driving")
    assert replace(shown, phrases=plain.phrases) == plain
    assert {k: tuple(map(tuple, v)) for k, v in shown.phrases.items()} == dict(plain.phrases)


def test_a_mood_is_changed_kept_chosen_and_taken_away(opened: Window, dialog: MoodDialog, qtbot: QtBot) -> None:
    dialog.name.setText("Open day")
    dialog.cuts["full"].setText("1 1 2")
    dialog.add_fires(dialog.mood().fires[0])
    dialog.fires[-1][4].setValue(0.5)
    dialog.keep.click()
    (mine,) = own_moods()
    assert mine.name == "Open day" and mine.phrases["full"] == ((1, 1, 2),) and mine.fires[-1].amount == 0.5
    panel = opened.drafting.panel
    assert panel.isVisible() and panel.mood == mine  # ready to be drafted by
    assert "Open day" in [b.text() for b in panel.mood_group.buttons()]
    panel.hide()
    opened.drafting.show_moods(mine)
    again = opened.drafting.dialog
    assert again is not None and again.forget.isEnabled()
    again.forget.click()
    assert own_moods() == [] and "taken away" in opened.foot.status.text()


def test_what_cannot_be_kept_is_said_in_the_dialog(dialog: MoodDialog) -> None:
    for field, text, message in (
        (dialog.name, "driving", "comes with Tempik"), (dialog.name, "", "has 1 to 40 letters"),
        (dialog.cuts["quiet"], "4 x", "no row of lengths"), (dialog.cuts["quiet"], "", "no lengths of cuts"),
        (dialog.cuts["quiet"], "0.3", "whole beats and halves"),
    ):  # fmt: skip
        before = field.text()
        field.setText(text)
        dialog.keep.click()
        assert message in dialog.message.text() and dialog.isVisible() and own_moods() == []
        field.setText(before)
        if field is dialog.name:
            field.setText("mine")


def test_the_panel_fits_a_small_screen(opened: Window, panel: DraftPanel) -> None:
    for mood in (mood_named("driving"), None):
        panel.choose_mood(mood)
        opened.projects.show_draft()
        assert panel.height() <= 640, mood
        top = opened.mapFromGlobal(panel.mapToGlobal(QPoint(0, 0)))
        assert top.y() + panel.height() <= 800
