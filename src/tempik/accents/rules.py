"""Where a lane may fire and where its rule fires it: every n-th point, places in the bar, attacks, cuts, pins, frames."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from itertools import groupby, islice
from typing import NamedTuple

from tempik.accents.catalogue import CATALOGUE
from tempik.accents.evaluated import Ruled, RuleScene, Span, Step
from tempik.derive import DERIVED, Stage
from tempik.reel import AccentLane, Point, Rule, Soundtrack, point_of
from tempik.reel.points import points_of
from tempik.time import time_of

LAST_GAP_S = 0.5  # a last point has no next: its gap is taken for this
# So far beyond the reel's ends lanes have steps, for when its stretch is moved: a song's length, not a day's.
AROUND_S = 600.0
# A lane that is laid frame by frame reaches so far: five minutes at 60 a second. An hour of it would be worked at for ten seconds.
MOST_FRAMES = 20_000
_COUNTED: Stage[list[CountedRun]] = Stage("counted points")


def beats(points: Sequence[Point]) -> list[Point]:
    """Return the points that count as beats, in order."""
    return [p for p in points if p.kind in ("beat", "downbeat", "drop")]


def anchor(points: Sequence[Point]) -> int:
    """Return the number, among the beats, of the first downbeat: rules of every n-th point count from it."""
    return next((i for i, p in enumerate(points) if p.kind == "downbeat" or p.beat == 1), 0)


class CountedRun(NamedTuple):
    """Points that are counted on from one to the next, and the number of the first."""

    points: Sequence[Point]
    first: int


def runs_of(points: Sequence[Point]) -> list[CountedRun]:
    """Return the points that rules count, as runs of counting.

    Beats and their parts are counted from the first downbeat, and keep their count over a stretch in which onsets
    are used instead; onsets are counted from the first of each such stretch. Points placed by hand are not counted.
    """
    out: list[CountedRun] = []
    bar_0: int | None = None
    counted = [p for p in points if p.kind != "hand"]
    for onsets, group in groupby(counted, key=lambda p: p.kind == "onset"):
        run = list(group)
        if onsets:
            out.append(CountedRun(run, 0))
            continue
        downbeats = list(islice((i for i, p in enumerate(run) if p.beat == 1 and not p.part), 2))
        first = downbeats[0] if downbeats else 0
        a_bar = downbeats[1] - first if len(downbeats) > 1 else len(run)
        bar_0 = run[first].bar if bar_0 is None else bar_0
        out.append(CountedRun(run, (run[first].bar - bar_0) * a_bar - first))
    return out


class RuleEvent(NamedTuple):
    id: str
    point: Point | None
    frame: int
    strength: float
    number: int


def events_of(rule: Rule, scene: RuleScene, stretch: tuple[int, int]) -> list[RuleEvent]:
    """Return all that a rule counts, whether it fires or not."""
    song = scene.song
    if rule.of in ("points", "bars", "drops"):
        if song is None:
            return []
        out: list[RuleEvent] = []
        for run in DERIVED.get(_COUNTED, (song,), (rule.of, rule.beats), lambda: _counted(rule, song)):
            # Counted over the whole song, and worked out where the reel may come to lie.
            first, end = around(scene, run.points)
            near = enumerate(run.points[first:end], run.first + first)
            out += [RuleEvent(p.id, p, scene.frame_of(p), p.strength, number) for number, p in near]
        return out
    if rule.of == "onsets":
        onsets = song.heard.onsets if song is not None and song.heard is not None else ()
        heard: list[RuleEvent] = []
        for i, onset in enumerate(onsets):
            point = point_of(song, f"o{i}") if onset.band in rule.bands and song is not None else None
            if point is not None:
                heard.append(RuleEvent(point.id, point, scene.frame_of(point), point.strength, len(heard)))
        return heard
    if rule.of == "frames":
        end = min(stretch[1], stretch[0] + MOST_FRAMES)
        return [RuleEvent(f"frame/{k - stretch[0]}", None, k, 1.0, k - stretch[0]) for k in range(stretch[0], end)]
    out = []
    if rule.of == "pulses":
        pulses = scene.pulses.get(rule.lane, ())
        return [RuleEvent(p.step, p.point, p.frame, min(p.own, 1.0), n) for n, p in enumerate(pulses)]
    for span in scene.spans:
        if (rule.of == "cuts" and span.is_cut) or (rule.of == "transitions" and span.joined) or rule.of == "starts":
            strength = span.start.strength if span.start is not None else 1.0
            out.append(RuleEvent(f"{span.clip}/start", span.start, span.first, strength, len(out)))
        elif rule.of == "ends":
            # The last frame of a clip is the one before the point that its end is tied to.
            out.append(RuleEvent(f"{span.clip}/end", None, span.end - 1, 1.0, len(out)))
        elif rule.of == "pins":
            for cue, point, frame in span.ties:
                if span.first <= frame < span.end:
                    out.append(RuleEvent(f"{span.clip}/{cue}", point, frame, point.strength, len(out)))
    return out


def _counted(rule: Rule, song: Soundtrack) -> list[CountedRun]:
    runs = DERIVED.get(_COUNTED, (song,), (), lambda: runs_of(points_of(song)))
    if rule.of == "bars":
        return [CountedRun([p for run in runs for p in run.points if p.beat in rule.beats and not p.part], 0)]
    if rule.of == "drops":
        return [CountedRun([p for run in runs for p in run.points if p.kind == "drop"], 0)]
    return runs


def around(scene: RuleScene, points: Sequence[Point]) -> tuple[int, int]:
    """Return from which to which of points in order of time lie within the reel or AROUND_S beyond its ends."""
    end_s = scene.start_s + time_of(scene.frames, scene.rate)
    first = bisect_left(points, scene.start_s - AROUND_S, key=lambda p: p.time_s)
    return first, bisect_right(points, end_s + AROUND_S, key=lambda p: p.time_s)


def uses_clips(lane: AccentLane) -> bool:
    """Tell whether a lane's pulses follow from the clips, not from the song alone."""
    envelope = lane.envelope
    own = CATALOGUE.get(lane.accent)
    envelope = envelope or (own.envelope if own is not None else None)
    shares = envelope is not None and "clip" in (envelope.lead.unit, envelope.hold.unit, envelope.decay.unit)
    return shares or rules_by_clips(lane)


def rules_by_clips(lane: Ruled) -> bool:
    """Tell whether what fires a lane follows from the clips."""
    return bool(lane.limit.clips) or lane.rule.of in ("cuts", "transitions", "starts", "ends", "pins", "pulses")


def steps(lane: Ruled, scene: RuleScene) -> list[Step]:
    """Return every place of a lane that fires or can be painted, in order of frame."""
    stretch = stretch_of(lane, scene)
    events = events_of(lane.rule, scene, stretch)
    rule = lane.rule
    taken = {e.id for e in events}
    frames = set() if rule.of in ("points", "bars", "onsets", "drops", "hand") else {e.frame for e in events}
    points = points_of(scene.song) if scene.song is not None else ()
    first, end = around(scene, points)
    firsts = [s.first for s in scene.spans]
    # Where each stands, without the gap to the next.
    out: list[tuple[int, str, Point | None, float, Span | None, bool]] = [
        (frame, p.id, p, p.strength, span_at(scene, firsts, frame), False)
        for p, frame in ((p, scene.frame_of(p)) for p in points[first:end] if p.id not in taken)
        if frame not in frames
    ]
    for e in events:
        span = span_at(scene, firsts, e.frame)
        fires = (e.number - rule.offset) % rule.every == 0 and e.strength >= rule.at_least
        fires = fires and stretch[0] <= e.frame < stretch[1]
        if lane.limit.clips:
            fires = fires and span is not None and span.clip in lane.limit.clips
        out.append((e.frame, e.id, e.point, e.strength, span, fires))
    out.sort(key=lambda c: c[0])
    if not out:
        return []
    rate = float(scene.rate)
    times = [point.time_s if point is not None else frame / rate + scene.start_s for frame, _, point, _, _, _ in out]
    gaps = [max(b - a, 0.0) for a, b in zip(times, times[1:], strict=False)] + [LAST_GAP_S]
    return [
        Step(name, point, frame, strength, gap or LAST_GAP_S, span, fires)
        for (frame, name, point, strength, span, fires), gap in zip(out, gaps, strict=True)
    ]


def stretch_of(lane: Ruled, scene: RuleScene) -> tuple[int, int]:
    """Return the frames (first, end) of the stretch that a lane is limited to."""
    first = 0 if lane.limit.from_s is None else max(0, scene.frame(lane.limit.from_s))
    end = scene.frames if lane.limit.to_s is None else min(scene.frames, scene.frame(lane.limit.to_s))
    return first, max(first, end)


def places_of(lane: Ruled, scene: RuleScene) -> tuple[tuple[int, int], ...]:
    """Return the frames (first, end) that a lane is limited to."""
    first, end = stretch_of(lane, scene)
    if not lane.limit.clips:
        return ((first, end),)
    spans = [s for s in scene.spans if s.clip in lane.limit.clips]
    return tuple((max(s.first, first), min(s.end, end)) for s in spans)


def span_at(scene: RuleScene, firsts: list[int], frame: int) -> Span | None:
    """Return the clip on screen at a frame, or None; `firsts` are the first frames of the scene's spans."""
    number = bisect_right(firsts, frame) - 1
    return scene.spans[number] if number >= 0 and frame < scene.spans[number].end else None
