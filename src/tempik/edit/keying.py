"""Keys: values set by hand at frames, which go with the point that lies there."""

from __future__ import annotations

from tempik.reel import Key, point_of
from tempik.reel.lanes import KeyEase
from tempik.time import frame_of, time_of
from tempik.timeline.timeline import Timeline

Keys = tuple[Key, ...]


def frame_of_key(timeline: Timeline, key: Key) -> int:
    """Return the frame at which a key stands: its point's, or its own."""
    song = timeline.reel.soundtrack
    point = point_of(song, key.point) if song is not None and key.point is not None else None
    return frame_of((point.time_s if point is not None else key.time_s) - timeline.start_s, timeline.rate)


def keyed_with(
    timeline: Timeline, keys: Keys, frame: int, value: float, ease: KeyEase = "soft", within: int = 0
) -> Keys:
    """Return keys with one more, in place of one that stands there. On a point's frame, or `within` some frames of one,
    it goes with the point."""
    point = timeline.point_at(frame, within)
    key = Key(time_of(frame, timeline.rate) + timeline.start_s, value, point.id if point is not None else None, ease)
    where = timeline.frame_of_point(point) if point is not None else frame
    others = keyed_without(timeline, keys, where)
    return tuple(sorted((*others, key), key=lambda k: frame_of_key(timeline, k)))


def keyed_without(timeline: Timeline, keys: Keys, frame: int) -> Keys:
    """Return keys without the one that stands at a frame."""
    return tuple(k for k in keys if frame_of_key(timeline, k) != frame)


def keyed_along(timeline: Timeline, keys: Keys, frames: int) -> Keys:
    """Return keys moved along the reel. One that was on a point stays on one where there is one, a frame away at most."""
    out: Keys = ()
    for key in keys:
        to = frame_of_key(timeline, key) + frames
        out = keyed_with(timeline, out, to, key.value, key.ease, 1 if key.point is not None else 0)
    return out
