"""Where what was worked out of files is kept, by their contents, and how much of it."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import msgspec
import platformdirs

from tempik.disk.reading import opened_regular, read_whole
from tempik.disk.writing import make_folders, write_whole
from tempik.errors import TempikError

T = TypeVar("T")
# A file is told by its size and these many bytes at its beginning, middle and end: reading gigabytes takes minutes.
SAMPLE_BYTES = 1 << 18
# What proxies may take of the disk together; the ones longest unused go first.
MOST_BYTES = 12 << 30
MOST_ENTRY_MB = 256
DIGEST_BYTES = 16  # before each entry: a flipped bit in a number would be believed for ever


def cache_folder() -> Path:
    """Return where analyses are kept: TEMPIK_CACHE if set, else the user's cache folder."""
    return Path(os.environ.get("TEMPIK_CACHE") or platformdirs.user_cache_dir("tempik"))


def content_key(path: str) -> str:
    """Return a name for a file's contents, the same wherever it lies. Raises TempikError when it cannot be read."""
    digest = hashlib.blake2b(digest_size=16)
    try:
        with opened_regular(path) as file:
            size = os.fstat(file.fileno()).st_size
            digest.update(str(size).encode())
            for at in (0, max(0, size // 2 - SAMPLE_BYTES // 2), max(0, size - SAMPLE_BYTES)):
                file.seek(at)
                digest.update(file.read(SAMPLE_BYTES))
    except OSError as error:
        raise TempikError(f"{path} could not be read ({error.strerror}); check the file.") from error
    return digest.hexdigest()


def kept(path: str, what: str, kind: type[T], make: Callable[[], T]) -> T:
    """Return what `make` finds of a file, or what it found before of the same contents.

    `what` names the finding and its version, such as `cues1`. Where nothing can be kept it is made each time.
    """
    entry = cache_folder() / "footage" / f"{content_key(path)}.{what}"
    found = kept_entry(entry, kind)
    if found is None:
        found = make()
        keep_entry(entry, found)
    return found


def kept_entry(entry: Path, kind: type[T]) -> T | None:
    """Return what is kept under a name, or None where nothing is, or something else than was written."""
    try:
        data = read_whole(entry, MOST_ENTRY_MB)
        if data[:DIGEST_BYTES] != _digest(data[DIGEST_BYTES:]):
            return None
        return msgspec.msgpack.decode(data[DIGEST_BYTES:], type=kind)
    except (TempikError, msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return None


def keep_entry(entry: Path, made: Any) -> None:
    """Keep a finding under a name, whole or not at all; what cannot be kept is made again next time."""
    data = msgspec.msgpack.encode(made)
    try:
        make_folders(entry.parent)
        write_whole(entry, _digest(data) + data)
    except (OSError, TempikError):
        pass


def _digest(data: bytes) -> bytes:
    return hashlib.blake2b(data, digest_size=DIGEST_BYTES).digest()


def cache_size() -> int:
    """Return how many bytes are kept."""
    return sum(_size(p) for p in cache_folder().rglob("*") if p.is_file())


def clear_cache() -> int:
    """Remove what can be made again, but for the demo; return how many bytes that freed."""
    freed = 0
    for folder in ("footage", "proxies", "rhythm"):
        for path in (cache_folder() / folder).glob("*"):
            freed += _size(path)
            path.unlink(missing_ok=True)
    return freed


def make_room(folder: Path, most: int = MOST_BYTES, keep: Callable[[Path], Any] = lambda path: False) -> None:
    """Remove the files of a folder that were used longest ago until the rest take at most `most` bytes."""
    found = sorted((p for p in folder.glob("*") if p.is_file()), key=lambda p: p.stat().st_mtime)
    total = sum(_size(p) for p in found)
    for path in found:
        if total <= most:
            return
        if not keep(path):
            total -= _size(path)
            path.unlink(missing_ok=True)


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0
