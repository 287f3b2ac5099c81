"""Directions: there and back, play, rewind and replay, see-saws and swings, each one change that stays editable.

A turn lies on the first instant of a frame, where forward and backward meet: its picture is shown once.
"""

from __future__ import annotations

from collections.abc import Collection

from tempik.edit.clips.slots import in_order, on_reel, with_clips
from tempik.edit.speed.speed import recurved, resized, share_of, with_reversed, with_shape
from tempik.errors import TempikError
from tempik.reel import Curve, Reel
from tempik.reel.validate import SPEED_LIMIT
from tempik.retime import TimeMap, constant, cut_out, ready_shape, reversed_curve, speed_at
from tempik.retime.shaping import joined
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline, timeline_of


def with_there_and_back(reel: Reel, clip: str, frame: int | None = None) -> Reel:
    """Let a clip turn round at a frame, or without one at the chosen point nearest its middle, and play back again. Raises TempikError for
    a clip too short to turn round in."""
    timeline = timeline_of(reel)
    placed = _moving(on_reel(timeline, clip))
    if frame is None or not placed.first < frame < placed.end:
        frame = middle_frame(timeline, placed)
    at = share_of(placed, frame)
    if not 0 < at < 1:
        raise TempikError("The clip is too short to turn round in.")
    pieces = [(at, cut_out(placed.curve, (0.0, at)))]
    back = min(at, 1 - at)
    pieces.append((back, reversed_curve(cut_out(placed.curve, (at - back, at)))))
    if 1 - at - back > 1e-9:
        pieces.append((1 - at - back, constant(-float(speed_at(placed.curve, 0.0)[0]))))
    return with_clips(reel, [recurved(placed, joined(pieces))])


def middle_frame(timeline: Timeline, placed: PlacedClip) -> int:
    """Return the frame of the chosen point nearest to a clip's middle, or its middle frame where it has none inside."""
    middle = (placed.first + placed.end) // 2
    inside = [f for p in timeline.on_reel() if placed.first < (f := timeline.frame_of_point(p)) < placed.end]
    return min(inside, key=lambda f: abs(f - middle), default=middle)


def with_rewind(reel: Reel, clip: str, first: int, end: int, speed: float, longer: bool = False) -> Reel:
    """Play a clip up to `end`, rewind to what it showed at `first` at `speed` (2 is twice as fast), and play on again.

    The slot stays, its last footage being left out; with `longer` the clip shows all of it and what follows moves on.
    Raises TempikError for a stretch that is not inside the clip or stands still, and a speed beyond the limit.
    """
    placed = _moving(on_reel(timeline_of(reel), clip))
    if not placed.first <= first < end <= placed.end:
        raise TempikError("The stretch to rewind is not inside the clip; mark two frames of it.")
    if not 0 < speed <= SPEED_LIMIT:
        raise TempikError(f"A rewind plays at up to {SPEED_LIMIT * 100:.0f} %; give a speed above 0.")
    frames = placed.until - placed.begin
    a, b = share_of(placed, first), share_of(placed, end)
    unit = TimeMap(placed.curve, 1.0)
    used = (unit.source_at(b) - unit.source_at(a)) * frames  # frames of footage at full speed
    if abs(used) < 1e-9:
        raise TempikError("The picture stands still there; there is nothing to rewind.")
    back = max(1, round(abs(used) / speed), -int(-abs(used) // SPEED_LIMIT))
    total = frames + back + (end - first) if longer else frames
    left = total - (end - placed.begin)
    pieces = [(float(end - placed.begin), cut_out(placed.curve, (0.0, b)))]
    pieces.append((float(min(back, left)), constant(-used / back)))
    rest = left - back
    if rest > 0:
        pieces.append((float(rest), cut_out(placed.curve, (a, a + rest / frames))))
    changed = recurved(placed, joined([p for p in pieces if p[0] > 0]))
    return resized(reel, placed, changed, total) if longer else with_clips(reel, [changed])


def with_see_saw(
    reel: Reel, clip: str, pieces: int | None = None, frames: int | None = None, points: int | None = None
) -> Reel:
    """Play one stretch of footage forward and backward in turns: in so many `pieces`, in pieces of so many `frames`, or
    turning on every n-th chosen point (`points`), which it then follows. Raises TempikError for too few points inside, and more pieces than
    frames."""
    timeline = timeline_of(reel)
    placed = _moving(on_reel(timeline, clip))
    if points is not None:
        inside = [p for p in timeline.on_reel() if placed.first < timeline.frame_of_point(p) < placed.end]
        if len(inside) < points:
            raise TempikError(f"The clip has {len(inside)} points inside, too few to turn on every {points}.")
        shape = ready_shape("see-saw")
        assert shape is not None
        return with_shape(reel, [clip], shape, 1.0, "every", points)
    whole = placed.until - placed.begin
    if pieces is not None:
        if not 2 <= pieces <= whole:
            raise TempikError(f"A see-saw has 2 pieces or more, and at most one a frame: {whole} here.")
        edges = [round(i * whole / pieces) for i in range(pieces + 1)]
    else:
        step = frames or 0
        if not 1 <= step < whole:
            raise TempikError(f"Pieces of a see-saw are 1 to {whole - 1} frames long in this clip.")
        edges = [*range(0, whole, step), whole]
    lengths = [b - a for a, b in zip(edges, edges[1:], strict=False)]
    speed = abs(placed.map.average_speed) or 1.0
    sign = -1.0 if placed.map.average_speed < 0 else 1.0
    # Every piece covers the same footage, so that each turn shows the same picture; a cut off last piece covers less.
    stroke = speed * (lengths[0] if pieces is None else whole / len(lengths))
    curve: list[tuple[float, Curve]] = []
    for number, length in enumerate(lengths):
        along = speed if pieces is None else min(stroke / length, SPEED_LIMIT)
        curve.append((float(length), constant(sign * along * (-1.0) ** number)))
    return with_clips(reel, [recurved(placed, joined(curve))])


def with_swing(reel: Reel, clips: Collection[str] = ()) -> Reel:
    """Play every second clip backward, of the named ones or of the whole reel: each track swings for itself. Raises TempikError where there
    is nothing to turn round."""
    timeline = timeline_of(reel)
    found = in_order(timeline, clips or [p.clip.id for p in timeline.placed])
    turned = 0
    for track in range(len(timeline.tracks)):
        moving = [p for p in found if p.clip.track == track and not p.footage.endless]
        for number, placed in enumerate(moving):
            backward = placed.map.average_speed < 0
            if backward != bool(number % 2):
                reel = with_reversed(reel, placed.clip.id)
                turned += 1
    if not turned:
        raise TempikError("There are no clips to turn round: the reel swings already, or has one clip at most.")
    return reel


def _moving(placed: PlacedClip) -> PlacedClip:
    if placed.footage.endless:
        raise TempikError("A still has no direction; select a clip of filmed footage.")
    if placed.frames < 2:
        raise TempikError("A clip of one frame has no direction; give it more frames first.")
    return placed
