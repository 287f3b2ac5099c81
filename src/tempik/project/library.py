"""One's own shapes and bundles on the disk: names, folders and documents, told in one sentence where they do not serve."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from tempik.disk.reading import decoded, read_whole
from tempik.disk.writing import make_folders, remove, write_whole
from tempik.errors import TempikError
from tempik.project.older import with_names_of_today

T = TypeVar("T")
LONGEST_NAME = 40
MOST_MB = 4


def checked_name(name: str, what: str, ready: Collection[str]) -> str:
    """Return a name that one's own may have. Raises TempikError for one that cannot be had, or that comes with Tempik."""
    name = name.strip()
    if not name or len(name) > LONGEST_NAME or not any(c.isalnum() for c in name):
        raise TempikError(f"A {what}'s name has 1 to {LONGEST_NAME} letters.")
    if name in ready:
        raise TempikError(f"'{name}' comes with Tempik; give yours another name.")
    return name


def file_named(folder: Path, name: str, suffix: str) -> Path:
    """Return the file of one's own of a name."""
    safe = re.sub(r"[^\w\- ]", "_", name)
    return folder / f"{safe}{suffix}"


def readable(folder: Path, suffix: str, read: Callable[[Path], T]) -> list[T]:
    """Return what can be read of one's own in a folder, by name; files that cannot are left out."""
    out = []
    for path in sorted(folder.glob(f"*{suffix}")):
        try:
            out.append(read(path))
        except TempikError:
            continue
    return out


def made_folder(folder: Path, what: str) -> None:
    """Make the folder of the library. Raises TempikError when it cannot be made."""
    try:
        make_folders(folder)
    except OSError as error:
        raise TempikError(f"{folder} could not be made ({error.strerror}); the {what} was not kept.") from error


def taken_away(path: Path) -> None:
    """Remove a file of the library. Raises TempikError where it cannot be."""
    try:
        remove(path)
    except OSError as error:
        raise TempikError(f"{path} could not be removed ({error.strerror}); remove it by hand.") from error


def write_document(path: Path, document: dict[str, Any]) -> None:
    """Write a document, all of it or nothing. Raises TempikError when it cannot be written."""
    write_whole(path.absolute(), msgspec.json.format(msgspec.json.encode(document), indent=1) + b"\n")


def read_document(path: Path, what: str, part: str, newest: int, before: str = "") -> dict[str, Any]:
    """Return a document that has a `format` and a `part`, with its fields called as they are today; `before` is what its part was called
    in its first format. Raises TempikError, `what` saying what the file is not."""
    data = read_whole(path, MOST_MB)
    try:
        document = decoded(data, path, what)
    except TempikError:
        raise TempikError(f"{path} is no {what}.") from None
    number = document.get("format") if isinstance(document, dict) else None
    if number == 1 and newest > 1:  # of the time of project format 12
        document = {(part if k == before else k): with_names_of_today(v, 12, k) for k, v in document.items()}
    if not isinstance(number, int) or part not in document:
        raise TempikError(f"{path} is no {what}.")
    if number > newest:
        raise TempikError(f"{path} was saved by a newer Tempik; update Tempik to read it.")
    return dict(document)
