"""Another song under the same edit: what was tied to a beat of the old one is tied to the same beat of the new one.

Beats are counted from the first downbeat of the reel, so bar 3 of the edit stays bar 3, longer or shorter as the new
song's bars are. What stood between beats keeps its share of the beat.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from tempik.edit.draft import LONGEST_S
from tempik.edit.reel import source_start
from tempik.edit.sounds.ties import with_sounds_turned
from tempik.edit.ties import with_keys_turned
from tempik.reel import (
    AccentLane,
    Clip,
    Edge,
    Key,
    Limit,
    Pin,
    Point,
    Reel,
    Soundtrack,
    StepOverride,
    beats_between,
)
from tempik.reel.nests import all_clips, everywhere
from tempik.time import frame_of
from tempik.timeline.timeline import Timeline, timeline_of

LEAST_BEATS = 4


class _Count:
    """A song's beats counted from a first downbeat, as a scale between seconds of the song and counts."""

    def __init__(self, beats: Sequence[Point], first: int) -> None:
        self.times = np.array([b.time_s for b in beats])
        self.counts = np.arange(len(beats), dtype=np.float64) - first
        self.ids = {b.id: n - first for n, b in enumerate(beats)}
        self.by_count = {n - first: b for n, b in enumerate(beats)}

    def count(self, time_s: float) -> float:
        return _carried(time_s, self.times, self.counts)

    def time(self, count: float) -> float:
        return _carried(count, self.counts, self.times)


def _carried(x: float, xs: NDArray[np.float64], ys: NDArray[np.float64]) -> float:
    """Interpolate, and carry on beyond both ends as the last step goes."""
    if x < xs[0]:
        return float(ys[0] + (x - xs[0]) * (ys[1] - ys[0]) / (xs[1] - xs[0]))
    if x > xs[-1]:
        return float(ys[-1] + (x - xs[-1]) * (ys[-1] - ys[-2]) / (xs[-1] - xs[-2]))
    return float(np.interp(x, xs, ys))


class _Carry(NamedTuple):
    """A reel on its way to another song: what was counted from the old song's first downbeat sounds where the new one's
    count says."""

    timeline: Timeline
    old_start_s: float
    before: _Count
    after: _Count
    start_s: float
    length_s: float

    def point(self, wanted: str | None) -> str | None:
        """The point of the new song for one of the old."""
        found = self.timeline.point(wanted)
        if found is None:
            return None
        count = self.before.count(found.time_s)
        beat = self.after.by_count.get(round(count))
        return beat.id if beat is not None and abs(count - round(count)) < 0.02 else None

    def song_s(self, time_s: float) -> float:
        return self.after.time(self.before.count(time_s))

    def reel_s(self, time_s: float) -> float:
        return min(max(self.song_s(time_s + self.old_start_s) - self.start_s, 0.0), self.length_s)

    def edge(self, e: Edge) -> Edge:
        return Edge(self.reel_s(self.timeline.edge_s(e)), self.point(e.point))

    def clip(self, c: Clip) -> Clip:
        pins = tuple(Pin(p.cue, found) for p in c.pins if (found := self.point(p.point)) is not None)
        placed = self.timeline.placed_clip(c.id)
        source_s = placed.map.start_s if placed is not None else c.source_s
        shaped = c.shaped
        if shaped is not None and shaped.point:
            shaped = replace(shaped, point=self.point(shaped.point) or "")
        made = replace(c, start=self.edge(c.start), end=self.edge(c.end), pins=pins, source_s=source_s, shaped=shaped)
        return with_keys_turned(made, self.key)

    def key(self, k: Key) -> Key:
        point = self.timeline.point(k.point)
        return Key(self.song_s(point.time_s if point is not None else k.time_s), k.value, self.point(k.point), k.ease)

    def cell(self, name: str) -> str:
        return (name if "/" in name else self.point(name)) or name

    def limit(self, limit: Limit) -> Limit:
        return Limit(
            limit.clips,
            None if limit.from_s is None else self.song_s(limit.from_s),
            None if limit.to_s is None else self.song_s(limit.to_s),
        )

    def lane(self, r: AccentLane) -> AccentLane:
        painted = tuple(StepOverride(self.cell(p.point), p.strength, p.settings) for p in r.overrides)
        keys = {n: tuple(self.key(k) for k in track) for n, track in r.keys.items()}
        return replace(r, overrides=painted, keys=keys, limit=self.limit(r.limit))


def carried_over(reel: Reel, song: Soundtrack) -> Reel | None:
    """Return the reel on another song with its ties carried over by beat, or None where one of the songs has too few
    beats to count by."""
    old = reel.soundtrack
    if old is None or not any(all_clips(reel)):
        return None
    before = beats_between(old, 0.0, old.length_s)
    after = beats_between(song, 0.0, song.length_s)
    if min(len(before), len(after)) < LEAST_BEATS:
        return None
    first_old = next((i for i, b in enumerate(before) if b.beat == 1 and b.time_s >= old.start_s - 1e-6), None)
    if first_old is None:
        return None
    a = _Count(before, first_old)
    lead = -a.count(old.start_s)  # beats of the reel before its first downbeat
    # The new song begins on a downbeat that leaves as much before it.
    first_new = next((i for i, b in enumerate(after) if b.beat == 1 and _Count(after, i).time(-lead) >= 0), None)
    if first_new is None:
        return None
    b = _Count(after, first_new)
    start_s = max(0.0, b.time(-lead))
    end_s = b.time(a.count(old.start_s + reel.length_s))
    length_s = min(end_s, song.length_s) - start_s
    if length_s <= 0.5:
        return None

    made = replace(song, start_s=start_s, gain_db=old.gain_db, fade_in_s=old.fade_in_s, fade_out_s=old.fade_out_s)

    def carried(level: Reel) -> Reel:
        timeline = timeline_of(level)
        carry = _Carry(timeline, old.start_s, a, b, start_s, length_s)
        clips = tuple(carry.clip(c) for c in level.clips)
        last = max(timeline.frames - 1, 0)
        clips = tuple(
            replace(c, end=Edge(length_s)) if c.end.point is None and _ran_to_end(timeline, o, last) else c
            for c, o in zip(clips, level.clips, strict=True)
        )
        look_keys = tuple(carry.key(k) for k in level.look_keys)
        sounds = with_sounds_turned(level, carry.edge, carry.cell, carry.limit)
        return replace(
            sounds, clips=clips, accent_lanes=tuple(carry.lane(r) for r in level.accent_lanes), look_keys=look_keys
        )

    return replace(everywhere(reel, carried), soundtrack=made, length_s=length_s)


def _ran_to_end(timeline: Timeline, clip: Clip, last: int) -> bool:
    return frame_of(timeline.edge_s(clip.end), timeline.rate) > last


def with_song(reel: Reel, song: Soundtrack) -> Reel:
    """Set the song. What was tied to the former song's beats is tied to the same beats of this one, counted from the
    reel's first downbeat; where there are no beats to count by, clips keep their instants, untied."""
    made = carried_over(reel, song)
    if made is not None:
        return made
    length_s = min(reel.length_s or LONGEST_S, song.length_s)
    loose = everywhere(reel, lambda level: _untied(level, song))
    return replace(loose, soundtrack=song, length_s=length_s)


def _untied(reel: Reel, song: Soundtrack) -> Reel:
    """Return a reel with its clips free where they stand, for a song without the points that they were tied to."""
    timeline = timeline_of(reel)

    def loose(key: Key) -> Key:
        point = timeline.point(key.point)
        at = point.time_s if point is not None else key.time_s
        return replace(key, point=None, time_s=at - timeline.start_s + song.start_s)

    clips = tuple(
        replace(
            with_keys_turned(c, loose),
            start=replace(c.start, point=None, time_s=timeline.edge_s(c.start)),
            end=replace(c.end, point=None, time_s=timeline.edge_s(c.end)),
            source_s=source_start(timeline, c),
            pins=(),
        )
        for c in reel.clips
    )
    sounds = with_sounds_turned(reel, lambda e: replace(e, point=None, time_s=timeline.edge_s(e)))
    return replace(sounds, clips=clips, look_keys=tuple(loose(k) for k in reel.look_keys))
