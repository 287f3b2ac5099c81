"""Looks of titles of one's own: kept beside the settings under a name, each in a file that can be passed on."""

from __future__ import annotations

from pathlib import Path

import msgspec
from msgspec.structs import replace

from tempik.errors import TempikError
from tempik.project import library
from tempik.project.file import decode_value, state_folder
from tempik.reel import Title, WordStyle
from tempik.reel.bounds import no_number, out_of_bounds
from tempik.reel.validate import title_problems
from tempik.titles.looks import LOOKS, OnPoints, TitleLook, ready_look

SUFFIX = ".tempiktitle"
FORMAT = 1


def library_folder() -> Path:
    """Return where one's own looks of titles are kept."""
    return state_folder() / "titles"


def own_title_looks() -> list[TitleLook]:
    """Return one's own looks by name; files that cannot be read are left out."""
    return library.readable(library_folder(), SUFFIX, read_title_look)


def title_look_named(name: str) -> TitleLook:
    """Return a look by name, of ours or one's own. Raises TempikError, naming those there are, when there is none."""
    ready = ready_look(name)
    if ready is not None:
        return ready
    own = own_title_looks()
    found = next((look for look in own if look.name.casefold() == name.strip().casefold()), None)
    if found is None:
        names = ", ".join(look.name for look in (*LOOKS, *own))
        raise TempikError(f"There is no look of titles '{name}'; there are {names}.")
    return found


def kept_title_look(look: TitleLook) -> TitleLook:
    """Keep a look among one's own; one of the same name gives way. Raises TempikError for a name that cannot be had, or where it cannot be
    written."""
    name = library.checked_name(look.name, "look", [ready.name for ready in LOOKS])
    library.made_folder(library_folder(), "look")
    kept = look._replace(name=name, does="your own", own=True)
    write_title_look(kept, library.file_named(library_folder(), name, SUFFIX))
    return kept


def removed_title_look(name: str) -> None:
    """Take one of one's own looks away; titles that have it keep it. Raises TempikError where there is none, or where it cannot be
    removed."""
    found = title_look_named(name)
    if not found.own:
        raise TempikError(f"'{found.name}' comes with Tempik and stays.")
    library.taken_away(library.file_named(library_folder(), found.name, SUFFIX))


def write_title_look(look: TitleLook, path: Path) -> None:
    """Write a look to a file of its own. Raises TempikError when it cannot be written."""
    made = {
        "format": FORMAT,
        "name": look.name,
        "title": msgspec.to_builtins(replace(look.title, text="", words=look.turns)),
    }
    library.write_document(path, made | {"on_points": look.on_points})


def read_title_look(path: Path) -> TitleLook:
    """Read a look from a file. Raises TempikError when it is none, damaged, or of a newer version."""
    document = library.read_document(path, f"look of titles; choose a {SUFFIX} file", "title", FORMAT)
    try:
        title = msgspec.convert(document["title"], Title, dec_hook=decode_value)
        name = msgspec.convert(document.get("name", path.stem), str)
        on_points = msgspec.convert(document.get("on_points", ""), OnPoints)
    except (msgspec.ValidationError, ValueError) as error:
        raise TempikError(f"{path} is damaged: {error}.") from error
    message = out_of_bounds(title) or no_number(title)
    found = f"{path} has {message}." if message else next(title_problems(title, str(path)), None)
    if found is not None:
        raise TempikError(found)
    turns: tuple[WordStyle, ...] = title.words
    if turns and [style.word for style in turns] != list(range(len(turns))):
        raise TempikError(f"{path} is damaged: the turns of its words are not in order.")
    return TitleLook(
        name[: library.LONGEST_NAME], "your own", replace(title, text="", words=()), on_points, turns, own=True
    )
