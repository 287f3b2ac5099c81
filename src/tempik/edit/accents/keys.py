"""Values of an accent lane set by hand at frames."""

from __future__ import annotations

from msgspec.structs import replace

from tempik.accents import accent_named
from tempik.edit.accents.lanes import MOST, changed_lane, check_setting, lane_of
from tempik.edit.keying import keyed_with, keyed_without
from tempik.errors import TempikError
from tempik.reel import (
    AccentLane,
    Reel,
)
from tempik.reel.lanes import KeyEase
from tempik.timeline.timeline import timeline_of


def with_key(
    reel: Reel, lane: str, name: str, frame: int, value: float, ease: KeyEase = "soft", within: int = 0
) -> Reel:
    """Set a value by hand at a frame, for one of the accent's numbers or for `level`. On a point's frame, or `within` some
    frames of one, the key goes with the point. Raises TempikError for a value that cannot be."""
    timeline = timeline_of(reel)
    record = lane_of(reel, lane)
    if name == "level":
        if not 0 <= value <= MOST:
            raise TempikError("A lane's level lies between 0 and 2.")
    else:
        if any(s.name == name and isinstance(s.default, str) for s in accent_named(record.accent).settings):
            raise TempikError(f"'{name}' is no number; it cannot be keyed.")
        check_setting(record, name, value)
    keys = keyed_with(timeline, record.keys.get(name, ()), frame, value, ease, within)
    return changed_lane(reel, lane, lambda r: replace(r, keys={**r.keys, name: keys}))


def without_key(reel: Reel, lane: str, name: str, frame: int) -> Reel:
    """Take the key at a frame away; the last one takes the setting's keys with it."""
    timeline = timeline_of(reel)

    def change(r: AccentLane) -> AccentLane:
        left = keyed_without(timeline, r.keys.get(name, ()), frame)
        keys = {n: k for n, k in r.keys.items() if n != name}
        return replace(r, keys={**keys, name: left} if left else keys)

    return changed_lane(reel, lane, change)
