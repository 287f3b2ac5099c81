"""What is remembered between sessions: recent projects and changed shortcuts, in one small file."""

from __future__ import annotations

from pathlib import Path

import msgspec

from tempik.disk.reading import read_whole
from tempik.disk.writing import make_folders, write_whole
from tempik.errors import TempikError
from tempik.project.file import state_folder

MOST_RECENT = 12


# What commands were called before; keys that were given to them go over to those that they are called today.
COMMANDS_BEFORE = {
    "add_picture_row": "add_track", "calm_joins": "calm_transitions", "copy_all_rows": "copy_all_lanes", "copy_row": "copy_lane",
    "keep": "lock_against_drafts", "mute_row": "mute_lane", "mute_strip": "mute_channel", "paste_join": "paste_transition",
    "paste_rows": "paste_lanes", "paste_rows_on_clips": "paste_lanes_on_clips", "randomise_row": "randomise_lane",
    "randomise_strikes": "randomise_triggers", "redraw_strikes": "redraw_triggers", "remove_row": "remove_lane",
    "remove_sound_row": "remove_sound_lane", "row_down": "track_down", "row_earlier": "lane_earlier", "row_later": "lane_later",
    "row_up": "track_up", "shift_row": "shift_lane", "shift_row_back": "shift_lane_back", "shift_strikes": "shift_triggers",
    "show_joins": "show_transitions", "solo_row": "solo_lane", "solo_strip": "solo_channel", "stir_joins": "stir_transitions",
    "toggle_cell_here": "toggle_step_here", "toggle_strike_here": "toggle_trigger_here", "unpaint_row": "reset_lane",
    "unpaint_strikes": "unpaint_triggers",
}  # fmt: skip


class Preferences(msgspec.Struct, frozen=True, omit_defaults=True):
    """Recent project files, the latest first, the keys of commands whose keys were changed, where the window lay, and whether its hints
    have been shown."""

    recent: tuple[str, ...] = ()
    keys: dict[str, tuple[str, ...]] = {}
    window: str = ""  # the window's place and size, as Qt writes it
    toured: bool = False  # the hints have been shown
    splits: dict[str, tuple[int, ...]] = {}  # the areas that a hand laid out, by the name of their divider
    draft_length_s: float = 0.0  # how long the last draft was; 0 before the first
    folders: dict[str, str] = {}  # where files of a kind were last read or written

    def placed(self, window: str, splits: dict[str, tuple[int, ...]]) -> Preferences:
        """Return the preferences with another place of the window and its areas."""
        return msgspec.structs.replace(self, window=window, splits=splits)


def _file() -> Path:
    return state_folder() / "settings.json"


def load_preferences() -> Preferences:
    """Return the preferences; those of a damaged or missing file are the defaults."""
    try:
        found = msgspec.json.decode(read_whole(_file(), 4), type=Preferences)
        return msgspec.structs.replace(found, keys={COMMANDS_BEFORE.get(n, n): keys for n, keys in found.keys.items()})
    except (TempikError, msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return Preferences()


def save_preferences(settings: Preferences) -> None:
    """Write the preferences; where that cannot be done they hold for this session."""
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


def remember_folder(kind: str, folder: Path) -> None:
    """Take note of where files of a kind are kept."""
    settings = load_preferences()
    if settings.folders.get(kind) != str(folder):
        save_preferences(msgspec.structs.replace(settings, folders={**settings.folders, kind: str(folder)}))


def recent_projects() -> list[Path]:
    """Return the recent projects that are still there."""
    return [p for name in load_preferences().recent if (p := Path(name)).is_file()]
