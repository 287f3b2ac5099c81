"""Fonts: three families of our own beside what the system has, what a font covers, and what stands in for it."""

from __future__ import annotations

import os
from collections.abc import Iterator
from functools import cache, lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from PIL import ImageFont

OWN = Path(__file__).with_name("fonts")
FIRST = "Yanone Kaffeesatz"
ENDINGS = (".ttf", ".otf", ".ttc", ".otc")
MOST_FACES = 4000  # of the system's; the rest is left out
# A font of pictures in one size (emoji) opens at that size alone.
BITMAP_SIZES = (109, 128, 136, 160, 96, 72)


class Face(NamedTuple):
    """One font of a family: a file, and which of those in it."""

    family: str
    style: str
    path: str
    number: int = 0


def folders() -> list[Path]:
    """Return the folders that hold fonts, ours first, by the XDG base directories."""
    data = os.environ.get("XDG_DATA_HOME") or os.path.expanduser("~/.local/share")
    shared = (os.environ.get("XDG_DATA_DIRS") or "/usr/local/share:/usr/share").split(":")
    named = [Path(d) / "fonts" for d in (data, *shared) if d]
    return [OWN, *named, Path.home() / ".fonts"]


@cache
def families() -> dict[str, tuple[Face, ...]]:
    """Return every family with its faces, ours first, then by name."""
    found: dict[str, dict[str, Face]] = {}
    order: list[str] = []
    for folder in folders():
        for face in _faces_in(folder):
            if face.family not in found:
                found[face.family] = {}
                order.append(face.family)
            found[face.family].setdefault(face.style, face)
    own = {face.family for face in _faces_in(OWN)}
    order.sort(key=lambda name: (name != FIRST, name not in own, name.lower()))
    return {name: tuple(found[name].values()) for name in order}


def _faces_in(folder: Path) -> Iterator[Face]:
    from PIL import ImageFont  # not at start-up

    count = 0
    for root, _, names in os.walk(folder):
        for name in sorted(names):
            if not name.lower().endswith(ENDINGS):
                continue
            path = os.path.join(root, name)
            for index in range(64 if name.lower().endswith("c") else 1):
                count += 1
                if count > MOST_FACES:
                    return
                try:
                    family, style = ImageFont.truetype(path, 20, index).getname()
                except OSError:
                    if index or not _opens_bitmap(path):
                        break
                    family, style = Path(path).stem, "Regular"
                if family and not family.startswith("."):
                    yield Face(family, style or "Regular", path, index)


def _opens_bitmap(path: str) -> bool:
    return bitmap_size(Face("", "", path)) > 0


@cache
def bitmap_size(face: Face) -> int:
    """Return the one size that a font of pictures has; 0 for an outline font."""
    from PIL import ImageFont

    try:
        ImageFont.truetype(face.path, 20, face.number)
    except OSError:
        for size in BITMAP_SIZES:
            try:
                ImageFont.truetype(face.path, size, face.number)
            except OSError:
                continue
            return size
    return 0


class FontMatch(NamedTuple):
    """A face, and a sentence where it is not the one that was asked for."""

    face: Face
    message: str = ""


def face_of(family: str, style: str) -> FontMatch:
    """Return the face of a family and style: the nearest there is, of our own where the family is not on this machine."""
    faces = families().get(family)
    if faces is None:
        return FontMatch(
            face_of(FIRST, style).face, f"The font {family} is not on this machine; {FIRST} stands in for it."
        )
    return FontMatch(
        min(faces, key=lambda f: (f.style != style, f.style.lower() != style.lower(), _far(f.style, style)))
    )


def _far(style: str, wanted: str) -> int:
    have, want = (set(s.lower().replace("oblique", "italic").split()) - {"regular"} for s in (style, wanted))
    return len(have ^ want)


@lru_cache(64)
def covered(face: Face) -> frozenset[int]:
    """Return the code points that a font has a glyph for."""
    from fontTools.ttLib import TTFont, TTLibError  # not at start-up

    try:
        with TTFont(face.path, fontNumber=face.number, lazy=True) as font:
            return frozenset(font.getBestCmap() or ())
    except (TTLibError, OSError, ValueError, KeyError, AssertionError):
        return frozenset()


# What has no glyph of its own and is drawn by none: joiners, marks of direction, selectors of a variant.
UNSEEN = frozenset(
    (0x200B, 0x200C, 0x200D, 0x200E, 0x200F, 0x2060, 0xFEFF, *range(0xFE00, 0xFE10), *range(0x202A, 0x202F))
)


def lacks(face: Face, text: str) -> str:
    """Return the characters of a text that a font has no glyph for, each once."""
    have = covered(face)
    return "".join(dict.fromkeys(c for c in text if ord(c) not in have and ord(c) not in UNSEEN and not c.isspace()))


@lru_cache(4096)
def standing_in(first: Face, text: str) -> Face:
    """Return the font to draw a piece of text with: the chosen one where it has every glyph, else one that has, ours and
    fonts of pictures before others; else the one that lacks least."""
    if not lacks(first, text):
        return first
    best, least = first, len(lacks(first, text))
    for faces in _by_likelihood():
        face = min(faces, key=lambda f: _far(f.style, first.style))
        missing = len(lacks(face, text))
        if missing < least:
            best, least = face, missing
        if not least:
            break
    return best


@cache
def _by_likelihood() -> list[tuple[Face, ...]]:
    """Return the families to look for a glyph in: plain ones of many scripts first."""
    likely = ("DejaVu Sans", "Noto Color Emoji", "Noto Sans", "Noto", "Lohit", "Droid", "Free", "WenQuanYi", "Unifont")

    def rank(name: str) -> int:
        return next((n for n, start in enumerate(likely) if name.startswith(start)), len(likely))

    return [faces for _, faces in sorted(families().items(), key=lambda item: rank(item[0]))]


@lru_cache(128)
def font_at(face: Face, px: float) -> ImageFont.FreeTypeFont:
    """Return a font ready to draw, its em so many pixels high; of pictures, at their one size."""
    from PIL import ImageFont

    size = bitmap_size(face) or px
    return ImageFont.truetype(face.path, size, face.number, layout_engine=ImageFont.Layout.RAQM)
