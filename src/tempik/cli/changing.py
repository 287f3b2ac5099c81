"""What the verbs that list or change a project have in common."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from tempik.cli.options import Options, Parser, settled
from tempik.disk.reading import printable
from tempik.errors import TempikError
from tempik.reel.frame_shapes import FRAME_SHAPES

if TYPE_CHECKING:
    from tempik.reel import Reel


def project_of(options: argparse.Namespace, else_: str) -> Reel:
    """Return the project that is named. Raises TempikError where none is, `else_` saying what could be given instead."""
    from tempik.project.file import load_reel

    if options.project is None:
        raise TempikError(f"Which project? Give a .tempik file, or {else_}.")
    return load_reel(options.project)


def add_shape(made: Parser) -> None:
    """Declare `--shape`."""
    shapes = ", ".join(FRAME_SHAPES)
    made.add_argument("--shape", metavar="NAME", help=f"frame of {shapes}: what is set belongs to that shape alone")


def changed_in_shape(reel: Reel, options: Options, change: Callable[[Reel, Options], Reel]) -> Reel:
    """Return the reel with a change made in the shape that is asked for, its own without. Raises TempikError for a shape that there is
    not."""
    from tempik.edit.frame_shapes import in_own_shape, in_shape

    if options.shape is None:
        return change(reel, options)
    shown = in_shape(reel, options.shape)
    made = change(shown, options)
    return reel if made is shown else in_own_shape(made)


def ready(reel: Reel, changed: Reel, options: argparse.Namespace, *shows: str) -> None:
    """Say that something is about to be written. Raises TempikError where an option would do nothing, or where the project could not
    be opened again: nothing is written then, here or elsewhere."""
    from tempik.reel.validate import problems

    settled(options, *shows)
    found = problems(changed) if changed is not reel else []
    if found:
        raise TempikError(f"That cannot be done: {asked_for(printable(found[0]))}")


def asked_for(message: str) -> str:
    """Return what is wrong with a project as what was asked for, not had."""
    for has, would in ((" has ", " would have "), (" lies ", " would lie "), (" is ", " would be ")):
        if has in message:
            return message[:1].lower() + message[1:].replace(has, would, 1)
    return message


def saved_or_shown(
    reel: Reel,
    changed: Reel,
    options: Options,
    table: Callable[[Reel], str],
    chooses: tuple[str, ...] = (),
    shows: tuple[str, ...] = (),
) -> int:
    """Save a project where a change was asked for, also one that it had already; where none was, show its table. `chooses` are options
    that only choose what is changed, `shows` those that had something else shown or written; return 0. Raises TempikError where options
    choose what is changed and say no change."""
    from tempik.edit.clips.slots import let_go
    from tempik.project.file import save_reel

    ready(reel, changed, options, *shows)
    asked = options.given - {"output"}
    if changed is not reel or asked.difference(chooses, shows):
        target: Path = options.output or options.project
        save_reel(changed, target)
        print(target)
        for text in options.notes:
            print(f"tempik: {text}", file=sys.stderr)
        loose = let_go(reel, changed) if changed is not reel else 0
        if loose:
            print(f"tempik: {loose} tie{'s' if loose > 1 else ''} to points let go.", file=sys.stderr)
        return 0
    if asked.intersection(shows):
        if options.is_given("output"):
            raise TempikError("There is nothing to write with -o: no change was asked for.")
        return 0
    if asked:
        raise TempikError(f"What should be done there? See tempik {options.verb} --help.")
    if options.is_given("output"):
        save_reel(reel, options.output)  # a copy, as it was asked for
        print(options.output)
        return 0
    sys.stdout.write(table(reel))
    return 0
