"""Pins: any cue of a clip tied to any point, several on one clip, and what would mend one that cannot be reached."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import NamedTuple

from msgspec.structs import replace

from tempik.edit.clips.slots import clip_of, on_reel, trimmed, with_clips
from tempik.edit.footage.cues import with_cue
from tempik.edit.speed.speed import times
from tempik.errors import TempikError
from tempik.reel import Clip, Pin, Reel, by_id
from tempik.time import time_of
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import Timeline, timeline_of


def with_pin(reel: Reel, clip: str, cue: str, point: str, also: bool = False) -> Reel:
    """Tie a cue of the clip's footage to a point; with `also` beside the pins it has, else in place of them. Raises TempikError
    where one of them is gone."""
    record = clip_of(reel, clip)
    _both_there(reel, record, cue, point)
    others = tuple(p for p in record.pins if p.cue != cue and p.point != point) if also else ()
    return with_clips(reel, [replace(record, pins=(*others, Pin(cue, point)))])


def with_moved_pin(reel: Reel, clip: str, cue: str, point: str) -> Reel:
    """Tie one of the clip's pinned cues to another point; a pin already there gives way. Raises TempikError where one of them is
    gone."""
    record = clip_of(reel, clip)
    _both_there(reel, record, cue, point)
    pins = tuple(
        replace(p, point=point) if p.cue == cue else p for p in record.pins if p.cue == cue or p.point != point
    )
    return with_clips(reel, [replace(record, pins=pins)])


def _both_there(reel: Reel, clip: Clip, cue: str, point: str) -> None:
    footage = by_id(reel.footage, clip.footage)
    if footage is None or by_id(footage.cues, cue) is None:
        raise TempikError("That cue is no longer there; set one with C.")
    if timeline_of(reel).point(point) is None:
        raise TempikError("That point is no longer there; choose another.")


def with_pins_moved(reel: Reel, clips: Sequence[str], step: int) -> Reel:
    """Tie every pin of clips to the next (1) or previous (-1) chosen point of the reel. Raises TempikError where the clip has none, or no
    point lies further."""
    timeline = timeline_of(reel)
    points = timeline.on_reel()
    changed: list[Clip] = []
    for name in clips:
        clip = clip_of(reel, name)
        pins = []
        for pin in clip.pins:
            now = timeline.point(pin.point)
            if now is None:
                continue
            later = [p for p in points if (p.time_s - now.time_s) * step > 1e-6]
            if not later:
                raise TempikError("There is no further point on the reel in that direction.")
            pins.append(replace(pin, point=min(later, key=lambda p: abs(p.time_s - now.time_s)).id))
        if pins:
            changed.append(replace(clip, pins=tuple(pins)))
    if not changed:
        raise TempikError("This clip is not pinned; put the playhead on its decisive frame and press C.")
    return with_clips(reel, changed)


def without_pins(reel: Reel, clips: Sequence[str], cue: str | None = None) -> Reel:
    """Untie clips (or one cue of them); they keep showing what they show."""
    timeline = timeline_of(reel)
    changed = []
    for name in clips:
        clip, placed = clip_of(reel, name), timeline.placed_clip(name)
        left = tuple(p for p in clip.pins if cue is not None and p.cue != cue)
        kept = replace(clip, pins=left)
        if placed is not None:
            baked = (len(placed.ties) > 1 and len(left) < 2) or clip.shaped is not None
            kept = replace(
                kept,
                source_s=placed.map.start_s,
                curve=placed.map.curve if baked else clip.curve,
                part=placed.map.part if baked else clip.part,
                shaped=None if baked else clip.shaped,
            )
        changed.append(kept)
    return with_clips(reel, changed)


def with_clip_cue_here(reel: Reel, clip: str, frame: int, point: str, also: bool = False) -> Reel:
    """Say that what the clip shows at `frame` is its decisive frame: it becomes a cue, pinned to `point`. Raises TempikError for a still."""
    placed = on_reel(timeline_of(reel), clip)
    if placed.footage.kind != "video":
        raise TempikError("A still has no decisive frame to pin.")
    source_s = float(source_at_frames(placed, [float(frame)], reel.rate)[0])
    source_s = min(max(source_s, 0.0), placed.footage.length_s - 1e-6)
    near = [c for c in placed.footage.cues if abs(c.time_s - source_s) < 0.25 / float(placed.footage.rate)]
    if near:
        cue = near[0].id
    else:
        reel = with_cue(reel, placed.footage.id, source_s)
        piece = by_id(reel.footage, placed.footage.id)
        cue = next(c.id for c in piece.cues if c.time_s == source_s) if piece else ""
    return with_pin(reel, clip, cue, point, also)


class PinMend(NamedTuple):
    """One thing that would mend what a clip lacks, in words, and the change that does it."""

    text: str
    change: Callable[[Reel], Reel]


def trouble(timeline: Timeline, placed: PlacedClip) -> str:
    """Return what a clip lacks, in one sentence; '' when nothing."""
    name = placed.footage.name
    if placed.message:
        return f"{name}: {placed.message}."
    if placed.short_before_s > 0:
        where = "before its cue" if placed.ties else "before its first frame"
        return f"{name}: not enough footage {where}, {placed.short_before_s:.2f} s missing."
    if placed.short_after_s > 0:
        where = "after its cue" if placed.ties else "to fill the slot"
        return f"{name}: not enough footage {where}, {placed.short_after_s:.2f} s missing."
    return ""


def mends(timeline: Timeline, placed: PlacedClip) -> list[PinMend]:
    """Return what would mend a clip that lacks footage or whose pin cannot be reached, the gentlest first."""
    if not trouble(timeline, placed):
        return []
    out: list[PinMend] = []
    name = placed.clip.id
    rate = timeline.rate
    if placed.message and len(placed.ties) > 1:
        for tie in placed.ties[1:]:
            out.append(
                PinMend(f"untie the cue at {tie.point.label}", lambda r, t=tie: without_pins(r, [name], t.cue))  # type: ignore[misc]
            )
        return out
    slower = _speed_that_fits(timeline, placed)
    if slower is not None:
        share = slower / abs(placed.map.average_speed) if placed.map.average_speed else 1.0
        out.append(
            PinMend(f"slow it to {abs(slower) * 100:.0f} %", lambda r: with_clips(r, [times(clip_of(r, name), share)]))
        )
    first = placed.first + round(placed.short_before_s * float(rate))
    end = placed.end - round(placed.short_after_s * float(rate))
    if first < end and placed.map.average_speed > 0:
        frames = first - placed.first + placed.end - end
        out.append(
            PinMend(
                f"cut off the {frames} frames that stand still",
                lambda r: with_clips(r, [trimmed(timeline_of(r), on_reel(timeline_of(r), name), first, end)]),
            )
        )
    out.append(
        PinMend("go round the footage again", lambda r: with_clips(r, [replace(clip_of(r, name), beyond="loop")]))
    )
    if len(placed.ties) == 1:
        tie = placed.ties[0]
        for point in sorted(timeline.on_reel(), key=lambda p: abs(p.time_s - tie.point.time_s)):
            frame = timeline.frame_of_point(point)
            if point.id == tie.point.id or not placed.first <= frame < placed.end:
                continue
            other = timeline_of(with_moved_pin(timeline.reel, name, tie.cue, point.id)).placed_clip(name)
            if other is not None and not other.short_before_s and not other.short_after_s:
                out.append(
                    PinMend(f"pin it to {point.label}", partial(with_moved_pin, clip=name, cue=tie.cue, point=point.id))
                )
                break
    return out


def _speed_that_fits(timeline: Timeline, placed: PlacedClip) -> float | None:
    """Return the average speed at which the footage fills the slot on both sides of its cue, or None."""
    average = placed.map.average_speed
    if average == 0:
        return None
    rate, length = timeline.rate, placed.footage.length_s
    if placed.ties:
        tie = placed.ties[0]
        sides = [
            (tie.cue_s if average > 0 else length - tie.cue_s, time_of(tie.frame - placed.first, rate)),
            (length - tie.cue_s if average > 0 else tie.cue_s, time_of(placed.end - tie.frame, rate)),
        ]
    else:
        sides = [(length - placed.map.start_s if average > 0 else placed.map.start_s, time_of(placed.frames, rate))]
    # The shape may be faster on one side than on average: its own use of each side is scaled.
    factor = 1.0
    for left_s, slot_s in sides:
        if slot_s > 0:
            used = _used(timeline, placed, slot_s, before=len(sides) > 1 and slot_s == sides[0][1])
            factor = min(factor, max(left_s - 1e-6, 0.0) / used) if used > 0 else factor
    return average * factor if 0.02 < factor < 1 else None


def _used(timeline: Timeline, placed: PlacedClip, slot_s: float, before: bool) -> float:
    rate = float(timeline.rate)
    at = (placed.ties[0].frame if placed.ties else placed.first) - placed.begin
    ends = (
        ((placed.first - placed.begin) / rate, at / rate) if before else (at / rate, (placed.end - placed.begin) / rate)
    )
    a, b = placed.map.source(ends)
    return abs(float(b) - float(a))
