"""The timeline: everything about a reel that is derived from its records, worked out once.

Frames come from points and the reel's rate; a clip's source start comes from its pin. Whoever shows, plays,
renders or checks a reel asks the timeline, so that all of them agree.
"""

from __future__ import annotations

import math
import threading
from bisect import bisect_left, bisect_right
from collections import OrderedDict
from collections.abc import Callable, Hashable, Sequence
from fractions import Fraction
from typing import Generic, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from tempik.accents import Fired, Look, Pulse, Scene, Span, fired, look_at
from tempik.accents.pulses import uses_clips
from tempik.edit.framing import covers, frame_matrix
from tempik.reel import (
    AccentRow,
    Clip,
    Curve,
    Edge,
    Footage,
    Point,
    Reel,
    Shaped,
    Soundtrack,
    beats_between,
    by_id,
    point_of,
)
from tempik.retime import Anchors, TimeMap, cut_out, shaped_curve, through
from tempik.time import frame_of, time_of

Array = NDArray[np.float64]
T = TypeVar("T")


class Tie(NamedTuple):
    """A pin worked out: its cue, the cue's instant in the footage, and the reel frame of its point."""

    cue: str
    cue_s: float
    point: Point
    frame: int


class Placed(NamedTuple):
    """A clip on the reel: frames `first` up to, not including, `end`, and its time map from slot to source.

    `begin` and `until` are the frames of its own edges, beyond `first` and `end` where the reel or a later clip cuts it
    off. `ties` are in order of frame. `said` is why a pin cannot be reached. `shape` is the chosen curve over the slot
    where several pins have bent it, None where it is played as it is.
    """

    clip: Clip
    footage: Footage
    first: int
    end: int
    begin: int
    until: int
    map: TimeMap
    ties: tuple[Tie, ...]
    short_before_s: float  # reel seconds for which the footage's first frame stands still
    short_after_s: float  # reel seconds for which its last frame does
    said: str = ""
    shape: Curve | None = None

    @property
    def frames(self) -> int:
        return self.end - self.first

    @property
    def curve(self) -> Curve:
        """The speed over the slot, as a curve of its own."""
        return cut_out(self.map.curve, self.map.part)

    @property
    def chosen(self) -> Curve:
        """The speed over the slot as chosen, before pins bend it."""
        return self.shape or self.curve


class _Sounding(NamedTuple):
    """What a reel of some rate and length takes from its song."""

    song: Soundtrack | None
    frames_of: dict[str, int]  # frame of each chosen point
    by_id: dict[str, Point]
    on_reel: tuple[Point, ...]
    beats: tuple[Point, ...]
    beat_frames: list[int]


class _Memory(Generic[T]):
    """The last results by what they were made of, told by identity: records are frozen, so the same objects mean the
    same result. The objects are held with the result, so that their identities stay theirs."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[tuple[Hashable, ...], tuple[tuple[object, ...], T]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, objects: tuple[object, ...], values: tuple[Hashable, ...], make: Callable[[], T]) -> T:
        key = (*(id(o) for o in objects), *values)
        found = self._kept.get(key)
        if found is not None:
            return found[1]
        made = make()
        with self._lock:
            self._kept[key] = (objects, made)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return made


_SOUNDING: _Memory[_Sounding] = _Memory(8)
_PLACED: _Memory[Placed] = _Memory(6000)
_FIRED: _Memory[Fired] = _Memory(200)


class Timeline:
    """A reel with its frames worked out. Cheap to build anew for each state of a reel: what earlier states share with
    it is remembered."""

    def __init__(self, reel: Reel) -> None:
        self.reel = reel
        self.rate = reel.rate
        self.frames = max(0, frame_of(reel.length_s, reel.rate))
        song = reel.soundtrack
        self._song = song
        self.points: tuple[Point, ...] = song.points if song else ()
        self.start_s = song.start_s if song else 0.0
        when = (reel.rate, self.frames)
        sounding = _SOUNDING.get((song,), when, self._sounding)
        self._point_frames, self._on_reel = sounding.frames_of, sounding.on_reel
        self._by_id = sounding.by_id
        self.beats, self._beat_frames = sounding.beats, sounding.beat_frames
        self._footage = {f.id: f for f in reel.footage}
        self.rows: list[tuple[Placed, ...]] = [self._place(number) for number in range(len(reel.picture))]
        self._firsts = [[p.first for p in row] for row in self.rows]
        everything = [p for row in self.rows for p in row]
        self.placed: tuple[Placed, ...] = tuple(sorted(everything, key=lambda p: (p.first, p.clip.row)))
        self._by_clip = {p.clip.id: p for p in self.placed}
        self.tall = reel.height / reel.width
        self._spans: tuple[Span, ...] | None = None
        gains = {b.id: b.amount for b in reel.bundles}
        solo = any(r.solo for r in reel.rows)
        self.fired: list[Fired] = [
            self._fired(r, gains.get(r.bundle, 1.0) * reel.amount, r.muted or (solo and not r.solo)) for r in reel.rows
        ]

    @property
    def pulses(self) -> list[list[Pulse]]:
        """The pulses of each accent row, in order of frame; those of muted rows too."""
        return [f.pulses for f in self.fired]

    @property
    def scene(self) -> Scene:
        """What the accents' rules fire on."""
        if self._spans is None:
            self._spans = tuple(self._span(p) for p in self.placed if self.shows(p, p.first))
        return Scene(self._song, self.rate, self.frames, self.tall, self._spans)

    def _span(self, placed: Placed) -> Span:
        clip = placed.clip
        ties = tuple((t.cue, t.point, t.frame) for t in placed.ties)
        return Span(
            clip.id,
            placed.first,
            placed.end,
            placed.first > 0,
            self.point(clip.start.point),
            self.point(clip.end.point),
            ties,
        )

    def _fired(self, row: AccentRow, gain: float, silent: bool) -> Fired:
        if uses_clips(row):
            scene, objects = self.scene, (row, self._song, *self.placed)
        else:
            scene, objects = Scene(self._song, self.rate, self.frames, self.tall), (row, self._song)
        values = (self.rate, self.frames, self.tall, gain, silent)
        return _FIRED.get(objects, values, lambda: fired(row, scene, gain, silent))

    def _sounding(self) -> _Sounding:
        song = self._song
        frames_of = {p.id: frame_of(p.time_s - self.start_s, self.rate) for p in self.points}
        on_reel = tuple(p for p in self.points if 0 <= frames_of[p.id] <= self.frames)
        end_s = self.start_s + time_of(self.frames, self.rate)
        beats = beats_between(song, self.start_s, end_s) if song else ()
        by_name = {p.id: p for p in self.points}
        return _Sounding(
            song, frames_of, by_name, on_reel, beats, [frame_of(p.time_s - self.start_s, self.rate) for p in beats]
        )

    def placed_clip(self, wanted: str | None) -> Placed | None:
        """Return where a clip lies, or None when it has no frame on the reel."""
        return self._by_clip.get(wanted or "")

    def point(self, wanted: str | None) -> Point | None:
        """Return the point with that id, chosen or not, or None."""
        chosen = self._by_id.get(wanted or "")
        if chosen is not None:
            return chosen
        return point_of(self._song, wanted) if self._song is not None else None

    def reel_s(self, point: Point) -> float:
        """Return the instant of the reel at which a point sounds."""
        return point.time_s - self.start_s

    def frame_of_point(self, point: Point) -> int:
        """Return the frame of one of this song's points, which may lie outside the reel."""
        frame = self._point_frames.get(point.id)
        return frame_of(point.time_s - self.start_s, self.rate) if frame is None else frame

    def point_at(self, frame: int, within: int = 0) -> Point | None:
        """Return the chosen point whose frame is nearest to a frame, at most `within` away; of two the stronger."""
        number = bisect_left(self._on_reel, frame - within, key=self.frame_of_point)
        near = []
        while number < len(self._on_reel) and self.frame_of_point(self._on_reel[number]) <= frame + within:
            near.append(self._on_reel[number])
            number += 1
        return min(near, key=lambda p: (abs(self.frame_of_point(p) - frame), -p.strength), default=None)

    def beat_at(self, frame: int) -> Point | None:
        """Return the last beat as read at or before a frame, chosen or not, or None before the first."""
        number = bisect_right(self._beat_frames, frame)
        return self.beats[number - 1] if number else None

    def edge_s(self, edge: Edge) -> float:
        """Return the instant of the reel at which an edge stands: its point's, or its own when free."""
        point = self.point(edge.point)
        return edge.time_s if point is None else self.reel_s(point)

    def on_reel(self) -> tuple[Point, ...]:
        """Return the points that sound within the reel, in order."""
        return self._on_reel

    def clip_at(self, frame: int, row: int | None = None) -> Placed | None:
        """Return the uppermost shown clip at a frame, or the clip of one picture row; None where nothing is placed."""
        if row is not None:
            number = bisect_right(self._firsts[row], frame) - 1
            if number >= 0 and frame < self.rows[row][number].end:
                return self.rows[row][number]
            return None
        return next(reversed(self.clips_at(frame)), None)

    def clips_at(self, frame: int) -> list[Placed]:
        """Return the clips on screen at a frame, the lowest first; those that another covers wholly are left out."""
        out: list[Placed] = []
        for number in range(len(self.rows) - 1, -1, -1):
            if self.reel.picture[number].hidden:
                continue
            placed = self.clip_at(frame, number)
            if placed is not None:
                out.append(placed)
                if covers(placed.clip.framing, placed.footage, self.reel, self.slot_share(placed, frame)):
                    break
        out.reverse()
        return out

    def slot_share(self, placed: Placed, frame: float) -> float:
        """Return how far into its slot a clip is at a frame, 0 at its first frame and 1 at its last."""
        return min(max((frame - placed.begin) / max(placed.until - placed.begin - 1, 1), 0.0), 1.0)

    def shows(self, placed: Placed, frame: int) -> bool:
        """Tell whether a clip is on screen at a frame: its row is shown and nothing covers it there."""
        return any(p is placed for p in self.clips_at(frame))

    def look_at(self, frame: float, without: str | None = None) -> Look:
        """Return what the accents do to a frame, a fraction within a shutter's opening; `without` leaves one row out."""
        rows = self.fired if without is None else [f for f in self.fired if f.row.id != without]
        return look_at(frame, rows, self.rate, self.tall, self.focus_at)

    def focus_at(self, found: Fired, frame: float) -> tuple[float, float]:
        """Return where a row's focus is, from the frame's middle in shares of its width: where its tracked patch is seen
        on the clip there, else where it was put."""
        row = found.row
        if row.follow:
            place = self._tracked(row.follow, frame)
            if place is not None:
                return place
        x, y = (row.settings.get(name, 0.5) for name in ("focus_x", "focus_y"))
        return float(x) - 0.5, (float(y) - 0.5) * self.tall

    def _tracked(self, wanted: str, frame: float) -> tuple[float, float] | None:
        placed = self.clip_at(min(max(math.floor(frame), 0), max(self.frames - 1, 0)))
        track = by_id(placed.footage.tracks, wanted) if placed is not None else None
        if placed is None or track is None:
            return None
        source = float(source_at_frames(placed, [frame], self.rate)[0])
        x, y = (float(np.interp(source, track.times_s, values)) for values in (track.xs, track.ys))
        matrix = frame_matrix(placed.clip.framing, placed.footage, 1, self.tall, self.slot_share(placed, frame))
        seen = matrix @ np.array([x, y, 1.0])
        return float(seen[0]) - 0.5, float(seen[1]) - self.tall / 2

    def gaps(self) -> list[tuple[int, int]]:
        """Return the stretches of the reel (first frame, end) on which no shown row has a clip."""
        out, at = [], 0
        for placed in self.placed:
            if self.reel.picture[placed.clip.row].hidden:
                continue
            if placed.first > at:
                out.append((at, placed.first))
            at = max(at, placed.end)
        if at < self.frames:
            out.append((at, self.frames))
        return out

    def _place(self, row: int) -> tuple[Placed, ...]:
        spans = []
        for clip in self.reel.clips:
            if clip.row == row:
                begin, until = self._edge_frame(clip.start), self._edge_frame(clip.end)
                if min(until, self.frames) > max(begin, 0):
                    spans.append((begin, until, clip))
        spans.sort(key=lambda s: (s[0], s[1]))
        out = []
        for number, (begin, until, clip) in enumerate(spans):
            end = min(self.frames, until)
            if number + 1 < len(spans):
                end = min(end, spans[number + 1][0])  # within a row the later clip takes over
            first = max(0, begin)
            piece = self._footage.get(clip.footage)
            if end > first and piece is not None:
                out.append(self._placed(clip, piece, first, end, begin, until))
        return tuple(out)

    def _edge_frame(self, edge: Edge) -> int:
        known = self._point_frames.get(edge.point) if edge.point is not None else None
        return frame_of(self.edge_s(edge), self.rate) if known is None else known

    def _placed(self, clip: Clip, footage: Footage, first: int, end: int, begin: int, until: int) -> Placed:
        ties, said = self._ties(clip, footage)
        grounds = self._grounds(clip.shaped, begin, until) if clip.shaped is not None else ()
        return _PLACED.get(
            (clip, footage, *(t.point for t in ties)),
            (first, end, begin, until, self.rate, *(t.frame for t in ties), *grounds),
            lambda: self._worked_out(clip, footage, (first, end, begin, until), ties, said, grounds),
        )

    def _grounds(self, shaped: Shaped, begin: int, until: int) -> tuple[int, ...]:
        """Return the frames of the points that a clip's shape is laid on."""
        if shaped.align == "every":
            first = bisect_right(self._on_reel, begin, key=self.frame_of_point)
            end = bisect_left(self._on_reel, until, key=self.frame_of_point)
            return tuple(self.frame_of_point(p) for p in self._on_reel[first:end])
        point = self.point(shaped.point) if shaped.align == "point" else None
        return (self.frame_of_point(point),) if point is not None else ()

    def _worked_out(
        self,
        clip: Clip,
        footage: Footage,
        slot: tuple[int, int, int, int],
        ties: tuple[Tie, ...],
        said: str,
        grounds: tuple[int, ...],
    ) -> Placed:
        first, end, begin, until = slot
        # The curve spans the clip's own edges, not the frames left of it where a neighbour or the reel's end trims.
        length_s = time_of(max(1, until - begin), self.rate)
        source_s = clip.source_s
        if clip.shaped is not None:
            frames = max(1, until - begin)
            inside = [(f - begin) / frames for f in grounds]
            pin = (ties[0].frame - begin) / frames if ties else None
            curve = shaped_curve(clip.shaped, Anchors(inside[0] if inside else None, pin, inside))
            shape = TimeMap(curve, length_s, 0.0, (0.0, 1.0), footage.pace)
        else:
            shape = TimeMap(clip.curve, length_s, 0.0, clip.part, footage.pace)
        chosen = None
        if len(ties) > 1:
            chosen = cut_out(shape.curve, shape.part)
            wanted = [(time_of(t.frame - begin, self.rate), t.cue_s) for t in ties]
            bent, trouble = through(shape, wanted)
            said = said or trouble
            shape = TimeMap(bent, length_s, 0.0, (0.0, 1.0), footage.pace)
        if ties:
            # A cue that can be seen decides; of those outside the slot the nearest before it.
            held = next((t for t in ties if t.frame >= begin), ties[-1])
            source_s = held.cue_s - shape.source_at(time_of(held.frame - begin, self.rate))
        time_map = TimeMap(shape.curve, length_s, source_s, shape.part, footage.pace)
        placed = Placed(clip, footage, first, end, begin, until, time_map, ties, 0.0, 0.0, said, chosen)
        before, after = _shortage(placed, self.rate)
        return placed._replace(short_before_s=before, short_after_s=after)

    def _ties(self, clip: Clip, footage: Footage) -> tuple[tuple[Tie, ...], str]:
        """Return the clip's pins in order of frame; of two on one frame the first is kept, and said."""
        if not clip.pins:
            return (), ""
        ties: dict[int, Tie] = {}
        said = ""
        for pin in clip.pins:
            point, cue = self.point(pin.point), by_id(footage.cues, pin.cue)
            if point is None or cue is None:
                continue
            frame = self.frame_of_point(point)
            if frame in ties:
                said = f"two of its cues are pinned to frame {frame}: only one can be on screen there"
                continue
            ties[frame] = Tie(cue.id, cue.time_s, point, frame)
        return tuple(ties[f] for f in sorted(ties)), said


def clean_floor(footage: Footage, rate: Fraction) -> float:
    """Return the slowest speed at which every frame of a reel still shows another picture; 0 for stills."""
    return 0.0 if footage.endless else float(rate / footage.true_rate)


def repeats_most(placed: Placed, rate: Fraction) -> int:
    """Return how often a clip shows one frame at its slowest, 1 where every frame shows another picture or frames in
    between are made; 0 where the picture stands still."""
    floor, slowest = clean_floor(placed.footage, rate), placed.map.slowest
    if not floor or slowest >= floor * 0.999:
        return 1
    return math.ceil(floor / slowest - 1e-3) if slowest > 1e-3 else 0


def floor_text(footage: Footage, rate: Fraction) -> str:
    """Return the slowest clean speed in words; '' for stills."""
    floor = clean_floor(footage, rate)
    if not floor:
        return ""
    return f"clean down to {floor * 100:.0f} %" if floor <= 1.0005 else f"clean from {floor * 100:.0f} % up"


def source_at_frames(placed: Placed, frames: Array | Sequence[float], rate: Fraction) -> Array:
    """Return the source seconds that a clip asks for at reel frames, which may lie outside its footage unless it goes
    round."""
    source = placed.map.source((np.asarray(frames, dtype=np.float64) - placed.begin) / float(rate))
    return np.mod(source, placed.footage.length_s) if placed.clip.beyond == "loop" else source


def _shortage(placed: Placed, rate: Fraction) -> tuple[float, float]:
    """Return for how many reel seconds a clip asks for source before its footage begins, and after it ends."""
    if placed.footage.endless or placed.clip.beyond == "loop":
        return 0.0, 0.0
    slack = min(1e-3, 0.25 / float(placed.footage.rate))
    source = source_at_frames(placed, np.array([placed.first, placed.end - 1.0]), rate)
    length_s = placed.footage.length_s
    turns = placed.map.turns()
    if not turns and -slack <= source.min() and source.max() < length_s + slack:
        return 0.0, 0.0  # between its ends a map without turns stays between their instants
    source = source_at_frames(placed, np.arange(placed.first, placed.end, dtype=np.float64), rate)
    before = int(np.count_nonzero(source < -slack))
    after = int(np.count_nonzero(source >= length_s + slack))
    return time_of(before, rate), time_of(after, rate)
