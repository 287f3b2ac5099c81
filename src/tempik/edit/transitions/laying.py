"""Transitions laid on the cuts of a reel, changed one by one or all together, and taken off.

An edge is a clip's start, or its end where no clip follows: `Edge` names it by the clip's id.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from tempik.accents.accent import drawn
from tempik.digits import parse_int
from tempik.edit.clips.slots import with_clips
from tempik.errors import TempikError
from tempik.reel import Clip, Point, Reel, Transition, by_id
from tempik.reel.validate import transition_problems
from tempik.timeline.timeline import Timeline, timeline_of
from tempik.timeline.transitions import PlacedTransition
from tempik.transitions import CATALOGUE, TransitionType, new_transition, problem
from tempik.transitions.matching import TransitionProposal

# How directions are given to several transitions at once, beside the ways by name.
TURNS, LOT = "turns", "lot"


class TransitionPlace(NamedTuple):
    """An edge that can have a transition: a clip's start, or its end."""

    clip: str
    end: bool = False


def place_of(placed_transition: PlacedTransition) -> TransitionPlace:
    """Return the edge that a transition is kept with."""
    return TransitionPlace(placed_transition.owner.clip.id, placed_transition.into is None)


def cuts(timeline: Timeline, clips: Collection[str] | None = None) -> list[TransitionPlace]:
    """Return the cuts between two clips, in order, of all tracks; or only those at whose right the named clips are."""
    found = []
    for track in timeline.tracks:
        for before, after in zip(track, track[1:], strict=False):
            if before.end == after.first and (clips is None or after.clip.id in clips):
                found.append((after.first, after.clip.track, TransitionPlace(after.clip.id)))
    return [at for *_, at in sorted(found)]


def open_edges(timeline: Timeline, clips: Collection[str] | None = None) -> list[TransitionPlace]:
    """Return the starts and ends of clips beside which no clip lies: where it fades in or out."""
    found = []
    for track in timeline.tracks:
        for number, placed in enumerate(track):
            if clips is not None and placed.clip.id not in clips:
                continue
            if number == 0 or track[number - 1].end < placed.first:
                found.append((placed.first, placed.clip.track, TransitionPlace(placed.clip.id)))
            if number + 1 == len(track) or track[number + 1].first > placed.end:
                found.append((placed.end, placed.clip.track, TransitionPlace(placed.clip.id, True)))
    return [at for *_, at in sorted(found)]


def cuts_on(timeline: Timeline, which: str, clips: Collection[str] | None = None) -> list[TransitionPlace]:
    """Return the cuts that are meant: `cuts` all, `downbeats` and `drops` those that lie there, `every:N` the N-th and
    every N-th after it, `open` the edges beside which nothing lies, `selected` the starts of the named clips. Raises
    TempikError for anything else."""
    if which == "open":
        return open_edges(timeline, clips)
    found = cuts(timeline, clips)
    if which == "selected":
        starts = [TransitionPlace(p.clip.id) for p in timeline.placed if clips is not None and p.clip.id in clips]
        return starts
    if which == "cuts":
        return found
    if which == "downbeats":
        points = ((at, _point(timeline, at)) for at in found)
        return [at for at, point in points if point is not None and point.beat == 1 and not point.part]
    if which == "drops":
        drops = _drop_frames(timeline)
        return [at for at in found if _frame(timeline, at) in drops]
    every = re.fullmatch(r"every:(\d+)", which)
    step = parse_int(every[1]) if every is not None else None
    if step:
        return found[step - 1 :: step]
    raise TempikError(f"'{which}' names no cuts; give cuts, selected, downbeats, drops, open or every:N.")


def _frame(timeline: Timeline, at: TransitionPlace) -> int:
    placed = timeline.placed_clip(at.clip)
    assert placed is not None
    return placed.end if at.end else placed.first


def _point(timeline: Timeline, at: TransitionPlace) -> Point | None:
    """Return the point that a cut is on."""
    placed = timeline.placed_clip(at.clip)
    assert placed is not None
    return timeline.point(placed.clip.start.point) or timeline.point_at(placed.first)


def _drop_frames(timeline: Timeline) -> set[int]:
    """Return the frames of the song's drops and of the points named so, and the frame either side: a drop is heard with
    its beat, which may round the other way."""
    song = timeline.reel.soundtrack
    heard = [d - timeline.start_s for d in (song.heard.drops if song is not None and song.heard is not None else ())]
    frames = {round(s * float(timeline.rate)) for s in heard}
    frames |= {timeline.frame_of_point(p) for p in timeline.points if p.kind == "drop"}
    return {f + k for f in frames for k in (-1, 0, 1)}


# Laying


def laid(reel: Reel, edges: Sequence[TransitionPlace], transition: Transition, ways: str = "", seed: int = 0) -> Reel:
    """Lay a transition on edges. `ways` is a direction for all, `turns` for one side after the other, or `lot` for directions by
    lot; each has a seed of its own. Raises TempikError where there is no edge, or for a transition that cannot be."""
    if not edges:
        raise TempikError("There is no cut here to lay a transition on; a cut is where two clips meet.")
    _checked(transition)
    kind = CATALOGUE[transition.kind]
    transitions = {
        at: replace(transition, direction=_way(kind, transition, ways, n, seed), seed=seed + n)
        for n, at in enumerate(edges)
    }
    return with_transitions(reel, transitions)


def _way(kind: TransitionType, transition: Transition, ways: str, number: int, seed: int) -> str:
    if not kind.directions:
        return ""
    if ways == TURNS:
        return kind.directions[number % 2]
    if ways == LOT:
        return kind.directions[int(drawn(seed, ("way", number)) * len(kind.directions)) % len(kind.directions)]
    wanted = ways or transition.direction
    if wanted and wanted not in kind.directions:
        raise TempikError(
            f"{kind.title} has no direction '{wanted}'; choose from {', '.join(kind.directions)}, turns or lot."
        )
    return wanted


def _checked(transition: Transition) -> None:
    message = next(transition_problems(transition, "This"), "").removeprefix("This has ") or problem(transition)
    if message:
        raise TempikError(f"That cannot be laid: {message}")


def with_transitions(reel: Reel, transitions: Mapping[TransitionPlace, Transition | None]) -> Reel:
    """Set the transitions of edges; None takes one off. Raises TempikError where a clip is gone."""
    found: dict[str, Clip] = {}
    for at, transition in transitions.items():
        clip = found.get(at.clip) or by_id(reel.clips, at.clip)
        if clip is None:
            raise TempikError("That clip is no longer on the reel.")
        found[at.clip] = replace(clip, leave=transition) if at.end else replace(clip, transition=transition)
    return with_clips(reel, list(found.values()))


def without_transitions(reel: Reel, edges: Collection[TransitionPlace] | None = None) -> Reel:
    """Take off the transitions of edges, or all. Raises TempikError where there is none."""
    wanted = [at for at in all_joined(reel) if edges is None or at in edges]
    if not wanted:
        raise TempikError("There is no transition here to take off.")
    return with_transitions(reel, dict.fromkeys(wanted))


def all_joined(reel: Reel) -> list[TransitionPlace]:
    """Return the edges that have a transition."""
    starts = [TransitionPlace(c.id) for c in reel.clips if c.transition is not None]
    return starts + [TransitionPlace(c.id, True) for c in reel.clips if c.leave is not None]


def transition_at(reel: Reel, at: TransitionPlace) -> Transition | None:
    """Return the transition of an edge, or None."""
    clip = by_id(reel.clips, at.clip)
    return None if clip is None else clip.leave if at.end else clip.transition


def with_proposals(reel: Reel, found: Mapping[TransitionPlace, TransitionProposal]) -> Reel:
    """Lay what was proposed for each cut: a hard cut takes its transition off. Length, place and amount of a transition that is there
    stay."""
    transitions: dict[TransitionPlace, Transition | None] = {}
    for at, proposed in found.items():
        old = transition_at(reel, at)
        made = new_transition(proposed.kind) if proposed.kind else None
        if made is not None and old is not None:
            made = replace(made, length=old.length, unit=old.unit, at=old.at, amount=old.amount)
        transitions[at] = replace(made, direction=proposed.direction) if made is not None else None
    return with_transitions(reel, transitions)


# Changing


def changed(reel: Reel, edges: Collection[TransitionPlace] | None, change: Callable[[Transition], Transition]) -> Reel:
    """Change the transitions of edges, or all. Raises TempikError where there is none, or where one could not be so."""
    transitions = {
        at: transition
        for at in (all_joined(reel) if edges is None else edges)
        if (transition := transition_at(reel, at)) is not None
    }
    if not transitions:
        raise TempikError("There is no transition here; lay one first.")
    made = {at: change(transition) for at, transition in transitions.items()}
    for at, transition in made.items():
        if transition.kind in CATALOGUE and transition != transitions[at]:
            _checked(transition)
    return with_transitions(reel, made)


def with_length(reel: Reel, edges: Collection[TransitionPlace] | None, frames: float) -> Reel:
    """Make transitions so many frames long."""
    return changed(reel, edges, lambda j: replace(j, length=float(frames), unit="frames"))


def longer(reel: Reel, edges: Collection[TransitionPlace] | None, frames: int) -> Reel:
    """Make transitions so many frames longer, or shorter below 0; one frame is left at least. Raises TempikError where there is none."""
    timeline = timeline_of(reel)

    def of(at: TransitionPlace, transition: Transition) -> Transition:
        placed_transition = timeline.transition_of(at.clip, at.end)
        now = placed_transition.wanted if placed_transition is not None else round(transition.length)
        return replace(transition, length=float(max(1, now + frames)), unit="frames")

    transitions = {
        at: transition
        for at in (all_joined(reel) if edges is None else edges)
        if (transition := transition_at(reel, at)) is not None
    }
    if not transitions:
        raise TempikError("There is no transition here; lay one first.")
    return with_transitions(reel, {at: of(at, transition) for at, transition in transitions.items()})


def with_amounts(reel: Reel, edges: Collection[TransitionPlace] | None, amount: float) -> Reel:
    """Set how strong transitions are, 0 to 2."""
    return changed(reel, edges, lambda j: replace(j, amount=min(max(amount, 0.0), 2.0)))


def stronger(reel: Reel, edges: Collection[TransitionPlace] | None, step: float) -> Reel:
    """Make transitions stronger by a step, or weaker below 0, each within 0 to 2."""
    return changed(reel, edges, lambda j: replace(j, amount=round(min(max(j.amount + step, 0.0), 2.0), 2)))


def with_kind(reel: Reel, edges: Collection[TransitionPlace] | None, kind: str) -> Reel:
    """Make transitions of another kind; length, place and amount stay, and the direction where the kind has it."""
    wanted = new_transition(kind)

    def of(transition: Transition) -> Transition:
        stays = transition.direction if transition.direction in CATALOGUE[kind].directions else ""
        return replace(transition, kind=wanted.kind, direction=stays, settings={}, ease=None)

    return changed(reel, edges, of)


def with_setting(reel: Reel, edges: Collection[TransitionPlace] | None, name: str, value: float | str) -> Reel:
    """Change a setting of transitions."""
    return changed(reel, edges, lambda j: replace(j, settings={**j.settings, name: value}))


def with_sides(reel: Reel, at: TransitionPlace, before: int, after: int) -> Reel:
    """Make a transition reach so many frames before its edge and after it, one in all at least. Raises TempikError for less than a frame."""
    before, after = max(before, 0), max(after, 0)
    frames = before + after
    if frames < 1:
        raise TempikError("One frame is the least that a transition can be long.")
    # The share is put in the middle of those that round to it.
    share = min((before + 0.5 * (before > 0)) / frames, 1.0) if after else 1.0
    return changed(reel, [at], lambda j: replace(j, length=float(frames), unit="frames", at=share))


def with_directions(reel: Reel, edges: Sequence[TransitionPlace], ways: str, seed: int = 0) -> Reel:
    """Give transitions a direction: by name, `turns` for one side after the other, or `lot`. Those of a kind that has no
    directions stay as they are. Raises TempikError for a direction that none of them has."""
    transitions: dict[TransitionPlace, Transition | None] = {}
    number = 0
    for at in edges:
        transition = transition_at(reel, at)
        kind = CATALOGUE.get(transition.kind) if transition is not None else None
        if transition is None or kind is None or not kind.directions:
            continue
        if ways in (TURNS, LOT) or ways in kind.directions:
            transitions[at] = replace(transition, direction=_way(kind, transition, ways, number, seed))
            number += 1
    if not transitions:
        raise TempikError(f"None of these transitions has a direction '{ways}'.")
    return with_transitions(reel, transitions)


def copied(reel: Reel, source: TransitionPlace, edges: Collection[TransitionPlace]) -> Reel:
    """Give edges the transition that another has. Raises TempikError where there is none to copy."""
    transition = transition_at(reel, source)
    if transition is None:
        raise TempikError("There is no transition to copy.")
    return with_transitions(reel, dict.fromkeys([at for at in edges if at != source], transition))
