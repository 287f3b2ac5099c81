"""Pulses: where a lane's accent fires, from its rule, the points and what was painted by hand; and what they all do to a
frame."""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Mapping
from fractions import Fraction
from functools import cache
from typing import NamedTuple

from tempik.accents.accent import Moment, Value, drawn
from tempik.accents.catalogue import CATALOGUE, settled
from tempik.accents.envelope import Form, form_of, level, span_frames
from tempik.accents.evaluated import EvaluatedLane, Pulse, RuleScene, Step
from tempik.accents.look import SPLIT, Look
from tempik.accents.masks import keep_out
from tempik.accents.rules import places_of, steps
from tempik.easing import EASES
from tempik.reel import AccentLane, Edge, Envelope, Key, Limit, point_of


def evaluated(
    lane: AccentLane, scene: RuleScene, gain: float = 1.0, silent: bool = False, found: list[Step] | None = None
) -> EvaluatedLane:
    """Return a lane worked out on a scene; `gain` is what the amounts of its bundle and of all accents make, `found` its
    steps where they are known.

    What lies outside the reel fires nothing. Painted steps override the rule; a painting whose point is gone is kept in
    the lane and fires nothing.
    """
    accent = CATALOGUE.get(lane.accent)
    found = steps(lane, scene) if found is None else found
    if accent is None:
        return EvaluatedLane(lane, None, {}, found, [], [], (0, 0), {}, gain, silent, None)
    values = settled(accent, lane.settings)
    turns = [n for n in str(values.get("turns", "")).split(",") if n in CATALOGUE and n != "cycle"]
    degree = accent.degree if lane.degree is None else lane.degree
    painted = {p.point: p for p in lane.overrides}
    ends_with_clip = bool(lane.limit.clips) or lane.rule.of in ("starts", "ends")
    form_at = _forms(lane.envelope or accent.envelope, scene.rate)
    out: list[Pulse] = []
    for step in found:
        by_hand = painted.get(step.id)
        if by_hand is None and not step.ruled:
            continue
        own = by_hand.strength if by_hand is not None else 1 - degree + degree * step.strength
        if own <= 0 or not 0 <= step.frame < scene.frames:
            continue
        span = step.span
        name = turns[len(out) % len(turns)] if turns else lane.accent
        seed = int(drawn(lane.seed, (lane.id, step.id)) * 2**32)
        form = form_at(step.gap_s, span.end - span.first if span is not None else 0)
        within = (span.first, span.end) if ends_with_clip and span is not None else None
        out.append(
            Pulse(
                lane.id, name, step.id, step.point, step.frame, own, own * lane.amount * gain, step.gap_s,
                by_hand is not None, 2 * math.pi * seed / 2**32, seed, len(out), form, within,
                dict(by_hand.settings) if by_hand is not None and by_hand.settings else None,
            )
        )  # fmt: skip
    spans = [span_frames(p.form) for p in out]
    reach = max((s[0] for s in spans), default=0), max((s[1] for s in spans), default=0)
    places = places_of(lane, scene) if lane.limit != Limit() else None
    return EvaluatedLane(
        lane, accent, values, found, out, [p.frame for p in out], reach, in_frames(lane.keys, scene), gain, silent, places
    )  # fmt: skip


def _forms(envelope: Envelope, rate: Fraction) -> Callable[[float, int], Form]:
    """Return the form of a pulse by the time to the next point and the length of its clip, worked out once for each."""
    units = {envelope.lead.unit, envelope.hold.unit, envelope.decay.unit}
    by_gap, by_clip = "gap" in units, "clip" in units
    made = cache(lambda gap_s, clip_frames: form_of(envelope, rate, gap_s, clip_frames))
    return lambda gap_s, clip_frames: made(gap_s if by_gap else 0.0, clip_frames if by_clip else 0)


def in_frames(by_name: Mapping[str, tuple[Key, ...]], scene: RuleScene) -> dict[str, list[tuple[int, float, str]]]:
    """Return keys by what they set, each as frame, value and ease, in order."""
    out: dict[str, list[tuple[int, float, str]]] = {}
    for name, keys in by_name.items():
        placed: list[tuple[int, float, str]] = [(key_frame(key, scene), key.value, key.ease) for key in keys]
        if placed:
            out[name] = sorted(placed)
    return out


def key_frame(key: Key | Edge, scene: RuleScene) -> int:
    """Return the frame at which a key stands: its point's, or its own."""
    point = point_of(scene.song, key.point) if scene.song is not None and key.point is not None else None
    return scene.frame(point.time_s if point is not None else key.time_s)


def keyed_at(keys: list[tuple[int, float, str]], at: float) -> float:
    """Return the value between keys (frame, value, ease in order) at a frame; before the first and after the last it is
    theirs."""
    number = bisect_right(keys, at, key=lambda k: k[0])
    if number == 0:
        return keys[0][1]
    frame, value, ease = keys[number - 1]
    if number == len(keys):
        return value
    later, wanted, _ = keys[number]
    return value + (wanted - value) * EASES[ease]((at - frame) / max(later - frame, 1))


def pulse_level(pulse: Pulse, at: float) -> float:
    """Return the envelope of a pulse at a frame of the reel, a fraction within a shutter's opening."""
    if pulse.within is not None and not pulse.within[0] <= round(at) < pulse.within[1]:
        return 0.0
    return level(pulse.form, at - pulse.frame)


def sounding(found: EvaluatedLane, at: float) -> list[tuple[Pulse, float]]:
    """Return the pulses of a lane that are not zero at a frame, each with its level, in order."""
    back, on = found.reach
    first = bisect_left(found.starts, math.floor(at) - on)
    out = []
    for number in range(first, len(found.starts)):
        pulse = found.pulses[number]
        if pulse.frame - at > max(back, 1):
            break
        now = pulse_level(pulse, at)
        if now > 0:
            out.append((pulse, now))
    return out


Focus = Callable[[EvaluatedLane, float], tuple[float, float]]


def look_at(
    at: float,
    lanes: Iterable[EvaluatedLane],
    rate: Fraction,
    height_ratio: float,
    focus: Focus | None = None,
    start: Look = Look(),
) -> Look:
    """Return what all lanes together do to a frame, in their order; `at` is a fraction within a shutter's opening."""
    look = start
    for found in lanes:
        if found.accent is None or found.silent:
            continue
        look = _lane_look(look, found, at, rate, height_ratio, focus)
    return look


def _lane_look(
    look: Look, found: EvaluatedLane, at: float, rate: Fraction, height_ratio: float, focus: Focus | None
) -> Look:
    assert found.accent is not None
    playing = sounding(found, at)
    steady = found.accent.steady
    if not playing and steady is None and "level" not in found.keyed:
        return look
    values = found.values
    place = (0.0, 0.0)
    if focus is not None and found.accent.placed:
        place = focus(found, at)
    if found.keyed:
        values = values | {n: keyed_at(k, at) for n, k in found.keyed.items() if n in values}
    moments = [_moment(pulse, now, at, rate, place, height_ratio) for pulse, now in playing]
    if steady is not None and found.may(at):
        loudest = max((m.level for m in moments), default=0.0)
        seed = found.lane.seed * 7919 + 1
        here = Moment(
            found.gain, loudest, at, at / float(rate), 0.0, seed, 0, 0, place, height_ratio
        )  # fmt: skip
        look = steady(look, here, values | {"base": float(values["base"]) * found.gain * found.lane.amount})
    if "level" in found.keyed and found.may(at):
        weight = keyed_at(found.keyed["level"], at) * found.lane.amount * found.gain
        since = at - found.keyed["level"][0][0]
        if weight > 0:
            seed = found.lane.seed * 7919 + 1
            angle = 2 * math.pi * drawn(found.lane.seed, found.lane.id)
            by_hand = Moment(
                weight, weight, since, since / float(rate), angle, seed, 0, found.keyed["level"][0][0], place, height_ratio
            )  # fmt: skip
            moments.append(by_hand)
            playing = [*playing, (None, weight)]  # type: ignore[list-item]
    if not moments:
        return look
    if found.lane.overlap == "sum" and len(moments) > 1 and not found.accent.each:
        largest = max(moments, key=lambda m: m.weight)
        chosen = [
            (playing[moments.index(largest)][0], largest._replace(weight=min(sum(m.weight for m in moments), 4.0)))
        ]
    elif found.lane.overlap == "sum":
        chosen = [(p, m) for (p, _), m in zip(playing, moments, strict=True)]
    else:
        number = max(range(len(moments)), key=lambda i: moments[i].weight)
        chosen = [(playing[number][0], moments[number])]
    for pulse, moment in chosen:
        look = _applied(look, found, pulse, moment, values)
    return look


def _applied(look: Look, found: EvaluatedLane, pulse: Pulse | None, moment: Moment, values: dict[str, Value]) -> Look:
    accent = found.accent
    assert accent is not None
    if pulse is not None and pulse.accent != accent.name:  # one of a cycle, as it comes
        accent = CATALOGUE[pulse.accent]
        values = settled(accent, pulse.settings or {})
    elif pulse is not None and pulse.settings:
        values = settled(accent, {**values, **pulse.settings})
    if not found.lane.mask or not accent.paints:
        return accent.apply(look, moment, values)
    return _masked(look, accent.apply(Look(), moment, values), found.lane.mask)


def _masked(look: Look, made: Look, mask: str) -> Look:
    if not made.tones and not made.effects:
        return look
    return look.painted(min((e.stage for e in made.effects), default=SPLIT), keep_out, made, mask)


def _moment(
    pulse: Pulse, now: float, at: float, rate: Fraction, place: tuple[float, float], height_ratio: float
) -> Moment:
    since = at - pulse.frame
    return Moment(
        now * pulse.strength, now, since, since / float(rate), pulse.angle, pulse.seed, pulse.turn, pulse.frame, place, height_ratio
    )  # fmt: skip


class Clash(NamedTuple):
    """What a person should know of a pulse: its lane, frame and a sentence."""

    lane: str
    frame: int
    message: str


def clashes(found: EvaluatedLane, rate: Fraction) -> list[Clash]:
    """Return pulses whose lead begins before the one before has ended, and those that a clip's end cuts off."""
    out = []
    before: Pulse | None = None
    for pulse in found.pulses:
        if before is not None and pulse.form.lead > 0.5:
            ended = before.frame + before.form.hold - 1 + before.form.decay
            overlap = ended - (pulse.frame - pulse.form.lead)
            # What is left of a decay at its very end cannot be seen.
            if overlap >= 1 and pulse_level(before, pulse.frame - math.ceil(pulse.form.lead) + 1) > 0.02:
                text = f"its lead begins {math.ceil(overlap)} frames before the pulse at {before.label} has ended"
                out.append(Clash(found.lane.id, pulse.frame, text))
        if pulse.within is not None:
            last = pulse.frame + math.ceil(pulse.form.hold - 1 + pulse.form.decay)
            first = pulse.frame - math.floor(pulse.form.lead)
            late, early = last - pulse.within[1], pulse.within[0] - first
            if late >= 1 and level(pulse.form, pulse.within[1] - pulse.frame) > 0.02:
                out.append(Clash(found.lane.id, pulse.frame, f"the clip ends {late} frames before the pulse does"))
            if early >= 1 and level(pulse.form, pulse.within[0] - 1 - pulse.frame) > 0.02:
                out.append(Clash(found.lane.id, pulse.frame, f"the clip begins {early} frames after its lead does"))
        before = pulse
    return out
