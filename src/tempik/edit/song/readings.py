"""The readings that were heard of a song: as found, and its rivals. Taking another, or hearing the song anew, leads
everything that was tied to a beat over to the nearest of the new ones."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable
from typing import NamedTuple

from msgspec.structs import replace

from tempik.edit.reel import song_of
from tempik.edit.sounds.ties import sound_ties, with_sounds_turned
from tempik.edit.ties import keys_of, with_keys_turned
from tempik.errors import TempikError
from tempik.reel import Edge, Key, Point, PointEdit, Reading, Reel, Soundtrack, beats_between, is_beat, new_id, point_of
from tempik.reel.arranged import SongOrder, analysis_in_order
from tempik.reel.nests import all_clips, all_lanes, everywhere, nests_of
from tempik.reel.points import FOUND
from tempik.rhythm.records import Analysis, BarReading, Beat

SAME_S = 0.06  # a hand edit goes with a new beat as near as this


class HeardReading(NamedTuple):
    """One reading of a song's beats: 0 as found, 1 and 2 its rivals; beats a minute, beats in a bar, how likely it is
    the right one (0 to 1), and where its beats and downbeats are."""

    number: int
    tempo_bpm: float
    metre: int
    belief: float
    times_s: tuple[float, ...]
    downbeats_s: tuple[float, ...]


def readings_of(song: Soundtrack) -> tuple[HeardReading, ...]:
    """Return the readings that were heard of a song, as found first; none where there are no beats."""
    heard = song.heard
    if heard is None or not heard.beats:
        return ()
    found = [(heard.tempo_bpm, heard.metre, heard.confidence, heard.beats)]
    found += [(r.tempo_bpm, r.metre, r.belief, r.beats) for r in heard.rivals]
    return tuple(
        HeardReading(
            n, tempo, metre, belief, tuple(b.time_s for b in beats), tuple(b.time_s for b in beats if b.beat == 1)
        )
        for n, (tempo, metre, belief, beats) in enumerate(found)
    )


class HeardBars(NamedTuple):
    """One way to count the bars of the beats in use: 0 as found, then others; beats in a bar, how likely it is the right one (0 to 1)
    if the beats are, and where its bars begin."""

    number: int
    metre: int
    belief: float
    downbeats_s: tuple[float, ...]


def bars_of(song: Soundtrack) -> tuple[HeardBars, ...]:
    """Return the ways to count bars that were heard of the beats in use, as found first; none where the beats are the user's own, or
    are shifted, halved or doubled."""
    reading = song.reading
    if reading.beat_source == "own" or reading.tempo_factor != 1 or reading.late:
        return ()
    beats, bars = _heard_of(song)
    out = []
    for n, bar in enumerate(bars):
        starts = [b for b in beats if b.beat == 1] if n == 0 else beats[bar.first % bar.metre :: bar.metre]
        out.append(HeardBars(n, bar.metre, bar.belief, tuple(b.time_s for b in starts)))
    return tuple(out)


def bars_in_use(song: Soundtrack) -> int:
    """Return which of `bars_of` is in use; -1 where bars are counted in a way of the user's own."""
    reading = song.reading
    if not reading.metre and not reading.one:
        return 0
    same = (
        n
        for n, b in enumerate(_heard_of(song)[1])
        if n and (b.metre, _one_of(song, b.first)) == (reading.metre, reading.one)
    )
    return next(same, -1)


def _heard_of(song: Soundtrack) -> tuple[tuple[Beat, ...], tuple[BarReading, ...]]:
    """Return the beats of the reading in use as they were heard, and the ways to count their bars."""
    heard, number = song.heard, song.reading.rival
    if heard is None:
        return (), ()
    one = heard.rivals[number - 1] if 0 < number <= len(heard.rivals) else heard
    return one.beats, one.bars


def _one_of(song: Soundtrack, first: int) -> str:
    return f"{FOUND[song.reading.rival]}{first}"


def with_bars_heard(reel: Reel, number: int) -> Reel:
    """Count bars another way that was heard of the beats in use: 0 as found. No beat moves. Raises TempikError where there is no such way."""
    song = song_of(reel)
    ways = bars_of(song)
    if not 0 <= number < len(ways):
        message = f"{len(ways)} ways were heard" if ways else "none was heard for these beats"
        raise TempikError(
            f"There is no way {number + 1} to count the song's bars: {message}; a bar can begin on any beat by hand (1)."
        )
    way = _heard_of(song)[1][number]
    metre, one = (way.metre, _one_of(song, way.first)) if number else (0, "")
    return replace(reel, soundtrack=replace(song, reading=replace(song.reading, metre=metre, one=one)))


def with_reading_heard(reel: Reel, number: int) -> Reel:
    """Read the song another way that was heard: 0 as found, 1 or 2 a rival. Shifts, halvings and anchors of the former
    reading go; what was tied to a beat is tied to the nearest. Raises TempikError where there is no such reading."""
    song = song_of(reel)
    count = len(readings_of(song))
    if not 0 <= number < max(count, 1):
        message = f"{count} readings were" if count > 1 else "one reading was" if count else "no beat was"
        raise TempikError(f"The song has no reading {number + 1}: {message} heard in it.")
    return _carried(reel, replace(song, reading=Reading(rival=number)))


def heard_anew(reel: Reel, heard: Analysis) -> Reel:
    """Take a new analysis of the same song. Names, locks and moves made by hand go with the beats that are where they
    were, or stay as points placed by hand; what was tied to a beat is tied to the nearest."""
    song = song_of(reel)
    if song.pieces:
        order = SongOrder.of([(p.from_s, p.to_s) for p in song.pieces])
        fresh = replace(song, whole=heard, heard=analysis_in_order(heard, order), reading=Reading(), edits=())
    else:
        fresh = replace(song, heard=heard, reading=Reading(), edits=(), length_s=max(song.length_s, heard.length_s))
    beats = beats_between(fresh, -1.0, fresh.length_s + 1.0)
    edits: dict[str, PointEdit] = {}
    placed = list(song.placed)
    for edit in song.edits:
        old = point_of(song, edit.id)
        if old is None or not (is_beat(edit.id) or edit.id.startswith("o")):
            continue
        near = min(beats, key=lambda b: abs(b.time_s - old.time_s), default=None)
        if near is not None and is_beat(edit.id) and abs(near.time_s - old.time_s) < SAME_S:
            edits[near.id] = replace(edit, id=near.id)
        elif not edit.gone:
            placed.append(
                Point(
                    new_id("h", {p.id for p in placed}),
                    old.time_s,
                    old.strength,
                    kind="hand",
                    name=old.name,
                    locked=old.locked,
                )
            )
    placed.sort(key=lambda p: p.time_s)
    return _carried(reel, replace(fresh, edits=tuple(edits.values()), placed=tuple(placed)))


def _carried(reel: Reel, song: Soundtrack) -> Reel:
    """Return the reel with its song read anew and every tie to a beat led to the nearest beat of the new reading; of a
    new analysis, every tie to an onset to the nearest of its onsets."""
    before = song_of(reel)
    beats = [(b.time_s, b.id) for b in beats_between(song, -1.0, song.length_s + 1.0)]
    onsets = [(o.time_s, f"o{i}") for i, o in enumerate(song.heard.onsets)] if song.heard else []
    anew = song.heard is not before.heard

    # Every tie is led over by one map in which no two lead to the same place, so neither slots nor pins fall together;
    # a tie whose nearest beat another is nearer to keeps its own point.
    led: dict[str, str] = {}
    wanted: list[tuple[float, str, str]] = []
    for point in _ties(reel):
        among = beats if is_beat(point) else onsets if anew and point.startswith("o") else []
        found = point_of(before, point) if among else None
        if found is not None:
            at = bisect_left(among, (found.time_s, ""))
            time_s, name = min(among[max(0, at - 1) : at + 1], key=lambda b: abs(b[0] - found.time_s))
            wanted.append((abs(time_s - found.time_s), point, name))
    taken: set[str] = set()
    for _, point, name in sorted(wanted):
        if name not in taken:
            taken.add(name)
            led[point] = name

    if anew and beats:
        # The old names mean other beats now: what finds none of its own is held by a point placed by hand.
        placed = list(song.placed)
        for _, point, _ in sorted(wanted):
            old = None if point in led else point_of(before, point)
            if old is not None:
                led[point] = new_id("h", {p.id for p in placed})
                placed.append(Point(led[point], old.time_s, old.strength, kind="hand", name=old.name))
        song = replace(song, placed=tuple(sorted(placed, key=lambda p: p.time_s)))

    def to(point: str) -> str:
        return led.get(point, point)

    choices = tuple(replace(c, first=to(c.first)) for c in song.choices)
    read = replace(reel, soundtrack=replace(song, choices=choices))
    carried = everywhere(read, lambda level: _retied(level, to))
    return carried if beats else everywhere(carried, lambda level: _freed(level, before))


def _ties(reel: Reel) -> set[str]:
    """Return every point that a clip, an accent lane or a choice is tied to."""
    ties = {c.first for c in song_of(reel).choices}
    for clip in all_clips(reel):
        ties |= {e.point for e in (clip.start, clip.end) if e.point} | {p.point for p in clip.pins}
        ties |= {clip.shaped.point} if clip.shaped is not None else set()
        ties |= {k.point for k in keys_of(clip) if k.point}
        ties |= set(clip.repeat.without) if clip.repeat is not None else set()
    for footage in nests_of(reel):
        ties |= (
            {e.point for e in (footage.nest.start, footage.nest.end) if e.point} if footage.nest is not None else set()
        )
    for lane in all_lanes(reel):
        ties |= {p.point for p in lane.overrides} | {k.point for ks in lane.keys.values() for k in ks if k.point}
    ties |= {k.point for k in reel.look_keys if k.point} | sound_ties(reel)
    return ties - {"", None}


def _freed(reel: Reel, before: Soundtrack) -> Reel:
    """Return the reel with the edges that have no beat any more standing where they stood, and pins to them gone."""
    song = song_of(reel)

    def edge(e: Edge) -> Edge:
        if e.point is None or point_of(song, e.point) is not None:
            return e
        was = point_of(before, e.point)
        return Edge(was.time_s - before.start_s if was is not None else e.time_s)

    def loose(key: Key) -> Key:
        if key.point is None or point_of(song, key.point) is not None:
            return key
        was = point_of(before, key.point)
        return replace(key, point=None, time_s=was.time_s if was is not None else key.time_s)

    clips = tuple(
        replace(
            with_keys_turned(c, loose),
            start=edge(c.start),
            end=edge(c.end),
            pins=tuple(p for p in c.pins if point_of(song, p.point) is not None),
        )
        for c in reel.clips
    )
    freed = with_sounds_turned(reel, edge)
    return replace(freed, clips=clips, look_keys=tuple(loose(k) for k in reel.look_keys))


def _retied(reel: Reel, to: Callable[[str], str]) -> Reel:
    """Return the reel with every tie of its clips and accent lanes to a point led over by `to`."""

    def edge(e: Edge) -> Edge:
        return e if e.point is None else replace(e, point=to(e.point))

    clips = []
    for clip in reel.clips:
        pins = tuple(replace(p, point=to(p.point)) for p in clip.pins)
        shaped = clip.shaped
        if shaped is not None and shaped.point:
            shaped = replace(shaped, point=to(shaped.point))
        again = clip.repeat
        if again is not None:
            again = replace(again, without=tuple(to(name) for name in again.without))
        made = replace(clip, start=edge(clip.start), end=edge(clip.end), pins=pins, shaped=shaped, repeat=again)
        clips.append(with_keys_turned(made, lambda k: replace(k, point=to(k.point)) if k.point else k))
    lanes = []
    for lane in reel.accent_lanes:
        painted = {to(p.point): replace(p, point=to(p.point)) for p in lane.overrides}
        keys = {
            n: tuple(replace(k, point=to(k.point) if k.point else k.point) for k in ks) for n, ks in lane.keys.items()
        }
        lanes.append(replace(lane, overrides=tuple(painted.values()), keys=keys))
    look_keys = tuple(replace(k, point=to(k.point)) if k.point else k for k in reel.look_keys)
    return replace(
        with_sounds_turned(reel, edge, to), clips=tuple(clips), accent_lanes=tuple(lanes), look_keys=look_keys
    )
