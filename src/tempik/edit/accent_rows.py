"""Changes to accent rows, each a pure function that returns the reel changed."""

from __future__ import annotations

import random
from collections.abc import Callable, Collection, Iterable, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from tempik.accents import CATALOGUE, Cell, Fired, accent_named, setting_problem
from tempik.edit.timeline import Timeline
from tempik.errors import TempikError
from tempik.reel import (
    AccentRow,
    Bundle,
    Envelope,
    Key,
    Limit,
    Painted,
    Point,
    Reel,
    Rule,
    by_id,
    new_id,
    point_of,
)
from tempik.reel.rows import KeyEase, Overlap
from tempik.reel.validate import envelope_problems
from tempik.time import frame_of, time_of

MOST = 2.0  # of an amount or a strength


def row_of(reel: Reel, wanted: str) -> AccentRow:
    """Return a row by its id. Raises TempikError when it is gone."""
    row = by_id(reel.rows, wanted)
    if row is None:
        raise TempikError("That accent row is no longer there.")
    return row


def _changed(reel: Reel, wanted: str, change: Callable[[AccentRow], AccentRow]) -> Reel:
    row_of(reel, wanted)
    return replace(reel, rows=tuple(change(r) if r.id == wanted else r for r in reel.rows))


def fired_of(reel: Reel, wanted: str) -> Fired:
    """Return a row worked out. Raises TempikError when it is gone."""
    row_of(reel, wanted)
    return next(f for f in Timeline(reel).fired if f.row.id == wanted)


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
    return replace(reel, rows=rows, bundles=_used(reel.bundles, rows))


def _used(bundles: tuple[Bundle, ...], rows: tuple[AccentRow, ...]) -> tuple[Bundle, ...]:
    return tuple(b for b in bundles if any(r.bundle == b.id for r in rows))


def with_other_accent(reel: Reel, row: str, accent: str) -> Reel:
    """Fire another accent by the same rule and paintings; its settings and envelope are its own."""
    accent_named(accent)
    return _changed(reel, row, lambda r: replace(r, accent=accent, settings={}, envelope=None, degree=None, keys={}))


def with_row_moved(reel: Reel, row: str, by: int) -> Reel:
    """Move a row up or down: rows are applied from the top one down."""
    rows = list(reel.rows)
    at = rows.index(row_of(reel, row))
    to = min(max(at + by, 0), len(rows) - 1)
    rows.insert(to, rows.pop(at))
    return replace(reel, rows=tuple(rows))


def with_rule(reel: Reel, row: str, rule: Rule) -> Reel:
    """Fire a row by another rule; what was painted by hand stays. Raises TempikError for one that cannot be."""
    if rule.every < 1:
        raise TempikError("A rule fires on every n-th of its kind; give 1 or more.")
    if rule.of == "bars" and not rule.beats:
        raise TempikError("Say which beats of the bar fire, such as 2 and 4.")
    return _changed(reel, row, lambda r: replace(r, rule=rule))


def with_amount(reel: Reel, row: str, amount: float) -> Reel:
    """Set how strong a whole row is, 0 to 2."""
    return _changed(reel, row, lambda r: replace(r, amount=bounded(amount)))


def with_all_amounts(reel: Reel, amount: float) -> Reel:
    """Set how strong all accents together are, 0 to 2."""
    return replace(reel, amount=bounded(amount))


def with_shutter(reel: Reel, degrees: float) -> Reel:
    """Set the angle of the shutter that blurs what moves, 0 to 360 degrees."""
    return replace(reel, shutter_deg=min(max(degrees, 0.0), 360.0))


def with_muted(reel: Reel, row: str, muted: bool) -> Reel:
    return _changed(reel, row, lambda r: replace(r, muted=muted))


def with_solo(reel: Reel, row: str, solo: bool) -> Reel:
    """Have only this row, and others that are soloed, do something."""
    return _changed(reel, row, lambda r: replace(r, solo=solo))


def with_seed(reel: Reel, row: str, seed: int) -> Reel:
    """Draw anew what the row draws by lot."""
    return _changed(reel, row, lambda r: replace(r, seed=seed))


def with_envelope(reel: Reel, row: str, envelope: Envelope | None) -> Reel:
    """Give a row an envelope, or its accent's own again. Raises TempikError for lengths that cannot be."""

    def change(r: AccentRow) -> AccentRow:
        made = replace(r, envelope=envelope)
        found = next(iter(envelope_problems(made, "The row")), None) if envelope is not None else None
        if found is not None:
            raise TempikError(found)
        return made

    return _changed(reel, row, change)


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
        _check_setting(r, name, value)
        return replace(r, settings={**others, name: value})

    return _changed(reel, row, change)


def _check_setting(row: AccentRow, name: str, value: float | str) -> None:
    problem = setting_problem(accent_named(row.accent), name, value)
    if problem:
        raise TempikError(problem)


def with_focus(reel: Reel, row: str, x: float, y: float) -> Reel:
    """Put a row's focus at a place of the frame, shares from its left and top; it follows no patch then."""
    if not accent_named(row_of(reel, row).accent).placed:
        raise TempikError("This accent has no focus to place.")
    x, y = (min(max(v, -0.5), 1.5) for v in (x, y))
    return _changed(reel, row, lambda r: replace(r, settings={**r.settings, "focus_x": x, "focus_y": y}, follow=""))


def with_follow(reel: Reel, row: str, track: str) -> Reel:
    """Have a row's focus go with a tracked patch of footage; '' leaves it where it was put."""
    return _changed(reel, row, lambda r: replace(r, follow=track))


def with_mask(reel: Reel, row: str, path: str) -> Reel:
    """Have a row show only where an image lets it; '' shows it everywhere. Raises TempikError when it is no image."""
    from tempik.accents.masks import mask_of

    if path:
        mask_of(path)
        if not accent_named(row_of(reel, row).accent).paints:
            raise TempikError("This accent moves the whole frame; a mask cannot keep it out of a part.")
    return _changed(reel, row, lambda r: replace(r, mask=path))


def with_degree(reel: Reel, row: str, degree: float | None) -> Reel:
    """Set how far a weak point weakens its pulse, 0 to 1; None is the accent's own."""
    return _changed(reel, row, lambda r: replace(r, degree=None if degree is None else min(max(degree, 0.0), 1.0)))


def with_overlap(reel: Reel, row: str, overlap: Overlap) -> Reel:
    return _changed(reel, row, lambda r: replace(r, overlap=overlap))


def with_limit(reel: Reel, row: str, limit: Limit) -> Reel:
    """Let a row fire only within clips or a stretch. Raises TempikError for a stretch that ends before it begins."""
    if limit.from_s is not None and limit.to_s is not None and limit.to_s <= limit.from_s:
        raise TempikError("The stretch ends before it begins.")
    return _changed(reel, row, lambda r: replace(r, limit=limit))


# Painting


def with_painted(
    reel: Reel, row: str, cell: str, strength: float | None, settings: dict[str, float | str] | None = None
) -> Reel:
    """Paint a cell of a row by hand (0 silences it); None gives it back to the rule. `settings` None keeps the pulse's
    own."""

    def change(r: AccentRow) -> AccentRow:
        old = next((p for p in r.painted if p.point == cell), None)
        others = tuple(p for p in r.painted if p.point != cell)
        if strength is None:
            return replace(r, painted=others)
        own = (old.settings if old is not None else {}) if settings is None else settings
        return replace(r, painted=(*others, Painted(cell, bounded(strength), own)))

    return _changed(reel, row, change)


def with_swept(reel: Reel, row: str, cells: Iterable[str], on: bool) -> Reel:
    """Turn cells on or off as one sweep; those that the rule has so already go back to it."""
    ruled = {c.id for c in fired_of(reel, row).cells if c.ruled}
    for cell in cells:
        reel = with_painted(reel, row, cell, None if (cell in ruled) == on else float(on))
    return reel


def with_toggled(reel: Reel, row: str, cell: str) -> Reel:
    """Turn a cell on or off. Where that agrees with the rule, the cell goes back to it rather than being painted."""
    found = fired_of(reel, row)
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
        _check_setting(found.row, name, value)
    own = {n: v for n, v in (pulse.settings or {}).items() if n != name}
    if value is not None:
        own[name] = value
    return with_painted(reel, row, cell, pulse.own, own)


def without_painting(reel: Reel, row: str) -> Reel:
    """Give every cell back to the rule."""
    return _changed(reel, row, lambda r: replace(r, painted=()))


def bar_place(point: Point) -> tuple[int, int, str]:
    """Return a point's place by bar, beat and part of the beat."""
    return point.bar, point.beat, str(point.part)


def with_bar_copied(reel: Reel, row: str, bar: int) -> Reel:
    """Repeat one bar's pattern in every later bar, painted by hand where the rule has it otherwise."""
    found = fired_of(reel, row)
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
    return _changed(reel, row, lambda r: replace(r, painted=tuple(painted.values())))


def with_row_shifted(reel: Reel, row: str, by: int = 1) -> Reel:
    """Shift a row by a point: its rule's offset, its bar positions, and what is painted."""
    found = fired_of(reel, row)
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
    return _changed(reel, row, lambda r: replace(r, painted=painted, rule=rule))


def with_random(reel: Reel, row: str, seed: int, share: float = 0.4) -> Reel:
    """Paint a share of the points where the row may fire, drawn by a seed; strong points are likelier, and strengths
    differ."""
    found = fired_of(reel, row)
    draw = random.Random(seed)
    painted = []
    timeline = Timeline(reel)
    for cell in found.cells:
        if not 0 <= cell.frame < timeline.frames or not found.may(cell.frame):
            continue
        on = draw.random() < share * (0.5 + cell.strength)
        strength = 0.6 + 0.4 * draw.random()
        if on or cell.ruled:
            painted.append(Painted(cell.id, round(strength, 2) if on else 0.0))
    return _changed(reel, row, lambda r: replace(r, painted=tuple(painted), seed=seed))


# Keys


def with_key(
    reel: Reel, row: str, name: str, frame: int, value: float, ease: KeyEase = "soft", within: int = 0
) -> Reel:
    """Set a value by hand at a frame, for one of the accent's numbers or for `level`. On a point's frame, or `within` some
    frames of one, the key goes with the point. Raises TempikError for a value that cannot be."""
    timeline = Timeline(reel)
    record = row_of(reel, row)
    if name == "level":
        if not 0 <= value <= MOST:
            raise TempikError("A row's level lies between 0 and 2.")
    else:
        if any(s.name == name and isinstance(s.default, str) for s in accent_named(record.accent).settings):
            raise TempikError(f"'{name}' is no number; it cannot be keyed.")
        _check_setting(record, name, value)
    point = timeline.point_at(frame, within)
    key = Key(time_of(frame, reel.rate) + timeline.start_s, value, point.id if point is not None else None, ease)
    where = timeline.frame_of_point(point) if point is not None else frame
    others = tuple(k for k in record.keys.get(name, ()) if _frame_of_key(timeline, k) != where)
    keys = tuple(sorted((*others, key), key=lambda k: _frame_of_key(timeline, k)))
    return _changed(reel, row, lambda r: replace(r, keys={**r.keys, name: keys}))


def without_key(reel: Reel, row: str, name: str, frame: int) -> Reel:
    """Take the key at a frame away; the last one takes the setting's keys with it."""
    timeline = Timeline(reel)

    def change(r: AccentRow) -> AccentRow:
        left = tuple(k for k in r.keys.get(name, ()) if _frame_of_key(timeline, k) != frame)
        keys = {n: k for n, k in r.keys.items() if n != name}
        return replace(r, keys={**keys, name: left} if left else keys)

    return _changed(reel, row, change)


def _frame_of_key(timeline: Timeline, key: Key) -> int:
    song = timeline.reel.soundtrack
    point = point_of(song, key.point) if song is not None and key.point is not None else None
    return frame_of((point.time_s if point is not None else key.time_s) - timeline.start_s, timeline.rate)


# Bundles


def with_bundle(reel: Reel, rows: Sequence[str], name: str) -> Reel:
    """Put rows under one name and one amount. Raises TempikError without a name or without rows."""
    name = name.strip()
    if not name:
        raise TempikError("A bundle needs a name.")
    for row in rows:
        row_of(reel, row)
    if not rows:
        raise TempikError("A bundle needs at least one row.")
    made = Bundle(new_id("u", {b.id for b in reel.bundles}), name)
    after = tuple(replace(r, bundle=made.id) if r.id in rows else r for r in reel.rows)
    return replace(reel, rows=after, bundles=(*_used(reel.bundles, after), made))


def without_bundle(reel: Reel, bundle: str) -> Reel:
    """Open a bundle: its rows stay, each as strong as it was in it."""
    record = by_id(reel.bundles, bundle)
    if record is None:
        raise TempikError("That bundle is no longer there.")
    rows = tuple(
        replace(r, bundle="", amount=bounded(r.amount * record.amount)) if r.bundle == bundle else r for r in reel.rows
    )
    return replace(reel, rows=rows, bundles=tuple(b for b in reel.bundles if b.id != bundle))


def with_bundle_amount(reel: Reel, bundle: str, amount: float) -> Reel:
    return replace(
        reel, bundles=tuple(replace(b, amount=bounded(amount)) if b.id == bundle else b for b in reel.bundles)
    )


# Copying rows


class CopiedRows(NamedTuple):
    """Rows lifted off a reel: each with its painted cells by bar, beat and part, so that they fit another song's points;
    and the bundle that they were in, if all were in one."""

    rows: tuple[AccentRow, ...]
    places: tuple[tuple[tuple[tuple[int, int, str], Painted], ...], ...]
    bundle: Bundle | None = None


def copied_rows(reel: Reel, wanted: Collection[str]) -> CopiedRows:
    """Return rows as they are now. Raises TempikError when there are none."""
    fired = [f for f in Timeline(reel).fired if f.row.id in wanted]
    if not fired:
        raise TempikError("There is no accent row to copy; choose one first.")
    places = []
    for found in fired:
        points = {c.id: c.point for c in found.cells if c.point is not None and c.point.beat}
        places.append(tuple((bar_place(points[p.point]), p) for p in found.row.painted if p.point in points))
    names = {f.row.bundle for f in fired}
    bundle = by_id(reel.bundles, next(iter(names))) if len(names) == 1 else None
    return CopiedRows(tuple(f.row for f in fired), tuple(places), bundle)


def pasted_rows(reel: Reel, what: CopiedRows, clips: Sequence[str] = ()) -> tuple[Reel, list[str]]:
    """Add copied rows; given clips they fire in these only. Painted cells go to the points of the same bar and beat.
    Returns the reel and the new rows' ids."""
    timeline = Timeline(reel)
    by_place = {bar_place(p): p.id for p in timeline.points if p.beat}
    made: list[str] = []
    bundle = ""
    if what.bundle is not None:
        bundle = new_id("u", {b.id for b in reel.bundles})
        reel = replace(reel, bundles=(*reel.bundles, replace(what.bundle, id=bundle)))
    known = {c.id for c in reel.clips}
    for row, places in zip(what.rows, what.places, strict=True):
        name = new_id("r", {r.id for r in reel.rows})
        painted = tuple(replace(p, point=by_place[place]) for place, p in places if place in by_place)
        if clips:
            first, end = _span_of(timeline, clips)
            painted = tuple(p for p in painted if first <= _cell_frame(timeline, p.point) < end)
        limit = Limit(clips=tuple(clips)) if clips else replace(
            row.limit, clips=tuple(c for c in row.limit.clips if c in known)
        )  # fmt: skip
        follow = row.follow if any(t.id == row.follow for f in reel.footage for t in f.tracks) else ""
        copy = replace(row, id=name, painted=painted, limit=limit, bundle=bundle, follow=follow)
        reel = replace(reel, rows=(*reel.rows, copy))
        made.append(name)
    return reel, made


def _span_of(timeline: Timeline, clips: Sequence[str]) -> tuple[int, int]:
    placed = [p for c in clips if (p := timeline.placed_clip(c)) is not None]
    if not placed:
        raise TempikError("Those clips are no longer on the reel.")
    return min(p.first for p in placed), max(p.end for p in placed)


def _cell_frame(timeline: Timeline, point: str) -> int:
    found = timeline.point(point)
    return timeline.frame_of_point(found) if found is not None else -1


def cell_near(found: Fired, frame: int) -> Cell | None:
    """Return the row's cell nearest to a frame."""
    return min(found.cells, key=lambda c: abs(c.frame - frame), default=None)
