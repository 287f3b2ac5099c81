"""Trimming by counted frames: split, remove before and after, exact lengths, roll, slip, slide.

What stays on screen shows what it showed. Every function raises TempikError, with a sentence, where there is nothing
to trim or a neighbour is in the way.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Literal

from msgspec.structs import replace

from tempik.edit.clips.slots import (
    edge_at,
    in_order,
    new_clip_id,
    on_reel,
    parted,
    reslotted,
    rippled,
    shifted,
    trimmed,
    with_clips,
)
from tempik.errors import TempikError
from tempik.reel import Clip, Reel
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline, timeline_of

Side = Literal["start", "end"]


def with_split(reel: Reel, frames: Iterable[int], clips: Iterable[str] | None = None) -> Reel:
    """Split clips at frames: the named ones, or all that lie there. Raises TempikError when there is none."""
    timeline = timeline_of(reel)
    named = None if clips is None else set(clips)
    cuts = sorted(set(frames))
    out: list[Clip] = []
    for placed in timeline.placed:
        if named is not None and placed.clip.id not in named:
            continue
        inside = [f for f in cuts if placed.first < f < placed.end]
        if not inside:
            continue
        ends = [placed.begin, *inside, placed.until]
        pieces = [trimmed(timeline, placed, a, b) for a, b in zip(ends, ends[1:], strict=False)]
        for number, piece in enumerate(parted(pieces)):
            out.append(replace(piece, id=new_clip_id(reel, out)) if number else piece)
    if not out:
        raise TempikError("There is no clip to split here; put the playhead inside one.")
    return with_clips(reel, out)


def with_split_at_points(
    reel: Reel, clips: Iterable[str] | None = None, every: int = 1, stretch: tuple[int, int] | None = None
) -> Reel:
    """Split clips at every n-th chosen point, of the whole reel or of a stretch of frames. Raises TempikError where there is no point inside."""
    timeline = timeline_of(reel)
    a, b = stretch or (0, timeline.frames)
    frames = [f for p in timeline.on_reel() if a <= (f := timeline.frame_of_point(p)) <= b]
    if not frames:
        raise TempikError("There is no point to split at here; choose points on the Rhythm page.")
    return with_split(reel, frames[:: max(every, 1)], clips)


def without_before(reel: Reel, clip: str, frame: int, ripple: bool) -> Reel:
    """Remove what is before a frame in a clip; with `ripple` the clip and what follows close up, else a gap stays."""
    timeline = timeline_of(reel)
    placed = _across(timeline, clip, frame)
    reel = with_clips(reel, [trimmed(timeline, placed, frame, placed.until)])
    return rippled(reel, placed.clip.track, frame, placed.first - frame) if ripple else reel


def without_after(reel: Reel, clip: str, frame: int, ripple: bool) -> Reel:
    """Remove what is at and after a frame in a clip; with `ripple` what follows closes up, else a gap stays."""
    timeline = timeline_of(reel)
    placed = _across(timeline, clip, frame)
    reel = with_clips(reel, [trimmed(timeline, placed, placed.begin, frame)])
    return rippled(reel, placed.clip.track, placed.end, frame - placed.end) if ripple else reel


def _across(timeline: Timeline, clip: str, frame: int) -> PlacedClip:
    placed = on_reel(timeline, clip)
    if not placed.first < frame < placed.end:
        raise TempikError("The playhead is not inside the clip; put it where the clip should be cut off.")
    return placed


def without_clips(reel: Reel, clips: Iterable[str], ripple: bool = False) -> Reel:
    """Take clips out; with `ripple` what follows closes up, else a gap stays."""
    timeline = timeline_of(reel)
    found = in_order(timeline, clips)
    reel = with_clips(reel, [], [p.clip.id for p in found])
    if ripple:
        for number, placed in enumerate(reversed(found)):
            reel = rippled(reel, placed.clip.track, placed.end, -placed.frames, None if number else timeline)
    return reel


def with_length(reel: Reel, clips: Iterable[str], frames: int, ripple: bool = True) -> Reel:
    """Set clips to exactly `frames` frames each, counted from their starts; with `ripple` what follows closes up. Raises TempikError for
    less than a frame."""
    if frames < 1:
        raise TempikError("One frame is the least a clip can have.")
    for name in [p.clip.id for p in in_order(timeline_of(reel), clips)]:
        reel = _with_end(reel, name, lambda timeline, placed: placed.begin + frames, ripple)
    return reel


def with_beats(reel: Reel, clips: Iterable[str], beats: int, ripple: bool = True) -> Reel:
    """Set clips to end exactly `beats` beats after they begin; what follows closes up, each cut on its own beat. Raises TempikError for
    less than a beat."""
    if beats < 1:
        raise TempikError("One beat is the least that can be asked for.")
    for name in [p.clip.id for p in in_order(timeline_of(reel), clips)]:
        reel = _with_end(reel, name, lambda timeline, placed: _beat_after(timeline, placed.begin, beats), ripple)
    return reel


def _beat_after(timeline: Timeline, frame: int, beats: int) -> int:
    """Return the frame that lies so many beats after a frame: on a beat where it begins on one, else as far on."""
    frames = [timeline.frame_of_point(p) for p in timeline.beats]
    on = next((i for i, f in enumerate(frames) if abs(f - frame) <= 1), None)
    if on is not None and on + beats < len(frames):
        return frames[on + beats]
    if len(frames) < 2:
        raise TempikError("The song has no beats to count by; give the length in frames.")
    return frame + max(1, round(beats * (frames[-1] - frames[0]) / (len(frames) - 1)))


def _with_end(reel: Reel, clip: str, end: Callable[[Timeline, PlacedClip], int], ripple: bool) -> Reel:
    timeline = timeline_of(reel)
    placed = timeline.placed_clip(clip)
    if placed is None:
        return reel  # it was pushed past the reel's end
    until = end(timeline, placed)
    old = placed.end
    later = timeline.tracks[placed.clip.track]
    following = next((p for p in later if p.begin >= placed.end), None)
    closes_up = following is not None and following.begin == placed.end
    changed = replace(trimmed(timeline, placed, placed.begin, until), end=edge_at(timeline, until))
    reel = with_clips(reel, [changed])
    if ripple:
        return rippled(reel, placed.clip.track, old, until - old)
    if following is not None and closes_up and until > following.begin:
        return with_clips(reel, [trimmed(timeline, following, until, following.until)])
    return reel


def with_moved_edge(reel: Reel, clip: str, side: Side, frame: int, ripple: bool = False) -> Reel:
    """Move one edge of a clip; with `ripple` what follows moves along, else a gap opens or the neighbour is covered.

    A neighbour never shows through: it is trimmed to where the clip now begins or ends. Raises TempikError where the neighbour would be gone.
    """
    timeline = timeline_of(reel)
    placed = on_reel(timeline, clip)
    track = placed.clip.track
    if side == "end":
        frame = max(frame, placed.first + 1)
        changed = trimmed(timeline, placed, placed.begin, frame)
        if ripple:
            return rippled(with_clips(reel, [changed]), track, placed.end, frame - placed.end)
    else:
        frame = min(max(frame, 0), placed.end - 1)
        changed = trimmed(timeline, placed, frame, placed.until)
        if ripple:
            reel = rippled(with_clips(reel, [changed]), track, placed.end, placed.first - frame)
            timeline = timeline_of(reel)
            return with_clips(reel, [shifted(timeline, on_reel(timeline, clip), placed.first - frame)])
    others = []
    for other in timeline.tracks[track]:
        if other is placed:
            continue
        if side == "end" and placed.first < other.first < frame:
            if other.until <= frame:
                raise TempikError("The next clip would be gone; trim no further than its last frame.")
            others.append(trimmed(timeline, other, frame, other.until))
        if side == "start" and other.first < placed.first and other.end > frame:
            if other.begin >= frame:
                raise TempikError("The clip before would be gone; trim no further than its first frame.")
            others.append(trimmed(timeline, other, other.begin, frame))
    return with_clips(reel, [changed, *others])


def with_rolled_cut(reel: Reel, left: str, right: str, frame: int) -> Reel:
    """Move the cut between two neighbours; both show what they showed."""
    timeline = timeline_of(reel)
    a, b = on_reel(timeline, left), on_reel(timeline, right)
    frame = min(max(frame, a.first + 1), b.end - 1)
    return with_clips(reel, [trimmed(timeline, a, a.begin, frame), trimmed(timeline, b, frame, b.until)])


def with_slid(reel: Reel, clip: str, frames: int) -> Reel:
    """Move a clip's slot between its neighbours, which give way; it goes on showing the same footage."""
    timeline = timeline_of(reel)
    placed = on_reel(timeline, clip)
    track = list(timeline.tracks[placed.clip.track])
    at = track.index(placed)
    before = track[at - 1] if at > 0 and track[at - 1].end == placed.first else None
    after = track[at + 1] if at + 1 < len(track) and track[at + 1].first == placed.end else None
    least = before.first + 1 - placed.first if before else (track[at - 1].end if at else 0) - placed.first
    last_end = after.end - 1 if after else track[at + 1].first if at + 1 < len(track) else timeline.frames
    frames = min(max(frames, least), last_end - placed.end)
    exact = 0 if before or after else 1
    changed = [shifted(timeline, placed, frames, exact, exact)]
    now = placed.first + frames, placed.end + frames
    if before is not None:
        changed.append(trimmed(timeline, before, before.begin, now[0]))
    if after is not None:
        changed.append(trimmed(timeline, after, now[1], after.until))
    return with_clips(reel, changed)


def with_slipped(reel: Reel, clips: Sequence[str], source_s: float) -> Reel:
    """Show footage that lies `source_s` later in the same slots; a pinned clip is untied from its point. Raises TempikError for a still."""
    timeline = timeline_of(reel)
    changed = []
    for placed in in_order(timeline, clips):
        if placed.footage.endless:
            raise TempikError("A still has no other frames to slip to.")
        same = reslotted(timeline, placed, placed.begin, placed.until, placed.clip.start, placed.clip.end)
        low, high = _reach(placed)
        by = min(max(source_s, min(-low, 0.0)), max(placed.footage.length_s - 1e-3 - high, 0.0))
        changed.append(replace(same, pins=(), source_s=same.source_s + by, in_place=False))
    return with_clips(reel, changed)


def _reach(placed: PlacedClip) -> tuple[float, float]:
    """Return the earliest and latest source instants that a clip shows."""
    times = [0.0, *placed.map.turns(), placed.map.length_s]
    seen = [placed.map.source_at(t) for t in times]
    return min(seen), max(seen)
