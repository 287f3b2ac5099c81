"""The cut that is worked on: where it is, and the clips on either side of it."""

from __future__ import annotations

from tempik.desktop.commands.transitions import TransitionCommands
from tempik.edit.transitions.laying import TransitionPlace
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.transitions import PlacedTransition


def where_text(
    commands: TransitionCommands, place: TransitionPlace | None, placed_transition: PlacedTransition | None
) -> str:
    """Return in words which cut is worked on, how long its transition is, and how many are meant."""
    timeline = commands.project.timeline
    placed = timeline.placed_clip(place.clip) if place is not None else None
    if place is None or placed is None:
        return "· there is no cut yet; a cut is where two clips meet"
    turn = placed.end if place.end else placed.first
    point = timeline.point_at(turn)
    where = f"on {point.label}, frame {turn}" if point is not None else f"frame {turn}"
    long = f" · {placed_transition.frames} f" if placed_transition is not None else ""
    scope, count = commands.scope, len(commands.places())
    many = f" · {count} cuts meant" if scope != "this" else ""
    return f"· {where}{long}{many}"


def sides_of(commands: TransitionCommands) -> tuple[tuple[PlacedClip | None, PlacedClip | None], int]:
    """Return the clips before and after the edge that is worked on, and its frame."""
    timeline, place = commands.project.timeline, commands.place
    placed = timeline.placed_clip(place.clip) if place is not None else None
    if place is None or placed is None:
        return (None, None), 0
    if place.end:
        after = timeline.clip_at(placed.end, placed.clip.track)
        return (placed, after), placed.end
    before = timeline.clip_at(placed.first - 1, placed.clip.track) if placed.first else None
    return (before if before is not None and before.end == placed.first else None, placed), placed.first
