"""Pulses: where a row's accent fires, from its rule, the points and what was painted by hand."""

from __future__ import annotations

import hashlib
import math
from bisect import bisect_right
from collections.abc import Iterable, Sequence
from fractions import Fraction
from itertools import groupby
from typing import NamedTuple

from tempik.accents.catalogue import Look, Moment, accent_named
from tempik.accents.envelope import level, span_frames
from tempik.reel import AccentRow, Point, Soundtrack
from tempik.time import frame_of


class Pulse(NamedTuple):
    """One firing: its frame on the reel, strength (0 to 2), seconds to the next point, and how it came about."""

    row: str
    accent: str
    point: Point
    frame: int
    strength: float
    gap_s: float
    painted: bool
    angle: float


def beats(points: Sequence[Point]) -> list[Point]:
    """Return the points that count as beats, in order."""
    return [p for p in points if p.kind in ("beat", "downbeat", "drop")]


def anchor(points: Sequence[Point]) -> int:
    """Return the number, among the beats, of the first downbeat: rules of every n-th point count from it."""
    return next((i for i, p in enumerate(points) if p.kind == "downbeat" or p.beat == 1), 0)


def fires(row: AccentRow, points: Sequence[Point]) -> set[str]:
    """Return the ids of the points that the row's rule fires, painting left aside."""
    if row.rule.every <= 0:
        return set()
    return {p.id for p, number in numbered(points) if (number - row.rule.offset) % row.rule.every == 0}


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


def pulses(row: AccentRow, song: Soundtrack | None, rate: Fraction, frames: int) -> list[Pulse]:
    """Return the row's pulses on a reel of `frames` frames, in order of frame.

    A point before the reel's start or after its end fires nothing. Painted cells override the rule; a painting
    whose point is gone is kept in the row and fires nothing.
    """
    if song is None or row.muted:
        return []
    degree = accent_named(row.accent).strength_degree
    points = song.points
    ruled = fires(row, points)
    painted = {p.point: p.strength for p in row.painted}
    out = []
    for number, point in enumerate(points):
        by_hand = painted.get(point.id)
        if by_hand is None and point.id not in ruled:
            continue
        weight = by_hand if by_hand is not None else 1 - degree + degree * point.strength
        frame = frame_of(point.time_s - song.start_s, rate)
        if weight <= 0 or not 0 <= frame < frames:
            continue
        later = points[number + 1].time_s if number + 1 < len(points) else point.time_s + 0.5
        angle = _angle(row, point.id)
        out.append(
            Pulse(
                row.id,
                row.accent,
                point,
                frame,
                weight * row.amount,
                later - point.time_s,
                by_hand is not None,
                angle,
            )
        )
    return out


def _angle(row: AccentRow, point: str) -> float:
    """Return the seeded direction of a pulse, the same at every render and on every machine."""
    digest = hashlib.blake2b(f"{row.seed}/{row.id}/{point}".encode(), digest_size=4).digest()
    return 2 * math.pi * int.from_bytes(digest, "big") / 2**32


def look_at(frame: int, rows: Iterable[Sequence[Pulse]], rate: Fraction) -> Look:
    """Return what all pulses together do to one frame; `rows` holds each row's pulses in order of frame."""
    look = Look()
    for row in rows:
        if not row:
            continue
        accent = accent_named(row[0].accent)
        starts = [p.frame for p in row]
        reach_back, reach_on = 0, 0
        for pulse in (row[0], row[-1]):
            before, after = span_frames(accent.envelope, rate, pulse.gap_s)
            reach_back, reach_on = max(reach_back, before), max(reach_on, after)
        for number in range(bisect_right(starts, frame - reach_on - 1), len(row)):
            pulse = row[number]
            offset = frame - pulse.frame
            if offset < -reach_back:
                break
            at = level(accent.envelope, offset, rate, pulse.gap_s)
            if at > 0:
                look = accent.apply(look, Moment(at, pulse.strength, offset / float(rate), pulse.angle))
    return look
