"""Refinement: beats laid on the attacks they belong to, as one even grid or along a moving tempo."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.attack import attacks_near, edges

Array = NDArray[np.float32]
Times = NDArray[np.float64]

_REACH = 4  # beats on either side that say where a followed beat lies
DRIFT_S = 0.012  # a grid from which the song wanders further than this is not its grid


def on_one_grid(grid: Times, power: Array, rise: Array) -> Times:
    """Return an even grid laid through the attacks nearest to it; attacks off the line lose their say."""
    number = np.arange(len(grid), dtype=np.float64)
    for reach_s in (0.03, 0.02, 0.02):
        attacks, weight = attacks_near(rise, grid, reach_s)
        off = attacks - grid
        use = weight > np.median(weight[weight > 0]) if (weight > 0).any() else weight > 0
        for _ in range(2):
            if use.sum() < 8:
                return grid
            line = np.polyfit(number[use], off[use], 1, w=np.sqrt(weight[use]))
            left = np.abs(off - np.polyval(line, number))
            use &= left < max(0.003, 2 * float(np.median(left[use])))
        grid = grid + np.polyval(line, number)
    # Last, where the song has sharp attacks, the grid is laid on their very beginnings.
    starts, clear = edges(power, attacks_near(rise, grid, 0.015)[0])
    sharp = clear.sum() >= max(8, 0.2 * len(grid))
    if sharp:
        off = starts - grid
        middle = float(np.median(off[clear]))
        near = clear & (np.abs(off - middle) < 0.004)
        if near.sum() >= 8:
            grid = grid + np.polyval(np.polyfit(number[near], off[near], 1), number)
    return _at_round_tempo(grid)


def _at_round_tempo(grid: Times) -> Times:
    """Return the grid at a whole number of beats a minute where it is so near one that no beat moves by five
    milliseconds: produced music is made at such tempi (common practice), and soft attacks tilt a fitted line."""
    period = (grid[-1] - grid[0]) / (len(grid) - 1)
    round_period = 60 / max(1, round(60 / period))
    number = np.arange(len(grid)) - (len(grid) - 1) / 2
    moved = (round_period - period) * number
    return grid + moved if np.abs(moved).max() <= 0.005 else grid


def followed(beats: Times, power: Array, rise: Array) -> Times:
    """Return beats along a moving tempo: each on the line through the attacks of its neighbours, in order."""
    for reach_s in (0.05, 0.035, 0.025):
        attacks, weight = attacks_near(rise, beats, reach_s)
        beats = beats + _local_line(attacks - beats, weight)
    starts, clear = edges(power, attacks_near(rise, beats, 0.02)[0])
    if clear.sum() >= max(8, 0.2 * len(beats)):
        beats = beats + _local_line(starts - beats, np.where(clear, 1.0, 0.02))
    return np.maximum.accumulate(beats)


def wandering_s(grid: Times, rise: Array) -> float:
    """Return how far the song's attacks wander from an even grid, in seconds: the tenth furthest of its stretches."""
    attacks, weight = attacks_near(rise, grid, 0.05)
    off = _local_line(attacks - grid, weight, 16)
    strong = weight > 0.3 * np.percentile(weight, 90)
    return float(np.percentile(np.abs(off[strong] - np.median(off[strong])), 90)) if strong.any() else 0.0


def _local_line(off: Times, weight: Array | NDArray[np.float64], reach: int = _REACH) -> Times:
    """Return each beat's offset as the weighted straight line through its neighbours' says, outliers left out."""
    count = len(off)
    near = np.arange(-reach, reach + 1)
    at = np.arange(count)[:, None] + near
    inside = (at >= 0) & (at < count)
    at = np.clip(at, 0, count - 1)
    values = off[at]
    closeness = (1 - np.abs(near / (reach + 1)) ** 3) ** 3
    weights = inside * closeness * (np.asarray(weight, dtype=np.float64)[at] + 1e-6)
    for _ in range(3):
        total = weights.sum(axis=1)
        middle = (weights * near).sum(axis=1) / total
        mean = (weights * values).sum(axis=1) / total
        apart = near - middle[:, None]
        spread = (weights * apart**2).sum(axis=1) + 1e-9
        slope = (weights * apart * (values - mean[:, None])).sum(axis=1) / spread
        left = np.abs(values - mean[:, None] - slope[:, None] * apart)
        usual = np.sqrt((weights * left**2).sum(axis=1) / total) + 1e-4
        weights = weights * np.clip(1.5 - left / (2 * usual[:, None]), 0, 1)
        weights += 1e-9 * inside
    return np.asarray(mean - slope * middle)


_LEAST_EVEN = 16  # beats of one tempo that make a grid of their own
_EVEN_S = 0.012  # no beat of it lies further from its line


def in_stretches(beats: Times, power: Array, rise: Array) -> Times:
    """Return followed beats with every stretch of one tempo laid on an even grid of its own.

    Where one grid ends and another begins, each is carried on to where the two meet, with no gap there much shorter or
    longer than a beat, so no beat is lost or counted twice.
    """
    stretches = _even_stretches(beats)
    if not stretches:
        return beats
    parts: list[Times] = []
    end = 0
    for start, stop in stretches:
        parts.append(beats[end:start])
        number = np.arange(stop - start)
        line = np.polyval(np.polyfit(number, beats[start:stop], 1), number)
        parts.append(on_one_grid(np.asarray(line, dtype=np.float64), power, rise))
        end = stop
    parts.append(beats[end:])
    joined = parts[0]
    steep = float(np.percentile(rise, 99)) + 1e-9
    for part in parts[1:]:
        joined = _met(joined, part, rise, steep)
    return joined


def _even_stretches(beats: Times) -> list[tuple[int, int]]:
    """Return the longest stretches of beats that lie on a line each, in order."""
    out, start = [], 0
    while start + _LEAST_EVEN <= len(beats):
        stop = start + _LEAST_EVEN
        if not _on_line(beats[start:stop]):
            start += 1
            continue
        step = 64
        while step:
            while stop + step <= len(beats) and _on_line(beats[start : stop + step]):
                stop += step
            step //= 2
        out.append((start, stop))
        start = stop
    return out


def _on_line(beats: Times) -> bool:
    number = np.arange(len(beats))
    off = beats - np.polyval(np.polyfit(number, beats, 1), number)
    return bool(np.abs(off).max() < _EVEN_S)


def _met(before: Times, after: Times, rise: Array, steep: float) -> Times:
    """Return two runs of beats as one. Within two beats of the seam either run may be carried on into the other, where
    that brings the gap at the seam nearest to a beat and meets attacks."""
    if len(before) < 3 or len(after) < 3:
        return np.concatenate([before, after])
    left, right = before[-1] - before[-2], after[1] - after[0]
    usual = (left + right) / 2
    best: tuple[float, Times] | None = None
    for fewer in range(-2, 3):
        head = before[:fewer] if fewer < 0 else np.append(before, before[-1] + left * np.arange(1, fewer + 1))
        for later in range(-2, 3):
            tail = after[-later:] if later < 0 else np.append(after[0] - right * np.arange(later, 0, -1), after)
            gap = float((tail[0] - head[-1]) / usual)
            if not 0.55 < gap < 1.6:
                continue
            near = np.concatenate([head[-2:], tail[:2]])
            at = np.clip((near * 1000).astype(int), 10, max(10, len(rise) - 11))
            struck = float(np.mean([rise[a - 10 : a + 11].max(initial=0.0) for a in at])) / steep
            cost = abs(float(np.log2(gap))) + 0.02 * (abs(fewer) + abs(later)) - 0.3 * min(struck, 1.0)
            if best is None or cost < best[0]:
                best = (cost, np.concatenate([head, tail]))
    return best[1] if best is not None else np.concatenate([before, after])
