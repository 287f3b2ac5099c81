"""How fast clips play: curves and shapes given to them, and which of slot, footage used and speed gives way.

A pinned clip keeps its cues on their points; a free one keeps its first frame. Every function raises TempikError, with
a sentence, where it cannot be had.
"""

from __future__ import annotations

from collections.abc import Collection
from typing import Literal

from msgspec.structs import replace

from tempik.edit.clips.slots import clip_of, edge_at, in_order, on_reel, rippled, with_clips
from tempik.errors import TempikError
from tempik.reel import Align, Beyond, Clip, ClipSound, Curve, Interpolation, Reel, Shaped, SpeedShape
from tempik.reel.validate import SPEED_LIMIT
from tempik.retime import average_speed, constant, cut_out, reversed_curve, scaled
from tempik.retime.shaping import joined, with_average, with_stretch
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import timeline_of

GivesWay = Literal["source", "slot", "speed"]
# The longest slot that giving way may make.
LONGEST_FRAMES = 100_000


def times(clip: Clip, factor: float) -> Clip:
    """Return a clip with every speed multiplied."""
    shaped = clip.shaped
    if shaped is not None:
        return replace(clip, shaped=replace(shaped, speed=shaped.speed * factor))
    return replace(clip, curve=scaled(clip.curve, factor))


def with_curve(reel: Reel, clip: str, curve: Curve, gives: GivesWay = "source") -> Reel:
    """Give a clip another speed curve.

    What gives way: the `source`, other footage being used in the same slot; the `slot`, which becomes as long as the
    same footage takes; or the `speed`, which is scaled so that slot and footage stay. A free clip whose direction turns
    round begins at the last instant it showed.
    """
    placed = on_reel(timeline_of(reel), clip)
    if gives == "speed" and abs(placed.map.average_speed) > 1e-9:  # a see-saw has no average to keep
        curve = with_average(curve, placed.map.average_speed)
    changed = _recurved(placed, curve)
    average = average_speed(curve)
    if gives == "slot" and average and placed.map.average_speed:
        frames = round((placed.until - placed.begin) * abs(placed.map.average_speed / average))
        return resized(reel, placed, changed, frames)
    return with_clips(reel, [changed])


def _recurved(placed: PlacedClip, curve: Curve, shaped: Shaped | None = None) -> Clip:
    clip, source_s = placed.clip, placed.clip.source_s
    if not clip.pins:
        source_s = placed.map.start_s
        if placed.map.average_speed * average_speed(curve) < 0:
            source_s = placed.map.end_s
    return replace(clip, curve=curve, source_s=source_s, part=(0.0, 1.0), shaped=shaped)


def resized(reel: Reel, placed: PlacedClip, clip: Clip, frames: int) -> Reel:
    """Return the reel with a clip over another number of frames; what follows moves along. Raises TempikError for a slot beyond all reason."""
    if not 1 <= frames <= LONGEST_FRAMES:
        raise TempikError(f"The slot would be {frames} frames long; choose a speed that keeps it within reason.")
    timeline = timeline_of(reel)
    track, until = placed.clip.track, placed.begin + frames
    changed = with_clips(reel, [replace(clip, end=edge_at(timeline, until))])
    return rippled(changed, track, placed.end, until - placed.end)


def with_constant(reel: Reel, clips: Collection[str], speed: float, gives: GivesWay = "source") -> Reel:
    """Play clips at one speed throughout (2 is twice as fast, −1 backward, 0 still). Raises TempikError beyond the limit of speed."""
    if not abs(speed) <= SPEED_LIMIT:
        raise TempikError(f"{speed * 100:.0f} % is beyond the limit of {SPEED_LIMIT * 100:.0f} %.")
    if gives == "speed":
        gives = "source"  # scaled back to what it was, nothing would have changed
    for placed in in_order(timeline_of(reel), clips):
        reel = with_curve(reel, placed.clip.id, constant(speed), gives)
    return reel


def with_slot_frames(reel: Reel, clips: Collection[str], frames: int, gives: GivesWay = "speed") -> Reel:
    """Make clips exactly so many frames long, what follows moving along; the speed gives way, or the footage used. Raises TempikError for
    less than a frame, and beyond the limit of speed."""
    if frames < 1:
        raise TempikError("One frame is the least a clip can have.")
    for placed in in_order(timeline_of(reel), clips):
        now = on_reel(timeline_of(reel), placed.clip.id)
        record = replace(now.clip, source_s=now.map.start_s)
        if gives != "source":
            factor = (now.until - now.begin) / frames
            fastest = max(abs(n.speed) for n in now.curve.nodes) * factor
            if fastest > SPEED_LIMIT:
                raise TempikError(
                    f"{now.footage.name} would have to play at {fastest * 100:.0f} %, beyond the limit of "
                    f"{SPEED_LIMIT * 100:.0f} %; give it {_least(now)} frames or more."
                )
            record = times(record, factor)
        reel = resized(reel, now, record, frames)
    return reel


def _least(placed: PlacedClip) -> int:
    fastest = max(abs(n.speed) for n in placed.curve.nodes)
    return -int(-(placed.until - placed.begin) * fastest // SPEED_LIMIT)


def with_source_used(reel: Reel, clip: str, seconds: float, gives: GivesWay = "speed") -> Reel:
    """Use exactly so many seconds of the footage: at another speed, or over another slot. Raises TempikError where the clip uses no
    stretch, and beyond the limit of speed."""
    placed = on_reel(timeline_of(reel), clip)
    used = source_used(placed)
    if used < 1e-9 or seconds <= 0:
        raise TempikError("This clip uses no stretch of its footage; give it a speed first.")
    if gives == "slot":
        return resized(reel, placed, placed.clip, round((placed.until - placed.begin) * seconds / used))
    record = times(replace(placed.clip, source_s=placed.map.start_s), seconds / used)
    if max(abs(n.speed) for n in placed.curve.nodes) * seconds / used > SPEED_LIMIT:
        raise TempikError(f"{seconds:.2f} s of footage in this slot go beyond the limit of {SPEED_LIMIT * 100:.0f} %.")
    return with_clips(reel, [record])


def with_reversed(reel: Reel, clip: str) -> Reel:
    """Play the clip's stretch of footage the other way round; a pinned clip keeps its cue on its point."""
    placed = on_reel(timeline_of(reel), clip)
    a, b = placed.map.part
    changed = replace(
        placed.clip,
        curve=reversed_curve(placed.map.curve),
        part=(1 - b, 1 - a),
        source_s=placed.map.end_s,
        pins=placed.clip.pins[:1],
        shaped=None,
    )
    return with_clips(reel, [changed])


def with_shape(
    reel: Reel,
    clips: Collection[str],
    shape: SpeedShape,
    amount: float = 1.0,
    align: Align | None = None,
    every: int = 1,
    near: int | None = None,
) -> Reel:
    """Give clips a shape at the average speed they have. `near` is the frame whose nearest point `align` point takes;
    without it the middle of each clip. Without `align` it is laid on a clip's first pin where that lands inside it, else on the clip.
    Raises TempikError for a still."""
    timeline = timeline_of(reel)
    changed = []
    for placed in in_order(timeline, clips):
        if placed.footage.endless:
            continue
        average = placed.map.average_speed
        speed = placed.clip.shaped.speed if placed.clip.shaped is not None else average if abs(average) > 0.01 else 1.0
        point = ""
        if align == "point":
            frame = near if near is not None and placed.first <= near < placed.end else (placed.first + placed.end) // 2
            inside = [p for p in timeline.on_reel() if placed.first < timeline.frame_of_point(p) < placed.end]
            if inside:
                point = min(inside, key=lambda p: abs(timeline.frame_of_point(p) - frame)).id
        on = align or ("pin" if placed.ties and placed.first < placed.ties[0].frame < placed.end - 1 else "clip")
        use = Shaped(shape, speed, min(max(amount, 0.0), 2.0), on, point, max(every, 1))
        # The curve beside it is what an even clip would play, should the shape be taken off.
        changed.append(_recurved(placed, constant(speed), use))
    if not changed:
        raise TempikError("A still has no speed to shape; select clips of filmed footage.")
    return with_clips(reel, changed)


def with_amount(reel: Reel, clips: Collection[str], amount: float) -> Reel:
    """Set how much of their shapes clips have, 0 to 2. Raises TempikError where none of the clips has a shape."""
    changed = [
        replace(clip, shaped=replace(clip.shaped, amount=min(max(amount, 0.0), 2.0)))
        for name in clips
        if (clip := clip_of(reel, name)).shaped is not None
    ]
    if not changed:
        raise TempikError("These clips have no shape; choose one first.")
    return with_clips(reel, changed)


def with_stretch_speed(reel: Reel, clip: str, first: int, end: int, speed: float, soft_frames: int = 0) -> Reel:
    """Give the frames of a clip from `first` up to `end` another speed, with hard edges or eased over some frames. Raises TempikError for
    an empty stretch."""
    placed = on_reel(timeline_of(reel), clip)
    a, b = (share_of(placed, f) for f in (first, end))
    if b <= a:
        raise TempikError("The stretch is empty; mark two frames of the clip.")
    soft = soft_frames / max(placed.until - placed.begin, 1)
    return with_clips(reel, [_recurved(placed, with_stretch(placed.curve, a, b, speed, soft))])


def with_hold(reel: Reel, clip: str, frame: int, frames: int) -> Reel:
    """Hold the picture of a frame for so many frames inside the clip's slot; then it goes on from there. Raises TempikError where the frame
    is not in the clip."""
    placed = on_reel(timeline_of(reel), clip)
    if not placed.first <= frame < placed.end:
        raise TempikError("The playhead is not in the clip; put it on the frame to hold.")
    at, length = share_of(placed, frame), frames / max(placed.until - placed.begin, 1)
    length = min(length, 1 - at)
    pieces = [(at, cut_out(placed.curve, (0.0, at)))] if at > 0 else []
    pieces.append((length, constant(0.0)))
    if at + length < 1:
        pieces.append((1 - at - length, cut_out(placed.curve, (at, 1 - length))))
    return with_clips(reel, [recurved(placed, joined(pieces))])


def recurved(placed: PlacedClip, curve: Curve) -> Clip:
    """Return a clip with a curve that begins as its own does, so that a free one keeps its first frame."""
    return replace(_recurved(placed, curve), source_s=placed.map.start_s)


def share_of(placed: PlacedClip, frame: int) -> float:
    """Return the share of a clip's slot that lies before a frame of the reel, 0 to 1."""
    return min(max((frame - placed.begin) / max(placed.until - placed.begin, 1), 0.0), 1.0)


def with_between(reel: Reel, clips: Collection[str] | None, way: Interpolation | None) -> Reel:
    """Set how clips make the frames between two of their footage's: None is the reel's way. Without clips, the reel."""
    if clips is None:
        return replace(reel, interpolation=way or "nearest")
    return with_clips(reel, [replace(clip_of(reel, name), interpolation=way) for name in clips])


def with_beyond(reel: Reel, clips: Collection[str], beyond: Beyond) -> Reel:
    """Set what clips show past their footage's ends: the end frame held, or the footage round again."""
    return with_clips(reel, [replace(clip_of(reel, name), beyond=beyond) for name in clips])


def with_clip_sound(reel: Reel, clips: Collection[str], sound: ClipSound) -> Reel:
    """Set how clips' own sound is heard."""
    return with_clips(reel, [replace(clip_of(reel, name), sound=sound) for name in clips])


def source_used(placed: PlacedClip) -> float:
    """Return the seconds of the file between the earliest and the latest instant that a clip shows."""
    times_s = [0.0, *placed.map.turns(), placed.map.length_s]
    seen = [placed.map.source_at(t) for t in times_s]
    return max(seen) - min(seen)
