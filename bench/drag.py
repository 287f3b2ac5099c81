"""How soon a drag in the preview is seen, with five layers at the playhead: in a real window, from the pointer's move to the new picture.

Use: ./run bench drag
Needs Debian's xvfb and openbox. Works on a copy of the demo: a clip of the lowest track, and over it three pieces of footage small in windows
with rims, and a title. Each kind of layer is dragged; a move waits for the picture of the one before, as a hand that is faster would.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPointF
from PySide6.QtWidgets import QApplication

from bench.hands import spin
from tempik.demo.write import PROJECT, write_demo
from tempik.desktop.pages.layer.page import LayerPage
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import theme
from tempik.edit import titles
from tempik.edit.clips.place import with_clip_at, with_new_track
from tempik.edit.recipes import small_picture
from tempik.reel import Reel, Title

DISPLAY, MOVES, LIMIT_MS = ":96", 90, 33.0
PIECES = 3


def five_layers(reel: Reel, first: int, frames: int) -> tuple[Reel, list[str]]:
    """Lay three small pictures and a title over a clip; returns their ids, the lowest first."""
    names = []
    videos = [f.id for f in reel.footage if f.kind == "video"]
    for number in range(PIECES):
        while len(reel.tracks) <= 2 + number:
            reel = with_new_track(reel)
        before = {c.id for c in reel.clips}
        reel = with_clip_at(reel, videos[number], first, 2 + number, frames=frames)
        names += [c.id for c in reel.clips if c.id not in before]
    reel = small_picture(reel, names)
    reel, title = titles.with_title(reel, Title("Five layers here"), first, frames)
    return reel, [*names, title]


def measured(window: Window, page: LayerPage) -> list[float]:
    """Drag the selected layer about; return how long each move took to be seen, in milliseconds."""
    seen: list[float] = []
    shown = [False]

    def note(*_: object) -> None:
        shown[0] = True

    window.transport.image_shown.connect(note)
    tool, out = page.tool.box, seen
    tool.press(QPointF(0.5, 0.5))
    tool._grip = "move"
    placed = tool.placed()
    assert placed is not None
    tool._begin(placed)
    for number in range(MOVES):
        shown[0] = False
        began = time.perf_counter()
        turn = 2 * np.pi * number / 45
        tool.drag(QPointF(0.06 * np.cos(turn) + 0.03, 0.04 * np.sin(turn) + 0.02))
        while not shown[0] and time.perf_counter() - began < 1.0:
            QApplication.processEvents()
        out.append((time.perf_counter() - began) * 1000)
    tool.settle()
    window.transport.image_shown.disconnect(note)
    return seen[5:]


def main() -> None:
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    time.sleep(1.0)
    manager = subprocess.Popen(["openbox"], env={**os.environ, "DISPLAY": DISPLAY}, stderr=subprocess.DEVNULL)
    try:
        with tempfile.TemporaryDirectory(prefix="tempik-drag-") as folder:
            os.environ |= {"DISPLAY": DISPLAY, "QT_QPA_PLATFORM": "xcb", "TEMPIK_STATE": f"{folder}/state"}
            app = QApplication(sys.argv[:1])
            theme.dress(app)
            write_demo(Path(folder) / "demo")
            window = Window()
            window.show()
            spin(1.0)
            window.importer.open_project(Path(folder) / "demo" / PROJECT)
            until = time.monotonic() + 120
            while (
                window.worker.jobs or window.background.jobs or window.preview.image is None
            ) and time.monotonic() < until:
                spin(0.2)
            below = window.project.timeline.own_tracks[0][1]
            made: list[list[str]] = []

            def lay(reel: Reel) -> Reel:
                out, names = five_layers(reel, below.first, below.frames)
                made.append(names)
                return out

            window.project.change("Five layers", lay)
            window.project.playhead.go(below.first + 12)
            window.open_page(LayerPage)
            spin(3.0)
            count = len(window.project.timeline.clips_at(window.project.playhead.frame))
            print(f"{count} layers, preview {window.transport.frames._size}")
            for what, clip in (
                ("a small picture with a rim", made[-1][0]),
                ("a title", made[-1][-1]),
                ("what lies below all", below.clip.id),
            ):
                window.project.selection.select_clip(clip)
                spin(1.0)
                times = measured(window, window.page(LayerPage))
                within = np.mean(np.array(times) <= LIMIT_MS) * 100
                print(
                    f"{what}: median {np.median(times):.0f} ms, 95 % {np.percentile(times, 95):.0f} ms, {within:.0f} % within {LIMIT_MS:.0f} ms"
                )
            window.shut_down()
    finally:
        manager.terminate()
        screen.terminate()
