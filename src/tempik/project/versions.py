"""Earlier saves of a project: each manual save is kept beside it, to be brought back."""

from __future__ import annotations

import os
import re
import stat
import time
from pathlib import Path
from typing import NamedTuple

from tempik.disk.writing import make_folder, remove
from tempik.errors import TempikError
from tempik.project.file import SUFFIX, load_reel, save_reel
from tempik.reel.model import Reel

MOST = 100
_NAME = re.compile(r"\d{4}-\d\d-\d\d \d\d\.\d\d\.\d\d( \(\d+\))?" + re.escape(SUFFIX))


class Version(NamedTuple):
    """A save: its file and when it was made, in seconds since 1970."""

    path: Path
    when: float

    @property
    def text(self) -> str:
        """When it was saved, in local time."""
        return time.strftime("%Y-%m-%d %H:%M:%S", time.localtime(self.when))


def versions_folder(project: Path) -> Path:
    """Return where earlier saves of a project are kept: beside it."""
    return project.absolute().with_name(project.name.removesuffix(SUFFIX) + ".saves")


def keep_version(reel: Reel, project: Path) -> None:
    """Keep a save among the project's versions; of more than MOST the oldest go. Raises TempikError when it cannot."""
    folder = versions_folder(project)
    try:
        make_folder(folder)
    except OSError as error:
        raise TempikError(f"{folder} could not be made ({error.strerror}); earlier saves are not kept.") from error
    stamp = time.strftime("%Y-%m-%d %H.%M.%S")
    target = folder / f"{stamp}{SUFFIX}"
    number = 2
    while os.path.lexists(target):
        target = folder / f"{stamp} ({number}){SUFFIX}"
        number += 1
    save_reel(reel, target, own=True)
    for old in versions(project)[MOST:]:
        try:
            remove(old.path, own=True)
        except OSError as error:
            raise TempikError(
                f"{old.path} could not be removed ({error.strerror}); it is kept beyond {MOST}."
            ) from error


def versions(project: Path) -> list[Version]:
    """Return the kept saves, the latest first: the files of our own naming in a folder that is no link."""
    folder = versions_folder(project)
    if folder.is_symlink():
        return []
    found = []
    for path in folder.glob(f"*{SUFFIX}"):
        try:
            seen = path.lstat()
        except OSError:
            continue  # gone meanwhile
        if _NAME.fullmatch(path.name) and stat.S_ISREG(seen.st_mode):
            found.append(Version(path, seen.st_mtime))
    return sorted(found, key=lambda v: (v.when, v.path.name), reverse=True)


def version_reel(version: Version) -> Reel:
    """Return the reel of a kept save, its media read from where it lies now."""
    return load_reel(version.path)
