"""The beats of a song as read: where each stands among those that were found, how it is counted, and all that a choice takes of
them."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import NamedTuple

from tempik.reel.soundtrack import Point, PointChoice, PointKind

# A part between two beats is not as strong as the weaker of them.
BETWEEN = 0.6


class Grid(NamedTuple):
    """The beats as read: `times_s[i]` is the instant of found beat i; beats stand at `first`, `first + step` … found
    beats, and bars begin at `one` and every `metre` steps from it."""

    prefix: str
    times_s: tuple[float, ...]
    strengths: tuple[float, ...]
    step: Fraction
    first: Fraction
    one: Fraction
    metre: int
    # Bar and beat of each found beat, where bars change within the song and are read as found; else none.
    counted: tuple[tuple[int, int], ...] = ()

    def time_at(self, place: Fraction | float) -> float:
        """Return the instant of a place among the found beats, beyond both ends at the tempo there."""
        times = self.times_s
        number = min(max(int(place // 1), 0), len(times) - 2)
        return times[number] + (times[number + 1] - times[number]) * float(place - number)

    def name(self, place: Fraction) -> str:
        """Return the id of the beat at a place of the grid."""
        whole, part = place // 1, place % 1
        return f"{self.prefix}{whole}" + (f"+{part}" if part else "")

    def bar_beat(self, place: Fraction) -> tuple[int, int, Fraction]:
        """Return bar, beat and the share of the beat that has passed, as the ruler counts."""
        if self.counted:
            number = int(place // 1)
            within = min(max(number, 0), len(self.counted) - 1)
            bar, beat = self.counted[within]
            if number != within:  # on beyond the ends in the song's usual metre
                beyond = number - within + beat - 1
                bar, beat = bar + beyond // self.metre, beyond % self.metre + 1
            return bar, beat, place % 1
        beats = (place - self.one) / self.step
        number, part = int(beats // 1), beats % 1
        return number // self.metre + 1, number % self.metre + 1, part

    def strength(self, place: Fraction) -> float:
        """Return how strong the place is: as its beat, between two as the weaker of them, less."""
        last = len(self.strengths) - 1
        number = min(max(int(place // 1), 0), last)
        if place % 1 == 0 or number == last:
            return self.strengths[number]
        return BETWEEN * min(self.strengths[number], self.strengths[number + 1])

    def point(self, place: Fraction) -> Point:
        """Return the point that stands at a place."""
        bar, beat, part = self.bar_beat(place)
        return Point(
            self.name(place), self.time_at(place), self.strength(place), bar, beat, _kind(beat, part), part=part
        )


def _kind(beat: int, part: Fraction) -> PointKind:
    return "part" if part else "downbeat" if beat == 1 else "beat"


def _begin(grid: Grid) -> Fraction:
    """Return the place of the first beat as read."""
    place = grid.first
    # A shift opens room for a beat before the first that was found; half and double tempo do not.
    while grid.one % 1 and place - grid.step > -1 and grid.time_at(place - grid.step) >= 0:
        place -= grid.step
    return place


class _Ticks(NamedTuple):
    """A grid in whole numbers: a found beat is `beat` ticks, a beat as read `step`, and bars are counted from the tick `one`. Songs
    have thousands of beats, and fractions take their time."""

    grid: Grid
    beat: int
    step: int
    one: int
    parts: dict[int, Fraction]  # of a step or a beat, by ticks: few, and found again and again
    ends: dict[int, str]  # of names, likewise

    def point(self, tick: int) -> Point:
        """Return what `Grid.point` does of this place."""
        grid, times, strengths = self.grid, self.grid.times_s, self.grid.strengths
        whole, rest = divmod(tick, self.beat)
        number = min(max(whole, 0), len(times) - 2)
        time_s = times[number] + (times[number + 1] - times[number]) * ((tick - number * self.beat) / self.beat)
        last = len(strengths) - 1
        number = min(max(whole, 0), last)
        strength = strengths[number]
        if rest and number != last:
            strength = BETWEEN * min(strength, strengths[number + 1])
        if grid.counted:
            bar, beat, _ = grid.bar_beat(Fraction(whole))
            within, of = rest, self.beat
        else:
            steps, within = divmod(tick - self.one, self.step)
            bar, beat, of = steps // grid.metre + 1, steps % grid.metre + 1, self.step
        part = self.parts.get(within)
        if part is None:
            part = self.parts[within] = Fraction(within, of)
        end = self.ends.get(rest)
        if end is None:
            end = self.ends[rest] = f"+{Fraction(rest, self.beat)}" if rest else ""
        name = f"{grid.prefix}{whole}{end}"
        return Point(name, time_s, strength, bar, beat, _kind(beat, part), part=part)


def lattice(grid: Grid, choice: PointChoice, length_s: float, first: Fraction | None) -> list[Point]:
    """Return the beats of a grid that a choice takes, in order, and the parts between them, from 0 to `length_s`. Every so many
    are counted from the place `first`, or from where bars begin."""
    start = grid.one if first is None else first
    place = _begin(grid)
    between = (
        choice.subdivision if choice.of == "beats" and choice.every == 1 and choice.subdivision in (2, 3, 4) else 1
    )
    parts = (place, start, grid.step, grid.one, grid.step / between)
    beat = math.lcm(*(part.denominator for part in parts))
    begin, counted, step, one, by = (int(part * beat) for part in parts)
    beats = max(0, ((len(grid.times_s) - 1) * beat - begin) // step + 1)
    ticks = _Ticks(grid, beat, step, one, {}, {})
    every = max(1, choice.every)
    out: list[Point] = []
    for tick in range(begin, begin + beats * step, by):
        aside = (tick - begin) % step != 0
        if not aside and choice.of != "downbeats" and (tick - counted) % (step * every):
            continue
        point = ticks.point(tick)
        if point.time_s > length_s and not aside:
            break  # and so is all that follows
        if not aside and choice.of == "downbeats" and (point.kind != "downbeat" or (point.bar - 1) % every):
            continue
        if point.strength >= choice.at_least and 0 <= point.time_s <= length_s:
            out.append(point)
    return out
