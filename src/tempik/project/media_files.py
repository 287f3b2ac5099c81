"""The files that a reel reads: found again, told apart, copied beside the project."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path
from typing import Annotated, Any, NamedTuple, TypeVar, get_args, get_origin, get_type_hints

import msgspec

from tempik.derive import DERIVED, LONG, Stage
from tempik.disk.folders import files_in
from tempik.disk.reading import is_regular
from tempik.disk.writing import copy_whole, make_folder
from tempik.errors import TempikError
from tempik.grade.cube import is_cube
from tempik.media.cache import content_key
from tempik.media.opening import is_media
from tempik.reel import Reel

_NAMED: Stage[tuple[str, ...]] = Stage("files of a record", LONG)


def found_in(reel: Reel, folder: Path, stopped: Callable[[], bool] = lambda: False) -> Reel:
    """Return the reel with missing media read from a folder and those below it: by name and size, else by contents.

    A file of the right name but another size is taken only where nothing fits better.
    """
    by_name: dict[str, list[Path]] = {}
    by_size: dict[int, list[Path]] = {}
    for path in map(Path, files_in(str(folder), (), stopped).files):
        by_name.setdefault(path.name, []).append(path)
        try:
            by_size.setdefault(path.stat().st_size, []).append(path)
        except OSError:
            continue  # gone meanwhile
    for old in missing_media(reel):
        piece = next((f for f in reel.footage if f.path == old), None)
        named = by_name.get(Path(old).name, [])
        best = next((p for p in named if piece is None or not piece.bytes or p.stat().st_size == piece.bytes), None)
        if best is None and piece is not None and piece.bytes:
            best = next((p for p in by_size.get(piece.bytes, []) if content_key(str(p)) == piece.key), None)
        best = best or next(iter(named), None)
        if best is not None:
            reel = relink(reel, old, str(best.absolute()))
    return reel


def replaced_media(reel: Reel) -> list[str]:
    """Return the paths of footage that is there but is no longer the file that was added."""
    out = []
    for piece in reel.footage:
        path = Path(piece.path)
        if piece.without_file or not piece.bytes or not is_regular(path):
            continue
        if path.stat().st_size != piece.bytes:
            out.append(piece.path)
    return out


class Collected(NamedTuple):
    """A reel that reads its media from beside its project, and the files that were left where they are."""

    reel: Reel
    left: tuple[str, ...]


def collect(reel: Reel, project: Path, report: Callable[[float], None] | None = None) -> Collected:
    """Copy all media into a folder beside the project.

    What lies there already with the same contents is used. What is neither media nor a LUT is left: a project that somebody else made
    may name any file, and what is collected is often sent on. Raises TempikError when a file is missing or cannot be
    copied; nothing half-copied is left.
    """
    folder = project.absolute().with_name(project.stem + " media")
    paths = media_paths(reel)
    gone, left = missing_media(reel), list[str]()
    if gone:
        raise TempikError(f"{gone[0]} is missing; say where it is before collecting.")
    for number, path in enumerate(paths):
        if report is not None:
            report(number / len(paths))
        source = Path(path)
        if source.parent == folder:
            continue
        if not (is_media(path) or is_cube(path)):
            left.append(path)
            continue
        target = folder / source.name
        count = 2
        while target.exists() and content_key(str(target)) != content_key(path):
            target = folder / f"{source.stem} {count}{source.suffix}"
            count += 1
        if not target.exists():
            try:
                make_folder(folder)
                copy_whole(source, target, own=True)
            except OSError as error:
                raise TempikError(
                    f"{source.name} could not be copied to {folder} ({error.strerror}); free some space there."
                ) from error
        reel = relink(reel, path, str(target))
    return Collected(reel, tuple(left))


def media_paths(reel: Reel) -> tuple[str, ...]:
    """Return the files that a reel reads, as its records name them, each once and the soundtrack's first."""
    return tuple(dict.fromkeys(_named_by(reel)))


def _named_by(record: msgspec.Struct) -> tuple[str, ...]:
    """Return the files that a record and those in it name, in the order of its fields; a record is looked through once."""
    return DERIVED.get(_NAMED, (record,), (), lambda: tuple(_names_in(record)))


def _names_in(record: msgspec.Struct) -> Iterator[str]:
    paths, inner = _media_fields(type(record))
    if not getattr(record, "without_file", False):
        yield from (path for name in paths if (path := getattr(record, name)))
    for name in inner:
        value = getattr(record, name)
        for each in value if isinstance(value, tuple) else (value,):
            if each is not None:
                yield from _named_by(each)


def missing_media(reel: Reel) -> list[str]:
    """Return the absolute paths of media that are not there now, the soundtrack first."""
    return [p for p in media_paths(reel) if not is_regular(p)]


def relink(reel: Reel, old: str, new: str) -> Reel:
    """Return the reel with media file `old` read from `new` instead."""
    return _turned(reel, lambda path: new if path == old else path)


def with_paths(reel: Reel, folder: Path, relative: bool) -> Reel:
    """Return the reel with its media named relative to a folder, or, being so, by absolute paths."""
    if relative:
        return _turned(reel, lambda path: os.path.relpath(path, folder))
    return _turned(reel, lambda path: os.path.normpath(folder / path))


@cache
def _media_fields(kind: type) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Return the fields of a record that name a file, and those that hold records which may: by their types."""
    paths, inner = [], []
    for name, hint in get_type_hints(kind, include_extras=True).items():
        if get_origin(hint) is Annotated and "media" in get_args(hint)[1:]:
            paths.append(name)
        elif any(isinstance(t, type) and issubclass(t, msgspec.Struct) and any(_media_fields(t)) for t in _parts(hint)):
            inner.append(name)
    return tuple(paths), tuple(inner)


def _parts(hint: Any) -> tuple[Any, ...]:
    """Return the types that an optional field or a tuple of records is made of."""
    return get_args(hint) or (hint,)


R = TypeVar("R", bound=msgspec.Struct)


def _turned(record: R, turn: Callable[[str], str]) -> R:
    """Return a record with every file that it or its records name turned into another name."""
    paths, inner = _media_fields(type(record))
    changed: dict[str, Any] = {}
    for name in paths:
        path = getattr(record, name)
        if path and not getattr(record, "without_file", False):
            changed[name] = turn(path)
    for name in inner:
        value = getattr(record, name)
        if isinstance(value, tuple):
            changed[name] = tuple(_turned(r, turn) for r in value)
        elif value is not None:
            changed[name] = _turned(value, turn)
    same = all(v is getattr(record, n) or v == getattr(record, n) for n, v in changed.items())
    return record if same else msgspec.structs.replace(record, **changed)
