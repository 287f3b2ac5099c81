"""A title set: its lines broken and its pieces placed, in ems, so that every size of picture breaks the same lines."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import groupby, takewhile
from typing import NamedTuple

from tempik.reel.title import Title
from tempik.titles.fonts import Face, bitmap_size, face_of, font_at, lacks, standing_in
from tempik.titles.words import LinePiece, backward, cleaned, clusters_of, joins, pieces_of

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
    """A piece of text where it stands: its left end and its baseline, in ems from the block's top left corner. `scale` is how many times
    as large as the title's it is drawn, which its runs' places are not multiplied by."""

    runs: tuple[TextRun, ...]
    x: float
    y: float
    width: float
    word: int
    line: int
    scale: float = 1.0


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
        MOST_TALL / title.size, tuple((s.word, s.size) for s in title.words if s.size != 1),
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
    sizes: tuple[tuple[int, float], ...] = (),
) -> Block:
    face = face_of(family, style).face
    ascent, descent = (v / EM for v in font_at(face, EM).getmetrics())
    given = pieces_of(text)
    if word is not None:
        given = (tuple(p for line in given for p in line if p.word == word),)
    scales = dict(sizes)
    lines: list[list[tuple[LinePiece, tuple[TextRun, ...], float]]] = []
    bases: list[bool] = []
    for line in given:
        base = next((b for p in line if (b := backward(p.text)) is not None), False)
        lines.append([])
        bases.append(base)
        across = 0.0
        measured = _measured(line, face, letter, wrap, scales)
        for number, (piece, runs, bare) in enumerate(measured):
            scale = scales.get(piece.word, 1.0)
            wide = bare * scale
            if lines[-1] and across + wide + _bound_width(measured, number, scales) > wrap + 1e-6:
                lines.append([])
                bases.append(base)
                across = 0.0
            lines[-1].append((piece, runs, wide))
            across += wide + _space(piece, runs, letter) * scale
    heights = [max((scales.get(p.word, 1.0) for p, _, _ in line), default=1.0) for line in lines]
    bases_y = _baselines(heights, ascent, pitch)
    fits = max(1, sum(y - ascent * heights[0] + ascent + descent <= most + 1e-9 for y in bases_y))
    left_out, lines = max(0, len(lines) - fits), lines[:fits]
    widths = [_width(line, scales, letter) for line in lines]
    width = max(widths, default=0.0)
    out: list[Standing] = []
    for number, (row, wide) in enumerate(zip(lines, widths, strict=True)):
        free = width - wide
        x = 0.0 if align == "left" else free if align == "right" else free / 2
        for piece, runs, w in _seen_order(row, bases[number]):
            scale = scales.get(piece.word, 1.0)
            out.append(Standing(runs, x, bases_y[number], w, piece.word, number, scale))
            x += w + _space(piece, runs, letter) * scale
    out.sort(key=lambda s: (s.line, s.word))
    letters = dict.fromkeys(
        c for line in lines for piece, _, _ in line for c in clusters_of(piece.text) if lacks(face, c)
    )
    missing = "".join(dict.fromkeys(c for each in letters for c in lacks(standing_in(face, each), each)))
    height = bases_y[len(lines) - 1] + descent * heights[len(lines) - 1] if lines else ascent + descent
    return Block(tuple(out), width, height, len(lines), ascent, descent, left_out, missing)


def _width(
    line: Sequence[tuple[LinePiece, tuple[TextRun, ...], float]], scales: dict[int, float], letter: float
) -> float:
    """Return how wide a line is, without the space after its end."""
    spaces = [_space(piece, runs, letter) * scales.get(piece.word, 1.0) for piece, runs, _ in line]
    return sum(wide for _, _, wide in line) + sum(spaces[:-1])


def _bound_width(
    pieces: Sequence[tuple[LinePiece, tuple[TextRun, ...], float]], first: int, scales: dict[int, float]
) -> float:
    """Return how wide the further parts of a word are whose first is one of the pieces; 0 where that is itself a further one."""
    if pieces[first][0].bound:
        return 0.0
    parts = takewhile(lambda measured: measured[0].bound, (pieces[n] for n in range(first + 1, len(pieces))))
    return sum(bare * scales.get(piece.word, 1.0) for piece, _, bare in parts)


def _baselines(heights: Sequence[float], ascent: float, pitch: float) -> list[float]:
    """Return where lines stand, each as high as the largest of its words."""
    out = [ascent * height for height in heights[:1]]
    for height in heights[1:]:
        out.append(out[-1] + pitch * height)
    return out


def _measured(
    line: tuple[LinePiece, ...], face: Face, letter: float, widest: float, scales: dict[int, float]
) -> list[tuple[LinePiece, tuple[TextRun, ...], float]]:
    """Return the pieces of a line with their runs and widths before they are scaled; one wider than a line is broken at any letter."""
    out = []
    for piece in line:
        wrap = widest / scales.get(piece.word, 1.0)
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


class Caret(NamedTuple):
    """A place between letters of a text where one types: its x, and where its line begins and ends, in ems from the block's corner."""

    x: float
    top: float
    bottom: float


@lru_cache(16)
def carets_of(title: Title) -> tuple[Caret, ...]:
    """Return where one types before each character of a title's cleaned text, and after the last."""
    block, text = laid_out(title), cleaned(title.text)
    out: list[Caret | None] = [None] * (len(text) + 1)
    at = 0
    pieces = sorted(block.pieces, key=lambda p: (p.word, p.line))
    for piece in pieces:
        runs = sorted(piece.runs, key=lambda r: r.x, reverse=len(piece.runs) > 1 and piece.runs[0].rtl)
        top, bottom = piece.y - block.ascent * piece.scale, piece.y + block.descent * piece.scale
        for run in runs:
            begin = text.find(run.text, at)
            if begin < 0:
                continue  # drawn by the sign for what no font has
            whole, shown = width_of(run.text, run.face, run.rtl), ""
            clusters, number = clusters_of(run.text), begin
            for count, cluster in enumerate([*clusters, ""]):
                across = width_of(shown, run.face, run.rtl) + title.letter * count * (not joins(run.text))
                x = piece.x + (run.x + (whole - across if run.rtl else across)) * piece.scale
                for inside in range(max(len(cluster), 1)):
                    out[number + inside] = Caret(x, top, bottom)
                shown, number = shown + cluster, number + len(cluster)
            at = begin + len(run.text)
    return tuple(_filled(title, block, text, out))


def _filled(title: Title, block: Block, text: str, found: list[Caret | None]) -> Iterator[Caret]:
    """Spaces and empty lines, which no piece has, after what stands before them."""
    line_x = {"left": 0.0, "middle": block.width / 2, "right": block.width}[title.align]
    last: Caret | None = None
    for number, caret in enumerate(found):
        new_line = number > 0 and text[number - 1] == "\n"
        if caret is None:
            if last is None:
                caret = Caret(line_x, 0.0, block.ascent + block.descent)
            elif new_line:
                caret = Caret(line_x, last.top + title.line, last.bottom + title.line)
            else:
                before = text[number - 1] if number else ""
                face = face_of(title.font, title.style).face
                caret = last._replace(x=last.x + (width_of(" ", face, False) if before.isspace() else 0.0))
        last = caret
        yield caret


def nearest_place(title: Title, x: float, y: float) -> int:
    """Return the place in a title's cleaned text that lies nearest to a place in ems from the block's corner."""
    carets = carets_of(title)
    away = [max(c.top - y, y - c.bottom, 0.0) for c in carets]
    line = min(away)
    return min((n for n, far in enumerate(away) if far <= line + 1e-9), key=lambda n: (abs(carets[n].x - x), -n))
