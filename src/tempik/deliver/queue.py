"""The queue of exports: each file that is to be written with the reel as it was when it was ordered, kept on the disk until done.

Any process may run it, the window and the command line alike; a lock on each keeps two from writing the same."""

from __future__ import annotations

import fcntl
import os
import secrets
import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Literal

import msgspec
from msgspec.structs import replace

from tempik.deliver.order import Made, Order, checked, made_in, target_in
from tempik.disk.reading import read_whole
from tempik.disk.writing import make_folder, make_folders, open_lock, write_whole
from tempik.errors import TempikError
from tempik.project.file import load_reel, save_reel, state_folder
from tempik.reel import Reel
from tempik.reel.nests import all_closed

State = Literal["waiting", "running", "done", "failed", "stopped"]
MOST_MB = 1
MOST_ITEMS = 500
# So many that are done stay on the list, the latest; of those before, the files are there all the same.
KEPT_DONE = 24


class Item(msgspec.Struct, frozen=True, omit_defaults=True):
    """A file that is to be written: `place` tells what comes first, `said` what came of it, `project` what it is of. `notes` are
    sentences on it; `seconds` is how long it took."""

    id: str
    target: str
    order: Order
    shape: str
    project: str = ""
    place: float = 0.0
    state: State = "waiting"
    said: str = ""
    notes: tuple[str, ...] = ()
    ok: bool = True
    size_bytes: int = 0
    seconds: float = 0.0

    @property
    def name(self) -> str:
        return Path(self.target).name


def folder() -> Path:
    return state_folder() / "queue"


def items() -> list[Item]:
    """Return what is in the queue, in order. What cannot be read is left out."""
    found = []
    try:
        names = sorted(os.listdir(folder()))
    except OSError:
        return []
    for name in names:
        item = item_of(name)
        if item is not None:
            found.append(item)
    return sorted(found, key=lambda item: (item.place, item.id))


def item_of(name: str) -> Item | None:
    """Return one by its id, None where there is none that can be read."""
    if not name.isalnum():
        return None
    try:
        item = msgspec.json.decode(read_whole(folder() / name / "item.json", MOST_MB), type=Item)
    except (TempikError, msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return None
    if item.id != name:
        return None
    if item.state == "running" and not is_claimed(name):
        item = replace(item, state="waiting")  # whoever ran it has gone
    return item


def add(reel: Reel, order: Order, target: Path, project: str = "") -> list[Item]:
    """Put an order last in the queue, an item for each of its files, with the reel as it is now; what was done long ago leaves it.
    Raises TempikError where the order makes no sense or cannot be kept."""
    checked(order)
    reel = all_closed(reel)
    before = items()
    done = [i for i in before if i.state == "done"]
    for item in done[:-KEPT_DONE]:
        shutil.rmtree(folder() / item.id, ignore_errors=True)
        before.remove(item)
    if len(before) + len(order.shapes) > MOST_ITEMS:
        raise TempikError(f"The queue has room for {MOST_ITEMS} exports; clear those that are done.")
    place = max((i.place for i in before), default=0.0)
    out = []
    for shape in order.shapes:
        place += 1
        item = Item(secrets.token_hex(6), str(target_in(target, order, shape).absolute()), order, shape, project, place)
        try:
            make_folders(folder())
            make_folder(folder() / item.id)
        except OSError as error:
            raise TempikError(f"{folder()} could not be written ({error.strerror}); nothing was queued.") from error
        save_reel(reel, folder() / item.id / "reel.tempik", own=True)
        save(item)
        out.append(item)
    return out


def save(item: Item) -> None:
    """Keep what an item has come to. One that was removed meanwhile stays removed. Raises TempikError."""
    if (folder() / item.id).is_dir():
        write_whole(folder() / item.id / "item.json", msgspec.json.format(msgspec.json.encode(item)), own=True)


def remove(name: str) -> None:
    """Take an item out of the queue; what it has written stays. Raises TempikError where there is none, or it is being written."""
    if item_of(name) is None and not (folder() / name).is_dir():
        raise TempikError(f"There is no export '{name}' in the queue.")
    if is_claimed(name):
        raise TempikError(f"The export '{name}' is being written; stop it first.")
    shutil.rmtree(folder() / name, ignore_errors=True)


def move(name: str, by: int) -> None:
    """Move an item up (below 0) or down among those that wait. Raises TempikError where there is none."""
    waiting = [i for i in items() if i.state == "waiting"]
    at = next((n for n, i in enumerate(waiting) if i.id == name), None)
    if at is None:
        raise TempikError(f"There is no export '{name}' that waits.")
    places = [i.place for i in waiting]
    item = waiting.pop(at)
    waiting.insert(min(max(at + by, 0), len(waiting)), item)
    for place, each in zip(places, waiting, strict=True):
        if each.place != place:
            save(replace(each, place=place))


def made_of(item: Item) -> Made:
    """Return what an item is to write. Raises TempikError where its reel cannot be read."""
    return made_in(load_reel(folder() / item.id / "reel.tempik"), item.order, item.shape, Path(item.target))


@contextmanager
def claimed(name: str) -> Iterator[None]:
    """Hold an item while it is written. Raises TempikError where another process does."""
    fd = _lock(name)
    if fd is None:
        raise TempikError(f"The export '{name}' is being written by another Tempik, or has left the queue.")
    try:
        yield
    finally:
        os.close(fd)


def is_claimed(name: str) -> bool:
    """Tell whether some process is writing an item."""
    if not (folder() / name).is_dir():
        return False
    fd = _lock(name)
    if fd is None:
        return True
    os.close(fd)
    return False


def _lock(name: str) -> int | None:
    try:
        fd = open_lock(folder() / name / "lock")
    except OSError:
        return None
    for _ in range(20):  # a child that is being started holds a copy for a moment
        try:
            fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return fd
        except BlockingIOError:
            time.sleep(0.01)
        except OSError:
            break
    os.close(fd)
    return None
