"""A reel as an OpenTimelineIO timeline: clips with their source times and speeds, freezes, dissolves and wipes, points as markers.

Speeds follow what adapters of OpenTimelineIO share: a clip's source range is as long as the clip is on the reel, begins with the first
frame that it shows, and a time effect says how the source runs under it."""

from __future__ import annotations

import math
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import opentimelineio as otio
from opentimelineio.opentime import RationalTime, TimeRange

from tempik.reel import Reel
from tempik.reel.nests import all_closed
from tempik.time import frame_of
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import Timeline, timeline_of
from tempik.timeline.transitions import PlacedTransition

MINE = "tempik"  # whose metadata it is
DISSOLVES = ("dissolve", "light-dissolve")
WIPE = "SMPTE_Wipe"
ROUNDING = 1e-6  # of a frame
STEADY = 1e-4  # a clip whose speed strays less from its mean is of one speed


class Written(NamedTuple):
    """A timeline, and what of the reel it cannot say, in one sentence ('' for all)."""

    timeline: otio.schema.Timeline
    message: str


class _Lost:
    """What cannot be said, counted by what it is."""

    def __init__(self) -> None:
        self.counts: dict[str, int] = {}

    def add(self, what: str, count: int = 1) -> None:
        if count:
            self.counts[what] = self.counts.get(what, 0) + count

    @property
    def sentence(self) -> str:
        if not self.counts:
            return ""
        named = ", ".join(f"{what} ({count})" if count > 1 else what for what, count in self.counts.items())
        return f"The file cannot say everything: {named}."


def as_timeline(reel: Reel, name: str) -> Written:
    """Return a reel for others to read. Times are exact: record times in frames of the reel, source times in frames of the file."""
    reel = all_closed(reel)
    timeline, lost = timeline_of(reel), _Lost()
    rate = float(reel.rate)
    out = otio.schema.Timeline(name=name)
    out.global_start_time = RationalTime(0, rate)
    out.metadata[MINE] = {"width": reel.width, "height": reel.height, "rate": str(reel.rate)}
    for number, row in enumerate(timeline.tracks):
        track = otio.schema.Track(name=f"V{number + 1}", kind=otio.schema.TrackKind.Video)
        track.enabled = not reel.tracks[number].hidden
        _fill(track, timeline, row, number, lost)
        out.tracks.append(track)
    song = _song(timeline)
    if song is not None:
        out.tracks.append(song)
    for marker in _markers(timeline):
        out.tracks.markers.append(marker)
    _note_rest(reel, timeline, lost)
    return Written(out, lost.sentence)


def _fill(track: otio.schema.Track, timeline: Timeline, row: tuple[PlacedClip, ...], number: int, lost: _Lost) -> None:
    rate, at = float(timeline.rate), 0
    transitions = {s.turn: s for s in timeline.transitions[number]}
    for placed in row:
        first = max(placed.first, at)
        if first > at:
            track.append(otio.schema.Gap(source_range=_range(0, first - at, rate)))
        placed_transition = transitions.get(placed.first)
        if placed_transition is not None and first == placed.first:
            _transition(track, placed_transition, rate, lost)
        track.append(_clip(timeline, placed, first, lost))
        at = placed.end
        leaves = transitions.get(placed.end)
        if leaves is not None and leaves.into is None:
            _transition(track, leaves, rate, lost)


def _range(first: float, count: float, rate: float) -> TimeRange:
    return TimeRange(RationalTime(first, rate), RationalTime(count, rate))


def _clip(timeline: Timeline, placed: PlacedClip, first: int, lost: _Lost) -> otio.schema.Clip:
    footage, rate = placed.footage, float(timeline.rate)
    count = placed.end - first
    made = otio.schema.Clip(name=footage.name, metadata={MINE: {"clip": placed.clip.id}})
    for what, there in _beyond(placed):
        lost.add(what, int(there))
    if footage.without_file:
        kind = {"solid": "SolidColor", "title": "Title", "nest": "Nest", "adjust": "Adjustment"}[footage.kind]
        words = {"text": placed.clip.title.text} if placed.clip.title is not None else {"colour": footage.path}
        made.media_reference = otio.schema.GeneratorReference(name=footage.name, generator_kind=kind, parameters=words)
        made.source_range = _range(0, count, rate)
        lost.add(f"what {footage.kind}s show", int(footage.kind in ("nest", "adjust")))
        return made
    source_rate = float(footage.rate)
    made.media_reference = otio.schema.ExternalReference(
        target_url=Path(footage.path).as_uri(),
        available_range=_range(0, round(footage.length_s * source_rate), source_rate),
    )
    begin_s, last_s = (float(s) for s in source_at_frames(placed, [first, placed.end], timeline.rate))
    begin_s = min(max(begin_s, 0.0), footage.length_s)
    # The frame of the file that is on screen first.
    start = math.floor(begin_s * source_rate + ROUNDING)
    made.source_range = TimeRange(RationalTime(start, source_rate), RationalTime(count, rate))
    mean = (last_s - begin_s) / (count / rate)
    curve = placed.curve
    steady = all(abs(n.speed - curve.nodes[0].speed) < STEADY for n in curve.nodes)
    if not steady and not footage.endless:
        lost.add("speed ramps, written as their mean speed")
        made.metadata[MINE]["ramp"] = [[n.at, n.speed] for n in curve.nodes]
    if not footage.endless and abs(mean - 1) > STEADY:
        if abs(mean) < STEADY:
            made.effects.append(otio.schema.FreezeFrame(name="freeze"))
        else:
            made.effects.append(otio.schema.LinearTimeWarp(name="speed", time_scalar=round(mean, 9)))
    return made


def _beyond(placed: PlacedClip) -> Iterator[tuple[str, bool]]:
    """Yield what a clip does beyond its times and speed, and whether it does it."""
    clip = placed.clip
    framing = clip.framing
    yield "framing", framing.start != type(framing.start)() or framing.end is not None or any(framing.crop)
    yield "blend modes and opacity", clip.blend != "normal" or clip.opacity < 1
    yield "masks and cut-outs", bool(clip.masks or clip.clear or clip.cutout)
    yield "keys", bool(clip.keys)
    yield "grades", clip.grade is not None or placed.footage.grade is not None
    yield "how titles look", clip.title is not None
    yield "footage that goes round", clip.beyond == "loop"


def _transition(track: otio.schema.Track, placed_transition: PlacedTransition, rate: float, lost: _Lost) -> None:
    """Lay a transition between two items; over an end that nothing follows it is the others' fade."""
    before, after = (
        max(placed_transition.turn - placed_transition.begin, 0),
        max(placed_transition.end - placed_transition.turn, 0),
    )
    if placed_transition.kind is None or before + after == 0:
        return
    kind, meant = otio.schema.TransitionTypes.SMPTE_Dissolve, placed_transition.transition.kind
    if placed_transition.kind.family == "wipe":
        kind = WIPE
    elif meant not in DISSOLVES:
        lost.add("transitions other than dissolves and wipes, written as dissolves")
    if not placed_transition.both:
        lost.add("fades at open ends")
        return
    track.append(
        otio.schema.Transition(
            name=meant,
            transition_type=kind,
            in_offset=RationalTime(before, rate),
            out_offset=RationalTime(after, rate),
            metadata={MINE: {"transition": meant}},
        )
    )


def _song(timeline: Timeline) -> otio.schema.Track | None:
    song, rate = timeline.reel.soundtrack, float(timeline.rate)
    if song is None:
        return None
    track = otio.schema.Track(name="A1", kind=otio.schema.TrackKind.Audio)
    # Sound is told in samples, so that its start is not moved to a frame.
    left = max(0, min(timeline.frames, frame_of(song.length_s - song.start_s, timeline.rate)))
    track.append(
        otio.schema.Clip(
            name=Path(song.path).name,
            media_reference=otio.schema.ExternalReference(
                target_url=Path(song.path).as_uri(), available_range=_range(0, round(song.length_s * 48000), 48000)
            ),
            source_range=TimeRange(RationalTime(round(song.start_s * 48000), 48000), RationalTime(left, rate)),
        )
    )
    return track


def _markers(timeline: Timeline) -> Iterator[otio.schema.Marker]:
    """Yield the reel's points: downbeats red, drops magenta, beats yellow, others green."""
    colours = otio.schema.MarkerColor
    shades = {"downbeat": colours.RED, "drop": colours.MAGENTA, "beat": colours.YELLOW}
    for point in timeline.on_reel():
        frame = timeline.frame_of_point(point)
        if not 0 <= frame < timeline.frames:
            continue
        first = point.beat == 1 and not point.part
        yield otio.schema.Marker(
            name=point.name or point.label,
            marked_range=_range(frame, 0, float(timeline.rate)),
            color=colours.RED if first else shades.get(point.kind, colours.GREEN),
            metadata={MINE: {"time_s": timeline.reel_s(point), "label": point.label}},
        )


def _note_rest(reel: Reel, timeline: Timeline, lost: _Lost) -> None:
    lost.add("accents", len(reel.accent_lanes))
    lost.add("sounds laid under the reel", len(reel.sound_lanes) + len(reel.sound_clips))
    lost.add("clips' own sound", sum(p.clip.sound.on for p in timeline.everything))
    lost.add("the look of the whole", int(reel.look is not None))
    song = reel.soundtrack
    lost.add("the arranged song, written as its file", int(song is not None and bool(song.pieces)))
