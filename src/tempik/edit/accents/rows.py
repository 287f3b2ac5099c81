"""Changes to accent rows, each a pure function that returns the reel changed."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from tempik.accents import CATALOGUE, Fired, accent_named, setting_problem
from tempik.accents.masks import mask_of
from tempik.errors import TempikError
from tempik.reel import (
    AccentRow,
    Bundle,
    Envelope,
    Reel,
    Rule,
    by_id,
    new_id,
)
from tempik.reel.rows import Overlap
from tempik.reel.validate import envelope_problems
from tempik.timeline.timeline import timeline_of

MOST = 2.0  # of an amount or a strength


def row_of(reel: Reel, wanted: str) -> AccentRow:
    """Return a row by its id. Raises TempikError when it is gone."""
    row = by_id(reel.rows, wanted)
    if row is None:
        raise TempikError("That accent row is no longer there.")
    return row


def changed_row(reel: Reel, wanted: str, change: Callable[[AccentRow], AccentRow]) -> Reel:
    row_of(reel, wanted)
    return replace(reel, rows=tuple(change(r) if r.id == wanted else r for r in reel.rows))


def fired_of(reel: Reel, wanted: str) -> Fired:
    """Return a row worked out. Raises TempikError when it is gone."""
    row_of(reel, wanted)
    return next(f for f in timeline_of(reel).fired if f.row.id == wanted)


def bounded(amount: float) -> float:
    return min(max(amount, 0.0), MOST)


def with_row(reel: Reel, accent: str, every: int = 1, rule: Rule | None = None) -> Reel:
    """Add an accent row that fires on every n-th point (0: none, to be painted by hand), or by another rule."""
    accent_named(accent)
    made = rule or (Rule(every=every) if every else Rule("hand"))
    row = AccentRow(new_id("r", {r.id for r in reel.rows}), accent, made, seed=len(reel.rows))
    return replace(reel, rows=(*reel.rows, row))


def without_row(reel: Reel, row: str) -> Reel:
    """Take a row away; a bundle that loses its last row goes with it."""
    rows = tuple(r for r in reel.rows if r.id != row)
    return replace(reel, rows=rows, bundles=used_bundles(reel.bundles, rows))


def used_bundles(bundles: tuple[Bundle, ...], rows: tuple[AccentRow, ...]) -> tuple[Bundle, ...]:
    return tuple(b for b in bundles if any(r.bundle == b.id for r in rows))


def with_other_accent(reel: Reel, row: str, accent: str) -> Reel:
    """Fire another accent by the same rule and paintings; its settings and envelope are its own."""
    accent_named(accent)
    return changed_row(reel, row, lambda r: replace(r, accent=accent, settings={}, envelope=None, degree=None, keys={}))


def with_row_moved(reel: Reel, row: str, by: int) -> Reel:
    """Move a row up or down: rows are applied from the top one down."""
    rows = list(reel.rows)
    at = rows.index(row_of(reel, row))
    to = min(max(at + by, 0), len(rows) - 1)
    rows.insert(to, rows.pop(at))
    return replace(reel, rows=tuple(rows))


def with_amount(reel: Reel, row: str, amount: float) -> Reel:
    """Set how strong a whole row is, 0 to 2."""
    return changed_row(reel, row, lambda r: replace(r, amount=bounded(amount)))


def with_all_amounts(reel: Reel, amount: float) -> Reel:
    """Set how strong all accents together are, 0 to 2."""
    return replace(reel, amount=bounded(amount))


def with_shutter(reel: Reel, degrees: float) -> Reel:
    """Set the angle of the shutter that blurs what moves, 0 to 360 degrees."""
    return replace(reel, shutter_deg=min(max(degrees, 0.0), 360.0))


def with_envelope(reel: Reel, row: str, envelope: Envelope | None) -> Reel:
    """Give a row an envelope, or its accent's own again. Raises TempikError for lengths that cannot be."""

    def change(r: AccentRow) -> AccentRow:
        made = replace(r, envelope=envelope)
        found = next(iter(envelope_problems(made, "The row")), None) if envelope is not None else None
        if found is not None:
            raise TempikError(found)
        return made

    return changed_row(reel, row, change)


def envelope_of(row: AccentRow) -> Envelope:
    """Return a row's envelope: its own, or its accent's."""
    accent = CATALOGUE.get(row.accent)
    return row.envelope or (accent.envelope if accent is not None else Envelope())


def with_setting(reel: Reel, row: str, name: str, value: float | str | None) -> Reel:
    """Set one of the accent's settings, or with None give it back to the accent. Raises TempikError for a value that it
    cannot have."""

    def change(r: AccentRow) -> AccentRow:
        others = {n: v for n, v in r.settings.items() if n != name}
        if value is None:
            return replace(r, settings=others)
        check_setting(r, name, value)
        return replace(r, settings={**others, name: value})

    return changed_row(reel, row, change)


def check_setting(row: AccentRow, name: str, value: float | str) -> None:
    problem = setting_problem(accent_named(row.accent), name, value)
    if problem:
        raise TempikError(problem)


def with_focus(reel: Reel, row: str, x: float, y: float) -> Reel:
    """Put a row's focus at a place of the frame, shares from its left and top; it follows no patch then."""
    if not accent_named(row_of(reel, row).accent).placed:
        raise TempikError("This accent has no focus to place.")
    x, y = (min(max(v, -0.5), 1.5) for v in (x, y))
    return changed_row(reel, row, lambda r: replace(r, settings={**r.settings, "focus_x": x, "focus_y": y}, follow=""))


def with_follow(reel: Reel, row: str, track: str) -> Reel:
    """Have a row's focus go with a tracked patch of footage; '' leaves it where it was put."""
    return changed_row(reel, row, lambda r: replace(r, follow=track))


def with_mask(reel: Reel, row: str, path: str) -> Reel:
    """Have a row show only where an image lets it; '' shows it everywhere. Raises TempikError when it is no image."""
    if path:
        mask_of(path)
        if not accent_named(row_of(reel, row).accent).paints:
            raise TempikError("This accent moves the whole frame; a mask cannot keep it out of a part.")
    return changed_row(reel, row, lambda r: replace(r, mask=path))


def with_degree(reel: Reel, row: str, degree: float | None) -> Reel:
    """Set how far a weak point weakens its pulse, 0 to 1; None is the accent's own."""
    return changed_row(reel, row, lambda r: replace(r, degree=None if degree is None else min(max(degree, 0.0), 1.0)))


def with_overlap(reel: Reel, row: str, overlap: Overlap) -> Reel:
    return changed_row(reel, row, lambda r: replace(r, overlap=overlap))


def with_alone(reel: Reel, row: str, alone: bool) -> Reel:
    """Let a row act on the pictures of the clips that it is limited to, not on the whole frame. Raises TempikError where it
    is limited to none."""
    if alone and not row_of(reel, row).limit.clips:
        raise TempikError("Limit the row to some clips first; it can act on their pictures alone then.")
    return changed_row(reel, row, lambda r: replace(r, alone=alone))
