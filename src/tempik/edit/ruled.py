"""Changes to what lanes of accents and lanes of sounds have in common: a rule, where it may fire, what is painted."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from tempik.accents import EvaluatedLane
from tempik.errors import TempikError
from tempik.reel import AccentLane, Limit, Reel, Rule, SoundLane, by_id
from tempik.timeline.sound_triggers import EvaluatedSoundLane, evaluated_sound_lanes
from tempik.timeline.timeline import timeline_of

AnyLane = AccentLane | SoundLane


def any_lane(reel: Reel, wanted: str) -> AnyLane:
    """Return an accent or sound lane by its id. Raises TempikError when it is gone."""
    found: AnyLane | None = by_id(reel.accent_lanes, wanted) or by_id(reel.sound_lanes, wanted)
    if found is None:
        raise TempikError("That lane is no longer there.")
    return found


def changed_any(reel: Reel, wanted: str, change: Callable[[AnyLane], AnyLane]) -> Reel:
    """Return the reel with one of its lanes changed. Raises TempikError when it is gone."""
    made = change(any_lane(reel, wanted))
    if isinstance(made, SoundLane):
        return replace(reel, sound_lanes=tuple(made if r.id == wanted else r for r in reel.sound_lanes))
    return replace(reel, accent_lanes=tuple(made if r.id == wanted else r for r in reel.accent_lanes))


def worked_out(reel: Reel, wanted: str) -> EvaluatedLane | EvaluatedSoundLane:
    """Return a lane of either kind worked out. Raises TempikError when it is gone."""
    timeline = timeline_of(reel)
    if isinstance(any_lane(reel, wanted), SoundLane):
        return next(s for s in evaluated_sound_lanes(timeline) if s.lane.id == wanted)
    return next(f for f in timeline.accent_lanes if f.lane.id == wanted)


def with_rule(reel: Reel, lane: str, rule: Rule) -> Reel:
    """Fire a lane by another rule; what was painted by hand stays. Raises TempikError for one that cannot be."""
    if rule.every < 1:
        raise TempikError("A rule fires on every n-th of its kind; give 1 or more.")
    if rule.of == "bars" and not rule.beats:
        raise TempikError("Say which beats of the bar fire, such as 2 and 4.")
    if rule.of == "pulses" and by_id(reel.accent_lanes, rule.lane) is None:
        raise TempikError("Say of which accent lane the pulses fire it.")
    return changed_any(reel, lane, lambda r: replace(r, rule=rule))


def with_limit(reel: Reel, lane: str, limit: Limit) -> Reel:
    """Let a lane fire only within clips or a stretch. Raises TempikError for a stretch that ends before it begins."""
    if limit.from_s is not None and limit.to_s is not None and limit.to_s <= limit.from_s:
        raise TempikError("The stretch ends before it begins.")

    def change(r: AnyLane) -> AnyLane:
        if isinstance(r, AccentLane):
            return replace(r, limit=limit, alone=r.alone and bool(limit.clips))
        return replace(r, limit=limit)

    return changed_any(reel, lane, change)


def with_muted(reel: Reel, lane: str, muted: bool) -> Reel:
    """Mute a lane of either kind, or let it be heard and seen. Raises TempikError when it is gone."""
    return changed_any(reel, lane, lambda r: replace(r, muted=muted))


def with_solo(reel: Reel, lane: str, solo: bool) -> Reel:
    """Have only this lane, and others that are soloed, do something."""
    return changed_any(reel, lane, lambda r: replace(r, solo=solo))


def with_seed(reel: Reel, lane: str, seed: int) -> Reel:
    """Draw anew what the lane draws by lot."""
    return changed_any(reel, lane, lambda r: replace(r, seed=seed))
