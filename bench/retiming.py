"""What speed costs: ramped and reversed clips against the same clip at constant speed, frames in between, dragging.

`./run bench retiming`; `./run bench between FILM` measures flow on film with every second frame left out.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.metrics import peak_signal_noise_ratio, structural_similarity

from bench.told import say
from tempik.demo import PROJECT, write_demo
from tempik.media import probe
from tempik.media.picture import Picture
from tempik.reel import Clip, Curve, Edge, Footage, Interpolation, Reel
from tempik.render import ExportSettings, PictureSource, export, plan
from tempik.render.between import InBetweens, blended
from tempik.retime import constant, ramp
from tempik.timeline.timeline import Timeline

SECONDS = 8
Luma = NDArray[np.uint8]


def long_gop_film(path: Path, seconds: int = 24) -> Path:
    """Write 1920×1080 at 30 with a key frame every 250: detail that pans, turns and is lit, as a camera gives it."""
    noise = np.random.default_rng(1).random((1400, 2400, 3)).astype(np.float32)
    ground = cv2.GaussianBlur(noise, (0, 0), 2.5) + cv2.GaussianBlur(noise, (0, 0), 25)
    ground = (ground - ground.min()) / (ground.max() - ground.min()) * 255
    ground = np.asarray(ground, dtype=np.uint8)
    with av.open(str(path), "w") as container:
        options = {"preset": "veryfast", "crf": "20", "keyint": "250", "scenecut": "0"}
        stream = container.add_stream("libx264", rate=30, options=options)
        stream.width, stream.height, stream.pix_fmt = 1920, 1080, "yuv420p"
        stream.codec_context.gop_size = 250
        for number in range(seconds * 30):
            x, y = round(200 + 180 * np.sin(number / 40)), round(150 + 120 * np.cos(number / 55))
            picture = np.ascontiguousarray(ground[y : y + 1080, x : x + 1920])
            container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, "rgb24")))
        container.mux(stream.encode(None))
    return path


def one_clip(film: Path, curve: Curve, source_s: float, between: Interpolation = "nearest") -> Timeline:
    facts = probe(str(film))
    piece = Footage("f1", str(film), facts.width, facts.height, facts.rate, facts.length_s)
    clip = Clip("c1", "f1", Edge(0.0), Edge(float(SECONDS)), source_s, curve)
    return Timeline(
        Reel(1080, 1920, Fraction(30), float(SECONDS), footage=(piece,), clips=(clip,), interpolation=between)
    )


def exported(timeline: Timeline, folder: Path) -> float:
    began = time.perf_counter()
    export(timeline, folder / "o.mp4", ExportSettings(quality="standard"))
    return time.perf_counter() - began


def bench_curves(film: Path, folder: Path) -> None:
    """Export the same eight seconds at constant speed, ramped and backward, two rounds in turn; the best of each."""
    ways: dict[str, Timeline] = {
        "constant": one_clip(film, constant(1.0), 6.0),
        "ramped": one_clip(film, ramp(1.6, 0.4, 0.42), 6.0),
        "backward": one_clip(film, constant(-1.0), 16.0),
        "backward ramp": one_clip(film, ramp(-0.4, -1.6, 0.42), 16.0),
    }
    best = dict.fromkeys(ways, float("inf"))
    for _ in range(2):
        for name, timeline in ways.items():
            best[name] = min(best[name], exported(timeline, folder))
    for name in list(ways)[1:]:
        ratio = best[name] / best["constant"]
        say(f"export of a clip {name} (1080p, key every 250)", f"{ratio:.2f} × constant", "≤ 1.3 ×", ratio <= 1.3)


def bench_in_betweens(film: Path) -> None:
    """Render at 1080×1920 a clip at a quarter of its speed: three of four frames are made."""
    for way, asked in (("blend", 0.0), ("flow", 6.0)):
        timeline = one_clip(film, constant(0.25), 6.0, way)  # type: ignore[arg-type]
        with PictureSource() as source:
            source.render(plan(timeline, 0, 1080, 1920))
            began = time.perf_counter()
            frames = [k for k in range(1, 33) if k % 4]
            for number in frames:
                source.render(plan(timeline, number, 1080, 1920))
            rate = len(frames) / (time.perf_counter() - began)
        say(
            f"frames in between by {way}, 1080×1920",
            f"{rate:.1f} frames/s",
            f"≥ {asked:.0f}" if asked else "–",
            rate >= asked,
        )
    # The dearest case: every made frame needs a flow of its own.
    timeline = one_clip(film, constant(0.5), 6.0, "flow")
    with PictureSource() as source:
        source.render(plan(timeline, 0, 1080, 1920))
        began = time.perf_counter()
        for number in range(1, 32, 2):
            source.render(plan(timeline, number, 1080, 1920))
        rate = 16 / (time.perf_counter() - began)
    say("the same by flow, each frame from another pair", f"{rate:.1f} frames/s", "≥ 6", rate >= 6)


def lumas(path: Path, most: int) -> list[Luma]:
    out: list[Luma] = []
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            out.append(np.asarray(frame.to_ndarray(format="gray"), dtype=np.uint8))
            if len(out) == most:
                break
    return out


def picture(luma: Luma) -> Picture:
    height, width = (s // 2 * 2 for s in luma.shape)
    grey = np.full((height // 2, width // 2), 128, np.uint8)
    return Picture(np.ascontiguousarray(luma[:height, :width]), grey, grey)


def bench_between(path: Path, most: int = 400) -> None:
    """Leave every second frame of a film out, make it again, and compare with what was left out.

    Where the frame left out only repeats a neighbour, it does not lie between them, and is passed over.
    """
    frames, maker = lumas(path, most), InBetweens()
    rows: list[tuple[float, float, float, float]] = []
    repeats = 0
    for i in range(0, len(frames) - 2, 2):
        a, truth, b = frames[i : i + 3]
        apart = [float(np.mean(cv2.absdiff(x, y))) for x, y in ((a, truth), (truth, b))]
        if min(apart) < 0.15 * max(apart):
            repeats += 1
            continue
        made = [blended(picture(a), picture(b), 0.5).y, maker.made(picture(a), picture(b), 0.5, (i,)).y]
        truth = truth[: made[0].shape[0], : made[0].shape[1]]
        values = [f(truth, m) for f in (peak_signal_noise_ratio, structural_similarity) for m in made]
        rows.append((values[0], values[1], values[2], values[3]))
    table = np.array(rows)
    gain, ssim = table[:, 1] - table[:, 0], table[:, 3] - table[:, 2]
    print(f"{path.name}: {len(rows)} frames made again, {repeats} passed over that only repeat a neighbour")
    say("flow over blend, mean", f"{gain.mean():+.2f} dB {ssim.mean():+.4f} SSIM", "–", True)
    say("flow over blend, worst frame", f"{gain.min():+.2f} dB {ssim.min():+.4f} SSIM", "≥ −0.2 dB", gain.min() >= -0.2)
    print(f"mean PSNR: blend {table[:, 0].mean():.2f} dB, flow {table[:, 1].mean():.2f} dB")


_DRAG = """
import os, sys, time
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication
from tempik.desktop.app import put_interface_first
from tempik.desktop.pages.speed.page import SpeedPage
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import theme
from tempik.edit.speed import speed
from tempik.retime import ready_shape
from pathlib import Path
app = QApplication([])
theme.dress(app)
window = Window()
put_interface_first(window)
window.show()
def spin(seconds):
    end = time.perf_counter() + seconds
    while time.perf_counter() < end:
        app.processEvents()
window.files.open_project(Path(sys.argv[1]))
spin(4)
while window.worker.jobs or window.bench.unmade:
    spin(0.2)
clip = next(p.clip.id for p in window.project.timeline.placed if p.ties and not p.footage.endless)
window.project.change("dip", lambda reel: speed.with_shape(reel, [clip], ready_shape("dip"), 1.0, "pin"))
window.project.selection.select_clip(clip)
window.open_page(SpeedPage); spin(0.5)
graph = window.page(SpeedPage).graph
def mouse(kind, at):
    left = Qt.MouseButton.LeftButton
    QApplication.sendEvent(graph, QMouseEvent(kind, at, graph.mapToGlobal(at), left, left, Qt.KeyboardModifier.AltModifier))
spot = graph.axes.spots(window.project.selection.placed)[1]
mouse(QEvent.Type.MouseButtonPress, spot)
steps = []
for k in range(90):
    began = time.perf_counter()
    mouse(QEvent.Type.MouseMove, spot + QPointF(k % 30, -(k % 45)))
    app.processEvents()
    steps.append(time.perf_counter() - began)
steps.sort()
print(sum(steps) / len(steps), steps[int(0.95 * len(steps))])
window.project.saved_reel = window.project.reel
window.shut_down()
"""


def bench_drag(demo: Path) -> None:
    """Drag a node of a shaped clip of the demo, everything in the window following."""
    run = subprocess.run([sys.executable, "-c", _DRAG, str(demo / PROJECT)], capture_output=True, text=True, check=True)
    mean, late = (float(v) * 1000 for v in run.stdout.split()[-2:])
    say("a step of dragging a node of the speed graph", f"{mean:.0f} ms, 95 % ≤ {late:.0f}", "≤ 33 ms", mean <= 33.4)


def main(arguments: list[str]) -> int:
    if arguments[:1] == ["between"]:
        if len(arguments) != 2:
            print("bench between: which film? ./run bench between FILM", file=sys.stderr)
            return 2
        bench_between(Path(arguments[1]))
        return 0
    with tempfile.TemporaryDirectory() as name:
        film = long_gop_film(Path(name) / "film.mp4")
        bench_curves(film, Path(name))
        bench_in_betweens(film)
        write_demo(Path(name) / "demo")
        bench_drag(Path(name) / "demo")
    return 0
