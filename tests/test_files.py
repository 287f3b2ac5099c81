"""Files in and out of the window, and what the pictures on it say."""

import time
from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from media_files import numbered, write_video
from tempik.check import as_csv
from tempik.desktop.pages.check import CheckPage
from tempik.desktop.pages.speed.page import SpeedPage
from tempik.desktop.shell.window import Window
from tempik.desktop.timeline.axis import AIR_PX, GUTTER, View
from tempik.desktop.timeline.lanes.pictures import PICTURE_H
from tempik.desktop.widgets import theme
from tempik.edit.speed import speed as retiming
from tempik.project.file import load_reel, save_reel
from tempik.reel import Reel, VideoTrack
from tempik.retime import constant
from tempik.time import time_of
from tempik.timeline.timeline import Timeline

pytestmark = pytest.mark.usefixtures("no_dialogs")
WAIT = 30_000


def picture_of(window: Window) -> QImage:
    window.timeline.refresh()
    return window.timeline.grab().toImage()


def colours_in(image: QImage, x: float, y: float, wide: int, height_px: int) -> set[str]:
    return {
        image.pixelColor(int(x) + i, int(y) + j).name()
        for i in range(wide)
        for j in range(height_px)
        if 0 <= int(x) + i < image.width() and 0 <= int(y) + j < image.height()
    }


def test_a_dropped_folder_is_looked_into(window: Window, qtbot: QtBot, media: Path, tmp_path: Path) -> None:
    folder = tmp_path / "card" / "dcim"
    folder.mkdir(parents=True)
    write_video(folder / "one.mp4", numbered(96, 64, 8), 20)
    write_video(folder / "two.mov", numbered(96, 64, 8), 20)
    window.importer.bring([str(tmp_path / "card")])
    qtbot.waitUntil(lambda: len(window.project.reel.footage) == 2, timeout=WAIT)
    window.importer.bring([str(folder / "one.mp4")])
    qtbot.waitUntil(lambda: "already" in window.foot.status.text(), timeout=WAIT)
    assert len(window.project.reel.footage) == 2
    (tmp_path / "void").mkdir()
    window.importer.bring([str(tmp_path / "void")])
    qtbot.waitUntil(lambda: "no song and no footage" in window.foot.status.text(), timeout=WAIT)


@pytest.mark.slow
def test_files_that_moved_together_are_found_together(
    window: Window, qtbot: QtBot, reel: Reel, media: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    import json

    save_reel(reel, tmp_path / "r.tempik")
    text = (tmp_path / "r.tempik").read_text()
    document = json.loads(text)
    for piece in document["reel"]["footage"]:
        piece["path"] = "old/" + Path(piece["path"]).name
    (tmp_path / "r.tempik").write_text(json.dumps(document))
    window.importer.open_project(tmp_path / "r.tempik")
    qtbot.waitUntil(lambda: "2 more" in window.foot.status.text(), timeout=WAIT)
    assert len(window.watch.missing) == 3
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(media / "a.mp4"), ""))
    window.foot.find_missing.click()
    assert window.project.reel == reel
    qtbot.waitUntil(lambda: not window.watch.missing, timeout=WAIT)
    window.undo()
    assert window.project.reel != reel  # finding files is a step like any other


def test_an_error_goes_with_the_next_thing_that_succeeds(opened: Window) -> None:
    opened.project.selection.select_clip(None)
    opened.project.messages.say("Select a clip to loop.", True)
    time.sleep(0.6)  # a person needs longer than what goes wrong and succeeds in one act
    opened.project.change("Name", lambda reel: replace(reel, tracks=(*reel.tracks, VideoTrack())))
    assert opened.foot.status.text() == "Name", "what was wrong is over"


def test_an_error_stays_readable_while_other_news_comes_in(window: Window) -> None:
    window.say("x.mp4 is empty (0 bytes); copy it again.", True)
    window.say("song.wav: 120.0 BPM.")
    assert "x.mp4 is empty" in window.foot.status.text() and "120.0 BPM" in window.foot.status.text()
    window.say("y.mp4 is cut off.", True)
    assert window.foot.status.text() == "y.mp4 is cut off."


def test_the_settings_menu_says_what_changed(opened: Window) -> None:
    opened.importer.settings(180, 180, "24")
    assert "300 frames became 240" in opened.foot.status.text() and "kept its time" in opened.foot.status.text()
    assert opened.header.form_button.text() == "180×180 · 24"


def test_the_draft_panel_wishes_for_what_it_shows(opened: Window) -> None:
    opened.projects.show_draft()
    panel = opened.drafting.panel
    panel.hide()
    panel.choose_mood(None)
    panel.rule.every.setCurrentIndex(1)
    panel.length.setValue(6.0)
    panel.rule.accents["kick"][0].setChecked(True)
    panel.rule.accents["flash"][0].setChecked(False)
    panel.rule.accents["kick"][1].setValue(8)
    options = panel.options()
    assert (options.every, options.length_s, options.rate) == (2, 6.0, opened.project.reel.rate)
    assert dict(options.accents) == {"shake": 2, "punch": 4, "kick": 8}
    before = opened.project.reel
    opened.delivery.draft(options)
    assert opened.project.timeline.frames == 180
    opened.undo()
    assert opened.project.reel == before


def test_the_check_is_saved_as_csv(opened: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "c.csv"), ""))
    opened.page(CheckPage).save.click()
    assert (tmp_path / "c.csv").read_text() == as_csv(opened.project.report)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "no" / "c.csv"), ""))
    opened.page(CheckPage).save.click()
    assert "could not be written" in opened.foot.status.text()


def test_save_as_gives_the_project_its_name(opened: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "open day"), ""))
    assert opened.projects.save_as()
    assert opened.header.title.text() == "open day" and load_reel(tmp_path / "open day.tempik") == opened.project.reel
    opened.accents.add_lane("kick")
    assert opened.header.saved.text() == "unsaved"
    opened.projects.save()
    assert opened.header.saved.text() == "saved"


# What the timeline shows


def test_a_point_is_drawn_where_it_sounds(opened: Window) -> None:
    opened.fit()
    image, timeline, view = picture_of(opened), opened.project.timeline, opened.timeline.view
    for point in timeline.on_reel():
        if point.kind == "downbeat":
            x = view.x(timeline.reel_s(point))
            assert theme.RHYTHM in colours_in(image, x - 2, 47, 4, 4)


def test_a_pulse_is_drawn_from_its_own_frame_on_and_not_before(opened: Window) -> None:
    opened.project.selection.select_lane(None)  # the chosen row has another ground
    for _ in range(30):
        opened.timeline.zoom(1.4, 400)
    view, timeline = opened.timeline.view, opened.project.timeline
    pulse = timeline.pulses[0][1]
    opened.timeline.view = view._replace(start_s=time_of(pulse.frame - 6, timeline.rate))
    image, view = picture_of(opened), opened.timeline.view
    frame_px = view.px_per_s / float(timeline.rate)
    x, y = view.x(time_of(pulse.frame, timeline.rate)), opened.timeline.layout_.lane_top(0) + 30
    assert len(colours_in(image, x + 0.3 * frame_px, y, 4, 1) | {theme.GROUND}) > 1
    assert colours_in(image, x - 0.6 * frame_px, y, 4, 1) == {theme.GROUND}


def test_black_and_still_stretches_are_hatched(opened: Window, qtbot: QtBot) -> None:
    opened.fit()

    def reddest() -> int:
        image, timeline, view = picture_of(opened), opened.project.timeline, opened.timeline.view
        x = view.x(time_of(timeline.frames // 2, timeline.rate))
        names = colours_in(image, x - 20, opened.timeline.layout_.picture_top() + 20, 40, PICTURE_H - 60)
        return max(int(n[1:3], 16) - int(n[5:7], 16) for n in names)

    calm = reddest()
    middle = opened.project.timeline.clip_at(150)
    assert middle is not None
    reel = opened.project.reel
    opened.project.change("hole", lambda r: _without(r, middle.clip.id))
    assert reddest() > calm + 30
    opened.undo()
    assert opened.project.reel == reel


def _without(reel: Reel, clip: str) -> Reel:
    import msgspec

    return msgspec.structs.replace(reel, clips=tuple(c for c in reel.clips if c.id != clip))


def test_the_speed_page_says_when_footage_runs_out_or_repeats(opened: Window) -> None:
    opened.commands["show_speed"].trigger()
    opened.project.selection.select_clip("c1")
    opened.project.change("fast", lambda r: retiming.with_curve(r, "c1", constant(6.0)))
    assert (
        "Not enough footage" in opened.page(SpeedPage).note.text()
        and "stand still" in opened.page(SpeedPage).note.toolTip()
    )
    opened.project.change("slow", lambda r: retiming.with_curve(r, "c1", constant(0.25)))
    # Common practice: 30 frames/s footage at a quarter on a reel of 30 shows each frame four times.
    assert "frames repeat, here 4 times" in opened.page(SpeedPage).note.text()
    opened.project.change("as shot", lambda r: retiming.with_curve(r, "c1", constant(1.0)))
    assert opened.page(SpeedPage).note.text() == ""


def test_a_view_keeps_the_reel_on_screen() -> None:
    timeline = Timeline(Reel(length_s=20.0))
    view = View.of(0.0, 50.0, 900).fitted(20.0)
    assert (view.x(0.0), view.x(20.0)) == pytest.approx((GUTTER + AIR_PX, 900 - AIR_PX))
    assert view.panned(-5000, timeline).x(0.0) == pytest.approx(GUTTER + AIR_PX)
    close = view.scaled(20.0, 500, timeline)
    far = close.panned(1e6, timeline)
    assert far.end_s <= 20.0 + 60 / far.px_per_s
    assert far.time(far.x(19.0)) == pytest.approx(19.0)
