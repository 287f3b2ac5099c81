"""Snapping a drag to points, cuts, cues and the playhead."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from tempik.desktop.timeline.axis import View
from tempik.reel import Point
from tempik.time import time_of
from tempik.timeline.timeline import Timeline

REACH_PX = 9.0


class Target(NamedTuple):
    """A frame that a drag may snap to, and what it is called."""

    frame: int
    label: str


class Snap(NamedTuple):
    """By how many frames a drag goes after snapping, and what it snapped to (None: nothing)."""

    frames: int
    target: Target | None


def targets(timeline: Timeline, playhead: int, but: Iterable[str] = ()) -> list[Target]:
    """Return what a drag may snap to: chosen points, cuts of clips that are not dragged, the playhead, the ends."""
    dragged = set(but)
    found = [Target(timeline.frame_of_point(p), f"point {p.label}") for p in timeline.on_reel()]
    known = {t.frame for t in found}
    for placed in timeline.placed:
        if placed.clip.id not in dragged:
            found += [Target(f, "cut") for f in (placed.first, placed.end) if f not in known]
    found += [Target(f, label) for f, label in ((playhead, "playhead"), (0, "start"), (timeline.frames, "end"))]
    return found


def snapped(
    frames: float, marks: Sequence[tuple[float, str]], wanted: Sequence[Target], view: View, rate: float
) -> Snap:
    """Return a drag by `frames`, bent so that one of the dragged `marks` (frame, name) meets a target within reach.

    Points come before other targets that are as near.
    """
    px = view.px_per_s / rate
    best: tuple[float, int, Target, float] | None = None
    for mark, _ in marks:
        for target in wanted:
            away = abs(mark + frames - target.frame) * px
            if away <= REACH_PX:
                rank = (round(away, 3), 0 if target.label.startswith("point") else 1)
                if best is None or rank < best[:2]:
                    best = (*rank, target, mark)
    if best is None:
        return Snap(round(frames), None)
    _, _, target, mark = best
    name = next((n for m, n in marks if m == mark), "")
    label = f"{name} on {target.label}" if name else target.label
    return Snap(round(target.frame - mark), Target(target.frame, label))


def point_near(timeline: Timeline, view: View, x: float, reach_px: float = 1e9) -> Point | None:
    """Return the chosen point nearest to a place across the timeline, within reach."""
    points, time_s = timeline.on_reel(), view.time(x) + timeline.start_s
    at = bisect_left(points, time_s, key=lambda q: q.time_s)
    found = min(points[max(0, at - 1) : at + 1], key=lambda q: abs(q.time_s - time_s), default=None)
    return found if found is not None and abs(view.x(timeline.reel_s(found)) - x) <= reach_px else None


def frame_x(view: View, timeline: Timeline, frame: float) -> float:
    """Return the x of a frame's beginning."""
    return view.x(time_of(int(frame), timeline.rate))
