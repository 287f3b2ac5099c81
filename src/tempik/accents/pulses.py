"""Pulses: where a row's accent fires, from its rule, the points and what was painted by hand; and what they all do to a
frame."""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Sequence
from fractions import Fraction
from itertools import groupby
from typing import NamedTuple

from tempik.accents.accent import Accent, Moment, Value, drawn
from tempik.accents.catalogue import CATALOGUE, settled
from tempik.accents.envelope import Form, form_of, level, span_frames
from tempik.accents.look import SPLIT, Look
from tempik.reel import AccentRow, Edge, Key, Limit, Point, Rule, Soundtrack, point_of
from tempik.time import frame_of

LAST_GAP_S = 0.5  # a last point has no next: its gap is taken for this
BASE_EASES: dict[str, Callable[[float], float]] = {
    "even": lambda x: x,
    "soft": lambda x: x * x * (3 - 2 * x),
    "slow start": lambda x: x * x,
    "slow end": lambda x: x * (2 - x),
    "hold": lambda x: 0.0,
}


class Span(NamedTuple):
    """A clip on screen: frames `first` up to `end`; whether another picture was on screen before it; the points that its
    edges are tied to, and its pins, each with its cue, its point and its frame."""

    clip: str
    first: int
    end: int
    is_cut: bool
    start: Point | None
    until: Point | None
    ties: tuple[tuple[str, Point, int], ...]


class Scene(NamedTuple):
    """What rules fire on. `tall` is the frame's height in shares of its width."""

    song: Soundtrack | None
    rate: Fraction
    frames: int
    tall: float
    spans: tuple[Span, ...] = ()

    @property
    def start_s(self) -> float:
        return self.song.start_s if self.song is not None else 0.0

    def frame(self, song_s: float) -> int:
        return frame_of(song_s - self.start_s, self.rate)


class Cell(NamedTuple):
    """A place of a row that can fire: its id, the rhythm point that it stands on if it does, its frame, the strength of
    the point, seconds to the next, the clip it belongs to, and whether the row's rule fires it."""

    id: str
    point: Point | None
    frame: int
    strength: float
    gap_s: float
    span: Span | None
    ruled: bool


class Pulse(NamedTuple):
    """One firing. `own` is its strength by hand or by its point, 0 to 2, `strength` what all amounts make of it.
    `within` are the frames (first, end) of the clip that it ends with, if it does."""

    row: str
    accent: str
    cell: str
    point: Point | None
    frame: int
    own: float
    strength: float
    gap_s: float
    painted: bool
    angle: float
    seed: int
    turn: int
    form: Form
    within: tuple[int, int] | None
    settings: dict[str, Value] | None

    @property
    def label(self) -> str:
        return self.point.label if self.point is not None else f"f{self.frame}"


class Fired(NamedTuple):
    """A row worked out. `accent` is None for one that this version does not know. `silent` rows are muted, or another
    is soloed: they are shown and do nothing. `reach` is how many frames before and after its point a pulse lasts, `within`
    the frames (first, end) that the row is limited to.
    """

    row: AccentRow
    accent: Accent | None
    values: dict[str, Value]
    cells: list[Cell]
    pulses: list[Pulse]
    starts: list[int]
    reach: tuple[int, int]
    keyed: dict[str, list[tuple[int, float, str]]]
    gain: float
    silent: bool
    within: tuple[tuple[int, int], ...] | None

    def may(self, at: float) -> bool:
        """Tell whether the row may do anything at a frame that no pulse asks for."""
        return self.within is None or any(first <= at < end for first, end in self.within)


def beats(points: Sequence[Point]) -> list[Point]:
    """Return the points that count as beats, in order."""
    return [p for p in points if p.kind in ("beat", "downbeat", "drop")]


def anchor(points: Sequence[Point]) -> int:
    """Return the number, among the beats, of the first downbeat: rules of every n-th point count from it."""
    return next((i for i, p in enumerate(points) if p.kind == "downbeat" or p.beat == 1), 0)


def numbered(points: Sequence[Point]) -> list[tuple[Point, int]]:
    """Return the points that rules count, each with its number.

    Beats and their parts are counted from the first downbeat, and keep their count over a stretch in which onsets
    are used instead; onsets are counted from the first of each such stretch. Points placed by hand are not counted.
    """
    out: list[tuple[Point, int]] = []
    bar_0: int | None = None
    counted = [p for p in points if p.kind != "hand"]
    for onsets, group in groupby(counted, key=lambda p: p.kind == "onset"):
        run = list(group)
        if onsets:
            out += [(p, i) for i, p in enumerate(run)]
            continue
        downbeats = [i for i, p in enumerate(run) if p.beat == 1 and not p.part]
        first = downbeats[0] if downbeats else 0
        a_bar = downbeats[1] - first if len(downbeats) > 1 else len(run)
        bar_0 = run[first].bar if bar_0 is None else bar_0
        base = (run[first].bar - bar_0) * a_bar
        out += [(p, base + i - first) for i, p in enumerate(run)]
    return out


class _Event(NamedTuple):
    id: str
    point: Point | None
    frame: int
    strength: float
    number: int


def _events(rule: Rule, scene: Scene, stretch: tuple[int, int]) -> list[_Event]:
    """Return all that a rule counts, whether it fires or not."""
    song = scene.song
    if rule.of in ("points", "bars", "drops"):
        found = numbered(song.points) if song is not None else []
        if rule.of == "bars":
            taken = [p for p, _ in found if p.beat in rule.beats and not p.part]
            found = [(p, i) for i, p in enumerate(taken)]
        elif rule.of == "drops":
            found = [(p, i) for i, p in enumerate(p for p, _ in found if p.kind == "drop")]
        return [_Event(p.id, p, scene.frame(p.time_s), p.strength, n) for p, n in found]
    if rule.of == "onsets":
        onsets = song.heard.onsets if song is not None and song.heard is not None else ()
        heard: list[_Event] = []
        for i, onset in enumerate(onsets):
            point = point_of(song, f"o{i}") if onset.band in rule.bands and song is not None else None
            if point is not None:
                heard.append(_Event(point.id, point, scene.frame(point.time_s), point.strength, len(heard)))
        return heard
    if rule.of == "frames":
        return [_Event(f"frame/{k - stretch[0]}", None, k, 1.0, k - stretch[0]) for k in range(*stretch)]
    out: list[_Event] = []
    for span in scene.spans:
        if (rule.of == "cuts" and span.is_cut) or rule.of == "starts":
            strength = span.start.strength if span.start is not None else 1.0
            out.append(_Event(f"{span.clip}/start", span.start, span.first, strength, len(out)))
        elif rule.of == "ends":
            # The last frame of a clip is the one before the point that its end is tied to.
            out.append(_Event(f"{span.clip}/end", None, span.end - 1, 1.0, len(out)))
        elif rule.of == "pins":
            for cue, point, frame in span.ties:
                if span.first <= frame < span.end:
                    out.append(_Event(f"{span.clip}/{cue}", point, frame, point.strength, len(out)))
    return out


def uses_clips(row: AccentRow) -> bool:
    """Tell whether a row's pulses follow from the clips, not from the song alone."""
    envelope = row.envelope
    own = CATALOGUE.get(row.accent)
    envelope = envelope or (own.envelope if own is not None else None)
    shares = envelope is not None and "clip" in (envelope.lead.unit, envelope.hold.unit, envelope.decay.unit)
    return shares or bool(row.limit.clips) or row.rule.of in ("cuts", "starts", "ends", "pins")


def cells(row: AccentRow, scene: Scene) -> list[Cell]:
    """Return every place of a row that fires or can be painted, in order of frame."""
    stretch = _stretch(row, scene)
    events = _events(row.rule, scene, stretch)
    rule = row.rule
    taken = {e.id for e in events}
    frames = set() if rule.of in ("points", "bars", "onsets", "drops", "hand") else {e.frame for e in events}
    points = scene.song.points if scene.song is not None else ()
    out = [
        Cell(p.id, p, scene.frame(p.time_s), p.strength, 0.0, None, False)
        for p in points
        if p.id not in taken and scene.frame(p.time_s) not in frames
    ]
    firsts = [s.first for s in scene.spans]
    for e in events:
        span = _span_at(scene, firsts, e.frame)
        fires = (e.number - rule.offset) % rule.every == 0 and e.strength >= rule.at_least
        fires = fires and stretch[0] <= e.frame < stretch[1]
        if row.limit.clips:
            fires = fires and span is not None and span.clip in row.limit.clips
        out.append(Cell(e.id, e.point, e.frame, e.strength, 0.0, span, fires))
    out.sort(key=lambda c: c.frame)
    if not out:
        return []
    rate = float(scene.rate)
    times = [c.point.time_s if c.point is not None else c.frame / rate + scene.start_s for c in out]
    gaps = [max(b - a, 0.0) for a, b in zip(times, times[1:], strict=False)] + [LAST_GAP_S]
    return [
        c._replace(gap_s=g or LAST_GAP_S, span=c.span or _span_at(scene, firsts, c.frame))
        for c, g in zip(out, gaps, strict=True)
    ]


def _stretch(row: AccentRow, scene: Scene) -> tuple[int, int]:
    first = 0 if row.limit.from_s is None else max(0, scene.frame(row.limit.from_s))
    end = scene.frames if row.limit.to_s is None else min(scene.frames, scene.frame(row.limit.to_s))
    return first, max(first, end)


def _places(row: AccentRow, scene: Scene) -> tuple[tuple[int, int], ...]:
    """Return the frames (first, end) that a row is limited to."""
    first, end = _stretch(row, scene)
    if not row.limit.clips:
        return ((first, end),)
    spans = [s for s in scene.spans if s.clip in row.limit.clips]
    return tuple((max(s.first, first), min(s.end, end)) for s in spans)


def _span_at(scene: Scene, firsts: list[int], frame: int) -> Span | None:
    number = bisect_right(firsts, frame) - 1
    return scene.spans[number] if number >= 0 and frame < scene.spans[number].end else None


def fired(row: AccentRow, scene: Scene, gain: float = 1.0, silent: bool = False) -> Fired:
    """Return a row worked out on a scene; `gain` is what the amounts of its bundle and of all accents make.

    What lies outside the reel fires nothing. Painted cells override the rule; a painting whose point is gone is kept in
    the row and fires nothing.
    """
    accent = CATALOGUE.get(row.accent)
    found = cells(row, scene)
    if accent is None:
        return Fired(row, None, {}, found, [], [], (0, 0), {}, gain, silent, None)
    values = settled(accent, row.settings)
    steps = [n for n in str(values.get("steps", "")).split(",") if n in CATALOGUE and n != "cycle"]
    degree = accent.degree if row.degree is None else row.degree
    painted = {p.point: p for p in row.painted}
    ends_with_clip = bool(row.limit.clips) or row.rule.of in ("starts", "ends")
    out: list[Pulse] = []
    for cell in found:
        by_hand = painted.get(cell.id)
        if by_hand is None and not cell.ruled:
            continue
        own = by_hand.strength if by_hand is not None else 1 - degree + degree * cell.strength
        if own <= 0 or not 0 <= cell.frame < scene.frames:
            continue
        span = cell.span
        name = steps[len(out) % len(steps)] if steps else row.accent
        envelope = row.envelope or accent.envelope
        seed = int(drawn(row.seed, (row.id, cell.id)) * 2**32)
        form = form_of(envelope, scene.rate, cell.gap_s, span.end - span.first if span is not None else 0.0)
        within = (span.first, span.end) if ends_with_clip and span is not None else None
        out.append(
            Pulse(
                row.id, name, cell.id, cell.point, cell.frame, own, own * row.amount * gain, cell.gap_s,
                by_hand is not None, 2 * math.pi * seed / 2**32, seed, len(out), form, within,
                dict(by_hand.settings) if by_hand is not None and by_hand.settings else None,
            )
        )  # fmt: skip
    spans = [span_frames(p.form) for p in out]
    reach = max((s[0] for s in spans), default=0), max((s[1] for s in spans), default=0)
    places = _places(row, scene) if row.limit != Limit() else None
    return Fired(
        row, accent, values, found, out, [p.frame for p in out], reach, _keyed(row, scene), gain, silent, places
    )  # fmt: skip


def _keyed(row: AccentRow, scene: Scene) -> dict[str, list[tuple[int, float, str]]]:
    """Return a row's keys by setting, each as frame, value and ease, in order."""
    out: dict[str, list[tuple[int, float, str]]] = {}
    for name, keys in row.keys.items():
        placed: list[tuple[int, float, str]] = [(key_frame(key, scene), key.value, key.ease) for key in keys]
        if placed:
            out[name] = sorted(placed)
    return out


def key_frame(key: Key | Edge, scene: Scene) -> int:
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
    return value + (wanted - value) * BASE_EASES[ease]((at - frame) / max(later - frame, 1))


def pulse_level(pulse: Pulse, at: float) -> float:
    """Return the envelope of a pulse at a frame of the reel, a fraction within a shutter's opening."""
    if pulse.within is not None and not pulse.within[0] <= round(at) < pulse.within[1]:
        return 0.0
    return level(pulse.form, at - pulse.frame)


def sounding(found: Fired, at: float) -> list[tuple[Pulse, float]]:
    """Return the pulses of a row that are not zero at a frame, each with its level, in order."""
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


Focus = Callable[[Fired, float], tuple[float, float]]


def look_at(
    at: float, rows: Iterable[Fired], rate: Fraction, tall: float, focus: Focus | None = None, start: Look = Look()
) -> Look:
    """Return what all rows together do to a frame, in their order; `at` is a fraction within a shutter's opening."""
    look = start
    for found in rows:
        if found.accent is None or found.silent:
            continue
        look = _row_look(look, found, at, rate, tall, focus)
    return look


def _row_look(look: Look, found: Fired, at: float, rate: Fraction, tall: float, focus: Focus | None) -> Look:
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
    moments = [_moment(pulse, now, at, rate, place, tall) for pulse, now in playing]
    if steady is not None and found.may(at):
        loudest = max((m.level for m in moments), default=0.0)
        seed = found.row.seed * 7919 + 1
        here = Moment(
            found.gain, loudest, at, at / float(rate), 0.0, seed, 0, 0, place, tall
        )  # fmt: skip
        look = steady(look, here, values | {"base": float(values["base"]) * found.gain * found.row.amount})
    if "level" in found.keyed and found.may(at):
        weight = keyed_at(found.keyed["level"], at) * found.row.amount * found.gain
        since = at - found.keyed["level"][0][0]
        if weight > 0:
            seed = found.row.seed * 7919 + 1
            angle = 2 * math.pi * drawn(found.row.seed, found.row.id)
            by_hand = Moment(
                weight, weight, since, since / float(rate), angle, seed, 0, found.keyed["level"][0][0], place, tall
            )  # fmt: skip
            moments.append(by_hand)
            playing = [*playing, (None, weight)]  # type: ignore[list-item]
    if not moments:
        return look
    if found.row.overlap == "sum" and len(moments) > 1 and not found.accent.each:
        largest = max(moments, key=lambda m: m.weight)
        chosen = [
            (playing[moments.index(largest)][0], largest._replace(weight=min(sum(m.weight for m in moments), 4.0)))
        ]
    elif found.row.overlap == "sum":
        chosen = [(p, m) for (p, _), m in zip(playing, moments, strict=True)]
    else:
        number = max(range(len(moments)), key=lambda i: moments[i].weight)
        chosen = [(playing[number][0], moments[number])]
    for pulse, moment in chosen:
        look = _applied(look, found, pulse, moment, values)
    return look


def _applied(look: Look, found: Fired, pulse: Pulse | None, moment: Moment, values: dict[str, Value]) -> Look:
    accent = found.accent
    assert accent is not None
    if pulse is not None and pulse.accent != accent.name:  # one of a cycle, as it comes
        accent = CATALOGUE[pulse.accent]
        values = settled(accent, pulse.settings or {})
    elif pulse is not None and pulse.settings:
        values = settled(accent, {**values, **pulse.settings})
    if not found.row.mask or not accent.paints:
        return accent.apply(look, moment, values)
    return _masked(look, accent.apply(Look(), moment, values), found.row.mask)


def _masked(look: Look, made: Look, mask: str) -> Look:
    from tempik.accents.masks import keep_out

    if not made.tones and not made.effects:
        return look
    return look.painted(min((e.stage for e in made.effects), default=SPLIT), keep_out, made, mask)


def _moment(pulse: Pulse, now: float, at: float, rate: Fraction, place: tuple[float, float], tall: float) -> Moment:
    since = at - pulse.frame
    return Moment(
        now * pulse.strength, now, since, since / float(rate), pulse.angle, pulse.seed, pulse.turn, pulse.frame, place, tall
    )  # fmt: skip


class Clash(NamedTuple):
    """What a person should know of a pulse: its row, frame and a sentence."""

    row: str
    frame: int
    said: str


def clashes(found: Fired, rate: Fraction) -> list[Clash]:
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
                out.append(Clash(found.row.id, pulse.frame, text))
        if pulse.within is not None:
            last = pulse.frame + math.ceil(pulse.form.hold - 1 + pulse.form.decay)
            first = pulse.frame - math.floor(pulse.form.lead)
            late, early = last - pulse.within[1], pulse.within[0] - first
            if late >= 1 and level(pulse.form, pulse.within[1] - pulse.frame) > 0.02:
                out.append(Clash(found.row.id, pulse.frame, f"the clip ends {late} frames before the pulse does"))
            if early >= 1 and level(pulse.form, pulse.within[0] - 1 - pulse.frame) > 0.02:
                out.append(Clash(found.row.id, pulse.frame, f"the clip begins {early} frames after its lead does"))
        before = pulse
    return out
