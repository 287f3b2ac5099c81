"""Make the pictures and lists of the docs: one PNG of each main view, from the demo, and docs/keyboard.md."""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
import time
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QEvent, QEventLoop, QPointF, Qt, QTimer
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication

from bench.contact import sheets
from bench.looks import sheet_of_looks
from tempik.cli.settings_list import settings_page
from tempik.deliver.order import Order
from tempik.demo import PROJECT, demo_is_whole, write_demo
from tempik.desktop.pages.accents.page import AccentsPage
from tempik.desktop.pages.export.page import ExportPage
from tempik.desktop.pages.footage.page import FootagePage
from tempik.desktop.pages.grade.page import GradePage
from tempik.desktop.pages.layer.page import LayerPage
from tempik.desktop.pages.rhythm.page import RhythmPage
from tempik.desktop.pages.speed.page import SpeedPage
from tempik.desktop.pages.transitions.page import TransitionsPage
from tempik.desktop.session.importer import demo_folder
from tempik.desktop.shell.keyboard import keyboard_list
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import theme
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.accents.painting import with_painted
from tempik.edit.clip_keys import KeyAt, with_key_here
from tempik.edit.clips import place
from tempik.edit.clips.split_picture import with_split_picture
from tempik.edit.clips.windows import with_rim
from tempik.edit.drafting.locking import with_locked
from tempik.edit.footage import facts as message_of
from tempik.edit.speed.speed import with_curve
from tempik.formats import formats_list
from tempik.grade.looks import LOOKS
from tempik.reel import Rule
from tempik.retime import ramp
from tempik.timeline.wording import word_frames

DOCS = Path(__file__).parents[1] / "docs"


def spin(seconds: float) -> None:
    loop = QEventLoop()
    QTimer.singleShot(round(seconds * 1000), loop.quit)
    loop.exec()


def settle(window: Window) -> None:
    """Wait until the jobs are done and the preview shows the frame under the playhead."""
    until = time.monotonic() + 60
    while (window.worker.jobs or window.transport.shown != window.project.playhead.frame) and time.monotonic() < until:
        spin(0.1)
    spin(0.8)


def grab(window: Window, name: str) -> None:
    spin(0.3)
    window.grab().save(str(DOCS / "screenshots" / f"{name}.png"))


def draft_view(window: Window) -> None:
    """The draft panel beside the preview, with a locked clip on the timeline."""
    window.fit()
    project = window.project
    locked = [p.clip.id for p in project.timeline.own_tracks[0][2:4]]
    project.change("2 clips locked against drafts", lambda reel: with_locked(reel, locked))
    settle(window)
    window.projects.show_draft()
    window.drafting.panel.length.setValue(15.0)
    spin(0.6)
    screen = QApplication.primaryScreen()
    at = window.geometry()
    screen.grabWindow(0, at.x(), at.y(), at.width(), at.height()).save(str(DOCS / "screenshots" / "draft.png"))
    window.drafting.panel.hide()
    window.undo()


def transition_view(window: Window) -> None:
    """The Transitions page, with the transition under the drop."""
    project = window.project
    placed_transition = next(s for s in project.timeline.transitions[0] if s.transition.kind == "zoom-in")
    window.commands["show_transitions"].trigger()
    project.selection.select_clip(placed_transition.owner.clip.id)
    project.playhead.go(placed_transition.turn - 1)
    window.fit()
    for _ in range(4):
        window.timeline.zoom(1.7)
    page = window.page(TransitionsPage)
    until = time.monotonic() + 30
    while not page.suggesting.proposals and time.monotonic() < until:
        spin(0.2)
    settle(window)
    grab(window, "transitions")


def cut_views(window: Window) -> None:
    """The shelf with suggested cues, a clip with two pins, a cut being dragged, a picture being placed."""
    project = window.project
    window.fit()
    window.commands["show_footage"].trigger()
    until = time.monotonic() + 60
    while window.background.jobs and time.monotonic() < until:
        spin(0.2)
    page = window.page(FootagePage)
    project.change("Tagged", lambda reel: message_of.with_tag(reel, reel.footage[1].id, "first choice"))
    project.change("Tagged", lambda reel: message_of.with_tag(reel, reel.footage[3].id, "cutaway"))
    page.list.setCurrentRow(6)
    spin(0.4)
    page.view.row.pick(0)
    settle(window)
    spin(0.6)
    grab(window, "footage")
    window.undo()
    window.undo()
    window.fit()


def layer_views(window: Window) -> None:
    """The title with its words on points, a subject cut out, and a split picture."""
    project = window.project
    title = next(p for p in project.timeline.placed if p.clip.title is not None)
    project.selection.select_clip(title.clip.id)
    project.playhead.go(word_frames(project.timeline, title)[3] + 8)
    window.commands["show_titles"].trigger()
    window.fit()
    for _ in range(3):
        window.timeline.zoom(1.7)
    settle(window)
    grab(window, "titles")
    window.fit()
    subject = project.timeline.own_tracks[0][0]
    project.change("Above", lambda reel: place.on_other_track(reel, [subject.clip.id], 1))
    project.change("Under it", lambda reel: place.with_solid(reel, 0, subject.end, "#2f5d68", 0, insert=False))
    project.selection.select_clip(subject.clip.id)
    project.playhead.go(subject.first + subject.frames // 2)
    window.commands["show_layer"].trigger()
    window.timeline.zoom(2.4)
    page = window.page(LayerPage)
    page.cutting.keep.click()
    for keep, line in STROKES:
        page.tool.take_brush(keep)
        page.tool.press(QPointF(*line[0]))
        for x, y in line[1:]:
            page.tool.drag(QPointF(x - line[0][0], y - line[0][1]))
        page.tool.settle()
    window.layers.cut_out(tuple(page.tool.strokes))
    until = time.monotonic() + 120
    while not page._clip or not page._clip.cutout:
        if time.monotonic() > until:
            break
        spin(0.3)
    page.tool.let_go()
    for row, frame in (("opacity", 0), ("opacity", 5), ("place", 3), ("place", 10)):
        project.change("Key", partial(with_key_here, clip=subject.clip.id, row=row, frame=frame))
    project.change("Outline", lambda reel: with_rim(reel, [subject.clip.id], outline=0.008))
    window.keys.keys.choose(subject.clip.id, [KeyAt("place", 10)])
    page.refill()
    settle(window)
    grab(window, "layer")
    page.tool.let_go()
    while project.history.can_undo not in ("", "Above"):
        window.undo()
    window.undo()
    window.fit()
    chosen = [p.clip.id for p in project.timeline.own_tracks[0][7:11]]
    project.selection.select_clips(chosen)
    project.change("Picture split in tiles", lambda reel: with_split_picture(reel, chosen, "tiles", 0.015))
    project.playhead.go(project.timeline.placed_clip(chosen[0]).first + 20)  # type: ignore[union-attr]
    window.show_frame()
    settle(window)
    grab(window, "frame")
    window.undo()
    shutil.rmtree(demo_folder() / "forge cutouts", ignore_errors=True)


# What is kept of the first clip's picture, and what is not: lines through places of the frame.
STROKES: tuple[tuple[bool, tuple[tuple[float, float], ...]], ...] = (
    (True, ((0.54, 0.4), (0.62, 0.4))),
    (True, ((0.575, 0.37), (0.575, 0.43))),
    (True, ((0.45, 0.49), (0.7, 0.49))),
    (True, ((0.575, 0.49), (0.575, 0.88))),
    (True, ((0.5, 0.6), (0.51, 0.88))),
    (True, ((0.65, 0.6), (0.64, 0.88))),
    (True, ((0.72, 0.54), (0.84, 0.65))),
    (True, ((0.83, 0.685), (0.94, 0.65))),
    (False, ((0.05, 0.05), (0.95, 0.05))),
    (False, ((0.1, 0.2), (0.1, 0.85))),
    (False, ((0.3, 0.2), (0.3, 0.85))),
    (False, ((0.4, 0.42), (0.43, 0.34), (0.58, 0.31), (0.74, 0.35), (0.8, 0.5), (0.95, 0.58))),
    (False, ((0.42, 0.62), (0.44, 0.88))),
    (False, ((0.74, 0.66), (0.74, 0.88))),
    (False, ((0.9, 0.75), (0.9, 0.88))),
    (False, ((0.05, 0.96), (0.95, 0.96))),
)


def accent_views(window: Window) -> None:
    """The Accents page with the chooser, and lanes close up: envelopes to scale, steps by the rule and by hand."""
    project = window.project
    window.fit()
    window.commands["show_accents"].trigger()
    project.change("Split", lambda reel: accent_lanes.with_lane(reel, "split", rule=Rule("bars", beats=(2, 4))))
    row = project.reel.accent_lanes[-1].id
    steps = [c for c in project.timeline.accent_lanes[-1].steps if c.point is not None and c.point.beat == 3]
    for number, step in enumerate(steps):
        strength = 0.5 if number % 2 else 1.3
        project.change("Painted", lambda reel, c=step.id, s=strength: with_painted(reel, row, c, s))  # type: ignore[misc]
    project.change("Shutter", lambda reel: accent_lanes.with_shutter(reel, 180))
    project.selection.select_lane(project.reel.accent_lanes[1].id)
    pulse = project.timeline.pulses[1][6]
    project.playhead.go(pulse.frame + 1)
    settle(window)
    window.page(AccentsPage)._show_frame()
    tiles = window.page(AccentsPage).tiles
    tiles._point_at(tiles.items.index("drop-back"))
    spin(5.0)
    grab(window, "accents")
    tiles._point_at(None)
    project.playhead.go(pulse.frame)
    for _ in range(6):
        window.timeline.zoom(1.6)
    near = min(project.timeline.pulses[-1], key=lambda p: abs(p.frame - pulse.frame - 28))
    project.selection.select_lane(row, near.step)
    settle(window)
    for _ in range(len(steps) + 2):
        window.undo()
    window.fit()


def grade_view(window: Window) -> None:
    """The Grade page: a look, a bent curve, the vectorscope, before and after on either side of a line."""
    project = window.project
    window.fit()
    project.selection.select_clip(None)
    project.playhead.go(64)
    window.commands["show_grade"].trigger()
    page = window.page(GradePage)
    window.grading.set_grade("Look", LOOKS[3].grade)
    window.grading.set_fields("Curve", luma_curve=((0.0, 0.0), (0.28, 0.2), (0.66, 0.74), (1.0, 1.0)))
    page.show_subject(3)
    page.scope.show_kind("vectorscope")
    window.commands["toggle_split"].trigger()
    settle(window)
    spin(1.0)
    grab(window, "grade")
    window.commands["toggle_split"].trigger()
    window.undo()
    window.undo()


def sound_view(window: Window) -> None:
    """The Sound page: lanes of sounds on the timeline, a riser's wave with its hit, the mix while it plays."""
    window.fit()
    window.resize(1280, 860)
    window.commands["show_sound"].trigger()
    window.sounds.add_lane("tick", Rule(every=2))
    window.sounds.add_lane("anvil", Rule("pins"))
    window.project.selection.select_channel(window.project.reel.sound_lanes[0].id)
    settle(window)
    spin(3.0)
    window.project.playhead.go(460)
    window.play.play_pause()
    spin(1.6)
    grab(window, "sound")
    window.play.play_pause()
    window.undo()
    window.undo()
    window.resize(1280, 800)


def export_view(window: Window, folder: Path) -> None:
    """The Export page: an order of three frames, one file done, one being written, one waiting."""
    window.project.playhead.go(312)
    window.commands["show_export"].trigger()
    exports = window.exports

    def wait() -> None:
        while exports.running is not None:
            spin(0.1)

    quick = Order(shapes=("square",), short_px=360, quality="draft", part=(4.0, 8.0), measure=True)
    exports.start(quick, folder / "open day-square.mp4")
    wait()
    window.page(ExportPage).target.setText("/home/smith/reels/open day.mp4")
    window.page(ExportPage)._typed()
    order = Order(shapes=("upright", "square", "wide"), measure=True)
    exports.start(replace(order, shapes=("upright", "wide")), folder / "open day.mp4")
    exports.ask_for(order)
    while exports.share < 0.3:
        spin(0.1)
    exports.hold(True)
    until = time.monotonic() + 60
    while not window.page(ExportPage).comes_to.text().startswith("About") and time.monotonic() < until:
        spin(0.2)
    exports.hold(False)
    spin(0.3)
    window.project.messages.say("")
    grab(window, "export")
    for item in exports.items:
        exports.stop(item.id)
    wait()


def press(window: Window, kind: QEvent.Type, x: float, y: float) -> None:
    at, left = QPointF(x, y), Qt.MouseButton.LeftButton
    cause = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseMove else left
    held = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseButtonRelease else left
    where = QPointF(window.timeline.mapToGlobal(at.toPoint()))
    QApplication.sendEvent(window.timeline, QMouseEvent(kind, at, where, cause, held, Qt.KeyboardModifier.NoModifier))


def main() -> None:
    (DOCS / "screenshots").mkdir(parents=True, exist_ok=True)
    (DOCS / "keyboard.md").write_text(keyboard_list(), encoding="utf-8")
    (DOCS / "settings.md").write_text(settings_page(), encoding="utf-8")
    page = (DOCS / "formats.md").read_text(encoding="utf-8")
    table = page[page.index("| key |") : page.index("\nThe first ending")]
    (DOCS / "formats.md").write_text(page.replace(table, formats_list()), encoding="utf-8")
    os.environ["TEMPIK_STATE"] = tempfile.mkdtemp(prefix="tempik-shots-")  # a window that nobody has laid out yet
    demo = demo_folder()
    if not demo_is_whole(demo):
        write_demo(demo)
    app = QApplication(sys.argv[:1])
    theme.dress(app)
    window = Window()
    window.show()
    spin(0.5)
    grab(window, "empty")
    window.importer.open_project(demo / PROJECT)
    settle(window)
    until = time.monotonic() + 120
    while window.background.jobs and time.monotonic() < until:  # its footage is looked over
        spin(0.2)
    # The clip on the drop.
    song = window.project.reel.soundtrack
    drop = song.heard.drops[0] - song.start_s if song is not None and song.heard is not None else 0.0
    placed = next(p for p in window.project.timeline.own_tracks[0] if p.end / 30 > drop + 0.1)
    window.project.selection.select_clip(placed.clip.id)
    window.project.playhead.go(placed.ties[0].frame + 4)
    settle(window)
    window.looking.clear()
    settle(window)
    grab(window, "demo")
    window.project.playhead.go(placed.ties[0].frame)
    for _ in range(4):
        window.timeline.zoom(1.6)
    window.commands["show_speed"].trigger()
    clip = placed.clip.id
    window.project.change("Speed ramp", lambda reel: with_curve(reel, clip, ramp(1.1, 0.4, 0.42)))
    window.page(SpeedPage).graph.choose_node(1)
    window.project.playhead.go(placed.ties[0].frame + 7)  # past the flash
    settle(window)
    grab(window, "speed")
    window.undo()
    window.fit()
    window.commands["show_rhythm"].trigger()
    view = window.page(RhythmPage).view
    view.show_reel()
    window.project.selection.mark((16.0, 19.75))
    view.go(17.2)
    view.zoom(2.4)
    window.project.selection.select_points([p.id for p in window.project.timeline.points[32:35]])
    settle(window)
    grab(window, "rhythm")
    window.project.selection.mark(None)
    window.listening.set_clicks(False)
    window.page(RhythmPage).show_readings(False)
    window.project.selection.select_points(())
    window.commands["show_check"].trigger()
    settle(window)
    grab(window, "check")
    draft_view(window)
    transition_view(window)
    accent_views(window)
    sheets(demo / PROJECT, DOCS / "screenshots")
    sheet_of_looks(demo / PROJECT, DOCS / "screenshots" / "looks.png")
    cut_views(window)
    layer_views(window)
    grade_view(window)
    sound_view(window)
    export_view(window, Path(os.environ["TEMPIK_STATE"]))
    window.shut_down()


if __name__ == "__main__":
    main()
