"""How a draft's pictures stand in the frame: the subject where it should be, or gone along with."""

from __future__ import annotations

from collections.abc import Collection, Mapping

import numpy as np
from msgspec.structs import replace

from tempik.edit.clips.place import framing_for
from tempik.media import STEP_S, Course
from tempik.reel import Footage, Framing, Position, Reel
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import Timeline

# Where a subject stands in an upright frame, and what is too little to move the picture for, in shares of the frame.
AIM, LEAST_MOVE = (0.5, 0.45), 0.04
STILL_ZOOM = 1.08
# A picture goes along with what moves from so much of the frame on, on clips of at least so many seconds.
LEAST_FOLLOWED, SHORTEST_FOLLOWED_S, SUBJECT_LOOKS = 0.1, 0.6, 24
FASTEST_FOLLOWED = 0.25  # of the frame a second: faster is a pan of its own, and the picture stands
STILL = 1e-3  # of what moves slower than this, in shares of the width a second, nothing is told


def framed(piece: Footage, place: tuple[float, float], width: int, height: int) -> Framing:
    """Return a framing that brings a place of the picture (shares of its width and height) to where a subject stands, as far as the
    picture reaches; a still moves in slowly."""
    base = framing_for(piece)
    if base.fit != "cover" or piece.as_frame:
        return base
    shown = piece.width / piece.height * height / width  # the picture's shape against the frame's
    wide, height_px = max(shown, 1.0), max(1 / shown, 1.0)  # in shares of the frame
    x, y = (
        float(np.clip((aim - at * size) + (size - 1) / 2, -(size - 1) / 2, (size - 1) / 2))
        for aim, at, size in zip(AIM, place, (wide, height_px), strict=True)
    )
    start = Position(x=x if abs(x) >= LEAST_MOVE else 0.0, y=y if abs(y) >= LEAST_MOVE else 0.0)
    end = replace(start, zoom=STILL_ZOOM) if piece.kind == "still" else None
    return replace(base, start=start, end=end)


def with_subjects(reel: Reel, clips: Collection[str], courses: Mapping[str, Course]) -> Reel:
    """Return the reel with what moves kept in the frame of clips: their picture stands where its middle is over the slot, or goes along
    with it, slowly and straight. `courses` are upright, by the footage's id."""
    timeline = Timeline(reel)
    made = {}
    for placed in timeline.placed:
        course = courses.get(placed.footage.id)
        if placed.clip.id in clips and course is not None and course.x and placed.footage.kind == "video":
            made[placed.clip.id] = replace(placed.clip, framing=_following(placed, course, reel))
    return replace(reel, clips=tuple(made.get(c.id, c) for c in reel.clips))


def _following(placed: PlacedClip, course: Course, reel: Reel) -> Framing:
    frames = np.linspace(placed.begin, placed.until, SUBJECT_LOOKS)
    steps = np.clip(source_at_frames(placed, frames, reel.rate) / STEP_S, 0, len(course.x) - 1).astype(int)
    weights = np.array(course.motion)[steps] + 1e-6
    if weights.max() < STILL:
        return placed.clip.framing
    share = (frames - frames[0]) / max(frames[-1] - frames[0], 1)
    ends = []
    for values in (course.x, course.y):
        at = np.array(values)[steps]
        middle, mean = float(np.average(share, weights=weights)), float(np.average(at, weights=weights))
        spread = float(np.average((share - middle) ** 2, weights=weights))
        slope = float(np.average((share - middle) * (at - mean), weights=weights)) / max(spread, 1e-3)
        ends.append((mean - slope * middle, mean + slope * (1 - middle)))
    (x0, x1), (y0, y1) = ends
    start, end = (framed(placed.footage, place, reel.width, reel.height) for place in ((x0, y0), (x1, y1)))
    far = max(abs(start.start.x - end.start.x), abs(start.start.y - end.start.y))
    seconds = (placed.until - placed.begin) / float(reel.rate)
    if far < LEAST_FOLLOWED or seconds < SHORTEST_FOLLOWED_S or far > FASTEST_FOLLOWED * seconds:
        return framed(placed.footage, ((x0 + x1) / 2, (y0 + y1) / 2), reel.width, reel.height)
    return replace(start, end=end.start, ease="even")
