"""Painting an accent lane by hand: steps on and off, strengths, patterns repeated, shifted or drawn."""

from __future__ import annotations

import random
from collections.abc import Iterable

from msgspec.structs import replace

from tempik.accents import EvaluatedLane, Step
from tempik.edit.accents.lanes import bounded, check_setting, evaluated_lane
from tempik.edit.ruled import AnyLane, changed_any, worked_out
from tempik.errors import TempikError
from tempik.reel import (
    Point,
    Reel,
    StepOverride,
)
from tempik.timeline.sound_triggers import EvaluatedSoundLane
from tempik.timeline.timeline import timeline_of


def with_painted(
    reel: Reel, lane: str, step: str, strength: float | None, settings: dict[str, float | str] | None = None
) -> Reel:
    """Paint a step of a lane by hand (0 silences it); None gives it back to the rule. `settings` None keeps the pulse's
    own."""

    def change(r: AnyLane) -> AnyLane:
        old = next((p for p in r.overrides if p.point == step), None)
        others = tuple(p for p in r.overrides if p.point != step)
        if strength is None:
            return replace(r, overrides=others)
        own = (old.settings if old is not None else {}) if settings is None else settings
        return replace(r, overrides=(*others, StepOverride(step, bounded(strength), own)))

    return changed_any(reel, lane, change)


def with_swept(reel: Reel, lane: str, steps: Iterable[str], on: bool) -> Reel:
    """Turn steps on or off as one sweep; those that the rule has so already go back to it."""
    ruled = {c.id for c in worked_out(reel, lane).steps if c.ruled}
    for step in steps:
        reel = with_painted(reel, lane, step, None if (step in ruled) == on else float(on))
    return reel


def with_toggled(reel: Reel, lane: str, step: str) -> Reel:
    """Turn a step on or off. Where that agrees with the rule, the step goes back to it rather than being painted."""
    found = worked_out(reel, lane)
    painted = next((p.strength for p in found.lane.overrides if p.point == step), None)
    ruled = any(c.id == step and c.ruled for c in found.steps)
    on = painted > 0 if painted is not None else ruled
    return with_swept(reel, lane, [step], not on)


def with_pulse_setting(reel: Reel, lane: str, step: str, name: str, value: float | str | None) -> Reel:
    """Give one pulse a setting of its own, or with None the lane's again. Raises TempikError where nothing fires."""
    found = evaluated_lane(reel, lane)
    pulse = next((p for p in found.pulses if p.step == step), None)
    if pulse is None:
        raise TempikError("Nothing fires there; paint the step first.")
    if value is not None:
        check_setting(found.lane, name, value)
    own = {n: v for n, v in (pulse.settings or {}).items() if n != name}
    if value is not None:
        own[name] = value
    return with_painted(reel, lane, step, pulse.own, own)


def without_painting(reel: Reel, lane: str) -> Reel:
    """Give every step back to the rule."""
    return changed_any(reel, lane, lambda r: replace(r, overrides=()))


def bar_place(point: Point) -> tuple[int, int, str]:
    """Return a point's place by bar, beat and part of the beat."""
    return point.bar, point.beat, str(point.part)


def with_bar_copied(reel: Reel, lane: str, bar: int) -> Reel:
    """Repeat one bar's pattern in every later bar, painted by hand where the rule has it otherwise. Raises TempikError where the bar has no
    point."""
    found = worked_out(reel, lane)
    pulses = {p.step: p for p in found.pulses}
    counted = [c for c in found.steps if c.point is not None and c.point.beat]
    pattern = {bar_place(c.point)[1:]: pulses.get(c.id) for c in counted if c.point is not None and c.point.bar == bar}
    if not pattern:
        raise TempikError(f"There is no point in bar {bar} to copy.")
    painted = {p.point: p for p in found.lane.overrides}
    for step in counted:
        assert step.point is not None
        place = bar_place(step.point)
        if place[0] <= bar or place[1:] not in pattern:
            continue
        wanted = pattern[place[1:]]
        painted.pop(step.id, None)
        if wanted is None:
            if step.ruled:
                painted[step.id] = StepOverride(step.id, 0.0)
        elif wanted.overridden or not step.ruled:
            painted[step.id] = StepOverride(step.id, wanted.own, wanted.settings or {})
    return changed_any(reel, lane, lambda r: replace(r, overrides=tuple(painted.values())))


def with_lane_shifted(reel: Reel, lane: str, by: int = 1) -> Reel:
    """Shift a lane by a point: its rule's offset, its bar positions, and what is painted."""
    found = worked_out(reel, lane)
    names = [c.id for c in found.steps]
    pairs = zip(names, names[by:], strict=False) if by > 0 else zip(names[-by:], names, strict=False)
    later = dict(pairs)
    painted = tuple(replace(p, point=later[p.point]) for p in found.lane.overrides if p.point in later)
    rule = found.lane.rule
    if rule.of == "bars":
        metre = max((c.point.beat for c in found.steps if c.point is not None), default=4)
        rule = replace(rule, beats=tuple(sorted({(b - 1 + by) % metre + 1 for b in rule.beats})))
    else:
        rule = replace(rule, offset=(rule.offset + by) % rule.every)
    return changed_any(reel, lane, lambda r: replace(r, overrides=painted, rule=rule))


def with_random(reel: Reel, lane: str, seed: int, share: float = 0.4) -> Reel:
    """Paint a share of the points where the lane may fire, drawn by a seed; strong points are likelier, and strengths
    differ."""
    found = worked_out(reel, lane)
    draw = random.Random(seed)
    painted = []
    timeline = timeline_of(reel)
    for step in found.steps:
        if not 0 <= step.frame < timeline.frames or not found.may(step.frame):
            continue
        on = draw.random() < share * (0.5 + step.strength)
        strength = 0.6 + 0.4 * draw.random()
        if on or step.ruled:
            painted.append(StepOverride(step.id, round(strength, 2) if on else 0.0))
    return changed_any(reel, lane, lambda r: replace(r, overrides=tuple(painted), seed=seed))


def step_near(found: EvaluatedLane | EvaluatedSoundLane, frame: int) -> Step | None:
    """Return the lane's step nearest to a frame."""
    return min(found.steps, key=lambda c: abs(c.frame - frame), default=None)
