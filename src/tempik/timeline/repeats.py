"""Clips laid again wherever a rule fires: derived, so that they follow the points; a clip of the reel's own comes before them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from msgspec.structs import replace

from tempik.accents.evaluated import RuleScene
from tempik.accents.pulses import in_frames
from tempik.accents.rules import events_of
from tempik.derive import DERIVED, Stage
from tempik.reel import Clip, Edge, Key, Point
from tempik.time import time_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.placing import placed_in
from tempik.timeline.song_placement import SongPlacement

# What a repeat may be laid on: what follows from the song alone.
RULES = ("points", "bars", "onsets", "drops", "frames")
MARK = "@"
MOST = 2000  # of one clip

_COPIES: Stage[Clip] = Stage("repeated clip")


class RepeatInstance(NamedTuple):
    """Where a clip is laid again: what the rule fired on, the point that it stands on if it does, and its frames."""

    event: str
    point: Point | None
    begin: int
    until: int


def source_of(clip: str) -> str:
    """Return the id of the clip of the reel's own that a repeat repeats; a clip's own id."""
    return clip.partition(MARK)[0]


def event_of(clip: str) -> str:
    """Return what a repeat was laid on; '' for a clip of the reel's own."""
    return clip.partition(MARK)[2]


def with_repeats(
    track: tuple[PlacedClip, ...], scene: RuleScene, song_placement: SongPlacement
) -> tuple[PlacedClip, ...]:
    """Return a track with its clips laid again where their rules fire."""
    own = [(p.first, p.end) for p in track]
    spans: list[tuple[int, int, PlacedClip, RepeatInstance]] = []
    for placed in track:
        for instance in repeat_instances_of(placed.clip, placed.begin, placed.until, scene):
            room = room_left(instance, own)
            if room is not None:
                spans.append((*room, placed, instance))
    spans.sort(key=lambda s: s[:2])
    out = list(track)
    rate = (scene.rate.numerator, scene.rate.denominator)
    for number, (begin, end, placed, instance) in enumerate(spans):
        after = spans[number + 1][0] if number + 1 < len(spans) else scene.frames
        first, last = max(begin, 0), min(end, after, scene.frames)
        if last > first:
            clip = copy_at(placed, instance, scene)
            out.append(
                placed_in(song_placement, clip, placed.footage, (first, last, instance.begin, instance.until, *rate))
            )
    return tuple(sorted(out, key=lambda p: p.first))


def repeat_instances_of(clip: Clip, begin: int, until: int, scene: RuleScene) -> list[RepeatInstance]:
    """Return where a clip whose own frames are `begin` up to `until` is laid again, in order. What its rule fires on where it
    begins itself is the clip."""
    again, out = clip.repeat, list[RepeatInstance]()
    if again is None or again.rule.of not in RULES:
        return out
    rule = again.rule
    for event in events_of(rule, scene, (0, scene.frames)):
        fires = (event.number - rule.offset) % rule.every == 0 and event.strength >= rule.at_least
        length = until - begin
        if fires and event.id not in again.without and event.frame != begin and -length < event.frame < scene.frames:
            out.append(RepeatInstance(event.id, event.point, event.frame, event.frame + length))
            if len(out) >= MOST:
                break
    return out


def copy_at(placed: PlacedClip, instance: RepeatInstance, scene: RuleScene) -> Clip:
    """Return a clip as it is laid again: what it shows, and its keys, moved along."""
    values = (
        instance.event,
        instance.begin,
        instance.until,
        placed.begin,
        scene.rate.numerator,
        scene.rate.denominator,
    )
    point = (instance.point,) if instance.point is not None else ()
    return DERIVED.get(_COPIES, (placed.clip, scene.song, *point), values, lambda: _copied(placed, instance, scene))


def _copied(placed: PlacedClip, instance: RepeatInstance, scene: RuleScene) -> Clip:
    clip, rate = placed.clip, scene.rate
    shift = instance.begin - placed.begin
    point = instance.point
    start = Edge(time_of(instance.begin, rate))
    if point is not None:
        start = Edge(point.time_s - scene.start_s, point.id)
    keys = {
        name: tuple(
            Key(time_of(frame + shift, rate) + scene.start_s, value, None, ease)  # type: ignore[arg-type]
            for frame, value, ease in track
        )
        for name, track in in_frames(clip.keys, scene).items()
    }
    return replace(
        clip,
        id=f"{clip.id}{MARK}{instance.event}",
        start=start,
        end=Edge(time_of(instance.until, rate)),
        source_s=placed.map.start_s,
        pins=(),
        keys=keys,
        repeat=None,
        in_place=False,
    )


def room_left(instance: RepeatInstance, own: Sequence[tuple[int, int]]) -> tuple[int, int] | None:
    """Return the frames that clips of the reel's own (first, end; in order) leave a repeat; None where one lies on its
    beginning."""
    end = instance.until
    for first, until in own:
        if first <= instance.begin < until:
            return None
        if instance.begin < first < end:
            end = first
    return instance.begin, end
