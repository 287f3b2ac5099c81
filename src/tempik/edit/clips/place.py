"""Placing footage: into every slot between points, one cue on one point, inserted, laid over, or in place of another."""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from typing import Literal, NamedTuple

from msgspec.structs import replace

from tempik.edit.clips.slots import (
    cleared,
    clip_of,
    edge_at,
    in_order,
    new_clip_id,
    opened_up,
    reslotted,
    shifted,
    with_clips,
)
from tempik.errors import TempikError
from tempik.reel import (
    Clip,
    Cue,
    Edge,
    Footage,
    Framing,
    Pin,
    Point,
    Reel,
    VideoTrack,
    by_id,
    new_id,
)
from tempik.reel.validate import MOST_TRACKS
from tempik.retime import constant
from tempik.timeline.timeline import timeline_of

Order = Literal["given", "shuffled", "strongest"]
Mode = Literal["over", "insert"]


def piece_of(reel: Reel, footage: str) -> Footage:
    """Return a piece of footage. Raises TempikError when it is gone, or is the words of titles."""
    piece = by_id(reel.footage, footage)
    if piece is None:
        raise TempikError("That footage is no longer on the reel.")
    if piece.kind == "title":
        raise TempikError("Words are laid as a title (Ctrl+T); choose footage.")
    return piece


def filled(
    reel: Reel,
    footage: Sequence[str],
    order: Order = "given",
    seed: int = 0,
    every: int = 1,
    track: int = 0,
    stretch: tuple[int, int] | None = None,
) -> Reel:
    """Fill every slot between chosen points (every n-th) with the footage in turn, its cues on the slots' points.

    `shuffled` takes the pieces in an order drawn by `seed`, each once before any comes again. `strongest` gives every
    slot's point a cue, the first cue of the first footage to the strongest point. `stretch` is frames, else the reel.
    Raises TempikError without footage, or without a point to cut on.
    """
    if not footage:
        raise TempikError("Select footage to fill the slots with on the Footage page.")
    timeline = timeline_of(reel)
    a, b = stretch or (0, timeline.frames)
    # Of points on one frame the first: a slot between them would have no length.
    by_frame = {timeline.frame_of_point(p): p for p in reversed(timeline.on_reel())}
    points = [by_frame[f] for f in sorted(by_frame) if a <= f < b][:: max(every, 1)]
    if not points:
        raise TempikError("There is no chosen point in that stretch to cut on; choose points on the Rhythm page.")
    edges: list[tuple[Edge, Point | None]] = [(Edge(timeline.reel_s(p), p.id), p) for p in points]
    if timeline.frame_of_point(points[0]) > a:
        edges.insert(0, (edge_at(timeline, a), None))
    ends = [e for e, _ in edges[1:]] + [edge_at(timeline, b)]
    pieces = [piece_of(reel, f) for f in footage]
    chosen = _chosen(pieces, [p for _, p in edges], order, seed)
    reel = cleared(reel, track, a, b)
    made: list[Clip] = []
    for (start, point), end, (piece, cue) in zip(edges, ends, chosen, strict=True):
        name = new_clip_id(reel, made)
        seconds = end.time_s - start.time_s
        fit = _fit(made, piece, cue, seconds)
        pins = (Pin(cue.id, point.id),) if cue is not None and point is not None and fit.pinned else ()
        made.append(Clip(name, piece.id, start, end, fit.source_s, constant(fit.speed), pins, track=track))
    return with_clips(reel, made)


# Slower than this to fill a slot after its cue, a clip rather begins before the cue, which then lands nowhere.
SLOWEST_PINNED = 0.5


class _Fit(NamedTuple):
    source_s: float
    speed: float
    pinned: bool


def _fit(made: Sequence[Clip], piece: Footage, cue: Cue | None, seconds: float) -> _Fit:
    """Return where a slot's footage begins and how fast it plays, so that none of it stands still."""
    if piece.endless:
        return _Fit(0.0, 1.0, False)
    whole_s = piece.length_s / piece.conform_ratio
    if cue is not None:
        speed = min(1.0, (piece.length_s - cue.time_s) / piece.conform_ratio / seconds)
        if speed >= SLOWEST_PINNED:
            return _Fit(cue.time_s, speed, True)
        return _Fit(max(0.0, piece.length_s - seconds * piece.conform_ratio), min(1.0, whole_s / seconds), False)
    speed = min(1.0, whole_s / seconds)
    return _Fit(_unseen(made, piece, seconds * speed), speed, False)


def _chosen(
    pieces: Sequence[Footage], points: Sequence[Point | None], order: Order, seed: int
) -> list[tuple[Footage, Cue | None]]:
    """Return footage and cue for each slot."""
    if order == "strongest":
        hits: list[tuple[Footage, Cue | None]] = [(p, c) for p in pieces for c in p.cues]
        hits = hits or [(p, None) for p in pieces]
        ranked = sorted(range(len(points)), key=lambda i: (-(q.strength if (q := points[i]) else -1.0), i))
        found = {slot: hits[rank % len(hits)] for rank, slot in enumerate(ranked)}
        return [found[i] for i in range(len(points))]
    turns: dict[str, int] = {}
    draw = random.Random(seed)
    out: list[tuple[Footage, Cue | None]] = []
    round_of: list[Footage] = []
    for _ in points:
        if not round_of:
            round_of = list(pieces)
            if order == "shuffled":
                draw.shuffle(round_of)
                if out and len(round_of) > 1 and round_of[0].id == out[-1][0].id:
                    round_of.append(round_of.pop(0))
        piece = round_of.pop(0)
        turn = turns.get(piece.id, 0)
        turns[piece.id] = turn + 1
        out.append((piece, piece.cues[turn % len(piece.cues)] if piece.cues else None))
    return out


def _unseen(made: Sequence[Clip], piece: Footage, seconds: float) -> float:
    """Return where a piece without cues goes on after what has been shown of it, from its beginning when used up."""
    shown = [c.source_s + (c.end.time_s - c.start.time_s) * piece.conform_ratio for c in made if c.footage == piece.id]
    latest = max(shown, default=0.0)
    return latest if latest + seconds * piece.conform_ratio <= piece.length_s or piece.endless else 0.0


def with_clip_on_point(reel: Reel, footage: str, cue: str | None, point: str, track: int = 0) -> Reel:
    """Lay footage so that a cue lands on a point, from the point before it to the point after it.

    Where the footage has less than that on either side, the clip begins later or ends earlier. Without a cue the
    clip begins on the point. What lay there gives way. Raises TempikError where the point is gone or ends the reel.
    """
    piece = piece_of(reel, footage)
    timeline = timeline_of(reel)
    target = timeline.point(point)
    if target is None:
        raise TempikError("That point is no longer there.")
    frame = timeline.frame_of_point(target)
    frames = [timeline.frame_of_point(p) for p in timeline.on_reel()]
    before = max((f for f in frames if f < frame), default=0)
    after = min((f for f in frames if f > frame), default=timeline.frames)
    mark = by_id(piece.cues, cue)
    rate = float(timeline.rate)
    first, end = (before, after) if mark is not None else (frame, after)
    if not piece.endless:
        lead_s = mark.time_s / piece.conform_ratio if mark is not None else 0.0
        tail_s = (piece.length_s - (mark.time_s if mark is not None else 0.0)) / piece.conform_ratio
        first = max(first, frame - int(lead_s * rate + 1e-6))
        end = min(end, frame + max(1, int(tail_s * rate + 1e-6)))
    first, end = max(first, 0), min(end, timeline.frames)
    if end <= first:
        raise TempikError("That point lies at the reel's end; there is no room for a clip.")
    reel = cleared(reel, track, first, end)
    pins = (Pin(mark.id, point),) if mark is not None else ()
    clip = Clip(
        new_clip_id(reel),
        piece.id,
        edge_at(timeline, first),
        edge_at(timeline, end),
        source_s=mark.time_s if mark is not None else 0.0,
        pins=pins,
        track=track,
    )
    return with_clips(reel, [clip])


def with_clip_at(
    reel: Reel, footage: str, frame: int, track: int = 0, mode: Mode = "over", source_s: float = 0.0, frames: int = 0
) -> Reel:
    """Lay footage at a frame, from `source_s` on: over what is there, or inserted, with what follows moved on.

    It is `frames` long, or to the next chosen point a second or more away where 0, and no longer than its footage.
    Raises TempikError outside the reel.
    """
    piece = piece_of(reel, footage)
    timeline = timeline_of(reel)
    rate = float(timeline.rate)
    if not 0 <= frame < timeline.frames:
        raise TempikError("That lies outside the reel.")
    if frames <= 0:
        later = [f for p in timeline.on_reel() if (f := timeline.frame_of_point(p)) >= frame + round(rate)]
        frames = min(later, default=timeline.frames) - frame
    if not piece.endless:
        frames = min(frames, int((piece.length_s - source_s) / piece.conform_ratio * rate + 1e-6))
    frames = max(1, min(frames, timeline.frames - frame))
    reel = opened_up(reel, track, frame, frames) if mode == "insert" else cleared(reel, track, frame, frame + frames)
    timeline = timeline_of(reel)
    clip = Clip(
        new_clip_id(reel),
        piece.id,
        edge_at(timeline, frame),
        edge_at(timeline, frame + frames),
        source_s=source_s,
        track=track,
        framing=framing_for(piece),
    )
    return with_clips(reel, [clip])


def framing_for(piece: Footage) -> Framing:
    """Return how a piece first stands in the frame: filling it, but all of a picture with clear parts is seen."""
    return Framing(fit="contain") if piece.alpha and piece.kind != "title" else Framing()


def with_swapped_footage(reel: Reel, clips: Sequence[str], footage: str) -> Reel:
    """Show other footage in clips; slots, speed, accents and framing stay, and its first cues take over the pins."""
    piece = piece_of(reel, footage)
    changed = []
    for name in clips:
        old = clip_of(reel, name)
        pins = tuple(Pin(c.id, p.point) for c, p in zip(piece.cues, old.pins, strict=False))
        source_s = 0.0 if piece.cues or piece.endless else max(0.0, piece.length_s / 2 - 0.5)
        changed.append(replace(old, footage=footage, pins=pins, source_s=source_s, in_place=False, title=None))
    return with_clips(reel, changed)


def with_solid(
    reel: Reel, frame: int, frames: int, colour: str = "#000000", track: int = 0, insert: bool = True
) -> Reel:
    """Lay a blank or a solid colour for exactly `frames` frames: inserted, as a lead-in, or over what is there."""
    reel, piece = _solid(reel, colour)
    return with_clip_at(reel, piece, frame, track, "insert" if insert else "over", frames=frames)


def _solid(reel: Reel, colour: str) -> tuple[Reel, str]:
    found = next((f.id for f in reel.footage if f.kind == "solid" and f.path.lower() == colour.lower()), None)
    if found is not None:
        return reel, found
    name = new_id("f", {f.id for f in reel.footage})
    piece = Footage(name, colour.lower(), reel.width, reel.height, reel.rate, 1.0, kind="solid")
    return replace(reel, footage=(*reel.footage, piece)), name


def with_freeze(reel: Reel, clip: str, frame: int, frames: int, insert: bool = True) -> Reel:
    """Hold the picture that a clip shows at a frame for exactly `frames` frames from there.

    Inserted, what follows moves on and the clip goes on from the held picture; else the rest of the clip is covered.
    At the clip's end (`frame` its end) its last picture is held.
    Raises TempikError where the playhead is not in the clip, and for less than a frame.
    """
    timeline = timeline_of(reel)
    placed = timeline.placed_clip(clip)
    if placed is None or not placed.first <= frame <= placed.end:
        raise TempikError("The playhead is not in the clip; put it on the frame to hold.")
    if frames < 1:
        raise TempikError("One frame is the least that can be held.")
    shown = min(frame, placed.end - 1)
    source_s = placed.map.source_at((shown - placed.begin) / float(timeline.rate))
    track = placed.clip.track
    reel = opened_up(reel, track, frame, frames) if insert else cleared(reel, track, frame, frame + frames)
    after = timeline_of(reel)
    held = replace(
        placed.clip,
        id=new_clip_id(reel),
        start=edge_at(after, frame),
        end=edge_at(after, frame + frames),
        source_s=source_s,
        curve=constant(0.0),
        part=(0.0, 1.0),
        shaped=None,
        pins=(),
        transition=None,
        leave=None,
    )
    return with_clips(reel, [held])


def with_new_track(reel: Reel) -> Reel:
    """Add a track on top. Raises TempikError beyond MOST_TRACKS."""
    if len(reel.tracks) >= MOST_TRACKS:
        raise TempikError(f"A reel has at most {MOST_TRACKS} tracks.")
    return replace(reel, tracks=(*reel.tracks, VideoTrack()))


def without_track(reel: Reel, track: int) -> Reel:
    """Take a track off. Raises TempikError while clips lie on it, or where it is the only one."""
    used = sum(c.track == track for c in reel.clips)
    if used:
        raise TempikError(f"{used} clip{'s lie' if used > 1 else ' lies'} on track {track + 1}; move them first.")
    if len(reel.tracks) < 2:
        raise TempikError("A reel has at least one track.")
    clips = tuple(replace(c, track=c.track - 1) if c.track > track else c for c in reel.clips)
    return replace(reel, clips=clips, tracks=(*reel.tracks[:track], *reel.tracks[track + 1 :]))


def with_track(reel: Reel, track: int, **changes: bool) -> Reel:
    """Lock, unlock, hide or show a track."""
    tracks = tuple(replace(r, **changes) if n == track else r for n, r in enumerate(reel.tracks))
    return replace(reel, tracks=tracks)


def on_other_track(reel: Reel, clips: Sequence[str], step: int) -> Reel:
    """Move clips to the track above (1) or below (-1); a new track is made on top, what lies in the way gives way. Raises TempikError below
    the first track."""
    timeline = timeline_of(reel)
    for placed in in_order(timeline, clips):
        track = placed.clip.track + step
        if track < 0:
            raise TempikError("There is no track below the first.")
        if track >= len(reel.tracks):
            reel = with_new_track(reel)
        reel = cleared(reel, track, placed.first, placed.end)
        reel = with_clips(reel, [replace(clip_of(reel, placed.clip.id), track=track)])
    return reel


def moved_to(reel: Reel, clips: Sequence[str], frames: int, tracks: int = 0) -> Reel:
    """Move clips along the reel and between tracks, all by as much; what lies where they land gives way."""
    timeline = timeline_of(reel)
    found = in_order(timeline, clips)
    frames = max(frames, -min(p.first for p in found))
    frames = min(frames, timeline.frames - 1 - max(p.first for p in found))
    tracks = max(tracks, -min(p.clip.track for p in found))
    moved = [replace(shifted(timeline, p, frames), track=p.clip.track + tracks) for p in found]
    while max(c.track for c in moved) >= len(reel.tracks):
        reel = with_new_track(reel)
    names = [p.clip.id for p in found]
    reel = with_clips(reel, [], names)
    for placed, clip in zip(found, moved, strict=True):
        reel = cleared(reel, clip.track, placed.first + frames, placed.end + frames, coming=moved)
    place_of = {c.id: n for n, c in enumerate(timeline.reel.clips)}
    everything: list[Clip] = [*reel.clips, *moved]
    everything.sort(key=lambda c: place_of.get(c.id, len(place_of)))
    return replace(reel, clips=tuple(everything))


def changed_clip(reel: Reel, wanted: str, change: Callable[[Clip], Clip]) -> Reel:
    """Return the reel with one of its clips changed. Raises TempikError when it is gone."""
    if by_id(reel.clips, wanted) is None:
        raise TempikError("That clip is no longer on the reel.")
    return replace(reel, clips=tuple(change(c) if c.id == wanted else c for c in reel.clips))


def without_clip(reel: Reel, clip: str) -> Reel:
    """Remove a clip; its neighbour before it runs on over the gap, or the one after it where it was first."""
    timeline = timeline_of(reel)
    gone = timeline.placed_clip(clip)
    reel = replace(reel, clips=tuple(c for c in reel.clips if c.id != clip))
    if gone is None:
        return reel
    track = timeline.tracks[gone.clip.track]
    before = next((p for p in track if p.end == gone.first), None)
    after = next((p for p in track if p.first == gone.end), None)
    if before is not None:
        runs_on = reslotted(timeline, before, before.begin, gone.until, before.clip.start, gone.clip.end)
    elif after is not None:
        runs_on = reslotted(timeline, after, gone.begin, after.until, gone.clip.start, after.clip.end)
    else:
        return reel
    return changed_clip(reel, runs_on.id, lambda c: runs_on)
