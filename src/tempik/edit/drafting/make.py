"""A draft by a mood: of a song and footage, or over a reel, of which what is locked stays."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import NamedTuple

from msgspec.structs import replace

from tempik.edit.clips.slots import cleared, new_clip_id
from tempik.edit.drafting.around import around, shown
from tempik.edit.drafting.casting import CastingContext, cast
from tempik.edit.drafting.clips import (
    Seen,
    most_ramp,
    rare_slots,
    seen_about,
    with_enough_footage,
    with_laid,
)
from tempik.edit.drafting.cues import all_cues, without_idle_cues
from tempik.edit.drafting.finish import lanes_left, with_accents, with_look, with_sounds, with_transitions
from tempik.edit.drafting.framing import with_subjects
from tempik.edit.drafting.material import material_of
from tempik.edit.drafting.moods import Mood
from tempik.edit.drafting.rhythm import LEAST_S, slots_of
from tempik.edit.song.stretches import with_stretch
from tempik.errors import TempikError
from tempik.media import FootageStudy, upright
from tempik.reel import Drafted, Footage, PointChoice, Reel, Soundtrack
from tempik.reel.nests import all_clips
from tempik.reel.points import points_of
from tempik.reel.sound import MASTERED, Mix
from tempik.time import frame_of, time_of
from tempik.timeline.timeline import Timeline

LONGEST_S = 60.0
MOST_STRENGTH = 2.0


class DraftOptions(NamedTuple):
    """What a draft by a mood is asked for. `strength` is how wild it is, 0 to 2; another `seed` draws again; `ordered` keeps the order
    of the shot list, or of the shelf; `over` is the stretch of the reel that it is laid over, in seconds, all of it when None."""

    mood: Mood
    seed: int = 0
    start_s: float = 0.0
    length_s: float | None = None
    width: int = 1080
    height: int = 1920
    rate: Fraction = Fraction(30)
    strength: float = 1.0
    ordered: bool = False
    over: tuple[float, float] | None = None


class MoodDraft(NamedTuple):
    """The reel, sentences on what a person should know of it, and the ids of the clips that were laid."""

    reel: Reel
    notes: tuple[str, ...]
    clips: tuple[str, ...]


def draft_in_mood(
    song: Soundtrack, footage: Sequence[Footage], studies: Mapping[str, FootageStudy], options: DraftOptions
) -> MoodDraft:
    """Return a reel of a stretch of song; `studies` are what looks through the footage found, by its id. The same seed gives the same
    reel. Raises TempikError where there is no footage, or nothing of the song is left."""
    length_s, notes = _length(song, options)
    reel = Reel(
        width=options.width, height=options.height, rate=options.rate, length_s=length_s,
        soundtrack=replace(song, start_s=options.start_s), footage=tuple(footage), mix=MASTERED,
    )  # fmt: skip
    return _drafted(reel, studies, options, notes)


def drafted_anew(reel: Reel, studies: Mapping[str, FootageStudy], options: DraftOptions) -> MoodDraft:
    """Return a reel drafted anew: clips on the lowest track give way but for those that are locked, and so do the lanes and cues of the draft
    before; all else stays. Over a stretch, what lies outside it stays as it is, too. Raises TempikError where there is nothing to draft
    of, or the track is locked."""
    song = reel.soundtrack
    if song is None:
        raise TempikError("A draft needs a song first; add one.")
    if reel.opened:
        raise TempikError("A draft is laid on the reel itself; close the nest first.")
    if reel.tracks[0].locked:
        raise TempikError("Track 1 is locked; unlock it, or nothing can be drafted on it.")
    notes: list[str] = []
    if options.over is None:
        length_s, notes = _length(song, options)
        if options.start_s != song.start_s or length_s != reel.length_s:
            reel = with_stretch(reel, options.start_s, length_s)
    timeline = Timeline(reel)
    first, end = _frames(timeline, options)
    if end - first < LEAST_S * float(reel.rate):
        raise TempikError("The stretch to draft over is too short; mark a longer one.")
    if options.over is None:  # what lies beyond the reel's ends goes as well
        clips = tuple(c for c in reel.clips if c.track or c.locked)
        held = {c.footage for c in clips} | {
            c.footage for f in reel.footage if f.nest is not None for c in f.nest.clips
        }
        footage = tuple(
            f for f in reel.footage if f.nest is None or f.id in held
        )  # nests that nothing shows any more go too
        reel = replace(reel, clips=clips, footage=footage)
    else:
        reel = cleared(reel, 0, first, end, [c.id for c in reel.clips if c.locked])
    reel = _without_lanes(without_idle_cues(reel), options, first, end)
    return _drafted(reel, studies, options, notes)


def _length(song: Soundtrack, options: DraftOptions) -> tuple[float, list[str]]:
    """Return how long the reel becomes, and what is to be said of it."""
    left = song.length_s - options.start_s
    if options.start_s < 0 or left <= 0.5:
        raise TempikError(f"{song.path} is {song.length_s:.2f} s long; start the reel earlier.")
    if options.length_s is None:
        return min(left, LONGEST_S), []
    if options.length_s <= 0.5:
        raise TempikError(f"A reel of {options.length_s:g} s cannot be drafted; give a length above 0.5 s.")
    if left < options.length_s - 0.05:
        return left, [f"The song has {left:.1f} s left there; the reel is that long."]
    return min(left, options.length_s), []


def _frames(timeline: Timeline, options: DraftOptions) -> tuple[int, int]:
    """Return the frames (first, end) that a draft is laid over."""
    if options.over is None:
        return 0, timeline.frames
    a, b = (frame_of(s, timeline.rate) for s in options.over)
    return max(0, a), min(b, timeline.frames)


def _without_lanes(reel: Reel, options: DraftOptions, first: int, end: int) -> Reel:
    """Return the reel without the lanes and choices of points that the last draft made, but for locked ones. Over a stretch the accents of
    another mood are silent there alone."""
    draft, song = reel.draft, reel.soundtrack
    assert song is not None
    if options.over is not None:
        if draft is None or draft.mood == options.mood.name:
            return reel
        a, b = (song.start_s + time_of(f, reel.rate) for f in (first, end))
        return lanes_left(reel, [r.id for r in reel.accent_lanes if r.id in draft.accent_lanes and not r.locked], a, b)
    if draft is None or not draft.mood:
        return replace(
            reel,
            accent_lanes=tuple(r for r in reel.accent_lanes if r.locked),
            sound_lanes=tuple(r for r in reel.sound_lanes if r.locked),
        )
    tied = {e.point for c in all_clips(reel) for e in (c.start, c.end)} | {
        p.point for c in all_clips(reel) for p in c.pins
    }
    fewer = replace(song, choices=tuple(c for c in song.choices if c not in draft.choices) or song.choices)
    # What still lies on a point between beats keeps it.
    if tied & ({p.id for p in points_of(song)} - {p.id for p in points_of(fewer)}):
        fewer = song
    return replace(
        reel,
        accent_lanes=tuple(r for r in reel.accent_lanes if r.locked or r.id not in draft.accent_lanes),
        sound_lanes=tuple(r for r in reel.sound_lanes if r.locked or r.id not in draft.sound_lanes),
        soundtrack=fewer,
    )


def _drafted(reel: Reel, studies: Mapping[str, FootageStudy], options: DraftOptions, notes: list[str]) -> MoodDraft:
    """Lay a draft where the lowest track is free."""
    pieces = footage_for(reel, options.ordered)
    if not pieces:
        raise TempikError("A draft needs footage; add at least one video.")
    song, before, mood = reel.soundtrack, reel, options.mood
    assert song is not None
    timeline = Timeline(reel)
    first, end = _frames(timeline, options)
    a, b = time_of(first, reel.rate), reel.length_s if end == timeline.frames else time_of(end, reel.rate)
    laid = slots_of(song, song.start_s + a, song.start_s + b, mood, options.seed)
    reel = replace(reel, soundtrack=replace(song, choices=(*song.choices, *laid.choices)))
    there = [p for p in Timeline(reel).placed if p.clip.track == 0 and not p.repeated]
    slots, beside = around(laid.slots, there, Timeline(reel), first, end)
    if not slots:
        raise TempikError("All clips there are locked; unlock one, or draft over another stretch.")
    material = material_of(pieces, studies, before.draft.cues if before.draft is not None else ())
    chosen = cast(slots, material, mood, options.seed, CastingContext(shown(there), beside, options.ordered))
    rare = rare_slots(slots, mood, options.seed)
    names: dict[str, Seen] = {}
    for number, (slot, one) in enumerate(zip(slots, chosen, strict=True)):
        name = new_clip_id(reel)
        names[name] = seen_about(one.chance)
        reel = with_laid(reel, name, slot, one.chance, mood, number in rare)
    courses = {f.id: upright(studies[f.id].course, f.rotation_deg) for f in pieces if f.id in studies}
    reel = with_subjects(with_enough_footage(reel, names), names, courses)
    reel = with_transitions(reel, mood, names)
    reel = _finished(reel, before, options, first, end)
    made = _record(before, reel, options, laid.choices)
    return MoodDraft(replace(reel, draft=made), (*notes, *laid.notes, *material.notes), tuple(names))


def _record(before: Reel, reel: Reel, options: DraftOptions, choices: tuple[PointChoice, ...]) -> Drafted:
    """Return what is to be known of a draft when the next one is made."""
    last, song = before.draft or Drafted(""), reel.soundtrack
    assert song is not None
    mood = options.mood.name if options.over is None else last.mood or options.mood.name
    lanes, sounds = {r.id for r in reel.accent_lanes}, {r.id for r in reel.sound_lanes}
    return Drafted(
        mood, options.seed, options.strength, options.ordered,
        tuple(sorted(lanes - {r.id for r in before.accent_lanes} | lanes & set(last.accent_lanes))),
        tuple(sorted(sounds - {r.id for r in before.sound_lanes} | sounds & set(last.sound_lanes))),
        tuple(sorted(all_cues(reel) - all_cues(before) | set(last.cues))),
        tuple(c for c in song.choices if c in (*last.choices, *choices)),
    )  # fmt: skip


def _finished(reel: Reel, before: Reel, options: DraftOptions, first: int, end: int) -> Reel:
    """Return the reel with the mood's accents, sounds and look. What was corrected of the look stays where the mood is the same."""
    song, mood = reel.soundtrack, options.mood
    assert song is not None
    same = before.draft is not None and before.draft.mood == mood.name
    if options.over is not None:
        a, b = (song.start_s + time_of(f, reel.rate) for f in (first, end))
        return reel if same else with_accents(reel, mood, a, b)
    reel = with_sounds(with_accents(reel, mood), mood)
    reel = reel if same else with_look(reel, mood)
    mix = MASTERED if reel.mix == Mix() else reel.mix
    return with_strength(replace(reel, mix=mix), mood, options.strength)


def footage_for(reel: Reel, ordered: bool) -> list[Footage]:
    """Return the footage that a draft is made of: what has a file, but for pictures with clear parts and what lies on upper tracks
    alone, if there is other; in the order of the shot list if that is kept."""
    upper = {c.footage for c in reel.clips if c.track} - {c.footage for c in reel.clips if not c.track}
    pieces = [f for f in reel.footage if not f.without_file]
    pieces = [f for f in pieces if not f.alpha and f.id not in upper] or pieces
    shots = [s.id for s in reel.shots]
    if ordered and shots:
        pieces.sort(key=lambda f: shots.index(f.shot) if f.shot in shots else len(shots))
    return pieces


def with_strength(reel: Reel, mood: Mood, strength: float) -> Reel:
    """Return the reel calmer or wilder, 0 to 2 (1 is the mood as it is): how strong all accents are, and how much of their shapes the
    clips play that it laid, within what their footage stays clean at. Kept clips stay."""
    strength = min(max(strength, 0.0), MOST_STRENGTH)
    pieces = {f.id: f for f in reel.footage}

    def ramped(wanted: float) -> float:
        return min(wanted * (0.4 + 0.6 * strength), MOST_STRENGTH)

    clips = []
    for clip in reel.clips:
        use = clip.shaped
        if (
            use is not None
            and use.align == "pin"
            and use.shape.name == mood.shape
            and not clip.locked
            and clip.footage in pieces
        ):
            amount = most_ramp(reel, pieces[clip.footage], ramped(mood.ramp), use.shape)
            clip = replace(clip, shaped=replace(use, amount=amount))
        clips.append(clip)
    draft = replace(reel.draft, strength=strength) if reel.draft is not None else None
    made = replace(reel, amount=strength, clips=tuple(clips), draft=draft)
    timeline = Timeline(reel)
    seen = {}
    for clip, old in zip(clips, reel.clips, strict=True):
        placed = timeline.placed_clip(clip.id)
        if clip is not old and placed is not None:
            seen[clip.id] = (0.0, placed.footage.length_s)
    return with_enough_footage(made, seen)
