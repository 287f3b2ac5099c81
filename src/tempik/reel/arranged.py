"""A song in another order: stretches of it one after the other, with all that is known of it.

Times are seconds of the song as it was, or as it becomes. A stretch may come again; what is named in it then has a name of its
own each time.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from fractions import Fraction
from itertools import accumulate
from typing import NamedTuple, TypeVar

from msgspec.structs import replace

from tempik.reel.model import new_id
from tempik.reel.points import FOUND, OWN, grid_of
from tempik.reel.soundtrack import Anchor, Point, PointChoice, PointEdit, Reading, SongPiece, Soundtrack
from tempik.rhythm.records import Analysis, BarReading, Beat, Onset, Section

# What stands this little before a stretch begins belongs to it.
EDGE_S = 1e-3
SAME_S = 1e-6

M = TypeVar("M", Beat, Onset)


class SongOrder(NamedTuple):
    """Stretches (from, to) of a song as it was, and where each begins in the song as it becomes."""

    stretches: tuple[tuple[float, float], ...]
    starts: tuple[float, ...]

    @staticmethod
    def of(stretches: Sequence[tuple[float, float]]) -> SongOrder:
        """Return stretches one after the other."""
        ends = list(accumulate(b - a for a, b in stretches))
        return SongOrder(tuple(stretches), (0.0, *ends[:-1]))

    @property
    def length_s(self) -> float:
        """How long the song becomes."""
        return max(s + b - a for s, (a, b) in zip(self.starts, self.stretches, strict=True))

    def holds(self, number: int, time_s: float) -> bool:
        """Tell whether an instant of the song as it was lies in a stretch; its end lies in the last alone."""
        a, b = self.stretches[number]
        last = number == len(self.stretches) - 1
        return a - EDGE_S <= time_s < b - EDGE_S or (last and time_s <= b + EDGE_S and time_s >= a)

    def numbers(self, time_s: float) -> list[int]:
        """Return the stretches in which an instant is heard."""
        return [n for n in range(len(self.stretches)) if self.holds(n, time_s)]

    def moved(self, number: int, time_s: float) -> float:
        """Return where an instant of a stretch is heard."""
        return self.starts[number] + time_s - self.stretches[number][0]

    def first(self, time_s: float) -> float:
        """Return where an instant is first heard; of one that is left out, where what comes after it is."""
        found = self.numbers(time_s)
        if found:
            return self.moved(found[0], time_s)
        later = [(a, n) for n, (a, _) in enumerate(self.stretches) if a >= time_s]
        return self.starts[min(later)[1]] if later else self.length_s

    def last(self, time_s: float) -> float:
        """Return where a stretch that ends at an instant ends at last; of an instant that is left out, where what was before it ends."""
        ends = [self.moved(n, time_s) for n, (a, b) in enumerate(self.stretches) if a < time_s <= b + EDGE_S]
        if ends:
            return max(ends)
        earlier = [(b, n) for n, (_, b) in enumerate(self.stretches) if b <= time_s]
        number = max(earlier)[1] if earlier else -1
        return self.moved(number, self.stretches[number][1]) if earlier else 0.0


class Renamed(NamedTuple):
    """A song in another order, and what its points are called now."""

    song: Soundtrack
    order: SongOrder
    names: dict[tuple[int, str], str]

    def name(self, number: int, point: str | None) -> str | None:
        """Return what a point is called in a stretch of the new order; None where it is not in it."""
        if not point:
            return None
        found = self.names.get((number, point))
        if found is None and "+" in point:
            whole, _, part = point.partition("+")
            beat = self.names.get((number, whole))
            found = f"{beat}+{part}" if beat is not None else None
        return found

    def all_names(self, point: str) -> list[str]:
        """Return what a point is called wherever it is heard."""
        found = (self.name(n, point) for n in range(len(self.order.stretches)))
        return [name for name in found if name is not None]


def in_order(song: Soundtrack, order: SongOrder) -> Renamed:
    """Return a song of stretches of itself, with its beats, points, sections and what was done to them by hand."""
    heard, names = song.heard, dict[tuple[int, str], str]()
    made = None
    if heard is not None:
        made = analysis_in_order(heard, order)
        lists = (heard.beats, *(r.beats for r in heard.rivals))
        for prefix, beats in zip(FOUND, lists, strict=False):
            names |= _names(prefix, beats, order)
        names |= _names("o", heard.onsets, order)
    names |= _names(OWN, song.own, order)
    placed: list[Point] = []
    for number in range(len(order.stretches)):
        for point in song.placed:
            if order.holds(number, point.time_s):
                names[number, point.id] = new_id("h", {p.id for p in placed})
                placed.append(replace(point, id=names[number, point.id], time_s=order.moved(number, point.time_s)))
    renamed = Renamed(song, order, names)
    return renamed._replace(
        song=replace(
            song,
            heard=made,
            length_s=order.length_s,
            own=_marks(song.own, order),
            placed=tuple(placed),
            edits=_edits(song, renamed),
            reading=_reading(song, renamed),
            choices=_choices(song, renamed),
            pieces=pieces_in_order(song, order),
            whole=song.whole if song.pieces else heard,
        )
    )


def analysis_in_order(heard: Analysis, order: SongOrder) -> Analysis:
    """Return what was heard of a song as it is heard in another order."""
    sections: list[Section] = []
    for number, (a, b) in enumerate(order.stretches):
        for s in heard.sections:
            start, end = max(s.start_s, a), min(s.end_s, b)
            if end - start < EDGE_S:
                continue
            made = Section(order.moved(number, start), order.moved(number, end), s.level, s.name)
            before = sections[-1] if sections else None
            if before is not None and (before.level, before.name) == (made.level, made.name):
                sections[-1] = Section(before.start_s, made.end_s, made.level, made.name)
            else:
                sections.append(made)
    drops = [order.moved(n, d) for n in range(len(order.stretches)) for d in heard.drops if order.holds(n, d)]
    return replace(
        heard,
        length_s=order.length_s,
        beats=_marks(heard.beats, order),
        onsets=_marks(heard.onsets, order),
        sections=tuple(sections),
        drops=tuple(sorted(drops)),
        rivals=tuple(
            replace(r, beats=_marks(r.beats, order), bars=_bars(r.bars, r.beats, order)) for r in heard.rivals
        ),
        bars=_bars(heard.bars, heard.beats, order),
    )


def _bars(bars: tuple[BarReading, ...], beats: tuple[Beat, ...], order: SongOrder) -> tuple[BarReading, ...]:
    """Return the ways to count bars with the beat that each begins its first bar on as the song is heard; without those that begin none."""
    names = _names("", beats, order)
    heard = sorted((int(at), int(was)) for (_, was), at in names.items())
    out = []
    for bar in bars:
        at = next((at for at, was in heard if was % bar.metre == bar.first % bar.metre), None)
        if at is not None:
            out.append(replace(bar, first=at))
    return tuple(out)


def _held(marks: Sequence[Beat] | Sequence[Onset], order: SongOrder, number: int) -> range:
    a, b = order.stretches[number]
    first = bisect_left(marks, a - EDGE_S, key=lambda m: m.time_s)
    last = number == len(order.stretches) - 1
    return range(first, bisect_left(marks, b + (EDGE_S if last else -EDGE_S), key=lambda m: m.time_s))


def _marks(marks: tuple[M, ...], order: SongOrder) -> tuple[M, ...]:
    """Return beats or onsets as they are heard; bars are counted on through all."""
    out: list[M] = []
    bar = 0
    for number in range(len(order.stretches)):
        by = order.starts[number] - order.stretches[number][0]
        for mark in (marks[i] for i in _held(marks, order, number)):
            if isinstance(mark, Beat):
                bar = mark.bar if not out and mark.beat != 1 else bar + (mark.beat == 1)
                out.append(replace(mark, time_s=mark.time_s + by, other_s=mark.other_s + by, bar=bar))
            else:
                out.append(replace(mark, time_s=mark.time_s + by))
    return tuple(out)


def _names(prefix: str, marks: Sequence[Beat] | Sequence[Onset], order: SongOrder) -> dict[tuple[int, str], str]:
    out, at = {}, 0
    for number in range(len(order.stretches)):
        for i in _held(marks, order, number):
            out[number, f"{prefix}{i}"] = f"{prefix}{at}"
            at += 1
    return out


def pieces_in_order(song: Soundtrack, order: SongOrder) -> tuple[SongPiece, ...]:
    """Return the pieces of the file that stretches of a song are made of; those that go on are one."""
    pieces = song.pieces or (SongPiece(0.0, song.length_s),)
    out: list[SongPiece] = []
    for a, b in order.stretches:
        at = 0.0
        for piece in pieces:
            first, end = max(a - at, 0.0), min(b - at, piece.to_s - piece.from_s)
            at += piece.to_s - piece.from_s
            if end - first < SAME_S:
                continue
            made = SongPiece(piece.from_s + first, piece.from_s + end)
            if out and abs(out[-1].to_s - made.from_s) < SAME_S:
                made = SongPiece(out.pop().from_s, made.to_s)
            out.append(made)
    return tuple(out)


def _edits(song: Soundtrack, renamed: Renamed) -> tuple[PointEdit, ...]:
    out = []
    for edit in song.edits:
        for number in range(len(renamed.order.stretches)):
            name = renamed.name(number, edit.id)
            if name is not None:
                time_s = edit.time_s if edit.time_s is None else renamed.order.moved(number, edit.time_s)
                out.append(replace(edit, id=name, time_s=time_s))
    return tuple(out)


def _reading(song: Soundtrack, renamed: Renamed) -> Reading:
    """Return how the song is read: by the same anchors, its bars beginning where they did."""
    reading = song.reading
    anchors = []
    for anchor in reading.anchors:
        for number in range(len(renamed.order.stretches)):
            name = renamed.name(number, anchor.point)
            if name is not None:
                anchors.append(Anchor(name, renamed.order.moved(number, anchor.time_s)))
    one = reading.one
    grid = grid_of(song)
    if (one or reading.tempo_factor != 1 or reading.late or reading.metre) and grid is not None:
        one = _one(grid.prefix, grid.one, grid.step * grid.metre, renamed)
    return replace(reading, anchors=tuple(anchors), one=one)


def _one(prefix: str, one: Fraction, bar: Fraction, renamed: Renamed) -> str:
    """Return the first place at which a bar of the song as it was read is heard."""
    indices = sorted(
        (int(new[1:]), int(old[1:]))
        for (_, old), new in renamed.names.items()
        if old[:1] == prefix and old[1:].isdecimal()
    )
    for new, old in indices:
        part = (one - old) % 1
        if (old + part - one) % bar == 0:
            return f"{prefix}{new}" + (f"+{part}" if part else "")
    return ""


def _choices(song: Soundtrack, renamed: Renamed) -> tuple[PointChoice, ...]:
    out = []
    for choice in song.choices:
        to_s = None if choice.to_s is None else renamed.order.last(choice.to_s)
        names = renamed.all_names(choice.first)
        made = replace(choice, first=names[0] if names else "", from_s=renamed.order.first(choice.from_s), to_s=to_s)
        if made.from_s <= EDGE_S:
            made = replace(made, from_s=0.0)
        if to_s is None or to_s > made.from_s:
            out.append(made)
    return tuple(out) or song.choices[:1]
