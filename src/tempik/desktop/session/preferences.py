"""What is remembered between sessions: recent projects and changed shortcuts, in one small file."""

from __future__ import annotations

from pathlib import Path

import msgspec

from tempik.disk.reading import read_whole
from tempik.disk.writing import make_folders, write_whole
from tempik.errors import TempikError
from tempik.project.file import state_folder

MOST_RECENT = 12


class Preferences(msgspec.Struct, frozen=True, omit_defaults=True):
    """Recent project files, the latest first, the keys of commands whose keys were changed, where the window lay, and whether its hints
    have been shown."""

    recent: tuple[str, ...] = ()
    keys: dict[str, tuple[str, ...]] = {}
    window: str = ""  # the window's place and size, as Qt writes it
    toured: bool = False  # the hints have been shown
    splits: dict[str, tuple[int, ...]] = {}  # the areas that a hand laid out, by the name of their divider

    def placed(self, window: str, splits: dict[str, tuple[int, ...]]) -> Preferences:
        """Return the settings with another place of the window and its areas."""
        return msgspec.structs.replace(self, window=window, splits=splits)


def _file() -> Path:
    return state_folder() / "settings.json"


def load_preferences() -> Preferences:
    """Return the settings; those of a damaged or missing file are the defaults."""
    try:
        return msgspec.json.decode(read_whole(_file(), 4), type=Preferences)
    except (TempikError, msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return Preferences()


def save_preferences(settings: Preferences) -> None:
    """Write the settings; where that cannot be done they hold for this session."""
    try:
        make_folders(_file().parent)
        write_whole(_file(), msgspec.json.format(msgspec.json.encode(settings)))
    except (OSError, TempikError):
        pass


def remember_recent(path: Path) -> None:
    """Put a project first among the recent ones."""
    settings = load_preferences()
    name = str(path.absolute())
    recent = (name, *(r for r in settings.recent if r != name))[:MOST_RECENT]
    save_preferences(msgspec.structs.replace(settings, recent=recent))


def recent_projects() -> list[Path]:
    """Return the recent projects that are still there."""
    return [p for name in load_preferences().recent if (p := Path(name)).is_file()]
