"""Changes to what rows of accents and rows of sounds have in common: a rule, where it may fire, what is painted."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from tempik.accents import Fired
from tempik.errors import TempikError
from tempik.reel import AccentRow, Limit, Reel, Rule, SoundRow, by_id
from tempik.timeline.striking import Struck, struck_of
from tempik.timeline.timeline import timeline_of

AnyRow = AccentRow | SoundRow


def any_row(reel: Reel, wanted: str) -> AnyRow:
    """Return an accent or sound row by its id. Raises TempikError when it is gone."""
    found: AnyRow | None = by_id(reel.rows, wanted) or by_id(reel.sound_rows, wanted)
    if found is None:
        raise TempikError("That row is no longer there.")
    return found


def changed_any(reel: Reel, wanted: str, change: Callable[[AnyRow], AnyRow]) -> Reel:
    """Return the reel with one of its rows changed. Raises TempikError when it is gone."""
    made = change(any_row(reel, wanted))
    if isinstance(made, SoundRow):
        return replace(reel, sound_rows=tuple(made if r.id == wanted else r for r in reel.sound_rows))
    return replace(reel, rows=tuple(made if r.id == wanted else r for r in reel.rows))


def worked_out(reel: Reel, wanted: str) -> Fired | Struck:
    """Return a row of either kind worked out. Raises TempikError when it is gone."""
    timeline = timeline_of(reel)
    if isinstance(any_row(reel, wanted), SoundRow):
        return next(s for s in struck_of(timeline) if s.row.id == wanted)
    return next(f for f in timeline.fired if f.row.id == wanted)


def with_rule(reel: Reel, row: str, rule: Rule) -> Reel:
    """Fire a row by another rule; what was painted by hand stays. Raises TempikError for one that cannot be."""
    if rule.every < 1:
        raise TempikError("A rule fires on every n-th of its kind; give 1 or more.")
    if rule.of == "bars" and not rule.beats:
        raise TempikError("Say which beats of the bar fire, such as 2 and 4.")
    if rule.of == "pulses" and by_id(reel.rows, rule.row) is None:
        raise TempikError("Say of which accent row the pulses fire it.")
    return changed_any(reel, row, lambda r: replace(r, rule=rule))


def with_limit(reel: Reel, row: str, limit: Limit) -> Reel:
    """Let a row fire only within clips or a stretch. Raises TempikError for a stretch that ends before it begins."""
    if limit.from_s is not None and limit.to_s is not None and limit.to_s <= limit.from_s:
        raise TempikError("The stretch ends before it begins.")

    def change(r: AnyRow) -> AnyRow:
        if isinstance(r, AccentRow):
            return replace(r, limit=limit, alone=r.alone and bool(limit.clips))
        return replace(r, limit=limit)

    return changed_any(reel, row, change)


def with_muted(reel: Reel, row: str, muted: bool) -> Reel:
    return changed_any(reel, row, lambda r: replace(r, muted=muted))


def with_solo(reel: Reel, row: str, solo: bool) -> Reel:
    """Have only this row, and others that are soloed, do something."""
    return changed_any(reel, row, lambda r: replace(r, solo=solo))


def with_seed(reel: Reel, row: str, seed: int) -> Reel:
    """Draw anew what the row draws by lot."""
    return changed_any(reel, row, lambda r: replace(r, seed=seed))
