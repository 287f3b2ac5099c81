"""Where a draft's clips go: its slots as far as the track is free, beside clips that stay."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

from tempik.edit.clips.slots import edge_at
from tempik.edit.drafting.rhythm import LEAST_S, Slot
from tempik.reel import Edge
from tempik.time import time_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline

# A free stretch of a track, in frames, with what lies right before and right after it.
Free = tuple[int, int, PlacedClip | None, PlacedClip | None]


def around(
    slots: list[Slot], there: list[PlacedClip], timeline: Timeline, first: int, end: int
) -> tuple[list[Slot], dict[int, set[str]]]:
    """Return the slots as far as the track is free, and which pieces lie right beside some of them. A cut that would leave a flicker
    beside what is there is not made."""
    rate = timeline.rate
    least = LEAST_S * float(rate)
    starts = [timeline.edge_frame(s.start) for s in slots]
    out: list[Slot] = []
    beside: dict[int, set[str]] = {}
    for a, b, left, right in _free(there, first, end):
        edges = [_border(timeline, left, a, slots[0].start, first)]
        frames = [a]
        for slot, at in zip(slots, starts, strict=True):
            if a < at < b and at - frames[-1] >= least and b - at >= least:
                edges.append(slot.start)
                frames.append(at)
        edges.append(_border(timeline, right, b, slots[-1].end, end))
        frames.append(b)
        for (x, y), (start, until) in zip(pairwise(edges), pairwise(frames), strict=True):
            whole = slots[max((n for n, at in enumerate(starts) if at <= start), default=0)]
            beats = whole.beats * time_of(until - start, rate) / max(whole.end.time_s - whole.start.time_s, 1e-6)
            same = until - start == timeline.edge_frame(whole.end) - timeline.edge_frame(whole.start)
            role = whole.role if start == timeline.edge_frame(whole.start) else "plain"
            if start == a and left is not None:
                beside.setdefault(len(out), set()).add(left.footage.id)
            if until == b and right is not None:
                beside.setdefault(len(out), set()).add(right.footage.id)
            out.append(whole._replace(start=x, end=y, beats=whole.beats if same else beats, role=role))
    return out, beside


def _free(there: list[PlacedClip], first: int, end: int) -> list[Free]:
    """Return the stretches of a track on which nothing lies (frames), with what lies right before and right after each."""
    out: list[Free] = []
    at, left = first, next((p for p in there if p.end == first), None)
    for placed in there:
        if placed.end <= first or placed.first >= end:
            continue
        if placed.first > at:
            out.append((at, placed.first, left, placed))
        at, left = max(at, placed.end), placed
    if at < end:
        out.append((at, end, left, next((p for p in there if p.first == end), None)))
    return out


def _border(timeline: Timeline, beside: PlacedClip | None, frame: int, outer: Edge, outermost: int) -> Edge:
    """Return the edge of a free stretch: that of the clip beside it, so that they stay together, or of the whole."""
    if beside is not None:
        if beside.end == frame == beside.until:
            return beside.clip.end
        if beside.first == frame == beside.begin:
            return beside.clip.start
    if (
        frame == outermost
        and timeline.edge_frame(outer) == frame
        and (outer.point is not None or frame in (0, timeline.frames))
    ):
        return outer
    return edge_at(timeline, frame)


def shown(there: Iterable[PlacedClip]) -> dict[str, list[float]]:
    """Return which instants of the footage are on the reel, by piece."""
    out: dict[str, list[float]] = {}
    for placed in there:
        cues = {c.id: c.time_s for c in placed.footage.cues}
        times = [cues[p.cue] for p in placed.clip.pins if p.cue in cues] or [placed.map.source_at(0.0)]
        out.setdefault(placed.footage.id, []).extend(times)
    return out
