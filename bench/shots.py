"""Make the pictures and lists of the docs: one PNG of each main view, from the demo, and docs/keyboard.md."""

from __future__ import annotations

import sys
import time
from pathlib import Path

from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

from tempik.demo import PROJECT, demo_is_whole, write_demo
from tempik.desktop import theme
from tempik.desktop.actions import keyboard_list
from tempik.desktop.files import demo_folder
from tempik.desktop.window import Window
from tempik.retime import ramp

DOCS = Path(__file__).parents[1] / "docs"


def spin(seconds: float) -> None:
    loop = QEventLoop()
    QTimer.singleShot(round(seconds * 1000), loop.quit)
    loop.exec()


def settle(window: Window) -> None:
    """Wait until the jobs are done and the preview shows the frame under the playhead."""
    until = time.monotonic() + 60
    while (window.worker.jobs or window.transport.shown != window.project.frame) and time.monotonic() < until:
        spin(0.1)
    spin(0.8)


def grab(window: Window, name: str) -> None:
    spin(0.3)
    window.grab().save(str(DOCS / "screenshots" / f"{name}.png"))


def main() -> None:
    (DOCS / "screenshots").mkdir(parents=True, exist_ok=True)
    (DOCS / "keyboard.md").write_text(keyboard_list(), encoding="utf-8")
    demo = demo_folder()
    if not demo_is_whole(demo):
        write_demo(demo)
    app = QApplication(sys.argv[:1])
    theme.dress(app)
    window = Window()
    window.show()
    spin(0.5)
    grab(window, "empty")
    window.files.open_project(demo / PROJECT)
    settle(window)
    placed = window.project.timeline.placed[8]
    window.project.select_clip(placed.clip.id)
    window.project.go(placed.ties[0].frame + 4)
    settle(window)
    grab(window, "demo")
    window.project.go(placed.ties[0].frame)
    for _ in range(4):
        window.timeline.zoom(1.6)
    window.show_speed()
    window.speed_page._set(ramp(1.1, 0.4, 0.42), "Speed ramp")
    settle(window)
    grab(window, "speed")
    for _ in range(9):
        window.timeline.zoom(1.5)
    grab(window, "frames")
    window.undo()
    window.fit()
    window.show_rhythm()
    view = window.rhythm_page.view
    view.show_reel()
    window.listening.mark((16.0, 19.75))
    view.go(17.2)
    view.zoom(2.4)
    window.project.select_points([p.id for p in window.project.timeline.points[32:35]])
    settle(window)
    grab(window, "rhythm")
    window.listening.mark(None)
    window.project.select_points(())
    window.show_check()
    settle(window)
    grab(window, "check")
    window.show_footage()
    window.show_draft()
    spin(0.4)
    window.draft_panel.grab().save(str(DOCS / "screenshots" / "draft.png"))
    window.draft_panel.hide()
    window.shut_down()


if __name__ == "__main__":
    main()
