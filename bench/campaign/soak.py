"""A soak: the real window plays, scrubs, edits, undoes and exports for as long as is wanted; memory, threads and open files
are compared between its halves."""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
from itertools import chain
from pathlib import Path
from typing import NamedTuple

EDITOR = """
import faulthandler, json, os, random, sys, threading, time
from collections import Counter
faulthandler.enable()
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from pathlib import Path
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication
from tempik.desktop.app import put_interface_first
from tempik.desktop.pages import PAGES
from tempik.desktop.session.gesture import Gesture
from tempik.deliver.order import Order
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import theme
from tempik.edit.accents.lanes import with_all_amounts
path, length_s = Path(sys.argv[1]), float(sys.argv[2])
rng = random.Random(1)
app = QApplication([])
theme.dress(app)
window = Window()
put_interface_first(window)
window.show()
# One loop and one timer, and no slot of the binding's own: it keeps the name of such a slot each time that one is connected (6.11).
loop, after = QEventLoop(), QTimer(singleShot=True)
after.timeout.connect(lambda: loop.quit())
def spin(ms):
    after.start(ms); loop.exec()
def measured():
    with open("/proc/self/status") as status:
        memory = next(int(l.split()[1]) / 1024 for l in status if l.startswith("VmRSS"))
    return {"mb": round(memory), "threads": threading.active_count(), "files": len(os.listdir("/proc/self/fd"))}
window.importer.open_project(path)
spin(3000)
project = window.project
began, acts = time.monotonic(), 0
# Of each eighth, how often so many megabytes were held, and the fewest threads and files: a list of every act would itself grow.
memory, least = [Counter() for _ in range(8)], [{"threads": 999, "files": 999} for _ in range(8)]
while time.monotonic() - began < length_s:
    what = rng.choice(("play", "scrub", "scrub", "edit", "undo", "drag", "page", "split", "export", "save"))
    acts += 1
    if what == "play":
        window.play.play_pause(); spin(700); window.play.play_pause()
    elif what == "scrub":
        for _ in range(12):
            project.playhead.go(rng.randrange(project.timeline.frames)); spin(15)
    elif what == "edit":
        project.change("amount", lambda reel: with_all_amounts(reel, rng.random()))
    elif what == "split":
        project.playhead.go(rng.randrange(project.timeline.frames)); window.cuts.split(); window.undo()
    elif what == "undo":
        window.undo()
    elif what == "drag":
        gesture = Gesture(project)
        for n in range(20):
            gesture.show(lambda reel: with_all_amounts(reel, n / 20)); spin(5)
        gesture.drop()
    elif what == "page":
        window.page_panel.open(rng.choice(PAGES))
    elif what == "export" and window.exports.running is None:
        window.exports.start(Order(), path.with_name("out.mp4"))
    elif what == "save":
        project.save()
    if len(project.history.steps) > 200:
        project.save(); window.importer.open_project(path)
    spin(20)
    eighth = min(7, int(8 * (time.monotonic() - began) / length_s))
    now = measured()
    memory[eighth][now["mb"]] += 1
    least[eighth] = {what: min(before, now[what]) for what, before in least[eighth].items()}
window.exports.close()
print(json.dumps({"acts": acts, "memory": [sorted(each.elements()) for each in memory], "least": least}))
project.saved_reel = project.history.reel
window.shut_down()
"""


class Soak(NamedTuple):
    """What was measured: acts, memory in the middle of the second and of the last quarter, and the fewest threads and open files:
    how many jobs, each with a thread and files of its own, are under way at once is chance; what is never let go raises the least.
    So does it raise the middle of memory, whose most is a chance of several jobs at once."""

    acts: int
    second_mb: float
    last_mb: float
    second_threads: int
    last_threads: int
    second_files: int
    last_files: int
    course_mb: tuple[int, ...]  # the middle of each eighth
    most_mb: tuple[int, ...]  # the most in each

    @property
    def flat(self) -> bool:
        steady = self.last_threads <= self.second_threads and self.last_files <= self.second_files
        return self.last_mb <= 1.03 * self.second_mb and steady


def run(project: Path, length_s: float) -> Soak:
    """Work on a project for so many seconds."""
    folder = project.parent
    own = {"TEMPIK_CACHE": str(folder / "cache"), "TEMPIK_STATE": str(folder / "state"), "OPENBLAS_NUM_THREADS": "1"}
    done = subprocess.run(
        [sys.executable, "-c", EDITOR, str(project), str(length_s)],
        capture_output=True, text=True, check=False, env={**os.environ, **own, "QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    if done.returncode:
        raise SystemExit(f"The window ended with {done.returncode}:\n{done.stderr[-4000:]}")
    out = json.loads(done.stdout.strip().splitlines()[-1])
    memory: list[list[int]] = out["memory"]
    least: list[dict[str, int]] = out["least"]
    second, last = slice(2, 4), slice(6, 8)
    was_mb, is_mb = (statistics.median(chain.from_iterable(memory[part])) for part in (second, last))
    (was_threads, was_files), (is_threads, is_files) = (
        [min(each[what] for each in least[part]) for what in ("threads", "files")] for part in (second, last)
    )
    # A machine that was asked to wait for a while may have done nothing in an eighth.
    course = tuple(round(statistics.median(each)) for each in memory if each)
    most = tuple(max(each) for each in memory if each)
    return Soak(out["acts"], was_mb, is_mb, was_threads, is_threads, was_files, is_files, course, most)
