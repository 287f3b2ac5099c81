"""The one way in which files are written: whole or not at all, on the disk when it is said so, and never through a link.

A file is made new under a random name beside the one that it becomes, written, put on the disk, renamed, and its folder
put on the disk; a rename may be undone by a power cut until its folder is (Pillai et al., "All File Systems Are Not
Created Equal", OSDI 2014). What others may have laid into the folder is never opened: a project from a stranger can hold
links under any name of ours.
"""

from __future__ import annotations

import errno
import fcntl
import os
import re
import secrets
import shutil
import stat
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from tempik.disk.reading import is_text, opened_regular, printable
from tempik.errors import TempikError

_PART = re.compile(r"\..+\.[0-9a-f]{16}\.part")
_LONGEST_NAME = 120  # of a target in the name of its part; names end at 255 bytes
# What projects read that were opened by this process: nothing of it is written over, whatever is asked to be.
_READ: dict[str, None] = {}
_NOT_LOOKED_UP: list[str] = []
_INODES: set[tuple[int, int]] = set()
_MOST_READ = 50_000
_NEW = os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_RDWR | os.O_CLOEXEC


class NewFile:
    """A file that is made beside `target` and becomes it, or goes.

    `own` says that the folder is one that Tempik makes: a link in its place is refused. While the file is open it is
    locked, so that the next one made in the folder can tell what a killed process left, and removes it. Every method
    raises OSError."""

    def __init__(self, target: Path, own: bool = False) -> None:
        if not is_text(target):
            raise OSError(errno.EILSEQ, "its name is no text (UTF-8)", printable(target))
        self.target = target
        self._folder = _opened_folder(target.parent, own)
        self.fd = -1
        try:
            _refuse_what_is_no_file(self._folder, target)
            _refuse_what_is_read(self._folder, target)
            _sweep(self._folder)
            while self.fd < 0:
                self._name = f".{_shortened(target.name)}.{secrets.token_hex(8)}.part"
                self.fd = os.open(self._name, _NEW, 0o666, dir_fd=self._folder)
                if not self._is_mine():  # another swept it away before it was locked
                    os.close(self.fd)
                    self.fd = -1
        except OSError:
            self._close()
            raise

    @property
    def path(self) -> Path:
        """Where the file is until it becomes its target, for writers that take a name."""
        return self.target.parent / self._name

    def write(self, data: bytes) -> None:
        """Write all of it."""
        write_all(self.fd, data)

    def become(self) -> None:
        """Put the file on the disk and let it take its target's place."""
        os.fsync(self.fd)
        os.rename(self._name, self.target.name, src_dir_fd=self._folder, dst_dir_fd=self._folder)
        self._name = ""
        _sync_folder(self._folder)

    def close(self, keep_open: bool = False) -> int:
        """Remove the file unless it has become its target; return its descriptor, closed unless it is to be kept open."""
        if self._name:
            try:
                os.unlink(self._name, dir_fd=self._folder)
            except OSError:
                pass
        fd = self.fd
        if keep_open:
            self.fd = -1
        self._close()
        return fd

    def _is_mine(self) -> bool:
        """Lock the file, and tell whether it is still there."""
        try:
            fcntl.flock(self.fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            return False
        except OSError:
            pass  # a file system without locks: nothing is swept there
        try:
            there = os.stat(self._name, dir_fd=self._folder, follow_symlinks=False)
        except OSError:
            return False
        here = os.fstat(self.fd)
        return (here.st_dev, here.st_ino) == (there.st_dev, there.st_ino)

    def _close(self) -> None:
        for fd in (self.fd, self._folder):
            if fd >= 0:
                os.close(fd)
        self.fd = self._folder = -1


def write_whole(path: Path, data: bytes, own: bool = False) -> None:
    """Write a file so that readers see the old or the new one, never half. Raises TempikError."""
    try:
        with fresh_file(path, own) as new:
            new.write(data)
    except OSError as error:
        raise TempikError(
            f"{printable(path)} could not be written ({error.strerror}); choose another place."
        ) from error


@contextmanager
def fresh_file(target: Path, own: bool = False) -> Iterator[NewFile]:
    """Give a new file that takes the place of `target` when the block ends well, and goes when it does not. Raises
    OSError."""
    new = NewFile(target.absolute(), own)
    try:
        yield new
        new.become()
    finally:
        new.close()


class NewFolder:
    """A folder that is being made; nothing in it is ever written over."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def opened(self, name: str) -> BinaryIO:
        """Open a new file in it, for writing; folders on the way are made. Raises OSError."""
        place = self.path / name
        place.parent.mkdir(parents=True, exist_ok=True)
        return os.fdopen(os.open(place, _NEW, 0o666), "wb")

    def write(self, name: str, data: bytes) -> None:
        """Write a new file into it. Raises OSError."""
        with self.opened(name) as out:
            out.write(data)


@contextmanager
def fresh_folder(target: Path) -> Iterator[NewFolder]:
    """Give a new folder that becomes `target` when the block ends well, and goes with all that is in it when it does not. Raises
    OSError, with EEXIST where something of that name is there: a folder is never written over."""
    target = target.absolute()
    if not is_text(target):
        raise OSError(errno.EILSEQ, "its name is no text (UTF-8)", printable(target))
    if os.path.lexists(target):
        raise FileExistsError(errno.EEXIST, "something of that name is there already", str(target))
    part = target.parent / f".{_shortened(target.name)}.{secrets.token_hex(8)}.part"
    os.mkdir(part)
    try:
        yield NewFolder(part)
        for place, folders, names in os.walk(part):
            for name in (*folders, *names):
                fd = os.open(Path(place) / name, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
                try:
                    _sync_folder(fd)
                finally:
                    os.close(fd)
        _sync_named(part)
        _rename_to_nothing(part, target)
        _sync_named(target.parent)
    finally:
        if part.is_dir():
            shutil.rmtree(part, ignore_errors=True)


def _rename_to_nothing(part: Path, target: Path) -> None:
    """Rename a folder. An empty folder that has come to be there meanwhile would give way, anything else makes it fail."""
    if os.path.lexists(target):
        raise FileExistsError(errno.EEXIST, "something of that name is there already", str(target))
    os.rename(part, target)


def copy_whole(source: Path, target: Path, own: bool = False) -> None:
    """Copy a regular file with its time. Raises OSError, and TempikError where the source is none."""
    with opened_regular(str(source)) as read, fresh_file(target, own) as new:
        with os.fdopen(os.dup(new.fd), "wb") as out:
            shutil.copyfileobj(read, out, 1 << 20)
        seen = os.fstat(read.fileno())
        os.utime(new.fd, ns=(seen.st_atime_ns, seen.st_mtime_ns))


def make_folder(folder: Path) -> None:
    """Make a folder of our own in one that is there. Raises OSError, also where a link lies in its place."""
    try:
        os.mkdir(folder)
    except FileExistsError:
        pass
    else:
        _sync_named(folder.parent)
    os.close(_opened_folder(folder, own=True))


def make_folders(folder: Path) -> None:
    """Make a folder among the user's own state or caches, with those that it lies in. Raises OSError."""
    if folder.is_dir():
        return
    make_folders(folder.parent)
    try:
        os.mkdir(folder)
    except FileExistsError:
        return
    _sync_named(folder.parent)


def remove(path: Path, own: bool = False) -> None:
    """Remove a regular file where there is one; what else lies there is left. Raises OSError."""
    try:
        folder = _opened_folder(path.parent, own)
    except FileNotFoundError:
        return
    try:
        if stat.S_ISREG(os.stat(path.name, dir_fd=folder, follow_symlinks=False).st_mode):
            os.unlink(path.name, dir_fd=folder)
    except FileNotFoundError:
        pass
    finally:
        os.close(folder)


def write_all(fd: int, data: bytes) -> None:
    """Write every byte: the system may take fewer than it was given, and on a full disk it does. Raises OSError."""
    left = memoryview(data)
    while left:
        left = left[os.write(fd, left) :]


def open_lock(path: Path, more: int = 0) -> int:
    """Open or make a file that serves as a lock, through no link, and return its descriptor; `more` flags of the system's, such as
    O_APPEND. Raises OSError, with ELOOP where something else lies in its place."""
    folder = _opened_folder(path.parent, own=False)
    try:
        flags = os.O_CREAT | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_RDWR | os.O_CLOEXEC | more
        fd = os.open(path.name, flags, 0o666, dir_fd=folder)
    finally:
        os.close(folder)
    if not stat.S_ISREG(os.fstat(fd).st_mode):
        os.close(fd)
        raise _foreign(path)
    return fd


def _opened_folder(folder: Path, own: bool) -> int:
    """Open a folder. The user's own may be reached by a link; one that we make may not be one."""
    flags = os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC | (os.O_NOFOLLOW if own else 0)
    try:
        return os.open(folder, flags)
    except PermissionError:
        return os.open(folder, flags | os.O_PATH)  # one that may be written to and not listed
    except OSError as error:
        if own and error.errno in (errno.ELOOP, errno.ENOTDIR):
            raise _foreign(folder) from error
        raise


def _refuse_what_is_no_file(folder: int, target: Path) -> None:
    """A device or a pipe is not to be put in a file's place; a link gives way to the file, and what it names stays."""
    try:
        mode = os.stat(target.name, dir_fd=folder, follow_symlinks=False).st_mode
    except FileNotFoundError:
        return
    if not stat.S_ISREG(mode) and not stat.S_ISLNK(mode):
        raise OSError(errno.EEXIST, "what lies there is no file", str(target))


def is_read(paths: Iterable[str]) -> None:
    """Say that files are read by what is open: they are not written over by this process. The disk is not asked yet."""
    for path in paths:
        if path not in _READ:
            _READ[path] = None
            _NOT_LOOKED_UP.append(path)
    while len(_READ) > _MOST_READ:
        del _READ[next(iter(_READ))]


def _refuse_what_is_read(folder: int, target: Path) -> None:
    """Raises OSError where what lies there is a file that a project reads, by whatever name."""
    if not _READ:
        return
    try:
        there = os.stat(target.name, dir_fd=folder)
    except OSError:
        return
    while _NOT_LOOKED_UP:
        try:
            read = os.stat(_NOT_LOOKED_UP.pop())
        except (OSError, ValueError, IndexError):
            continue
        _INODES.add((read.st_dev, read.st_ino))
    if (there.st_dev, there.st_ino) in _INODES or str(target) in _READ or os.path.realpath(target) in _READ:
        # An inode may be another file's by now: it is looked up again before it is said.
        if any(_same_file(path, there) for path in list(_READ)):
            raise OSError(errno.EEXIST, "a project that is open reads that file, and it would be lost", str(target))
        _INODES.discard((there.st_dev, there.st_ino))


def _same_file(path: str, there: os.stat_result) -> bool:
    try:
        read = os.stat(path)
    except (OSError, ValueError):
        return False
    return (read.st_dev, read.st_ino) == (there.st_dev, there.st_ino)


def _foreign(path: Path) -> OSError:
    return OSError(errno.ELOOP, "something that Tempik did not make lies there, such as a link", str(path))


def _sync_named(folder: Path) -> None:
    fd = _opened_folder(folder, own=False)
    try:
        _sync_folder(fd)
    finally:
        os.close(fd)


def _sync_folder(fd: int) -> None:
    try:
        os.fsync(fd)
    except OSError as error:
        if error.errno not in (errno.EINVAL, errno.ENOTSUP, errno.EBADF):  # some folders cannot be synced
            raise


def _sweep(folder: int) -> None:
    """Remove what killed processes left half-written: files of our naming that nobody holds locked."""
    try:
        names = os.listdir(folder)
    except OSError:
        return
    for name in names:
        if not _PART.fullmatch(name):
            continue
        try:
            fd = os.open(name, os.O_RDWR | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC, dir_fd=folder)
        except OSError:
            continue
        try:
            if stat.S_ISREG(os.fstat(fd).st_mode):
                fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
                os.unlink(name, dir_fd=folder)
        except OSError:
            pass  # its writer is alive
        finally:
            os.close(fd)


def _shortened(name: str) -> str:
    """Return a name that leaves room for more, cut between letters."""
    return name.encode()[:_LONGEST_NAME].decode(errors="ignore") or "file"
