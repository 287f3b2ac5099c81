"""The rhythm of cuts: slots of a stretch of song, long in the quiet, short in the loud, a roll before a drop and a hold on it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Literal, NamedTuple

import numpy as np
from msgspec.structs import replace

from tempik.edit.drafting.moods import Mood, Phrase
from tempik.reel import Edge, Point, PointChoice, Soundtrack, beats_between
from tempik.reel.points import points_of
from tempik.rhythm.records import LevelName, Section

Role = Literal["plain", "roll", "drop"]
# Two sections whose levels differ by less are of one kind, and cut alike.
ALIKE = 0.15
LEAST_S = 0.16  # a picture that is shorter is a flicker
NEAR_S = 0.06
ROUNDING_S = 1e-4
# A song without beats is cut on its attacks, as if a beat were this long; a piece is from so much to so much of the length that the
# mood would give it.
WITHOUT_BEATS_S, NEAREST, FARTHEST = 0.5, 0.6, 1.8
WEAKEST_ATTACK = 0.15
# A phrase begins later in its bar where that lays its cuts on points so much stronger.
STRONGER = 0.08
HALF = 0.6  # of the weaker of two beats: how strong the half between them is
FILL_FROM = 2.0


class Slot(NamedTuple):
    """A place for a clip: its edges, how loud it is there, 0 to 1, of what level its section is, what it is to the song, and how many
    beats it has."""

    start: Edge
    end: Edge
    energy: float
    level: LevelName
    role: Role
    beats: float


class LaidSlots(NamedTuple):
    """The slots of a stretch from end to end; the choices of points that they need beside those of the song; and sentences on what
    could not be had."""

    slots: list[Slot]
    choices: tuple[PointChoice, ...] = ()
    notes: tuple[str, ...] = ()


def slots_of(song: Soundtrack, from_s: float, to_s: float, mood: Mood, seed: int) -> LaidSlots:
    """Return the slots between two instants of a song; their edges are in the time of the reel that uses it. A song without beats is
    cut on its attacks, one without those evenly."""
    beats = [p for p in beats_between(song, from_s, to_s) if from_s - NEAR_S <= p.time_s < to_s - NEAR_S]
    if len(beats) < 2:
        return _without_beats(song, from_s, to_s, mood, seed)
    drops = [n for n, p in enumerate(beats) if song.heard and any(abs(p.time_s - d) < NEAR_S for d in song.heard.drops)]
    places = _places(song, beats, drops, mood, seed)
    choices = _halves(song, beats, sorted({int(at) for at in places if at % 1}))
    song = replace(song, choices=(*song.choices, *choices))
    chosen = {p.id: p for p in points_of(song)}
    edges = [_edge(song, chosen, beats, at) for at in places]
    length_s, gap = to_s - song.start_s, _gap(beats)
    first = from_s - song.start_s
    if edges[0].time_s - first > LEAST_S:
        edges, places = [Edge(first), *edges], [places[0] - (edges[0].time_s - first) / gap, *places]
    else:
        edges[0] = Edge(first, edges[0].point if abs(edges[0].time_s - first) < ROUNDING_S else None)
    edges.append(Edge(length_s))
    places.append(places[-1] + (length_s - edges[-2].time_s) / gap)
    if len(edges) > 2 and edges[-1].time_s - edges[-2].time_s < LEAST_S:
        del edges[-2], places[-2]
    out = []
    for number, (a, b) in enumerate(pairwise(edges)):
        length = places[number + 1] - places[number]
        role: Role = "plain"
        if any(abs(places[number] - d) < 1e-6 for d in drops):
            role = "drop"
        elif mood.roll and length < 1 and any(0 < d - places[number] <= mood.roll + 1e-6 for d in drops):
            role = "roll"
        out.append(_slot(song, a, b, role, length))
    return LaidSlots(out, choices)


def _slot(song: Soundtrack, start: Edge, end: Edge, role: Role, beats: float) -> Slot:
    section = section_at(song, song.start_s + (start.time_s + end.time_s) / 2)
    level: LevelName = section.name if section is not None else "middle"
    return Slot(start, end, section.level if section is not None else 0.6, level, role, beats)


def section_at(song: Soundtrack, time_s: float) -> Section | None:
    """Return the section of the song at an instant of it."""
    sections = song.heard.sections if song.heard is not None else ()
    return next((s for s in sections if s.start_s <= time_s < s.end_s), sections[-1] if sections else None)


def _gap(beats: Sequence[Point]) -> float:
    return float(np.median(np.diff([p.time_s for p in beats])))


def _places(song: Soundtrack, beats: list[Point], drops: list[int], mood: Mood, seed: int) -> list[float]:
    """Return where cuts lie, counted in beats from the first."""
    last, at, out = float(len(beats)), 0.0, list[float]()
    first = next((n for n, p in enumerate(beats) if p.beat == 1), 0)
    if first and first <= 2:
        out.append(0.0)
        at = float(first)
    drawn: dict[tuple[LevelName, int], tuple[Phrase, float]] = {}
    while at < last - 1e-6:
        if any(abs(at - d) < 1e-6 for d in drops):
            out.append(at)
            at = min(at + mood.hold, last)
            continue
        drop = next((float(d) for d in drops if d > at + 1e-6), None)
        end = min(_section_end(song, beats, at, last), drop if drop is not None else last)
        rolls = drop - mood.roll if drop is not None and mood.roll else None
        if rolls is not None and at >= rolls - 1e-6 and drop is not None:
            while at < drop - 1e-6:
                out.append(at)
                at += 0.5
            continue
        stop = min(end, rolls) if rolls is not None and rolls > at else end
        kind = _kind(song, beats[int(at)])
        if kind not in drawn:
            drawn[kind] = _drawn(mood, kind, seed, beats[int(at) : int(stop)])
        phrase, late = drawn[kind]
        out += _filled(phrase, late, at, stop, mood.fill and drop != stop and rolls != stop)
        at = stop
    return out


def _kind(song: Soundtrack, beat: Point) -> tuple[LevelName, int]:
    """Return of what kind the section at a beat is: those alike are cut alike."""
    section = section_at(song, beat.time_s + 1e-3)
    return (section.name, round(section.level / ALIKE)) if section is not None else ("middle", round(0.6 / ALIKE))


def _drawn(mood: Mood, kind: tuple[LevelName, int], seed: int, beats: Sequence[Point]) -> tuple[Phrase, float]:
    """Return a phrase for a kind of section, and how many beats into it the phrase begins: as a rule with it, later, or with another of
    its lengths first, where its cuts then lie on much stronger points, as where the beats that count are not the ones that bars
    are counted from."""
    phrases = mood.phrases[kind[0]]
    phrase = phrases[int(_dice(seed, *map(ord, kind[0][:2]), kind[1]).integers(len(phrases)))]
    strengths = [p.strength for p in beats]
    turned = list(dict.fromkeys(phrase[n:] + phrase[:n] for n in range(len(phrase))))
    late = range(int(phrase[0])) if all(p % 1 == 0 for p in phrase) else range(1)
    ways = [(way, float(n)) for n in late for way in turned] or [(phrase, 0.0)]

    def mean(way: tuple[Phrase, float]) -> float:
        at = _filled(way[0], way[1], 0.0, float(len(beats)), False)[1:]
        return float(np.mean([_strength(strengths, n) for n in at])) if at else 0.0

    best = max(ways, key=mean)
    return best if mean(best) > mean(ways[0]) + STRONGER else ways[0]


def _strength(strengths: Sequence[float], at: float) -> float:
    """Return how strong the point at a place counted in beats is."""
    number = min(int(at), len(strengths) - 1)
    after = min(number + 1, len(strengths) - 1)
    return strengths[number] if at % 1 == 0 else HALF * min(strengths[number], strengths[after])


def _filled(phrase: Phrase, late: float, at: float, stop: float, fill: bool) -> list[float]:
    """Return where a phrase's cuts lie from a place to another, said again and again; what is left that is too short for a cut goes
    with the one before. With a `fill` the last time has its long pieces in halves: the song is about to change."""
    out, whole = [at], sum(phrase)
    at += late
    if late:
        if at > stop - min(phrase) + 1e-6:
            return out
        out.append(at)
    while True:
        lengths = phrase
        if fill and whole >= 4 and stop - at <= whole + 1e-6 and at > out[0]:
            lengths = tuple(h for p in phrase for h in ((p / 2, p / 2) if p >= FILL_FROM else (p,)))
        for length in lengths:
            at += length
            if stop - at < min(lengths) - 1e-6:
                return out
            out.append(at)


def _section_end(song: Soundtrack, beats: list[Point], at: float, last: float) -> float:
    """Return the first beat of the next section, counted in beats."""
    section = section_at(song, beats[int(at)].time_s + 1e-3)
    if section is None:
        return last
    ends = [n for n, p in enumerate(beats) if p.time_s >= section.end_s - NEAR_S]
    return float(ends[0]) if ends and ends[0] > at else last


def _dice(*seed: int) -> np.random.Generator:
    return np.random.default_rng([abs(s) for s in seed])


def _halves(song: Soundtrack, beats: list[Point], after: list[int]) -> tuple[PointChoice, ...]:
    """Return choices of the halves after some beats, so that what lies on them is tied; those that are chosen already need none."""
    known = [p.time_s for p in points_of(song) if p.part]
    runs: list[list[int]] = []
    for number in after:
        to_s = beats[number + 1].time_s if number + 1 < len(beats) else beats[number].time_s + _gap(beats)
        if any(beats[number].time_s < k < to_s for k in known):
            continue
        if runs and runs[-1][1] == number:
            runs[-1][1] = number + 1
        else:
            runs.append([number, number + 1])
    ends = [*(p.time_s for p in beats), beats[-1].time_s + _gap(beats)]
    return tuple(PointChoice(subdivision=2, from_s=ends[a] - 1e-3, to_s=ends[b] - 1e-3) for a, b in runs)


def _edge(song: Soundtrack, chosen: dict[str, Point], beats: list[Point], at: float) -> Edge:
    """Return the edge at a place counted in beats: on its point where that is chosen."""
    number = int(at)
    time_s = beats[number].time_s
    if at % 1:
        after = beats[number + 1].time_s if number + 1 < len(beats) else time_s + _gap(beats)
        time_s += (at % 1) * (after - time_s)
        near = min(chosen.values(), key=lambda p: abs(p.time_s - time_s), default=None)
        if near is not None and abs(near.time_s - time_s) < NEAR_S:
            return Edge(near.time_s - song.start_s, near.id)
        return Edge(time_s - song.start_s)
    point = beats[number].id
    return Edge(time_s - song.start_s, point if point in chosen else None)


def _without_beats(song: Soundtrack, from_s: float, to_s: float, mood: Mood, seed: int) -> LaidSlots:
    """Return slots whose cuts lie on the song's attacks, the strongest near where the mood would cut if a beat were half a second long;
    where there are none they lie there."""
    onsets = song.heard.onsets if song.heard is not None else ()
    strong = [o.strength for o in onsets if from_s < o.time_s < to_s]
    choices: tuple[PointChoice, ...] = ()
    if strong and sum(from_s < p.time_s < to_s for p in points_of(song)) < (to_s - from_s) / 2:
        least = max(WEAKEST_ATTACK, float(np.quantile(strong, max(0.0, 1 - 2 * (to_s - from_s) / len(strong)))))
        choices = (PointChoice("onsets", at_least=least, from_s=from_s, to_s=to_s),)
    points = [
        p
        for p in points_of(replace(song, choices=(*song.choices, *choices)))
        if from_s + LEAST_S < p.time_s < to_s - LEAST_S
    ]
    edges, at = [Edge(from_s - song.start_s)], from_s
    turn = _dice(seed, 11)
    while True:
        section = section_at(song, at + 1e-3)
        phrases = mood.phrases[section.name if section is not None else "middle"]
        phrase = phrases[int(turn.integers(len(phrases)))]
        length_s = max(1.0, phrase[int(turn.integers(len(phrase)))]) * WITHOUT_BEATS_S
        if at + 1.3 * length_s > to_s:
            break
        near = [p for p in points if NEAREST * length_s <= p.time_s - at <= FARTHEST * length_s]
        point = max(near, key=lambda p: p.strength - abs(p.time_s - at - length_s) / length_s, default=None)
        at = point.time_s if point is not None else at + length_s
        edges.append(Edge(at - song.start_s, point.id if point is not None else None))
    edges.append(Edge(to_s - song.start_s))
    name = song.path.rsplit("/", 1)[-1]
    message = f"{name} has no steady beat there; cuts lie on its strongest attacks."
    if not points:
        message = f"{name} has neither beats nor attacks there; cuts lie evenly. Place points by hand to cut on them."
    return LaidSlots(
        [_slot(song, a, b, "plain", (b.time_s - a.time_s) / WITHOUT_BEATS_S) for a, b in pairwise(edges)],
        choices,
        (message,),
    )
