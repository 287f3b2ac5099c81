"""What a reel can be exported as: one row a format. The window's dialog, the command line and the writer read it."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from tempik.errors import TempikError


class Format(NamedTuple):
    """A kind of file: its name on screen, the endings that name it, and how it is written.

    `qualities` are the video encoder's options by name, from the quickest to the best; `sound_rate` is bits a second.
    """

    name: str
    suffixes: tuple[str, ...]
    container: str
    container_options: dict[str, str]
    video: str
    pixels: str
    qualities: dict[str, dict[str, str]]
    sound: str
    sound_bit_rate: int


FORMATS: tuple[Format, ...] = (
    Format(
        name="MP4",
        suffixes=(".mp4", ".m4v"),
        container="mp4",
        container_options={"movflags": "+faststart"},
        video="libx264",
        pixels="yuv420p",
        qualities={
            "draft": {"preset": "ultrafast", "crf": "26"},
            "standard": {"preset": "veryfast", "crf": "20"},
            "high": {"preset": "medium", "crf": "16"},
        },
        sound="aac",
        sound_bit_rate=192_000,
    ),
)


def format_of(target: Path) -> Format:
    """Return the format that a file's name asks for. Raises TempikError for any other name."""
    for kind in FORMATS:
        if target.suffix.lower() in kind.suffixes:
            return kind
    names = " or ".join(f"{kind.suffixes[0]} for {kind.name}" for kind in FORMATS)
    raise TempikError(f"{target} does not say what to write; end it in {names}.")


def qualities() -> list[str]:
    """Return the names of all qualities, from the quickest to the best."""
    return list(dict.fromkeys(name for kind in FORMATS for name in kind.qualities))


def file_filter() -> str:
    """Return the formats as a file dialog lists them."""
    return ";;".join(f"{kind.name} ({' '.join(f'*{s}' for s in kind.suffixes)})" for kind in FORMATS)
