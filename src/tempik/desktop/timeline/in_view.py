"""What of the reel lies in view."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence

from tempik.desktop.timeline.axis import View
from tempik.reel import Point
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline


def points_in_view(timeline: Timeline, view: View) -> Sequence[Point]:
    """Return the points on the reel that lie in view, and one more to either side."""
    points, offset = timeline.on_reel(), timeline.start_s
    first = bisect_left(points, view.start_s + offset, key=lambda q: q.time_s)
    end = bisect_right(points, view.end_s + offset, key=lambda q: q.time_s)
    return points[max(0, first - 1) : end + 1]


def clips_in_view(timeline: Timeline, view: View, track: int | None = None) -> list[PlacedClip]:
    """Return the clips of one track, or of all, that lie in view."""
    first, end = view.start_s * float(timeline.rate), view.end_s * float(timeline.rate)
    out: list[PlacedClip] = []
    for lying in timeline.tracks if track is None else (timeline.tracks[track],):
        a = bisect_right(lying, first, key=lambda q: q.end)
        out += lying[a : bisect_left(lying, end, key=lambda q: q.first)]
    return out
