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
    """Return the reel with where its sound clips land turned, and of its sound lanes what painted steps are called and the
    stretches that they fire in."""
    if not reel.sound_clips and not reel.sound_lanes:
        return reel
    clips = tuple(replace(c, at=edge(c.at)) for c in reel.sound_clips)
    lanes = []
    for lane in reel.sound_lanes:
        steps = {name: replace(p, point=name) for p in lane.overrides for name in (painted(p.point),)}
        lanes.append(replace(lane, overrides=tuple(steps.values()), limit=limit(lane.limit) if limit else lane.limit))
    return replace(reel, sound_clips=clips, sound_lanes=tuple(lanes))


def sound_ties(reel: Reel) -> set[str]:
    """Return every point that a sound is tied to."""
    return {c.at.point for c in reel.sound_clips if c.at.point} | {
        p.point for r in reel.sound_lanes for p in r.overrides
    }
