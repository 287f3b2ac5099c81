"""Accent lanes under one name and one amount."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from tempik.edit.accents.lanes import bounded, lane_of, used_bundles
from tempik.errors import TempikError
from tempik.reel import (
    Bundle,
    Reel,
    by_id,
    new_id,
)


def with_bundle(reel: Reel, lanes: Sequence[str], name: str) -> Reel:
    """Put lanes under one name and one amount. Raises TempikError without a name or without lanes."""
    name = name.strip()
    if not name:
        raise TempikError("A bundle needs a name.")
    for lane in lanes:
        lane_of(reel, lane)
    if not lanes:
        raise TempikError("A bundle needs at least one lane.")
    made = Bundle(new_id("u", {b.id for b in reel.bundles}), name)
    after = tuple(replace(r, bundle=made.id) if r.id in lanes else r for r in reel.accent_lanes)
    return replace(reel, accent_lanes=after, bundles=(*used_bundles(reel.bundles, after), made))


def without_bundle(reel: Reel, bundle: str) -> Reel:
    """Open a bundle: its lanes stay, each as strong as it was in it. Raises TempikError where it is gone."""
    record = by_id(reel.bundles, bundle)
    if record is None:
        raise TempikError("That bundle is no longer there.")
    lanes = tuple(
        replace(r, bundle="", amount=bounded(r.amount * record.amount)) if r.bundle == bundle else r
        for r in reel.accent_lanes
    )
    return replace(reel, accent_lanes=lanes, bundles=tuple(b for b in reel.bundles if b.id != bundle))


def with_bundle_amount(reel: Reel, bundle: str, amount: float) -> Reel:
    """Set how strong a bundle is, 0 to 2."""
    return replace(
        reel, bundles=tuple(replace(b, amount=bounded(amount)) if b.id == bundle else b for b in reel.bundles)
    )
