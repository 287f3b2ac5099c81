"""What stays where a reel is drafted anew: clips and lanes that are kept."""

from __future__ import annotations

from collections.abc import Collection

from msgspec.structs import replace

from tempik.reel import Reel
from tempik.timeline.timeline import timeline_of


def with_locked(reel: Reel, clips: Collection[str] = (), lanes: Collection[str] = (), kept: bool = True) -> Reel:
    """Return the reel with clips and lanes (of accents or of sounds) kept, or let go."""
    return replace(
        reel,
        clips=tuple(replace(c, locked=kept) if c.id in clips else c for c in reel.clips),
        accent_lanes=tuple(replace(r, locked=kept) if r.id in lanes else r for r in reel.accent_lanes),
        sound_lanes=tuple(replace(r, locked=kept) if r.id in lanes else r for r in reel.sound_lanes),
    )


def clips_between(reel: Reel, first: int, end: int) -> list[str]:
    """Return the clips of the lowest track that have their first frame in a stretch of frames."""
    return [p.clip.id for p in timeline_of(reel).own_tracks[0] if first <= p.first < end and not p.repeated]


def all_kept(reel: Reel, clips: Collection[str]) -> bool:
    """Tell whether clips are kept, all of them."""
    return bool(clips) and all(c.locked for c in reel.clips if c.id in clips)
