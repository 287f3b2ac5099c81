"""Looks of one's own: grades kept beside the settings under a name, each with a small picture, in a file that can be passed on."""

from __future__ import annotations

import base64
from pathlib import Path
from typing import NamedTuple

import msgspec

from tempik.errors import TempikError
from tempik.grade.looks import LOOKS, ready_look
from tempik.project import library
from tempik.project.file import decode_value, state_folder
from tempik.reel import Grade
from tempik.reel.bounds import no_number, out_of_bounds
from tempik.reel.validate import grade_problems

SUFFIX = ".tempiklook"
FORMAT = 1
MOST_PICTURE = 200_000


class OwnLook(NamedTuple):
    """A look of one's own: its name, its grade, and the picture that it was kept with, as PNG (b'' for none)."""

    name: str
    grade: Grade
    picture: bytes = b""


def library_folder() -> Path:
    """Return where one's own looks are kept."""
    return state_folder() / "looks"


def own_looks() -> list[OwnLook]:
    """Return one's own looks by name; files that cannot be read are left out."""
    return library.readable(library_folder(), SUFFIX, read_look)


def look_named(name: str) -> Grade:
    """Return the grade of a look by name. Raises TempikError, naming those there are, when there is none."""
    ready = ready_look(name)
    if ready is not None:
        return ready.grade
    own = own_looks()
    found = next((look.grade for look in own if look.name.casefold() == name.casefold()), None)
    if found is None:
        names = [*(look.name for look in LOOKS), *(look.name for look in own)]
        raise TempikError(f"There is no look '{name}'; there are {', '.join(names)}.")
    return found


def kept_look(name: str, grade: Grade, picture: bytes = b"") -> OwnLook:
    """Keep a grade among one's own looks; one of the same name gives way. Raises TempikError for a name that cannot be had, or
    where it cannot be written."""
    name = library.checked_name(name, "look", [look.name for look in LOOKS])
    look = OwnLook(name, grade, picture if len(picture) <= MOST_PICTURE else b"")
    library.made_folder(library_folder(), "look")
    write_look(look, library.file_named(library_folder(), name, SUFFIX))
    return look


def removed_look(name: str) -> None:
    """Take one of one's own looks away; reels and clips that have it keep it."""
    library.taken_away(library.file_named(library_folder(), name, SUFFIX))


def write_look(look: OwnLook, path: Path) -> None:
    """Write a look to a file of its own; its LUT is named by where it lies. Raises TempikError when it cannot be written."""
    picture = base64.b64encode(look.picture).decode()
    library.write_document(
        path, {"format": FORMAT, "name": look.name, "grade": msgspec.to_builtins(look.grade), "picture": picture}
    )


def read_look(path: Path) -> OwnLook:
    """Read a look from a file. Raises TempikError when it is no look, damaged, or of a newer version."""
    document = library.read_document(path, f"look; choose a {SUFFIX} file", "grade", FORMAT)
    try:
        grade = msgspec.convert(document["grade"], Grade, dec_hook=decode_value)
        name = msgspec.convert(document.get("name", path.stem), str)
        picture = base64.b64decode(msgspec.convert(document.get("picture", ""), str))
    except (msgspec.ValidationError, ValueError) as error:
        raise TempikError(f"{path} is damaged: {error}.") from error
    message = out_of_bounds(grade) or no_number(grade)
    found = f"{path} has {message}." if message else next(iter(grade_problems(grade, str(path))), None)
    if found is not None:
        raise TempikError(found)
    return OwnLook(name[:40], grade, picture[:MOST_PICTURE])
