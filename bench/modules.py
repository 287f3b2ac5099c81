"""Make annotated songs of the module music in Debian's packages of games: produced music whose beats and bars are exactly known.

Use: ./run bench modules FOLDER [--of N]
Downloads the packages, plays each module N times (2 by default) by other settings of the player, from another place and through
another room, equaliser, noise, and writes the sound with a CSV of its beats beside it, for `./run bench fit --corpus FOLDER` and
`./run bench beats --corpus FOLDER`. A third of the packages is closed, by the hash of the package's name. Rows are beats by common
practice of the trade: fours of rows, of them the one nearest to 115 a minute; bars are four beats from the first row of a pattern. Patterns
of another length are left out. Needs Debian's libopenmpt0.
"""

from __future__ import annotations

import argparse
import csv
import hashlib
import subprocess
import sys
import tempfile
import wave
from multiprocessing import Pool
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from bench.music import mix
from bench.rows import KINDS, Played, library, played
from tempik.rhythm.records import SAMPLE_RATE

# Games whose packages Debian holds to be free software, music and all. Others with modules are kept for judging: they are not fetched.
PACKAGES = (
    *(
        "bb",
        "bugsquish",
        "circuslinux-data",
        "cuyo-data",
        "fb-music-high",
        "flobopuyo",
        "freedroid-data",
        "gemdropx",
        "gl-117-data",
    ),
    *(
        "gltron",
        "gweled",
        "monsterz-data",
        "njam-data",
        "pachi-data",
        "pathogen",
        "pekka-kana-2-data",
        "penguin-command",
    ),
    *("pingus-data", "ri-li-data", "rockdodger", "solarwolf", "tuxtype-data", "vectoroids", "vodovod"),
)
LONG_S, LEAST_S = 45.0, 20.0
USUAL_BPM, BEATS_IN_BAR = 115.0, 4
_ROWS_IN_BAR = 16

Times = NDArray[np.float64]


class Task(NamedTuple):
    package: str
    path: Path
    number: int
    folder: Path


def fetched(folder: Path) -> list[tuple[str, Path]]:
    """Return the modules of PACKAGES, each with its package, downloaded and unpacked below a folder."""
    out: list[tuple[str, Path]] = []
    for name in PACKAGES:
        into = folder / name
        if not into.exists():
            got = subprocess.run(["apt-get", "download", "-q", name], cwd=folder, capture_output=True, check=False)
            debs = sorted(folder.glob(f"{name}_*.deb"))
            if got.returncode or not debs:
                print(f"{name} cannot be downloaded; it is left out.", flush=True)
                continue
            subprocess.run(["dpkg-deb", "-x", str(debs[0]), str(into)], check=True)
            debs[0].unlink()
        out += [(name, p) for p in sorted(into.rglob("*")) if p.suffix.lower() in KINDS and p.is_file()]
    return out


def beats_of(song: Played) -> tuple[Times, NDArray[np.int64]] | None:
    """Return the beats of a module and their places in the bar, from 1; None where its patterns are not of fours."""
    starts = np.flatnonzero(song.rows == 0)
    lengths = np.diff(starts)
    if not len(lengths) or np.mean(lengths % _ROWS_IN_BAR == 0) < 0.9:
        return None
    row_s = float(np.median(np.diff(song.times_s)))
    step = min((2, 4, 8, 16), key=lambda rows: abs(np.log2(60 / (rows * row_s) / USUAL_BPM)))
    on = song.rows % step == 0
    return song.times_s[on], song.rows[on] // step % BEATS_IN_BAR + 1


def _made(task: Task) -> str | None:
    seed = int.from_bytes(
        hashlib.blake2b(f"{task.package} {task.path.name} {task.number}".encode(), digest_size=8).digest(), "big"
    )
    rng = np.random.default_rng(seed)
    tempo = float(rng.uniform(0.87, 1.15)) if task.number else 1.0
    song = played(
        task.path,
        tempo,
        float(2 ** (rng.integers(-2, 3) / 12)) if task.number else 1.0,
        int(rng.choice([0, 1, 2, 4, 8])),
    )
    known = beats_of(song) if song is not None else None
    if song is None or known is None or song.times_s[-1] < LEAST_S:
        return None
    beats, numbers = known
    length_s = len(song.samples) / SAMPLE_RATE
    start_s = float(rng.uniform(0, max(0.0, length_s - LONG_S))) if rng.random() < 0.7 else 0.0
    cut = song.samples[round(start_s * SAMPLE_RATE) : round((start_s + LONG_S) * SAMPLE_RATE)]
    if not len(cut) or not np.abs(cut).max() > 1e-4:
        return None
    sound = mix.mastered(cut, rng, 0.8)
    inside = (beats >= start_s) & (beats < start_s + len(cut) / SAMPLE_RATE - 0.05)
    stem = task.folder / f"module_{task.package}_{task.path.stem.replace('_', '-')}_{task.number}v"
    with wave.open(str(stem) + ".wav", "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(SAMPLE_RATE)
        file.writeframes(np.round(np.clip(sound, -1, 1) * 32767).astype("<i2").tobytes())
    with Path(str(stem) + ".csv").open("w", newline="") as table:
        rows = csv.writer(table)
        rows.writerow(["time_s", "bar", "beat"])
        bars = np.cumsum(numbers[inside] == 1)
        rows.writerows(
            (f"{t - start_s:.4f}", int(bar), int(beat))
            for t, bar, beat in zip(beats[inside], bars, numbers[inside], strict=True)
        )
    return stem.name


def main(arguments: list[str]) -> None:
    parser = argparse.ArgumentParser(prog="./run bench modules", description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--of", type=int, default=2, help="times that each module is played")
    parser.add_argument("--packages", type=Path, help="a folder to keep the unpacked packages in")
    options = parser.parse_args(arguments)
    try:
        library()
    except OSError:
        sys.exit("libopenmpt is not installed; install Debian's package libopenmpt0.")
    options.folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as for_now:
        kept = Path(options.packages or for_now)
        kept.mkdir(parents=True, exist_ok=True)
        songs = fetched(kept)
        tasks = [Task(package, path, n, options.folder) for package, path in songs for n in range(options.of)]
        with Pool(2) as pool:
            made = [m for m in pool.imap_unordered(_made, tasks, 2) if m]
    print(
        f"{len(songs)} modules of {len({p for p, _ in songs})} packages: {len(made)} annotated songs in {options.folder}",
        flush=True,
    )
