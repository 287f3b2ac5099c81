"""The queue of exports: each file that is to be written with the reel as it was when it was ordered, kept on the disk until done.

Any process may run it, the window and the command line alike; a lock on each keeps two from writing the same."""

from __future__ import annotations

import fcntl
import os
import re
import secrets
import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Literal

import msgspec
from msgspec.structs import replace

from tempik.deliver.order import Order, OrderedFile, checked, distinct, made_in, target_in
from tempik.disk.reading import read_whole, shortened
from tempik.disk.writing import fresh_folder, make_folders, open_lock, write_whole
from tempik.errors import TempikError
from tempik.project.file import document_of, load_reel, state_folder
from tempik.reel import Reel
from tempik.reel.nests import all_closed

State = Literal["waiting", "running", "done", "failed", "stopped"]
MOST_MB = 1
MOST_ITEMS = 500
# So many that are done stay on the list, the latest; of those before, the files are there all the same.
KEPT_DONE = 24
ENDED = ("done", "failed", "stopped")
_ID_BYTES = 6
_ID = re.compile(f"[0-9a-f]{{{2 * _ID_BYTES}}}")
_HALF = re.compile(r"\.[0-9a-f]{12}\.[0-9a-f]{16}\.part")
LEFT_AFTER_S = 3600.0


class Item(msgspec.Struct, frozen=True, omit_defaults=True, rename={"message": "said"}):
    """A file that is to be written: `place` tells what comes first, `message` what came of it, `project` what it is of. `notes` are
    sentences on it; `seconds` is how long it took."""

    id: str
    target: str
    order: Order
    shape: str
    project: str = ""
    place: float = 0.0
    state: State = "waiting"
    message: str = ""
    notes: tuple[str, ...] = ()
    ok: bool = True
    size_bytes: int = 0
    seconds: float = 0.0

    @property
    def name(self) -> str:
        """The file's name, without its folder."""
        return Path(self.target).name


def folder() -> Path:
    """Return where exports that wait lie."""
    return state_folder() / "queue"


def is_id(name: str) -> bool:
    """Tell whether a name is one that an item has: nothing else leads anywhere, such as to a folder that is to be removed."""
    return _ID.fullmatch(name) is not None


def _folder_of(name: str) -> Path:
    """Return where an item lies, by its id. Raises TempikError for what is no id."""
    if not is_id(name):
        raise TempikError(f"There is no export '{shortened(name)}' in the queue; see tempik queue.")
    return folder() / name


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
    if not is_id(name):
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
    order, _ = distinct(reel, order)
    reel = all_closed(reel)
    before = items()
    done = [i for i in before if i.state == "done"]
    for item in done[:-KEPT_DONE]:
        shutil.rmtree(_folder_of(item.id), ignore_errors=True)
        before.remove(item)
    if len(before) + len(order.shapes) > MOST_ITEMS:
        raise TempikError(f"The queue has room for {MOST_ITEMS} exports; clear those that are done.")
    place = max((i.place for i in before), default=0.0)
    out = list[Item]()
    try:
        make_folders(folder())
        _sweep()
        for shape in order.shapes:
            place += 1
            name = secrets.token_hex(_ID_BYTES)
            item = Item(name, str(target_in(target, order, shape).absolute()), order, shape, project, place)
            with fresh_folder(_folder_of(name)) as new:
                new.write("reel.tempik", document_of(reel, _folder_of(name)))
                new.write("item.json", _document(item))
            out.append(item)
    except (OSError, TempikError) as error:
        for item in out:  # all of an order or nothing of it
            shutil.rmtree(_folder_of(item.id), ignore_errors=True)
        if isinstance(error, TempikError):
            raise
        raise TempikError(f"{folder()} could not be written ({error.strerror}); nothing was queued.") from error
    return out


def _sweep() -> None:
    """Remove what a killed process left half-made."""
    for name in os.listdir(folder()):
        path = folder() / name
        if _HALF.fullmatch(name) and not path.is_symlink() and time.time() - path.lstat().st_mtime > LEFT_AFTER_S:
            shutil.rmtree(path, ignore_errors=True)


def _document(item: Item) -> bytes:
    return msgspec.json.format(msgspec.json.encode(item))


def save(item: Item) -> None:
    """Keep what an item has come to. One that was removed meanwhile stays removed. Raises TempikError."""
    if _folder_of(item.id).is_dir():
        write_whole(_folder_of(item.id) / "item.json", _document(item), own=True)


def remove(name: str) -> None:
    """Take an item out of the queue; what it has written stays. Raises TempikError where there is none, or it is being written."""
    if not _folder_of(name).is_dir():
        raise TempikError(f"There is no export '{name}' in the queue.")
    if is_claimed(name):
        raise TempikError(f"The export '{name}' is being written; stop it first.")
    shutil.rmtree(_folder_of(name), ignore_errors=True)


def move(name: str, by: int) -> None:
    """Move an item up (below 0) or down among those that wait. Raises TempikError where there is none."""
    waiting = [i for i in items() if i.state == "waiting"]
    at = next((n for n, i in enumerate(waiting) if i.id == name), None)
    if at is None:
        raise TempikError(f"There is no export '{shortened(name)}' that waits; see tempik queue.")
    places = [i.place for i in waiting]
    item = waiting.pop(at)
    waiting.insert(min(max(at + by, 0), len(waiting)), item)
    for place, each in zip(places, waiting, strict=True):
        if each.place != place:
            save(replace(each, place=place))


def made_of(item: Item) -> OrderedFile:
    """Return what an item is to write. Raises TempikError where its reel cannot be read."""
    return made_in(load_reel(_folder_of(item.id) / "reel.tempik"), item.order, item.shape, Path(item.target))


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
    if not is_id(name) or not (folder() / name).is_dir():
        return False
    fd = _lock(name)
    if fd is None:
        return True
    os.close(fd)
    return False


def _lock(name: str) -> int | None:
    try:
        fd = open_lock(_folder_of(name) / "lock")
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
