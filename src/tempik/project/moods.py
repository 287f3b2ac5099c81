"""Moods of one's own: tables of numbers kept beside the settings under a name, each in a file that can be passed on."""

from __future__ import annotations

from pathlib import Path

import msgspec

from tempik.edit.drafting.moods import MOODS, Mood, mood_problems
from tempik.errors import TempikError
from tempik.project import library
from tempik.project.file import state_folder
from tempik.reel.bounds import no_number

SUFFIX = ".tempikmood"
FORMAT = 2


def library_folder() -> Path:
    """Return where one's own moods are kept."""
    return state_folder() / "moods"


def own_moods() -> list[Mood]:
    """Return one's own moods by name; files that cannot be read are left out."""
    return library.readable(library_folder(), SUFFIX, read_mood)


def any_mood(name: str) -> Mood:
    """Return a mood by name, one's own or one that comes with Tempik. Raises TempikError, naming those there are, where there is none."""
    there = [*MOODS, *own_moods()]
    found = next((m for m in there if m.name.casefold() == name.casefold()), None)
    if found is None:
        raise TempikError(f"There is no mood '{name}'; choose from {', '.join(m.name for m in there)}.")
    return found


def kept_mood(mood: Mood, name: str) -> Mood:
    """Keep a mood among one's own under a name; one of the same name gives way. Raises TempikError for a name that cannot be had, a
    mood that cannot be drafted by, or where it cannot be written."""
    mood = msgspec.structs.replace(mood, name=library.checked_name(name, "mood", [m.name for m in MOODS]))
    _sound(mood, f"The mood '{mood.name}'")
    library.made_folder(library_folder(), "mood")
    write_mood(mood, library.file_named(library_folder(), mood.name, SUFFIX))
    return mood


def removed_mood(name: str) -> None:
    """Take one of one's own moods away; reels that were drafted by it stay as they are."""
    library.taken_away(library.file_named(library_folder(), name, SUFFIX))


def write_mood(mood: Mood, path: Path) -> None:
    """Write a mood to a file of its own. Raises TempikError when it cannot be written."""
    library.write_document(path, {"format": FORMAT, "name": mood.name, "mood": msgspec.to_builtins(mood)})


def read_mood(path: Path) -> Mood:
    """Read a mood from a file. Raises TempikError when it is no mood, damaged, or of a newer version."""
    document = library.read_document(path, f"mood; choose a {SUFFIX} file", "mood", FORMAT, "mood")
    try:
        mood = msgspec.convert(document["mood"], Mood)
    except (msgspec.ValidationError, ValueError) as error:
        raise TempikError(f"{path} is damaged: {error}.") from error
    _sound(mood, str(path))
    return mood


def _sound(mood: Mood, whose: str) -> None:
    found = no_number(mood) or next(iter(mood_problems(mood)), None)
    if found is not None:
        raise TempikError(f"{whose} has {found}.")
