"""Windows that clips are seen through, and rims round what of them shows."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from msgspec.structs import replace

from tempik.edit.clips.slots import clip_of, with_clips
from tempik.errors import TempikError
from tempik.reel import Clip, PictureWindow, Reel, Rim, by_id
from tempik.reel.window import RIM_SETTINGS, WINDOW_SETTINGS
from tempik.settings import Setting, is_colour, refuse_outside


def with_window(reel: Reel, clips: Collection[str], **fields: Any) -> Reel:
    """Change the window of clips, or give them one. Raises TempikError for what it cannot be, and for a clip without a picture of its own."""
    for name, value in fields.items():
        _refuse(WINDOW_SETTINGS[name], value)
    out = []
    for name in clips:
        clip = _pictured(reel, name, "window")
        made = replace(clip.framing.window or PictureWindow(), **fields)
        out.append(replace(clip, framing=replace(clip.framing, window=made)))
    return with_clips(reel, out)


def without_window(reel: Reel, clips: Collection[str]) -> Reel:
    """Let clips fill the frame again, where they have a window. Raises TempikError where none has."""
    found = [c for name in clips if (c := clip_of(reel, name)).framing.window is not None]
    if not found:
        raise TempikError("None of the clips is seen through a window.")
    return with_clips(reel, [replace(c, framing=replace(c.framing, window=None)) for c in found])


def with_rim(reel: Reel, clips: Collection[str], **fields: Any) -> Reel:
    """Change the rim of clips, or give them one; one without outline, glow and shadow is taken off. Raises TempikError for what it cannot
    be, and for a clip without a picture of its own."""
    for name, value in fields.items():
        _refuse(RIM_SETTINGS[name], value)
    out = []
    for name in clips:
        clip = _pictured(reel, name, "rim")
        made = replace(clip.rim or Rim(), **fields)
        out.append(replace(clip, rim=made if made.outline or made.glow or made.shadow else None))
    return with_clips(reel, out)


def without_rim(reel: Reel, clips: Collection[str]) -> Reel:
    """Take the rim off clips. Raises TempikError where none has one."""
    found = [c for name in clips if (c := clip_of(reel, name)).rim is not None]
    if not found:
        raise TempikError("None of the clips has a rim.")
    return with_clips(reel, [replace(c, rim=None) for c in found])


def _refuse(setting: Setting, value: Any) -> None:
    if setting.kind == "number":
        refuse_outside(setting, value)
    elif not is_colour(str(value)):
        raise TempikError(f"'{value}' is no colour; give one such as #ffcc00.")


def _pictured(reel: Reel, name: str, what: str) -> Clip:
    clip = clip_of(reel, name)
    footage = by_id(reel.footage, clip.footage)
    if clip.title is not None:
        raise TempikError(
            f"A title has no {what}; it has an outline, a shadow and a box of its own on the Titles page."
        )
    if footage is not None and footage.kind == "adjust":
        raise TempikError(f"A clip that only changes what lies below has no {what}; draw a mask on it.")
    return clip
