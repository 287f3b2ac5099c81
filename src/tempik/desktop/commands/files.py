"""Asking for files: dialogs begin where files of that kind were last, else with the project, else where a desktop keeps them."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from PySide6.QtCore import QStandardPaths
from PySide6.QtWidgets import QFileDialog, QWidget

from tempik.desktop.session.preferences import load_preferences, remember_folder

Kind = Literal[
    "project", "song", "sounds", "footage", "film", "lut", "picture", "points", "edit", "lyrics", "shape", "bundle", "list",
    "title look",
]  # fmt: skip

_PLACES = QStandardPaths.StandardLocation
# Where a desktop keeps what a new user has not asked for before.
USUAL = {
    "song": _PLACES.MusicLocation, "sounds": _PLACES.MusicLocation, "footage": _PLACES.MoviesLocation,
    "film": _PLACES.MoviesLocation, "picture": _PLACES.PicturesLocation,
}  # fmt: skip


def begin_in(kind: Kind, project: Path | None) -> str:
    """Return the folder that a dialog for a kind of file begins in."""
    last = load_preferences().folders.get(kind, "")
    usual = QStandardPaths.writableLocation(USUAL[kind]) if kind in USUAL else ""
    beside = str(project.absolute().parent) if project is not None else ""
    return next((f for f in (last, beside, usual) if f and Path(f).is_dir()), str(Path.home()))


def ask_open(over: QWidget | None, title: str, forms: str, kind: Kind, project: Path | None) -> str:
    """Ask for a file to read; "" where none was chosen."""
    path, _ = QFileDialog.getOpenFileName(over, title, begin_in(kind, project), forms)
    if path:
        remember_folder(kind, Path(path).parent)
    return path


def ask_open_many(over: QWidget | None, title: str, forms: str, kind: Kind, project: Path | None) -> list[str]:
    """Ask for files to read; none where none was chosen."""
    paths, _ = QFileDialog.getOpenFileNames(over, title, begin_in(kind, project), forms)
    if paths:
        remember_folder(kind, Path(paths[0]).parent)
    return list(paths)


def ask_save(over: QWidget | None, title: str, name: str, forms: str, kind: Kind, project: Path | None) -> str:
    """Ask for a file to write, of this name unless another is chosen; "" where none was. A `name` with a folder begins there."""
    path, _ = _save(over, title, name, forms, kind, project)
    return path


def file_to_write(over: QWidget, title: str, name: str, forms: str, kind: Kind, project: Path | None) -> Path | None:
    """Ask where to write; a name without an ending gets that of the chosen form. None where nothing was chosen."""
    path, form = _save(over, title, name, forms, kind, project)
    if not path:
        return None
    return Path(path) if Path(path).suffix else Path(path + form[form.find("*.") + 1 : form.find(")")])


def _save(over: QWidget | None, title: str, name: str, forms: str, kind: Kind, project: Path | None) -> tuple[str, str]:
    # A name with a folder of its own stays there.
    start = str(Path(begin_in(kind, project)) / name)
    path, form = QFileDialog.getSaveFileName(over, title, start, forms)
    if path:
        remember_folder(kind, Path(path).parent)
    return path, form
