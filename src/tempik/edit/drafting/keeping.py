"""What stays where a reel is drafted anew: clips and rows that are kept."""

from __future__ import annotations

from collections.abc import Collection

from msgspec.structs import replace

from tempik.reel import Reel
from tempik.timeline.timeline import timeline_of


def with_kept(reel: Reel, clips: Collection[str] = (), rows: Collection[str] = (), kept: bool = True) -> Reel:
    """Return the reel with clips and rows (of accents or of sounds) kept, or let go."""
    return replace(
        reel,
        clips=tuple(replace(c, kept=kept) if c.id in clips else c for c in reel.clips),
        rows=tuple(replace(r, kept=kept) if r.id in rows else r for r in reel.rows),
        sound_rows=tuple(replace(r, kept=kept) if r.id in rows else r for r in reel.sound_rows),
    )


def clips_between(reel: Reel, first: int, end: int) -> list[str]:
    """Return the clips of the lowest track that have their first frame in a stretch of frames."""
    return [p.clip.id for p in timeline_of(reel).rows[0] if first <= p.first < end and not p.repeated]


def all_kept(reel: Reel, clips: Collection[str]) -> bool:
    """Tell whether clips are kept, all of them."""
    return bool(clips) and all(c.kept for c in reel.clips if c.id in clips)
