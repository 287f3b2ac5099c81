"""The cues that drafts set: told from those of a person, and gone when no clip needs them."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from tempik.reel import Drafted, Reel
from tempik.reel.nests import all_clips


def all_cues(reel: Reel) -> set[tuple[str, str]]:
    """Return every cue of a reel's footage, each with its footage."""
    return {(f.id, c.id) for f in reel.footage for c in f.cues}


def without_idle_cues(reel: Reel, found_again: Callable[[str], bool] = lambda footage: True) -> Reel:
    """Return the reel without the cues of drafts that no clip needs, of its nests neither; a cue that was given a name stays, and so
    do those of footage that they would not be `found_again` in."""
    if reel.draft is None:
        return reel
    needed = {(c.footage, p.cue) for c in all_clips(reel) for p in c.pins}
    named = {(f.id, c.id) for f in reel.footage for c in f.cues if c.name}
    gone = {(f, c) for f, c in set(reel.draft.cues) - needed - named if found_again(f)}
    if not gone:
        return reel
    touched = {f for f, _ in gone}
    footage = tuple(
        replace(f, cues=tuple(c for c in f.cues if (f.id, c.id) not in gone)) if f.id in touched else f
        for f in reel.footage
    )
    return replace(reel, footage=footage, draft=replace(reel.draft, cues=tuple(sorted(set(reel.draft.cues) - gone))))


def with_cues_told(before: Reel, reel: Reel) -> Reel:
    """Return a reel that knows which cues were set since `before` for want of one, not by a person."""
    draft = reel.draft or Drafted("")
    ours = set(draft.cues) | (all_cues(reel) - all_cues(before))
    return replace(reel, draft=replace(draft, cues=tuple(sorted(ours))))
