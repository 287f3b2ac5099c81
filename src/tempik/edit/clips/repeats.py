"""A clip laid again wherever a rule fires, but for what was done by hand: left out here, made a clip of its own there."""

from __future__ import annotations

from collections.abc import Collection

from msgspec.structs import replace

from tempik.edit.clips.slots import clip_of, new_clip_id, with_clips
from tempik.errors import TempikError
from tempik.reel import Clip, Reel, RepeatRule, Rule
from tempik.timeline.repeats import RULES, event_of, source_of
from tempik.timeline.timeline import Timeline, timeline_of


def with_repeat(reel: Reel, clips: Collection[str], rule: Rule | None) -> Reel:
    """Lay clips again wherever a rule fires; what was left out by hand stays so. None lays them once. Raises TempikError for a rule that
    lays no clips."""
    if rule is not None and rule.of not in RULES:
        raise TempikError(f"A clip is laid again on {', '.join(RULES)}, not on {rule.of}.")
    if rule is not None and rule.every < 1:
        raise TempikError("Every first is the least; give 1 or more.")
    return with_clips(reel, [_with_rule(clip_of(reel, name), rule) for name in clips])


def _with_rule(clip: Clip, rule: Rule | None) -> Clip:
    if rule is None:
        return replace(clip, repeat=None)
    return replace(clip, repeat=replace(clip.repeat or RepeatRule(), rule=rule))


def without_repeat_instance(reel: Reel, repeats: Collection[str]) -> Reel:
    """Leave out where clips are laid again, by the ids that the timeline gives those places. Raises TempikError for a clip of its own."""
    found: dict[str, list[str]] = {}
    for name in repeats:
        if event_of(name):
            found.setdefault(source_of(name), []).append(event_of(name))
    if not found:
        raise TempikError("That is a clip of its own; remove it, or take its rule off.")
    out = []
    for name, events in found.items():
        clip = clip_of(reel, name)
        again = clip.repeat or RepeatRule()
        out.append(replace(clip, repeat=replace(again, without=tuple(dict.fromkeys((*again.without, *events))))))
    return with_clips(reel, out)


def with_all_repeat_instances(reel: Reel, clips: Collection[str]) -> Reel:
    """Lay clips again on all that their rules fire on, also where they were left out by hand."""
    out = [clip_of(reel, name) for name in clips]
    return with_clips(reel, [replace(c, repeat=replace(c.repeat, without=())) for c in out if c.repeat is not None])


def with_repeat_instance_own(reel: Reel, repeat: str) -> tuple[Reel, str]:
    """Make one place where a clip is laid again a clip of its own, to be changed by itself; returns its id. Raises TempikError for a clip
    of its own."""
    timeline = timeline_of(reel)
    placed = timeline.placed_clip(repeat)
    if placed is None or not placed.repeated:
        raise TempikError("That is a clip of its own already.")
    name = new_clip_id(reel)
    made = replace(placed.clip, id=name)
    return with_clips(without_repeat_instance(reel, [repeat]), [made]), name


def repeat_instances(timeline: Timeline, clip: str) -> list[str]:
    """Return the ids of the places where a clip is laid again, in order."""
    return [p.clip.id for track in timeline.tracks for p in track if p.repeated and source_of(p.clip.id) == clip]
