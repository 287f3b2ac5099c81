"""What of a project is meant: clips, lanes, points and places, as they are named on the command line."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import TYPE_CHECKING, TypeVar

from tempik.cli.options import number_in
from tempik.errors import TempikError

if TYPE_CHECKING:
    from tempik.reel import Edge, Reel

Record = TypeVar("Record")
WHICH = "Which clips? Give --clips, such as 2,4-6."


def chosen_clips(reel: Reel, text: str) -> list[str]:
    """Return the clips that `1,3-5` or `all` names, by place. Raises TempikError where there is none."""
    from tempik.timeline.timeline import timeline_of

    placed = [p.clip.id for p in timeline_of(reel).placed]
    if not placed:
        raise TempikError("The reel has no clips yet.")
    return placed if text == "all" else chosen_of(placed, text, "clips")


def chosen_of(names: list[str], text: str, what: str) -> list[str]:
    """Return those of a list that `1,3-5` names, by place. Raises TempikError where it names none."""
    out: list[str] = []
    for part in text.split(","):
        found = re.fullmatch(r"(\d+)(?:-(\d+))?", part.strip())
        first = int(found[1]) if found else 0
        last = int(found[2] or found[1]) if found else 0
        if not 1 <= first <= last <= len(names):
            raise TempikError(f"'{part}' names no {what}; the reel has {what} 1 to {len(names)}.")
        out += names[first - 1 : last]
    return out


def numbered(records: Sequence[Record], number: int | None, what: str) -> Record:
    """Return a record by its number from 1. Raises TempikError where there is none."""
    if number is None or not 1 <= number <= len(records):
        raise TempikError(f"There is no {what} {number}; the project has {len(records)}.")
    return records[number - 1]


def point_named(reel: Reel, label: str) -> str:
    """Return the id of a point in use by its label, such as 4.1. Raises TempikError."""
    from tempik.timeline.timeline import timeline_of

    points = {p.label: p.id for p in timeline_of(reel).points}
    if label not in points:
        raise TempikError(f"There is no point {label} in use; give one such as {next(iter(points), '1.1')}.")
    return points[label]


def edge_named(reel: Reel, text: str) -> Edge:
    """Return a place: a point by its label where there is one, else seconds of the reel. Raises TempikError where it lies outside the reel."""
    from tempik.reel import Edge
    from tempik.timeline.timeline import timeline_of

    timeline = timeline_of(reel)
    found = next((p for p in timeline.on_reel() if p.label == text), None)
    if found is not None:
        return Edge(timeline.reel_s(found), found.id)
    at_s = number_in(text)
    if not 0 <= at_s < reel.length_s:
        raise TempikError(f"The reel is {reel.length_s:g} s long; a sound cannot hit at {at_s:g} s of it.")
    return Edge(at_s)


def clip_at(reel: Reel, frame: int) -> str:
    """Return the clip on screen at a frame. Raises TempikError where there is none."""
    from tempik.timeline.timeline import timeline_of

    placed = timeline_of(reel).clip_at(frame)
    if placed is None:
        raise TempikError(f"No clip is on screen at frame {frame}.")
    return placed.clip.id
