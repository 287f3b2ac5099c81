"""Tasks of the preview done by hand: in a real window under a window manager, by pointer and keys from outside; actions counted.

Use: ./run bench hands [FOLDER]
Needs Debian's xvfb, openbox and xdotool. Works on a copy of the demo. Each line says how many actions a task took, and whether the reel then is
what the task was for; then all of the session is undone and redone and compared field by field. A press, a drag, a key and a click count as one
action each. With a FOLDER a picture of the window after each task is kept there.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import QEventLoop, QPointF, QTimer
from PySide6.QtWidgets import QApplication, QMenu, QPushButton, QWidget

from tempik.demo.write import PROJECT, write_demo
from tempik.desktop.pages.frame import FramePage
from tempik.desktop.pages.layer.page import LayerPage
from tempik.desktop.pages.titles.page import TitlesPage
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import theme
from tempik.reel import Clip, by_id
from tempik.timeline.extents import corners_of
from tempik.timeline.wording import word_frames

DISPLAY = ":97"
NEEDED = ("Xvfb", "openbox", "xdotool")
STEPS = 6  # that the pointer makes in a drag


def spin(seconds: float) -> None:
    loop = QEventLoop()
    QTimer.singleShot(round(seconds * 1000), loop.quit)
    loop.exec()


class Hands:
    """What a person does to a window: every call is one action."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self.actions = 0

    def _tool(self, *words: object) -> None:
        subprocess.run(["xdotool", *map(str, words)], check=True, env={**os.environ, "DISPLAY": DISPLAY})
        spin(0.06)

    def _point(self, widget: QWidget, at: QPointF) -> tuple[int, int]:
        place = widget.mapToGlobal(at)
        return round(place.x()), round(place.y())

    def click(self, widget: QWidget, at: QPointF | None = None) -> None:
        """Click in a widget: in its middle unless told where."""
        self._tool("mousemove", *self._point(widget, at or QPointF(widget.rect().center())), "click", 1)
        self.actions += 1
        spin(0.4)

    def click_with(self, key: str, widget: QWidget, at: QPointF) -> None:
        """Click in a widget with a key held."""
        self._tool("keydown", key)
        self.click(widget, at)
        self._tool("keyup", key)

    def drag(self, widget: QWidget, begin: QPointF, end: QPointF, *held: str) -> None:
        """Drag in a widget, with keys held."""
        for key in held:
            self._tool("keydown", key)
        self._tool("mousemove", *self._point(widget, begin), "mousedown", 1)
        for n in range(1, STEPS + 1):
            self._tool("mousemove", *self._point(widget, begin + (end - begin) * (n / STEPS)))
        self._tool("mouseup", 1)
        for key in held:
            self._tool("keyup", key)
        self.actions += 1
        spin(0.4)

    def key(self, name: str) -> None:
        """Press a key."""
        self._tool("key", name)
        self.actions += 1
        spin(0.4)

    def seen(self, x: float, y: float) -> QPointF:
        """Return where a place of the frame is in the preview."""
        box = self.window.preview.frame_box()
        return QPointF(box.left() + x * box.width(), box.top() + y * box.height())


def _clip(window: Window) -> Clip:
    clip = window.project.selection.clip
    assert clip is not None
    return clip


def _corners(window: Window) -> np.ndarray:
    placed = window.project.selection.placed
    assert placed is not None
    return corners_of(window.project.timeline, placed, window.project.playhead.frame)


def mask_over_a_bar(hands: Hands) -> bool:
    """A mask drawn, feathered, and moved over a bar."""
    window = hands.window
    hands.click(window.tool_strip.buttons["ellipse"])
    preview, page = window.preview, window.page_panel.page(LayerPage)
    hands.drag(preview, hands.seen(0.3, 0.3), hands.seen(0.7, 0.5))
    placed = window.project.selection.placed
    assert placed is not None
    to, mask = page.tool._to_frame(placed), page.tool._standing(placed)[page.mask_id]
    x, y, _ = to @ [*page.tool._handles(placed, mask)["feather"], 1.0]
    hands.drag(preview, hands.seen(float(x), float(y)), hands.seen(float(x), float(y) + 0.05))
    hands.click(page.masks.key)
    bars = [window.project.timeline.frame_of_point(p) for p in window.project.timeline.beats if p.beat == 1]
    there = next(f for f in bars if f > window.project.playhead.frame)
    view = window.timeline.view
    hands.click(window.timeline, QPointF(view.x(there / float(window.project.timeline.rate)), 12))
    hands.drag(preview, hands.seen(0.5, 0.4), hands.seen(0.5, 0.6))
    made = _clip(window).masks
    return len(made) == 1 and made[0].feather > 0 and len(made[0].keys.get("y", ())) == 2


def small_picture(hands: Hands) -> bool:
    """A layer made a small picture at the top right, as far in as phones leave free."""
    window = hands.window
    hands.drag(window.preview, hands.seen(0.03, 0.985), hands.seen(0.62, 0.38))
    corners = _corners(window)
    begin = corners[0] + 0.2 * (corners[2] - corners[0])  # beside the mask, which would be dragged itself
    end = begin + [0.87 - corners[:, 0].max(), 0.10 - corners[:, 1].min()]
    hands.drag(window.preview, hands.seen(*begin), hands.seen(*end))
    at = _corners(window)
    return bool(
        at[:, 0].max() - at[:, 0].min() < 0.6 and abs(at[:, 0].max() - 0.87) < 0.01 and abs(at[:, 1].min() - 0.1) < 0.01
    )


def turned(hands: Hands) -> bool:
    """That picture turned by fifteen degrees."""
    window, corners = hands.window, _corners(hands.window)
    box = window.preview.frame_box()
    size = np.array([box.width(), box.height()])
    middle, corner = corners.mean(axis=0) * size, corners[3] * size
    outside = corner + 16 * (corner - middle) / np.hypot(*(corner - middle))
    turn = np.radians(16)
    way = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]) @ (outside - middle) + middle
    hands.drag(window.preview, hands.seen(*(outside / size)), hands.seen(*(way / size)), "shift")
    placed = window.project.selection.placed
    assert placed is not None
    return window.project.timeline.framing_at(placed, window.project.playhead.frame).start.turn_deg == 15


def laid_below(hands: Hands) -> bool:
    """The layer laid below what it lay over."""
    page = hands.window.page_panel.page(LayerPage)
    track = _clip(hands.window).track
    hands.drag(page.stack, QPointF(120, 15), QPointF(120, 60))
    return _clip(hands.window).track == track - 1


def three_words(hands: Hands) -> bool:
    """Three words of a title coloured, and each moved to another point."""
    window = hands.window
    timeline, strip = window.project.timeline, window.page_panel.page(TitlesPage).strip
    title = next(p for p in timeline.placed if p.clip.title is not None)

    def middle(word: int) -> QPointF:
        return QPointF(strip.chips()[word].box.center())

    hands.click(strip, middle(2))
    hands.click_with("shift", strip, middle(4))
    hands.click(window.page_panel.page(TitlesPage).word_bar.swatches[1])
    points = sorted({timeline.frame_of_point(p) for p in timeline.on_reel()})
    wanted = {}
    for word, step in ((4, 6), (3, 4), (2, 2)):
        chip = strip.chips()[word]
        wanted[word] = points[points.index(chip.frame) + step]
        hands.drag(
            strip, middle(word), middle(word) + QPointF(strip.across(wanted[word]) - strip.across(chip.frame), 0)
        )
    now = window.project.timeline.placed_clip(title.clip.id)
    assert now is not None and now.clip.title is not None
    frames = word_frames(window.project.timeline, now)
    coloured = [style.word for style in now.clip.title.words if style.colour is not None]
    return coloured == [2, 3, 4] and {word: frames[word] for word in wanted} == wanted


def reframed_for_wide(hands: Hands) -> bool:
    """A clip reframed for 16:9 alone."""
    window = hands.window
    own = _clip(window).framing
    hands.click(window.tool_strip.shape_button)
    menu = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())
    entry = next(a for a in menu.actions() if a.text().startswith("16:9"))
    hands.click(menu, QPointF(menu.actionGeometry(entry).center()))
    hands.drag(window.preview, hands.seen(0.5, 0.6), hands.seen(0.62, 0.6))
    clip = by_id(window.project.history.reel.clips, _clip(window).id)
    moved = clip is not None and clip.framing == own and "wide" in clip.shapes
    window.commands["show_own"].trigger()  # as it was before, for what is tried next
    return moved and _clip(window).framing == own


def small_picture_with_a_follow(hands: Hands) -> bool:
    """A small picture in a corner whose subject is followed inside it."""
    window, page = hands.window, hands.window.page_panel.page(LayerPage)
    hands.click(_button(page, "small picture"))
    hands.click(window.tool_strip.buttons["follow"])
    middle = _corners(window).mean(axis=0)
    hands.click(window.preview, hands.seen(float(middle[0]), float(middle[1])))
    _done(window)
    clip, placed, timeline = _clip(window), window.project.selection.placed, window.project.timeline
    assert placed is not None
    first, last = (timeline.framing_at(placed, f) for f in (placed.first, placed.end - 1))
    inside = first.window is not None and last.window is not None and first.window != last.window
    return clip.follow is not None and clip.rim is not None and inside and first.start == last.start


def cut_out_behind_a_title(hands: Hands) -> bool:
    """A subject cut out, and a title behind it."""
    window, page = hands.window, hands.window.page_panel.page(LayerPage)
    preview, name = window.preview, _clip(window).id
    hands.click(window.tool_strip.buttons["keep"])
    hands.drag(preview, hands.seen(0.55, 0.42), hands.seen(0.55, 0.8))
    hands.click(window.tool_strip.buttons["drop"])
    hands.drag(preview, hands.seen(0.15, 0.3), hands.seen(0.15, 0.8))
    hands.click(page.cutting.cut)
    _done(window)
    hands.click(_button(page, "words behind"))
    placed = window.project.timeline.placed_clip(name)
    assert placed is not None
    there = sorted(window.project.timeline.clips_at(placed.first), key=lambda p: p.clip.track)
    return [(bool(p.clip.cutout), p.clip.title is not None) for p in there[-3:]] == [
        (False, False),
        (False, True),
        (True, False),
    ]


def _button(page: QWidget, text: str) -> QPushButton:
    return next(b for b in page.findChildren(QPushButton) if b.text() == text)


def _done(window: Window) -> None:
    """Wait for the jobs that run."""
    until = time.monotonic() + 60
    spin(0.5)
    while window.worker.jobs and time.monotonic() < until:
        spin(0.2)
    spin(0.5)


def on_layer(window: Window) -> None:
    """What the task of a small picture begins with: the Layer page with the longest clip of the lowest track selected."""
    placed = max(
        (p for p in window.project.timeline.own_tracks[0] if p.footage.kind == "video"), key=lambda p: p.frames
    )
    window.project.selection.select_clip(placed.clip.id)
    window.project.playhead.go(placed.first + 4)
    window.open_page(LayerPage)


def on_figure(window: Window) -> None:
    """What the task of a cut-out begins with: the Layer page with the figure in the door selected."""
    placed = next(p for p in window.project.timeline.placed if "door" in p.footage.name)
    window.project.selection.select_clip(placed.clip.id)
    window.project.playhead.go(placed.first + 3)
    window.open_page(LayerPage)


def on_title(window: Window) -> None:
    """What the task of words begins with: the Titles page with the title selected, all its words there."""
    placed = next(p for p in window.project.timeline.placed if p.clip.title is not None)
    window.project.selection.select_clip(placed.clip.id)
    window.project.playhead.go(placed.end - 8)
    window.open_page(TitlesPage)


def on_picture(window: Window) -> None:
    """What the task of the frame begins with: the Frame page with a clip of the lowest track selected."""
    placed = window.project.timeline.own_tracks[0][3]
    window.project.selection.select_clip(placed.clip.id)
    window.project.playhead.go(placed.first + 2)
    window.open_page(FramePage)


BEGINS = {
    "three_words": on_title,
    "reframed_for_wide": on_picture,
    "small_picture_with_a_follow": on_layer,
    "cut_out_behind_a_title": on_figure,
}
TASKS: tuple[tuple[Callable[[Hands], bool], int], ...] = (
    (mask_over_a_bar, 6),
    (small_picture, 3),
    (turned, 1),
    (laid_below, 1),
    (three_words, 8),
    (reframed_for_wide, 3),
    (small_picture_with_a_follow, 6),
    (cut_out_behind_a_title, 10),
)


def _work(window: Window, keep: Path | None) -> bool:
    project, fine = window.project, True
    layer = next(p for p in project.timeline.own_tracks[1] if p.clip.title is None)
    project.selection.select_clip(layer.clip.id)
    project.playhead.go(layer.first + 4)
    window.open_page(LayerPage)
    spin(1.5)
    before = project.reel
    for task, most in TASKS:
        if task.__name__ in BEGINS:
            BEGINS[task.__name__](window)
            spin(1.0)
        hands = Hands(window)
        right = task(hands)
        fine &= right and hands.actions <= most
        done = f"{hands.actions} actions (at most {most}), {'as wanted' if right else 'NOT as wanted'}"
        print(f"{(task.__doc__ or '').rstrip('.')}: {done}", flush=True)
        if keep is not None:
            window.grab().save(str(keep / f"{task.__name__}.png"))
    after, steps = project.reel, len(project.history.steps)
    hands = Hands(window)
    while project.history.can_undo:
        hands.key("ctrl+z")
    undone = project.reel == before
    while project.history.can_redo:
        hands.key("ctrl+shift+z")
    same = undone and project.reel == after
    print(f"{steps} steps undone and redone: {'equal in every field' if same else 'NOT equal'}", flush=True)
    return fine and same


def main(arguments: list[str]) -> None:
    lacking = [n for n in NEEDED if shutil.which(n) is None]
    if lacking:
        sys.exit(f"{', '.join(lacking)} is not installed; install Debian's xvfb, openbox and xdotool.")
    keep = Path(arguments[0]) if arguments else None
    if keep is not None:
        keep.mkdir(parents=True, exist_ok=True)
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    time.sleep(1.0)
    manager = subprocess.Popen(["openbox"], env={**os.environ, "DISPLAY": DISPLAY}, stderr=subprocess.DEVNULL)
    fine = False
    try:
        with tempfile.TemporaryDirectory(prefix="tempik-hands-") as folder:
            os.environ |= {"DISPLAY": DISPLAY, "QT_QPA_PLATFORM": "xcb", "TEMPIK_STATE": f"{folder}/state"}
            app = QApplication(sys.argv[:1])
            theme.dress(app)
            write_demo(Path(folder) / "demo")
            window = Window()
            window.show()
            spin(1.0)
            window.importer.open_project(Path(folder) / "demo" / PROJECT)
            until = time.monotonic() + 60
            while (window.worker.jobs or window.preview.image is None) and time.monotonic() < until:
                spin(0.2)
            fine = _work(window, keep)
            window.shut_down()
    finally:
        manager.terminate()
        screen.terminate()
    sys.exit(0 if fine else 1)
