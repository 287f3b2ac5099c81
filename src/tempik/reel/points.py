"""The points of a song: what was heard, as the user reads it, as far as it is chosen, with what was done by hand.

A beat's id is its place among the found beats (`b12`; half a beat later `b12+1/2`), among those of the first rival
(`r12`) or of the second (`s12`), among the user's own (`u12`); an onset's is `o35`, a hand-placed point's `h3`. So half
or double tempo, a shift, a rival or another choice neither loses a hand edit nor what is tied to a point: a point that
is not chosen still has its instant (`point_of`).
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from fractions import Fraction
from typing import NamedTuple

from msgspec.structs import replace

from tempik.derive import DERIVED, Stage
from tempik.reel.grid import Grid, lattice
from tempik.reel.soundtrack import Point, PointChoice, PointEdit, Soundtrack
from tempik.rhythm.records import Analysis, Beat
from tempik.rhythm.tempi import Tempo, tempi

FOUND = ("b", "r", "s")  # what ids of beats begin with: as found, the first rival's, the second's
OWN = "u"


def is_beat(point: str) -> bool:
    """Return whether an id names a beat, or a place between two."""
    return point[:1] in (*FOUND, OWN)


class ReadBeats(NamedTuple):
    """The beats that a reading goes by, before it shifts or halves them."""

    prefix: str
    beats: Sequence[Beat]
    steady: bool
    metre: int


def grid_of(song: Soundtrack) -> Grid | None:
    """Return the beats of a song as read, or None where there are none."""
    return _derived(song)[0]


def points_of(song: Soundtrack) -> tuple[Point, ...]:
    """Return the points in use, in order of time."""
    return _derived(song)[1]


def tempo_of(song: Soundtrack) -> float:
    """Return beats a minute as read: over the whole song on a grid, else the usual gap; 0 without beats."""
    grid = grid_of(song)
    return DERIVED.get(_TEMPI, (grid,), (), lambda: _tempo(grid)) if grid is not None else 0.0


def _tempo(grid: Grid) -> float:
    gaps = sorted(b - a for a, b in zip(grid.times_s, grid.times_s[1:], strict=False))
    return 60 / (gaps[len(gaps) // 2] * float(grid.step)) if gaps[len(gaps) // 2] > 0 else 0.0


def tempi_of(song: Soundtrack) -> tuple[Tempo, ...]:
    """Return the stretches of one tempo as the beats are read: one where the song keeps it, none without beats."""
    grid = grid_of(song)
    return DERIVED.get(_STRETCHES, (grid,), (), lambda: _tempi(grid)) if grid is not None else ()


def _tempi(grid: Grid) -> tuple[Tempo, ...]:
    return tuple(t._replace(bpm=t.bpm / float(grid.step)) for t in tempi(grid.times_s))


def is_steady(song: Soundtrack) -> bool:
    """Return whether the beats are read as one even grid."""
    way = song.reading.beat_source
    if way == "found":
        return _read(song).steady
    return way == "grid"


def metre_of(song: Soundtrack) -> int:
    """Return how many beats a bar has as read."""
    return song.reading.metre or _read(song).metre


def _read(song: Soundtrack) -> ReadBeats:
    reading, heard = song.reading, song.heard
    if reading.beat_source == "own":
        return ReadBeats(OWN, song.own, False, max((b.beat for b in song.own), default=4) or 4)
    if heard is None:
        return ReadBeats(FOUND[0], (), False, 4)
    if 0 < reading.rival <= min(len(heard.rivals), len(FOUND) - 1):
        rival = heard.rivals[reading.rival - 1]
        return ReadBeats(FOUND[reading.rival], rival.beats, rival.steady, rival.metre)
    return ReadBeats(FOUND[0], heard.beats, heard.steady, heard.metre)


def point_of(song: Soundtrack, wanted: str | None) -> Point | None:
    """Return a point by id whether it is chosen or not, with its hand edit; None when the song has no such point."""
    if not wanted:
        return None
    grid, chosen, edits, found = _derived(song)
    number = found.get(wanted)
    if number is not None:
        return chosen[number]
    point = _bare(song, grid, wanted)
    return None if point is None else _edited(point, edits.get(wanted))


def beats_between(song: Soundtrack, from_s: float, to_s: float) -> tuple[Point, ...]:
    """Return every beat as read from one instant to another, chosen or not."""
    grid = grid_of(song)
    if grid is None:
        return ()
    beats = _grid_points(song, grid, PointChoice())
    first = bisect_left(beats, from_s - 1e-9, key=lambda p: p.time_s)
    return tuple(beats[first : bisect_right(beats, to_s + 1e-9, key=lambda p: p.time_s)])


_GRIDS: Stage[Grid | None] = Stage("grid")
_LATTICES: Stage[list[Point]] = Stage("points of the grid")
_OF_PARTS: Stage[_Derived] = Stage("points, by what they are made of")
_TEMPI: Stage[float] = Stage("tempo")
_STRETCHES: Stage[tuple[Tempo, ...]] = Stage("tempi")
_BY_HAND: Stage[dict[str, Point]] = Stage("edits by hand")


_Derived = tuple[Grid | None, tuple[Point, ...], dict[str, PointEdit], dict[str, int]]
_OF_SONG: Stage[_Derived] = Stage("points")


def _derived(song: Soundtrack) -> _Derived:
    """Return a song's grid, its chosen points, its hand edits by id and the places of the points by id."""
    return DERIVED.get(_OF_SONG, (song,), (), lambda: _of_parts(song))


def _of_parts(song: Soundtrack) -> _Derived:
    def make() -> _Derived:
        edits = {e.id: e for e in song.edits}
        # While points are edited the grid stays: it is kept apart.
        grid = DERIVED.get(_GRIDS, (song.heard, song.reading, song.own), (), lambda: _grid(song))
        points = _chosen(song, grid, edits)
        return grid, points, edits, {p.id: i for i, p in enumerate(points)}

    parts = (song.heard, song.reading, song.choices, song.edits, song.own, song.placed)
    return DERIVED.get(_OF_PARTS, parts, (song.length_s,), make)


def _grid(song: Soundtrack) -> Grid | None:
    reading = song.reading
    read = _read(song)
    beats, prefix = read.beats, read.prefix
    if len(beats) < 2:
        return None
    as_found = reading.beat_source in ("found", "own") or (reading.beat_source == "grid") == read.steady
    times = tuple(b.time_s if as_found else b.other_s for b in beats)
    times = _anchored(times, [(int(a.point[1:]), a.time_s) for a in reading.anchors if _whole(a.point, prefix)])
    step = 1 / reading.tempo_factor
    metre = max(1, reading.metre or read.metre)
    downbeat = next((i for i, b in enumerate(beats) if b.beat == 1), 0)
    named = _place(reading.one) if reading.one.startswith(prefix) else None
    one = Fraction(downbeat) + reading.late if named is None else named
    plain = named is None and not reading.metre and step == 1 and reading.late == 0 and prefix != OWN
    counted = tuple((b.bar, b.beat) for b in beats) if plain else ()
    # Bars that go on alike through the song need no counting.
    if all(pair == ((n - downbeat) // metre + 1, (n - downbeat) % metre + 1) for n, pair in enumerate(counted)):
        counted = ()
    return Grid(prefix, times, tuple(b.strength for b in beats), step, one % step, one, metre, counted)


def _anchored(times: tuple[float, ...], anchors: list[tuple[int, float]]) -> tuple[float, ...]:
    """Return the beats moved so that anchored ones sound at their instants: one shifts all, two or more lay even
    beats between them and on at the same tempo beyond."""
    anchors = sorted({n: t for n, t in anchors if 0 <= n < len(times)}.items())
    if not anchors:
        return times
    if len(anchors) == 1:
        by = anchors[0][1] - times[anchors[0][0]]
        return tuple(t + by for t in times)
    out = []
    for number in range(len(times)):
        right = min(max(bisect_left(anchors, (number, -1e300)), 1), len(anchors) - 1)
        (a, a_s), (b, b_s) = anchors[right - 1], anchors[right]
        out.append(a_s + (number - a) * (b_s - a_s) / (b - a))
    return tuple(out)


def _chosen(song: Soundtrack, grid: Grid | None, edits: dict[str, PointEdit]) -> tuple[Point, ...]:
    points: list[Point] = []
    for number, choice in enumerate(song.choices):
        later = song.choices[number + 1 :]
        if choice.of == "onsets":
            candidates = _onset_points(song, choice)
        else:
            candidates = _grid_points(song, grid, choice) if grid is not None else []
        if later or choice.from_s > 0 or choice.to_s is not None:
            candidates = [
                p for p in candidates if _covers(choice, p.time_s) and not any(_covers(c, p.time_s) for c in later)
            ]
        points += candidates
    if edits:
        have = {p.id for p in points}
        kept = [_edited(p, edits[p.id]) if p.id in edits else p for p in points]
        kept = [p for p in kept if not (p.id in edits and edits[p.id].gone)]
    else:
        have, kept = set(), points
    # A point the user locked, named or moved stays in use whatever is chosen.
    for edit in edits.values():
        if edit.id not in have and not edit.gone and (edit.locked or edit.name or edit.time_s is not None):
            bare = _bare(song, grid, edit.id)
            if bare is not None:
                kept.append(_edited(bare, edit))
    kept += song.placed
    kept = [p for p in kept if 0 <= p.time_s <= song.length_s]
    return tuple(_with_drops(sorted(kept, key=lambda p: p.time_s), song.heard))


def _covers(choice: PointChoice, time_s: float) -> bool:
    return choice.from_s <= time_s and (choice.to_s is None or time_s < choice.to_s)


_EVERY_BEAT = PointChoice()


def _grid_points(song: Soundtrack, grid: Grid, choice: PointChoice) -> list[Point]:
    """Return the beats of a grid that a choice takes, from the song's start to its end, with the parts between."""
    kept = _EVERY_BEAT if choice == _EVERY_BEAT else choice
    first = _place(choice.first) if choice.first.startswith(grid.prefix) else None
    return DERIVED.get(_LATTICES, (grid, kept), (song.length_s,), lambda: lattice(grid, choice, song.length_s, first))


def _onset_points(song: Soundtrack, choice: PointChoice) -> list[Point]:
    onsets = song.heard.onsets if song.heard else ()
    wanted = set(choice.bands)
    return [
        Point(f"o{i}", o.time_s, o.strength, kind="onset", band=o.band)
        for i, o in enumerate(onsets)
        if o.band in wanted and o.strength >= choice.at_least
    ]


def _bare(song: Soundtrack, grid: Grid | None, wanted: str) -> Point | None:
    """Return a point by id as it is without hand edits."""
    placed = DERIVED.get(_BY_HAND, (song,), (), lambda: {p.id: p for p in song.placed}).get(wanted)
    if placed is not None:
        return placed
    if _whole(wanted, "o"):
        number = int(wanted[1:])
        if song.heard is not None and number < len(song.heard.onsets):
            onset = song.heard.onsets[number]
            return Point(wanted, onset.time_s, onset.strength, kind="onset", band=onset.band)
        return None
    place = _place(wanted)
    if place is None:
        return None
    if grid is None or not wanted.startswith(grid.prefix):
        # A beat of the other way of reading still has its instant.
        own = wanted.startswith(OWN)
        rival = 0 if own else FOUND.index(wanted[0])
        other = replace(song.reading, beat_source="own" if own else "found", rival=rival, anchors=(), one="")
        grid = _grid(replace(song, reading=other))
    if grid is None or not wanted.startswith(grid.prefix) or not -1 <= place <= len(grid.times_s):
        return None
    return grid.point(place)


def _place(name: str) -> Fraction | None:
    """Return the place among the beats that an id such as `b12+1/2` names, or None."""
    if not is_beat(name):
        return None
    number, _, part = name[1:].partition("+")
    if len(name) > 24 or "e" in part.lower():  # no id of ours; it would be worked out to its last digit
        return None
    try:
        return Fraction(int(number)) + (Fraction(part) if part else 0)
    except (ValueError, ZeroDivisionError):
        return None


def _whole(name: str, prefix: str) -> bool:
    return name.startswith(prefix) and name[1:].isdecimal() and len(name) <= 12


def _edited(point: Point, edit: PointEdit | None) -> Point:
    if edit is None:
        return point
    return replace(
        point,
        time_s=point.time_s if edit.time_s is None else edit.time_s,
        strength=point.strength if edit.strength is None else edit.strength,
        name=edit.name or point.name,
        locked=edit.locked or point.locked,
    )


def _with_drops(points: list[Point], heard: Analysis | None) -> list[Point]:
    """Return the points with the one at each drop marked as such."""
    times = [p.time_s for p in points]
    for drop_s in heard.drops if heard else ():
        at = bisect_left(times, drop_s - 0.03)
        if at < len(points) and abs(times[at] - drop_s) <= 0.03 and points[at].kind in ("beat", "downbeat"):
            points[at] = replace(points[at], kind="drop")
    return points
