"""Sounds wherever they are tied to points: turned all alike when the points change."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from tempik.reel import Edge, Limit, Reel


def _same(name: str) -> str:
    return name


def with_sounds_turned(
    reel: Reel,
    edge: Callable[[Edge], Edge],
    painted: Callable[[str], str] = _same,
    limit: Callable[[Limit], Limit] | None = None,
) -> Reel:
    """Return the reel with where its sound clips land turned, and of its sound rows what painted cells are called and the
    stretches that they fire in."""
    if not reel.sound_clips and not reel.sound_rows:
        return reel
    clips = tuple(replace(c, at=edge(c.at)) for c in reel.sound_clips)
    rows = []
    for row in reel.sound_rows:
        cells = {name: replace(p, point=name) for p in row.painted for name in (painted(p.point),)}
        rows.append(replace(row, painted=tuple(cells.values()), limit=limit(row.limit) if limit else row.limit))
    return replace(reel, sound_clips=clips, sound_rows=tuple(rows))


def sound_ties(reel: Reel) -> set[str]:
    """Return every point that a sound is tied to."""
    return {c.at.point for c in reel.sound_clips if c.at.point} | {p.point for r in reel.sound_rows for p in r.painted}
