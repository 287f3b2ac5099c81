"""Painting an accent row by hand: cells on and off, strengths, patterns repeated, shifted or drawn."""

from __future__ import annotations

import random
from collections.abc import Iterable

from msgspec.structs import replace

from tempik.accents import Cell, Fired
from tempik.edit.accents.rows import bounded, check_setting, fired_of
from tempik.edit.ruled import AnyRow, changed_any, worked_out
from tempik.errors import TempikError
from tempik.reel import (
    Painted,
    Point,
    Reel,
)
from tempik.timeline.striking import Struck
from tempik.timeline.timeline import timeline_of


def with_painted(
    reel: Reel, row: str, cell: str, strength: float | None, settings: dict[str, float | str] | None = None
) -> Reel:
    """Paint a cell of a row by hand (0 silences it); None gives it back to the rule. `settings` None keeps the pulse's
    own."""

    def change(r: AnyRow) -> AnyRow:
        old = next((p for p in r.painted if p.point == cell), None)
        others = tuple(p for p in r.painted if p.point != cell)
        if strength is None:
            return replace(r, painted=others)
        own = (old.settings if old is not None else {}) if settings is None else settings
        return replace(r, painted=(*others, Painted(cell, bounded(strength), own)))

    return changed_any(reel, row, change)


def with_swept(reel: Reel, row: str, cells: Iterable[str], on: bool) -> Reel:
    """Turn cells on or off as one sweep; those that the rule has so already go back to it."""
    ruled = {c.id for c in worked_out(reel, row).cells if c.ruled}
    for cell in cells:
        reel = with_painted(reel, row, cell, None if (cell in ruled) == on else float(on))
    return reel


def with_toggled(reel: Reel, row: str, cell: str) -> Reel:
    """Turn a cell on or off. Where that agrees with the rule, the cell goes back to it rather than being painted."""
    found = worked_out(reel, row)
    painted = next((p.strength for p in found.row.painted if p.point == cell), None)
    ruled = any(c.id == cell and c.ruled for c in found.cells)
    on = painted > 0 if painted is not None else ruled
    return with_swept(reel, row, [cell], not on)


def with_pulse_setting(reel: Reel, row: str, cell: str, name: str, value: float | str | None) -> Reel:
    """Give one pulse a setting of its own, or with None the row's again."""
    found = fired_of(reel, row)
    pulse = next((p for p in found.pulses if p.cell == cell), None)
    if pulse is None:
        raise TempikError("Nothing fires there; paint the cell first.")
    if value is not None:
        check_setting(found.row, name, value)
    own = {n: v for n, v in (pulse.settings or {}).items() if n != name}
    if value is not None:
        own[name] = value
    return with_painted(reel, row, cell, pulse.own, own)


def without_painting(reel: Reel, row: str) -> Reel:
    """Give every cell back to the rule."""
    return changed_any(reel, row, lambda r: replace(r, painted=()))


def bar_place(point: Point) -> tuple[int, int, str]:
    """Return a point's place by bar, beat and part of the beat."""
    return point.bar, point.beat, str(point.part)


def with_bar_copied(reel: Reel, row: str, bar: int) -> Reel:
    """Repeat one bar's pattern in every later bar, painted by hand where the rule has it otherwise."""
    found = worked_out(reel, row)
    pulses = {p.cell: p for p in found.pulses}
    counted = [c for c in found.cells if c.point is not None and c.point.beat]
    pattern = {bar_place(c.point)[1:]: pulses.get(c.id) for c in counted if c.point is not None and c.point.bar == bar}
    if not pattern:
        raise TempikError(f"There is no point in bar {bar} to copy.")
    painted = {p.point: p for p in found.row.painted}
    for cell in counted:
        assert cell.point is not None
        place = bar_place(cell.point)
        if place[0] <= bar or place[1:] not in pattern:
            continue
        wanted = pattern[place[1:]]
        painted.pop(cell.id, None)
        if wanted is None:
            if cell.ruled:
                painted[cell.id] = Painted(cell.id, 0.0)
        elif wanted.painted or not cell.ruled:
            painted[cell.id] = Painted(cell.id, wanted.own, wanted.settings or {})
    return changed_any(reel, row, lambda r: replace(r, painted=tuple(painted.values())))


def with_row_shifted(reel: Reel, row: str, by: int = 1) -> Reel:
    """Shift a row by a point: its rule's offset, its bar positions, and what is painted."""
    found = worked_out(reel, row)
    names = [c.id for c in found.cells]
    pairs = zip(names, names[by:], strict=False) if by > 0 else zip(names[-by:], names, strict=False)
    later = dict(pairs)
    painted = tuple(replace(p, point=later[p.point]) for p in found.row.painted if p.point in later)
    rule = found.row.rule
    if rule.of == "bars":
        metre = max((c.point.beat for c in found.cells if c.point is not None), default=4)
        rule = replace(rule, beats=tuple(sorted({(b - 1 + by) % metre + 1 for b in rule.beats})))
    else:
        rule = replace(rule, offset=(rule.offset + by) % rule.every)
    return changed_any(reel, row, lambda r: replace(r, painted=painted, rule=rule))


def with_random(reel: Reel, row: str, seed: int, share: float = 0.4) -> Reel:
    """Paint a share of the points where the row may fire, drawn by a seed; strong points are likelier, and strengths
    differ."""
    found = worked_out(reel, row)
    draw = random.Random(seed)
    painted = []
    timeline = timeline_of(reel)
    for cell in found.cells:
        if not 0 <= cell.frame < timeline.frames or not found.may(cell.frame):
            continue
        on = draw.random() < share * (0.5 + cell.strength)
        strength = 0.6 + 0.4 * draw.random()
        if on or cell.ruled:
            painted.append(Painted(cell.id, round(strength, 2) if on else 0.0))
    return changed_any(reel, row, lambda r: replace(r, painted=tuple(painted), seed=seed))


def cell_near(found: Fired | Struck, frame: int) -> Cell | None:
    """Return the row's cell nearest to a frame."""
    return min(found.cells, key=lambda c: abs(c.frame - frame), default=None)
