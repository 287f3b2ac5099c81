"""Full disks, read-only and vanishing folders, at each place that writes: what was acknowledged is there, what was not is
said in one sentence, and what was there before stays."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import NamedTuple

from tempik.desktop.session.document import Project
from tempik.edit.accents.lanes import with_all_amounts
from tempik.errors import TempikError
from tempik.media.proxy import make_proxy
from tempik.project.file import load_reel, save_reel
from tempik.project.journal import left_behind
from tempik.project.media_files import collect
from tempik.project.shapes import write_shape
from tempik.project.versions import keep_version, versions
from tempik.reel import Reel
from tempik.render.export import export
from tempik.retime.shapes import ready_shape
from tempik.timeline.timeline import timeline_of

STEPS = 30


class Tried(NamedTuple):
    """What was tried, how often it was done, how often refused in a sentence, and what was wrong."""

    tried: int
    done: int
    refused: int
    wrong: list[str]


def may_mount() -> bool:
    """Tell whether small disks can be had here."""
    return os.geteuid() == 0 and shutil.which("mount") is not None


@contextmanager
def disk(place: Path, kb: int) -> Iterator[Path]:
    """Have a disk of so many kB at a place, or raise OSError."""
    place.mkdir(exist_ok=True)
    made = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", f"size={kb}k", "none", str(place)], capture_output=True, check=False
    )
    if made.returncode:
        raise OSError(f"no small disk can be had here: {made.stderr.decode().strip()}")
    try:
        yield place
    finally:
        subprocess.run(["umount", "-l", str(place)], check=False)


def journal_on(folder: Path, reel: Reel) -> tuple[int, bool, int]:
    """Take steps in a project in a folder. Return how many were taken, whether it was said that they are not kept, and
    how many come back."""
    path = folder / "r.tempik"
    message: list[str] = []
    project = Project()
    project.messages.posted.connect(lambda text, error: message.append(text) if error else None)
    project.open(path)
    project.keep_journal()
    for number in range(STEPS):
        project.change(f"step {number + 1}", lambda r, n=number: with_all_amounts(r, (n + 1) / 100))  # type: ignore[misc]
    told = any("journal" in text.lower() for text in message)
    project._journaling.leave()  # as when it is killed
    project._lock.close() if project._lock is not None else None
    found = left_behind(path)
    return STEPS, told, found.steps if found is not None else 0


def full_disks(folder: Path, reel: Reel, sizes_kb: range) -> Tried:
    """Try every writer on disks of growing size."""
    tried = done = refused = 0
    wrong: list[str] = []
    for kb in sizes_kb:
        with disk(folder / "small", kb) as place:
            for name, act in writers(place, reel).items():
                tried += 1
                before = {p.name for p in place.rglob("*")}
                try:
                    problem = act()
                    done += 1
                except TempikError as error:
                    refused += 1
                    problem = "" if str(error).endswith(".") and "\n" not in str(error) else f"not a sentence: {error}"
                except Exception as error:
                    problem = f"{type(error).__name__}: {error}"
                parts = [p.name for p in place.rglob("*.part") if p.name not in before]
                if parts:
                    problem = problem or f"half-written: {parts}"
                if problem:
                    wrong.append(f"{name} on {kb} kB: {problem}")
                for each in place.iterdir():
                    shutil.rmtree(each) if each.is_dir() else each.unlink()
    return Tried(tried, done, refused, wrong)


def writers(place: Path, reel: Reel) -> dict[str, Callable[[], str]]:
    """Return every place that writes: each does it in a folder and returns what is wrong though it did not say so."""
    path = place / "r.tempik"

    def saved() -> str:
        save_reel(reel, path)
        other = with_all_amounts(reel, 0.25)
        try:
            save_reel(other, path)
        except TempikError:
            return "" if load_reel(path) == reel else "a save that failed lost the old one"
        return "" if load_reel(path) == other else "a save is not there"

    def kept() -> str:
        save_reel(reel, path)
        keep_version(reel, path)
        return "" if load_reel(versions(path)[0].path) == reel else "a kept save is not there"

    def journaled() -> str:
        save_reel(reel, path)
        steps, told, back = journal_on(place, reel)
        return "" if told or back == steps else f"{steps} steps, {back} came back, and nothing was said"

    def exported() -> str:
        export(timeline_of(reel), place / "out.mp4")
        return "" if (place / "out.mp4").stat().st_size > 1000 else "an export is not there"

    def collected() -> str:
        save_reel(reel, path)
        made = collect(reel, path).reel
        return "" if all(Path(f.path).is_file() for f in made.footage) else "media are not there"

    def proxied() -> str:
        os.environ["TEMPIK_CACHE"] = str(place / "cache")
        return "" if make_proxy(reel.footage[0].path).exists() else "a proxy is not there"

    def shaped() -> str:
        shape = ready_shape("dip")
        assert shape is not None
        write_shape(shape, place / "x.tempikshape")
        return ""

    return {
        "save": saved, "earlier save": kept, "journal": journaled, "export": exported,
        "collect": collected, "proxy": proxied, "shape": shaped,
    }  # fmt: skip


def vanishing(folder: Path, reel: Reel) -> Tried:
    """The folder goes, or may no longer be written to, while a project in it is open."""
    wrong: list[str] = []
    refused = 0
    for how in ("gone", "moved", "journal gone"):
        place = folder / how.replace(" ", "-")
        place.mkdir()
        save_reel(reel, place / "r.tempik")
        message: list[str] = []
        project = Project()
        project.messages.posted.connect(lambda text, error, message=message: message.append(text) if error else None)
        project.open(place / "r.tempik")
        project.keep_journal()
        project.change("one", lambda r: with_all_amounts(r, 0.5))
        if how == "gone":
            shutil.rmtree(place)
        elif how == "moved":
            place.rename(folder / "elsewhere")
        else:
            (place / ".r.tempik.journal").unlink()
        project._journaling.keep_up()  # what the window does each second
        if any("is gone" in text for text in message):
            refused += 1
        else:
            wrong.append(f"{how}: nothing was said")
        project.change("two", lambda r: with_all_amounts(r, 0.6))
        try:
            project.save()
            if how != "journal gone":
                wrong.append(f"{how}: a save into a folder that is gone")
        except TempikError:
            refused += 1
        project.save(folder / f"{how}.tempik")
        if load_reel(folder / f"{how}.tempik").amount != 0.6:
            wrong.append(f"{how}: saved elsewhere it is another reel")
        project.close()
    return Tried(6, 3, refused, wrong)
