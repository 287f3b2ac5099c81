"""How long somebody waits who starts Tempik for the demo where it was never made: until its first frame is seen, and until all is made.

./run bench first
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench.told import say

_STARTED = """
import sys, time
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from tempik.demo import demo_is_whole
from tempik.desktop.app import run
from tempik.desktop.session.importer import demo_folder
from tempik.desktop.shell.window import Window

began = float(sys.argv[1])

def look():
    windows = [w for w in QApplication.topLevelWidgets() if isinstance(w, Window)]
    seen = windows and windows[0].project.reel.clips and windows[0].preview.image is not None
    if not told and seen:
        told.append(time.time() - began)
    if told and demo_is_whole(demo_folder()):
        print(told[0], time.time() - began)
        windows[0].shut_down()
        QApplication.quit()

told = []
app = QApplication([])
timer = QTimer()
timer.setInterval(20)
timer.timeout.connect(look)
timer.start()
run(demo=True)
"""


def bench_first() -> None:
    """Print what was waited for, the middle of three starts, each with nothing kept."""
    waits = []
    for _ in range(3):
        with tempfile.TemporaryDirectory() as folder:
            places = {"TEMPIK_CACHE": str(Path(folder) / "cache"), "TEMPIK_STATE": str(Path(folder) / "state")}
            screen = {"QT_QPA_PLATFORM": os.environ.get("QT_QPA_PLATFORM", "offscreen")}
            child = [sys.executable, "-c", _STARTED, str(time.time())]
            done = subprocess.run(
                child, env={**os.environ, **places, **screen}, capture_output=True, text=True, check=True
            )
            seen, whole = done.stdout.split()[-2:]
            waits.append((float(seen), float(whole)))
    seen_s, whole_s = sorted(waits)[1]
    text = f"{seen_s:.1f} s; all of it made after {whole_s:.1f} s"
    say("the first frame of a demo that was never made", text, "≤ 12 s", seen_s <= 12)


def main() -> None:
    bench_first()


if __name__ == "__main__":
    main()
