"""Changes to lanes of sounds, each a pure function that returns the reel changed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from msgspec.structs import replace

from tempik.errors import TempikError
from tempik.reel import Reel, Rule, SoundLane, by_id, new_id
from tempik.reel.validate_sound import sound_problems
from tempik.sounds.shelf import SHELF

CUTS = Rule("cuts")


def sound_lane_of(reel: Reel, wanted: str) -> SoundLane:
    """Return a sound lane by its id. Raises TempikError when it is gone."""
    row = by_id(reel.sound_lanes, wanted)
    if row is None:
        raise TempikError("That sound lane is no longer there.")
    return row


def changed_sound_lane(reel: Reel, wanted: str, change: Callable[[SoundLane], SoundLane]) -> Reel:
    """Return the reel with one of its sound lanes changed. Raises TempikError when it is gone."""
    made = change(sound_lane_of(reel, wanted))
    return sounded(replace(reel, sound_lanes=tuple(made if r.id == wanted else r for r in reel.sound_lanes)))


def sounded(reel: Reel) -> Reel:
    """Return a reel whose sounds are as they may be. Raises TempikError with what is wrong with them."""
    message = next(sound_problems(reel), None)
    if message is not None:
        raise TempikError(message)
    return reel


def known_sound(reel: Reel, sound: str) -> str:
    """Return a sound's name or id. Raises TempikError where neither the shelf nor the reel has it."""
    if sound in SHELF or by_id(reel.sounds, sound) is not None:
        return sound
    raise TempikError(f"There is no sound '{sound}' on the shelf; choose from {', '.join(sorted(SHELF))}.")


def with_sound_lane(reel: Reel, sounds: Sequence[str], rule: Rule = CUTS) -> Reel:
    """Add a lane of a sound, or of several that take turns by lot, on whatever the rule fires."""
    names = tuple(known_sound(reel, s) for s in sounds)
    row = SoundLane(new_id("n", {r.id for r in reel.sound_lanes}), names, rule, seed=len(reel.sound_lanes))
    return replace(reel, sound_lanes=(*reel.sound_lanes, row))


def without_sound_lane(reel: Reel, row: str) -> Reel:
    """Take a sound lane away. Raises TempikError when it is gone."""
    sound_lane_of(reel, row)
    return replace(reel, sound_lanes=tuple(r for r in reel.sound_lanes if r.id != row))


def with_sounds(reel: Reel, row: str, sounds: Sequence[str]) -> Reel:
    """Give a lane other sounds; what fires it stays. Raises TempikError for none."""
    names = tuple(known_sound(reel, s) for s in sounds)
    if not names:
        raise TempikError("A lane has at least one sound.")
    return changed_sound_lane(reel, row, lambda r: replace(r, sounds=names))


def with_values(reel: Reel, row: str, **values: Any) -> Reel:
    """Set numbers of a lane: gain_db, pan, fade_in_s, fade_out_s, vary_pitch, vary_gain_db, beats, degree, ducks. Raises
    TempikError for one that cannot be."""
    return changed_sound_lane(reel, row, lambda r: replace(r, **values))


def with_sound_lane_moved(reel: Reel, row: str, by: int) -> Reel:
    """Move a lane up or down among the sound lanes."""
    rows = list(reel.sound_lanes)
    at = rows.index(sound_lane_of(reel, row))
    rows.insert(min(max(at + by, 0), len(rows) - 1), rows.pop(at))
    return replace(reel, sound_lanes=tuple(rows))
