"""The timeline: everything about a reel that is derived from its records, worked out once.

Frames come from points and the reel's rate; a clip's source start comes from its pin. Whoever shows, plays,
renders or checks a reel asks the timeline, so that all of them agree.
"""

from __future__ import annotations

from bisect import bisect_right
from fractions import Fraction
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.accents import Look, Pulse, look_at, pulses
from tempik.reel import Clip, Edge, Footage, Point, Reel, beats_between, by_id, point_of
from tempik.retime import TimeMap
from tempik.time import frame_of, time_of

Array = NDArray[np.float64]


class Tie(NamedTuple):
    """A pin worked out: the cue's instant in the footage and the reel frame of its point."""

    cue_s: float
    point: Point
    frame: int


class Placed(NamedTuple):
    """A clip on the reel: frames `first` up to, not including, `end`, and its time map from slot to source.

    `begin` is the frame at which its slot starts, earlier than `first` where the reel's start cuts it off.
    """

    clip: Clip
    footage: Footage
    first: int
    end: int
    begin: int
    map: TimeMap
    ties: tuple[Tie, ...]
    short_before_s: float  # reel seconds for which the footage's first frame stands still
    short_after_s: float  # reel seconds for which its last frame does

    @property
    def frames(self) -> int:
        return self.end - self.first


class Timeline:
    """A reel with its frames worked out. Cheap to build; build a new one when the reel changes."""

    def __init__(self, reel: Reel) -> None:
        self.reel = reel
        self.rate = reel.rate
        self.frames = max(0, frame_of(reel.length_s, reel.rate))
        song = reel.soundtrack
        self.points: tuple[Point, ...] = song.points if song else ()
        self._song = song
        self.start_s = song.start_s if song else 0.0
        self._point_frames = {p.id: frame_of(p.time_s - self.start_s, self.rate) for p in self.points}
        self._on_reel = tuple(p for p in self.points if 0 <= self._point_frames[p.id] <= self.frames)
        end_s = self.start_s + time_of(self.frames, self.rate)
        self.beats: tuple[Point, ...] = beats_between(song, self.start_s, end_s) if song else ()
        self._beat_frames = [(frame_of(p.time_s - self.start_s, self.rate), p) for p in self.beats]
        self.placed = self._place()
        self._firsts = [p.first for p in self.placed]
        self.pulses: list[list[Pulse]] = [pulses(row, song, reel.rate, self.frames) for row in reel.rows]

    def point(self, wanted: str | None) -> Point | None:
        """Return the point with that id, chosen or not, or None."""
        return point_of(self._song, wanted) if self._song is not None else None

    def reel_s(self, point: Point) -> float:
        """Return the instant of the reel at which a point sounds."""
        return point.time_s - self.start_s

    def frame_of_point(self, point: Point) -> int:
        """Return the frame of one of this song's points, which may lie outside the reel."""
        frame = self._point_frames.get(point.id)
        return frame_of(point.time_s - self.start_s, self.rate) if frame is None else frame

    def beat_at(self, frame: int) -> Point | None:
        """Return the last beat as read at or before a frame, chosen or not, or None before the first."""
        number = bisect_right(self._beat_frames, frame, key=lambda b: b[0])
        return self._beat_frames[number - 1][1] if number else None

    def edge_s(self, edge: Edge) -> float:
        """Return the instant of the reel at which an edge stands: its point's, or its own when free."""
        point = self.point(edge.point)
        return edge.time_s if point is None else self.reel_s(point)

    def on_reel(self) -> tuple[Point, ...]:
        """Return the points that sound within the reel, in order."""
        return self._on_reel

    def clip_at(self, frame: int) -> Placed | None:
        """Return the clip on screen at a frame, or None where nothing is placed."""
        number = bisect_right(self._firsts, frame) - 1
        if number >= 0 and frame < self.placed[number].end:
            return self.placed[number]
        return None

    def look_at(self, frame: int) -> Look:
        """Return what the accents do to a frame."""
        return look_at(frame, self.pulses, self.rate)

    def gaps(self) -> list[tuple[int, int]]:
        """Return the stretches of the reel (first frame, end) that no clip covers."""
        out, at = [], 0
        for placed in self.placed:
            if placed.first > at:
                out.append((at, placed.first))
            at = max(at, placed.end)
        if at < self.frames:
            out.append((at, self.frames))
        return out

    def _place(self) -> tuple[Placed, ...]:
        spans = []
        for clip in self.reel.clips:
            first = max(0, frame_of(self.edge_s(clip.start), self.rate))
            end = min(self.frames, frame_of(self.edge_s(clip.end), self.rate))
            spans.append((first, end, clip))
        spans.sort(key=lambda s: (s[0], s[1]))
        out = []
        for number, (first, end, clip) in enumerate(spans):
            if number + 1 < len(spans):
                end = min(end, spans[number + 1][0])  # one picture row: the later clip takes over
            footage = by_id(self.reel.footage, clip.footage)
            if end > first and footage is not None:
                out.append(self._placed(clip, footage, first, end))
        return tuple(out)

    def _placed(self, clip: Clip, footage: Footage, first: int, end: int) -> Placed:
        # The curve spans the clip's own edges, not the frames left of it where a neighbour or the reel's end trims.
        begin = frame_of(self.edge_s(clip.start), self.rate)
        length = max(1, frame_of(self.edge_s(clip.end), self.rate) - begin)
        length_s = time_of(length, self.rate)
        ties = []
        for pin in clip.pins:
            point, cue = self.point(pin.point), by_id(footage.cues, pin.cue)
            if point is not None and cue is not None:
                ties.append(Tie(cue.time_s, point, self.frame_of_point(point)))
        source_s = clip.source_s
        if ties:
            offset_s = time_of(ties[0].frame - begin, self.rate)
            source_s = ties[0].cue_s - TimeMap(clip.curve, length_s).source_at(offset_s)
        time_map = TimeMap(clip.curve, length_s, source_s)
        placed = Placed(clip, footage, first, end, begin, time_map, tuple(ties), 0.0, 0.0)
        before, after = _shortage(placed, self.rate)
        return placed._replace(short_before_s=before, short_after_s=after)


def source_at_frames(placed: Placed, frames: Array, rate: Fraction) -> Array:
    """Return the source seconds that a clip asks for at reel frames, which may lie outside its footage."""
    return placed.map.source((np.asarray(frames, dtype=np.float64) - placed.begin) / float(rate))


def _shortage(placed: Placed, rate: Fraction) -> tuple[float, float]:
    """Return for how many reel seconds a clip asks for source before its footage begins, and after it ends."""
    source = source_at_frames(placed, np.arange(placed.first, placed.end, dtype=np.float64), rate)
    slack = min(1e-3, 0.25 / float(placed.footage.rate))
    before = int(np.count_nonzero(source < -slack))
    after = int(np.count_nonzero(source >= placed.footage.length_s + slack))
    return time_of(before, rate), time_of(after, rate)
