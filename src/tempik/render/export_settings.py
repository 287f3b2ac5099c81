"""How a reel is to be exported, and what came of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from tempik.sounds.loudness import Loudness
from tempik.time import frame_of
from tempik.timeline.timeline import Timeline

Progress = Callable[[int, int], None]


class Cancelled(Exception):
    """The person stopped the export; nothing of it is left."""


class ExportSettings(NamedTuple):
    """How to write: size in pixels (None: the reel's own) and one of the format's qualities.

    `format` is a key of `tempik.formats`, '' for what the file's name asks for. `part` is what of the reel is written, in seconds
    of it (None: all). `limit_mb` is the largest size of the file, in millions of bytes. `hardware` asks for an encoder on a
    graphics chip, where one starts. `clear` keeps clear what no picture covers, where the format can. `at_s` is the instant of a
    poster frame (None: the middle of what is written). A part is brought to the reel's loudness by itself; with `reel_level` it is as
    loud as it is in the reel.
    """

    size: tuple[int, int] | None = None
    quality: str = "standard"
    format: str = ""
    part: tuple[float, float] | None = None
    limit_mb: float | None = None
    hardware: bool = False
    clear: bool = False
    sound: bool = True
    at_s: float | None = None
    reel_level: bool = False


class Exported(NamedTuple):
    """What was written: what a person should know of it, which encoder wrote its pictures, its bytes, and how loud it is."""

    notes: list[str]
    encoder: str = ""
    size_bytes: int = 0
    loudness: Loudness | None = None


def frames_of_part(timeline: Timeline, part: tuple[float, float] | None) -> range:
    """Return the frames of the reel that are written; none where the part lies outside."""
    if part is None:
        return range(timeline.frames)
    first, end = (min(max(0, frame_of(s, timeline.rate)), timeline.frames) for s in part)
    return range(first, end)
