"""Changes to the clips of sound tracks, each a pure function that returns the reel changed."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from tempik.edit.sounds.lanes import known_sound, sounded
from tempik.errors import TempikError
from tempik.reel import Edge, Reel, SoundClip, SoundTrack, by_id, new_id
from tempik.timeline.sound_triggers import LaidSound, hit_within, laid_sound, sound_length
from tempik.timeline.timeline import Timeline, timeline_of

SHORTEST_S = 0.01


def sound_clip_of(reel: Reel, wanted: str) -> SoundClip:
    """Return a sound clip by its id. Raises TempikError when it is gone, or its track is locked."""
    clip = by_id(reel.sound_clips, wanted)
    if clip is None:
        raise TempikError("That sound clip is no longer there.")
    track = by_id(reel.sound_tracks, clip.track)
    if track is not None and track.locked:
        raise TempikError("That sound track is locked; unlock it first.")
    return clip


def laid_of(timeline: Timeline, clip: SoundClip) -> LaidSound:
    """Return where a sound clip lies."""
    track = by_id(timeline.reel.sound_tracks, clip.track)
    assert track is not None
    return laid_sound(timeline, clip, track)


def _changed(reel: Reel, clip: SoundClip) -> Reel:
    return sounded(replace(reel, sound_clips=tuple(clip if c.id == clip.id else c for c in reel.sound_clips)))


def with_sound_track(reel: Reel, name: str = "") -> Reel:
    """Add a sound track."""
    track = SoundTrack(new_id("t", {t.id for t in reel.sound_tracks}), name)
    return replace(reel, sound_tracks=(*reel.sound_tracks, track))


def without_sound_track(reel: Reel, track: str) -> Reel:
    """Take a sound track away with what lies on it."""
    tracks = tuple(t for t in reel.sound_tracks if t.id != track)
    return replace(reel, sound_tracks=tracks, sound_clips=tuple(c for c in reel.sound_clips if c.track != track))


def with_track_changed(reel: Reel, track: str, change: Callable[[SoundTrack], SoundTrack]) -> Reel:
    """Return the reel with one of its sound tracks changed."""
    return sounded(replace(reel, sound_tracks=tuple(change(t) if t.id == track else t for t in reel.sound_tracks)))


def with_sound_clip(reel: Reel, sound: str, at: Edge, track: str | None = None) -> Reel:
    """Lay a sound down whole, its hit at an instant or on a point. Without a track it lies on the first that has room there, or on
    a new one."""
    known_sound(reel, sound)
    length_s = max(sound_length(reel, sound), SHORTEST_S)
    clip = SoundClip(new_id("x", {c.id for c in reel.sound_clips}), sound, track or "", at, length_s)
    if track is None:
        reel, clip = _on_free_track(reel, clip)
    return sounded(replace(reel, sound_clips=(*reel.sound_clips, clip)))


def _on_free_track(reel: Reel, clip: SoundClip) -> tuple[Reel, SoundClip]:
    timeline = timeline_of(reel)
    lies = [laid_of(timeline, c) for c in reel.sound_clips]
    for track in reel.sound_tracks:
        laid = laid_sound(timeline, replace(clip, track=track.id), track)
        others = [o for o in lies if o.clip.track == track.id]
        if not track.locked and all(o.end_s <= laid.begin_s or o.begin_s >= laid.end_s for o in others):
            return reel, laid.clip
    reel = with_sound_track(reel)
    return reel, replace(clip, track=reel.sound_tracks[-1].id)


def without_sound_clip(reel: Reel, clip: str) -> Reel:
    """Take a sound clip away. Raises TempikError when it is gone."""
    sound_clip_of(reel, clip)
    return replace(reel, sound_clips=tuple(c for c in reel.sound_clips if c.id != clip))


def with_clip_moved(reel: Reel, clip: str, at: Edge, track: str | None = None) -> Reel:
    """Have a clip's hit sound at an instant or on a point, on the same or another track."""
    old = sound_clip_of(reel, clip)
    return _changed(reel, replace(old, at=at, track=track or old.track))


def with_start_trimmed(reel: Reel, clip: str, begin_s: float) -> Reel:
    """Begin a clip at another instant of the reel; what is heard at every instant stays."""
    old = sound_clip_of(reel, clip)
    laid = laid_of(timeline_of(reel), old)
    by_s = min(begin_s - laid.begin_s, old.length_s - SHORTEST_S)
    if not old.loop:
        by_s = max(by_s, -old.from_s / old.speed)
    from_s = old.from_s + by_s * old.speed
    if old.loop:
        from_s %= max(sound_length(reel, old.sound), SHORTEST_S)
    return _changed(
        reel, _anchored(reel, laid, replace(old, from_s=max(from_s, 0.0), length_s=old.length_s - by_s), by_s)
    )


def with_end_trimmed(reel: Reel, clip: str, end_s: float) -> Reel:
    """End a clip at another instant of the reel, at most where its sound ends unless it goes round."""
    old = sound_clip_of(reel, clip)
    laid = laid_of(timeline_of(reel), old)
    length_s = max(end_s - laid.begin_s, SHORTEST_S)
    if not old.loop:
        length_s = min(length_s, max((sound_length(reel, old.sound) - old.from_s) / old.speed, SHORTEST_S))
    return _changed(reel, _anchored(reel, laid, replace(old, length_s=length_s), 0.0))


def with_slipped(reel: Reel, clip: str, by_s: float) -> Reel:
    """Have a clip, where it lies, play what comes `by_s` seconds of its sound later."""
    old = sound_clip_of(reel, clip)
    laid = laid_of(timeline_of(reel), old)
    most = max(sound_length(reel, old.sound) - old.length_s * old.speed, 0.0)
    from_s = min(max(old.from_s + by_s, 0.0), most)
    return _changed(reel, _placed(reel, replace(old, from_s=from_s), laid.begin_s))


def with_clip_values(reel: Reel, clip: str, **values: Any) -> Reel:
    """Set gain_db, fade_in_s, fade_out_s, speed, preserve_pitch, backward, loop. The clip's hit stays where it sounds; another speed
    makes it shorter or longer. Raises TempikError for what cannot be."""
    old = sound_clip_of(reel, clip)
    laid = laid_of(timeline_of(reel), old)
    made = replace(old, **values)
    if made.speed > 0 and made.speed != old.speed:
        made = replace(made, length_s=max(old.length_s * old.speed / made.speed, SHORTEST_S))
    if made.backward != old.backward and not made.loop:
        whole = sound_length(reel, old.sound)
        made = replace(made, from_s=max(whole - old.from_s - old.length_s * old.speed, 0.0))
    sounded(replace(reel, sound_clips=tuple(made if c.id == clip else c for c in reel.sound_clips)))
    return _changed(reel, _anchored(reel, laid, made, 0.0))


def with_clip_split(reel: Reel, clip: str, at_s: float) -> Reel:
    """Cut a sound clip in two at an instant of the reel. Raises TempikError where it does not lie there."""
    old = sound_clip_of(reel, clip)
    laid = laid_of(timeline_of(reel), old)
    if not laid.begin_s + SHORTEST_S <= at_s <= laid.end_s - SHORTEST_S:
        raise TempikError("The playhead does not stand in that sound clip.")
    reel = with_end_trimmed(reel, clip, at_s)
    begin_s = at_s - laid.begin_s
    later = replace(
        old, id=new_id("x", {c.id for c in reel.sound_clips}), from_s=old.from_s + begin_s * old.speed,
        length_s=old.length_s - begin_s, fade_in_s=0.0,
    )  # fmt: skip
    later = _placed(reel, later, at_s)
    first = replace(sound_clip_of(reel, clip), fade_out_s=0.0)
    clips = tuple(first if c.id == clip else c for c in reel.sound_clips)
    return sounded(replace(reel, sound_clips=(*clips, later)))


def _anchored(reel: Reel, laid: LaidSound, clip: SoundClip, by_s: float) -> SoundClip:
    """Return a trimmed clip tied where it was: its hit stays on its point while it is heard; otherwise the clip is free and begins
    `by_s` later than it did."""
    if laid.hit_s is not None and hit_within(reel, clip) is not None:
        return clip
    return _placed(reel, clip, laid.begin_s + by_s)


def _placed(reel: Reel, clip: SoundClip, begin_s: float) -> SoundClip:
    """Return a clip that begins at an instant of the reel, free of points."""
    return replace(clip, at=Edge(begin_s + (hit_within(reel, clip) or 0.0)))
