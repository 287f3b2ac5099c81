"""Changes to the points of a reel's song, each a pure function that returns the reel changed.

Raises TempikError, with the reel left as it was, where a change cannot be had.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterable, Sequence
from fractions import Fraction

from msgspec.structs import replace

from tempik.edit.reel import song_of
from tempik.edit.sounds.ties import with_sounds_turned
from tempik.edit.ties import with_keys_turned
from tempik.errors import TempikError
from tempik.reel import (
    Anchor,
    Edge,
    Key,
    Point,
    PointChoice,
    PointEdit,
    Reading,
    Reel,
    Soundtrack,
    by_id,
    grid_of,
    is_beat,
    new_id,
    point_of,
)
from tempik.reel.grid import Grid
from tempik.reel.nests import everywhere
from tempik.reel.points import points_of
from tempik.reel.soundtrack import BeatSource
from tempik.rhythm.records import Beat, Mark

SNAP_REACH_S = 0.08
MOST_POINTS = 20000


def with_moved_point(reel: Reel, point: str, time_s: float) -> Reel:
    """Move a point of the song; everything tied to it follows. Raises TempikError when it is locked or leaves
    the song."""
    song = song_of(reel)
    old = _point(song, point)
    if old.locked:
        raise TempikError(f"Point {old.label} is locked; unlock it to move it.")
    if not 0 <= time_s <= song.length_s:
        raise TempikError(f"Point {old.label} cannot leave the song (0 to {song.length_s:.2f} s).")
    return _changed(reel, [point], lambda e: replace(e, time_s=time_s))


def nudged(reel: Reel, points: Sequence[str], by_s: float) -> Reel:
    """Move points together by seconds. Locked ones stay; all locked is an error. Raises TempikError where all of them are locked."""
    song = song_of(reel)
    free = [p for p in (_point(song, name) for name in points) if not p.locked]
    if points and not free:
        raise TempikError("The chosen points are locked; unlock them to move them.")
    for point in free:
        reel = with_moved_point(reel, point.id, point.time_s + by_s)
    return reel


def snapped(reel: Reel, points: Sequence[str]) -> Reel:
    """Move points to the nearest attack heard within 80 ms. Raises TempikError when none of them is near one."""
    song = song_of(reel)
    times = [o.time_s for o in song.heard.onsets] if song.heard else []
    moved = 0
    for name in points:
        point = _point(song, name)
        near = nearest(times, point.time_s)
        if near is None or abs(near - point.time_s) > SNAP_REACH_S or point.locked:
            continue
        moved += 1
        if near != point.time_s:
            reel = with_moved_point(reel, name, near)
    if not moved:
        raise TempikError("No attack was heard within 80 ms of the chosen points; move them by ear, or choose others.")
    return reel


def nearest(times: Sequence[float], time_s: float) -> float | None:
    """Return the nearest of times in order, or None of none."""
    at = bisect_left(times, time_s)
    around = times[max(0, at - 1) : at + 1]
    return min(around, key=lambda t: abs(t - time_s), default=None)


def with_point(reel: Reel, time_s: float, name: str = "") -> Reel:
    """Place a point by hand at seconds of the song."""
    return with_points(reel, [(time_s, name)])


def with_points(reel: Reel, marks: Iterable[tuple[float, str]]) -> Reel:
    """Place points by hand: seconds of the song and a word for each ("" for none). Raises TempikError outside the song, and for more than a
    song holds."""
    song = song_of(reel)
    placed = list(song.placed)
    number = int(new_id("h", {p.id for p in placed})[1:])
    for count, (time_s, name) in enumerate(marks):
        if not 0 <= time_s <= song.length_s:
            raise TempikError(f"A point must lie within the song (0 to {song.length_s:.2f} s), not at {time_s:.3f} s.")
        placed.append(Point(f"h{number + count}", time_s, 1.0, kind="hand", name=name))
    if len(placed) > MOST_POINTS:
        raise TempikError(f"That makes {len(placed)} points placed by hand; a song holds up to {MOST_POINTS}.")
    return _with_song(reel, placed=tuple(sorted(placed, key=lambda p: p.time_s)))


def without_points(reel: Reel, points: Sequence[str]) -> Reel:
    """Take points out of use: found ones can be had back, placed ones are gone. Clips tied to them stay where they
    are. Raises TempikError when all of them are locked."""
    song = song_of(reel)
    free = [p for p in points if not _point(song, p).locked]
    if points and not free:
        raise TempikError("The chosen points are locked; unlock them to remove them.")
    placed = {p.id for p in song.placed}
    reel = _untied(reel, placed & set(free))
    song = song_of(reel)
    reel = replace(reel, soundtrack=replace(song, placed=tuple(p for p in song.placed if p.id not in free)))
    return _changed(reel, [p for p in free if p not in placed], lambda e: replace(e, gone=True))


def with_all_back(reel: Reel) -> Reel:
    """Take back the points that were removed and the moves made by hand; locked points stay as they are."""
    song = song_of(reel)
    edits = tuple(replace(e, gone=False, time_s=e.time_s if e.locked else None) for e in song.edits)
    return _with_song(reel, edits=_worth_keeping(edits))


def with_locked(reel: Reel, points: Sequence[str], locked: bool) -> Reel:
    """Lock points where they are, or unlock them. A locked point never moves, whatever is done to the others."""
    song = song_of(reel)
    times = {p: _point(song, p).time_s for p in points}
    return _changed(reel, points, lambda e: replace(e, locked=locked, time_s=times[e.id] if locked else e.time_s))


def with_strength(reel: Reel, points: Sequence[str], strength: float) -> Reel:
    """Set how strong points are, 0 to 1."""
    return _changed(reel, points, lambda e: replace(e, strength=min(max(strength, 0.0), 1.0)))


def with_name(reel: Reel, point: str, name: str) -> Reel:
    """Give a point a word, such as a sung line's; empty takes it away."""
    return _changed(reel, [point], lambda e: replace(e, name=name.strip()))


def with_choices(reel: Reel, choices: Sequence[PointChoice]) -> Reel:
    """Choose which points are used. A choice over the whole song comes first; those of a stretch decide there. Raises TempikError for every
    n-th with n below 1."""
    if any(c.every < 1 for c in choices):
        raise TempikError("Every n-th point needs n of 1 or more.")
    return _with_song(reel, choices=tuple(choices) or (PointChoice(),))


def with_choice_in(reel: Reel, choice: PointChoice, from_s: float, to_s: float | None) -> Reel:
    """Choose points within a stretch of the song; without an end, for all of it. Former choices inside give way."""
    song = song_of(reel)
    if to_s is None:
        return _with_song(reel, choices=(replace(choice, from_s=0.0, to_s=None),))
    inside = [c for c in song.choices if not (c.from_s >= from_s and c.to_s is not None and c.to_s <= to_s)]
    return _with_song(reel, choices=(*inside, replace(choice, from_s=from_s, to_s=to_s)))


def with_pace(reel: Reel, factor: Fraction) -> Reel:
    """Read the song at half (1/2) or double (2) its present tempo. Raises TempikError beyond a quarter and four times of what was found."""
    reading = song_of(reel).reading
    pace = reading.tempo_factor * factor
    if not Fraction(1, 4) <= pace <= 4:
        raise TempikError("The tempo is already a quarter or four times of what was found; go the other way.")
    return _with_reading(reel, replace(reading, tempo_factor=pace))


def with_half_a_beat(reel: Reel) -> Reel:
    """Shift all beats by half a beat; a second time shifts them back."""
    song = song_of(reel)
    reading, grid = song.reading, _grid(song)
    half = grid.step / 2
    late = reading.late + half if reading.late == 0 else Fraction(0)
    one = grid.name(grid.one + (half if late else -half)) if reading.one else ""
    return _with_reading(reel, replace(reading, late=late, one=one))


def with_one(reel: Reel, point: str) -> Reel:
    """Let bars begin on a beat (and every so many from it). Raises TempikError for a point that is no beat."""
    song = song_of(reel)
    _grid(song)
    if not is_beat(point):
        raise TempikError("A bar begins on a beat; choose a beat rather than an onset or a point placed by hand.")
    return _with_reading(reel, replace(song.reading, one=point))


def with_metre(reel: Reel, metre: int) -> Reel:
    """Count bars of so many beats; 0 is as found. Raises TempikError outside 0 to 32."""
    if not 0 <= metre <= 32:
        raise TempikError(f"A bar of {metre} beats cannot be counted; give 1 to 32, or 0 for what was found.")
    return _with_reading(reel, replace(song_of(reel).reading, metre=metre))


def with_beat_source(reel: Reel, way: BeatSource) -> Reel:
    """Read the beats as found, on one even grid, along a moving tempo, or as the user's own beats. Raises TempikError for beats of one's
    own where there are none."""
    song = song_of(reel)
    if way == "own" and len(song.own) < 2:
        raise TempikError("There are no beats of your own yet; tap them or read them from a file.")
    return _with_reading(reel, replace(song.reading, beat_source=way, anchors=(), one=""))


def with_anchor(reel: Reel, point: str) -> Reel:
    """Hold a beat where it is, and lay the grid through all such beats: one shifts it, two or more refit it between
    and beyond. Raises TempikError when anchors would cross."""
    song = song_of(reel)
    where = _point(song, point)
    if "+" in point or not is_beat(point):
        raise TempikError("Only a whole beat can be an anchor; choose a beat.")
    anchors = [a for a in song.reading.anchors if a.point != point]
    anchors = sorted([*anchors, Anchor(point, where.time_s)], key=lambda a: int(a.point[1:]))
    if any(b.time_s - a.time_s < 0.02 for a, b in zip(anchors, anchors[1:], strict=False)):
        raise TempikError("The anchors would cross: a later beat cannot sound before an earlier one.")
    reel = _with_reading(reel, replace(song.reading, anchors=tuple(anchors)))
    # The beat's own move has become the grid's.
    return _changed(reel, [point], lambda e: e if e.locked else replace(e, time_s=None))


def without_anchors(reel: Reel) -> Reel:
    """Lay the grid as it was found again. Raises TempikError without a song."""
    return _with_reading(reel, replace(song_of(reel).reading, anchors=()))


def with_own_beats(reel: Reel, beats: Sequence[Beat]) -> Reel:
    """Read the song by beats of the user's own, tapped or read from a file. Raises TempikError for fewer than two."""
    song = song_of(reel)
    if len(beats) < 2:
        raise TempikError("Two beats or more are needed to count by.")
    reading = Reading(beat_source="own")
    return replace(reel, soundtrack=replace(song, own=tuple(beats), reading=reading))


def _point(song: Soundtrack, wanted: str) -> Point:
    point = point_of(song, wanted)
    if point is None:
        raise TempikError("That point is no longer there.")
    return point


def _grid(song: Soundtrack) -> Grid:
    grid = grid_of(song)
    if grid is None:
        raise TempikError("The song has no beats to count by; tap them first (T while it plays).")
    return grid


def _with_song(reel: Reel, **fields: object) -> Reel:
    return replace(reel, soundtrack=replace(song_of(reel), **fields))


def _with_reading(reel: Reel, reading: Reading) -> Reel:
    return _with_song(reel, reading=reading)


def _changed(reel: Reel, points: Sequence[str], change: Callable[[PointEdit], PointEdit]) -> Reel:
    """Return the reel with the hand edits of points changed; points placed by hand are changed themselves."""
    song = song_of(reel)
    edits = {e.id: e for e in song.edits}
    placed = {p.id: p for p in song.placed}
    for name in points:
        _point(song, name)
        mark = by_id(song.placed, name)
        if mark is not None:
            as_edit = change(PointEdit(name, mark.time_s, mark.strength, mark.name, mark.locked))
            placed[name] = replace(
                mark,
                time_s=mark.time_s if as_edit.time_s is None else as_edit.time_s,
                strength=mark.strength if as_edit.strength is None else as_edit.strength,
                name=as_edit.name,
                locked=as_edit.locked,
            )
        else:
            edits[name] = change(edits.get(name, PointEdit(name)))
    return _with_song(
        reel,
        edits=_worth_keeping(tuple(edits.values())),
        placed=tuple(sorted(placed.values(), key=lambda p: p.time_s)),
    )


def _worth_keeping(edits: tuple[PointEdit, ...]) -> tuple[PointEdit, ...]:
    return tuple(e for e in edits if e != PointEdit(e.id))


def _untied(reel: Reel, points: set[str]) -> Reel:
    """Return the reel with edges on these points free at their instants and pins to them taken out."""
    if not points:
        return reel
    song = song_of(reel)

    def free(edge: Edge) -> Edge:
        if edge.point is None or edge.point not in points:
            return edge
        return replace(edge, point=None, time_s=_point(song, edge.point).time_s - song.start_s)

    def loose(key: Key) -> Key:
        if key.point is None or key.point not in points:
            return key
        return replace(key, point=None, time_s=_point(song, key.point).time_s)

    def freed(level: Reel) -> Reel:
        clips = tuple(
            with_keys_turned(
                replace(
                    c, start=free(c.start), end=free(c.end), pins=tuple(p for p in c.pins if p.point not in points)
                ),
                loose,
            )
            for c in level.clips
        )
        sounds = with_sounds_turned(level, free)
        return replace(sounds, clips=clips, look_keys=tuple(loose(k) for k in level.look_keys))

    return everywhere(reel, freed)


def with_marks(reel: Reel, marks: Sequence[Mark]) -> Reel:
    """Take points read from a file: beats with their bars are the beats the song is read by, others are placed. Raises TempikError where
    all lie after the song's end, and for a single beat."""
    song = song_of(reel)
    outside = [m for m in marks if m.time_s > song.length_s]
    if outside and len(outside) == len(marks):
        raise TempikError(
            f"All {len(marks)} points lie after the song's end ({song.length_s:.2f} s); is it another song?"
        )
    inside = [m for m in marks if m.time_s <= song.length_s]
    beats = [Beat(m.time_s, m.strength, m.bar, m.beat, m.time_s) for m in inside if m.beat]
    if len(beats) == 1:
        raise TempikError("The file has a single beat; two or more are needed to count by.")
    if beats:
        reel = with_own_beats(reel, beats)
    return with_points(reel, [(m.time_s, m.name) for m in inside if not m.beat])


def marks_on(reel: Reel) -> list[Mark]:
    """Return the points in use that lie on a reel as rows for a file, in seconds of the reel."""
    song = reel.soundtrack
    if song is None:
        return []
    moved = (m._replace(time_s=m.time_s - song.start_s) for m in marks_of(song))
    return [m for m in moved if 0 <= m.time_s < reel.length_s]


def marks_of(song: Soundtrack) -> list[Mark]:
    """Return the points in use as rows for a file, in seconds of the song."""
    return [Mark(p.time_s, p.name, p.bar, 0 if p.part else p.beat, p.strength) for p in points_of(song)]
