"""What is looped while one works on it."""

from __future__ import annotations

from tempik.desktop.session.document import Project
from tempik.timeline.timeline import Timeline


def worked_on(project: Project) -> int:
    """Return the frame of what is worked on: a selected transition's turn, a clip's start where the playhead is elsewhere, else the
    playhead's."""
    timeline, selection, frame = project.timeline, project.selection, project.playhead.frame
    place = selection.transition_place
    found = timeline.transition_of(place.clip, place.end) if place is not None else None
    if found is not None:
        return found.turn
    placed = selection.placed
    if placed is not None and not placed.first <= frame < placed.end:
        return placed.first
    return frame


def two_beats(timeline: Timeline, about: int) -> tuple[int, int] | None:
    """Return the frames (first, end) from the beat before the one nearest to a frame to the beat after it; a second without beats."""
    beats = sorted({f for p in timeline.beats if 0 <= (f := timeline.frame_of_point(p)) < timeline.frames})
    if len(beats) > 2:
        n = min(range(len(beats)), key=lambda i: abs(beats[i] - about))
        n = min(max(n, 1), len(beats) - 2)
        return beats[n - 1], beats[n + 1]
    half = max(1, round(float(timeline.rate) / 2))
    first, end = max(0, about - half), min(timeline.frames, about + half)
    return (first, end) if end > first else None
