"""Where clips leave the reel black, and where they reach over each other."""

from __future__ import annotations

from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline


def gaps(timeline: Timeline) -> list[tuple[int, int]]:
    """Return the stretches of the reel (first frame, end) on which no shown track has a clip."""
    out, at = [], 0
    for placed in timeline.everything:
        if timeline.reel.tracks[placed.clip.track].hidden:
            continue
        if placed.first > at:
            out.append((at, placed.first))
        at = max(at, placed.end)
    if at < timeline.frames:
        out.append((at, timeline.frames))
    return out


def overlaps(timeline: Timeline) -> list[tuple[PlacedClip, PlacedClip]]:
    """Return neighbours of one track of which the earlier runs on under the later, which takes over until they are
    joined: the frames from the later one's first up to the earlier one's own end belong to both."""
    pairs = [(a, b) for track in timeline.tracks for a, b in zip(track, track[1:], strict=False)]
    return [(a, b) for a, b in pairs if a.until > b.first and a.end == b.first]
