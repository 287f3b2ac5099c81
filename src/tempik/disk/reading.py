"""The one way in which files are opened for reading: regular files only, of a size that is known to be bearable.

A project can name any file, and whoever made it may have named a pipe, which never answers, a device, which never ends, or
a socket. Opening those does something already; so a file is opened without waiting, and looked at before it is read.
"""

from __future__ import annotations

import io
import os
import stat
from pathlib import Path
from typing import Any

import msgspec

from tempik.errors import TempikError

MB = 1 << 20


def opened_regular(path: str | Path, follow: bool = True) -> io.BufferedReader:
    """Open a regular file; `follow` says whether a link to one will do. Raises TempikError naming the file."""
    refuse_no_text(path)
    flags = os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | (0 if follow else os.O_NOFOLLOW)
    try:
        fd = os.open(path, flags)
    except FileNotFoundError:
        raise TempikError(f"{path} is not there; check the name, or say where it has moved.") from None
    except PermissionError as error:
        raise TempikError(f"{path} may not be read; change its permissions or copy it.") from error
    except ValueError:
        raise TempikError(f"{printable(path)} is no name of a file; choose another.") from None
    except OSError as error:
        raise TempikError(f"{printable(path)} could not be opened ({error.strerror}); check the name.") from error
    kind = os.fstat(fd).st_mode
    if not stat.S_ISREG(kind):
        os.close(fd)
        raise TempikError(f"{path} is {_kind_of(kind)}; choose a file.")
    if _of_the_system(fd):
        os.close(fd)
        raise TempikError(f"{path} is a file that the system makes up; choose one that lies on a disk.")
    return open(fd, "rb")


def _of_the_system(fd: int) -> bool:
    """Tell whether an open file is none on a disk: what the kernel says of itself may never end, or wait for ever."""
    try:
        return os.readlink(f"/proc/self/fd/{fd}").startswith(("/proc/", "/sys/"))
    except OSError:
        return False


def is_text(path: str | Path) -> bool:
    """Tell whether a name can be written into a project and shown: UTF-8, as all names of files are but a few old ones."""
    try:
        str(path).encode()
    except UnicodeEncodeError:
        return False
    return True


def refuse_no_text(path: str | Path) -> None:
    """Raises TempikError where a name is no text: a project could not say it, nor the screen show it."""
    if not is_text(path):
        raise TempikError(
            f"{printable(path)} has a name that is no text (UTF-8); rename it, or the folder that it lies in."
        )


def read_whole(path: str | Path, most_mb: int, follow: bool = True) -> bytes:
    """Return what is in a file. Raises TempikError naming it where it cannot be read or is larger than that."""
    with opened_regular(path, follow) as file:
        if os.fstat(file.fileno()).st_size > most_mb * MB:
            raise TempikError(f"{path} is too large to be what it should be (over {most_mb} MB); choose another file.")
        try:
            return file.read(most_mb * MB)
        except OSError as error:
            raise TempikError(f"{path} could not be read ({error.strerror}); check the disk.") from error


def regular_size(path: str | Path) -> int:
    """Return the bytes of a file that a library is to open by its name. Raises TempikError where it is no regular file."""
    with opened_regular(path) as file:
        return os.fstat(file.fileno()).st_size


def is_regular(path: str | Path) -> bool:
    """Tell whether a regular file is there; a name that no file can have is not."""
    try:
        return stat.S_ISREG(os.stat(path).st_mode)
    except (OSError, ValueError):
        return False


def decoded(data: bytes, path: str | Path, what: str) -> Any:
    """Return what a JSON text says. Raises TempikError where it is none: `what` says what it should be."""
    try:
        return msgspec.json.decode(data)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        why = shortened(error) if isinstance(error, msgspec.DecodeError) else "it is nested too deep or holds no text"
        raise TempikError(f"{path} is damaged or is not {what} ({why}); open a copy or an earlier save.") from error


def shortened(text: object) -> str:
    """Return what a file holds, or what was said of it, for a sentence: on one line, and not endless."""
    line = "".join(c if c.isprintable() else "?" for c in str(text))
    return line if len(line) <= 160 else f"{line[:100]}…{line[-40:]}"


def printable(path: str | Path) -> str:
    """Return a name for a sentence: without what cannot be shown, and not endless."""
    text = "".join(c if c.isprintable() else "?" for c in str(path))
    return text if len(text) <= 300 else f"{text[:150]}…{text[-100:]}"


def _kind_of(mode: int) -> str:
    if stat.S_ISDIR(mode):
        return "a folder"
    if stat.S_ISFIFO(mode):
        return "a pipe, not a file"
    return "a device, not a file" if stat.S_ISCHR(mode) or stat.S_ISBLK(mode) else "a socket, not a file"
