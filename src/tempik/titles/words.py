"""The words of a text, where its lines may be broken, and which way it runs."""

from __future__ import annotations

import unicodedata
from functools import lru_cache
from typing import NamedTuple

# Scripts that put no space between words: there a piece that a line may be broken at counts as a word.
UNSPACED = ((0x0E00, 0x0EFF), (0x1000, 0x109F), (0x1780, 0x17FF), (0x3040, 0x30FF), (0x3400, 0x9FFF), (0xF900, 0xFAFF),
            (0x20000, 0x3FFFF))  # fmt: skip
# Scripts whose letters join or stack: no room may be put between them.
JOINED = ((0x0600, 0x08FF), (0xFB50, 0xFDFF), (0xFE70, 0xFEFF), (0x0700, 0x074F), (0x0900, 0x0DFF), (0x0E00, 0x0FFF),
          (0x1000, 0x109F), (0x1780, 0x17FF), (0x1800, 0x18AF))  # fmt: skip


# A no-break space makes two words one, a zero width space makes two of one (The Unicode Standard, 23.2).
# Between words of a script without spaces a word joiner does it.
JOINER, PARTED, BOUND = "\u00a0", "\u200b", "\u2060"


class LinePiece(NamedTuple):
    """A piece of a line that is not broken: its text without the space after it, and the number of its word. One that is `bound` is the
    part of a word after another, and stays on its line."""

    text: str
    word: int
    spaced: bool
    bound: bool = False


def cleaned(text: str) -> str:
    """Return a text without control characters; lines end with one line feed, a tab is a space."""
    text = text.replace("\r\n", "\n").replace("\r", "\n").replace("\u2028", "\n").replace("\u2029", "\n")
    text = text.replace("\t", " ").replace("\x0b", "\n").replace("\x0c", "\n")
    return "".join(c for c in text if c == "\n" or unicodedata.category(c) not in ("Cc", "Cs", "Co", "Cn"))


@lru_cache(256)
def pieces_of(text: str) -> tuple[tuple[LinePiece, ...], ...]:
    """Return the lines of a text as given, each in the pieces between which it may be broken (Unicode's line breaking
    algorithm, UAX #14), with their words counted through the text."""
    out: list[tuple[LinePiece, ...]] = []
    word = -1
    for line in cleaned(text).split("\n"):
        pieces: list[LinePiece] = []
        begins, bound = True, False
        for unit in _units(line):
            bare = unit.rstrip().rstrip(PARTED)
            if not bare:
                begins = True
                continue
            spaced = bool(unit) and unit[-1].isspace()
            if begins or _in(bare[0], UNSPACED) or (pieces and _in(pieces[-1].text[-1], UNSPACED)):
                word += 1
            begins = len(bare) < len(unit)
            pieces.append(LinePiece(bare, word, spaced, bound))
            bound = unit.endswith(PARTED)
        out.append(tuple(pieces))
    return tuple(out)


@lru_cache(256)
def _units(line: str) -> tuple[str, ...]:
    """Return a line by where it may be broken. While one is typed the others are known: each letter takes some 0.1 ms."""
    from uniseg.linebreak import line_break_units  # not at start-up

    return tuple(line_break_units(line))


@lru_cache(256)
def words_of(text: str) -> tuple[str, ...]:
    """Return the words of a text, in order."""
    out: list[str] = []
    for line in pieces_of(text):
        for piece in line:
            if piece.word == len(out):
                out.append(piece.text)
            else:
                out[-1] += piece.text
    return tuple(out)


@lru_cache(256)
def spans_of(text: str) -> tuple[tuple[int, int], ...]:
    """Return from where to where each word lies in a cleaned text."""
    out = []
    bare, at = cleaned(text), 0
    for word in words_of(text):
        begin = bare.index(word, at)
        at = begin + len(word)
        out.append((begin, at))
    return tuple(out)


def clusters_of(text: str) -> list[str]:
    """Return a text by what a reader takes for one letter (UAX #29)."""
    from uniseg.graphemecluster import grapheme_clusters

    return list(grapheme_clusters(text))


def backward(text: str) -> bool | None:
    """Tell whether a text runs from right to left by its first letter that has a direction; None where none has."""
    for character in text:
        kind = unicodedata.bidirectional(character)
        if kind in ("R", "AL"):
            return True
        if kind == "L":
            return False
    return None


def unspaced(character: str) -> bool:
    """Tell whether a character is of a script that puts no space between words."""
    return _in(character, UNSPACED)


def joins(text: str) -> bool:
    """Tell whether letters of a text join or stack."""
    return any(_in(c, JOINED) for c in text)


def _in(character: str, ranges: tuple[tuple[int, int], ...]) -> bool:
    return any(low <= ord(character) <= high for low, high in ranges)
