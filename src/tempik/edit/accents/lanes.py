"""Changes to accent lanes, each a pure function that returns the reel changed."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from tempik.accents import CATALOGUE, EvaluatedLane, accent_named, setting_problem
from tempik.accents.masks import mask_of
from tempik.errors import TempikError
from tempik.reel import (
    AccentLane,
    Bundle,
    Envelope,
    Reel,
    Rule,
    by_id,
    new_id,
)
from tempik.reel.lanes import Overlap
from tempik.reel.validate import envelope_problems
from tempik.timeline.timeline import timeline_of

MOST = 2.0  # of an amount or a strength


def lane_of(reel: Reel, wanted: str) -> AccentLane:
    """Return a lane by its id. Raises TempikError when it is gone."""
    lane = by_id(reel.accent_lanes, wanted)
    if lane is None:
        raise TempikError("That accent lane is no longer there.")
    return lane


def changed_lane(reel: Reel, wanted: str, change: Callable[[AccentLane], AccentLane]) -> Reel:
    """Return the reel with one of its accent lanes changed. Raises TempikError when it is gone."""
    lane_of(reel, wanted)
    return replace(reel, accent_lanes=tuple(change(r) if r.id == wanted else r for r in reel.accent_lanes))


def evaluated_lane(reel: Reel, wanted: str) -> EvaluatedLane:
    """Return a lane worked out. Raises TempikError when it is gone."""
    lane_of(reel, wanted)
    return next(f for f in timeline_of(reel).accent_lanes if f.lane.id == wanted)


def bounded(amount: float) -> float:
    """Return an amount within 0 to 2."""
    return min(max(amount, 0.0), MOST)


def with_lane(reel: Reel, accent: str, every: int = 1, rule: Rule | None = None) -> Reel:
    """Add an accent lane that fires on every n-th point (0: none, to be painted by hand), or by another rule."""
    accent_named(accent)
    made = rule or (Rule(every=every) if every else Rule("hand"))
    lane = AccentLane(new_id("r", {r.id for r in reel.accent_lanes}), accent, made, seed=len(reel.accent_lanes))
    return replace(reel, accent_lanes=(*reel.accent_lanes, lane))


def without_lane(reel: Reel, lane: str) -> Reel:
    """Take a lane away; a bundle that loses its last lane goes with it."""
    lanes = tuple(r for r in reel.accent_lanes if r.id != lane)
    return replace(reel, accent_lanes=lanes, bundles=used_bundles(reel.bundles, lanes))


def used_bundles(bundles: tuple[Bundle, ...], lanes: tuple[AccentLane, ...]) -> tuple[Bundle, ...]:
    """Return the bundles that lanes are in."""
    return tuple(b for b in bundles if any(r.bundle == b.id for r in lanes))


def with_other_accent(reel: Reel, lane: str, accent: str) -> Reel:
    """Fire another accent by the same rule and paintings; its settings and envelope are its own."""
    accent_named(accent)
    return changed_lane(
        reel, lane, lambda r: replace(r, accent=accent, settings={}, envelope=None, degree=None, keys={})
    )


def with_lane_moved(reel: Reel, lane: str, by: int) -> Reel:
    """Move a lane up or down: lanes are applied from the top one down."""
    lanes = list(reel.accent_lanes)
    at = lanes.index(lane_of(reel, lane))
    to = min(max(at + by, 0), len(lanes) - 1)
    lanes.insert(to, lanes.pop(at))
    return replace(reel, accent_lanes=tuple(lanes))


def with_amount(reel: Reel, lane: str, amount: float) -> Reel:
    """Set how strong a whole lane is, 0 to 2."""
    return changed_lane(reel, lane, lambda r: replace(r, amount=bounded(amount)))


def with_all_amounts(reel: Reel, amount: float) -> Reel:
    """Set how strong all accents together are, 0 to 2."""
    return replace(reel, amount=bounded(amount))


def with_shutter(reel: Reel, degrees: float) -> Reel:
    """Set the angle of the shutter that blurs what moves, 0 to 360 degrees."""
    return replace(reel, shutter_deg=min(max(degrees, 0.0), 360.0))


def with_envelope(reel: Reel, lane: str, envelope: Envelope | None) -> Reel:
    """Give a lane an envelope, or its accent's own again. Raises TempikError for lengths that cannot be."""

    def change(r: AccentLane) -> AccentLane:
        made = replace(r, envelope=envelope)
        found = next(iter(envelope_problems(made, "The lane")), None) if envelope is not None else None
        if found is not None:
            raise TempikError(found)
        return made

    return changed_lane(reel, lane, change)


def envelope_of(lane: AccentLane) -> Envelope:
    """Return a lane's envelope: its own, or its accent's."""
    accent = CATALOGUE.get(lane.accent)
    return lane.envelope or (accent.envelope if accent is not None else Envelope())


def with_setting(reel: Reel, lane: str, name: str, value: float | str | None) -> Reel:
    """Set one of the accent's settings, or with None give it back to the accent. Raises TempikError for a value that it
    cannot have."""

    def change(r: AccentLane) -> AccentLane:
        others = {n: v for n, v in r.settings.items() if n != name}
        if value is None:
            return replace(r, settings=others)
        check_setting(r, name, value)
        return replace(r, settings={**others, name: value})

    return changed_lane(reel, lane, change)


def check_setting(lane: AccentLane, name: str, value: float | str) -> None:
    """Raises TempikError where a lane's accent has no such setting, or not that value of it."""
    problem = setting_problem(accent_named(lane.accent), name, value)
    if problem:
        raise TempikError(problem)


def with_focus(reel: Reel, lane: str, x: float, y: float) -> Reel:
    """Put a lane's focus at a place of the frame, shares from its left and top; it follows no patch then. Raises TempikError for an accent
    that has none."""
    if not accent_named(lane_of(reel, lane).accent).placed:
        raise TempikError("This accent has no focus to place.")
    x, y = (min(max(v, -0.5), 1.5) for v in (x, y))
    return changed_lane(
        reel, lane, lambda r: replace(r, settings={**r.settings, "focus_x": x, "focus_y": y}, follow="")
    )


def with_follow(reel: Reel, lane: str, track: str) -> Reel:
    """Have a lane's focus go with a tracked patch of footage; '' leaves it where it was put."""
    return changed_lane(reel, lane, lambda r: replace(r, follow=track))


def with_mask(reel: Reel, lane: str, path: str) -> Reel:
    """Have a lane show only where an image lets it; '' shows it everywhere. Raises TempikError when it is no image."""
    if path:
        mask_of(path)
        if not accent_named(lane_of(reel, lane).accent).paints:
            raise TempikError("This accent moves the whole frame; a mask cannot keep it out of a part.")
    return changed_lane(reel, lane, lambda r: replace(r, mask=path))


def with_degree(reel: Reel, lane: str, degree: float | None) -> Reel:
    """Set how far a weak point weakens its pulse, 0 to 1; None is the accent's own."""
    return changed_lane(reel, lane, lambda r: replace(r, degree=None if degree is None else min(max(degree, 0.0), 1.0)))


def with_overlap(reel: Reel, lane: str, overlap: Overlap) -> Reel:
    """Choose what a lane does where two of its pulses meet: the larger, or their sum. Raises TempikError when it is gone."""
    return changed_lane(reel, lane, lambda r: replace(r, overlap=overlap))


def with_alone(reel: Reel, lane: str, alone: bool) -> Reel:
    """Let a lane act on the pictures of the clips that it is limited to, not on the whole frame. Raises TempikError where it
    is limited to none."""
    if alone and not lane_of(reel, lane).limit.clips:
        raise TempikError("Limit the lane to some clips first; it can act on their pictures alone then.")
    return changed_lane(reel, lane, lambda r: replace(r, alone=alone))
