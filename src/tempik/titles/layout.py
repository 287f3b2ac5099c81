"""A title set: its lines broken and its pieces placed, in ems, so that every size of picture breaks the same lines."""

from __future__ import annotations

from functools import lru_cache
from itertools import groupby
from typing import NamedTuple

from tempik.reel.title import Title
from tempik.titles.fonts import Face, bitmap_size, face_of, font_at, lacks, standing_in
from tempik.titles.words import LinePiece, backward, clusters_of, joins, pieces_of

EM = 1000  # pixels of the size at which is measured: nothing of it is drawn
UNKNOWN = "\ufffd"
MOST_TALL = 6.0  # lines further down than so many frame widths are left out


class TextRun(NamedTuple):
    """Text of one font and direction, its left end so many ems right of its piece's."""

    text: str
    face: Face
    x: float
    rtl: bool


class Standing(NamedTuple):
    """A piece of text where it stands: its left end and its baseline, in ems from the block's top left corner."""

    runs: tuple[TextRun, ...]
    x: float
    y: float
    width: float
    word: int
    line: int


class Block(NamedTuple):
    """A title set, in ems. `ascent` and `descent` are how far a line reaches over and under its baseline; `left_out` counts
    lines that had no room, `lacking` are characters that no font has."""

    pieces: tuple[Standing, ...]
    width: float
    height: float
    lines: int
    ascent: float
    descent: float
    left_out: int = 0
    lacking: str = ""

    @property
    def words(self) -> int:
        """How many words it has."""
        return max((p.word for p in self.pieces), default=-1) + 1


def laid_out(title: Title, word: int | None = None) -> Block:
    """Return a title set, or one word of it alone."""
    return _laid_out(
        title.text, title.font, title.style, title.wrap / title.size, title.line, title.letter, title.align, word,
        MOST_TALL / title.size,
    )  # fmt: skip


@lru_cache(256)
def _laid_out(
    text: str,
    family: str,
    style: str,
    wrap: float,
    pitch: float,
    letter: float,
    align: str,
    word: int | None,
    most: float,
) -> Block:
    face = face_of(family, style).face
    ascent, descent = (v / EM for v in font_at(face, EM).getmetrics())
    given = pieces_of(text)
    if word is not None:
        given = (tuple(p for line in given for p in line if p.word == word),)
    lines: list[list[tuple[LinePiece, tuple[TextRun, ...], float]]] = []
    bases: list[bool] = []
    for line in given:
        base = next((b for p in line if (b := backward(p.text)) is not None), False)
        lines.append([])
        bases.append(base)
        across = 0.0
        for piece, runs, wide in _measured(line, face, letter, wrap):
            if lines[-1] and across + wide > wrap + 1e-6:
                lines.append([])
                bases.append(base)
                across = 0.0
            lines[-1].append((piece, runs, wide))
            across += wide + _space(piece, runs, letter)
    fits = max(1, int((most - ascent - descent) / max(pitch, 0.01)) + 1)
    left_out, lines = max(0, len(lines) - fits), lines[:fits]
    widths = [
        sum(w + _space(p, runs, letter) for p, runs, w in line) - _space(*line[-1][:2], letter) if line else 0.0
        for line in lines
    ]
    width = max(widths, default=0.0)
    out: list[Standing] = []
    for number, (row, wide) in enumerate(zip(lines, widths, strict=True)):
        free = width - wide
        x = 0.0 if align == "left" else free if align == "right" else free / 2
        y = ascent + number * pitch
        for piece, runs, w in _seen_order(row, bases[number]):
            out.append(Standing(runs, x, y, w, piece.word if word is None else 0, number))
            x += w + _space(piece, runs, letter)
    out.sort(key=lambda s: (s.line, s.word))
    letters = dict.fromkeys(
        c for line in lines for piece, _, _ in line for c in clusters_of(piece.text) if lacks(face, c)
    )
    missing = "".join(dict.fromkeys(c for each in letters for c in lacks(standing_in(face, each), each)))
    height = ascent + descent + max(0, len(lines) - 1) * pitch
    return Block(tuple(out), width, height, len(lines), ascent, descent, left_out, missing)


def _measured(
    line: tuple[LinePiece, ...], face: Face, letter: float, wrap: float
) -> list[tuple[LinePiece, tuple[TextRun, ...], float]]:
    """Return the pieces of a line with their runs and widths; one wider than a line is broken at any letter."""
    out = []
    for piece in line:
        runs, wide = _runs(piece.text, face, letter)
        if wide <= wrap or len(piece.text) < 2:
            out.append((piece, runs, wide))
            continue
        part = ""
        for cluster in clusters_of(piece.text):
            if part and _runs(part + cluster, face, letter)[1] > wrap:
                out.append((LinePiece(part, piece.word, False), *_runs(part, face, letter)))
                part = ""
            part += cluster
        out.append((LinePiece(part, piece.word, piece.spaced), *_runs(part, face, letter)))
    return out


def _space(piece: LinePiece, runs: tuple[TextRun, ...], letter: float) -> float:
    return width_of(" ", runs[-1].face, False) + letter if piece.spaced else 0.0


def _runs(text: str, face: Face, letter: float) -> tuple[tuple[TextRun, ...], float]:
    """Return a piece in runs of one font each, and its width in ems."""
    rtl = bool(backward(text))
    parts: list[tuple[Face, str]] = []
    if not lacks(face, text):
        parts.append((face, text))
    elif not lacks(one := standing_in(face, text), text):
        parts.append((one, text))
    else:
        faced = [_faced(face, c) for c in clusters_of(text)]
        parts = [(f, "".join(c for _, c in group)) for f, group in groupby(faced, key=lambda item: item[0])]
    out: list[TextRun] = []
    x = 0.0
    for used, part in reversed(parts) if rtl else parts:
        back = backward(part)
        out.append(TextRun(part, used, x, rtl if back is None else back))
        x += width_of(part, used, out[-1].rtl) + (0.0 if joins(part) else letter * len(clusters_of(part)))
    return tuple(out), max(x - (0.0 if joins(text) else letter), 0.0)


def _faced(face: Face, cluster: str) -> tuple[Face, str]:
    """Return a letter with the font that has it; where none has, the sign that Unicode has in the place of one (U+FFFD): that something
    is lacking must be seen."""
    found = standing_in(face, cluster)
    return (found, cluster) if not lacks(found, cluster) else (standing_in(face, UNKNOWN), UNKNOWN)


@lru_cache(8192)
def width_of(text: str, face: Face, rtl: bool) -> float:
    """Return how far a run of text takes the pen, in ems."""
    em = bitmap_size(face) or EM
    return float(font_at(face, EM).getlength(text, direction="rtl" if rtl else "ltr")) / em


def _seen_order(
    line: list[tuple[LinePiece, tuple[TextRun, ...], float]], base: bool
) -> list[tuple[LinePiece, tuple[TextRun, ...], float]]:
    """Return a line's pieces from left to right. Words that run the same way stay together; those without a direction go
    with the line's (Unicode's bidirectional algorithm, UAX #9, by whole words)."""
    way = base
    ways = []
    for piece, _, _ in line:
        found = backward(piece.text)
        way = base if found is None else found
        ways.append(way)
    groups = [[line[n] for n in group] for _, group in groupby(range(len(line)), key=lambda n: ways[n])]
    marks = [back for back, _ in groupby(ways)]
    ordered = list(zip(groups, marks, strict=True))
    if base:
        ordered.reverse()
    return [item for group, back in ordered for item in (reversed(group) if back else group)]
