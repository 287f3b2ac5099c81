"""What every cut rests on: edges at frames, clips given another slot, stretches of a track cleared, closed up or opened.

A frame at which a point lies is that point: an edge put there is tied to it and follows it.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec.structs import replace

from tempik.edit.keying import keyed_along
from tempik.edit.ties import with_tracks_led
from tempik.errors import TempikError
from tempik.reel import Clip, Curve, Edge, Pin, Point, Reel, by_id, new_id
from tempik.reel.nests import all_clips, within_itself
from tempik.time import time_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline, timeline_of

# A tied edge that is moved along with others stays tied when a point lies within this of where it goes.
STAYS_TIED_FRAMES = 1


def edge_at(timeline: Timeline, frame: int, within: int = 0) -> Edge:
    """Return an edge at a frame: on the chosen point that lies there (or nearest `within` frames), else free."""
    return _edge_on(timeline, frame, timeline.point_at(frame, within))


def _edge_on(timeline: Timeline, frame: int, near: Point | None) -> Edge:
    return Edge(time_of(frame, timeline.rate)) if near is None else Edge(timeline.reel_s(near), near.id)


def on_reel(timeline: Timeline, clip: str) -> PlacedClip:
    """Return where a clip lies. Raises TempikError when it has no frames on the reel."""
    placed = timeline.placed_clip(clip)
    if placed is None:
        raise TempikError("That clip has no frames on the reel.")
    return placed


def in_order(timeline: Timeline, clips: Iterable[str]) -> list[PlacedClip]:
    """Return clips by place, those without frames left out. Raises TempikError when none is left."""
    wanted = set(clips)
    found = [p for p in timeline.placed if p.clip.id in wanted]
    if not found:
        raise TempikError("Select a clip first.")
    return sorted(found, key=lambda p: (p.clip.track, p.first))


def reslotted(timeline: Timeline, placed: PlacedClip, begin: int, until: int, start: Edge, end: Edge) -> Clip:
    """Return a clip with another slot in which every frame shows what it showed; pins left outside it are dropped."""
    clip, rate = placed.clip, float(timeline.rate)
    a, b = (float(s) for s in placed.map.share([(begin - placed.begin) / rate, (until - placed.begin) / rate]))
    curve, part = flat(placed.map.curve), (a, b)
    if len(curve.nodes) == 1:
        part = (0.0, 1.0)
    inside = {t.cue for t in placed.ties if begin <= t.frame < until}
    return replace(
        clip,
        start=start,
        end=end,
        curve=curve,
        part=part,
        shaped=None,
        source_s=placed.map.source_at((begin - placed.begin) / rate),
        pins=tuple(p for p in clip.pins if p.cue in inside),
    )


def flat(curve: Curve) -> Curve:
    """Return the curve with one node where it is one speed throughout."""
    if len({n.speed for n in curve.nodes}) == 1:
        return Curve((replace(curve.nodes[0], at=0.0, hold=False, soft_in=0.0, soft_out=0.0),))
    return curve


def trimmed(timeline: Timeline, placed: PlacedClip, begin: int, until: int) -> Clip:
    """Return a clip with another slot; an edge that does not move keeps its tie. Raises TempikError where nothing would be left."""
    if until <= begin:
        raise TempikError("Nothing would be left of the clip; one frame is the least.")
    start = placed.clip.start if begin == placed.begin else edge_at(timeline, begin)
    end = placed.clip.end if until == placed.until else edge_at(timeline, until)
    return reslotted(timeline, placed, begin, until, start, end)


def parted(pieces: Sequence[Clip]) -> list[Clip]:
    """Return the pieces of a clip that is cut: its transition stays with the first, what is over its end with the last."""
    last = len(pieces) - 1
    return [
        p if last == 0 else replace(p, transition=None if n else p.transition, leave=p.leave if n == last else None)
        for n, p in enumerate(pieces)
    ]


def shifted(
    timeline: Timeline,
    placed: PlacedClip,
    frames: int,
    start_within: int = STAYS_TIED_FRAMES,
    end_within: int = STAYS_TIED_FRAMES,
) -> Clip:
    """Return a clip moved along the reel with all it shows. A tie stays one where there is a point to go to.

    `start_within` and `end_within` are how many frames a tied edge may go astray to reach one: 0 where frames count.
    """
    return _moved(timeline, placed, frames, start_within, end_within, Met(timeline))


def shifted_together(timeline: Timeline, track: Sequence[PlacedClip], frames: int, first_within: int) -> list[Clip]:
    """Return clips of a track moved along as one; the first starts within so many frames of where that is."""
    met = Met(timeline)
    within = STAYS_TIED_FRAMES
    return [_moved(timeline, p, frames, within if n else first_within, within, met) for n, p in enumerate(track)]


class Met:
    """Points and edges that were found, by frame and by how far off they may be: where one clip ends, the next begins, and where it
    begins it often is pinned."""

    def __init__(self, timeline: Timeline) -> None:
        self._timeline = timeline
        self._points: dict[tuple[int, int], Point | None] = {}
        self._edges: dict[tuple[int, int], Edge] = {}

    def point(self, frame: int, within: int) -> Point | None:
        """Return the chosen point nearest to a frame, at most `within` frames from it, or None."""
        at = frame, within
        if at not in self._points:
            self._points[at] = self._timeline.point_at(frame, within)
        return self._points[at]

    def edge(self, frame: int, within: int) -> Edge:
        """Return an edge at a frame, tied to the point that lies at most `within` frames from it."""
        edge = self._edges.get((frame, within))
        if edge is None:
            edge = self._edges[frame, within] = _edge_on(self._timeline, frame, self.point(frame, within))
        return edge


def _moved(timeline: Timeline, placed: PlacedClip, frames: int, start_within: int, end_within: int, met: Met) -> Clip:
    clip, ties = placed.clip, placed.ties
    if not frames:
        return clip
    start = met.edge(placed.begin + frames, start_within if clip.start.point is not None else 0)
    end = met.edge(placed.until + frames, end_within if clip.end.point is not None else 0)
    pins = []
    for tie in ties:
        point = met.point(tie.frame + frames, STAYS_TIED_FRAMES)
        if point is not None:
            pins.append(Pin(tie.cue, point.id))
    source_s = placed.map.start_s
    if clip.keys or clip.shapes or clip.shaped is not None or len(pins) < len(ties):
        baked = len(pins) < len(ties) and (len(ties) > 1 or clip.shaped is not None)
        clip = replace(
            with_tracks_led(clip, lambda keys: keyed_along(timeline, keys, frames)),
            curve=flat(placed.map.curve) if baked else clip.curve,
            part=placed.map.part if baked else clip.part,
            shaped=None if baked else clip.shaped,
        )
    return replace(clip, start=start, end=end, source_s=source_s, in_place=False, pins=tuple(pins))


def with_clips(reel: Reel, changed: Sequence[Clip], gone: Iterable[str] = ()) -> Reel:
    """Return the reel with clips changed in place, new ones added at the end and some taken out. Raises TempikError where a nest would lie
    within itself."""
    by_name, out_of_it = {c.id: c for c in changed}, set(gone)
    left = [c for c in reel.clips if c.id not in out_of_it] if out_of_it else reel.clips
    kept = [by_name.pop(c.id, c) for c in left] if by_name else left
    out = replace(reel, clips=(*kept, *by_name.values()))
    if by_name and reel.opened and within_itself(out):
        raise TempikError("A nest cannot lie within itself; close it first.")
    return out


def new_clip_id(reel: Reel, also: Iterable[Clip] = ()) -> str:
    """Return an id that no clip of a reel has, nor any of some others."""
    return new_id("c", {c.id for c in all_clips(reel)} | {c.id for c in also})


def lying_in(timeline: Timeline, track: int, first: int, end: int) -> list[PlacedClip]:
    """Return what lies on a track between two frames, in order; nothing on a track that there is not."""
    tracks = timeline.tracks[track : track + 1]
    return [p for placed in tracks for p in placed if p.first < end and p.end > first and not p.repeated]


def cleared(reel: Reel, track: int, first: int, end: int, but: Iterable[str] = (), coming: Sequence[Clip] = ()) -> Reel:
    """Return the reel with nothing on a track from frame `first` up to `end`: clips are trimmed, split or taken out. Those that are
    `coming` keep their ids: no part of another is called so."""
    timeline = timeline_of(reel)
    changed: list[Clip] = []
    gone: list[str] = []
    kept = set(but)
    for placed in timeline.tracks[track]:
        if placed.clip.id in kept or placed.end <= first or placed.first >= end:
            continue
        before, after = placed.first < first, placed.end > end
        left = [trimmed(timeline, placed, placed.begin, first)] if before else []
        right = [trimmed(timeline, placed, end, placed.until)] if after else []
        for number, piece in enumerate(parted([*left, *right])):
            changed.append(replace(piece, id=new_clip_id(reel, [*changed, *coming])) if number else piece)
        if not before and not after:
            gone.append(placed.clip.id)
    return with_clips(reel, changed, gone)


def rippled(reel: Reel, track: int, from_frame: int, by_frames: int, before: Timeline | None = None) -> Reel:
    """Return the reel with the clips of a track that begin at or after a frame moved along by some frames.

    The first of them lands exactly, so that it meets what it closes up to. `before` is the timeline from which nothing but
    clips ahead of that frame were taken out, where that is known: it need not be worked out anew.
    """
    timeline = before or timeline_of(reel)
    later = [p for p in timeline.tracks[track] if p.begin >= from_frame]
    return with_clips(reel, shifted_together(timeline, later, by_frames, 0))


def opened_up(reel: Reel, track: int, frame: int, frames: int) -> Reel:
    """Return the reel with room for `frames` frames on a track: what is there is split, what follows moves on."""
    timeline = timeline_of(reel)
    across = timeline.clip_at(frame, track)
    if across is not None and not across.repeated and across.first < frame:
        pieces = [trimmed(timeline, across, across.begin, frame), trimmed(timeline, across, frame, across.until)]
        left, right = parted(pieces)
        reel = with_clips(reel, [left, replace(right, id=new_clip_id(reel))])
    return rippled(reel, track, frame, frames)


def keep_locked(before: Reel, after: Reel) -> None:
    """Raises TempikError when a change touches clips of a locked track, or a locked track would be another."""
    locked = {n for n, track in enumerate(before.tracks) if track.locked}
    still = {n for n in locked if n < len(after.tracks) and after.tracks[n].locked}
    if not still or before.clips is after.clips:
        return
    then = {c.id: c for c in before.clips if c.track in still}
    now = {c.id: c for c in after.clips if c.track in still}
    if then != now:
        changed = next(c for name in {*then, *now} if (c := then.get(name) or now[name]) != now.get(name))
        raise TempikError(f"Track {changed.track + 1} is locked; unlock it first.")


def gave_way(before: Reel, after: Reel) -> int:
    """Return how many clips a change took out."""
    return len({c.id for c in before.clips} - {c.id for c in after.clips})


def let_go(before: Reel, after: Reel) -> int:
    """Return how many ties to points a change lost, of pins and beginnings, clips that were taken out left aside."""
    if before.clips is after.clips:
        return 0
    was, lost = {c.id: c for c in before.clips}, 0
    for clip in after.clips:
        old = was.get(clip.id)
        if old is clip:
            continue
        if old is not None:
            lost += len(old.pins) + (old.start.point is not None)
        lost -= len(clip.pins) + (clip.start.point is not None)
    return max(0, lost)


def clip_of(reel: Reel, wanted: str) -> Clip:
    """Return a clip by id. Raises TempikError when it is gone."""
    clip = by_id(reel.clips, wanted)
    if clip is None:
        raise TempikError("That clip is no longer on the reel.")
    return clip
