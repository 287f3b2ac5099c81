"""Cues of footage: the instants that matter."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from tempik.edit.footage.facts import facts_changed
from tempik.edit.reel import source_start
from tempik.errors import TempikError
from tempik.reel import (
    Cue,
    Footage,
    Reel,
    by_id,
    new_id,
)
from tempik.reel.nests import everywhere
from tempik.timeline.timeline import timeline_of


def changed_footage(reel: Reel, wanted: str, change: Callable[[Footage], Footage]) -> Reel:
    """Return the reel with one piece of its footage changed."""
    return replace(reel, footage=tuple(change(f) if f.id == wanted else f for f in reel.footage))


def with_cue(reel: Reel, footage: str, time_s: float, name: str = "") -> Reel:
    """Set one more cue on a piece of footage. Raises TempikError when it lies outside the file."""
    piece = by_id(reel.footage, footage)
    if piece is None or not 0 <= time_s < piece.length_s:
        raise TempikError(f"A cue at {time_s:.3f} s lies outside the footage.")
    cue = Cue(new_id("q", {c.id for c in piece.cues}), time_s, name)
    cues = tuple(sorted((*piece.cues, cue), key=lambda c: c.time_s))
    return changed_footage(reel, footage, lambda f: replace(f, cues=cues))


def with_moved_cue(reel: Reel, footage: str, cue: str, time_s: float) -> Reel:
    """Move a cue. Clips pinned by it slip so that the new frame lands on the same point. Raises TempikError outside the footage."""
    piece = by_id(reel.footage, footage)
    if piece is None or not 0 <= time_s < piece.length_s:
        raise TempikError(f"A cue at {time_s:.3f} s lies outside the footage.")
    moved = tuple(replace(c, time_s=time_s) if c.id == cue else c for c in piece.cues)
    return changed_footage(reel, footage, lambda f: replace(f, cues=tuple(sorted(moved, key=lambda c: c.time_s))))


def without_cue(reel: Reel, footage: str, cue: str) -> Reel:
    """Remove a cue. Clips pinned by it keep showing what they show, unpinned."""

    def unpinned(level: Reel) -> Reel:
        timeline = timeline_of(level)
        clips = tuple(
            replace(c, source_s=source_start(timeline, c), pins=tuple(p for p in c.pins if p.cue != cue))
            if c.footage == footage and any(p.cue == cue for p in c.pins)
            else c
            for c in level.clips
        )
        return replace(level, clips=clips)

    reel = everywhere(reel, unpinned)
    return changed_footage(reel, footage, lambda f: replace(f, cues=tuple(c for c in f.cues if c.id != cue)))


def with_dismissed(reel: Reel, footage: str, time_s: float) -> Reel:
    """Do not suggest a cue at an instant again."""
    piece = by_id(reel.footage, footage)
    return facts_changed(reel, footage, dismissed=(*(piece.dismissed if piece is not None else ()), time_s))


def with_cue_name(reel: Reel, footage: str, cue: str, name: str) -> Reel:
    """Call a cue by a word."""
    piece = by_id(reel.footage, footage)
    cues = tuple(replace(c, name=name.strip()) if c.id == cue else c for c in (piece.cues if piece is not None else ()))
    return facts_changed(reel, footage, cues=cues)
