"""What a reel can be exported as: one row a format. The window, the command line and the writers read it."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Literal, NamedTuple

from tempik.errors import TempikError

Kind = Literal["film", "frames", "picture", "sound"]
QUALITIES = ("draft", "standard", "high")
# Of what is written in one way alone.
_ONE_WAY: Mapping[str, dict[str, str]] = {"draft": {}, "standard": {}, "high": {}}
_NO_OPTIONS: Mapping[str, str] = {}


class Format(NamedTuple):
    """A kind of file: its name in commands and on screen, the endings that name it (the first by itself), what it is for, and how
    it is written.

    `qualities` are the video encoder's options by name, from the quickest to the best. `hardware` is what encoders on a graphics
    chip are called for it, before their maker's part. `limited` are the encoder's options where its bit rate is given, for a
    limit of size; None where it cannot be told one. `clear` says that it can have clear parts, `fewest` how many bits a pixel
    of moving pictures it needs at the least; `sound` is the codec of its sound where it is not its container's.
    """

    key: str
    name: str
    kind: Kind
    suffixes: tuple[str, ...]
    purpose: str
    video: str = ""
    pixels: str = ""
    qualities: Mapping[str, dict[str, str]] = _ONE_WAY
    hardware: str = ""
    limited: dict[str, str] | None = None
    clear: str = ""  # the pixels that it has where parts of it are clear
    fewest: float = 0.0
    highest_rate: float = 1000.0  # frames a second
    silent: bool = False
    tag: str = ""
    sound: str = ""


class Container(NamedTuple):
    """How a file of one ending is written: FFmpeg's name of it, its options, and how its sound is coded beside pictures."""

    name: str
    options: Mapping[str, str] = _NO_OPTIONS
    sound: str = ""
    sound_bit_rate: int = 0


_FAST_START = {"movflags": "+faststart"}
CONTAINERS: dict[str, Container] = {
    ".mp4": Container("mp4", _FAST_START, "aac", 192_000),
    ".m4v": Container("mp4", _FAST_START, "aac", 192_000),
    ".mov": Container("mov", _FAST_START, "aac", 192_000),
    ".webm": Container("webm", {}, "libopus", 160_000),
    ".gif": Container("gif", {"loop": "0"}),
    ".webp": Container("webp", {"loop": "0"}),
    ".wav": Container("wav", {}, "pcm_s24le"),
    ".flac": Container("flac", {}, "flac"),
}

FORMATS: tuple[Format, ...] = (
    Format(
        key="h264",
        name="H.264",
        kind="film",
        suffixes=(".mp4", ".m4v", ".mov"),
        purpose="For every phone, browser and upload.",
        video="libx264",
        pixels="yuv420p",
        qualities={
            "draft": {"preset": "ultrafast", "crf": "26"},
            "standard": {"preset": "veryfast", "crf": "20"},
            "high": {"preset": "medium", "crf": "16"},
        },
        hardware="h264",
        limited={"preset": "fast"},
        fewest=0.012,
    ),
    Format(
        key="hevc",
        name="HEVC",
        kind="film",
        suffixes=(".mp4", ".mov", ".m4v"),
        purpose="Smaller files for newer phones; slower to write.",
        video="libx265",
        pixels="yuv420p",
        qualities={
            "draft": {"preset": "ultrafast", "crf": "28", "x265-params": "log-level=error"},
            "standard": {"preset": "veryfast", "crf": "23", "x265-params": "log-level=error"},
            "high": {"preset": "medium", "crf": "18", "x265-params": "log-level=error"},
        },
        hardware="hevc",
        limited={"preset": "fast", "x265-params": "log-level=error"},
        fewest=0.008,
        tag="hvc1",  # the mark by which players of MP4 and MOV know it (ISO/IEC 14496-15)
    ),
    Format(
        key="av1",
        name="AV1",
        kind="film",
        suffixes=(".mp4", ".webm"),
        purpose="The smallest files; for the web and new devices.",
        video="libsvtav1",
        pixels="yuv420p",
        qualities={
            "draft": {"preset": "12", "crf": "42"},
            "standard": {"preset": "10", "crf": "32"},
            "high": {"preset": "8", "crf": "22"},
        },
        hardware="av1",
        limited={"preset": "9"},
        fewest=0.006,
    ),
    Format(
        key="vp9",
        name="VP9",
        kind="film",
        suffixes=(".webm", ".mp4"),
        purpose="For web pages, where MP4 is not wanted.",
        video="libvpx-vp9",
        pixels="yuv420p",
        qualities={
            "draft": {"deadline": "realtime", "cpu-used": "8", "crf": "40", "b": "0", "row-mt": "1"},
            "standard": {"deadline": "good", "cpu-used": "5", "crf": "30", "b": "0", "row-mt": "1"},
            "high": {"deadline": "good", "cpu-used": "2", "crf": "22", "b": "0", "row-mt": "1"},
        },
        limited={"deadline": "good", "cpu-used": "4", "row-mt": "1"},
        fewest=0.01,
    ),
    Format(
        key="prores422",
        name="ProRes 422",
        kind="film",
        suffixes=(".mov",),
        purpose="For going on in another editor, or an archive: large, each frame whole.",
        video="prores_ks",
        pixels="yuv422p10le",
        sound="pcm_s24le",
        qualities={"draft": {"profile": "proxy"}, "standard": {"profile": "standard"}, "high": {"profile": "hq"}},
    ),
    Format(
        key="prores4444",
        name="ProRes 4444",
        kind="film",
        suffixes=(".mov",),
        purpose="As ProRes 422, with full colour and clear parts: titles to lay over something else.",
        video="prores_ks",
        pixels="yuv444p10le",
        sound="pcm_s24le",
        qualities={
            "draft": {"profile": "4444"},
            "standard": {"profile": "4444"},
            "high": {"profile": "4444xq"},
        },
        clear="yuva444p10le",
    ),
    Format(
        key="webp",
        name="Animated WebP",
        kind="film",
        suffixes=(".webp",),
        purpose="Short silent loops for web pages and messages.",
        video="libwebp_anim",
        pixels="bgra",
        qualities={
            "draft": {"quality": "55", "compression_level": "2"},
            "standard": {"quality": "75", "compression_level": "3"},
            "high": {"quality": "92", "compression_level": "4"},
        },
        clear="bgra",
        silent=True,
    ),
    Format(
        key="gif",
        name="GIF",
        kind="film",
        suffixes=(".gif",),
        purpose="Short silent loops where nothing else is shown; 256 colours, large.",
        video="gif",
        pixels="pal8",
        highest_rate=50.0,  # it counts in hundredths of a second, and players slow down one
        silent=True,
    ),
    Format(
        key="png",
        name="PNG frames",
        kind="frames",
        suffixes=("",),
        purpose="A folder with a picture for every frame, nothing lost.",
        clear="rgba",
        silent=True,
    ),
    Format(
        key="poster",
        name="Poster frame",
        kind="picture",
        suffixes=(".png", ".jpg", ".jpeg"),
        purpose="One picture, to stand for the reel.",
        clear="rgba",
        silent=True,
    ),
    Format(
        key="wav",
        name="WAV",
        kind="sound",
        suffixes=(".wav",),
        purpose="The sound alone, 24 bits, nothing lost.",
    ),
    Format(
        key="flac",
        name="FLAC",
        kind="sound",
        suffixes=(".flac",),
        purpose="The sound alone, nothing lost, half the size of WAV.",
    ),
)


def format_named(key: str) -> Format:
    """Return a format by its key. Raises TempikError where there is none of that name."""
    found = next((kind for kind in FORMATS if kind.key == key), None)
    if found is None:
        raise TempikError(f"There is no format '{key}'; choose from {', '.join(kind.key for kind in FORMATS)}.")
    return found


def format_of(target: Path, key: str = "") -> Format:
    """Return the format that a file's name asks for, or the one with that key, which the name must fit. Raises TempikError."""
    if key:
        kind = format_named(key)
        if kind.kind != "frames" and target.suffix.lower() not in kind.suffixes:
            raise TempikError(f"{target} is no name for {kind.name}; end it in {' or '.join(kind.suffixes)}.")
        return kind
    ending = target.suffix.lower()
    # An ending that several have is that of the format which has it first.
    for kind in (*(k for k in FORMATS if k.suffixes[0] == ending), *FORMATS):
        if ending and ending in kind.suffixes:
            return kind
    first: dict[str, str] = {}
    for kind in FORMATS:
        first.setdefault(kind.suffixes[0], kind.name)
    names = ", ".join(f"{suffix} for {name}" for suffix, name in first.items() if suffix)
    raise TempikError(f"{target} does not say what to write; end it in {names}.")


def qualities() -> list[str]:
    """Return the names of all qualities, from the quickest to the best."""
    return list(QUALITIES)


def named_for(target: Path, kind: Format) -> Path:
    """Return a file's name with an ending that the format has; a name that has one is kept, and so is one with another dot."""
    known = {s for each in FORMATS for s in each.suffixes if s}
    if kind.kind == "frames":
        return target.with_suffix("") if target.suffix.lower() in known else target
    if target.suffix.lower() in kind.suffixes:
        return target
    if target.suffix.lower() in known:
        return target.with_suffix(kind.suffixes[0])
    return target.with_name(target.name + kind.suffixes[0])


def film_filter() -> str:
    """Return the films that can be measured, as a file dialog lists them."""
    endings = dict.fromkeys(s for kind in FORMATS if kind.kind == "film" and not kind.silent for s in kind.suffixes)
    return f"Films ({' '.join(f'*{s}' for s in endings)})"


def formats_list() -> str:
    """Return docs/formats.md's table: every format with its endings, how it is written, and what it is for."""
    rows = []
    for kind in FORMATS:
        endings = " ".join(f"`{s}`" for s in kind.suffixes if s) or "a folder"
        can = [
            name for name, has in (("limit", kind.limited), ("clear parts", kind.clear), ("chip", kind.hardware)) if has
        ]
        rows.append(
            f"| `{kind.key}` | {kind.name} | {endings} | {kind.video or '–'} | {', '.join(can) or '–'} | {kind.purpose} |"
        )
    head = "| key | format | endings | encoder | can have | what for |\n|---|---|---|---|---|---|"
    return "\n".join([head, *rows]) + "\n"
