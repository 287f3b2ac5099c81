"""Power cuts: what the program writes, syncs and renames is recorded, and every state that a file system may leave between
these is laid out and opened.

The method is that of Pillai et al., "All File Systems Are Not Created Equal" (OSDI 2014). Allowed is what weakly ordered
file systems do: the bytes of a file that was not synced may be lost, be there in part, or all be there; each change of a
folder since its last sync may be lost by itself, whatever came after it.
"""

from __future__ import annotations

import itertools
import os
import random
import stat
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

from tempik.check.landing import check_reel
from tempik.disk import writing
from tempik.edit.accents.lanes import with_all_amounts
from tempik.project import history
from tempik.project import journal as journals
from tempik.project.file import load_reel, save_reel
from tempik.project.journal import Journal, journal_path, left_behind
from tempik.project.versions import keep_version, versions
from tempik.reel import Reel
from tempik.timeline.timeline import Timeline

FOLDER = -1
MOST_STATES = 400  # of one instant; beyond it they are drawn by lot


class Op(NamedTuple):
    """What was done: to a file by its number, or to a name in the folder. `ack` is what had been promised by then."""

    what: str
    file: int = 0
    name: str = ""
    other: str = ""
    data: bytes = b""


class Recorder:
    """Stands in for `os` in the module that writes, does what it does, and keeps a record of it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder.resolve()
        self.ops: list[Op] = []

    def __getattr__(self, name: str) -> Any:
        return getattr(os, name)

    def promise(self, what: str) -> None:
        self.ops.append(Op("promise", name=what))

    def _place(self, fd: int | None, name: str) -> str:
        base = Path(os.readlink(f"/proc/self/fd/{fd}")) if fd is not None else Path.cwd()
        return str((base / name).relative_to(self.folder)) if (base / name).is_relative_to(self.folder) else ""

    def open(self, path: Any, flags: int, mode: int = 0o777, *, dir_fd: int | None = None) -> int:
        fd = os.open(path, flags, mode, dir_fd=dir_fd)
        if flags & os.O_CREAT and stat.S_ISREG(os.fstat(fd).st_mode):
            number = os.fstat(fd).st_ino
            self.ops.append(Op("create", number, self._place(dir_fd, str(path))))
        return fd

    def write(self, fd: int, data: Any) -> int:
        done = os.write(fd, data)
        self.ops.append(Op("write", os.fstat(fd).st_ino, data=bytes(data)[:done]))
        return done

    def ftruncate(self, fd: int, size: int) -> None:
        os.ftruncate(fd, size)
        self.ops.append(Op("cut", os.fstat(fd).st_ino, data=str(size).encode()))

    def fsync(self, fd: int) -> None:
        os.fsync(fd)
        state = os.fstat(fd)
        if stat.S_ISDIR(state.st_mode):
            self.ops.append(Op("sync folder", name=self._place(fd, "")))
        else:
            with open(f"/proc/self/fd/{fd}", "rb") as file:
                self.ops.append(Op("sync", state.st_ino, data=file.read()))

    def rename(self, old: str, new: str, *, src_dir_fd: int, dst_dir_fd: int) -> None:
        os.rename(old, new, src_dir_fd=src_dir_fd, dst_dir_fd=dst_dir_fd)
        self.ops.append(Op("rename", name=self._place(src_dir_fd, old), other=self._place(dst_dir_fd, new)))

    def unlink(self, name: str, *, dir_fd: int) -> None:
        place = self._place(dir_fd, name)
        os.unlink(name, dir_fd=dir_fd)
        self.ops.append(Op("unlink", name=place))

    def mkdir(self, path: Any, mode: int = 0o777) -> None:
        os.mkdir(path, mode)
        self.ops.append(Op("mkdir", name=self._place(None, str(path))))


@contextmanager
def recorded(folder: Path) -> Iterator[Recorder]:
    """Record what is written below a folder."""
    recorder = Recorder(folder)
    for module in (writing, journals):
        setattr(module, "os", recorder)  # noqa: B010
    try:
        yield recorder
    finally:
        for module in (writing, journals):
            setattr(module, "os", os)  # noqa: B010


class Disk:
    """What is surely on the disk, and what may be there beside it."""

    def __init__(self) -> None:
        self.names: dict[str, int] = {}  # surely
        self.pending: list[Op] = []  # changes of folders since the last sync of each
        self.sure: dict[int, bytes] = {}
        self.now: dict[int, bytes] = {}

    def do(self, op: Op) -> None:
        match op.what:
            case "create":
                if op.file in self.now and any(p.name == op.name for p in self.pending):
                    return
                self.now.setdefault(op.file, b"")
                self.sure.setdefault(op.file, b"")
                self.pending.append(op)
            case "write":
                self.now[op.file] = self.now.get(op.file, b"") + op.data
            case "cut":
                self.now[op.file] = self.now.get(op.file, b"")[: int(op.data)]
            case "sync":
                self.now[op.file] = self.sure[op.file] = op.data
            case "rename" | "unlink" | "mkdir":
                self.pending.append(op)
            case "sync folder":
                inside = [p for p in self.pending if str(Path(p.name).parent) == str(Path(op.name or "."))]
                for each in inside:
                    _change(self.names, each)
                self.pending = [p for p in self.pending if p not in inside]

    def states(self, rng: random.Random) -> Iterator[dict[str, bytes]]:
        """Yield what the folder may hold after a power cut."""
        subsets = itertools.product((False, True), repeat=len(self.pending))
        loose = [f for f in self.now if self.now[f] != self.sure.get(f)]
        contents = itertools.product(*[_contents(self.sure.get(f, b""), self.now[f]) for f in loose])
        every = list(itertools.islice(itertools.product(subsets, contents), 20_000))
        for chosen, bytes_ in every if len(every) <= MOST_STATES else rng.sample(every, MOST_STATES):
            names = dict(self.names)
            for op, done in zip(self.pending, chosen, strict=True):
                if done:
                    _change(names, op)
            held = self.sure | dict(zip(loose, bytes_, strict=True))
            there = {n for n, file in names.items() if file == FOLDER} | {"."}
            yield {
                name: held.get(file, b"")
                for name, file in names.items()
                if file != FOLDER and str(Path(name).parent) in there
            }


def _contents(sure: bytes, now: bytes) -> list[bytes]:
    """Return what an unsynced file may hold: as it was, all, a part, and room without the bytes."""
    half = (len(sure) + len(now)) // 2
    return list(dict.fromkeys((sure, now, now[:half], now[: len(now) - 1], sure + bytes(max(0, len(now) - len(sure))))))


def _change(names: dict[str, int], op: Op) -> None:
    if op.what == "mkdir":
        names[op.name] = FOLDER
    elif op.what == "create":
        names[op.name] = op.file
    elif op.what == "rename" and op.name in names:
        names[op.other] = names.pop(op.name)
    elif op.what == "rename" and op.file:
        names[op.other] = op.file
    elif op.what == "unlink":
        names.pop(op.name, None)


def states_of(ops: list[Op], seed: int = 1) -> Iterator[tuple[list[str], dict[str, bytes]]]:
    """Yield every state that may be left at every instant, with what had been promised by then."""
    rng = random.Random(seed)
    disk, promised = Disk(), list[str]()
    numbers: dict[str, int] = {}
    seen: set[tuple[object, ...]] = set()
    for op in ops:
        if op.what == "promise":
            promised.append(op.name)
        elif op.what == "rename":  # it goes with the file, whether or not the making of its first name is on the disk
            disk.do(op._replace(file=numbers.get(op.name, 0)))
            numbers[op.other] = numbers.pop(op.name, 0)
        else:
            if op.what == "create":
                numbers[op.name] = op.file
            disk.do(op)
        for state in disk.states(rng):
            told = (tuple(promised), tuple(sorted((n, hash(d)) for n, d in state.items())))
            if told not in seen:
                seen.add(told)
                yield list(promised), state


class Cuts(NamedTuple):
    """What was found: states that were laid out, and those in which a promise was broken."""

    states: int
    broken: list[str]


def tried(ops: list[Op], check: Callable[[list[str], Path], str], seed: int = 1) -> Cuts:
    """Lay out every state and check it; `check` returns what is wrong, '' for nothing."""
    count, broken = 0, []
    for promised, state in states_of(ops, seed):
        count += 1
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for place, data in state.items():
                (folder / place).parent.mkdir(parents=True, exist_ok=True)
                (folder / place).write_bytes(data)
            try:
                wrong = check(promised, folder)
            except Exception as error:
                wrong = f"{type(error).__name__}: {error}"
            if wrong:
                broken.append(f"after {promised[-1:] or 'nothing'}: {wrong} ({', '.join(sorted(state))})")
    return Cuts(count, broken)


# What is promised


def saves(reel: Reel, folder: Path, count: int = 3) -> list[Op]:
    """Save a project a few times, each kept as a version too, and return what was done."""
    with recorded(folder) as record:
        for number in range(count):
            made = with_all_amounts(reel, (number + 1) / 8)
            save_reel(made, folder / "r.tempik")
            record.promise(f"saved {number + 1}")
            keep_version(made, folder / "r.tempik")
            record.promise(f"kept {number + 1}")
    return record.ops


def check_saves(promised: list[str], folder: Path) -> str:
    """A save that was acknowledged is there, or a later one; the file is whole whatever happened."""
    saved = [int(p.split()[1]) for p in promised if p.startswith("saved")]
    path = folder / "r.tempik"
    if not path.exists():
        return "the project is gone" if saved else ""
    number = round(load_reel(path).amount * 8)
    if saved and number not in (saved[-1], saved[-1] + 1):
        return f"save {saved[-1]} is lost, {number} is there"
    kept = {round(load_reel(v.path).amount * 8) for v in versions(path)}
    lost = [p for p in promised if p.startswith("kept") and int(p.split()[1]) not in kept]
    return f"{lost[0]} is lost" if lost else ""


def steps(reel: Reel, folder: Path, count: int = 4) -> list[Op]:
    """Keep a journal, take steps, take it up again, save, and return what was done."""
    project = folder / "r.tempik"
    with recorded(folder) as record:
        save_reel(reel, project)
        now = history.begin(reel)
        for number in range(count):
            now = now.done(with_all_amounts(reel, (number + 1) / 8), f"step {number + 1}")
        kept = Journal(journal_path(project), now, project)  # as when what was left is taken up
        record.promise(f"steps {count}")
        for number in range(count, count + 3):
            now = now.done(with_all_amounts(reel, (number + 1) / 8), f"step {number + 1}")
            kept.note(now)
        kept._to_disk()
        record.promise(f"steps {count + 3}")
        save_reel(now.reel, project)
        record.promise(f"saved {count + 3}")
        kept.leave()
        kept = Journal(journal_path(project), history.begin(now.reel), project)
        kept.remove()
    return record.ops


def check_steps(promised: list[str], folder: Path) -> str:
    """Steps that were on the disk when it was said so come back, or are in the project that was saved after them."""
    project = folder / "r.tempik"
    if not project.exists():
        return "the project is gone" if promised else ""
    reel = load_reel(project)
    check_reel(Timeline(reel))
    saved = [int(p.split()[1]) for p in promised if p.startswith("saved")]
    taken = [int(p.split()[1]) for p in promised if p.startswith("steps")]
    in_file = round(reel.amount * 8) if reel.amount <= 1 else 0
    if saved:
        return "" if in_file >= saved[-1] else f"save {saved[-1]} is lost"
    found = left_behind(project)
    have = max(len(found.history.steps) - 1 if found is not None else 0, in_file if in_file != 8 else 0)
    return f"{taken[-1]} steps were kept, {have} came back" if taken and have < taken[-1] else ""


def run(reel: Reel, folder: Path) -> list[tuple[str, Cuts]]:
    """Record and try all of it."""
    out = []
    for name, act, check in (("saves", saves, check_saves), ("journal", steps, check_steps)):
        own = folder / name
        own.mkdir()
        out.append((name, tried(act(reel, own), check)))
    return out
