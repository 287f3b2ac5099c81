"""What mends a transition that lacks footage: shorter, elsewhere about its cut, other footage in the slot, slower, held, or the
footage round again. Each is tried before it is offered."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import NamedTuple

from msgspec.structs import replace

from tempik.edit.clips import trim
from tempik.edit.clips.slots import with_clips
from tempik.edit.speed import speed
from tempik.edit.transitions.laying import TransitionPlace, all_joined, changed, place_of, with_sides
from tempik.errors import TempikError
from tempik.reel import Reel, Transition
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import timeline_of
from tempik.timeline.transitions import PlacedTransition
from tempik.transitions import sides

SLOWEST = 0.25


class TransitionMend(NamedTuple):
    """A mend: its name, what it does in words, and the edit."""

    name: str
    does: str
    edit: Callable[[Reel], Reel]


def mends(reel: Reel, at: TransitionPlace) -> list[TransitionMend]:
    """Return what would mend a transition that lacks footage, the least change first; none where nothing is lacking."""
    placed_transition = timeline_of(reel).transition_of(at.clip, at.end)
    if (
        placed_transition is None
        or placed_transition.kind is None
        or not placed_transition.missing
        or placed_transition.transition.held
    ):
        return []
    found = [*_shorter(reel, placed_transition), *_moved(reel, placed_transition)]
    for placed, missing, after in (
        (placed_transition.out, placed_transition.missing_out, True),
        (placed_transition.into, placed_transition.missing_in, False),
    ):
        if placed is not None and missing:
            found += _slipped(reel, placed_transition, placed, missing, after)
            found += _slowed(reel, placed_transition, placed)
    found.append(TransitionMend("hold", "let the picture stand still there", lambda r: changed(r, [at], _held)))
    names = sorted(
        {
            p.clip.id
            for p, m in (
                (placed_transition.out, placed_transition.missing_out),
                (placed_transition.into, placed_transition.missing_in),
            )
            if p and m
        }
    )
    found.append(TransitionMend("round", "the footage round again", lambda r: speed.with_beyond(r, names, "loop")))
    return found


def mended(reel: Reel, at: TransitionPlace, name: str) -> Reel:
    """Return the reel with a transition mended by a mend of that name. Raises TempikError where it does not serve."""
    there = mends(reel, at)
    mend = next((m for m in there if m.name == name), None)
    if mend is None:
        names = ", ".join(m.name for m in there) or "nothing is lacking"
        raise TempikError(f"'{name}' does not mend this transition; what does: {names}.")
    return mend.edit(reel)


def all_mended(reel: Reel, edges: Collection[TransitionPlace] | None, name: str) -> Reel:
    """Mend the transitions of edges, or all, that lack footage and that a mend of this name serves. Raises TempikError where it
    serves none."""
    lacking = [at for at in (all_joined(reel) if edges is None else edges) if mends(reel, at)]
    if not lacking:
        raise TempikError("No transition here lacks footage; there is nothing to mend.")
    served = [at for at in lacking if any(m.name == name for m in mends(reel, at))]
    for at in served or lacking[:1]:
        if any(m.name == name for m in mends(reel, at)) or not served:
            reel = mended(reel, at, name)  # an earlier mend may have served this one too
    return reel


def _with_sides(at: TransitionPlace, before: int, after: int) -> Callable[[Reel], Reel]:
    return lambda reel: with_sides(reel, at, before, after)


def _held(transition: Transition) -> Transition:
    return replace(transition, held=True)


def _missing(reel: Reel, at: TransitionPlace) -> int | None:
    placed_transition = timeline_of(reel).transition_of(at.clip, at.end)
    return None if placed_transition is None else placed_transition.missing


def _shorter(reel: Reel, placed_transition: PlacedTransition) -> list[TransitionMend]:
    at, share = (
        place_of(placed_transition),
        (placed_transition.turn - placed_transition.begin) / placed_transition.frames,
    )
    for frames in range(placed_transition.frames - 1, 1, -1):
        before, after = sides(frames, share)
        if placed_transition.missing_with(before, after, reel.rate) == 0:
            return [
                TransitionMend(
                    "shorter", f"{frames} frames long instead of {placed_transition.frames}",
                    _with_sides(at, before, after),
                )
            ]  # fmt: skip
    return []


def _moved(reel: Reel, placed_transition: PlacedTransition) -> list[TransitionMend]:
    """Elsewhere about the cut, all its frames kept; the turn stays where it is."""
    at, now = place_of(placed_transition), placed_transition.turn - placed_transition.begin
    for before in (
        sorted(range(placed_transition.frames + 1), key=lambda b: abs(b - now)) if placed_transition.both else ()
    ):
        after = placed_transition.frames - before
        if before != now and placed_transition.missing_with(before, after, reel.rate) == 0:
            return [
                TransitionMend(
                    "move", f"{before} of its frames before the cut, {after} after",
                    _with_sides(at, before, after),
                )
            ]  # fmt: skip
    return []


def _slipped(
    reel: Reel, placed_transition: PlacedTransition, placed: PlacedClip, missing: int, after: bool
) -> list[TransitionMend]:
    """Other footage in the slot, by as much as is lacking: where the clip is not pinned and has it at its other end."""
    at, clip = place_of(placed_transition), placed.clip.id
    if placed.ties:
        return []
    timeline = timeline_of(reel)
    rate = float(timeline.rate)
    edge_s = (placed.until - placed.begin) / rate if after else 0.0
    seconds = missing / rate * abs(float(placed.map.speed(edge_s)[0])) * placed.map.conform_ratio + 0.6 / float(
        placed.footage.rate
    )
    forward = float(placed.map.speed(edge_s)[0]) >= 0
    by = -seconds if after == forward else seconds

    def edit(r: Reel) -> Reel:
        return trim.with_slipped(r, [clip], by)

    try:
        tried = edit(reel)
    except TempikError:
        return []
    was = placed.short_before_s + placed.short_after_s
    now = timeline_of(tried).placed_clip(clip)
    if _missing(tried, at) != 0 or now is None or now.short_before_s + now.short_after_s > was + 1e-6:
        return []
    return [
        TransitionMend("slip", f"{placed.footage.name} begins {abs(by):.2f} s {'earlier' if by < 0 else 'later'}", edit)
    ]


def _slowed(reel: Reel, placed_transition: PlacedTransition, placed: PlacedClip) -> list[TransitionMend]:
    """The clip played slower, so that its footage lasts."""
    at, clip = place_of(placed_transition), placed.clip
    if placed.ties:
        return []

    def edit(r: Reel, factor: float) -> Reel:
        kept = replace(speed.times(clip, factor), source_s=placed.map.start_s)
        return with_clips(r, [kept])

    if _missing(edit(reel, SLOWEST), at) != 0:
        return []
    low, high = SLOWEST, 1.0
    for _ in range(7):  # to a hundredth of the speed
        middle = (low + high) / 2
        low, high = (middle, high) if _missing(edit(reel, middle), at) == 0 else (low, middle)
    factor = low
    return [
        TransitionMend("slow", f"{placed.footage.name} at {factor * 100:.0f} % of its speed", lambda r: edit(r, factor))
    ]
