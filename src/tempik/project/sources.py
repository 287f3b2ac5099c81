"""What a project reads, kept from being written over: whoever writes a file for it asks here first."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

from tempik.disk.reading import printable
from tempik.errors import TempikError
from tempik.project.media_files import media_paths
from tempik.reel import Reel


def refuse_source(target: Path, sources: Iterable[str | Path], of: str = "what is being written") -> None:
    """Raises TempikError where a file that is to be written is one of those that are read, by whatever name: the same inode is the same
    file."""
    here = _file_at(target)
    for source in sources:
        same = here is not None and here == _file_at(source)
        if same or os.path.realpath(source) == os.path.realpath(target):
            raise TempikError(f"{printable(target)} is a source of {of} and would be lost; choose another name.")


def refuse_media(target: Path, reel: Reel) -> None:
    """Raises TempikError where a file that is to be written is one that a reel names: song, footage placed or not, masks, LUTs, sounds,
    cut-outs, in nests too."""
    refuse_source(target, media_paths(reel), "this reel")


def _file_at(path: str | Path) -> tuple[int, int] | None:
    try:
        found = os.stat(path)
    except (OSError, ValueError):
        return None
    return found.st_dev, found.st_ino
