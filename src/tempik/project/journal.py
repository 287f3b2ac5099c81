"""The journal: every step of an open project, written beside it as it is made, so that nothing is lost with the process.

A journal is lines of JSON: the reel as it was opened, then each step as what it changed, each undo or redo as the step
gone to, and what a gesture shows while it goes on. A line is in the system's hands before the step is shown, so a killed
process loses none; a line that was torn is left out. Reading one gives the history as it was, to be undone as before.
"""

from __future__ import annotations

import errno
import fcntl
import hashlib
import os
import secrets
import threading
from pathlib import Path
from typing import Any, NamedTuple

import msgspec

from tempik.disk.reading import MB, opened_regular
from tempik.disk.writing import NewFile, make_folders, open_lock, remove, write_all
from tempik.errors import TempikError
from tempik.project.file import FORMAT, decode_value, state_folder
from tempik.project.history import History, begin
from tempik.project.older import step_with_names_of_today, with_names_of_today
from tempik.project.steps import NO_LINE, difference, line_of, plain, with_difference
from tempik.reel import Reel
from tempik.reel.validate import problems

# The kind of journal, and the format of projects whose names the fields have in each.
JOURNAL = 3
FORMATS = {1: 6, 2: 12, 3: FORMAT}
# The disk is told to keep what was written this often; the system has it at once.
SYNC_S = 2.0
MOST_MB, MOST_LINE_MB = 16_384, 256
MOST_ASIDE = 100
# What the step is called that a gesture had not yet become when its process ended.
UNDER_WAY = "What was under way"


class Lock:
    """Says that a project is open here. Let go by `close`, or with the process however it ends."""

    def __init__(self, project: Path) -> None:
        """Raises TempikError when another window has the project open, or when the lock's name is another file's."""
        self._fd = -1
        self._path = project.absolute().with_name(f".{project.name}.lock")
        while True:
            try:
                fd = open_lock(self._path)
            except OSError as error:
                if error.errno == errno.ELOOP:
                    raise TempikError(
                        f"{self._path} is not a lock that Tempik made, such as a link; the project can be looked at here, "
                        "and changed after Save as."
                    ) from None
                return  # a folder that cannot be written to needs no guarding: nothing can be saved there
            try:
                fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                os.close(fd)
                raise TempikError(
                    f"{project.name} is open in another window; it can be looked at here, and changed after Save as."
                ) from None
            if _is_at(fd, self._path):
                break
            os.close(fd)  # its owner took it away between our opening and our holding it: what is there now counts
        self._fd = fd

    def close(self) -> None:
        """Take the lock's file away and let go. In this order: whoever opened it meanwhile finds it gone and looks again;
        the other way round it could be taken away from under its next owner."""
        if self._fd >= 0:
            try:
                remove(self._path)
            except OSError:
                pass  # the next one to open the project takes it over
            os.close(self._fd)
            self._fd = -1


def _is_at(fd: int, path: Path) -> bool:
    """Tell whether an open file is the one that lies at a path."""
    try:
        there = os.stat(path, follow_symlinks=False)
    except OSError:
        return False
    here = os.fstat(fd)
    return (here.st_dev, here.st_ino) == (there.st_dev, there.st_ino)


def new_unnamed() -> str:
    """Return a name that unnamed work goes by. No two sessions have the same, as numbers of processes come again."""
    return secrets.token_hex(8)


def journal_path(project: Path | None, unnamed: str = "") -> Path:
    """Return where the journal of a project lies: beside it, or among the state files for one without a name."""
    if project is None:
        return state_folder() / "untitled" / f"{unnamed}.journal"
    project = project.absolute()
    if os.access(project.parent, os.W_OK):
        return project.with_name(f".{project.name}.journal")
    name = hashlib.blake2b(str(project).encode(), digest_size=12).hexdigest()
    return state_folder() / "journals" / f"{name}.journal"


class Journal:
    """The journal of one open project, begun anew whenever the project is opened or saved."""

    def __init__(self, path: Path, history: History, project: Path | None) -> None:
        """Write the history so far to `path`, whole and on the disk or not at all; a journal there gives way only to one
        that is.

        Raises TempikError where it cannot be written; the project can be edited all the same.
        """
        self.path = path
        self._fd = -1
        self._sync: threading.Timer | None = None
        first = history.steps[0].reel
        lines = [{"journal": JOURNAL, "project": str(project or ""), "pid": os.getpid(), "reel": plain(first)}]
        for a, b in zip(history.steps, history.steps[1:], strict=False):
            lines.append({"done": b.done, "set": difference(a.reel, b.reel)})
        lines.append({"at": history.at})
        data = b"".join(line_of(line) for line in lines)
        try:
            if path.is_relative_to(state_folder()):
                make_folders(path.parent)
            new = NewFile(path)
            try:
                new.write(data)
                new.become()
                self._fd = new.close(keep_open=True)  # and locked: its process is alive
            finally:
                new.close()
        except OSError as error:
            raise TempikError(
                f"No journal can be kept at {path} ({error.strerror}): unsaved work would be lost with the program; save often."
            ) from error
        self._sound = len(data)  # so many bytes hold whole lines
        self._at = history
        self._under_way = False

    def note(self, history: History) -> None:
        """Write what was done since the last call. Raises TempikError once, when the disk is full or the journal is gone;
        what was written before stays readable."""
        before, self._at = self._at, history
        if self._fd < 0 or history is before:
            return
        new = history.at == before.at + 1 and history.steps[history.at] is not _step(before, history.at)
        if new:
            step = history.steps[history.at]
            self._put({"done": step.done, "set": difference(before.reel, step.reel)})
        else:
            self._put({"at": history.at})
        self._under_way = False

    def note_under_way(self, reel: Reel | None) -> None:
        """Write what a gesture that goes on shows, or, with None, that it was dropped. The next step replaces it. Raises
        TempikError as `note` does."""
        if self._fd < 0 or (reel is None and not self._under_way):
            return
        self._put({"under way": difference(self._at.reel, reel) if reel is not None else None})
        self._under_way = reel is not None

    def check(self) -> None:
        """Raises TempikError once, when the journal's file or folder is no longer there."""
        if self._fd >= 0 and not _is_at(self._fd, self.path):
            self.leave()
            raise TempikError(
                f"The journal at {self.path} is gone, with its folder or without: unsaved work would be lost with the program; "
                "save the project elsewhere."
            )

    def _put(self, line: dict[str, Any]) -> None:
        self.check()
        data = line_of(line)
        try:
            write_all(self._fd, data)
        except OSError as error:
            try:
                os.ftruncate(self._fd, self._sound)  # half a line would end the reading there
            except OSError:
                pass
            self.leave()
            raise TempikError(
                f"The journal at {self.path} cannot be written any more ({error.strerror}): save the project elsewhere."
            ) from error
        self._sound += len(data)
        if self._sync is None:
            self._sync = threading.Timer(SYNC_S, self._to_disk)
            self._sync.daemon = True
            self._sync.start()

    def _to_disk(self) -> None:
        self._sync = None
        if self._fd >= 0:
            try:
                os.fsync(self._fd)
            except OSError:
                pass  # closed meanwhile

    def leave(self) -> None:
        """Stop writing and keep the file."""
        sync, self._sync = self._sync, None  # its own thread sets it to None as well
        if sync is not None:
            sync.cancel()
        fd, self._fd = self._fd, -1
        if fd >= 0:
            try:
                os.fsync(fd)
            except OSError:
                pass
            os.close(fd)

    def remove(self) -> None:
        """Stop writing and remove the file: all is saved, or was given up knowingly."""
        ours = self._fd >= 0 and _is_at(self._fd, self.path)
        self.leave()
        if ours:
            forget(self.path)


def forget(journal: Path) -> None:
    """Remove a journal that nobody wants any more."""
    try:
        remove(journal)
    except OSError:
        pass  # its folder is gone, or may not be changed: it is offered again


class RecoveredWork(NamedTuple):
    """A journal that a process left behind: the project's file (None when it had no name), and its history. `unread` says
    that steps follow which could not be read."""

    path: Path
    project: Path | None
    history: History
    unread: bool = False

    @property
    def steps(self) -> int:
        """How many steps were taken since the project was opened or saved."""
        return len(self.history.steps) - 1


def left_behind(project: Path | None) -> RecoveredWork | None:
    """Return what a process that did not end well left of a project, or of one without a name, the latest; None if
    nothing."""
    if project is not None:
        found = _read(journal_path(project))
        # Its own line may name another file, where it was written by somebody else or the folder was moved.
        return found._replace(project=project.absolute()) if found is not None else None
    unnamed = (state_folder() / "untitled").glob("*.journal")
    read = [f for p in sorted(unnamed, key=_changed_at) if (f := _read(p)) is not None]
    return read[-1] if read else None


def _changed_at(path: Path) -> float:
    try:
        return path.lstat().st_mtime
    except OSError:
        return 0.0


def kept_aside(project: Path) -> Path | None:
    """Move a journal that holds steps and cannot be read out of the way of the next one, and return where it is; None where there is
    none. Raises TempikError where it cannot be moved: it would be lost."""
    path = journal_path(project)
    try:
        _read_or_say(path)
        return None
    except _UnreadError:
        pass
    for number in range(1, MOST_ASIDE):
        aside = path.with_name(f"{path.name}.unread{number}")
        if not os.path.lexists(aside):
            try:
                os.rename(path, aside)
            except OSError as error:
                raise TempikError(
                    f"{path} holds work that could not be read, and could not be moved ({error.strerror})."
                ) from error
            return aside
    raise TempikError(f"{path} holds work that could not be read; move it, and those like it, elsewhere.")


class _UnreadError(Exception):
    """A journal is there, nobody writes it, and what it holds could not be read."""


def _read(path: Path) -> RecoveredWork | None:
    try:
        return _read_or_say(path)
    except _UnreadError:
        return None


def _read_or_say(path: Path) -> RecoveredWork | None:
    """Return what a journal holds, None where it holds no step or somebody writes it. Raises _UnreadError."""
    reading, unread = _Reading(), False
    try:
        with opened_regular(path, follow=False) as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except OSError:
                return None  # its process is alive
            left = MOST_MB * MB
            # Line by line: a long session's is larger than what it holds. What follows the last end of line was torn.
            while (line := file.readline(MOST_LINE_MB * MB)).endswith(b"\n"):
                left -= len(line)
                try:
                    reading.take(msgspec.json.decode(line))
                except NO_LINE:
                    unread = True
                    break
                if left < 0:
                    unread = bool(file.read(1))
                    break
            else:
                unread = len(line) >= MOST_LINE_MB * MB
            empty = os.fstat(file.fileno()).st_size == 0
    except (TempikError, OSError):
        return None
    history = reading.history
    if history is not None and reading.under_way is not None:
        history = history.done(reading.under_way, UNDER_WAY)
    if history is None or len(history.steps) < 2:
        if unread or (history is None and not empty):
            raise _UnreadError
        return None
    return RecoveredWork(path, reading.project, history, unread)


class _Reading:
    """A journal as far as it was read."""

    def __init__(self) -> None:
        self.history: History | None = None
        self.project: Path | None = None
        self.under_way: Reel | None = None
        self._kind = JOURNAL

    def take(self, entry: Any) -> None:
        """Take in a line. Raises one of `NO_LINE` where no journal has such a line."""
        if self.history is None:
            self._kind = entry["journal"]
            if self._kind not in FORMATS:
                raise ValueError("a journal of another kind")
            reel = with_names_of_today(entry["reel"], FORMATS[self._kind])
            self.history = begin(_sound(msgspec.convert(reel, Reel, dec_hook=decode_value)))
            self.project = Path(entry["project"]) if entry["project"] else None
        elif "under way" in entry:
            changed = entry["under way"]
            self.under_way = self._changed(changed) if changed is not None else None
        elif "done" in entry:
            self.history = self.history.done(self._changed(entry["set"]), str(entry["done"]))
            self.under_way = None
        else:
            self.history = self.history.gone_to(int(entry["at"]))
            self.under_way = None

    def _changed(self, changed: dict[str, Any]) -> Reel:
        assert self.history is not None
        changed = step_with_names_of_today(changed, FORMATS[self._kind])
        return _sound(with_difference(self.history.reel, changed))


def _sound(reel: Reel) -> Reel:
    """Return the reel. Raises ValueError where no project would be opened with it."""
    found = problems(reel)
    if found:
        raise ValueError(found[0])
    return reel


def _step(history: History, number: int) -> object:
    return history.steps[number] if number < len(history.steps) else None
