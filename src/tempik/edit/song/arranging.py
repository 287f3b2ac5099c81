"""The song's arrangement: bars left out, heard again, moved; everything that is tied to the song goes along.

A clip stays where its part of the song is heard. One that reaches over a place where the song is cut is split there, what lies in
bars that are left out goes with them, and what lies in bars that come again comes again.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple, TypeVar

from msgspec.structs import replace

from tempik.edit.clips.trim import with_split
from tempik.edit.reel import song_of
from tempik.edit.ties import with_keys_turned
from tempik.errors import TempikError
from tempik.media.audio import Samples
from tempik.reel import (
    AccentLane,
    Clip,
    Edge,
    Key,
    Limit,
    Pin,
    Reel,
    SoundClip,
    SoundLane,
    Soundtrack,
    StepOverride,
    beats_between,
    new_id,
    point_of,
)
from tempik.reel.arranged import EDGE_S, Renamed, SongOrder, in_order
from tempik.reel.nests import all_clips, everywhere
from tempik.reel.points import points_of
from tempik.rhythm.song_edits import SongEdit, likeness, song_edits
from tempik.time import frame_of
from tempik.timeline.timeline import Timeline, timeline_of

SHORTEST_S = 0.5
# A beat this near to where one was is the same one.
SAME_BEAT_S = 0.01
LEAST_BARS = 3
# How much of a splice is heard, as its cost says.
HARDLY, A_LITTLE = 0.4, 0.75

R = TypeVar("R", AccentLane, SoundLane)


def bar_starts(reel: Reel) -> list[float]:
    """Return where the song's bars begin, in seconds of it."""
    song = song_of(reel)
    return [p.time_s for p in beats_between(song, 0.0, song.length_s) if p.beat == 1]


def bars_between(reel: Reel, from_s: float, to_s: float) -> tuple[float, float]:
    """Return the stretch of whole bars nearest to one, in seconds of the song. Raises TempikError where the song has no bars."""
    end_s = song_of(reel).length_s
    bars = [*[t for t in bar_starts(reel) if t < end_s - EDGE_S], end_s]  # none begins where the song ends
    if len(bars) < 3:
        raise TempikError("No bars were heard in this song to cut it by; tap its beats on the Rhythm page.")
    first = min(bars[:-1], key=lambda t: abs(t - from_s))
    later = [t for t in bars if t > first + EDGE_S]
    return first, min(later, key=lambda t: abs(t - to_s))


def without_bars(reel: Reel, from_s: float, to_s: float) -> Reel:
    """Leave a stretch of whole bars out of the song, nearest to that from one instant of it to another."""
    a, b = bars_between(reel, from_s, to_s)
    return with_order(reel, _tidy(((0.0, a), (b, song_of(reel).length_s))))


def with_bars_again(reel: Reel, from_s: float, to_s: float, times: int = 1) -> Reel:
    """Have a stretch of whole bars heard again after itself, so many times more. Raises TempikError outside 1 to 16 times."""
    if not 1 <= times <= 16:
        raise TempikError("Bars can be heard again 1 to 16 times.")
    a, b = bars_between(reel, from_s, to_s)
    return with_order(reel, _tidy(((0.0, b), *((a, b),) * times, (b, song_of(reel).length_s))))


def with_bars_moved(reel: Reel, from_s: float, to_s: float, before_s: float) -> Reel:
    """Have a stretch of whole bars heard before the bar that begins nearest to an instant, not where it was. Raises TempikError where they
    are there already."""
    a, b = bars_between(reel, from_s, to_s)
    length_s = song_of(reel).length_s
    there = min([*bar_starts(reel), length_s], key=lambda t: abs(t - before_s))
    if a - EDGE_S <= there <= b + EDGE_S:
        raise TempikError("The bars are there already; say before which other bar they should be heard.")
    if there < a:
        return with_order(reel, _tidy(((0.0, there), (a, b), (there, a), (b, length_s))))
    return with_order(reel, _tidy(((0.0, a), (b, there), (a, b), (there, length_s))))


def with_whole_song(reel: Reel) -> Reel:
    """Have the song heard as its file has it. Raises TempikError where it is."""
    song = song_of(reel)
    if not song.pieces or song.whole is None:
        raise TempikError("The song is heard whole already.")
    order = _back(song)
    whole = replace(
        song, heard=song.whole, whole=None, pieces=(), length_s=song.whole.length_s, edits=(), own=(), placed=(),
        choices=tuple(replace(c, first="", from_s=0.0, to_s=None) for c in song.choices[:1]),
        reading=replace(song.reading, anchors=(), one=""),
    )  # fmt: skip
    after = beats_between(whole, 0.0, whole.length_s)
    names: dict[tuple[int, str], str] = {}
    for point in {p.id: p for p in (*points_of(song), *beats_between(song, 0.0, song.length_s))}.values():
        for number in order.numbers(point.time_s):
            there = order.moved(number, point.time_s)
            near = min(after, key=lambda p: abs(p.time_s - there), default=None)
            if near is not None and abs(near.time_s - there) < SAME_BEAT_S:
                names[number, point.id] = near.id
    return _led_over(reel, Renamed(whole, order, names))


def _back(song: Soundtrack) -> SongOrder:
    """Return where the pieces of an arranged song lie in its file; of what comes again the first."""
    stretches: list[tuple[float, float]] = []
    starts: list[float] = []
    at = 0.0
    for piece in song.pieces:
        length_s = piece.to_s - piece.from_s
        if not any(s < piece.to_s and piece.from_s < s + b - a for s, (a, b) in zip(starts, stretches, strict=True)):
            stretches.append((at, at + length_s))
            starts.append(piece.from_s)
        at += length_s
    return SongOrder(tuple(stretches), tuple(starts))


def with_order(reel: Reel, stretches: Sequence[tuple[float, float]], all_of_it: bool = False) -> Reel:
    """Have the song heard as stretches of itself, one after the other; the reel uses of it what it used, or `all_of_it`. Raises
    TempikError where nothing would be left."""
    song = song_of(reel)
    if any(not 0 <= a < b <= song.length_s + EDGE_S for a, b in stretches) or not stretches:
        raise TempikError("Nothing would be left of the song; leave fewer bars out.")
    renamed = in_order(song, SongOrder.of(stretches))
    if renamed.song.length_s < SHORTEST_S:
        raise TempikError("Nothing would be left of the song; leave fewer bars out.")
    return _led_over(reel, renamed, all_of_it)


def _tidy(stretches: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return stretches without those of no length, those that go on as one."""
    out: list[tuple[float, float]] = []
    for a, b in stretches:
        if b - a < EDGE_S:
            continue
        if out and abs(out[-1][1] - a) < EDGE_S:
            out.append((out.pop()[0], b))
        else:
            out.append((a, b))
    return out


def _led_over(reel: Reel, renamed: Renamed, all_of_it: bool = False) -> Reel:
    """Return the reel on its song in another order, with everything that is tied to the song where it is heard now."""
    old, order = song_of(reel), renamed.order
    start_s = 0.0 if all_of_it else order.first(old.start_s)
    end_s = order.length_s if all_of_it else order.last(old.start_s + reel.length_s)
    if renamed.song.pieces == () and old.pieces:
        end_s = min(max(end_s, start_s + SHORTEST_S), renamed.song.length_s)
    if end_s - start_s < SHORTEST_S:
        raise TempikError("Nothing would be left of the reel; leave fewer bars out.")
    lead = _Lead(renamed, old.start_s, start_s)
    rate = reel.rate
    last_frame = timeline_of(reel).frames
    cuts = {frame_of(s - old.start_s, rate) for pair in order.stretches for s in pair}
    split = _split(reel, sorted(c for c in cuts if 0 < c < last_frame))

    def moved(level: Reel) -> Reel:
        timeline = timeline_of(level)
        nested = level.clips is not split.clips
        clips = lead.nested(timeline) if nested else lead.clips(timeline, {c.id for c in all_clips(split)})
        lanes = tuple(lead.lane(r) for r in level.accent_lanes)
        return replace(
            level, clips=clips, accent_lanes=lanes, look_keys=lead.keys(level.look_keys), sound_lanes=tuple(lead.lane(r) for r in level.sound_lanes),
            sound_clips=lead.sound_clips(timeline),
        )  # fmt: skip

    made = everywhere(split, moved)
    return replace(made, soundtrack=replace(renamed.song, start_s=start_s), length_s=end_s - start_s)


def _split(reel: Reel, frames: Sequence[int]) -> Reel:
    """Return the reel with its clips split where the song is cut, as far as any lie there."""
    timeline = timeline_of(reel)
    inside = [f for f in frames if any(p.first < f < p.end for p in timeline.placed)]
    return with_split(reel, inside) if inside else reel


class _Lead:
    """Leads what is tied to a song over to the same song in another order."""

    def __init__(self, renamed: Renamed, old_start_s: float, start_s: float) -> None:
        self.renamed, self.order = renamed, renamed.order
        self.old_start_s, self.start_s = old_start_s, start_s
        self.copies: dict[str, list[str]] = {}  # clips by id, with what they are called where they come again
        self._beats = beats_between(renamed.song, -1.0, renamed.song.length_s + 1.0)
        self._points = {p.id for p in points_of(renamed.song)} | {p.id for p in self._beats}

    def _name(self, number: int, point: str | None) -> str | None:
        """Return what a point is called now; None where it is not heard there, or what is left is too short to have any."""
        name = self.renamed.name(number, point)
        return name if point_of(self.renamed.song, name) is not None else None

    def _edge(self, number: int, song_s: float, point: str | None) -> Edge:
        """Return where an edge of a stretch lies now: on its point, or on the beat that is there now, where it was on one."""
        there = self.order.moved(number, song_s)
        name = self._name(number, point)
        if point is not None and name is None:
            near = min(self._beats, key=lambda p: abs(p.time_s - there), default=None)
            name = near.id if near is not None and abs(near.time_s - there) < SAME_BEAT_S else None
        return Edge(there - self.start_s, name)

    def _clip(self, timeline: Timeline, clip: Clip, number: int) -> Clip:
        begin_s, end_s = (timeline.edge_s(e) + self.old_start_s for e in (clip.start, clip.end))
        pins = tuple(Pin(p.cue, name) for p in clip.pins if (name := self._name(number, p.point)) is not None)
        shaped, again, placed = clip.shaped, clip.repeat, timeline.placed_clip(clip.id)
        if shaped is not None and shaped.point:
            shaped = replace(shaped, point=self._name(number, shaped.point) or "")
        if again is not None:
            again = replace(again, without=tuple(self._name(number, w) or w for w in again.without))
        made = replace(
            clip,
            start=self._edge(number, begin_s, clip.start.point),
            end=self._edge(number, end_s, clip.end.point),
            pins=pins,
            shaped=shaped,
            repeat=again,
            source_s=placed.map.start_s if placed is not None and len(pins) < len(clip.pins) else clip.source_s,
        )
        return with_keys_turned(made, lambda k: self._key(number, k))

    def clips(self, timeline: Timeline, taken: set[str]) -> tuple[Clip, ...]:
        """Return the clips where their parts of the song are heard; those of parts that come again have new names there."""
        out: list[Clip] = []
        for clip in timeline.reel.clips:
            begin_s, end_s = (timeline.edge_s(e) + self.old_start_s for e in (clip.start, clip.end))
            middle_s = (begin_s + end_s) / 2
            for turn, number in enumerate(self.order.numbers(middle_s)):
                made = self._clip(timeline, clip, number)
                if turn:
                    made = replace(made, id=new_id("c", taken), group="")
                    taken.add(made.id)
                self.copies.setdefault(clip.id, []).append(made.id)
                out.append(made)
        return tuple(out)

    def nested(self, timeline: Timeline) -> tuple[Clip, ...]:
        """Return the clips of a nest, each whole where its beginning is heard."""
        out = []
        for clip in timeline.reel.clips:
            begin_s, end_s = (timeline.edge_s(e) + self.old_start_s for e in (clip.start, clip.end))
            numbers = self.order.numbers(begin_s) or self.order.numbers(end_s - EDGE_S) or [0]
            out.append(self._clip(timeline, clip, numbers[0]))
        return tuple(out)

    def _key(self, number: int, key: Key) -> Key:
        return replace(key, time_s=self.order.moved(number, key.time_s), point=self._name(number, key.point))

    def keys(self, keys: tuple[Key, ...]) -> tuple[Key, ...]:
        """Return keys wherever they are heard."""
        song = self.renamed.song
        out = [self._key(n, k) for k in keys for n in self.order.numbers(k.time_s)]
        return tuple(sorted((k for k in out if 0 <= k.time_s <= song.length_s), key=lambda k: k.time_s))

    def lane(self, lane: R) -> R:
        """Return a lane of accents or sounds: what is painted, keyed and limited goes along."""
        painted: dict[str, StepOverride] = {}
        for p in lane.overrides:
            for name in self._cells(p.point):
                painted[name] = replace(p, point=name)
        limit = lane.limit
        clips = tuple(c for name in limit.clips for c in self.copies.get(name, [name]))
        from_s = None if limit.from_s is None else self.order.first(limit.from_s)
        to_s = None if limit.to_s is None else self.order.last(limit.to_s)
        made = replace(lane, overrides=tuple(painted.values()), limit=Limit(clips, from_s, to_s))
        if isinstance(made, AccentLane):
            made = replace(made, keys={name: keys for name, track in made.keys.items() if (keys := self.keys(track))})
        return made

    def _cells(self, cell: str) -> list[str]:
        """Return what a painted step is called wherever it is heard."""
        if "/" not in cell:
            return self.renamed.all_names(cell) or []
        clip, _, part = cell.partition("/")
        return [f"{name}/{part}" for name in self.copies.get(clip, [clip])]

    def sound_clips(self, timeline: Timeline) -> tuple[SoundClip, ...]:
        """Return the clips of sound tracks where their hits are heard."""
        out: list[SoundClip] = []
        taken = {c.id for c in timeline.reel.sound_clips}
        for clip in timeline.reel.sound_clips:
            song_s = timeline.edge_s(clip.at) + self.old_start_s
            for turn, number in enumerate(self.order.numbers(song_s)):
                made = replace(clip, at=self._edge(number, song_s, clip.at.point))
                if turn:
                    made = replace(made, id=new_id("x", taken))
                    taken.add(made.id)
                out.append(made)
        return tuple(out)


class SongEditProposal(NamedTuple):
    """A way to make the song another length, and in a few words how it is done; `heard` is how much the worst splice shows."""

    song_edit: SongEdit
    why: str
    heard: str


def proposals(song: Soundtrack, samples: Samples, rate: int, wanted_s: float, most: int = 3) -> list[SongEditProposal]:
    """Return ways to make a song as long as wanted, to within half a bar, the least heard first; `samples`, shape (count, 1), are
    those of the song as it is arranged now. Raises TempikError where it has no bars to be joined by."""
    if not 2.0 <= wanted_s <= 3600:
        raise TempikError(f"A song of {wanted_s:g} s cannot be made; give 2 to 3600 s.")
    bars = [p.time_s for p in beats_between(song, 0.0, song.length_s) if p.beat == 1]
    if len(bars) < LEAST_BARS:
        raise TempikError("Too few bars were heard in this song to join it by; tap its beats on the Rhythm page.")
    alike = likeness(samples, rate, bars, song.length_s, song.heard.drops if song.heard is not None else ())
    found = song_edits(alike, wanted_s, most)
    if not found:
        raise TempikError(f"No way was found to make this song {wanted_s:g} s long; ask for another length.")
    return [SongEditProposal(song_edit, _why(song, bars, song_edit), _heard(song_edit.cost)) for song_edit in found]


def with_song_edit(reel: Reel, song_edit: SongEdit) -> Reel:
    """Have the song heard as a proposal has it; the reel uses all of it."""
    return with_order(reel, song_edit.stretches, all_of_it=True)


def _heard(cost: float) -> str:
    """Return how much the splices of a song edit are heard, in a word."""
    words = ((HARDLY, "hardly heard"), (A_LITTLE, "heard a little"))
    return next((word for most, word in words if cost < most), "heard")


def _why(song: Soundtrack, bars: Sequence[float], song_edit: SongEdit) -> str:
    """Return which bars follow each other at the splices."""

    def bar(time_s: float) -> int:
        return sum(1 for b in bars if b <= time_s + EDGE_S)

    if not song_edit.splices:
        return "as it is"
    message = ", ".join(f"bar {bar(a - 2 * EDGE_S)} → {bar(b)}" for a, b in song_edit.splices)
    drops = song.heard.drops if song.heard is not None else ()
    kept = any(a - EDGE_S <= drops[0] < b for a, b in song_edit.stretches) if drops else True
    return message + ("" if kept else ", without the drop")
