"""Pictures of recent projects: a small one of the reel, kept beside the settings when a project is saved or left."""

from __future__ import annotations

import hashlib
from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, Qt
from PySide6.QtGui import QImage

from tempik.disk.reading import read_whole
from tempik.disk.writing import make_folders, remove, write_whole
from tempik.errors import TempikError
from tempik.project.file import state_folder

TALL_PX = 240
MOST_KEPT, MOST_MB = 30, 2


def _folder() -> Path:
    return state_folder() / "pictures"


def _file(project: Path) -> Path:
    return _folder() / f"{hashlib.sha256(str(project.absolute()).encode()).hexdigest()[:24]}.jpg"


def keep_picture(project: Path, image: QImage) -> None:
    """Keep a picture of a project, small; where that cannot be done there is none."""
    small = image.scaledToHeight(TALL_PX, Qt.TransformationMode.SmoothTransformation)
    data = QBuffer()
    data.open(QIODevice.OpenModeFlag.WriteOnly)
    if small.isNull() or not small.save(data, "JPG", 85):  # type: ignore[call-overload]
        return
    try:
        make_folders(_folder())
        write_whole(_file(project), bytes(data.data().data()))
        oldest_first = sorted(_folder().glob("*.jpg"), key=lambda p: p.stat().st_mtime)
        for old in oldest_first[:-MOST_KEPT]:
            remove(old)
    except (OSError, TempikError):
        pass


def picture_of(project: Path) -> QImage | None:
    """Return the picture of a project, None where there is none."""
    try:
        image = QImage.fromData(read_whole(_file(project), MOST_MB))
    except TempikError:
        return None
    return None if image.isNull() else image
