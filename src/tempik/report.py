"""What Tempik is made of, and a report of a fault: log, versions and project in one zip, no media and no names of the user's folders."""

from __future__ import annotations

import io
import json
import os
import platform
import re
import sys
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple, cast

from tempik import __version__
from tempik.disk.reading import read_whole
from tempik.disk.writing import write_whole
from tempik.errors import TempikError
from tempik.project.file import state_folder

if TYPE_CHECKING:
    from email.message import Message

LICENCE = "GPL-3.0-or-later"
LONGEST_LICENCE = 60
MOST_LOG_MB = 4


class Component(NamedTuple):
    """A library that Tempik is made of."""

    name: str
    version: str
    licence: str


def parts() -> list[Component]:
    """Return the libraries that are installed with Tempik, by name, with their licences as they state them."""
    import importlib.metadata  # slow to load, and asked for by hand alone

    metadata, out = importlib.metadata, list[Component]()
    for asked in metadata.requires("tempik") or []:
        named = re.match(r"[\w.-]+", asked)
        if named is None or "extra ==" in asked:
            continue
        name = named[0]
        try:
            about = cast("Message", metadata.metadata(name))
        except metadata.PackageNotFoundError:
            continue
        out.append(Component(about["Name"] or name, about["Version"] or "", _licence(about)))
    return sorted(out, key=lambda part: part.name.casefold())


def _licence(about: Message) -> str:
    message = about.get("License-Expression") or ""
    if not message:
        signs = [c.rsplit(" :: ", 1)[-1] for c in about.get_all("Classifier") or [] if c.startswith("License ::")]
        message = ", ".join(s for s in signs if s != "OSI Approved")
    if not message:
        message = (about.get("License") or "").strip().split("\n")[0]
    return message[:LONGEST_LICENCE] or "see its files"


def about_text() -> str:
    """Return what Tempik is, for About: its version, its licence, and what it is made of."""
    lines = [
        f"Tempik {__version__}",
        f"Licence: {LICENCE}",
        f"Python {platform.python_version()}, {platform.platform()}",
        "",
    ]
    return "\n".join([*lines, *(f"{p.name} {p.version}: {p.licence}" for p in parts())])


def write_report(target: Path, project: Path | None = None, message: str = "") -> None:
    """Write a report: what was said of the fault, versions, the log, and the project file where one is given. The home folder is
    written as `~`. Raises TempikError."""
    files: dict[str, bytes] = {
        "versions.txt": about_text().encode(),
        "screen.json": json.dumps(_around(), indent=1).encode(),
    }
    if message.strip():
        files["what happened.txt"] = message.encode()
    for name in ("tempik.log", "tempik.log.1"):
        try:
            files[name] = _without_home(read_whole(state_folder() / name, MOST_LOG_MB))
        except TempikError:
            continue
    if project is not None:
        files[project.name] = _without_home(read_whole(project, 128))
    import zipfile  # as above

    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, data in files.items():
            packed.writestr(name, data)
    write_whole(target.absolute(), out.getvalue())


def _around() -> dict[str, str]:
    names = ("XDG_SESSION_TYPE", "XDG_CURRENT_DESKTOP", "QT_QPA_PLATFORM", "LANG")
    return {name: os.environ[name] for name in names if name in os.environ} | {"python": sys.version}


def _without_home(data: bytes) -> bytes:
    home = os.fsencode(str(Path.home()))
    return data.replace(home, b"~") if len(home) > 1 else data
