"""Drafting: a song, footage with cues and a rule give a reel to be corrected rather than built.

The song's grid is cut into slots of N beats. Each slot takes the next piece of footage, and one of its cues is
pinned to a point *inside* the slot, so that the decisive frame is seen coming rather than cut to. Where the
footage is too short on one side of the cue the pin moves to another point of the slot; where no point serves,
the clip is slowed until its footage fills the slot. What could not be had is said in the notes.
"""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import NamedTuple

import msgspec

from tempik.accents import accent_named
from tempik.accents.rules import anchor, beats
from tempik.errors import TempikError
from tempik.reel import AccentLane, Clip, Cue, Edge, Footage, Pin, Point, Reel, Rule, Soundtrack, new_id
from tempik.reel.points import points_of
from tempik.reel.sound import MASTERED
from tempik.retime import constant
from tempik.time import frame_of, time_of

LONGEST_S = 60.0
# Slower than this a picture reads as a still; the rest is then held and said.
SLOWEST = 0.1


class RuleDraftOptions(NamedTuple):
    """What a draft is asked for. `length_s` None takes the rest of the song, at most a minute."""

    every: int = 4
    start_s: float = 0.0
    length_s: float | None = None
    width: int = 1080
    height: int = 1920
    rate: Fraction = Fraction(30)
    accents: tuple[tuple[str, int], ...] = ()


class Draft(NamedTuple):
    """A drafted reel and sentences on what a person should know of it."""

    reel: Reel
    notes: tuple[str, ...]


class _Fit(NamedTuple):
    speed: float
    point: Point | None
    missing_s: float


def draft_reel(song: Soundtrack, footage: Sequence[Footage], options: RuleDraftOptions) -> Draft:
    """Return a reel that fills the stretch of song from end to end.

    Raises TempikError when there is no footage, the stretch lies outside the song, or it holds no beat.
    """
    if not footage:
        raise TempikError("A draft needs footage; add at least one video.")
    if options.every < 1:
        raise TempikError(f"Slots of {options.every} beats cannot be cut; give 1 or more.")
    length_s = _length(song, options)
    song = msgspec.structs.replace(song, start_s=options.start_s)
    rate = options.rate
    grid = _grid(song, options.every, length_s, rate)
    notes: list[str] = []
    clips: list[Clip] = []
    turns: dict[str, int] = {}
    for number, (start, end) in enumerate(zip(grid, grid[1:], strict=False)):
        piece = footage[number % len(footage)]
        clip, note = _clip(f"c{number + 1}", start, end, piece, turns, song, rate)
        clips.append(clip)
        if note:
            notes.append(note)
    lanes: list[AccentLane] = []
    for name, every in options.accents:
        accent_named(name)
        lanes.append(AccentLane(new_id("r", {r.id for r in lanes}), name, Rule(every=every), seed=len(lanes)))
    reel = Reel(
        width=options.width,
        height=options.height,
        rate=rate,
        length_s=length_s,
        soundtrack=song,
        footage=tuple(footage),
        clips=tuple(clips),
        accent_lanes=tuple(lanes),
        mix=MASTERED,
    )
    return Draft(reel, tuple(notes))


def _length(song: Soundtrack, options: RuleDraftOptions) -> float:
    left = song.length_s - options.start_s
    if options.start_s < 0 or left <= 0:
        raise TempikError(
            f"{song.path} is {song.length_s:.2f} s long, so the reel cannot start at {options.start_s:g} s of it; "
            "start earlier."
        )
    if options.length_s is None:
        return min(left, LONGEST_S)
    if options.length_s <= 0:
        raise TempikError(f"A reel of {options.length_s:g} s cannot be made; give a length above 0.")
    # A song's own length is rarely a whole number of frames; half a frame short is not short.
    if options.length_s > left + 0.5 / float(options.rate):
        raise TempikError(
            f"{song.path} has {left:.2f} s of sound left from {options.start_s:g} s, less than the reel's "
            f"{options.length_s:g} s; ask for at most {left:.2f} s or start earlier."
        )
    return options.length_s


def _grid(song: Soundtrack, every: int, length_s: float, rate: Fraction) -> list[Edge]:
    """Return the edges of the slots: the reel's start, every n-th beat counted from a downbeat, its end."""
    counted = beats(points_of(song))
    if not counted:
        raise TempikError(
            f"{song.path} has no steady beat to cut on; choose a song with a beat, or place points by hand first."
        )
    first = anchor(counted)
    end_frame = frame_of(length_s, rate)
    edges: list[Edge] = []
    for number, point in enumerate(counted):
        reel_s = point.time_s - song.start_s
        frame = frame_of(reel_s, rate)
        if (number - first) % every == 0 and 0 <= frame < end_frame:
            edges.append(Edge(reel_s, point.id))
    if not edges:
        raise TempikError(
            f"{song.path} has no beat between {song.start_s:g} s and {song.start_s + length_s:g} s that a slot of "
            f"{every} beats could start on; take a longer stretch or fewer beats."
        )
    edges.append(Edge(time_of(end_frame, rate)))
    # A slot of a few frames at either end is a flicker, not a shot: its neighbour runs on over it.
    typical = edges[2].time_s - edges[1].time_s if len(edges) > 3 else 0.0
    if len(edges) > 3 and edges[-1].time_s - edges[-2].time_s < 0.35 * typical:
        del edges[-2]
    if frame_of(edges[0].time_s, rate) > 0:
        if len(edges) > 2 and edges[0].time_s < 0.35 * typical:
            del edges[0]
        edges.insert(0, Edge(0.0))
    return edges


def _clip(
    name: str, start: Edge, end: Edge, piece: Footage, turns: dict[str, int], song: Soundtrack, rate: Fraction
) -> tuple[Clip, str]:
    """Return one slot's clip, and a sentence where its footage does not fill the slot as shot."""
    first, last = frame_of(start.time_s, rate), frame_of(end.time_s, rate)
    seconds = time_of(last - first, rate)
    if not piece.cues:
        speed = min(1.0, piece.length_s / seconds)
        source_s = max(0.0, (piece.length_s - seconds * speed) / 2)
        clip = Clip(name, piece.id, start, end, source_s=source_s, curve=constant(speed))
        return clip, _speed_note(clip, piece, start, song, speed, 0.0)
    turn = turns.get(piece.id, 0)
    turns[piece.id] = turn + 1
    cue = piece.cues[turn % len(piece.cues)]
    fit = _fit(cue, piece, first, last, song, rate)
    pins = (Pin(cue.id, fit.point.id),) if fit.point is not None else ()
    clip = Clip(name, piece.id, start, end, source_s=max(0.0, cue.time_s), curve=constant(fit.speed), pins=pins)
    return clip, _speed_note(clip, piece, start, song, fit.speed, fit.missing_s)


def _fit(cue: Cue, piece: Footage, first: int, last: int, song: Soundtrack, rate: Fraction) -> _Fit:
    """Choose the point of the slot to pin to and the speed that keeps the footage from running out."""
    inside: list[tuple[Point, int]] = []
    for point in points_of(song):
        frame = frame_of(point.time_s - song.start_s, rate)
        if first < frame < last:
            inside.append((point, frame))
    if not inside:
        # A slot of one beat has no point inside it: its own first point is where the cue can land.
        inside = [(p, first) for p in points_of(song) if frame_of(p.time_s - song.start_s, rate) == first]
    if not inside:
        return _Fit(min(1.0, piece.length_s / time_of(last - first, rate)), None, 0.0)
    # A cue right behind the cut is not seen coming, one right before the next is cut off: keep away from both.
    margin = 0.15 * (last - first)
    inside = [(p, f) for p, f in inside if margin <= f - first and margin <= last - f] or inside
    middle = (first + last) / 2
    fits = []
    for point, frame in inside:
        before_s, after_s = time_of(frame - first, rate), time_of(last - frame, rate)
        speed = 1.0
        if before_s > 0:
            speed = min(speed, cue.time_s / before_s)
        speed = min(speed, (piece.length_s - cue.time_s) / after_s)
        speed = max(speed, SLOWEST)
        missing = max(0.0, before_s - cue.time_s / speed) + max(0.0, after_s - (piece.length_s - cue.time_s) / speed)
        # As shot before slowed, then the accent of the song, then away from the cuts.
        central = 1 - abs(frame - middle) / (last - first)
        fits.append((missing < 1e-9, round(speed, 3), point.strength + 0.5 * central, -frame, point, missing, speed))
    _, _, _, _, point, missing, speed = max(fits, key=lambda f: f[:4])
    return _Fit(speed, point, missing)


def _speed_note(clip: Clip, piece: Footage, start: Edge, song: Soundtrack, speed: float, missing_s: float) -> str:
    name = piece.path.rsplit("/", 1)[-1]
    where = f"clip {clip.id[1:]} at {start.time_s:.2f} s"
    if missing_s > 0:
        return f"{name} is too short for {where}: its picture stands still for {missing_s:.2f} s there."
    if speed < 1 - 1e-9:
        return f"{name} is slowed to {speed * 100:.0f} % in {where}, so that it fills the slot."
    return ""
