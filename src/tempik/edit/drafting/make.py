"""A draft by a mood, from a song, footage and what is known of it."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from fractions import Fraction
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from tempik.edit.drafting.casting import Cast, Chance, cast, material_of
from tempik.edit.drafting.moods import Fires, Mood
from tempik.edit.drafting.rhythm import Slot, slots_of
from tempik.edit.footage.cues import with_cue
from tempik.edit.joins import laying
from tempik.edit.sounds.rows import with_sound_row
from tempik.errors import TempikError
from tempik.grade.looks import LOOKS
from tempik.joins import join_of
from tempik.media import Study
from tempik.reel import AccentRow, Clip, Footage, Pin, Point, Reel, Rule, Shaped, Soundtrack, by_id, new_id
from tempik.reel.points import metre_of
from tempik.reel.rows import Limit
from tempik.reel.sound import MASTERED
from tempik.retime import constant
from tempik.retime.shapes import ready_shape
from tempik.time import frame_of
from tempik.timeline.placed import clean_floor
from tempik.timeline.timeline import Timeline

LONGEST_S = 60.0
EARLY, SLOWEST, KEPT, NEAR_S = 0.1, 0.15, 0.15, 0.1
QUIETER = {"impact": -6.0, "riser": -10.0}


class MoodWish(NamedTuple):
    """What a draft by a mood is asked for. `strength` is how wild it is, 0 to 2; another `seed` draws again."""

    mood: Mood
    seed: int = 0
    start_s: float = 0.0
    length_s: float | None = None
    width: int = 1080
    height: int = 1920
    rate: Fraction = Fraction(30)
    strength: float = 1.0


class MoodDraft(NamedTuple):
    """The reel, sentences on what a person should know of it, and why each clip is there, by its id."""

    reel: Reel
    notes: tuple[str, ...]
    why: dict[str, str]


def draft_in_mood(
    song: Soundtrack, footage: Sequence[Footage], studies: Mapping[str, Study], wish: MoodWish
) -> MoodDraft:
    """Return a reel of a stretch of song; `studies` are what looks through the footage found, by its id. The same seed gives the same
    reel. Raises TempikError where there is no footage, or nothing to cut on."""
    if not footage:
        raise TempikError("A draft needs footage; add at least one video.")
    left = song.length_s - wish.start_s
    if wish.start_s < 0 or left <= 0.5:
        raise TempikError(f"{song.path} is {song.length_s:.2f} s long; start the reel earlier.")
    notes = []
    length_s = min(left, LONGEST_S if wish.length_s is None else wish.length_s)
    if wish.length_s is not None and length_s < wish.length_s - 0.05:
        notes.append(f"The song has {left:.1f} s left there; the reel is that long.")
    song, slots = slots_of(replace(song, start_s=wish.start_s), wish.start_s, length_s, wish.mood, wish.seed)
    material = material_of(footage, studies)
    notes += material.notes
    chosen = cast(slots, material, wish.mood, wish.seed)
    reel = Reel(
        width=wish.width, height=wish.height, rate=wish.rate, length_s=length_s, soundtrack=song, footage=tuple(footage),
        mix=MASTERED, shutter_deg=wish.mood.shutter_deg, amount=min(max(wish.strength, 0.0), 2.0),
    )  # fmt: skip
    why: dict[str, str] = {}
    dice = np.random.default_rng([wish.seed, 5])
    for number, (slot, one) in enumerate(zip(slots, chosen, strict=True)):
        reel = _with_clip(reel, f"c{number + 1}", slot, one, wish.mood, bool(dice.random() < wish.mood.back))
        why[f"c{number + 1}"] = one.why
    reel = _filled(reel)
    reel = _finished(reel, wish.mood)
    return MoodDraft(reel, tuple(notes), why)


def _with_clip(reel: Reel, name: str, slot: Slot, one: Cast, mood: Mood, back: bool) -> Reel:
    """Lay a clip whose decisive frame is on a point of its slot."""
    chance = one.chance
    piece = chance.piece
    if piece.endless:
        return replace(reel, clips=(*reel.clips, Clip(name, piece.id, slot.start, slot.end)))
    reel, cue = _cue_of(reel, piece.id, chance.time_s, chance.cue.id if chance.cue is not None else "")
    point = _point_for(reel, slot)
    pins = (Pin(cue, point.id),) if point is not None else ()
    clip = Clip(name, piece.id, slot.start, slot.end, source_s=max(0.0, chance.time_s), pins=pins)
    ramp = _ramp(reel, slot, piece, mood)
    if ramp > 0 and pins:
        shape = ready_shape(mood.shape)
        if shape is not None:
            clip = replace(clip, shaped=Shaped(shape, 1.0, ramp, "pin"))
    elif back and slot.beats >= 1:
        clip = replace(clip, curve=constant(-1.0))
    return replace(reel, clips=(*reel.clips, clip))


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


def _point_for(reel: Reel, slot: Slot) -> Point | None:
    """Return the point that a slot's decisive frame lands on: the drop's own, of short slots the first, else the strongest that is
    neither right behind the cut nor right before the next."""
    song = reel.soundtrack
    assert song is not None
    first, end = (frame_of(e.time_s, reel.rate) for e in (slot.start, slot.end))
    at = [(p, frame_of(p.time_s - song.start_s, reel.rate)) for p in song.points]
    inside = [(p, f) for p, f in at if first <= f < end]
    if not inside:
        return None
    if slot.role == "drop" or slot.beats < 1.5:
        return min(inside, key=lambda x: x[1])[0]
    margin = KEPT * (end - first)
    kept = [(p, f) for p, f in inside if margin <= f - first and margin <= end - f] or inside
    return max(kept, key=lambda x: (x[0].strength, -abs(x[1] - (first + end) / 2)))[0]


def _ramp(reel: Reel, slot: Slot, piece: Footage, mood: Mood) -> float:
    """Return how much of the mood's shape a clip plays: none on short slots, and no slower than the footage stays clean at."""
    shape = ready_shape(mood.shape)
    if shape is None or mood.ramp <= 0 or slot.beats < mood.ramp_from or slot.role == "roll":
        return 0.0
    speeds = [n.speed for n in shape.nodes]
    floor, lowest = clean_floor(piece, reel.rate), min(speeds) / float(np.mean(speeds))
    if floor >= 0.95 or lowest <= 0:
        return 0.0
    # The speeds' multiples are raised to the amount: the lowest of them is to stay above the floor.
    most = float(np.log(floor) / np.log(lowest)) if 0 < floor < 1 else 1.0
    return max(0.0, min(mood.ramp, most))


def with_chance(reel: Reel, clip: str, chance: Chance) -> Reel:
    """Return the reel with a clip showing another instant of the footage: on the point that it was pinned to, else on the strongest
    of its slot, at one speed that its footage is long enough for. Raises TempikError where the clip is gone."""
    placed = Timeline(reel).placed_clip(clip)
    if placed is None:
        raise TempikError("That clip is no longer on the reel.")
    old = placed.clip
    if chance.piece.endless:
        made = replace(old, footage=chance.piece.id, pins=(), shaped=None, curve=constant(1.0), cutout="", follow=None)
        return replace(reel, clips=tuple(made if c.id == clip else c for c in reel.clips))
    reel, cue = _cue_of(reel, chance.piece.id, chance.time_s, chance.cue.id if chance.cue is not None else "")
    point = Timeline(reel).point(old.pins[0].point) if old.pins else None
    point = point or _point_for(reel, Slot(old.start, old.end, 0.5, "middle", "plain", 2.0))
    pins = (Pin(cue, point.id),) if point is not None else ()
    made = replace(
        old, footage=chance.piece.id, source_s=max(0.0, chance.time_s), pins=pins, shaped=None, curve=constant(1.0),
        part=(0.0, 1.0), cutout="", follow=None,
    )  # fmt: skip
    return _filled(replace(reel, clips=tuple(made if c.id == clip else c for c in reel.clips)), {clip})


def _filled(reel: Reel, only: Collection[str] | None = None) -> Reel:
    """Return a reel whose clips do not run out of footage: those that would play at one speed, slower, or on another point, or let
    their point go."""
    for _ in range(3):
        timeline = Timeline(reel)
        changed = []
        for placed in timeline.placed:
            if only is not None and placed.clip.id not in only:
                continue
            if placed.footage.endless or placed.short_before_s + placed.short_after_s < 1e-3:
                continue
            changed.append(_mended(timeline, placed.clip, placed.footage, placed.frames / float(reel.rate)))
        if not changed:
            return reel
        by_name = {c.id: c for c in changed}
        reel = replace(reel, clips=tuple(by_name.get(c.id, c) for c in reel.clips))
    return reel


def _mended(timeline: Timeline, clip: Clip, piece: Footage, seconds: float) -> Clip:
    if clip.shaped is not None or clip.curve.nodes[0].speed < 0:
        return replace(clip, shaped=None, curve=constant(1.0))
    if clip.pins:
        cue = by_id(piece.cues, clip.pins[0].cue)
        point = timeline.point(clip.pins[0].point)
        placed = timeline.placed_clip(clip.id)
        if cue is not None and point is not None and placed is not None:
            frame = timeline.frame_of_point(point)
            before, after = ((n / float(timeline.rate)) for n in (frame - placed.begin, placed.until - frame))
            speed = min(
                cue.time_s / before if before > 0 else 1.0,
                (piece.length_s - cue.time_s) / after if after > 0 else 1.0,
                1.0,
            )
            if speed >= SLOWEST and clip.curve == constant(1.0):
                return replace(clip, curve=constant(max(speed * 0.995, SLOWEST)))
    speed = min(1.0, 0.99 * piece.length_s / max(seconds, 1e-3))
    return replace(clip, pins=(), source_s=max(0.0, (piece.length_s - seconds * speed) / 2), curve=constant(speed))


def _finished(reel: Reel, mood: Mood) -> Reel:
    """Return the reel with its accents, joins, sounds and look."""
    for fires in mood.fires:
        for rule, limit in _rules(reel, fires):
            name = new_id("r", {r.id for r in reel.rows})
            row = AccentRow(name, fires.accent, rule, limit=limit, amount=fires.amount, seed=len(reel.rows))
            reel = replace(reel, rows=(*reel.rows, row))
    song = reel.soundtrack
    if mood.join and song is not None:
        reel = _joined(reel, song, mood)
    if mood.rush and any(c.join is not None for c in reel.clips):
        reel = _with_sound(reel, mood.rush, Rule("drops" if mood.rush == "riser" else "joins"), -8.0)
    if mood.hit and song is not None and song.heard is not None and song.heard.drops:
        reel = _with_sound(reel, mood.hit, Rule("drops"), QUIETER.get(mood.hit, -6.0))
    look = next((x for x in LOOKS if x.name == mood.look), None)
    if look is not None:
        reel = replace(reel, look=replace(look.grade, amount=mood.look_amount))
    return reel


def _with_sound(reel: Reel, sound: str, rule: Rule, gain_db: float) -> Reel:
    reel = with_sound_row(reel, (sound,), rule)
    last = replace(reel.sound_rows[-1], gain_db=gain_db)
    return replace(reel, sound_rows=(*reel.sound_rows[:-1], last))


def _rules(reel: Reel, fires: Fires) -> list[tuple[Rule, Limit]]:
    """Return what an accent fires on: the drops, or points within each run of sections of its levels."""
    if fires.of == "drops":
        return [(Rule("drops"), Limit())]
    song = reel.soundtrack
    assert song is not None
    if fires.of == "downbeats":
        rule = Rule("bars", beats=(1,), every=fires.every)
    else:  # by their place in the bar, so that halves that are chosen somewhere do not shift the count
        rule = Rule("bars", beats=tuple(range(1, metre_of(song) + 1, fires.every)))
    runs: list[list[float]] = []
    for section in song.heard.sections if song.heard is not None else ():
        if (
            section.name not in fires.levels
            or section.end_s < song.start_s
            or section.start_s > song.start_s + reel.length_s
        ):
            continue
        if runs and abs(runs[-1][1] - section.start_s) < 0.1:
            runs[-1][1] = section.end_s
        else:
            runs.append([section.start_s, section.end_s])
    # The beat that a section ends on belongs to the next one.
    return [(rule, Limit(from_s=max(0.0, a - EARLY), to_s=b - EARLY)) for a, b in runs]


def _joined(reel: Reel, song: Soundtrack, mood: Mood) -> Reel:
    """Return the reel with a join on each change of section that is no drop: there the cut is hard."""
    timeline = Timeline(reel)
    joins = {}
    for place in laying.cuts(timeline):
        placed = timeline.placed_clip(place.clip)
        if placed is None:
            continue
        at_s = song.start_s + placed.first / float(reel.rate)
        heard = song.heard
        changes = heard is not None and any(abs(s.start_s - at_s) < NEAR_S for s in heard.sections[1:])
        drop = heard is not None and any(abs(at_s - d) < NEAR_S for d in heard.drops)
        if changes and not drop:
            joins[place] = replace(join_of(mood.join), length=mood.join_beats, unit="beats")
    joined = laying.with_joins(reel, dict(joins))
    # Where the footage does not go on for as long the cut is hard: a picture that stands still shows.
    short = {seam.owner.clip.id for seams in Timeline(joined).seams for seam in seams if seam.missing}
    return laying.with_joins(joined, {place: None for place in joins if place.clip in short})
