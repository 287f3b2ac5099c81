"""The one way in which folders are looked through: without end nor links, to be stopped, and what it leaves out is said."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection
from typing import NamedTuple

from tempik.disk.reading import is_text, printable

MOST_ENTRIES = 200_000
DEEPEST = 40


class Inside(NamedTuple):
    """The regular files in a folder and those below it, by name, and sentences on what was left out."""

    files: tuple[str, ...]
    message: tuple[str, ...] = ()


def files_in(
    folder: str, suffixes: Collection[str] = (), stopped: Callable[[], bool] = lambda: False, most: int = MOST_ENTRIES
) -> Inside:
    """Return what lies in a folder and below it, with one of some endings where any are given. Links to folders are not followed: they
    may lead anywhere, or round. Raises nothing: a folder that may not be read is empty."""
    found: list[str] = []
    unreadable: list[str] = []
    left, seen = [(folder, 0)], 0
    more = False
    while left and not stopped():
        here, depth = left.pop()
        try:
            with os.scandir(here) as entries:
                for entry in entries:
                    seen += 1
                    if seen > most:
                        left.clear()
                        more = True
                        break
                    if entry.is_dir(follow_symlinks=False):
                        left += [(entry.path, depth + 1)] if depth < DEEPEST else []
                    elif not suffixes or os.path.splitext(entry.name)[1].lower() in suffixes:
                        if not is_text(entry.path):
                            unreadable.append(entry.path)
                        elif entry.is_file():
                            found.append(entry.path)
        except OSError:
            continue
    message = []
    if unreadable:
        others = f", and {len(unreadable) - 1} more," if len(unreadable) > 1 else ""
        message.append(f"{printable(unreadable[0])}{others} has a name that is no text (UTF-8); rename it to use it.")
    if more:
        message.append(f"{printable(folder)} holds more than {most} files and folders; choose a smaller one.")
    return Inside(tuple(sorted(found)), tuple(message))
