"""Sections: where the energy and texture of a song change, each with its level, and the drops among them.

Change is the checkerboard novelty of the song's self-similarity, after Foote, "Automatic audio segmentation using a
measure of audio novelty", ICME 2000, over bars rather than frames, so that boundaries fall on bars.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.features import FRAME_RATE, SLOW_RATE, Array, Features, means_between, running_sum
from tempik.rhythm.filters import running_max
from tempik.rhythm.records import LevelName, Section

Times = NDArray[np.float64]
Table = NDArray[np.float64]

_REACH = 4  # bars on either side of a boundary that are compared
_LEAST_BARS = 4
_CLEAR = 0.16  # novelty of a boundary, 0 (all alike) to 1 (nothing alike)
DROP_DB, DROP_LOW_DB = 3.0, 4.0  # a drop comes in louder by this, and lower by this in the bass


class Sections(NamedTuple):
    """Sections in order from the song's start to its end, and the first beats of the drops."""

    sections: tuple[Section, ...]
    drops: tuple[float, ...]


def find_sections(found: Features, beats_s: Times, downbeats_s: Times) -> Sections:
    """Return the sections and drops of a song. Without bars, stretches of two seconds take their place."""
    length_s = len(found.loudness) / FRAME_RATE
    ends = downbeats_s if len(downbeats_s) >= 8 else np.arange(0.0, length_s, 2.0)
    ends = np.unique(np.concatenate([[0.0], ends[(ends > 0.5) & (ends < length_s - 0.5)], [length_s]]))
    if len(ends) < 3:
        return Sections((Section(0.0, length_s, 1.0, "full"),), ())
    bars = _described(found, ends)
    cuts = [0, *_boundaries(bars), len(bars)]
    loud = _level_db(found, ends)
    levels = np.array([float(np.mean(loud[a:b])) for a, b in zip(cuts, cuts[1:], strict=False)])
    full = float(levels.max())
    sections = []
    for number, (a, b) in enumerate(zip(cuts, cuts[1:], strict=False)):
        share = float(np.clip(1 - (full - levels[number]) / 24, 0.02, 1))
        sections.append(Section(float(ends[a]), float(ends[b]), round(share, 3), _name(full - levels[number])))
    drops = tuple(
        _first_beat(found, float(ends[cuts[n]]), beats_s)
        for n in range(1, len(levels))
        if _is_drop(found, ends, cuts, levels, n)
    )
    return Sections(tuple(sections), drops)


def _name(below_db: float) -> LevelName:
    return "full" if below_db < 2.5 else "middle" if below_db < 8 else "quiet"


def _described(found: Features, ends: Times) -> Table:
    """Return what each bar sounds like: level in each band, how busy each band is, and its pitches."""
    texture = _means(found.texture, SLOW_RATE, ends)
    busy = _means(np.minimum(found.flux, 1.0), FRAME_RATE, ends)
    pitch = _means(found.pitch, SLOW_RATE, ends)
    level = _level_db(found, ends)[:, None]

    def scaled(columns: Table, weight: float) -> Table:
        # One scale for a whole group: bands that hardly change must not count as much as those that do.
        centred = columns - columns.mean(axis=0)
        return np.asarray(weight * centred / (np.sqrt((centred**2).sum(axis=1).mean()) + 1e-9))

    return np.column_stack([scaled(texture, 1.0), scaled(busy, 0.7), scaled(pitch, 0.35), scaled(level, 0.7)])


def _boundaries(bars: Table) -> list[int]:
    """Return the bars at which a new section begins, the clearest first kept where two lie close."""
    count = len(bars)
    apart = np.sqrt(((bars[:, None] - bars[None]) ** 2).sum(axis=2))
    alike = np.exp(-apart / (np.median(apart) + 1e-9))
    novelty = np.zeros(count)
    for at in range(2, count - 1):
        reach = min(_REACH, at, count - at)
        before, after = slice(at - reach, at), slice(at, at + reach)
        novelty[at] = (alike[before, before].mean() + alike[after, after].mean()) / 2 - alike[before, after].mean()
        novelty[at] *= np.sqrt(reach / _REACH)
    top = running_max(novelty, 3)
    chosen: list[int] = []
    for at in np.argsort(-novelty):
        if novelty[at] < _CLEAR:
            break
        if novelty[at] == top[at] and all(abs(int(at) - c) >= _LEAST_BARS for c in (*chosen, 0, count)):
            chosen.append(int(at))
    return sorted(chosen)


def _is_drop(found: Features, ends: Times, cuts: list[int], levels: Table, number: int) -> bool:
    """Return whether a section comes in much louder and lower than the bars before it."""
    a, b = cuts[number], cuts[number + 1]
    before, after = slice(max(cuts[number - 1], a - 2), a), slice(a, min(b, a + 4))
    low = _band_db(found, ends)
    loud = _level_db(found, ends)
    return bool(
        loud[after].mean() - loud[before].mean() > DROP_DB
        and low[after].mean() - low[before].mean() > DROP_LOW_DB
        and levels[number] > levels.max() - 3
    )


def _first_beat(found: Features, boundary_s: float, beats_s: Times) -> float:
    """Return the beat within a bar of a boundary at which level and bass jump most."""
    near = beats_s[np.abs(beats_s - boundary_s) < 2.5]
    if not len(near):
        return boundary_s
    level = np.asarray(found.loudness, dtype=np.float64) + 0.5 * 10 * np.log10(
        found.flux[:, 0].astype(np.float64) + 1e-2
    )

    def jump(time_s: float) -> float:
        at = round(time_s * FRAME_RATE)
        after, before = level[at + 2 : at + 52], level[max(0, at - 50) : at - 2]
        if not len(after) or not len(before):
            return -1e9
        return float(after.mean() - before.mean()) - 0.8 * abs(time_s - boundary_s)

    return float(max(near, key=jump))


def _level_db(found: Features, ends: Times) -> Table:
    power = 10 ** (np.asarray(found.loudness, dtype=np.float64) / 10)
    return np.asarray(10 * np.log10(_means(power[:, None], FRAME_RATE, ends)[:, 0] + 1e-9))


def _band_db(found: Features, ends: Times) -> Table:
    """Return the level of the lowest filters in each bar, in dB of the compressed scale of the features."""
    low = np.expm1(found.texture[:, :4].astype(np.float64)) ** 2
    return np.asarray(10 * np.log10(_means(low, SLOW_RATE, ends).mean(axis=1) + 1e-6))


def _means(rows: Array | Table, rate: int, ends: Times) -> Table:
    return means_between(running_sum(rows), rate, ends)
