"""The plan's reaches, each as one line: what was measured, what is asked, and whether it is met in this run."""

from __future__ import annotations

import json
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple, cast

import av
import numpy as np
from av.audio.stream import AudioStream
from av.video.stream import VideoStream

from bench.first import bench_first
from bench.told import say
from tempik.demo import PROJECT, demo_is_whole, write_demo
from tempik.demo.song import write_song
from tempik.formats import CONTAINERS, FORMATS
from tempik.project.file import load_reel


class Cost(NamedTuple):
    """Seconds by the clock, and of all the processor's cores together."""

    clock_s: float
    processor_s: float


def cost_of(work: Callable[[], object]) -> Cost:
    """Return what work in this process costs."""
    clock, processor = time.perf_counter(), time.process_time()
    work()
    return Cost(time.perf_counter() - clock, time.process_time() - processor)


def plain_reencode(source: Path, target: Path) -> Cost:
    """Return what decoding a file and encoding it again at the standard settings costs, picture and sound, with frame threads."""
    return cost_of(lambda: _reencode(source, target))


def _reencode(source: Path, target: Path) -> None:
    kind = FORMATS[0]
    with av.open(str(source)) as read, av.open(str(target), "w") as write:
        holder = CONTAINERS[".mp4"]
        stream = read.streams.video[0]
        stream.thread_type = "AUTO"
        out = cast(
            VideoStream,
            write.add_stream(kind.video, rate=stream.average_rate, options=dict(kind.qualities["standard"])),
        )
        out.width, out.height, out.pix_fmt = stream.width, stream.height, kind.pixels
        out.codec_context.thread_type = "FRAME"
        sound = read.streams.audio[0] if read.streams.audio else None
        heard = (
            cast(AudioStream, write.add_stream(holder.sound, rate=48_000, layout="stereo"))
            if sound is not None
            else None
        )
        if heard is not None:
            heard.bit_rate = holder.sound_bit_rate
        number = 0
        for packet in read.demux([s for s in (stream, sound) if s is not None]):
            for frame in packet.decode():
                if isinstance(frame, av.VideoFrame):
                    frame.pts, frame.time_base, frame.pict_type = number, 1 / Fraction(stream.average_rate or 30), 0
                    number += 1
                    write.mux(out.encode(frame))
                elif heard is not None and isinstance(frame, av.AudioFrame):
                    write.mux(heard.encode(frame))
        write.mux(out.encode(None))
        if heard is not None:
            write.mux(heard.encode(None))


def whole_process(*arguments: str) -> tuple[float, float]:
    """Return seconds and peak MB of a command, the cache empty."""
    with tempfile.TemporaryDirectory() as cache:
        began = time.perf_counter()
        code = (
            "import resource,subprocess,sys;subprocess.run(sys.argv[1:],check=True,stdout=subprocess.DEVNULL);"
            "print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)"
        )
        run = subprocess.run(
            [sys.executable, "-c", code, *arguments],
            capture_output=True, text=True, check=True, env={**os.environ, "TEMPIK_CACHE": cache},
        )  # fmt: skip
        return time.perf_counter() - began, int(run.stdout) / 1024


def bench_beats(folder: Path) -> None:
    import wave

    write_song(folder / "song.wav")
    with wave.open(str(folder / "song.wav")) as read:
        rate, data = read.getframerate(), read.readframes(read.getnframes())
    samples = np.frombuffer(data, "<i2").reshape(-1, 2)
    long = np.concatenate([samples] * 8)[: 240 * rate]
    with wave.open(str(folder / "long.wav"), "wb") as write:
        write.setnchannels(2)
        write.setsampwidth(2)
        write.setframerate(rate)
        write.writeframes(long.tobytes())
    times = [whole_process(sys.executable, "-m", "tempik.cli", "beats", str(folder / "long.wav")) for _ in range(3)]
    seconds, memory = statistics.median(t for t, _ in times), max(m for _, m in times)
    say(
        "rhythm of a 4-minute song, whole process",
        f"{seconds:.2f} s, {memory:.0f} MB",
        "≤ 3 s, ≤ 500 MB",
        seconds <= 3 and memory <= 500,
    )
    code = "import sys,librosa;y,sr=librosa.load(sys.argv[1]);librosa.beat.beat_track(y=y,sr=sr)"
    theirs, _ = whole_process(sys.executable, "-c", code, str(folder / "long.wav"))
    say(
        "the same against the reference library's, cold",
        f"{seconds / theirs:.2f} ×",
        "≤ 0.25 ×",
        seconds / theirs <= 0.25,
    )


_START = """
import os, time
began = time.perf_counter()
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from tempik.desktop.app import run
application = QApplication([])
def up():
    application.processEvents()
    print(time.perf_counter() - began, flush=True)
    os._exit(0)
QTimer.singleShot(0, up)
run()
"""

_WINDOW = """
import os, sys, time
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from PySide6.QtCore import QElapsedTimer, QEventLoop, QTimer
from PySide6.QtWidgets import QApplication
from tempik.desktop.widgets import theme
from tempik.deliver.order import Order
from tempik.desktop.shell.window import Window
from tempik.desktop.pages.rhythm.page import RhythmPage
from pathlib import Path
from tempik.desktop.app import put_interface_first
app = QApplication([])
theme.dress(app)
window = Window()
put_interface_first(window)
window.show()
window.resize(1280, 800)
worst = 0.0
def spin(ms):
    global worst
    loop = QEventLoop()
    QTimer.singleShot(ms, loop.quit)
    beat, last = QTimer(), [time.perf_counter()]
    beat.setInterval(0)
    def tick():
        global worst
        now = time.perf_counter()
        worst = max(worst, now - last[0])
        last[0] = now
    beat.timeout.connect(tick)
    beat.start()
    loop.exec()
def act(ms, what):
    # Within the loop, as a click is: what it does itself counts too.
    QTimer.singleShot(0, what)
    spin(ms)
def longest(acts):
    global worst
    found = []
    for name, ms, what in acts:
        worst = 0.0
        act(ms, what)
        found.append((worst, name))
    return sorted(found, reverse=True)
window.importer.open_project(Path(sys.argv[1]))
spin(4000)
while window.worker.jobs or window.page_panel.unmade:  # nobody touches anything: pages are made ahead
    spin(200)
spin(1000)
from tempik.edit.song import points as edit_points
from tempik.desktop.session.gesture import Gesture
point = window.project.timeline.on_reel()[6]
gesture = Gesture(window.project)
def moved(k):
    gesture.show(lambda reel: edit_points.with_moved_point(reel, point.id, point.time_s + k * 0.004))
from tempik.desktop.pages import PAGES
for ms, name in longest([
    ("select a clip", 300, lambda: window.project.selection.select_clip(window.project.timeline.placed[1].clip.id)),
    ("show Speed", 300, lambda: window.commands["show_speed"].trigger()),
    *[("zoom", 40, lambda: window.timeline.zoom(1.3)) for k in range(12)],
    *[("drag a point", 30, lambda k=k: moved(k)) for k in range(20)],
    ("drop it", 60, lambda: gesture.settle("Point moved")),
    ("undo", 60, window.undo),
    ("show Rhythm", 300, lambda: window.commands["show_rhythm"].trigger()),
    ("half tempo", 60, window.rhythm.half_tempo), ("undo", 60, window.undo),
    ("three in a bar", 60, lambda: window.rhythm.set_metre(3)), ("undo", 60, window.undo),
    *[("zoom the song", 40, lambda: window.page(RhythmPage).view.zoom(1.5)) for k in range(8)],
    *[(f"show {page.title}", 300, lambda page=page: window.open_page(page)) for page in PAGES],
])[:8]:
    print(ms, name)
sys.stdout.flush()
if len(sys.argv) < 3:
    os._exit(0)
window.play.play_pause(); spin(6000)
print(window.transport.dropped, window.project.playhead.frame)
window.play.play_pause()
window.exports.start(Order(), Path(sys.argv[1]).with_name("from window.mp4"))
while window.exports.running is not None:
    spin(200)
import resource
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024)
window.shut_down()
"""


def _run(script: str, *arguments: str) -> list[str]:
    done = subprocess.run([sys.executable, "-c", script, *arguments], capture_output=True, text=True, check=True)
    return done.stdout.strip().splitlines()


def bench_window(demo: Path) -> None:
    project = str(demo / PROJECT)
    starts = [float(_run(_START)[0]) for _ in range(7)]
    up = statistics.median(starts)
    say("window up, empty", f"{up:.2f} s, {min(starts):.2f} to {max(starts):.2f}", "≤ 1.0 s", up <= 1.0)
    found = [_run(_WINDOW, project)[0].split(" ", 1) for _ in range(5)]
    block, name = statistics.median_low([(float(seconds), name) for seconds, name in found])
    text = f"{block * 1000:.0f} ms ({name})"
    say("longest block of the interface while editing", text, "≤ 50 ms", block <= 0.05)
    played, held = _run(_WINDOW, project, "play")[-2:]
    dropped, frames = played.split()
    say("playing the demo for six seconds in the window", f"{dropped} of {frames} dropped", "0 dropped", dropped == "0")
    say("memory of the window after playing and exporting the demo", f"{held} MB", "< 1024 MB", float(held) < 1024)


_AHEAD = """
import os, time
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from PySide6.QtWidgets import QApplication
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import theme
app = QApplication([])
theme.dress(app)
window = Window()
window.show()
app.processEvents()
longest, slowest = 0.0, ""
more, title = True, ""
while more:
    title = window.page_panel.unmade[0].title if window.page_panel.unmade else title
    began = time.perf_counter()
    more = window.page_panel.make_ahead()
    longest, slowest = max((longest, slowest), (time.perf_counter() - began, title))
print(longest, slowest, flush=True)
os._exit(0)
"""


def bench_ahead() -> None:
    """Print the longest time for which a window stands still while it makes its pages ahead, soon after each start."""
    runs = [_run(_AHEAD)[-1].split() for _ in range(3)]
    longest, page = sorted((float(seconds), title) for seconds, title in runs)[1]
    say("a page made ahead, the longest step", f"{1000 * longest:.0f} ms ({page})", "≤ 200 ms", longest <= 0.2)


def long_reel(demo: Path, folder: Path) -> Path:
    """Write a reel of three minutes, 300 clips on 20 files: the demo's footage under other names, its song repeated."""
    import wave

    from msgspec.structs import replace

    from tempik.assemble import soundtrack_from
    from tempik.edit.clips import place
    from tempik.project.file import save_reel
    from tempik.reel import Edge
    from tempik.rhythm import analyse

    small = load_reel(demo / PROJECT)
    assert small.soundtrack is not None
    with wave.open(small.soundtrack.path) as read:
        form, data = read.getparams(), read.readframes(30 * read.getframerate())
    with wave.open(str(folder / "three minutes.wav"), "wb") as write:
        write.setparams(form)
        write.writeframes(data * 6 + data[: len(data) // 6])
    films = [f for f in small.footage if Path(f.path).is_file()]  # titles and solids have none
    pieces = []
    for number in range(20):
        source = films[number % len(films)]
        path = folder / f"piece {number + 1}.mp4"
        shutil.copy(source.path, path)
        pieces.append(replace(source, id=f"f{number + 1}", path=str(path)))
    song = soundtrack_from(str(folder / "three minutes.wav"), analyse(str(folder / "three minutes.wav")))
    reel = replace(small, soundtrack=song, footage=tuple(pieces), clips=(), length_s=180.0)
    reel = place.filled(reel, [p.id for p in pieces])
    last = replace(reel.clips[299], end=Edge(180.0))
    save_reel(replace(reel, clips=(*reel.clips[:299], last)), folder / "long.tempik")
    return folder / "long.tempik"


_LONG = """
import json, os, statistics, sys, time, resource
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from pathlib import Path
import numpy as np
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication
from tempik.desktop.widgets import theme
from tempik.deliver.order import Order
from tempik.desktop.shell.window import Window
from tempik.desktop.app import put_interface_first
app = QApplication([])
theme.dress(app)
window = Window()
put_interface_first(window)
window.show()
window.resize(1280, 800)
app.processEvents()
def spin(ms):
    loop = QEventLoop(); QTimer.singleShot(ms, loop.quit); loop.exec()
began = time.perf_counter()
window.importer.open_project(Path(sys.argv[1]))
app.processEvents()
out = {"open": time.perf_counter() - began}
spin(500)
until = time.perf_counter() + 200
while (window.worker.jobs or window.background.jobs or window.page_panel.unmade) and time.perf_counter() < until:
    spin(200)
project = window.project
window.commands["show_speed"].trigger()
spin(300)
def times(acts):
    found = []
    for act in acts:
        began = time.perf_counter(); act(); app.processEvents(); found.append(time.perf_counter() - began); spin(120)
    return late(found)
def late(found):
    return statistics.median(found), sorted(found)[max(0, int(0.95 * len(found)) - 1)], max(found)
def at(frame, act):
    project.playhead.go(frame); app.processEvents()
    return act
firsts = [p.first for p in project.timeline.placed]
edits = []
for n in range(20):
    project.playhead.go(firsts[20 + 12 * n] + 5); app.processEvents()
    began = time.perf_counter(); window.cuts.split(); app.processEvents(); edits.append(time.perf_counter() - began); spin(120)
out["split"] = late(edits)
out["undo"] = times([window.undo] * 20)
out["point"] = times([at(firsts[n] + 7, window.points.place_point) for n in range(20, 40)]); times([window.undo] * 20)
def ripple():
    project.selection.select_clip(project.timeline.placed[40].clip.id); window.cuts.remove_and_close_up()
out["close up"] = times([ripple] * 20); times([window.undo] * 20)
def pan():
    window.timeline.view = window.timeline.view.panned(20, project.timeline); window.timeline.update()
found = []
for scale in (1, 3, 4, 5):
    window.timeline.zoom(scale, 400); app.processEvents(); spin(100)
    for _ in range(25):
        began = time.perf_counter(); pan(); app.processEvents(); found.append(time.perf_counter() - began)
out["pan"] = late(found)
found = []
for factor in [1 / 1.15] * 25 + [1.15] * 25:
    began = time.perf_counter(); window.timeline.zoom(factor, 500); app.processEvents(); found.append(time.perf_counter() - began)
out["zoom"] = late(found)
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from tempik.edit.accents.lanes import with_lane
def hovers():
    found = []
    window.timeline.fit(); window.timeline.zoom(4, 400); app.processEvents(); spin(300)
    layout = window.timeline.layout_
    for n in range(120):
        pos = QPointF(110 + 5 * n, layout.lane_top(n % 3) + 6 if n % 2 else 60 + n % 40)
        event = QMouseEvent(QEvent.Type.MouseMove, pos, QPointF(window.timeline.mapToGlobal(pos.toPoint())),
            Qt.MouseButton.NoButton, Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier)
        began = time.perf_counter(); app.sendEvent(window.timeline, event); window.timeline.repaint()
        found.append(time.perf_counter() - began)
    return late(found)
def with_rows(count):
    def edit(reel):
        while len(reel.accent_lanes) < count:
            reel = with_lane(reel, "flash")
        return reel
    project.change("Rows", edit); app.processEvents(); spin(200)
with_rows(6)
few, many = [], []
for _ in range(5):
    few.append(hovers())
    with_rows(60)
    many.append(hovers())
    window.undo(); app.processEvents()
window.undo()
out["hover"] = sorted(few)[2]
out["rows"] = statistics.median(b[0] / a[0] for a, b in zip(few, many))
from tempik.desktop.session.gesture import Gesture
from tempik.edit.accents.lanes import with_all_amounts
from tempik.reel import Footage
from fractions import Fraction
from msgspec.structs import replace
lost = tuple(Footage(f"m{n}", f"/nowhere/at all/{n}.mp4", 320, 180, Fraction(30), 5.0) for n in range(200))
project.change("Lost", lambda reel: replace(reel, footage=(*reel.footage, *lost))); spin(3000)
drag, found = Gesture(project), []
for k in range(60):
    began = time.perf_counter(); drag.show(lambda reel: with_all_amounts(reel, k / 60)); window.timeline.repaint()
    found.append(time.perf_counter() - began); app.processEvents()
drag.drop(); window.undo()
out["missing"] = late(found)
jumps = []
for frame in np.random.default_rng(3).integers(0, project.timeline.frames, 40).tolist():
    window.transport.shown = -1
    began = time.perf_counter(); project.playhead.go(frame)
    while window.transport.shown != frame and time.perf_counter() - began < 3:
        app.processEvents()
    jumps.append(time.perf_counter() - began); spin(30)
out["jump"] = statistics.median(jumps), sorted(jumps)[int(0.95 * len(jumps))], max(jumps)
out["memory"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
print(json.dumps(out))
window.project.saved_reel = window.project.reel
window.shut_down()
"""


def bench_long(demo: Path, folder: Path) -> None:
    project = long_reel(demo, folder)
    with tempfile.TemporaryDirectory() as cache:
        environment = {**os.environ, "TEMPIK_CACHE": cache, "TEMPIK_STATE": cache}
        run = subprocess.run(
            [sys.executable, "-c", _LONG, str(project)], capture_output=True, text=True, check=True, env=environment
        )
    out = json.loads(run.stdout.strip().splitlines()[-1])
    say("300 clips, 20 files: open", f"{out['open']:.2f} s", "≤ 2 s", out["open"] <= 2)
    for name, what, most_ms in (
        ("split", "300 clips: a split shows", 50.0),
        ("undo", "300 clips: undo", 50.0),
        ("point", "300 clips: a point placed", 50.0),
        ("close up", "300 clips: a clip out, closed up", 50.0),
        ("hover", "300 clips: a step of pointing over the timeline", 12.0),
        ("pan", "300 clips: timeline, one step of pan", 12.0),
        ("zoom", "300 clips: timeline, one step of zoom", 12.0),
        ("missing", "300 clips: a step of a drag over 200 missing files", 16.0),
    ):
        middle, late, most = (1000 * v for v in out[name])
        say(what, f"{middle:.0f} ms, 95 %: {late:.0f} ({most:.0f})", f"95 % ≤ {most_ms:.0f} ms", late <= most_ms)
    ratio = out["rows"]
    say("pointing over 60 accent rows against 6, median of five in turn", f"{ratio:.2f} ×", "≤ 1.1 ×", ratio <= 1.1)
    middle, late, most = (1000 * v for v in out["jump"])
    text = f"{middle:.0f} ms, 95 %: {late:.0f} ({most:.0f})"
    say("jump to any frame, with proxies, until it is shown", text, "≤ 60 ms", late <= 60)
    say("300 clips: memory of the window", f"{out['memory']:.0f} MB", "≤ 1229 MB", out["memory"] <= 1229)


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        demo = folder / "demo"
        # Neither what was left in the queue by someone's own windows, nor how they laid them out.
        os.environ["TEMPIK_STATE"] = str(folder / "state")
        began = time.perf_counter()
        write_demo(demo)
        took = time.perf_counter() - began
        size = sum(f.stat().st_size for f in demo.iterdir()) / 1e6
        assert demo_is_whole(demo)
        say("making the demo", f"{took:.1f} s, {size:.1f} MB", "≤ 30 s, ≤ 40 MB", took <= 30 and size <= 40)
        bench_beats(folder)
        bench_window(demo)
        bench_ahead()
        bench_first()
        bench_long(demo, folder)
        _, memory = whole_process(
            sys.executable, "-m", "tempik.cli", "export", str(demo / PROJECT), "-o", str(folder / "reel.mp4")
        )
        say("memory of exporting the demo", f"{memory:.0f} MB", "≤ 1229 MB", memory <= 1229)


if __name__ == "__main__":
    main()
