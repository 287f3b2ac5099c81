"""Kills: the real window is killed among edits, drags, undoing, saves, exports, takings-up and first starts, and what it had
shown must be there afterwards."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import Any, NamedTuple

from tempik.project.file import load_reel, save_reel
from tempik.project.journal import left_behind
from tempik.project.versions import versions

# What may be lost of a drag that is under way, in seconds.
DRAG_S = 2.0
# So long an export may take to notice that its window was killed.
LONGEST_END_S = 30

# The window in a process of its own: it does things at random and says what it begins and what it has shown.
EDITOR = """
import json, os, random, sys, time
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from pathlib import Path
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication
from tempik.desktop.session.gesture import Gesture
from tempik.deliver.order import Order
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import theme
from tempik.edit.accents.lanes import with_all_amounts
project_file, seed, number = Path(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3])
rng = random.Random(seed)
app = QApplication([])
theme.dress(app)
window = Window()
window.show()
def spin(ms):
    loop = QEventLoop(); QTimer.singleShot(ms, loop.quit); loop.exec()
def say(**what):
    print(json.dumps({**what, "amount": window.project.reel.amount, "at": time.time()}), flush=True)
say(begins="start")
if not window.importer.open_project(project_file):
    say(blocked=window.foot.status.text()); sys.exit(3)
if window.recovery.left is not None:
    say(begins="taking up")
    window.recovery.answer(True)
    say(done="taken up")
say(done="opened")
project = window.project
while True:
    spin(rng.randrange(1, 60))
    what = rng.choice(("edit",) * 6 + ("undo", "redo", "drag", "drag", "save", "export", "new"))
    number += 1
    goal = number / 100_000
    if what == "edit":
        say(begins="edit", goal=goal)
        project.change(f"step {number}", lambda reel: with_all_amounts(reel, goal))
    elif what in ("undo", "redo"):
        steps = project.history
        there = steps.undone() if what == "undo" else steps.redone()
        say(begins=what, goal=there.reel.amount)
        getattr(window, what)()
    elif what == "drag":
        gesture = Gesture(project)
        say(begins="drag", goal=project.history.reel.amount)
        for _ in range(rng.randrange(3, 40)):
            number += 1
            goal = number / 100_000
            say(begins="dragging", goal=goal)
            gesture.show(lambda reel: with_all_amounts(reel, goal))
            say(dragged=goal)
            spin(rng.choice((5, 20, 120)))
        say(begins="settling", goal=goal)
        gesture.settle(f"drag {number}")
    elif what == "save":
        say(begins="save", goal=project.reel.amount)
        project.save()
        say(saved=True)
    elif what == "export" and window.exports.running is None:
        window.exports.start(Order(), project_file.with_name("out.mp4"))
    elif what == "new":
        continue
    say(done=what)
"""


class Kills(NamedTuple):
    """What was found after so many kills."""

    kills: int
    at: dict[str, int]  # what was under way when it was killed
    steps: int  # that were shown, all runs together
    wrong: list[str]


def run(folder: Path, reel: Any, count: int, seed: int = 1, report: bool = True) -> Kills:
    """Kill the window `count` times on one project."""
    rng = random.Random(seed)
    project = folder / "r.tempik"
    save_reel(reel, project)
    wrong: list[str] = []
    at: dict[str, int] = {}
    shown, number = 0, 1000
    for kill in range(count):
        before = _state(project)
        message, killed_at = _killed(project, seed * 10_000 + kill, number, rng)
        number += 4000
        for problem in _judged(project, before, message, killed_at):
            wrong.append(f"kill {kill}: {problem}")
        under_way = next((s["begins"] for s in reversed(message) if "begins" in s), "before it began")
        at[under_way] = at.get(under_way, 0) + 1
        shown += sum("done" in s or "dragged" in s for s in message)
        if report and kill % 25 == 24:
            print(f"  kills: {kill + 1}, wrong {len(wrong)} …", file=sys.stderr, flush=True)
        number = number if number < 190_000 else 1000
    wrong += _orphans(project.parent) + _strays(project)
    return Kills(count, at, shown, wrong)


def _environment(folder: Path) -> dict[str, str]:
    own = {"TEMPIK_CACHE": str(folder / "cache"), "TEMPIK_STATE": str(folder / "state"), "OPENBLAS_NUM_THREADS": "1"}
    return {**os.environ, **own, "QT_QPA_PLATFORM": "offscreen"}


def _killed(project: Path, seed: int, number: int, rng: random.Random) -> tuple[list[dict[str, Any]], float]:
    """Let the window work and kill it; return what it said, and when it was killed."""
    process = subprocess.Popen(
        [sys.executable, "-c", EDITOR, str(project), str(seed), str(number)],
        stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, env=_environment(project.parent),
    )  # fmt: skip
    assert process.stdout is not None
    lines: list[str] = []
    if rng.random() < 0.1:  # a start that does not come to its end
        time.sleep(rng.uniform(0.3, 2.0))
    else:
        while not (lines and '"opened"' in lines[-1]):
            line = process.stdout.readline()
            if not line:
                break
            lines.append(line)
        time.sleep(rng.choice((rng.uniform(0, 0.3), rng.uniform(0, 1.5), rng.uniform(0, 4.5))))
    process.send_signal(signal.SIGKILL)
    killed_at = time.time()
    lines += process.stdout.read().splitlines()
    process.wait()
    return [json.loads(line) for line in lines if line.strip().endswith("}")], killed_at


def _state(project: Path) -> float:
    """Return what an editor would find: the amount of all accents, which tells the states apart."""
    found = left_behind(project)
    return (found.history.reel if found is not None else load_reel(project)).amount


def _judged(project: Path, before: float, message: list[dict[str, Any]], killed_at: float) -> list[str]:
    """Return what is wrong after a kill."""
    out = []
    try:
        now = _state(project)
    except Exception as error:
        return [f"{type(error).__name__}: {error}"]
    blocked = [s["blocked"] for s in message if "blocked" in s]
    if blocked:
        out.append(f"the start was blocked: {blocked[0]}")
    allowed, dragged_long = _allowed(before, message, killed_at)
    if not any(abs(now - a) < 1e-9 for a in allowed):
        out.append(f"{now} was found, and one of {sorted(allowed)[-4:]} was shown")
    elif dragged_long and not any(abs(now - d) < 1e-9 for d in dragged_long):
        out.append(f"a drag that had been shown for over {DRAG_S} s is lost")
    for version in versions(project):
        try:
            load_reel(version.path)
        except Exception as error:
            out.append(f"a kept save is broken: {error}")
    exported = project.with_name("out.mp4")
    if exported.exists():
        from tempik.media import probe

        try:
            probe(str(exported))
        except Exception as error:
            out.append(f"a half-written export: {error}")
    return out


def _allowed(before: float, message: list[dict[str, Any]], killed_at: float) -> tuple[set[float], set[float]]:
    """Return the states that may be found: the last one shown, or what was begun after it; and, where a drag had gone on
    for longer than may be lost, what it had shown."""
    allowed, drag = {before}, list[dict[str, Any]]()
    for entry in message:
        if "done" in entry:
            allowed, drag = {entry["amount"]}, []
        elif "dragged" in entry:
            drag.append(entry)
            allowed.add(entry["dragged"])
        elif "goal" in entry:
            allowed.add(entry["goal"])
    long = [d for d in drag if killed_at - d["at"] > DRAG_S + 0.5]
    return allowed, {d["dragged"] for d in drag} | (allowed - {before}) if long else set()


def _orphans(folder: Path) -> list[str]:
    """Wait until the exports of killed windows have ended, as they must by themselves."""
    latest = time.monotonic() + LONGEST_END_S
    while living := [pid for pid in os.listdir("/proc") if pid.isdigit() and _works_for(pid, folder)]:
        if time.monotonic() > latest:
            return [f"{len(living)} exports went on for {LONGEST_END_S} s after their window was killed"]
        time.sleep(0.1)
    return []


def _works_for(pid: str, folder: Path) -> bool:
    try:
        return f"TEMPIK_STATE={folder / 'state'}".encode() in Path("/proc", pid, "environ").read_bytes().split(b"\0")
    except OSError:
        return False


def _strays(project: Path) -> list[str]:
    """Start once more, save, export and close; return the files that are left and should not be."""
    code = (
        "import sys; from pathlib import Path; from PySide6.QtWidgets import QApplication; app = QApplication([]);"
        "from tempik.desktop.session.document import Project; from tempik.render.export import export\n"
        "p = Project(); path = Path(sys.argv[1]); p.open(path); found = p.left_behind(); found and p.take_up(found);"
        "p.save(); export(p.timeline, path.with_name('out.mp4')); p.close()"
    )
    subprocess.run([sys.executable, "-c", code, str(project)], check=True, env=_environment(project.parent))
    ours = {"r.tempik", "r.saves", "out.mp4", "cache", "state", "m"}
    left = [p.name for p in project.parent.iterdir() if p.name not in ours]
    left += [p.name for p in (project.parent / "r.saves").iterdir() if not p.name.endswith(".tempik")]
    return [f"left over: {', '.join(left)}"] if left else []
