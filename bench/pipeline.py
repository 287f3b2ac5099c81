"""The pipeline: what an export costs against a plain re-encode, where its time goes, what the preview reaches, and that
a frame costs the same on a reel of any length."""

from __future__ import annotations

import statistics
import tempfile
import time
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path
from typing import cast

import av
from av.audio.stream import AudioStream
from av.video.stream import VideoStream
from msgspec.structs import replace

from bench.speed import Cost, cost_of, plain_reencode
from bench.textured import SIZE, write_textured
from bench.told import say
from tempik.demo import PROJECT, write_demo
from tempik.edit import ruled
from tempik.edit.footage.facts import footage_from
from tempik.edit.song.stretches import with_stretch
from tempik.edit.speed.speed import with_curve
from tempik.formats import CONTAINERS, FORMATS
from tempik.media.picture import to_frame, to_rgb
from tempik.media.probe import probe
from tempik.project.file import load_reel
from tempik.reel import Clip, Edge, Reel, Rule
from tempik.render import PictureSource, export, plan
from tempik.render.film import CACHE_BYTES
from tempik.retime import ramp
from tempik.timeline.timeline import Timeline

STRETCH_S = 8.0


def busy_reel(demo: Path) -> Reel:
    """Return a stretch of the demo with ramps on every clip, and flash, shake and punch on every beat."""
    reel = with_stretch(load_reel(demo / PROJECT), 15.0, STRETCH_S)
    # Without the demo's own look, sounds and motion blur: what looks and sounds cost is measured by `./run bench grade` and `./run bench sound`.
    reel = replace(
        reel,
        clips=tuple(c for c in reel.clips if c.track == 0),
        tracks=reel.tracks[:1],
        look=None,
        look_keys=(),
        shutter_deg=0.0,
        sound_lanes=(),
    )
    for row in reel.accent_lanes:
        reel = ruled.with_rule(reel, row.id, Rule())
    for placed in Timeline(reel).placed:
        if not placed.ties:
            continue
        name = placed.clip.id
        reel = with_curve(reel, name, ramp(1.0, 0.7, 0.5))
    return reel


def exports(demo: Path, folder: Path) -> None:
    """A stretch of the demo, sharp and with the shutter at 180 degrees, and footage that is hard to encode."""
    sharp = busy_reel(demo)
    _export("demo: ramps, flash, shake, punch on every beat", sharp, folder, 1.6, None)
    _export("the same with motion blur at 180°", replace(sharp, shutter_deg=180.0), folder, 2.5, None)
    files = [write_textured(folder / f"texture-{n}.mp4", n, 6.0) for n in range(2)]
    for name, accents, clock, processor in (("plain clips", False, 1.1, 1.1), ("flash, shake, punch", True, 1.25, 1.2)):
        _export(f"textured footage: {name}", textured_reel(sharp, files, accents), folder, clock, processor)
    _against_least_work(textured_reel(sharp, files, False), files, folder)


def textured_reel(busy: Reel, files: list[Path], accents: bool) -> Reel:
    """Return clips of files in turn, a second each, under the busy reel's song, with its accents or with none."""
    pieces = tuple(replace(footage_from(probe(str(path)), set()), id=f"t{n}") for n, path in enumerate(files))
    clips = tuple(
        Clip(id=f"c{n}", footage=pieces[n % 2].id, start=Edge(float(n)), end=Edge(n + 1.0), source_s=0.5 * n)
        for n in range(int(STRETCH_S))
    )
    return replace(busy, footage=pieces, clips=clips, accent_lanes=busy.accent_lanes if accents else ())


def least_work(files: list[Path], song: Path, start_s: float, target: Path) -> Cost:
    """Return what it costs to decode the frames that the textured reel's plain clips show, and the song, and to encode them at the
    standard settings: the least that any program could do for the same pictures and sound."""
    return cost_of(lambda: _least_work(files, song, start_s, target))


def _least_work(files: list[Path], song: Path, start_s: float, target: Path) -> None:
    kind, holder = FORMATS[0], CONTAINERS[".mp4"]
    with ExitStack() as stack:
        read = [stack.enter_context(av.open(str(path))) for path in files]
        write = stack.enter_context(av.open(str(target), "w"))
        options = dict(kind.qualities["standard"])
        out = cast(VideoStream, write.add_stream(kind.video, rate=30, options=options))
        out.width, out.height, out.pix_fmt = *SIZE, kind.pixels
        out.codec_context.thread_type = "FRAME"
        heard = cast(AudioStream, write.add_stream(holder.sound, rate=48_000, layout="stereo"))
        heard.bit_rate = holder.sound_bit_rate
        frames = []
        for container in read:
            container.streams.video[0].thread_type = "AUTO"
            frames.append(enumerate(container.decode(video=0)))
        number = 0
        for clip in range(int(STRETCH_S)):
            first = 15 * clip  # half a second on for each clip; every file is read once, from its beginning
            for at, frame in frames[clip % 2]:
                if at >= first:
                    frame.pts, frame.time_base, frame.pict_type = number, Fraction(1, 30), 0
                    number += 1
                    write.mux(out.encode(frame))
                if at >= first + 29:
                    break
        write.mux(out.encode(None))
        with av.open(str(song)) as sound:
            for part in sound.decode(audio=0):
                if part.time is not None and start_s <= part.time < start_s + STRETCH_S:
                    part.pts = None
                    write.mux(heard.encode(part))
        write.mux(heard.encode(None))


def _against_least_work(reel: Reel, files: list[Path], folder: Path) -> None:
    song = reel.soundtrack
    assert song is not None
    timeline, clocks, processors = Timeline(reel), [], []
    for _ in range(3):
        ours = cost_of(lambda: export(timeline, folder / "reel.mp4"))
        least = least_work(files, Path(song.path), song.start_s, folder / "least.mp4")
        clocks.append(ours.clock_s / least.clock_s)
        processors.append(ours.processor_s / least.processor_s)
    for what, ratios in (("clock", clocks), ("processor", processors)):
        ratio = statistics.median(ratios)
        text = f"{ratio:.2f} × ({min(ratios):.2f}–{max(ratios):.2f})"
        say(f"export, {what}: the same against the least work for the same pictures", text, "≤ 1.1 ×", ratio <= 1.1)


def _export(name: str, reel: Reel, folder: Path, clock: float, processor: float | None) -> None:
    """What an export costs against re-encoding what was written, by the clock and in processor seconds."""
    timeline, clocks, processors = Timeline(reel), [], []
    for _ in range(3):
        ours = cost_of(lambda: export(timeline, folder / "reel.mp4"))
        plain = plain_reencode(folder / "reel.mp4", folder / "plain.mp4")
        clocks.append(ours.clock_s / plain.clock_s)
        processors.append(ours.processor_s / plain.processor_s)
    for what, ratios, most in (("clock", clocks, clock), ("processor", processors, processor)):
        ratio = statistics.median(ratios)
        text = f"{ratio:.2f} × plain ({min(ratios):.2f}–{max(ratios):.2f})"
        asked = "–" if most is None else f"≤ {most} ×"
        say(f"export, {what}: {name}", text, asked, most is None or ratio <= most)


def shares(demo: Path, folder: Path) -> None:
    """Where the time of an export goes, each part alone on one thread: they overlap in the export itself."""
    timeline = Timeline(busy_reel(demo))
    size = (timeline.reel.width, timeline.reel.height)
    spent = {"plan": 0.0, "decode": 0.0, "composite": 0.0}
    with PictureSource(CACHE_BYTES) as source:
        frames = []
        for number in range(timeline.frames):
            began = time.perf_counter()
            meant = plan(timeline, number, *size)
            planned = time.perf_counter()
            for shot in meant.layer_plans:
                source._source(shot)
            decoded = time.perf_counter()
            picture = to_frame(source.render(meant))  # its sources are at hand now
            composed = time.perf_counter()
            spent["plan"] += planned - began
            spent["decode"] += decoded - planned
            spent["composite"] += composed - decoded
            frames.append(picture)
            if len(frames) > 4:
                frames.pop(0)
    began = time.perf_counter()
    export(timeline, folder / "whole.mp4")
    whole = time.perf_counter() - began
    spent["encode"] = plain_reencode(folder / "whole.mp4", folder / "plain.mp4").clock_s
    total = sum(spent.values())
    parts = ", ".join(f"{name} {100 * value / total:.0f} %" for name, value in spent.items())
    say("where an export's work lies", parts, "–", True)
    say("export against its parts, one after the other", f"{whole / total:.2f} ×", "–", True)


def previews(demo: Path) -> None:
    """The rate of rendering for the preview, and its slowest second."""
    for name, reel in (("sharp", busy_reel(demo)), ("motion blur", replace(busy_reel(demo), shutter_deg=180.0))):
        timeline = Timeline(reel)
        for size, least, what in (((540, 960), 30, "half"), ((1080, 1920), 20, "full")):
            marks = [time.perf_counter()]
            with PictureSource(224 << 20) as source:
                for number in range(timeline.frames):
                    to_rgb(source.render(plan(timeline, number, *size)))
                    if number % 30 == 29:
                        marks.append(time.perf_counter())
            slowest = 30 / max(b - a for a, b in zip(marks, marks[1:], strict=False))
            rate = 30 * (len(marks) - 1) / (marks[-1] - marks[0])
            text = f"{rate:.0f} fps, slowest second {slowest:.0f}"
            say(f"preview at {what} size, {name}", text, f"≥ {least} fps", slowest >= least)


def of_length(demo: Path, length_s: float) -> Timeline:
    """Return the busy reel repeated to a length: its song's points and clips again and again."""
    reel = busy_reel(demo)
    song = reel.soundtrack
    assert song is not None and song.heard is not None
    beats = song.heard.beats
    gap = (beats[-1].time_s - beats[0].time_s) / (len(beats) - 1)
    again = round((length_s + STRETCH_S) / gap) + 8
    more = tuple(
        type(beats[0])(beats[0].time_s + k * gap, beats[k % len(beats)].strength, k // 4 + 1, k % 4 + 1, beats[0].time_s + k * gap)
        for k in range(again)
    )  # fmt: skip
    heard = replace(song.heard, beats=more, onsets=(), sections=(), length_s=length_s + 20)
    song = replace(song, heard=heard, length_s=length_s + 20, start_s=0.0)
    clips: list[Clip] = []
    spans = Timeline(reel).placed
    at = 0.0
    while at < length_s:
        placed = spans[len(clips) % len(spans)]
        end = at + placed.frames / float(reel.rate)
        edge = type(placed.clip.start)
        clips.append(replace(placed.clip, id=f"c{len(clips)}", start=edge(at), end=edge(end), pins=(), source_s=0.2))
        at = end
    return Timeline(replace(reel, soundtrack=song, clips=tuple(clips), length_s=length_s))


def lengths(demo: Path) -> None:
    """The time of a frame at 15, 60 and 180 seconds: planned and rendered at half size, in turns."""
    reels = {s: of_length(demo, float(s)) for s in (15, 60, 180)}
    spent: dict[int, list[float]] = {s: [] for s in reels}
    planning: dict[int, list[float]] = {s: [] for s in reels}
    with PictureSource(224 << 20) as source:
        for round_ in range(4):
            for seconds, timeline in reels.items():
                first = 0  # the same pictures on all three, read from the files in the round that is not counted
                began = time.perf_counter()
                for number in range(first, first + 60):
                    source.render(plan(timeline, number, 540, 960))
                if round_:
                    spent[seconds].append((time.perf_counter() - began) / 60)
                began = time.perf_counter()
                for number in range(first, first + 60):
                    plan(timeline, number, 540, 960)
                planning[seconds].append((time.perf_counter() - began) / 60)
    middle = {s: statistics.median(v) * 1000 for s, v in spent.items()}
    plans = {s: statistics.median(v) * 1000 for s, v in planning.items()}
    text = ", ".join(f"{s} s: {middle[s]:.1f} ms (plan {plans[s]:.2f})" for s in reels)
    ratio = middle[180] / middle[15]
    say("the same frames on reels of", text, "–", True)
    say("a frame, 180 s against 15 s", f"{ratio:.2f} ×", "≤ 1.3 ×", ratio <= 1.3)


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_demo(folder / "demo")
        exports(folder / "demo", folder)
        shares(folder / "demo", folder)
        previews(folder / "demo")
        lengths(folder / "demo")


if __name__ == "__main__":
    main()
