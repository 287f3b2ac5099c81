"""Clips as pieces: copied and pasted, repeated, overlapped, staggered, grouped, and their attributes passed on."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from itertools import pairwise
from typing import Literal, NamedTuple

from msgspec.structs import replace

from tempik.edit.clips.slots import (
    cleared,
    clip_of,
    edge_at,
    in_order,
    new_clip_id,
    on_reel,
    opened_up,
    shifted,
    trimmed,
    with_clips,
)
from tempik.edit.keying import keyed_along
from tempik.edit.ties import with_tracks_led
from tempik.errors import TempikError
from tempik.reel import Clip, Framing, Pin, Reel, Transition, new_id
from tempik.reel.nests import all_clips
from tempik.timeline.framing import filling
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import timeline_of
from tempik.transitions import WAYS, new_transition

Attribute = Literal["speed", "framing", "layer", "transition", "masks", "title", "grade"]
# What can be pasted from clip to clip: each by the fields of a clip that it is made of.
ATTRIBUTES: dict[Attribute, tuple[str, ...]] = {
    "speed": ("curve", "part", "shaped", "interpolation"),
    "framing": ("framing",),
    "layer": ("blend", "opacity"),
    "transition": ("transition",),
    "masks": ("masks", "clear"),
    "grade": ("grade",),
    "title": (),  # its look, with the words that are there
}


# How long a clip slides over the one before it at most: overlapped as long as it overlaps it, in a staircase three frames.
SLIDE_FRAMES = {"overlap": 600, "stagger": 3}


def slide_by_turns(frames: int, number: int) -> Transition:
    """Return the transition of overlapped clips: a slide over after the cut, from one side and the other."""
    return replace(
        new_transition("slide-over"), length=float(frames), at=0.0, direction=WAYS[number % 2], shutter_deg=200.0
    )


class Copied(NamedTuple):
    """Clips lifted off a reel: each with its place from the first one's first frame, in frames, and its pins' places."""

    clips: tuple[tuple[Clip, int, int, tuple[tuple[str, int], ...]], ...]
    first: int = 0  # the frame at which the first of them lay

    @property
    def frames(self) -> int:
        """How many frames the copied clips span."""
        return max(offset + length for _, offset, length, _ in self.clips)


def copied(reel: Reel, clips: Collection[str]) -> Copied:
    """Return clips as they are now, for pasting elsewhere."""
    timeline = timeline_of(reel)
    found = in_order(timeline, clips)
    first = min(p.first for p in found)
    out = []
    for placed in found:
        whole = replace(placed.clip, source_s=placed.map.start_s, curve=placed.map.curve, part=placed.map.part)
        kept = whole if len(placed.ties) < 2 else replace(placed.clip, source_s=placed.map.start_s)
        pins = tuple((t.cue, t.frame - placed.begin) for t in placed.ties)
        out.append((kept, placed.begin - first, placed.until - placed.begin, pins))
    return Copied(tuple(out), first)


def pasted(
    reel: Reel, what: Copied, frame: int, insert: bool = False, track: int | None = None
) -> tuple[Reel, list[str]]:
    """Lay copied clips from a frame on, over what is there or inserted; return the reel and the new clips.

    Edges and pins are tied to points where there are points at their new places. `track` lays the lowest on that track.
    Raises TempikError where nothing was copied, or its footage is gone.
    """
    if not what.clips:
        raise TempikError("Nothing has been copied yet.")
    lowest = min(c.track for c, *_ in what.clips)
    up = 0 if track is None else track - lowest
    known = {f.id: f for f in reel.footage}
    made: list[str] = []
    groups: dict[str, str] = {}
    if insert:
        for number in sorted({c.track + up for c, *_ in what.clips}):
            if number < len(reel.tracks):
                reel = opened_up(reel, number, frame, what.frames)
    for clip, offset, length, pins in what.clips:
        if clip.footage not in known:
            raise TempikError("The footage of what was copied is no longer on the reel.")
        number = min(clip.track + up, len(reel.tracks) - 1)
        begin = frame + offset
        reel = cleared(reel, number, begin, begin + length, made)
        timeline = timeline_of(reel)
        cues = {c.id for c in known[clip.footage].cues}
        tied = [(cue, edge_at(timeline, begin + at, 1).point) for cue, at in pins if cue in cues]
        group = groups.setdefault(clip.group, _new_group(reel, groups.values())) if clip.group else ""
        by = frame - what.first
        new = replace(
            with_tracks_led(clip, lambda keys, by=by, timeline=timeline: keyed_along(timeline, keys, by)),  # type: ignore[misc]
            id=new_clip_id(reel),
            start=edge_at(timeline, begin, 0),
            end=edge_at(timeline, begin + length, 0),
            pins=tuple(Pin(cue, point) for cue, point in tied if point is not None),
            track=number,
            group=group,
            in_place=False,
        )
        reel = with_clips(reel, [new])
        made.append(new.id)
    return reel, made


def duplicated_at_next_point(reel: Reel, clips: Collection[str]) -> tuple[Reel, list[str]]:
    """Lay a copy of clips from the first chosen point at or after their end. Raises TempikError where no point follows."""
    timeline = timeline_of(reel)
    end = max(p.end for p in in_order(timeline, clips))
    frames = [f for p in timeline.on_reel() if end <= (f := timeline.frame_of_point(p)) < timeline.frames]
    if not frames:
        raise TempikError("There is no point after the clip to put a copy on.")
    return pasted(reel, copied(reel, clips), min(frames))


def repeated(reel: Reel, clip: str, times: int) -> Reel:
    """Play a clip's stretch `times` more times after it; what follows moves on. Raises TempikError outside 1 to 500 times."""
    if not 1 <= times <= 500:
        raise TempikError("A clip can be repeated 1 to 500 times.")
    placed = in_order(timeline_of(reel), [clip])[0]
    what = copied(reel, [clip])
    for number in range(times):
        reel, _ = pasted(reel, what, placed.end + number * placed.frames, insert=True)
    return reel


def overlapped(reel: Reel, clips: Collection[str], frames: int) -> Reel:
    """Let each of neighbouring clips go on until `frames` after the next begins: every clip begins where it did, on its point, and
    nothing else moves. The later one slides over the other in as many frames, from the right, from the left, by turns, in place of
    what joined them. Raises TempikError."""
    timeline, found = timeline_of(reel), _neighbours(reel, clips, frames, "overlap")
    changed = {p.clip.id: p.clip for p in found}
    for number, (before, placed) in enumerate(pairwise(found)):
        if frames >= placed.until - placed.begin:
            raise TempikError(
                f"An overlap of {frames} frames is longer than a clip of {placed.until - placed.begin}; take fewer."
            )
        longer = trimmed(timeline, before, before.begin, placed.begin + frames)
        changed[before.clip.id] = replace(longer, transition=changed[before.clip.id].transition)
        slide = slide_by_turns(min(frames, SLIDE_FRAMES["overlap"]), number)
        changed[placed.clip.id] = replace(placed.clip, transition=slide)
    return with_clips(reel, list(changed.values()))


def staggered(reel: Reel, clips: Collection[str], frames: int) -> Reel:
    """Begin each clip exactly `frames` after the one before it: a staircase of pieces of that many frames, each sliding over the last
    from the other side, in place of what joined them. The last goes on to where it ended: what follows stays. Raises TempikError."""
    timeline, found = timeline_of(reel), _neighbours(reel, clips, frames, "stagger")
    changed = []
    for number, placed in enumerate(found[1:]):
        moved = shifted(timeline, placed, found[0].begin + (number + 1) * frames - placed.begin, 0, 0)
        changed.append(replace(moved, transition=slide_by_turns(min(frames, SLIDE_FRAMES["stagger"]), number)))
    made = with_clips(reel, changed)
    after = timeline_of(made)
    last, until = on_reel(after, found[-1].clip.id), found[-1].until
    return with_clips(made, [trimmed(after, last, last.begin, until)]) if last.until < until else made


def _neighbours(reel: Reel, clips: Collection[str], frames: int, what: str) -> list[PlacedClip]:
    found = in_order(timeline_of(reel), clips)
    if len(found) < 2:
        raise TempikError(f"Select two clips or more to {what}.")
    if len({p.clip.track for p in found}) > 1:
        raise TempikError(f"Clips that {what} lie on one track; select those of one.")
    if frames < 1:
        raise TempikError("One frame is the least; give 1 or more.")
    track = [p.clip.id for p in timeline_of(reel).tracks[found[0].clip.track] if not p.repeated]
    at = track.index(found[0].clip.id) if found[0].clip.id in track else -1
    if [p.clip.id for p in found] != track[at : at + len(found)]:
        raise TempikError(f"Clips that {what} follow each other; select those between them too.")
    return found


def with_attributes(
    reel: Reel, source: Clip, clips: Collection[str], what: Collection[Attribute] = tuple(ATTRIBUTES)
) -> Reel:
    """Give clips what is another's: all of ATTRIBUTES, or some."""
    fields = {name: getattr(source, name) for attribute in what for name in ATTRIBUTES[attribute]}
    out = []
    for name in clips:
        clip = replace(clip_of(reel, name), **fields)
        if "title" in what and clip.title is not None and source.title is not None:
            clip = replace(clip, title=replace(source.title, text=clip.title.text))
        out.append(clip)
    return with_clips(reel, out)


def with_framing(reel: Reel, clips: Collection[str], framing: Framing) -> Reel:
    """Set how clips fill the frame."""
    return with_clips(reel, [replace(clip_of(reel, name), framing=framing) for name in clips])


def all_filling(reel: Reel) -> Reel:
    """Let every clip fill the frame, with its movement kept."""
    return with_clips(reel, [replace(c, framing=filling(c.framing)) for c in reel.clips])


def grouped(reel: Reel, clips: Collection[str]) -> Reel:
    """Make clips one group, which is selected, moved, copied and removed as one. Raises TempikError for fewer than two."""
    if len(set(clips)) < 2:
        raise TempikError("Select two clips or more to group.")
    group = _new_group(reel, ())
    return with_clips(reel, [replace(clip_of(reel, name), group=group) for name in clips])


def ungrouped(reel: Reel, clips: Collection[str]) -> Reel:
    """Take apart the groups that clips belong to. Raises TempikError where they are in none."""
    groups = {clip_of(reel, name).group for name in clips} - {""}
    if not groups:
        raise TempikError("These clips are in no group.")
    return with_clips(reel, [replace(c, group="") for c in reel.clips if c.group in groups])


def with_groups(reel: Reel, clips: Collection[str]) -> set[str]:
    """Return clips with all that are grouped with them."""
    groups = {c.group for c in reel.clips if c.id in clips and c.group}
    return set(clips) | {c.id for c in reel.clips if c.group in groups}


def _new_group(reel: Reel, also: Iterable[str]) -> str:
    return new_id("g", {c.group for c in all_clips(reel)} | set(also))
