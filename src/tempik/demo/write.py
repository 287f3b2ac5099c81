"""Writing the demo: its project first, then the song and the footage in the order in which the reel shows it."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from pathlib import Path

from msgspec.structs import replace

from tempik.demo.footage import footage_name
from tempik.demo.scenes import SCENES
from tempik.demo.song import SONG, beat_times, write_song
from tempik.disk.writing import fresh_file, make_folders, remove, write_whole
from tempik.edit.reframe import reframed
from tempik.errors import TempikError
from tempik.programs import ours, ran
from tempik.project.file import load_reel, save_reel
from tempik.reel import Reel
from tempik.timeline.timeline import timeline_of

PROJECT = "forge.tempik"
# The same reel in other frames: what a project is called, and its size.
OTHERS = {"forge square.tempik": (1080, 1080), "forge wide.tempik": (1920, 1080)}
VERSION = "11"
_MARK = "demo-version.txt"
# The reel as `tempik demo FOLDER --draft` drafts it: recorded, so that it can be opened while its footage is still drawn.
_RECORDED = Path(__file__).with_name(PROJECT)


def demo_is_whole(folder: Path) -> bool:
    """Tell whether this version's demo has been written there to its end."""
    return _is_begun(folder) and all((folder / name).is_file() for name in (SONG, *map(footage_name, SCENES)))


def demo_can_open(folder: Path) -> bool:
    """Tell whether there is of this version's demo what its first clip needs."""
    return _is_begun(folder) and all((folder / name).is_file() for name in (SONG, in_order_of_use()[0]))


def _is_begun(folder: Path) -> bool:
    mark = folder / _MARK
    there = all((folder / name).is_file() for name in (PROJECT, *OTHERS))
    return there and mark.is_file() and mark.read_text(encoding="utf-8").strip() == VERSION


@cache
def in_order_of_use() -> tuple[str, ...]:
    """Return the names of all footage, what the reel shows first coming first."""
    shown = [Path(p.footage.path).name for p in timeline_of(load_reel(_RECORDED)).placed if not p.footage.without_file]
    return tuple(dict.fromkeys((*shown, *map(footage_name, SCENES))))


def write_demo(folder: Path) -> Path:
    """Write the demo into a folder (made if need be) and return its project file.

    The same bytes at every run of the same libraries. What this version has written there already stays, the projects that
    were worked on among it. Raises TempikError when the folder cannot be written.
    """
    try:
        make_folders(folder)
        begun = _is_begun(folder)
        if not begun:
            _take_away(folder)
        left = [name for name in in_order_of_use() if not (folder / name).is_file()]
        with ThreadPoolExecutor(2) as pool:
            first = pool.submit(_draw, left[:1], folder)
            if not begun:
                _write_projects(folder)
            if not (folder / SONG).is_file():
                with fresh_file(folder / SONG) as song:
                    write_song(song.path)
            first.result()  # somebody may wait for it: nothing gets in its way
            list(pool.map(_draw, [left[1::2], left[2::2]], [folder] * 2))
    except OSError as error:
        raise TempikError(
            f"The demo could not be written to {folder} ({error.strerror}); choose another place."
        ) from error
    return folder / PROJECT


def draft_anew(folder: Path) -> None:
    """Draft the reel of the demo that lies in a folder anew, in place of the one that was recorded. Raises TempikError."""
    from tempik.demo.drafted import drafted_demo  # loads half of the program

    _write_reel(drafted_demo(folder), folder)


def _take_away(folder: Path) -> None:
    """Take away what another version left."""
    for name in (_MARK, SONG, *map(footage_name, SCENES)):
        remove(folder / name)


def _write_projects(folder: Path) -> None:
    """Write all that needs no drawing."""
    _write_truth(folder)
    recorded = load_reel(_RECORDED)
    # Other libraries write other bytes: nobody is told for that that a file is another than was added.
    files = tuple(
        f if f.without_file else replace(f, path=str(folder / Path(f.path).name), bytes=0, key="")
        for f in recorded.footage
    )
    song = recorded.soundtrack
    assert song is not None
    _write_reel(replace(recorded, footage=files, soundtrack=replace(song, path=str(folder / SONG))), folder)
    write_whole(folder / _MARK, f"{VERSION}\n".encode())


def _write_reel(reel: Reel, folder: Path) -> None:
    save_reel(reel, folder / PROJECT)
    for name, size in OTHERS.items():
        save_reel(reframed(reel, *size), folder / name)


def _write_truth(folder: Path) -> None:
    beats = [[f"{t:.6f}", bar, beat] for t, bar, beat in beat_times()]
    _write_table(folder / "beats.csv", [["time_s", "bar", "beat"], *beats])
    cues = [[footage_name(s), f"{s.cue_s:.6f}"] for s in SCENES]
    _write_table(folder / "cues.csv", [["file", "time_s"], *cues])


def _write_table(path: Path, lines: Sequence[Sequence[object]]) -> None:
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerows(lines)
    write_whole(path, text.getvalue().encode())


def _draw(names: Sequence[str], folder: Path) -> None:
    """Write pieces of footage in a process of its own, so that two fill two cores whoever calls."""
    if not names:
        return
    made = ran(ours("tempik.demo.footage", str(folder.absolute()), *names))
    if made.returncode:
        last = (made.stderr.strip().splitlines() or ["no reason given"])[-1]
        raise TempikError(f"The demo's footage could not be written to {folder} ({last}).")
