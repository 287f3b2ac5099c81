"""Reels within a reel: what every nest holds, seen and changed from outside, opened and closed."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec.structs import replace

from tempik.reel.lanes import AccentLane
from tempik.reel.model import Clip, Footage, Nest, Reel, VideoTrack, by_id

# A nest's own span, led along with its clips wherever ties are.
_SPAN = "span"


def nests_of(reel: Reel) -> list[Footage]:
    """Return the footage of a reel that is nests."""
    return [f for f in reel.footage if f.nest is not None]


def all_clips(reel: Reel) -> Iterator[Clip]:
    """Yield every clip of a reel and of its nests."""
    yield from reel.clips
    for footage in reel.footage:
        if footage.nest is not None:
            yield from footage.nest.clips


def all_lanes(reel: Reel) -> Iterator[AccentLane]:
    """Yield every accent lane of a reel and of its nests."""
    yield from reel.accent_lanes
    for footage in reel.footage:
        if footage.nest is not None:
            yield from footage.nest.accent_lanes


def everywhere(reel: Reel, change: Callable[[Reel], Reel]) -> Reel:
    """Return a reel changed, and what lies in its nests changed alike: of these the clips, their lanes and the nest's span
    are taken, everything else from the change of the reel itself."""
    changed = change(reel)
    if not nests_of(reel):
        return changed
    made: dict[str, Nest] = {}
    for footage in nests_of(reel):
        nest = footage.nest
        assert nest is not None
        span = Clip(_SPAN, footage.id, nest.start, nest.end, track=len(nest.tracks))
        level = replace(
            reel, clips=(*nest.clips, span), tracks=(*nest.tracks, VideoTrack()), accent_lanes=nest.accent_lanes
        )
        after = change(level)
        spanned = by_id(after.clips, _SPAN) or span
        clips = tuple(c for c in after.clips if c.id != _SPAN)
        made[footage.id] = replace(
            nest, start=spanned.start, end=spanned.end, clips=clips, accent_lanes=after.accent_lanes
        )
    return replace(changed, footage=tuple(replace(f, nest=made[f.id]) if f.id in made else f for f in changed.footage))


def opened(reel: Reel, nest: str) -> Reel:
    """Return a reel with a nest open: its clips, tracks and lanes in place of those that it lies among."""
    return replace(_swapped(reel, nest), opened=(*reel.opened, nest))


def closed(reel: Reel) -> Reel:
    """Return a reel with the nest closed that was opened last; as it is where none is open."""
    return replace(_swapped(reel, reel.opened[-1]), opened=reel.opened[:-1]) if reel.opened else reel


def all_closed(reel: Reel) -> Reel:
    """Return a reel as it is shown and exported: with no nest open."""
    while reel.opened:
        reel = closed(reel)
    return reel


def _swapped(reel: Reel, wanted: str) -> Reel:
    footage = by_id(reel.footage, wanted)
    nest = footage.nest if footage is not None else None
    if nest is None:
        return reel
    kept = replace(nest, clips=reel.clips, tracks=reel.tracks, accent_lanes=reel.accent_lanes)
    pieces = tuple(replace(f, nest=kept) if f.id == wanted else f for f in reel.footage)
    return replace(reel, clips=nest.clips, tracks=nest.tracks, accent_lanes=nest.accent_lanes, footage=pieces)


def level_of(reel: Reel, footage: Footage) -> Reel:
    """Return what lies in a nest that is not open, as a reel of its own on the same song, as long as it must be."""
    nest = footage.nest
    assert nest is not None
    return replace(
        reel, clips=nest.clips, tracks=nest.tracks, accent_lanes=nest.accent_lanes, opened=(), look=None, look_keys=(), sound_lanes=(),
        sound_tracks=(), sound_clips=(),
    )  # fmt: skip


def within_itself(reel: Reel) -> str:
    """Return the id of a nest that lies within itself, at whatever depth; '' where none does."""
    reel = all_closed(reel)
    inner = {f.id: {c.footage for c in f.nest.clips} for f in reel.footage if f.nest is not None}

    def reaches(wanted: str, at: str, seen: set[str]) -> bool:
        for name in inner.get(at, ()):
            if name == wanted:
                return True
            if name in inner and name not in seen:
                seen.add(name)
                if reaches(wanted, name, seen):
                    return True
        return False

    return next((name for name in inner if reaches(name, name, {name})), "")
