"""The rhythm of cuts: slots of a stretch of song, long in the quiet, short in the loud, a roll before a drop and a hold on it."""

from __future__ import annotations

from typing import Literal, NamedTuple

import numpy as np
from msgspec.structs import replace

from tempik.edit.drafting.moods import Mood, Phrase
from tempik.errors import TempikError
from tempik.reel import Choice, Edge, Point, Soundtrack, beats_between
from tempik.rhythm.records import LevelName, Section

Role = Literal["plain", "roll", "drop"]
# Two sections whose levels differ by less are of one kind, and cut alike.
ALIKE = 0.15
LEAST_S = 0.16  # a picture that is shorter is a flicker
NEAR_S = 0.06
ROUNDING_S = 1e-4


class Slot(NamedTuple):
    """A place for a clip: its edges, how loud it is there, 0 to 1, of what level its section is, what it is to the song, and how many
    beats it has."""

    start: Edge
    end: Edge
    energy: float
    level: LevelName
    role: Role
    beats: float


def slots_of(song: Soundtrack, start_s: float, length_s: float, mood: Mood, seed: int) -> tuple[Soundtrack, list[Slot]]:
    """Return the slots of a stretch from end to end, and the song with the points between beats chosen that they need. Raises
    TempikError where there is nothing to cut on."""
    end_s = start_s + length_s
    beats = [p for p in beats_between(song, start_s, end_s) if start_s - NEAR_S <= p.time_s < end_s - NEAR_S]
    if len(beats) < 2:
        raise TempikError(
            f"{song.path} has no steady beat there to cut on; choose another stretch, or place points by hand."
        )
    drops = [n for n, p in enumerate(beats) if song.heard and any(abs(p.time_s - d) < NEAR_S for d in song.heard.drops)]
    places = _places(song, beats, drops, mood, seed)
    halves = sorted({int(at) for at in places if at % 1})
    song = _with_halves(song, beats, halves)
    chosen = {p.id: p for p in song.points}
    edges = [_edge(song, chosen, beats, at, start_s) for at in places]
    if edges[0].time_s > LEAST_S:
        edges, places = [Edge(0.0), *edges], [places[0] - edges[0].time_s / _gap(beats), *places]
    else:
        edges[0] = Edge(0.0, edges[0].point if abs(edges[0].time_s) < ROUNDING_S else None)
    edges.append(Edge(length_s))
    places.append(places[-1] + (length_s - edges[-2].time_s) / _gap(beats))
    if len(edges) > 2 and edges[-1].time_s - edges[-2].time_s < LEAST_S:
        del edges[-2], places[-2]
    out = []
    for number, (a, b) in enumerate(zip(edges, edges[1:], strict=False)):
        middle_s = start_s + (a.time_s + b.time_s) / 2
        section = section_at(song, middle_s)
        length = places[number + 1] - places[number]
        role: Role = "plain"
        if any(abs(places[number] - d) < 1e-6 for d in drops):
            role = "drop"
        elif mood.roll and any(0 < d - places[number] <= mood.roll + 1e-6 for d in drops) and length < 1:
            role = "roll"
        level: LevelName = section.name if section is not None else "middle"
        out.append(Slot(a, b, section.level if section is not None else 0.6, level, role, length))
    return song, out


def section_at(song: Soundtrack, time_s: float) -> Section | None:
    """Return the section of the song at an instant of it."""
    sections = song.heard.sections if song.heard is not None else ()
    return next((s for s in sections if s.start_s <= time_s < s.end_s), sections[-1] if sections else None)


def _gap(beats: list[Point]) -> float:
    return float(np.median(np.diff([p.time_s for p in beats])))


def _places(song: Soundtrack, beats: list[Point], drops: list[int], mood: Mood, seed: int) -> list[float]:
    """Return where cuts lie, counted in beats from the first."""
    last, at, out = float(len(beats)), 0.0, list[float]()
    first = next((n for n, p in enumerate(beats) if p.beat == 1), 0)
    if first and first <= 2:
        out.append(0.0)
        at = float(first)
    drawn: dict[tuple[LevelName, int], Phrase] = {}
    while at < last - 1e-6:
        section = section_at(song, beats[int(at)].time_s + 1e-3)
        level: LevelName = section.name if section is not None else "middle"
        kind = (level, round((section.level if section is not None else 0.6) / ALIKE))
        if kind not in drawn:
            phrases = mood.phrases[level]
            drawn[kind] = phrases[int(_dice(seed, *map(ord, level[:2]), kind[1]).integers(len(phrases)))]
        end = _section_end(song, beats, at, last)
        drop = next((float(d) for d in drops if d > at + 1e-6), None)
        if drop is not None:
            end = min(end, drop)
        if any(abs(at - d) < 1e-6 for d in drops):
            out.append(at)
            at = min(at + mood.hold, last)
            continue
        rolls = drop - mood.roll if drop is not None and mood.roll else None
        if rolls is not None and at >= rolls - 1e-6 and drop is not None:
            while at < drop - 1e-6:
                out.append(at)
                at += 0.5
            continue
        stop = min(end, rolls) if rolls is not None and rolls > at else end
        at = _phrase(out, drawn[kind], at, stop)
    return out


def _phrase(out: list[float], phrase: Phrase, at: float, stop: float) -> float:
    """Lay a phrase from a place on, as far as it goes; what is left that is too short for a cut goes with the one before."""
    for length in phrase:
        if at >= stop - 1e-6:
            break
        out.append(at)
        at = at + length if stop - (at + length) >= min(phrase) - 1e-6 else stop
    return min(at, stop)


def _section_end(song: Soundtrack, beats: list[Point], at: float, last: float) -> float:
    """Return the first beat of the next section, counted in beats."""
    section = section_at(song, beats[int(at)].time_s + 1e-3)
    if section is None:
        return last
    ends = [n for n, p in enumerate(beats) if p.time_s >= section.end_s - NEAR_S]
    return float(ends[0]) if ends and ends[0] > at else last


def _dice(*seed: int) -> np.random.Generator:
    return np.random.default_rng([abs(s) for s in seed])


def _with_halves(song: Soundtrack, beats: list[Point], after: list[int]) -> Soundtrack:
    """Return the song with the halves after some beats chosen too, so that what lies on them is tied."""
    wanted = []
    for number in after:
        to_s = beats[number + 1].time_s if number + 1 < len(beats) else song.length_s
        wanted.append(Choice(subdivision=2, from_s=beats[number].time_s - 1e-3, to_s=to_s - 1e-3))
    return replace(song, choices=(*song.choices, *wanted)) if wanted else song


def _edge(song: Soundtrack, chosen: dict[str, Point], beats: list[Point], at: float, start_s: float) -> Edge:
    """Return the edge at a place counted in beats: on its point where that is chosen."""
    number = int(at)
    time_s = beats[number].time_s
    if at % 1:
        after = beats[number + 1].time_s if number + 1 < len(beats) else time_s + _gap(beats)
        time_s += (at % 1) * (after - time_s)
        near = min(chosen.values(), key=lambda p: abs(p.time_s - time_s), default=None)
        known = near is not None and abs(near.time_s - time_s) < NEAR_S
        return Edge(near.time_s - start_s, near.id) if known and near is not None else Edge(time_s - start_s)
    point = beats[number].id
    return Edge(time_s - start_s, point if point in chosen else None)
