"""What stays where a reel is drafted anew: clips and lanes that are locked."""

from __future__ import annotations

from collections.abc import Collection

from msgspec.structs import replace

from tempik.reel import Reel
from tempik.timeline.timeline import timeline_of


def with_locked(reel: Reel, clips: Collection[str] = (), lanes: Collection[str] = (), locked: bool = True) -> Reel:
    """Return the reel with clips and lanes (of accents or of sounds) locked against drafts, or open to them."""
    return replace(
        reel,
        clips=tuple(replace(c, locked=locked) if c.id in clips else c for c in reel.clips),
        accent_lanes=tuple(replace(r, locked=locked) if r.id in lanes else r for r in reel.accent_lanes),
        sound_lanes=tuple(replace(r, locked=locked) if r.id in lanes else r for r in reel.sound_lanes),
    )


def clips_between(reel: Reel, first: int, end: int) -> list[str]:
    """Return the clips of the lowest track that have their first frame in a stretch of frames."""
    return [p.clip.id for p in timeline_of(reel).own_tracks[0] if first <= p.first < end and not p.repeated]


def all_locked(reel: Reel, clips: Collection[str]) -> bool:
    """Tell whether clips are locked, all of them."""
    return bool(clips) and all(c.locked for c in reel.clips if c.id in clips)
