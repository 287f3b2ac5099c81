"""Drafts by a mood: how long one takes, and what an editor would count in it. Use: ./run bench draft [FOLDER OF SONGS …]

Made footage: forty pieces whose motion, blows and looks are drawn by lot, known and not looked through; songs from the folders, or
the demo's. Songs without a beat or shorter than a quarter of a minute are passed over.
"""

from __future__ import annotations

import os
import statistics
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import numpy as np
from msgspec.structs import replace

from bench.textured import write_textured
from bench.told import say
from tempik.assemble import soundtrack_from
from tempik.check import check_reel
from tempik.demo import PROJECT, write_demo
from tempik.edit.drafting.casting import agreement, cast
from tempik.edit.drafting.make import DraftOptions, draft_in_mood
from tempik.edit.drafting.material import material_of
from tempik.edit.drafting.moods import MOODS, Mood
from tempik.edit.drafting.rhythm import slots_of
from tempik.errors import TempikError
from tempik.media import STEP_S, Course, FootageStudy, Suggestion, index_frames, study
from tempik.media.filmstrip import make_filmstrip
from tempik.media.inspecting import look_over
from tempik.media.probe import Cadence
from tempik.media.proxy import make_proxy
from tempik.project.file import load_reel
from tempik.reel import Footage, Soundtrack
from tempik.reel.points import points_of
from tempik.rhythm import analyse
from tempik.timeline.covering import gaps
from tempik.timeline.timeline import Timeline

PIECES, LENGTH_S = 40, 30.0
ENDINGS = (".wav", ".ogg", ".mp3", ".flac")


def made_footage(count: int, seed: int) -> tuple[list[Footage], dict[str, FootageStudy]]:
    """Return footage of 2 to 12 s with one to six blows each, and motion that wanders about a level of its own."""
    dice = np.random.default_rng(seed)
    footage, studies = [], {}
    for n in range(count):
        length_s, rate = float(dice.uniform(2, 12)), Fraction(int(dice.choice([25, 30, 60, 120])))
        footage.append(Footage(f"f{n}", f"/made/{n}.mp4", 1080, 1920, rate, length_s))
        steps = int(length_s / STEP_S)
        level = dice.uniform(0, 1)
        motion = np.clip(level + 0.2 * np.sin(np.arange(steps) / 3 + dice.uniform(0, 6)), 0, 1)
        cues = tuple(
            Suggestion(float(t), float(dice.uniform(0.2, 1.2)), "impact")
            for t in sorted(dice.uniform(0.2, length_s - 0.3, int(dice.integers(1, 7))))
        )
        way = dice.uniform(0, 2 * np.pi)
        across, down = (tuple(map(float, motion * f(way))) for f in (np.cos, np.sin))
        course = Course(
            tuple(map(float, motion)),
            (0.4,) * steps,
            (5.0,) * steps,
            (0.5,) * steps,
            (0.5,) * steps,
            across,
            down,
            (0.0,) * steps,
        )
        studies[f"f{n}"] = FootageStudy(cues, Cadence(0, 0, float(rate), "none"), course)
    return footage, studies


def songs_of(folders: list[str]) -> list[Soundtrack]:
    if not folders:
        with tempfile.TemporaryDirectory() as folder:
            write_demo(Path(folder))
            song = load_reel(Path(folder) / PROJECT).soundtrack
            return [song] if song is not None else []
    found = []
    for path in sorted(p for folder in folders for p in Path(folder).iterdir() if p.suffix in ENDINGS):
        song = soundtrack_from(str(path), analyse(str(path)))
        if song.length_s >= 15 and song.heard is not None and song.heard.beats:
            found.append(song)
    return found


def main(folders: list[str]) -> None:
    songs = songs_of(folders)
    footage, studies = made_footage(PIECES, 1)
    took = []
    for song in songs[:5]:
        begun = time.monotonic()
        draft_in_mood(song, footage, studies, DraftOptions(MOODS[2], length_s=min(LENGTH_S, song.length_s)))
        took.append(time.monotonic() - begun)
    worst = max(took)
    say(f"a draft of {LENGTH_S:.0f} s from {PIECES} pieces", f"{worst:.2f} s", "≤ 2 s", worst <= 2)
    for mood in MOODS:
        _score(mood, songs, footage, studies)
    _looks()


LOOKS_AT_ONCE = 2  # as the window does


def _looks() -> None:
    """Print what a look over a piece of 1080p footage of 10 s takes where a folder of them comes in, proxy and filmstrip included, beside
    decoding them as many at a time and beside three passes."""
    with tempfile.TemporaryDirectory() as folder:
        paths = [str(write_textured(Path(folder) / f"{seed}.mp4", seed, 10.0)) for seed in range(4)]
        took: dict[str, list[float]] = {"look": [], "decode": [], "apart": []}
        for turn in range(3):
            for name, work in (("decode", _decoded), ("look", _looked), ("apart", _apart)):
                os.environ["TEMPIK_CACHE"] = str(Path(folder) / f"{name}{turn}")
                begun = time.monotonic()
                with ThreadPoolExecutor(LOOKS_AT_ONCE) as at_once:
                    list(at_once.map(work, paths))
                took[name].append((time.monotonic() - begun) / len(paths))
        look, decode, apart = (statistics.median(took[name]) for name in ("look", "decode", "apart"))
        text = f"{look:.1f} s: {look / decode:.2f} × decoding it ({decode:.1f} s), {look / apart:.2f} × one pass each"
        say("a look over 10 s of textured 1080p, one of four", text, "≤ 1.5 s", look <= 1.5)


def _decoded(path: str) -> None:
    with av.open(path) as container:
        container.streams.video[0].thread_type = "AUTO"
        for _ in container.decode(video=0):
            pass


def _looked(path: str) -> None:
    look_over(path, 0, True)


def _apart(path: str) -> None:
    study(path)
    make_filmstrip(path, index_frames(path), 0)
    make_proxy(path)


def _score(mood: Mood, songs: list[Soundtrack], footage: list[Footage], studies: dict[str, FootageStudy]) -> None:
    """Print what an editor would count, over all songs."""
    on = events = holes = neighbours = again = passed = swings = pairs = 0
    used, motion, strength, lengths, flow = [], [], [], [], []
    for seed, song in enumerate(songs):
        start_s = max(0.0, min(song.length_s - LENGTH_S, song.length_s / 3))
        options = DraftOptions(mood, seed, start_s, min(LENGTH_S, song.length_s - start_s))
        try:
            reel = draft_in_mood(song, footage, studies, options).reel
        except TempikError:
            passed += 1
            continue
        timeline = Timeline(reel)
        tied = [e for e in check_reel(timeline).events if e.tied]
        on, events, holes = on + sum(e.ok for e in tied), events + len(tied), holes + len(gaps(timeline))
        end_s = start_s + (options.length_s or LENGTH_S)
        slots = slots_of(replace(song, start_s=start_s), start_s, end_s, mood, seed).slots
        material = material_of(footage, studies)
        chosen = cast(slots, material, mood, seed)
        names = [c.chance.piece.id for c in chosen]
        swings += sum(a == b for a, b in zip(names, names[2:], strict=False))
        pairs += max(len(names) - 2, 0)
        neighbours += sum(a == b for a, b in pairwise(names))
        shown = [(c.chance.piece.id, c.chance.time_s) for c in chosen]
        again += len(shown) - len(set(shown)) if len(slots) <= len(material.chances) else 0
        used.append(len(set(names)) / min(len(footage), len(slots)))
        if mood.flow:
            flow += [agreement(a.chance, b.chance, mood) for a, b in pairwise(chosen)]
        energy = [s.energy for s in slots]
        if len(set(energy)) > 1 and len(slots) > 5:
            motion.append(float(np.corrcoef(energy, [c.chance.motion for c in chosen])[0, 1]))
        points = {p.id: p.strength for p in points_of(reel.soundtrack)} if reel.soundtrack else {}
        cut = [points[c.start.point] for c in reel.clips if c.start.point in points]
        around = [p.strength for p in timeline.on_reel()]
        if cut and around:
            strength.append(statistics.mean(cut) - statistics.mean(around))
        lengths.append(len({round(s.beats, 1) for s in slots}))
    mean = [statistics.mean(v) if v else float("nan") for v in (used, motion, strength, lengths)]
    text = (
        f"{on}/{events} on point, {holes} gaps, {neighbours} same neighbours, {again} shown twice while others wait; "
        f"pieces used {100 * mean[0]:.0f} %, "
        f"motion follows level {mean[1]:.2f}, cuts on points stronger by {mean[2]:+.2f}, {mean[3]:.1f} lengths, "
        f"to and fro {100 * swings / max(pairs, 1):.0f} %, "
        f"ways across cuts {statistics.mean(flow) if flow else 0.0:+.2f}; {passed} passed over"
    )
    good = (
        on == events
        and not holes
        and not neighbours
        and not again
        and mean[0] >= 0.8
        and not mean[1] < 0.5
        and mean[2] > 0
    )
    say(f"mood {mood.name}, {len(songs)} songs", text, "all of these", good)
