"""What a draft adds to its clips: accents, transitions, sounds and a look, each few and on what deserves it."""

from __future__ import annotations

from collections.abc import Collection

from msgspec.structs import replace

from tempik.edit.drafting.moods import Fires, Mood
from tempik.edit.sounds.lanes import with_sound_lane
from tempik.edit.transitions import laying
from tempik.grade.looks import LOOKS
from tempik.reel import AccentLane, Grade, Limit, Reel, Rule, Soundtrack, new_id
from tempik.reel.points import metre_of
from tempik.timeline.timeline import Timeline
from tempik.transitions import new_transition

EARLY, NEAR_S = 0.1, 0.1
SEEN_S = 0.2
QUIETER = {"impact": -6.0, "riser": -10.0}
RUSH_DB = -8.0


def with_accents(reel: Reel, mood: Mood, from_s: float | None = None, to_s: float | None = None) -> Reel:
    """Return the reel with a mood's accent lanes: all through, or between two instants of the song. Lanes that are there already, the
    same in what they do and where, are not laid twice."""
    there = [(r.accent, r.rule, r.limit) for r in reel.accent_lanes]
    for fires in mood.fires:
        for rule, limit in _rules(reel, fires, from_s, to_s):
            if (fires.accent, rule, limit) in there:
                continue
            name = new_id("r", {r.id for r in reel.accent_lanes})
            lane = AccentLane(name, fires.accent, rule, limit=limit, amount=fires.amount, seed=len(reel.accent_lanes))
            reel = replace(reel, accent_lanes=(*reel.accent_lanes, lane))
    return reel


def _rules(reel: Reel, fires: Fires, from_s: float | None, to_s: float | None) -> list[tuple[Rule, Limit]]:
    """Return what an accent fires on: the drops, or points within each run of sections of its levels."""
    song = reel.soundtrack
    assert song is not None
    if fires.of == "drops":
        return [(Rule("drops"), Limit(from_s=_early(from_s), to_s=_early(to_s)))]
    if fires.of == "downbeats":
        rule = Rule("bars", beats=(1,), every=fires.every)
    else:  # by their place in the bar, so that halves that are chosen somewhere do not shift the count
        rule = Rule("bars", beats=tuple(range(1, metre_of(song) + 1, fires.every)))
    begin = song.start_s if from_s is None else from_s
    end = song.start_s + reel.length_s if to_s is None else to_s
    runs: list[list[float]] = []
    for section in song.heard.sections if song.heard is not None else ():
        if section.name not in fires.levels or section.end_s < begin or section.start_s > end:
            continue
        a, b = (
            (section.start_s, section.end_s)
            if from_s is None
            else (max(section.start_s, begin), min(section.end_s, end))
        )
        if runs and abs(runs[-1][1] - a) < 0.1:
            runs[-1][1] = b
        else:
            runs.append([a, b])
    # The first picture is what a reel is known by: it is seen as it is.
    clear_s = begin + SEEN_S if from_s is None else 0.0
    # The beat that a section ends on belongs to the next one.
    spans = [(max(0.0, a - EARLY, clear_s), b - EARLY) for a, b in runs]
    return [(rule, Limit(from_s=a, to_s=b)) for a, b in spans if b > a]


def _early(time_s: float | None) -> float | None:
    return None if time_s is None else max(0.0, time_s - EARLY)


def lanes_left(reel: Reel, lanes: Collection[str], from_s: float, to_s: float) -> Reel:
    """Return the reel with some accent lanes silent between two instants of the song: each goes on after it in a lane of its own."""
    out: list[AccentLane] = []
    taken = {r.id for r in reel.accent_lanes}
    for lane in reel.accent_lanes:
        begin, end = lane.limit.from_s, lane.limit.to_s
        if lane.id not in lanes or (end is not None and end <= from_s) or (begin is not None and begin >= to_s):
            out.append(lane)
            continue
        before = begin is None or begin < from_s - EARLY
        after = end is None or end > to_s
        if before:
            out.append(replace(lane, limit=replace(lane.limit, to_s=from_s - EARLY)))
        if after:
            name = new_id("r", taken) if before else lane.id
            taken.add(name)
            out.append(replace(lane, id=name, limit=replace(lane.limit, from_s=to_s - EARLY)))
    return replace(reel, accent_lanes=tuple(out))


def with_transitions(reel: Reel, mood: Mood, clips: Collection[str]) -> Reel:
    """Return the reel with a transition on each change of section that is no drop: there the cut is hard. Of the named clips alone."""
    song = reel.soundtrack
    if not mood.transition or song is None:
        return reel
    timeline = Timeline(reel)
    transitions = {}
    for place in laying.cuts(timeline, clips):
        placed = timeline.placed_clip(place.clip)
        if placed is not None and is_change(song, song.start_s + placed.first / float(reel.rate)):
            transitions[place] = replace(new_transition(mood.transition), length=mood.transition_beats, unit="beats")
    joined = laying.with_transitions(reel, dict(transitions))
    # What goes on beyond a cut is shown as fast as the slot is at its edge: where the footage is too short for that, both clips play at
    # one speed; where it does not go on for long enough even so, the cut is hard, as a picture that stands still shows.
    beside = _too_short(joined)
    calm = laying.with_transitions(
        _at_one_speed(reel, {c for pair in beside.values() for c in pair} & set(clips)), dict(transitions)
    )
    still = set(_too_short(calm))
    better = {c for owner, pair in beside.items() if owner not in still for c in pair}
    made = laying.with_transitions(_at_one_speed(reel, better & set(clips)), dict(transitions))
    return laying.with_transitions(made, {place: None for place in transitions if place.clip in _too_short(made)})


def _too_short(reel: Reel) -> dict[str, tuple[str, str]]:
    """Return the clips whose transition shows a picture that stands still, each with both sides of the transition."""
    out = {}
    for lane, transitions in zip(Timeline(reel).own_tracks, Timeline(reel).transitions, strict=True):
        names = [p.clip.id for p in lane]
        for placed_transition in transitions:
            if placed_transition.missing and placed_transition.owner.clip.id in names:
                at = names.index(placed_transition.owner.clip.id)
                out[names[at]] = (names[max(at - 1, 0)], names[at])
    return out


def _at_one_speed(reel: Reel, clips: Collection[str]) -> Reel:
    changed = {
        c.id: replace(c, shaped=None)
        for c in reel.clips
        if c.id in clips and c.shaped is not None and c.shaped.align == "pin"
    }
    return replace(reel, clips=tuple(changed.get(c.id, c) for c in reel.clips))


def is_change(song: Soundtrack, at_s: float) -> bool:
    """Tell whether the song's section changes at an instant that is no drop."""
    heard = song.heard
    changes = heard is not None and any(abs(s.start_s - at_s) < NEAR_S for s in heard.sections[1:])
    return changes and not is_drop(song, at_s)


def is_drop(song: Soundtrack, at_s: float) -> bool:
    """Tell whether the song drops at an instant."""
    return song.heard is not None and any(abs(at_s - d) < NEAR_S for d in song.heard.drops)


def with_sounds(reel: Reel, mood: Mood) -> Reel:
    """Return the reel with a mood's sounds: a rush on its transitions, a rise to the drops or a blow on them."""
    song = reel.soundtrack
    drops = song.heard.drops if song is not None and song.heard is not None else ()
    falls = song is not None and any(song.start_s <= d < song.start_s + reel.length_s for d in drops)
    if mood.rush == "riser":
        reel = _with_sound(reel, "riser", Rule("drops"), QUIETER["riser"]) if falls else reel
    elif mood.rush and any(c.transition is not None for c in reel.clips):
        reel = _with_sound(reel, mood.rush, Rule("transitions"), RUSH_DB)
    return _with_sound(reel, mood.hit, Rule("drops"), QUIETER.get(mood.hit, -6.0)) if mood.hit and falls else reel


def _with_sound(reel: Reel, sound: str, rule: Rule, gain_db: float) -> Reel:
    if any(r.rule == rule and r.sounds == (sound,) for r in reel.sound_lanes):
        return reel
    reel = with_sound_lane(reel, (sound,), rule)
    last = replace(reel.sound_lanes[-1], gain_db=gain_db)
    return replace(reel, sound_lanes=(*reel.sound_lanes[:-1], last))


def with_look(reel: Reel, mood: Mood) -> Reel:
    """Return the reel with a mood's look and shutter."""
    look = next((x for x in LOOKS if x.name == mood.look), None)
    grade = replace(look.grade, amount=mood.look_amount) if look is not None else None
    if mood.light:
        grade = grade or Grade()
        grade = replace(grade, exposure=grade.exposure + mood.light)
    return replace(reel, look=grade, shutter_deg=mood.shutter_deg)
