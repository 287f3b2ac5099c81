"""Transitions as they lie on the reel: their frames about the cut, what of the footage they are short of, and what they do there."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from fractions import Fraction
from typing import NamedTuple

import numpy as np

from tempik.derive import DERIVED, Stage
from tempik.reel import Transition
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.song_placement import SongPlacement
from tempik.transitions import (
    CATALOGUE,
    TransitionFrame,
    TransitionMoment,
    TransitionType,
    about_turn,
    direction_of,
    ease_of,
    fitted,
    length_frames,
    over_edge,
    settings_of,
    sides,
)

# Without beats a beat is half a second.
NO_BEAT_S = 0.5
ROUNDING_S = 1e-6

_TRANSITIONS: Stage[PlacedTransition] = Stage("placed transition")


class PlacedTransition(NamedTuple):
    """A transition on the reel: it shows from frame `begin` up to `end`, and its edge, the cut, is frame `turn`.

    `out` and `into` are the clips before and after, None for nothing. Of its `wanted` frames it may have fewer where clips
    are too short. `missing_out` and `missing_in` count the frames for which the footage of the one or the other has no
    more. A kind that this version does not know is None, and does nothing.
    """

    transition: Transition
    kind: TransitionType | None
    out: PlacedClip | None
    into: PlacedClip | None
    begin: int
    turn: int
    end: int
    wanted: int
    missing_out: int
    missing_in: int

    @property
    def frames(self) -> int:
        """How many frames it lasts."""
        return self.end - self.begin

    @property
    def both(self) -> bool:
        """Whether it lies between two clips."""
        return self.out is not None and self.into is not None

    @property
    def owner(self) -> PlacedClip:
        """The clip that the transition is kept with."""
        owner = self.into or self.out
        assert owner is not None
        return owner

    @property
    def missing(self) -> int:
        """For how many frames footage is short on either side."""
        return self.missing_out + self.missing_in

    def missing_with(self, before: int, after: int, rate: Fraction) -> int:
        """Return what would be missing if the transition had so many frames before its edge and after it."""
        out = missing_frames(self.out, self.turn, self.turn + after, rate)
        return out + missing_frames(self.into, self.turn - before, self.turn, rate)


def progress_at(placed_transition: PlacedTransition, frame: float) -> float:
    """Return how far a transition has come at an instant in frames (a frame's middle lies half a frame on), 0 to 1."""
    assert placed_transition.kind is not None
    since, before, after = (
        frame - placed_transition.turn,
        placed_transition.turn - placed_transition.begin,
        placed_transition.end - placed_transition.turn,
    )
    course = about_turn if placed_transition.both else over_edge
    return course(since, before, after, ease_of(placed_transition.kind, placed_transition.transition))


def transition_frame_at(
    placed_transition: PlacedTransition, frame: float, half: float, height_ratio: float
) -> TransitionFrame:
    """Return what a transition does while the shutter is open, `half` a frame's share either side of a frame's middle."""
    return transition_frame_of(
        placed_transition.transition,
        frame + 0.5 - placed_transition.turn,
        half,
        height_ratio,
        (placed_transition.turn - placed_transition.begin, placed_transition.end - placed_transition.turn),
        placed_transition.both,
    )


def transition_frame_of(
    transition: Transition, since: float, half: float, height_ratio: float, reach: tuple[int, int], both: bool = True
) -> TransitionFrame:
    """Return what a transition of a known kind does `since` frames after its turn; it has `reach` frames before and after it."""
    kind = CATALOGUE[transition.kind]
    course = about_turn if both else over_edge
    opened, now, closed = (course(since + side * half, *reach, ease_of(kind, transition)) for side in (-1, 0, 1))
    moment = TransitionMoment(
        now,
        opened,
        closed,
        since,
        sum(reach),
        direction_of(kind, transition),
        transition.amount,
        transition.seed,
        height_ratio,
    )
    return kind.cross(moment, settings_of(kind, transition))


def beat_frames(song_placement: SongPlacement, frame: int) -> float:
    """Return how many frames the beat takes in which a frame lies."""
    beats = song_placement.beat_frames
    if len(beats) < 2:
        return NO_BEAT_S * float(song_placement.rate)
    at = min(max(bisect_right(beats, frame), 1), len(beats) - 1)
    return float(beats[at] - beats[at - 1])


class _Edge(NamedTuple):
    """An edge with a transition, and the frames that the transition asks for on either side of it."""

    transition: Transition
    out: PlacedClip | None
    into: PlacedClip | None
    turn: int
    wanted: int
    before: int
    after: int


def placed_transitions_of(
    track: Sequence[PlacedClip], song_placement: SongPlacement, frames: int
) -> tuple[PlacedTransition, ...]:
    """Return the transitions of a track, in order. Two transitions that meet inside one clip each get their share of it."""
    edges = _edges(track, song_placement, frames)
    out: list[PlacedTransition] = []
    for number, edge in enumerate(edges):
        before, after = edge.before, edge.after
        last, next_ = (edges[n] if 0 <= n < len(edges) else None for n in (number - 1, number + 1))
        if edge.out is not None:
            inside = last.after if last is not None and last.into is edge.out else 0
            before = fitted((inside, before), edge.out.frames)[1]
        elif before:
            before = min(before, edge.turn - (last.turn if last is not None and last.out is not None else 0))
            before = min(before, edge.turn - _end_before(track, edge.into))
        if edge.into is not None:
            inside = next_.before if next_ is not None and next_.out is edge.into else 0
            after = fitted((after, inside), edge.into.frames)[0]
        elif after:
            after = min(after, _start_after(track, edge.out, frames) - edge.turn)
        begin, end = max(0, edge.turn - before), min(frames, edge.turn + after)
        if end > begin:
            out.append(_placed_transition(edge, begin, end, song_placement.rate))
    return tuple(out)


def _end_before(track: Sequence[PlacedClip], placed: PlacedClip | None) -> int:
    return max((p.end for p in track if placed is not None and p.end <= placed.first), default=0)


def _start_after(track: Sequence[PlacedClip], placed: PlacedClip | None, frames: int) -> int:
    return min((p.first for p in track if placed is not None and p.first >= placed.end), default=frames)


def _edges(track: Sequence[PlacedClip], song_placement: SongPlacement, frames: int) -> list[_Edge]:
    found = []
    for number, placed in enumerate(track):
        joined, left = placed.clip.transition, placed.clip.leave
        if joined is None and left is None:
            continue
        earlier = track[number - 1] if number else None
        later = track[number + 1] if number + 1 < len(track) else None
        if joined is not None and placed.begin == placed.first:
            neighbour = earlier if earlier is not None and earlier.end == placed.first else None
            found.append(_edge(joined, neighbour, placed, placed.first, song_placement, frames))
        if left is not None and (later is None or later.first > placed.end):
            found.append(_edge(left, placed, None, placed.end, song_placement, frames))
    return found


def _edge(
    transition: Transition,
    out: PlacedClip | None,
    into: PlacedClip | None,
    turn: int,
    song_placement: SongPlacement,
    frames: int,
) -> _Edge:
    wanted = length_frames(transition, beat_frames(song_placement, turn))
    kind = CATALOGUE.get(transition.kind)
    usual = kind.at if kind is not None else 0.5
    if out is None or into is None:
        # A fade lies within its clip; at the reel's ends there is nowhere else.
        usual = 0.0 if out is None else 1.0
        at = usual if transition.at is None or turn in (0, frames) else transition.at
    else:
        at = usual if transition.at is None else transition.at
    return _Edge(transition, out, into, turn, wanted, *sides(wanted, at))


def _placed_transition(edge: _Edge, begin: int, end: int, rate: Fraction) -> PlacedTransition:
    values = (edge.turn, begin, end, edge.wanted, rate.numerator, rate.denominator)
    return DERIVED.get(
        _TRANSITIONS, (edge.transition, edge.out, edge.into), values, lambda: _worked_out(edge, begin, end, rate)
    )


def _worked_out(edge: _Edge, begin: int, end: int, rate: Fraction) -> PlacedTransition:
    kind = CATALOGUE.get(edge.transition.kind)
    missing_out = missing_frames(edge.out, edge.turn, end, rate) if kind is not None else 0
    missing_in = missing_frames(edge.into, begin, edge.turn, rate) if kind is not None else 0
    return PlacedTransition(
        edge.transition, kind, edge.out, edge.into, begin, edge.turn, end, edge.wanted, missing_out, missing_in
    )


def missing_frames(placed: PlacedClip | None, first: int, end: int, rate: Fraction) -> int:
    """Return for how many frames beyond its slot a clip's footage has no picture of its own."""
    if placed is None or end <= first or placed.footage.endless or placed.clip.beyond == "loop":
        return 0
    source = source_at_frames(placed, np.arange(first, end, dtype=np.float64), rate)
    return int(np.count_nonzero((source < -ROUNDING_S) | (source >= placed.footage.length_s - ROUNDING_S)))


def short_of(placed_transition: PlacedTransition) -> list[str]:
    """Return what a transition is short of, as parts of sentences: frames of its own, and footage on either side of its cut."""
    out = []
    if placed_transition.frames < placed_transition.wanted and placed_transition.both:
        out.append(
            f"{placed_transition.frames} of its {placed_transition.wanted} frames fit: the clips beside it are too short"
        )
    if not placed_transition.transition.held:
        for placed, missing, where in (
            (placed_transition.out, placed_transition.missing_out, "after the cut"),
            (placed_transition.into, placed_transition.missing_in, "before the cut"),
        ):
            if placed is not None and missing:
                frames = "frame" if missing == 1 else "frames"
                out.append(f"{placed.footage.name} lacks {missing} {frames} {where} and stands still there")
    return out
