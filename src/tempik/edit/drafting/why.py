"""Why something of a reel is there: told from the reel and its footage as they are, so it is true of what was corrected, too."""

from __future__ import annotations

from collections.abc import Mapping

from tempik.accents import accent_named
from tempik.edit.drafting.casting import why
from tempik.edit.drafting.finish import is_change, is_drop
from tempik.edit.drafting.material import Chance, material_of
from tempik.edit.drafting.moods import MOODS
from tempik.edit.drafting.rhythm import Role, Slot, section_at
from tempik.errors import TempikError
from tempik.media import FootageStudy
from tempik.reel import AccentLane, Reel, SoundLane, Soundtrack
from tempik.reel.points import tempo_of
from tempik.rhythm.records import LEVEL_WORDS, LevelName
from tempik.sounds.shelf import SHELF
from tempik.time import time_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline, timeline_of
from tempik.transitions import CATALOGUE

ROLL_BEATS, SHORT_BEATS, OFF_MIDDLE = 4.5, 0.75, 0.02


def slot_of(timeline: Timeline, placed: PlacedClip) -> Slot:
    """Return what a clip's slot is to the song."""
    song = timeline.reel.soundtrack
    beats, role, energy = 2.0, "plain", 0.6
    level: LevelName = "middle"
    if song is not None:
        at_s = song.start_s + time_of(placed.first, timeline.rate)
        section = section_at(song, at_s + time_of(placed.frames, timeline.rate) / 2)
        level, energy = (section.name, section.level) if section is not None else (level, energy)
        gap = 60 / tempo_of(song) if tempo_of(song) else 0.5
        beats = time_of(placed.frames, timeline.rate) / gap
        role = _role(song, at_s, beats, gap)
    return Slot(placed.clip.start, placed.clip.end, energy, level, role, beats)  # type: ignore[arg-type]


def _role(song: Soundtrack, at_s: float, beats: float, gap: float) -> Role:
    if is_drop(song, at_s):
        return "drop"
    drops = song.heard.drops if song.heard is not None else ()
    return "roll" if beats < SHORT_BEATS and any(0 < d - at_s < ROLL_BEATS * gap for d in drops) else "plain"


def why_clip(reel: Reel, clip: str, studies: Mapping[str, FootageStudy]) -> str:
    """Return why a clip is there and shows what it shows, in one sentence. Raises TempikError where it is gone."""
    timeline = timeline_of(reel)
    placed = timeline.placed_clip(clip)
    if placed is None:
        raise TempikError("That clip is no longer on the reel.")
    slot, piece = slot_of(timeline, placed), placed.footage
    if piece.without_file:
        return f"{piece.name} was put there by hand."
    drafted = reel.draft.cues if reel.draft is not None else ()
    material = material_of([f for f in reel.footage if not f.without_file], studies, drafted)
    chances = [c for c in material.chances if c.piece.id == piece.id]
    pinned = {p.cue: p.point for p in placed.clip.pins}
    cue = next((c for c in piece.cues if c.id in pinned), None)
    shown_s = cue.time_s if cue is not None else placed.map.source_at(time_of(placed.frames, reel.rate) / 2)
    near = min(chances, key=lambda c: abs(c.time_s - shown_s))
    if cue is None:
        near = near._replace(why="its picture" if piece.endless else "what lies about its middle")
    message = why(slot, near).removesuffix(".")
    point = timeline.point(pinned[cue.id]) if cue is not None else None
    if point is not None:
        message += f"; it lands on {point.label}"
    return f"{message}{_speed(placed)}{_framed(placed, near)}."


def _speed(placed: PlacedClip) -> str:
    use, speeds = placed.clip.shaped, [n.speed for n in placed.clip.curve.nodes]
    if use is not None:
        return f", {use.shape.does}" if use.amount > 0 else ""
    if min(speeds) < 0:
        return ", played backward"
    if len(speeds) == 1 and abs(speeds[0] - 1) > 0.01:
        return f", at {100 * speeds[0]:.0f} % so that its footage fills the slot"
    return ""


def _framed(placed: PlacedClip, chance: Chance) -> str:
    start = placed.clip.framing.start
    if max(abs(start.x), abs(start.y)) < OFF_MIDDLE or chance.place == (0.5, 0.5):
        return ""
    return ", moved in the frame so that what moves stays in it"


def why_lane(reel: Reel, lane: AccentLane) -> str:
    """Return why an accent lane is there, in one sentence."""
    title = accent_named(lane.accent).title
    ours = reel.draft is not None and lane.id in reel.draft.accent_lanes
    where = {"drops": "on the drops alone, which should have the most", "bars": "on beats of the bar"}.get(
        lane.rule.of, f"on {lane.rule.of}"
    )
    song = reel.soundtrack
    if lane.rule.of == "bars":
        where = (
            "on downbeats"
            if lane.rule.beats == (1,)
            else "on beats " + ", ".join(map(str, lane.rule.beats)) + " of the bar"
        )
        if lane.limit.from_s is not None and song is not None:
            section = section_at(song, lane.limit.from_s + 0.2)
            level = LEVEL_WORDS[section.name] if section is not None else ""
            where += f" where the song is {level}" if level else ""
    return f"{title} {where}{_by(reel, ours)}."


def why_sound_lane(reel: Reel, lane: SoundLane) -> str:
    """Return why a lane of sounds is there, in one sentence."""
    names = " or ".join(SHELF[s].title if s in SHELF else s for s in lane.sounds)
    on = {"drops": "on the drops", "transitions": "on transitions, so that they are heard"}.get(
        lane.rule.of, f"on {lane.rule.of}"
    )
    ours = reel.draft is not None and lane.id in reel.draft.sound_lanes
    return f"{names} {on}{_by(reel, ours)}."


def _by(reel: Reel, ours: bool) -> str:
    return f": the mood '{reel.draft.mood}' has it" if ours and reel.draft is not None else ", laid by hand"


def why_reel(reel: Reel) -> str:
    """Return how a reel came about, in one sentence; '' where it was not drafted by a mood."""
    draft, song = reel.draft, reel.soundtrack
    if draft is None or not draft.mood or song is None:
        return ""
    mood = next((m for m in MOODS if m.name == draft.mood), None)
    like = f": {mood.does}" if mood is not None else ""
    parts = [s for s in (song.heard.sections if song.heard is not None else ()) if s.end_s > song.start_s + 1]
    begins = f"; it begins where the song is {LEVEL_WORDS[parts[0].name]}" if parts else ""
    look = f", with the look {mood.look}" if mood is not None and mood.look and reel.look is not None else ""
    return f"Drafted by the mood '{draft.mood}' (draw {draft.seed + 1}){like}{begins}{look}."


def why_transition(reel: Reel, clip: str) -> str:
    """Return why a cut is joined, or is hard, in one sentence. Raises TempikError where the clip is gone."""
    timeline = timeline_of(reel)
    placed = timeline.placed_clip(clip)
    song = reel.soundtrack
    if placed is None or song is None:
        raise TempikError("That clip is no longer on the reel.")
    at_s = song.start_s + time_of(placed.first, reel.rate)
    transition = placed.clip.transition
    if transition is None:
        why_hard = "the song drops here" if is_drop(song, at_s) else "transitions lie on changes of section alone"
        return f"This cut is hard: {why_hard}."
    kind = CATALOGUE.get(transition.kind)
    where = "the song's section changes here" if is_change(song, at_s) else "it was laid by hand"
    return f"{kind.title if kind is not None else transition.kind}: {where}."
