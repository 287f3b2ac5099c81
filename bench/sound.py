"""Sound: how much faster than real time a mix is, how soon playing begins, how near hits are in the file, whether a song can be made
any length. Use: ./run bench sound [FOLDER OF SONGS …]; the last only where folders are given."""

from __future__ import annotations

import csv
import resource
import tempfile
import time
from pathlib import Path

import numpy as np
import pyloudnorm
from msgspec.structs import replace
from numpy.typing import NDArray

from tempik.assemble import soundtrack_from
from tempik.check import check_rendered
from tempik.demo import write_demo
from tempik.edit.reel import song_of
from tempik.edit.song.arranging import proposals, with_song_edit
from tempik.edit.sounds import lanes, mixing
from tempik.errors import TempikError
from tempik.media import Sound, decode_sound
from tempik.project.file import load_reel
from tempik.reel import Mix, Reel, Rule, Soundtrack, beats_between
from tempik.reel.sound import MASTERED
from tempik.render import export
from tempik.render.mixdown import Mixdown
from tempik.render.sound_bank import SoundBank
from tempik.rhythm import analyse
from tempik.rhythm.records import Analysis, Beat
from tempik.rhythm.song_edits import SongEdit
from tempik.sounds.loudness import RATE, decibels, true_peak
from tempik.sounds.shelf import SHELF, take_of
from tempik.timeline.sound_triggers import evaluated_sound_lanes
from tempik.timeline.timeline import Timeline

NAMES = ("whoosh", "tick", "shutter", "impact", "riser", "anvil", "swish", "thump")
EVERY = (5, 4, 5, 6, 8, 4, 4, 3)
LENGTHS_S = (15.0, 30.0, 60.0)
LIKENESS_RATE = 24000
Times = NDArray[np.float64]


def tell(text: str) -> None:
    print(text, flush=True)


def crowded(seconds: float) -> Reel:
    """A reel of eight sound lanes on a song of 120 beats a minute, mastered, the song ducking under one of them: 213 triggers a
    minute."""
    beats = tuple(Beat(0.5 * i, 1.0, i // 4 + 1, i % 4 + 1, 0.5 * i) for i in range(round(2 * seconds)))
    song = Soundtrack("/song.wav", seconds, heard=Analysis(seconds, 120.0, beats=beats))
    reel = Reel(length_s=seconds, soundtrack=song, mix=MASTERED)
    for name, every in zip(NAMES, EVERY, strict=True):
        reel = lanes.with_sound_lane(reel, [name], Rule(every=every))
        reel = lanes.with_values(reel, reel.sound_lanes[-1].id, vary_pitch=1.0, vary_gain_db=2.0)
    return mixing.with_channel(reel, "n4", ducks=True)


def music(seconds: float) -> Sound:
    """Noise that swells, over tones: as much work as music, and never silent."""
    draw = np.random.default_rng(7)
    t = np.arange(round(seconds * RATE)) / RATE
    wave = 0.12 * draw.standard_normal(len(t)) * (0.6 + 0.4 * np.sin(t)) + 0.2 * np.sin(2 * np.pi * 110 * t)
    return Sound(np.stack([wave, wave[::-1]], axis=1).astype(np.float32), RATE)


def mixing_speed() -> None:
    reel, song, sound_bank = crowded(60.0), music(60.0), SoundBank()
    timeline = Timeline(reel)
    count = sum(len(s.triggers) for s in evaluated_sound_lanes(timeline))
    began = time.perf_counter()
    Mixdown(timeline, song, sound_bank=sound_bank)
    first = time.perf_counter() - began
    spent = []
    for _ in range(3):
        began = time.perf_counter()
        made = np.concatenate(list(Mixdown(timeline, song, sound_bank=sound_bank).blocks()))
        spent.append(time.perf_counter() - began)
    off = pyloudnorm.Meter(RATE).integrated_loudness(made) - MASTERED.loudness
    tell(f"mix of a minute, 8 lanes, {count} triggers, ducking, limiter: {60 / min(spent):.0f} × real time (40 asked)")
    tell(
        f"  all its sounds made for the first time: {first:.2f} s more; loudness off by {off:+.2f} LU, peak {decibels(true_peak(made)):.2f} dBTP"
    )
    mixdown = Mixdown(timeline, song, sound_bank=sound_bank)
    gain = mixdown.gain()
    spent = []
    for number in range(0, 110, 10):
        began = time.perf_counter()
        Mixdown(timeline, song, sound_bank=sound_bank).block(number, gain)
        spent.append(1000 * (time.perf_counter() - began))
    tell(
        f"first block from anywhere, nothing made ahead: {np.median(spent):.0f} ms, at most {max(spent):.0f} (80 asked for all of Space)"
    )


def memory() -> None:
    """An hour, mixed in blocks: what the process takes more than before."""
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    reel = replace(crowded(3600.0), mix=Mix(ceiling_db=-1.0))
    mixdown = Mixdown(Timeline(reel), music(60.0))
    began, blocks = time.perf_counter(), 0
    for block in mixdown.blocks(1.0):
        blocks += len(block)
    spent = time.perf_counter() - began
    more = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    whole = blocks * 8 / 2**20
    tell(
        f"an hour in blocks: {blocks / RATE / spent:.0f} × real time, {more:.0f} MB more than a minute (the whole would be {whole:.0f})"
    )


def shelf() -> None:
    spent = {}
    for name in SHELF:
        began = time.perf_counter()
        take_of(name)
        spent[name] = time.perf_counter() - began
    slow = max(spent, key=lambda n: spent[n])
    tell(
        f"the shelf of {len(SHELF)} sounds made anew: {sum(spent.values()):.1f} s, the slowest {slow} {spent[slow]:.2f} s"
    )


def landing(folder: Path) -> None:
    """Hits in an exported file, and in WAV, against their points."""
    reel = load_reel(write_demo(folder / "demo"))
    reel = replace(reel, width=270, height=480, sound_lanes=(), mix=MASTERED)
    for name, rule in (
        ("whoosh", Rule("cuts")),
        ("tick", Rule(every=2)),
        ("impact", Rule("bars", beats=(1,), every=2)),
    ):
        reel = lanes.with_sound_lane(reel, [name], rule)
    timeline = Timeline(reel)
    export(timeline, folder / "o.mp4")
    found = [e for e in check_rendered(timeline, folder / "o.mp4").events if e.kind == "sound"]
    errors = [abs(e.measured_ms) for e in found if e.measured_ms is not None]
    tell(f"hits in the exported file: {len(errors)} of {len(found)} found, at most {max(errors):.3f} ms off (1 asked)")


def lengths(folders: list[Path]) -> None:
    """Every song made 15, 30 and 60 s long; where a table of its beats lies beside it, how far from even the true beats go on."""
    fits = total = unfit = 0
    slowest, offs, jumps = 0.0, list[float](), list[float]()
    for path in sorted(p for f in folders for p in f.glob("*.ogg")):
        song = soundtrack_from(str(path), analyse(str(path)))
        samples = decode_sound(str(path), LIKENESS_RATE, mono=True).samples
        truth = _truth(path.with_suffix(".csv"))
        for wanted in LENGTHS_S:
            began = time.perf_counter()
            try:
                found = proposals(song, samples, LIKENESS_RATE, wanted)
            except TempikError:
                unfit += 1
                continue
            slowest = max(slowest, time.perf_counter() - began)
            bars = np.diff([p.time_s for p in beats_between(song, 0.0, song.length_s) if p.beat == 1])
            for proposal in found:
                total += 1
                fits += abs(proposal.song_edit.length_s - wanted) <= float(np.median(bars)) / 2 + 2e-3
            offs += _unevenness(song, found[0].song_edit.stretches)
            jumps += _true_jumps(truth, found[0].song_edit.splices)
            assert with_song_edit(Reel(length_s=song.length_s, soundtrack=song), found[0].song_edit).length_s > 0
    tell(
        f"songs made 15, 30 and 60 s: {fits} of {total} proposals within half a bar, {unfit} songs without bars, slowest {slowest:.2f} s (2 asked)"
    )
    tell(f"  beats over the transitions: at most {max(offs, default=0):.2f} ms from even as heard (5 asked)")
    if jumps:
        near = [j for j in jumps if abs(j) < 60]
        tell(
            f"  by true beats: {len(near)} of {len(jumps)} transitions are between beats; of these half within "
            f"{np.median(np.abs(near)):.1f} ms, nine tenths within {np.quantile(np.abs(near), 0.9):.1f} ms"
        )


def _truth(path: Path) -> Times | None:
    if not path.exists():
        return None
    with path.open() as file:
        lines = list(csv.reader(file))
    return np.array([float(row[0]) for row in lines if row and row[0].replace(".", "", 1).isdigit()])


def _unevenness(song: Soundtrack, stretches: tuple[tuple[float, float], ...]) -> list[float]:
    """How far the beat at each transition is from where the beats before and after it say it should be, in milliseconds."""
    made = with_song_edit(Reel(length_s=song.length_s, soundtrack=song), SongEdit(stretches, 0.0, ()))
    times = np.array([p.time_s for p in beats_between(song_of(made), 0.0, made.length_s)])
    gaps, out = np.diff(times), []
    for at in np.cumsum([b - a for a, b in stretches])[:-1]:
        number = int(np.searchsorted(times, at - 1e-4))
        if 0 < number < len(gaps):
            usual = np.median(gaps[max(0, number - 5) : number + 4])
            out.append(float(abs(gaps[number - 1] - usual) * 1000))
    return out


def _true_jumps(truth: Times | None, splices: tuple[tuple[float, float], ...]) -> list[float]:
    """By how much each transition moves the true beat, in milliseconds."""
    if truth is None or not len(truth):
        return []
    out = []
    for leaves, goes_on in splices:
        a, b = (float(truth[np.abs(truth - t).argmin()]) - t for t in (leaves, goes_on))
        out.append((b - a) * 1000)
    return out


def main(arguments: list[str]) -> None:
    folders = [Path(a) for a in arguments]
    shelf()
    mixing_speed()
    memory()
    with tempfile.TemporaryDirectory() as folder:
        landing(Path(folder))
    if folders:
        lengths(folders)
    else:
        tell("no folder of songs: give one to have its songs made another length")
