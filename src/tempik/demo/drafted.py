"""Writing the demo: media, their truth as CSV, and a drafted project."""

from __future__ import annotations

import csv
import io
import subprocess
import sys
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from msgspec.structs import replace

from tempik.assemble import gathered
from tempik.demo.drawing import Image
from tempik.demo.scenes import SCENES, Scene
from tempik.demo.song import RATE, beat_times, blow_sound, write_song
from tempik.disk.writing import fresh_file, make_folders, remove, write_whole
from tempik.edit import titles
from tempik.edit.clips import layers, place
from tempik.edit.drafting.make import MoodWish, draft_in_mood
from tempik.edit.drafting.material import studies_of
from tempik.edit.drafting.moods import mood_named
from tempik.edit.joins import laying
from tempik.edit.reframe import reframed
from tempik.errors import TempikError
from tempik.joins import join_of
from tempik.project.file import save_reel
from tempik.reel import Arrival, Framing, Position, Reel, Title
from tempik.timeline.timeline import timeline_of

PROJECT = "forge.tempik"
# The same reel in other frames: what a project is called, and its size.
OTHERS = {"forge square.tempik": (1080, 1080), "forge wide.tempik": (1920, 1080)}
SONG = "forge-song.wav"
VERSION = "7"
# The mood that the demo is drafted by, which draw of it, and the footage that is laid over the others alone.
MOOD, SEED, OVERLAY = "driving", 12, "embers"
_MARK = "demo-version.txt"


def demo_is_whole(folder: Path) -> bool:
    """Tell whether this version's demo has been written there to its end."""
    mark = folder / _MARK
    there = all((folder / name).is_file() for name in (PROJECT, *OTHERS))
    return mark.is_file() and mark.read_text(encoding="utf-8").strip() == VERSION and there


def write_demo(folder: Path) -> Path:
    """Write the demo into a folder (made if need be) and return its project file.

    The same bytes at every run of the same libraries. Raises TempikError when the folder cannot be written.
    """
    try:
        make_folders(folder)
        remove(folder / _MARK)
        with fresh_file(folder / SONG) as song:
            write_song(song.path)
        _write_truth(folder)
        with ThreadPoolExecutor(2) as pool:
            longest_first = sorted(SCENES, key=lambda s: -s.frames * s.width * s.height)
            list(pool.map(_write_apart, longest_first, [folder] * len(SCENES)))
        project = _write_project(folder)
        write_whole(folder / _MARK, f"{VERSION}\n".encode())
    except OSError as error:
        raise TempikError(
            f"The demo could not be written to {folder} ({error.strerror}); choose another place."
        ) from error
    return project


def footage_name(scene: Scene) -> str:
    return f"{scene.name}.mp4"


def _write_truth(folder: Path) -> None:
    beats = [[f"{t:.6f}", bar, beat] for t, bar, beat in beat_times()]
    _write_table(folder / "beats.csv", [["time_s", "bar", "beat"], *beats])
    cues = [[footage_name(s), f"{s.cue_s:.6f}"] for s in SCENES]
    _write_table(folder / "cues.csv", [["file", "time_s"], *cues])


def _write_table(path: Path, lines: Sequence[Sequence[object]]) -> None:
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerows(lines)
    write_whole(path, text.getvalue().encode())


def _write_apart(scene: Scene, folder: Path) -> None:
    """Write one scene in a process of its own, so that two fill two cores whoever calls."""
    code = "import sys; from tempik.demo.write import write_named; write_named(*sys.argv[1:])"
    made = subprocess.run(
        [sys.executable, "-c", code, scene.name, str(folder)], capture_output=True, text=True, check=False
    )
    if made.returncode:
        last = (made.stderr.strip().splitlines() or ["no reason given"])[-1]
        raise TempikError(f"The demo's footage {footage_name(scene)} could not be written to {folder} ({last}).")


def write_named(name: str, folder: str) -> None:
    """Write the scene of that name into a folder."""
    write_scene(next(s for s in SCENES if s.name == name), Path(folder))


def write_scene(scene: Scene, folder: Path) -> None:
    """Draw and encode one piece of footage."""
    with fresh_file(folder / footage_name(scene)) as new:
        _encode(scene, new.path)


def _encode(scene: Scene, path: Path) -> None:
    cv2.setNumThreads(1)  # two scenes at a time fill two cores; more threads only get in each other's way
    draw = scene.build(scene.width, scene.height)
    with av.open(str(path), "w", format="mp4", options={"movflags": "+faststart"}) as container:
        # One thread: the bytes must not depend on the machine.
        options = {"preset": "superfast", "crf": "22", "threads": "1"}
        video = container.add_stream("libx264", rate=scene.rate, options=options)
        video.width, video.height, video.pix_fmt = scene.width, scene.height, "yuv420p"
        video.codec_context.gop_size = scene.rate // 2
        video.codec_context.color_range = 1
        video.codec_context.colorspace = video.codec_context.color_primaries = video.codec_context.color_trc = 1
        audio = container.add_stream("aac", rate=RATE, layout="mono") if scene.sound_ring is not None else None
        for number in range(scene.frames):
            frame = av.VideoFrame.from_ndarray(_picture(scene, draw, number), "bgr24")
            frame = frame.reformat(format="yuv420p", dst_colorspace="ITU709", dst_color_range="MPEG")
            frame.pts, frame.time_base = number, Fraction(1, scene.rate)
            container.mux(video.encode(frame))
        container.mux(video.encode(None))
        if audio is not None and scene.sound_ring is not None:
            samples = blow_sound(scene.cue_s, scene.frames / scene.rate, scene.sound_ring, scene.frames)
            for start in range(0, len(samples), 1024):
                block = samples[None, start : start + 1024].astype(np.float32)
                sound = av.AudioFrame.from_ndarray(np.ascontiguousarray(block), "fltp", "mono")
                sound.sample_rate, sound.pts, sound.time_base = RATE, start, Fraction(1, RATE)
                container.mux(audio.encode(sound))
            container.mux(audio.encode(None))


def _picture(scene: Scene, draw: Callable[[float], Image], number: int) -> Image:
    # The cue's own frame is never one of those that repeat.
    if scene.repeats and (number - scene.cue_frame) % 5 == 2:
        number -= 1
    return draw((number - scene.cue_frame) / scene.rate)


def _write_project(folder: Path) -> Path:
    files = [str(folder / footage_name(s)) for s in SCENES]
    cues = [(str(folder / footage_name(s)), s.cue_s) for s in SCENES]
    song, pieces = gathered(str(folder / SONG), files, cues)
    wish = MoodWish(mood_named(MOOD), SEED)
    on_ground = [f for f in pieces if not f.name.startswith(OVERLAY)]
    drafted = draft_in_mood(song, on_ground, studies_of(on_ground), wish).reel
    over = [f for f in pieces if f.name.startswith(OVERLAY)]
    reel = replace(drafted, footage=(*drafted.footage, *over))
    made = _titled(_layered(_joined(reel)))
    save_reel(made, folder / PROJECT)
    for name, size in OTHERS.items():
        save_reel(reframed(made, *size), folder / name)
    return folder / PROJECT


# The few joins that are laid by hand, each near a bar where the footage goes on long enough for it.
JOINS = (
    (2, "light-dissolve", 10, ""), (7, "whip", 7, "down"), (11, "zoom-in", 8, ""), (15, "light-sweep", 9, ""),
)  # fmt: skip


# The demo's title, from one bar up to another, its words on the points from there on; and the bars over which embers fly.
TITLE = Title("Open day\nat the smithy", size=0.17, wrap=0.72, shadow=0.7, outline=0.0,
              enter=Arrival("pop", 5), leave=Arrival("rise", 8))  # fmt: skip
TITLE_BARS, EMBER_BARS = (3, 6), (9, 11)


def _layered(reel: Reel) -> Reel:
    """Return the demo's reel with a film of embers laid over the drop, by its light alone."""
    first, end = _bars(reel, EMBER_BARS)
    piece = next(f.id for f in reel.footage if f.name.startswith(OVERLAY))
    reel = place.with_clip_at(place.with_row(reel), piece, first, 1, frames=end - first)
    name = reel.clips[-1].id
    reel = layers.with_opacity(layers.with_blend(reel, [name], "screen"), [name], 0.85)
    reel = layers.with_fade(reel, [name], False, 4)
    return layers.with_fade(reel, [name], True, 1, "beats")


def _titled(reel: Reel) -> Reel:
    """Return the demo's reel with its title, each word on its own point."""
    first, end = _bars(reel, TITLE_BARS)
    high = Framing(fit="stretch", start=Position(x=-0.04, y=-0.24))
    reel, name = titles.with_title(reel, TITLE, first, end - first, 1, high)
    return titles.with_words_on_points(reel, [name])


def _bars(reel: Reel, bars: tuple[int, int]) -> tuple[int, int]:
    """Return the frames of the downbeats of two bars."""
    timeline = timeline_of(reel)
    at = {p.bar: timeline.frame_of_point(p) for p in timeline.on_reel() if p.beat == 1 and not p.part}
    return at[bars[0]], at[bars[1]]


def _joined(reel: Reel) -> Reel:
    """Return the demo's reel with a join on a few of its cuts."""
    for bar, kind, frames, way in JOINS:
        timeline = timeline_of(reel)
        bars = {p.bar: timeline.frame_of_point(p) for p in timeline.on_reel() if p.beat == 1 and not p.part}
        starts = {p.clip.id: p.first for p in timeline.placed}
        for at in sorted(laying.cuts(timeline), key=lambda place: abs(starts[place.clip] - bars[bar])):
            join = replace(join_of(kind), length=float(frames), direction=way)
            made = laying.with_joins(reel, {at: join})
            if not any(seam.missing for seams in timeline_of(made).seams for seam in seams):
                reel = made
                break
    return reel
