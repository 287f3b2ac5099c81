"""The application among the user's others: its menu entry, icon and file type, by the standards of freedesktop.org (Desktop Entry,
Icon Theme and Shared MIME-info specifications, XDG Base Directory), without root."""

from __future__ import annotations

import os
from pathlib import Path

from tempik.disk.writing import make_folders, write_whole
from tempik.errors import TempikError
from tempik.programs import found, ran

SHARED = Path(__file__).parent / "share"
# What is put where below the user's data folder.
PLACES = {
    "tempik.desktop": "applications/tempik.desktop",
    "tempik.svg": "icons/hicolor/scalable/apps/tempik.svg",
    "tempik.xml": "mime/packages/tempik.xml",
}
# What tells the desktop that something is new; a desktop without them looks for itself.
REFRESH = (("update-mime-database", "mime"), ("update-desktop-database", "applications"))


def data_folder() -> Path:
    """Return where the user's applications keep their data: XDG_DATA_HOME or ~/.local/share."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local/share")


def put_in_menu(program: Path) -> list[Path]:
    """Put the menu entry, which starts `program`, the icon and the file type in place for the user, and return the files. Raises
    TempikError."""
    out = []
    for name, place in PLACES.items():
        target = data_folder() / place
        data = (SHARED / name).read_bytes()
        if name.endswith(".desktop"):
            data = data.replace(b"Exec=tempik-desktop", b"Exec=" + _quoted(program).encode())
        try:
            make_folders(target.parent)
        except OSError as error:
            raise TempikError(f"{target.parent} could not be made ({error.strerror}).") from error
        write_whole(target, data)
        out.append(target)
    _refresh()
    return out


def take_from_menu() -> list[Path]:
    """Take away what was put in place, and return the files that went. Raises TempikError."""
    gone = []
    for place in PLACES.values():
        target = data_folder() / place
        try:
            target.unlink()
        except FileNotFoundError:
            continue
        except OSError as error:
            raise TempikError(f"{target} could not be taken away ({error.strerror}).") from error
        gone.append(target)
    _refresh()
    return gone


def _quoted(program: Path) -> str:
    """Return a program as an entry's Exec key has it (Desktop Entry Specification, The Exec key)."""
    text = str(program)
    if all(c.isalnum() or c in "/._-+" for c in text):
        return text
    for sign in ("\\", '"', "`", "$"):
        text = text.replace(sign, "\\" + sign)
    # The value's own escapes come before those of the key.
    return '"' + text.replace("\\", "\\\\").replace("%", "%%") + '"'


def _refresh() -> None:
    for program, folder in REFRESH:
        at, place = found(program), (data_folder() / folder).absolute()
        if at is not None and place.is_dir():
            ran([at, str(place)])
