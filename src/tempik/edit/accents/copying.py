"""Accent lanes lifted off a reel and laid on another."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from tempik.edit.accents.painting import bar_place
from tempik.errors import TempikError
from tempik.reel import (
    AccentLane,
    Bundle,
    Limit,
    Reel,
    StepOverride,
    by_id,
    new_id,
)
from tempik.timeline.timeline import Timeline, timeline_of


class CopiedLanes(NamedTuple):
    """Lanes lifted off a reel: each with its painted steps by bar, beat and part, so that they fit another song's points;
    and the bundle that they were in, if all were in one."""

    lanes: tuple[AccentLane, ...]
    places: tuple[tuple[tuple[tuple[int, int, str], StepOverride], ...], ...]
    bundle: Bundle | None = None


def copied_lanes(reel: Reel, wanted: Collection[str]) -> CopiedLanes:
    """Return lanes as they are now. Raises TempikError when there are none."""
    evaluated = [f for f in timeline_of(reel).accent_lanes if f.lane.id in wanted]
    if not evaluated:
        raise TempikError("There is no accent lane to copy; choose one first.")
    places = []
    for found in evaluated:
        points = {c.id: c.point for c in found.steps if c.point is not None and c.point.beat}
        places.append(tuple((bar_place(points[p.point]), p) for p in found.lane.overrides if p.point in points))
    names = {f.lane.bundle for f in evaluated}
    bundle = by_id(reel.bundles, next(iter(names))) if len(names) == 1 else None
    return CopiedLanes(tuple(f.lane for f in evaluated), tuple(places), bundle)


def pasted_lanes(reel: Reel, what: CopiedLanes, clips: Sequence[str] = ()) -> tuple[Reel, list[str]]:
    """Add copied lanes; given clips they fire in these only. Painted steps go to the points of the same bar and beat.
    Returns the reel and the new lanes' ids."""
    timeline = timeline_of(reel)
    by_place = {bar_place(p): p.id for p in timeline.points if p.beat}
    made: list[str] = []
    bundle = ""
    if what.bundle is not None:
        bundle = new_id("u", {b.id for b in reel.bundles})
        reel = replace(reel, bundles=(*reel.bundles, replace(what.bundle, id=bundle)))
    known = {c.id for c in reel.clips}
    for lane, places in zip(what.lanes, what.places, strict=True):
        name = new_id("r", {r.id for r in reel.accent_lanes})
        painted = tuple(replace(p, point=by_place[place]) for place, p in places if place in by_place)
        if clips:
            first, end = _span_of(timeline, clips)
            painted = tuple(p for p in painted if first <= _step_frame(timeline, p.point) < end)
        limit = Limit(clips=tuple(clips)) if clips else replace(
            lane.limit, clips=tuple(c for c in lane.limit.clips if c in known)
        )  # fmt: skip
        follow = lane.follow if any(t.id == lane.follow for f in reel.footage for t in f.motion_tracks) else ""
        copy = replace(lane, id=name, overrides=painted, limit=limit, bundle=bundle, follow=follow)
        reel = replace(reel, accent_lanes=(*reel.accent_lanes, copy))
        made.append(name)
    return reel, made


def _span_of(timeline: Timeline, clips: Sequence[str]) -> tuple[int, int]:
    placed = [p for c in clips if (p := timeline.placed_clip(c)) is not None]
    if not placed:
        raise TempikError("Those clips are no longer on the reel.")
    return min(p.first for p in placed), max(p.end for p in placed)


def _step_frame(timeline: Timeline, point: str) -> int:
    found = timeline.point(point)
    return timeline.frame_of_point(found) if found is not None else -1
