"""Joins of one's own: kept beside the settings under a name, each in a file that can be passed on."""

from __future__ import annotations

from pathlib import Path

import msgspec
from msgspec.structs import replace

from tempik.errors import TempikError
from tempik.joins import CATALOGUE, problem
from tempik.project.file import decode_value, state_folder
from tempik.project.library import checked_name, file_named, made_folder, read_document, taken_away, write_document
from tempik.reel import Join
from tempik.reel.bounds import no_number, out_of_bounds
from tempik.reel.validate import join_problems

SUFFIX = ".tempikjoin"
FORMAT = 1


def library_folder() -> Path:
    return state_folder() / "joins"


def own_joins() -> dict[str, Join]:
    """Return one's own joins by name; files that cannot be read are left out."""
    out = {}
    for path in sorted(library_folder().glob(f"*{SUFFIX}")):
        try:
            name, join = read_join(path)
        except TempikError:
            continue
        out[name] = join
    return out


def own_join(name: str) -> Join:
    """Return one of one's own joins. Raises TempikError, naming those there are, when there is none."""
    found = own_joins()
    if name not in found:
        names = ", ".join(found) or "none yet"
        raise TempikError(f"There is no join of yours named '{name}'; there are: {names}.")
    return found[name]


def kept_join(join: Join, name: str) -> Path:
    """Keep a join under a name. Raises TempikError for a name that cannot be had."""
    name = checked_name(name, "join", list(CATALOGUE))
    made_folder(library_folder(), "join")
    path = file_named(library_folder(), name, SUFFIX)
    write_join(join, name, path)
    return path


def write_join(join: Join, name: str, path: Path) -> None:
    """Write a join to a file of its own. Raises TempikError when it cannot be written."""
    write_document(path, {"format": FORMAT, "name": name, "join": msgspec.to_builtins(replace(join, held=False))})


def removed_join(name: str) -> None:
    """Take one of one's own joins away; cuts that have it keep it."""
    taken_away(file_named(library_folder(), name, SUFFIX))


def read_join(path: Path) -> tuple[str, Join]:
    """Read a join's file: its name and the join. Raises TempikError when it is none, damaged, or of a newer version."""
    document = read_document(path, f"join; choose a {SUFFIX} file", "join", FORMAT)
    try:
        join = msgspec.convert(document["join"], Join, dec_hook=decode_value)
    except (msgspec.ValidationError, TypeError, ValueError) as error:
        raise TempikError(f"{path} is damaged: {error}.") from error
    said = out_of_bounds(join) or no_number(join)
    found = f"it has {said}." if said else next(join_problems(join, "It"), "")
    if not found and join.kind in CATALOGUE:
        found = problem(join)
    if found:
        raise TempikError(f"{path} is damaged: {found}")
    return str(document.get("name") or path.stem), join
