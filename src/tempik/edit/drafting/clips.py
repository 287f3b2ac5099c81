"""Clips of a draft: each footage in its slot, its decisive frame on a point, its speed within what stays clean, its subject in the frame."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction

import numpy as np
from msgspec.structs import replace

from tempik.edit.drafting.framing import framed
from tempik.edit.drafting.material import Chance
from tempik.edit.drafting.moods import REWIND, Mood
from tempik.edit.drafting.rhythm import Slot
from tempik.edit.footage.cues import with_cue
from tempik.errors import TempikError
from tempik.reel import Clip, Footage, Pin, Point, Reel, Shaped, SpeedShape, by_id
from tempik.reel.points import points_of, tempo_of
from tempik.retime import constant
from tempik.retime.shapes import ready_shape
from tempik.time import frame_of
from tempik.timeline.placed_clip import PlacedClip, clean_floor, source_at_frames
from tempik.timeline.timeline import Timeline

SLOWEST, KEPT = 0.15, 0.15
# So much of what is black, blurred or shaken is not seen.
LEAST_SEEN_S = 0.05

# From when to when of a file there is something to see, in seconds of it.
Seen = tuple[float, float]
RARE_APART = 4


def with_laid(reel: Reel, name: str, slot: Slot, chance: Chance, mood: Mood, rare: bool = False) -> Reel:
    """Lay a clip whose decisive frame is on a point of its slot; with `rare` it plays the mood's rare effect."""
    piece = chance.piece
    framing = framed(piece, chance.place, reel.width, reel.height)
    if piece.endless:
        clip = Clip(name, piece.id, slot.start, slot.end, framing=framing)
        return replace(reel, clips=(*reel.clips, clip))
    reel, cue = _cue_of(reel, piece.id, chance.time_s, chance.cue.id if chance.cue is not None else "")
    point = _point_for(reel, slot, chance, _air(reel, mood))
    pins = (Pin(cue, point.id),) if point is not None else ()
    clip = Clip(name, piece.id, slot.start, slot.end, source_s=max(0.0, chance.time_s), pins=pins, framing=framing)
    shape, odd = ready_shape(mood.shape), ready_shape(mood.rare)
    amount = most_ramp(reel, piece, mood.ramp, shape) if slot.beats >= mood.ramp_from and slot.role != "roll" else 0.0
    if rare and mood.rare == REWIND:
        clip = replace(clip, curve=constant(-1.0))
    elif rare and odd is not None:
        clip = replace(clip, shaped=Shaped(odd, 1.0, 1.0, "every", every=1))
    elif amount > 0 and pins and shape is not None:
        clip = replace(clip, shaped=Shaped(shape, 1.0, amount, "pin"))
    return replace(reel, clips=(*reel.clips, clip))


def _air(reel: Reel, mood: Mood) -> float:
    """Return how much more than its slot a clip shows on either side where it is joined, in seconds."""
    song = reel.soundtrack
    gap_s = 60 / tempo_of(song) if song is not None and tempo_of(song) else 0.5
    return mood.transition_beats / 2 * gap_s if mood.transition else 0.0


def rare_slots(slots: list[Slot], mood: Mood, seed: int) -> set[int]:
    """Return the numbers of the slots that play the mood's rare effect: of long ones that are loud, none near another."""
    dice = np.random.default_rng([seed, 5])
    could = [n for n, s in enumerate(slots) if mood.rare and s.role == "plain" and s.beats >= 2 and s.level != "quiet"]
    wanted = round(mood.rare_share * len(slots))
    out: set[int] = set()
    for n in dice.permutation(could).tolist() if could else []:
        if len(out) < wanted and all(abs(n - other) >= RARE_APART for other in out):
            out.add(int(n))
    return out


def _cue_of(reel: Reel, footage: str, time_s: float, known: str) -> tuple[Reel, str]:
    """Return the reel with a cue at an instant of a piece, and the cue's id: one that is there, or a new one."""
    piece = by_id(reel.footage, footage)
    assert piece is not None
    near = known or next((c.id for c in piece.cues if abs(c.time_s - time_s) < 0.5 / float(piece.rate)), "")
    if near:
        return reel, near
    reel = with_cue(reel, footage, time_s)
    piece = by_id(reel.footage, footage)
    assert piece is not None
    return reel, min(piece.cues, key=lambda c: abs(c.time_s - time_s)).id


def _point_for(reel: Reel, slot: Slot, chance: Chance, air_s: float = 0.0) -> Point | None:
    """Return the point that a slot's decisive frame lands on: the drop's own, of short slots the first, else the strongest that is
    neither right behind the cut nor right before the next; where what is to be seen is short, one that leaves no more to be shown on
    either side than there is."""
    song = reel.soundtrack
    assert song is not None
    first, end = (frame_of(e.time_s, reel.rate) for e in (slot.start, slot.end))
    at = [(p, frame_of(p.time_s - song.start_s, reel.rate)) for p in points_of(song)]
    inside = [(p, f) for p, f in at if first <= f < end]
    if not inside:
        return None
    rate, ratio = float(reel.rate), chance.piece.conform_ratio

    def missing(frame: int) -> float:
        before = air_s + (frame - first) / rate - chance.before_s / ratio
        after = air_s + (end - frame) / rate - chance.after_s / ratio
        return round(max(before, 0.0) + max(after, 0.0), 3)

    if slot.role == "drop" or slot.beats < 1.5:
        return min(inside, key=lambda x: x[1])[0]
    least = min(missing(f) for _, f in inside)
    inside = [(p, f) for p, f in inside if missing(f) <= least]
    margin = KEPT * (end - first)
    kept = [(p, f) for p, f in inside if margin <= f - first and margin <= end - f] or inside
    return max(kept, key=lambda x: (x[0].strength, -abs(x[1] - (first + end) / 2)))[0]


def most_ramp(reel: Reel, piece: Footage, wanted: float, shape: SpeedShape | None) -> float:
    """Return how much of a shape a clip can play: no slower than its footage stays clean at."""
    if shape is None or wanted <= 0 or piece.endless:
        return 0.0
    speeds = [n.speed for n in shape.nodes]
    lowest = min(speeds) / float(np.mean(speeds))
    if reel.interpolation != "nearest" and lowest > 0:
        return wanted  # frames in between are made
    floor = clean_floor(piece, reel.rate)
    if floor >= 0.95 or lowest <= 0:
        return 0.0
    # The speeds' multiples are raised to the amount: the lowest of them is to stay above the floor.
    most = float(np.log(floor) / np.log(lowest)) if 0 < floor < 1 and lowest < 1 else wanted
    return max(0.0, min(wanted, most))


def with_chance(reel: Reel, clip: str, chance: Chance) -> Reel:
    """Return the reel with a clip showing another instant of the footage: on the point that it was pinned to, else on the strongest
    of its slot, at a speed that its footage is long enough for. Raises TempikError where the clip is gone."""
    placed = Timeline(reel).placed_clip(clip)
    if placed is None:
        raise TempikError("That clip is no longer on the reel.")
    old, piece = placed.clip, chance.piece
    made = replace(
        old, footage=piece.id, pins=(), shaped=None, curve=constant(1.0), part=(0.0, 1.0), cutout="", follow=None,
        framing=framed(piece, chance.place, reel.width, reel.height),
    )  # fmt: skip
    if not piece.endless:
        reel, cue = _cue_of(reel, piece.id, chance.time_s, chance.cue.id if chance.cue is not None else "")
        point = Timeline(reel).point(old.pins[0].point) if old.pins else None
        point = point or _point_for(reel, Slot(old.start, old.end, 0.5, "middle", "plain", 2.0), chance)
        made = replace(made, source_s=max(0.0, chance.time_s), pins=(Pin(cue, point.id),) if point is not None else ())
        use = old.shaped
        if use is not None and use.align == "pin" and made.pins:
            amount = most_ramp(reel, piece, use.amount, use.shape)
            made = replace(made, shaped=replace(use, amount=amount) if amount > 0 else None)
    return with_enough_footage(
        replace(reel, clips=tuple(made if c.id == clip else c for c in reel.clips)), {clip: seen_about(chance)}
    )


def seen_about(chance: Chance) -> Seen:
    """Return from when to when of its file there is something to see about a chance."""
    return chance.time_s - chance.before_s, chance.time_s + chance.after_s


def with_enough_footage(reel: Reel, only: Mapping[str, Seen]) -> Reel:
    """Return a reel whose clips, of those named, neither run out of footage nor show what lies outside the stretch of it that is given
    for each, in seconds of the file: those that would play at one speed, slower, or on another point, or let their point go."""
    for _ in range(4):
        timeline = Timeline(reel)
        changed = []
        for placed in timeline.placed:
            if placed.clip.id not in only or placed.footage.endless:
                continue
            if (
                placed.short_before_s + placed.short_after_s >= 1e-3
                or _outside(placed, only[placed.clip.id], reel.rate) >= LEAST_SEEN_S
            ):
                changed.append(_mended(timeline, placed, only[placed.clip.id]))
        if not changed:
            return reel
        by_name = {c.id: c for c in changed}
        reel = replace(reel, clips=tuple(by_name.get(c.id, c) for c in reel.clips))
    return reel


def _outside(placed: PlacedClip, seen: Seen, rate: Fraction) -> float:
    """Return for how many seconds of the file a clip shows what lies outside a stretch of it."""
    source = source_at_frames(placed, np.arange(placed.begin, placed.until + 1, dtype=np.float64), rate)
    return max(0.0, seen[0] - float(source.min())) + max(0.0, float(source.max()) - seen[1])


def _mended(timeline: Timeline, placed: PlacedClip, seen: Seen) -> Clip:
    clip, piece = placed.clip, placed.footage
    if clip.shaped is not None or clip.curve.nodes[0].speed < 0:
        return replace(clip, shaped=None, curve=constant(1.0))
    low, high = max(seen[0], 0.0), min(seen[1], piece.length_s)
    seconds = (placed.until - placed.begin) / float(timeline.rate)
    # Footage slower than it stays clean at is worse than a glimpse of what is blurred or shaken.
    if (high - low) / piece.conform_ratio < min(1.0, clean_floor(piece, timeline.rate)) * seconds:
        low, high = 0.0, piece.length_s
    cue = by_id(piece.cues, clip.pins[0].cue) if clip.pins else None
    point = timeline.point(clip.pins[0].point) if clip.pins else None
    if cue is not None and point is not None:
        lead, rest = (cue.time_s - low) / piece.conform_ratio, (high - cue.time_s) / piece.conform_ratio
        if clip.curve == constant(1.0):
            # Another point of the slot that the cue can land on as it was shot is better than slow footage.
            other, speed = point_within(timeline, lead, rest, placed.begin, placed.until)
            if other is not None and speed >= 1.0 and other.id != point.id:
                return replace(clip, pins=(Pin(cue.id, other.id),))
            if other is not None and speed >= SLOWEST:
                slower = constant(max(min(speed, 1.0) * 0.995, SLOWEST))
                return replace(clip, pins=(Pin(cue.id, other.id),), curve=slower)
    speed = min(1.0, 0.99 * (high - low) / piece.conform_ratio / max(seconds, 1e-3))
    unused_s = high - low - seconds * speed * piece.conform_ratio
    return replace(clip, pins=(), source_s=low + max(0.0, unused_s / 2), curve=constant(speed))


def point_within(
    timeline: Timeline, lead_s: float, rest_s: float, begin: int, until: int
) -> tuple[Point | None, float]:
    """Return the point of a slot that a cue lands on with so much of its footage before and after it, and the speed at which that fills
    the slot: the strongest of those at which it plays as it was shot, else the one at which it is slowed least."""
    rate = float(timeline.rate)
    best: tuple[float, float, Point] | None = None
    for point in timeline.on_reel():
        frame = timeline.frame_of_point(point)
        if not begin <= frame < until:
            continue
        before, after = (frame - begin) / rate, (until - frame) / rate
        speed = min(lead_s / before if before > 0 else 1.0, rest_s / after if after > 0 else 1.0, 1.0)
        if best is None or (speed, point.strength) > best[:2]:
            best = (speed, point.strength, point)
    return (best[2], best[0]) if best is not None else (None, 0.0)
