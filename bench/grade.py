"""Grade: what it costs an export without a 3D LUT and with one, whether the preview keeps its rate, how soon a slider shows, how fast
scopes are. Use: ./run bench grade [FILM …]; given films, it is they that are graded, cut every two seconds."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from bench.layers import proxies_of
from bench.told import say
from bench.transitions import demo_reel, film_reel
from tempik.demo import PROJECT, write_demo
from tempik.grade import scopes
from tempik.grade.apply import regraded
from tempik.grade.cube import written_cube
from tempik.grade.pointwise import function_of
from tempik.grade.table import table_of
from tempik.media.picture import Picture, to_rgb
from tempik.reel import Grade, Reel, Wheel
from tempik.render import PictureSource, export, plan
from tempik.timeline.timeline import Timeline

ROUNDS = 3
COLOURS = Grade(
    exposure=0.2, temperature=0.15, contrast=0.2, shadows=0.2, highlights=-0.2, saturation=1.1, gentle=0.2, fade=0.2, split=0.2,
    dark_wheel=Wheel(0.05, -0.05, 0.0), luma_curve=((0.0, 0.0), (0.3, 0.26), (0.7, 0.74), (1.0, 1.0)), hue_saturation=((30.0, 0.1), (200.0, -0.2)),
)  # fmt: skip


def each_its_own(reel: Reel, grade: Grade) -> Reel:
    """Return a reel with a grade on every clip, each a little other, as after corrections: no table serves two."""
    clips = tuple(replace(c, grade=replace(grade, exposure=grade.exposure + n / 100)) for n, c in enumerate(reel.clips))
    return replace(reel, clips=clips)


def exports(reel: Reel, lut: str, folder: Path) -> None:
    """Exports in turn, the fastest of each compared."""
    with_lut = replace(COLOURS, lut=lut)
    forms = {
        "plain": reel,
        "one grade on every clip": replace(reel, clips=tuple(replace(c, grade=COLOURS) for c in reel.clips)),
        "another grade on every clip": each_its_own(reel, COLOURS),
        "with a 33-point LUT": each_its_own(reel, with_lut),
        "a look over grades, vignette and grain (nothing asked)": replace(
            each_its_own(reel, COLOURS), look=replace(COLOURS, vignette=0.3, grain=0.2)
        ),
    }
    spent: dict[str, list[float]] = {name: [] for name in forms}
    for _ in range(ROUNDS):
        for name, made in forms.items():
            table_of.cache_clear()  # type: ignore[attr-defined]
            began = time.perf_counter()
            export(Timeline(made), folder / "o.mp4")
            spent[name].append(time.perf_counter() - began)
    plain = min(spent.pop("plain"))
    for name, times in spent.items():
        most = 9.9 if "nothing" in name else 1.8 if "LUT" in name else 1.3
        ratio = min(times) / plain
        say(f"export, {name}", f"{ratio:.2f} × ungraded", "–" if most > 9 else f"≤ {most} ×", ratio <= most)


def preview(reel: Reel, lut: str) -> None:
    """Half size from proxies, with everything on."""
    made = replace(each_its_own(reel, replace(COLOURS, lut=lut)), look=replace(COLOURS, vignette=0.3, grain=0.25))
    timeline = Timeline(made)
    with PictureSource(proxy=proxies_of(reel).get) as source:
        for frame in range(30, 40):
            source.render(plan(timeline, frame, 540, 960))
        began = time.perf_counter()
        for frame in range(40, 130):
            to_rgb(source.render(plan(timeline, frame, 540, 960)))
        rate = 90 / (time.perf_counter() - began)
    say(
        "preview at half size from proxies, all controls, LUT, vignette, grain, frames/s",
        f"{rate:.0f}",
        "≥ 30",
        rate >= 30,
    )


def sliders(reel: Reel, lut: str) -> None:
    """From another value to the picture, as large as the preview has it at 1280 × 800 and at half size."""
    timeline = Timeline(reel)
    with PictureSource() as source:
        for size in ((346, 614), (540, 960)):
            ground = source.render(plan(timeline, 60, *size))
            for name, grade in (("all controls", COLOURS), ("all controls and a LUT", replace(COLOURS, lut=lut))):
                table_of.cache_clear()  # type: ignore[attr-defined]
                spent = [_timed(lambda g=grade, n=n, on=ground: _shown(on, g, n)) for n in range(12)]  # type: ignore[misc]
                took = float(np.median(spent)) * 1000
                say(f"a slider's step, {name}, {size[0]} × {size[1]}, ms", f"{took:.0f}", "≤ 33", took <= 33)


def _shown(ground: Picture, grade: Grade, number: int) -> None:
    to_rgb(regraded(ground, ((replace(grade, contrast=number / 50), 1.0),), 0, quick=True))


def _timed(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


_DRAGGED = """
import statistics, sys, time
from pathlib import Path
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication
from tempik.desktop.app import put_interface_first
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import theme
app = QApplication([])
theme.dress(app)
window = Window()
put_interface_first(window)
window.resize(1280, 800)
window.show()
loop, timer = QEventLoop(), QTimer()
timer.setSingleShot(True)
timer.timeout.connect(loop.quit)
def wait(ms):
    timer.start(ms)
    loop.exec()
    timer.stop()
window.files.open_project(Path(sys.argv[1]))
wait(4000)
while window.worker.jobs or window.background.jobs:
    wait(200)
window.commands["show_grade"].trigger()
window.project.playhead.go(60)
wait(1500)
page = window.bench.current
page.show_subject(1)
slider = page.panes["Light"].sliders.rows["exposure"].slider
slider.setSliderDown(True)
spent, shown = [], []
def come(image):
    shown.append(time.perf_counter())
    loop.quit()
for step in range(44):
    wait(60)
    window.transport.image_shown.connect(come)
    shown.clear()
    began = time.perf_counter()
    slider.setValue(slider.value() + 3)
    if not shown:
        wait(2000)
    window.transport.image_shown.disconnect(come)
    spent.append((shown[0] - began) * 1000)
print(statistics.median(spent[4:]), flush=True)
window.project.saved_reel = window.project.reel
import os
os._exit(0)
"""


def dragged_in_the_window(project: Path) -> None:
    """From a slider's step to the picture in the preview, everything else of the window beside it; values not seen before."""
    environment = {**os.environ, "QT_QPA_PLATFORM": os.environ.get("QT_QPA_PLATFORM", "offscreen")}
    took = []
    for _ in range(3):
        run = subprocess.run(
            [sys.executable, "-c", _DRAGGED, str(project)], capture_output=True, text=True, check=True, env=environment
        )
        took.append(float(run.stdout.split()[-1]))
    middle = sorted(took)[1]
    say("a slider's step in the window, the demo, ms", f"{middle:.0f}", "≤ 33", middle <= 33)


def scope_rates(reel: Reel) -> None:
    with PictureSource() as source:
        rgb = to_rgb(source.render(plan(Timeline(reel), 60, 540, 960)))
    for name, of in (
        ("waveform", scopes.waveform),
        ("parade", scopes.parade),
        ("vectorscope", scopes.vectorscope),
        ("histogram", scopes.histogram),
    ):
        spent = min(_timed(lambda of=of: of(rgb)) for _ in range(10))  # type: ignore[misc]
        say(f"scope: {name}, a second", f"{1 / spent:.0f}", "≥ 15", spent <= 1 / 15)


def main(films: list[str]) -> None:
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        if films:
            reel = film_reel(films)
        else:
            write_demo(folder / "demo")
            dragged_in_the_window(folder / "demo" / PROJECT)
            reel = replace(demo_reel(folder / "demo"), length_s=8.0)
        lut = folder / "look.cube"
        written_cube(function_of((Grade(temperature=0.3, contrast=0.3, split=0.5),)), lut, "look")
        exports(reel, str(lut), folder)
        preview(reel, str(lut))
        sliders(reel, str(lut))
        scope_rates(reel)
