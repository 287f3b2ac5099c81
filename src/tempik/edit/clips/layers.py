"""Clips as layers over what lies below: blend mode, opacity, fades, and keys on opacity and place."""

from __future__ import annotations

from collections.abc import Collection

from msgspec.structs import replace

from tempik.edit.clips.place import with_new_track
from tempik.edit.clips.slots import clip_of, with_clips
from tempik.edit.keying import frame_of_key, keyed_with, keyed_without
from tempik.edit.transitions.laying import TransitionPlace, transition_at, with_transitions
from tempik.errors import TempikError
from tempik.media.blend import BLENDS
from tempik.reel import Clip, Position, Reel, Transition, TransitionUnit
from tempik.reel.clip_settings import CLIP_SETTINGS
from tempik.reel.lanes import KeyEase
from tempik.reel.validate import KEYED
from tempik.settings import refuse_outside
from tempik.timeline.timeline import PLACE_KEYS, Timeline, timeline_of
from tempik.transitions import new_transition

FADE = "dissolve"


def with_blend(reel: Reel, clips: Collection[str], blend: str) -> Reel:
    """Lay clips over what lies below by another mode. Raises TempikError for one that is not known."""
    if blend not in BLENDS:
        raise TempikError(f"There is no blend mode '{blend}'; choose from {', '.join(BLENDS)}.")
    return with_clips(reel, [replace(clip_of(reel, name), blend=blend) for name in clips])


def with_opacity(reel: Reel, clips: Collection[str], opacity: float, frame: int | None = None) -> Reel:
    """Set how much of clips shows, 0 to 1. Where a clip's opacity has keys, the key at the frame is set, or made. Raises TempikError
    outside 0 to 1."""
    refuse_outside(CLIP_SETTINGS["opacity"], opacity)
    out = []
    for name in clips:
        clip = clip_of(reel, name)
        if frame is not None and clip.keys.get("opacity"):
            out.append(_keyed(timeline_of(reel), clip, {"opacity": opacity}, frame))
        else:
            out.append(replace(clip, opacity=opacity))
    return with_clips(reel, out)


def with_fade(reel: Reel, clips: Collection[str], at_end: bool, length: float, unit: TransitionUnit = "frames") -> Reel:
    """Let clips fade in from nothing, or out to it, over so many frames or beats; 0 takes the fade off. Beside another clip
    of its track it is a transition with that clip."""
    transitions: dict[TransitionPlace, Transition | None] = {}
    for name in clips:
        place = TransitionPlace(name, at_end)
        now = transition_at(reel, place)
        made = now if now is not None else new_transition(FADE)
        transitions[place] = replace(made, length=float(length), unit=unit) if length > 0 else None
    return with_transitions(reel, transitions)


def with_clip_key(
    reel: Reel, clip: str, name: str, frame: int, value: float, ease: KeyEase = "soft", within: int = 0
) -> Reel:
    """Set a value of a clip at a frame: of `opacity`, `zoom`, `x`, `y` or `turn_deg`. On a point's frame the key goes with the
    point. Raises TempikError for what cannot be keyed, or cannot be so."""
    if name not in KEYED:
        raise TempikError(f"'{name}' cannot be keyed; choose from {', '.join(KEYED)}.")
    low, high = KEYED[name]
    if not low <= value <= high:
        raise TempikError(f"A clip's {name} lies between {low:g} and {high:g}.")
    return with_clips(reel, [_keyed(timeline_of(reel), clip_of(reel, clip), {name: value}, frame, ease, within)])


def without_clip_key(reel: Reel, clip: str, names: Collection[str], frame: int) -> Reel:
    """Take the keys at a frame away; with the last one the value of a clip's opacity or place stays for good."""
    timeline, record = timeline_of(reel), clip_of(reel, clip)
    keys = dict(record.keys)
    for name in names:
        gone = [k for k in keys.get(name, ()) if frame_of_key(timeline, k) == frame]
        left = keyed_without(timeline, keys.get(name, ()), frame)
        if left:
            keys[name] = left
        elif name in keys:
            del keys[name]
            record = _settled(record, name, gone[-1].value) if gone else record
    return with_clips(reel, [replace(record, keys=keys)])


def _settled(clip: Clip, name: str, value: float) -> Clip:
    if name == "opacity":
        return replace(clip, opacity=value)
    if name not in PLACE_KEYS:
        return clip  # without keys all of a grade shows, and all words
    framing = clip.framing
    return replace(clip, framing=replace(framing, start=replace(framing.start, **{name: value})))


def with_place_keys(reel: Reel, clips: Collection[str], frame: int, at: Position) -> Reel:
    """Key where clips stand in the frame, at a frame of the reel: zoom, across, down and turn."""
    timeline = timeline_of(reel)
    values = {name: float(getattr(at, name)) for name in PLACE_KEYS}
    return with_clips(reel, [_keyed(timeline, clip_of(reel, name), values, frame) for name in clips])


def has_place_keys(clip: Clip) -> bool:
    """Tell whether a clip's place in the frame has keys."""
    return any(name in clip.keys for name in PLACE_KEYS)


def key_frames(timeline: Timeline, clip: Clip, names: Collection[str]) -> list[int]:
    """Return the frames at which a clip has keys of these names, in order."""
    return sorted({frame_of_key(timeline, k) for n in names for k in clip.keys.get(n, ())})


def _keyed(
    timeline: Timeline, clip: Clip, values: dict[str, float], frame: int, ease: KeyEase = "soft", within: int = 0
) -> Clip:
    keys = {n: keyed_with(timeline, clip.keys.get(n, ()), frame, v, ease, within) for n, v in values.items()}
    return replace(clip, keys={**clip.keys, **keys})


def restacked(reel: Reel, clip: str, track: int) -> Reel:
    """Lay a clip on another track; what it would cover there goes to the track that it leaves. Beyond the last a track is made on top.
    Raises TempikError where either track is locked, or what changes places with it has no room."""
    timeline, moved = timeline_of(reel), timeline_of(reel).placed_clip(clip)
    if moved is None:
        raise TempikError("That clip is no longer on the reel.")
    old = moved.clip.track
    if track < 0:
        raise TempikError("There is no track below the first.")
    if track >= len(reel.tracks):
        reel, track = with_new_track(reel), len(reel.tracks)
    if track == old:
        return reel
    for of in (old, track):
        if reel.tracks[of].locked:
            raise TempikError(f"Track {of + 1} is locked; unlock it first.")
    there = [p for p in timeline.placed if p.clip.track == track and p.first < moved.end and p.end > moved.first]
    staying = [p for p in timeline.placed if p.clip.track == old and p.clip.id != clip]
    for other in there:
        if any(p.first < other.end and p.end > other.first for p in staying):
            raise TempikError(
                f"{other.footage.name} on track {track + 1} has no room on track {old + 1}; move it, or lay the clip on a track of its own."
            )
    return with_clips(reel, [replace(moved.clip, track=track), *(replace(p.clip, track=old) for p in there)])
