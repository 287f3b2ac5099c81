"""Where the cues of clips stand on the timeline."""

from __future__ import annotations

from tempik.desktop.timeline.lane import LaneLayout
from tempik.desktop.timeline.lanes.clip_painting import TRACE_H
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline


def cue_bottom(layout: LaneLayout, placed: PlacedClip) -> float:
    """Return where the triangles of a clip's cues stand."""
    return foot_of_cues(layout, placed.clip.track)


def foot_of_cues(layout: LaneLayout, track: int) -> float:
    """Return where the triangles of the cues of a track's clips stand."""
    return layout.picture_top(track) + layout.picture_h(track) - (TRACE_H if layout.picture_h(track) > 80 else 12)


def free_cues(timeline: Timeline, placed: PlacedClip) -> list[tuple[str, float]]:
    """Return the cues that a clip shows and that are tied to nothing, each with the frame (a fraction) it is seen at."""
    tied = {t.cue for t in placed.ties}
    out = []
    for cue in placed.footage.cues:
        if cue.id in tied:
            continue
        for at_s in placed.map.when(cue.time_s):
            frame = placed.begin + at_s * float(timeline.rate)
            if placed.first <= frame < placed.end:
                out.append((cue.id, frame))
    return out
