"""Making a song another length: which of its bars to play, and in which order, so that the splices are least heard.

A song is a row of bars with its lead-in before and its end after them. A song edit plays bars one after the other and may
jump from the end of one to the beginning of any other; how well two bars follow each other is told by what is heard at their
splice beside what was heard there in the song: harmony, timbre and level, beat by beat (after Foote 2000 and Wenner et al.,
"Scalable Music: Automatic Music Retargeting and Synthesis", Computer Graphics Forum 32, 2013, who search a graph of beats
alike). The cheapest edit of a wanted length is found exactly, by dynamic programming over time.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.media.audio import Samples
from tempik.rhythm.filters import magnitudes

STEPS = 12  # to a bar: how finely time is searched
CANDIDATES = 24  # edits whose real length is looked at
MOST_JUMPS = 4
JUMP_COST = 0.35  # of any jump, however good: fewer are better
PHRASE_COST = 0.12  # of a jump that breaks the count of four bars
SKIPPED_START, SKIPPED_DROP = 1.5, 2.5
# Bars before and after the drop that an edit keeps.
AROUND_DROP = 1
WITHOUT_DROP = 0.5
ANOTHER = 1.2  # what splices near those of one found before cost more
LONGEST_TAIL_BARS = 1.5
WINDOW, HOP = 4096, 2048
EDGE_S = 1e-3
NEVER = np.float32(1e9)

Array = NDArray[np.float32]


class SongEdit(NamedTuple):
    """Stretches (from, to) of a song in the order in which they are played, how much is heard of the splices between them (0: nothing;
    1: as of any two of its bars), and the instants of the song at which it leaves off and goes on at each."""

    stretches: tuple[tuple[float, float], ...]
    cost: float
    splices: tuple[tuple[float, float], ...]

    @property
    def length_s(self) -> float:
        """How long the song becomes."""
        return sum(b - a for a, b in self.stretches)


class Likeness(NamedTuple):
    """A song's bars, each with what is heard around its beginning; `jump_costs[i, j]` is what a jump from the end of bar i to the
    beginning of bar j costs, 0 where they follow each other in the song."""

    edges: NDArray[np.float64]  # where bars begin, and where the last ends
    jump_costs: Array
    drop: int  # the bar that the drop begins, -1 for none
    lead_s: float  # what is heard before the first bar
    end_s: float


def likeness(samples: Samples, rate: int, bars: Sequence[float], length_s: float, drops: Sequence[float]) -> Likeness:
    """Compare a song's bars. `samples` has shape (count, 1), `bars` are where they begin, in seconds. Needs two bars or more."""
    edges = np.array([*bars, _tail(bars, length_s)])
    heard = _spectrum(samples[:, 0], rate)
    beats = [np.linspace(a, b, 5) for a, b in zip(edges, edges[1:], strict=False)]
    count = len(bars)
    # What is heard in the first and in the last beats of each bar.
    first = np.stack([np.concatenate([_between(heard, rate, t[k], t[k + 1]) for k in range(2)]) for t in beats])
    last = np.stack([np.concatenate([_between(heard, rate, t[k], t[k + 1]) for k in (2, 3)]) for t in beats])
    jump_costs = np.zeros((count, count), np.float32)
    # A jump from bar i to bar j: bar j should begin as the bar after i does, and bar i end as the bar before j does.
    following = np.concatenate([first[1:], last[-1:]])
    before = np.concatenate([first[:1], last[:-1]])
    jump_costs = 0.6 * _apart(following, first) + 0.4 * _apart(last, before)
    jump_costs += JUMP_COST
    turn = (np.arange(count)[None, :] - np.arange(count)[:, None] - 1) % 4
    jump_costs += np.where(turn == 0, 0.0, PHRASE_COST).astype(np.float32)
    ahead = np.arange(count - 1)
    jump_costs[ahead, ahead + 1] = 0.0
    drop = _drop_bar(bars, drops)
    return Likeness(edges, jump_costs.astype(np.float32), drop, float(bars[0]), float(edges[-1]))


def song_edits(song: Likeness, wanted_s: float, most: int = 3) -> list[SongEdit]:
    """Return song edits that are as long as wanted to within half a bar, the least heard first; each but the first is joined
    elsewhere than those before it."""
    out: list[SongEdit] = []
    jump_costs = song.jump_costs.copy()
    for _ in range(2 * most):
        found = _best(song, jump_costs, wanted_s)
        if found is None or len(out) == most:
            break
        if all(found.stretches != song_edit.stretches for song_edit in out):
            out.append(found._replace(cost=_cost(song, found)))
        for leaves, goes_on in found.splices:
            i, j = (int(np.abs(song.edges - t).argmin()) for t in (leaves, goes_on))
            jump_costs[max(0, i - 2) : i + 1, max(0, j - 1) : j + 2] += ANOTHER
            jump_costs[np.arange(len(jump_costs) - 1), np.arange(1, len(jump_costs))] = 0.0
    return sorted(out, key=lambda song_edit: song_edit.cost)


def _cost(song: Likeness, song_edit: SongEdit) -> float:
    """Return how much is heard of the worst of its splices, beside what a splice of any two bars of the song is (1), and a little for
    each; without the song's drop much more."""
    costs = []
    for leaves, goes_on in song_edit.splices:
        i, j = (int(np.abs(song.edges - t).argmin()) for t in (leaves, goes_on))
        costs.append(float(song.jump_costs[i - 1, j]) - JUMP_COST)
    usual = float(np.median(song.jump_costs[song.jump_costs > 0])) - JUMP_COST if (song.jump_costs > 0).any() else 1.0
    drop_s = float(song.edges[song.drop]) if song.drop >= 0 else None
    kept = drop_s is None or any(a - EDGE_S <= drop_s < b for a, b in song_edit.stretches)
    return max(costs, default=0.0) / max(usual, 0.1) + 0.05 * len(costs) + (0.0 if kept else WITHOUT_DROP)


def _best(song: Likeness, jump_costs: Array, wanted_s: float) -> SongEdit | None:
    """Return the cheapest edit of a wanted length, None where there is none.

    Its state is how long it is, the bar it has come to the end of, how often it jumped, and whether it has had the drop.
    """
    lengths = np.diff(song.edges)
    usual = float(np.median(lengths))
    step_s = usual / STEPS  # a steady song's bars are whole numbers of steps
    count = len(lengths)
    units = np.maximum(np.round(lengths / step_s).astype(int), 1)
    lead = round(song.lead_s / step_s)
    goal = round(wanted_s / step_s)
    span = goal + STEPS + 1
    cost = np.full((span, count, MOST_JUMPS + 1, 2), NEVER, np.float32)
    came = np.full((span, count, MOST_JUMPS + 1, 2, 3), -1, np.int16)  # the bar, jumps and drop of the state before
    has_drop = song.drop >= 0

    def begin(at: int, bar: int, price: float) -> None:
        end, done = at + int(units[bar]), int(not has_drop or song.drop == bar)
        if end < span:
            cost[end, bar, 0, done] = min(float(cost[end, bar, 0, done]), price)

    begin(lead, 0, 0.0)
    if song.lead_s > 0:
        begin(0, 0, SKIPPED_START)
    if lead > goal // 3:  # a lead-in that is most of what is wanted: begin anywhere
        for bar in range(1, count):
            begin(0, bar, 2 * SKIPPED_START)
    jumps_to = np.where(np.arange(count)[:, None] + 1 == np.arange(count)[None, :], NEVER, jump_costs).astype(
        np.float32
    )
    if has_drop and song.drop > 0:  # the drop comes after what leads up to it
        jumps_to[np.arange(count) != song.drop - 1, song.drop] = NEVER
    for t in range(span):
        if (cost[t] < NEVER).any():
            _advance(cost, came, t, units, jumps_to, song.drop)
    return _fitting(song, cost, came, wanted_s, units, lead, has_drop)


def _advance(
    cost: Array, came: NDArray[np.int16], t: int, units: NDArray[np.int64], jumps_to: Array, drop: int
) -> None:
    """Go on from every state at a time: to the bar that follows, or by a jump."""
    count, span = len(units), len(cost)
    here = cost[t]
    ahead = np.full_like(here, NEVER)
    ahead[1:] = here[:-1]
    jumped = np.full_like(here, NEVER)
    states = here[:, :-1].reshape(count, -1)
    before = (states[:, None, :] + jumps_to[:, :, None]).argmin(axis=0)
    best = np.take_along_axis(states, before, axis=0) + jumps_to[before, np.arange(count)[:, None]]
    jumped[:, 1:] = best.reshape(count, MOST_JUMPS, 2)
    back = np.zeros((count, MOST_JUMPS + 1, 2), np.int64)
    back[:, 1:] = before.reshape(count, MOST_JUMPS, 2)
    follow = np.broadcast_to(np.arange(-1, count - 1)[:, None, None], here.shape)
    for made, come_from, by in ((ahead, follow, 0), (jumped, back, 1)):
        bars, jumps, had = np.nonzero((made < NEVER) & ((t + units) < span)[:, None, None])
        done = np.where(bars == drop, 1, had)
        at = (t + units[bars], bars, jumps, done)
        prices = made[bars, jumps, had]
        # Having had the drop before comes after not having had it: the better of two that meet is kept.
        for first in (0, 1):
            pick = (had == first) & (prices < cost[at])
            place = tuple(a[pick] for a in at)
            cost[place] = prices[pick]
            came[place] = np.stack([come_from[bars, jumps, had][pick], jumps[pick] - by, had[pick]], axis=1)


def _fitting(
    song: Likeness,
    cost: Array,
    came: NDArray[np.int16],
    wanted_s: float,
    units: NDArray[np.int64],
    lead: int,
    has_drop: bool,
) -> SongEdit | None:
    """Return the cheapest edit that ends where the song does and is really as long as wanted, to within half a bar."""
    final = cost[:, -1].copy()
    final[:, :, 0] = final[:, :, 0] + SKIPPED_DROP if has_drop else NEVER
    usual = float(np.median(np.diff(song.edges)))
    off = np.abs(np.arange(len(cost)) * usual / STEPS - wanted_s)[:, None, None]
    # Of edits as cheap the one nearest to the length.
    final = np.where(off <= usual, final + 0.1 * off / usual, NEVER).astype(np.float32)
    for place in np.argsort(final, axis=None)[:CANDIDATES]:
        t, jumps, had = (int(v) for v in np.unravel_index(int(place), final.shape))
        if final[t, jumps, had] >= NEVER:
            return None
        song_edit = _traced(song, came, (t, jumps, had), units, lead)
        if abs(song_edit.length_s - wanted_s) <= usual / 2 + EDGE_S:
            return song_edit
    return None


def _traced(
    song: Likeness, came: NDArray[np.int16], end: tuple[int, int, int], units: NDArray[np.int64], lead: int
) -> SongEdit:
    """Return the edit that has come to a state at the song's end."""
    t, jumps, had = end
    bars = [len(units) - 1]
    while True:
        before, jumps_before, had_before = (int(v) for v in came[t, bars[-1], jumps, had])
        t -= int(units[bars[-1]])
        if before < 0:
            break
        bars.append(before)
        jumps, had = jumps_before, had_before
    bars.reverse()
    stretches: list[tuple[float, float]] = []
    splices: list[tuple[float, float]] = []
    begin = 0.0 if bars[0] == 0 and t == lead else float(song.edges[bars[0]])
    for one, following in zip(bars, [*bars[1:], -1], strict=True):
        if following == one + 1:
            continue
        leaves = float(song.edges[one + 1])
        stretches.append((begin, leaves))
        if following >= 0:
            begin = float(song.edges[following])
            splices.append((leaves, begin))
    return SongEdit(tuple(stretches), 0.0, tuple(splices))


def _tail(bars: Sequence[float], length_s: float) -> float:
    """Return where a song ends: with its file, or so long after its last bar began."""
    usual = float(np.median(np.diff(bars))) if len(bars) > 1 else 2.0
    return min(length_s, bars[-1] + max(usual * LONGEST_TAIL_BARS, 0.5))


def _drop_bar(bars: Sequence[float], drops: Sequence[float]) -> int:
    if not drops:
        return -1
    number = int(np.abs(np.array(bars) - drops[0]).argmin())
    return number if abs(bars[number] - drops[0]) < 1.0 else -1


class _Heard(NamedTuple):
    chroma: Array
    bands: Array
    level: Array


def _spectrum(mono: Array, rate: int) -> _Heard:
    """Return harmony (12), timbre (20 bands in dB) and level (dB) of a sound, frame by frame."""
    count = max(1, 1 + (len(mono) - WINDOW) // HOP)
    shape = np.hanning(WINDOW).astype(np.float32)
    hz = np.arange(WINDOW // 2 + 1) * rate / WINDOW
    pitch = np.zeros((len(hz), 12), np.float32)
    heard = (hz > 80) & (hz < 4000)
    note = 12 * np.log2(np.maximum(hz, 1e-3) / 440.0)
    pitch[np.flatnonzero(heard), np.round(note[heard]).astype(int) % 12] = 1.0
    edges = np.geomspace(60, rate / 2 * 0.98, 21)
    band = np.stack([((hz >= a) & (hz < b)) for a, b in zip(edges, edges[1:], strict=False)], axis=1).astype(np.float32)
    padded = np.pad(np.asarray(mono, np.float32), (0, WINDOW))
    chroma, bands, level = [], [], []
    for first in range(0, count, 512):
        at = np.arange(first, min(first + 512, count)) * HOP
        frames = np.lib.stride_tricks.sliding_window_view(padded[at[0] : at[-1] + WINDOW], WINDOW)[::HOP]
        power = magnitudes(frames * shape) ** 2
        chroma.append(np.sqrt(power) @ pitch)
        bands.append(10 * np.log10(power @ band + 1e-6))
        level.append(10 * np.log10(np.square(frames).mean(axis=1) + 1e-7))
    return _Heard(np.concatenate(chroma), np.concatenate(bands), np.concatenate(level))


def _between(heard: _Heard, rate: int, a_s: float, b_s: float) -> Array:
    """Return what is heard between two instants: harmony of length one, timbre about its mean, level; scaled so that each counts."""
    count = len(heard.level)
    first = min(max(0, round((a_s * rate - WINDOW / 2) / HOP)), count - 1)
    end = min(max(first + 1, round((b_s * rate - WINDOW / 2) / HOP)), count)
    chroma = heard.chroma[first:end].mean(axis=0)
    chroma = chroma / max(float(np.linalg.norm(chroma)), 1e-6)
    bands = heard.bands[first:end].mean(axis=0)
    level = float(heard.level[first:end].mean())
    timbre = (bands - bands.mean()) / 30.0
    return np.concatenate([chroma, timbre / np.sqrt(len(bands)) * 2, [level / 12.0]]).astype(np.float32)


def _apart(a: Array, b: Array) -> Array:
    """Return how far apart each of some is from each of others, shape (len(a), len(b))."""
    square = (a**2).sum(axis=1)[:, None] + (b**2).sum(axis=1)[None, :] - 2 * a @ b.T
    return np.asarray(np.sqrt(np.maximum(square, 0.0)), np.float32)
