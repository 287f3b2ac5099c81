"""Framing that follows a subject: which track, to which place of the frame, how calm."""

from __future__ import annotations

from collections.abc import Collection

from msgspec.structs import replace

from tempik.edit.clips.slots import clip_of, with_clips
from tempik.edit.footage.tracking import with_track
from tempik.errors import TempikError
from tempik.reel import Follow, MotionTrack, Reel, by_id
from tempik.reel.clip_settings import FOLLOW_SETTINGS
from tempik.reel.nests import all_clips, all_lanes
from tempik.settings import refuse_outside
from tempik.timeline.following import has_room, track_of
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import Timeline

SHOWN_PLACES = (0.5, 0.45)  # where in the frame a subject is kept, without a wish


def with_follow(reel: Reel, clip: str, track: MotionTrack) -> Reel:
    """Let a clip's framing follow a track, which is kept with its footage; its place and calm stay as they were."""
    record = clip_of(reel, clip)
    reel, name = with_track(reel, record.footage, track)
    follow = replace(record.follow, track=name) if record.follow is not None else Follow(name, *SHOWN_PLACES)
    return without_unused_tracks(with_clips(reel, [replace(record, follow=follow)]))


def with_follow_fields(reel: Reel, clips: Collection[str], **fields: float) -> Reel:
    """Change where subjects are kept in the frame (`x`, `y`, shares of it) and how `calm` the way is, in seconds. Raises TempikError where
    none of the clips follows a subject, and outside the settings' bounds."""
    for name, value in fields.items():
        refuse_outside(FOLLOW_SETTINGS[name], value)
    found = [c for c in (clip_of(reel, name) for name in clips) if c.follow is not None]
    if not found:
        raise TempikError("No selected clip follows a subject; pick one first.")
    return with_clips(reel, [replace(c, follow=replace(c.follow, **fields)) for c in found if c.follow is not None])


def without_follow(reel: Reel, clips: Collection[str]) -> Reel:
    """Let framings stand as they are set."""
    return without_unused_tracks(with_clips(reel, [replace(clip_of(reel, name), follow=None) for name in clips]))


def without_unused_tracks(reel: Reel) -> Reel:
    """Return the reel without the tracks of footage that nothing follows any more."""
    used = {c.follow.track for c in all_clips(reel) if c.follow is not None}
    used |= {m.follow for c in all_clips(reel) for m in c.masks} | {r.follow for r in all_lanes(reel)}
    pieces = tuple(
        f
        if all(t.id in used for t in f.motion_tracks)
        else replace(f, motion_tracks=tuple(t for t in f.motion_tracks if t.id in used))
        for f in reel.footage
    )
    return replace(reel, footage=pieces)


def track_followed(reel: Reel, clip: str) -> MotionTrack | None:
    """Return the track that a clip's framing follows, or None."""
    record = clip_of(reel, clip)
    piece = by_id(reel.footage, record.footage)
    return by_id(piece.motion_tracks, record.follow.track) if piece is not None and record.follow is not None else None


def lost_frames(timeline: Timeline, placed: PlacedClip) -> list[tuple[int, int]]:
    """Return the frames of the reel (first, end) in which the subject that a clip follows was not found."""
    track = track_of(placed)
    if track is None or not track.lost:
        return []
    frames = range(placed.first, placed.end)
    source = source_at_frames(placed, [float(f) for f in frames], timeline.rate)
    out: list[tuple[int, int]] = []
    for frame, at in zip(frames, source.tolist(), strict=True):
        if any(a <= at <= b for a, b in track.lost):
            if out and out[-1][1] == frame:
                out[-1] = (out[-1][0], frame + 1)
            else:
                out.append((frame, frame + 1))
    return out


def message_of_follow(timeline: Timeline, placed: PlacedClip) -> str:
    """Return why following changes nothing that is seen, as a sentence; '' where it does."""
    frames = {placed.first, (placed.first + placed.end) // 2, placed.end - 1}
    if any(has_room(timeline.framing_at(placed, f), placed, timeline.height_ratio) for f in frames):
        return ""
    return f"{placed.footage.name} is seen whole, so following does not move it; zoom in, or let it cover the frame."


def frame_of_loss(timeline: Timeline, placed: PlacedClip) -> int | None:
    """Return the first frame at which a followed subject is lost, None where it never is."""
    lost = lost_frames(timeline, placed)
    return lost[0][0] if lost else None
