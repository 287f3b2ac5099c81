"""Transitions of one's own: kept beside the settings under a name, each in a file that can be passed on."""

from __future__ import annotations

from pathlib import Path

import msgspec
from msgspec.structs import replace

from tempik.errors import TempikError
from tempik.project.file import decode_value, state_folder
from tempik.project.library import checked_name, file_named, made_folder, read_document, taken_away, write_document
from tempik.reel import Transition
from tempik.reel.bounds import no_number, out_of_bounds
from tempik.reel.validate import transition_problems
from tempik.transitions import CATALOGUE, problem

SUFFIX = ".tempiktransition"
FORMAT = 2
FOLDER_BEFORE, SUFFIX_BEFORE = "joins", ".tempikjoin"  # of format 1


def library_folder() -> Path:
    """Return where one's own transitions are kept."""
    return state_folder() / "transitions"


def own_transitions() -> dict[str, Transition]:
    """Return one's own transitions by name; files that cannot be read are left out."""
    out = {}
    before = state_folder() / FOLDER_BEFORE
    for path in [*sorted(before.glob(f"*{SUFFIX_BEFORE}")), *sorted(library_folder().glob(f"*{SUFFIX}"))]:
        try:
            name, transition = read_transition(path)
        except TempikError:
            continue
        out[name] = transition
    return out


def own_transition(name: str) -> Transition:
    """Return one of one's own transitions. Raises TempikError, naming those there are, when there is none."""
    found = own_transitions()
    if name not in found:
        names = ", ".join(found) or "none yet"
        raise TempikError(f"There is no transition of yours named '{name}'; there are: {names}.")
    return found[name]


def kept_transition(transition: Transition, name: str) -> Path:
    """Keep a transition under a name. Raises TempikError for a name that cannot be had."""
    name = checked_name(name, "transition", list(CATALOGUE))
    made_folder(library_folder(), "transition")
    path = file_named(library_folder(), name, SUFFIX)
    write_transition(transition, name, path)
    return path


def write_transition(transition: Transition, name: str, path: Path) -> None:
    """Write a transition to a file of its own. Raises TempikError when it cannot be written."""
    write_document(
        path, {"format": FORMAT, "name": name, "transition": msgspec.to_builtins(replace(transition, held=False))}
    )


def removed_transition(name: str) -> None:
    """Take one of one's own transitions away; cuts that have it keep it."""
    taken_away(file_named(library_folder(), name, SUFFIX))
    taken_away(file_named(state_folder() / FOLDER_BEFORE, name, SUFFIX_BEFORE))


def read_transition(path: Path) -> tuple[str, Transition]:
    """Read a transition's file: its name and the transition. Raises TempikError when it is none, damaged, or of a newer version."""
    document = read_document(path, f"transition; choose a {SUFFIX} file", "transition", FORMAT, "join")
    try:
        transition = msgspec.convert(document["transition"], Transition, dec_hook=decode_value)
    except (msgspec.ValidationError, TypeError, ValueError) as error:
        raise TempikError(f"{path} is damaged: {error}.") from error
    message = out_of_bounds(transition) or no_number(transition)
    found = f"it has {message}." if message else next(transition_problems(transition, "It"), "")
    if not found and transition.kind in CATALOGUE:
        found = problem(transition)
    if found:
        raise TempikError(f"{path} is damaged: {found}")
    return str(document.get("name") or path.stem), transition
