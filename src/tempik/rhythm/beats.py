"""Beats: what could be counted, the choice among it, the rivals it leaves, and the exact places of all of them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.attack import EDGE_RATE, STEP_RATE
from tempik.rhythm.bars import Bars, find_bars, places_in_bars
from tempik.rhythm.belief import Belief, belief
from tempik.rhythm.candidates import FEWEST, Candidate, candidates
from tempik.rhythm.changes import joined_where_met, met_along, passages
from tempik.rhythm.features import FRAME_RATE, Features, listening
from tempik.rhythm.front import DOWNBEAT, Heard, heard_at, likely
from tempik.rhythm.pulse import TempoPulse
from tempik.rhythm.refine import DRIFT_S, followed, in_stretches, on_one_grid, wandering_s
from tempik.rhythm.score import Scored, alike, ranked

Array = NDArray[np.float32]
Times = NDArray[np.float64]
Numbers = NDArray[np.int64]


class Counted(NamedTuple):
    """One way to count a song: beat times in seconds, in order; the same beats read the other way (along a moving
    tempo for a steady song, as one even grid for another); whether they are one grid; bar (from 1; 0 is a pick-up) and
    place in the bar (from 0) of each; beats in a bar; and how likely it is the right way, 0 to 1."""

    times_s: Times
    other_s: Times
    steady: bool
    bars: Numbers
    places: Numbers
    metre: int
    belief: float
    readings: tuple[tuple[int, int, float], ...] = ()  # of its bars: metre, number of the first downbeat, belief


class Beats(NamedTuple):
    """The ways to count a song, the likeliest first; none where there is no steady beat. `confidence`: how sure it is
    that the first is right, 0 to 1."""

    ways: tuple[Counted, ...]
    confidence: float


RIVALS = 2
# Log odds by which another reading of a passage must be likelier than what is held there.
BETTER, RELATED_BETTER, UNMET_BETTER = 1.0, 6.0, 3.0
MET_MORE = 0.05
SAME_TEMPO = 0.01  # an even passage at the song's own tempo goes on from beat to beat
_EARLY_S = 0.01  # so little before the song begins a beat is its beginning
_SILENCE_DB = 45.0  # below the loud passages
_PAUSE_S = 6.0  # beats are counted on through a shorter silence
NONE = Beats((), 0.0)


def find_beats(power: Array, found: Features, rise: Array, heard: Heard, begins_s: float = 0.0) -> Beats:
    """Return the beats of a song from its fine power, its features, its fine rise (`attack`) and the front end, none before
    `begins_s`. What lies on either side of a long silence is counted by itself."""
    parts = []
    for start_s, end_s in _sounding_parts(found):
        if end_s - start_s < 2:
            continue
        cut = (
            _cut(power, start_s, end_s, EDGE_RATE),
            found.between(start_s, end_s),
            _cut(rise, start_s, end_s, STEP_RATE),
        )
        parts.append((start_s, end_s, _beats_of(*cut, heard.between(start_s, end_s), begins_s - start_s)))
    if len(parts) == 1:
        return _later(parts[0][2], parts[0][0])
    return _one_after_another(parts)


def _cut(rows: Array, start_s: float, end_s: float, rate: int) -> Array:
    return rows[round(start_s * rate) : round(end_s * rate)]


def _sounding_parts(found: Features) -> list[tuple[float, float]]:
    """Return the stretches of a song that long silences part, from its start to its end, on whole tenths of a second."""
    length_s = len(found.onset) / FRAME_RATE
    if not len(found.loudness) or float(found.onset.max(initial=0.0)) <= 0:
        return []
    at_s = np.flatnonzero(found.loudness > np.percentile(found.loudness, 95) - _SILENCE_DB) / FRAME_RATE
    cuts = [float(np.floor(at_s[n + 1] * 10 - 3) / 10) for n in np.flatnonzero(np.diff(at_s) > _PAUSE_S)]
    ends = [0.0, *cuts, length_s]
    return list(zip(ends, ends[1:], strict=False))


def _later(beats: Beats, by_s: float) -> Beats:
    if by_s == 0:
        return beats
    ways = tuple(w._replace(times_s=w.times_s + by_s, other_s=w.other_s + by_s) for w in beats.ways)
    return beats._replace(ways=ways)


def _one_after_another(parts: list[tuple[float, float, Beats]]) -> Beats:
    """Return the beats of a song's parts as one, bars counted on; the n-th way of all is the n-th of each that has it."""
    counted = [(end_s - start_s, _later(beats, start_s)) for start_s, end_s, beats in parts if beats.ways]
    if not counted:
        return Beats((), max((b.confidence for _, _, b in parts), default=0.0))
    sizes = np.array([size for size, _ in counted])
    ways = []
    for n in range(max(len(b.ways) for _, b in counted)):
        of = [b.ways[min(n, len(b.ways) - 1)] for _, b in counted]
        bars, before = [], 0
        for way in of:
            bars.append(way.bars + before)
            before = int(bars[-1][-1])
        longest = of[int(np.argmax(sizes))]
        ways.append(
            Counted(
                np.concatenate([w.times_s for w in of]),
                np.concatenate([w.other_s for w in of]),
                False,
                np.concatenate(bars),
                np.concatenate([w.places for w in of]),
                longest.metre,
                float(np.average([w.belief for w in of], weights=sizes)),
            )
        )
    return Beats(tuple(ways), float(np.average([b.confidence for _, b in counted], weights=sizes)))


def _beats_of(power: Array, found: Features, rise: Array, heard: Heard, begins_s: float) -> Beats:
    """Return the beats of a stretch without long silences."""
    if float(found.onset.max(initial=0.0)) <= 0:
        return NONE
    order = ranked(candidates(found, likely(heard.beat), rise), listening(found), heard)
    if not order or len(order[0].candidate.beats_s) < FEWEST:
        return NONE
    believed = belief(order, found, heard)
    if believed.nothing:
        return Beats((), believed.right)
    laid = _laid(order, believed, power, found, rise, heard)
    laid = _anew_where_it_changes(laid, order[0].candidate.beats_s, power, found, rise, heard)
    ways = [way for one in laid if len((way := _counted(one, found, heard, begins_s)).times_s) >= FEWEST]
    return Beats(tuple(ways), laid[0].belief)


class Laid(NamedTuple):
    """Beats of a reading on the attacks, the same read the other way, whether they are one even grid, its bars, and its share of belief."""

    times_s: Times
    other_s: Times
    steady: bool
    bars: Bars
    belief: float


def _laid(
    order: list[Scored], believed: Belief, power: Array, found: Features, rise: Array, heard: Heard
) -> list[Laid]:
    """Return the first way to count and its rivals, laid on the attacks."""
    out = []
    for scored, share in zip((order[0], *_rivals(order)), _shares(believed, order), strict=False):
        out.append(Laid(*_placed(scored.candidate, power, rise, heard), scored.bars, share))
    return out


def _anew_where_it_changes(
    laid: list[Laid], first: Times, power: Array, found: Features, rise: Array, heard: Heard
) -> list[Laid]:
    """Return the ways to count with every stretch that the `first` reading's beats do not meet read anew and joined to the rest; the
    n-th way of all is the n-th of each stretch that has it."""
    parts: list[tuple[float, float, list[Laid] | None]] = []
    for start_s, end_s, anew in passages(first, heard):
        read = _read_anew(start_s, end_s, first, power, found, rise, heard) if anew else None
        if parts and read is None and parts[-1][2] is None:
            parts[-1] = (parts[-1][0], end_s, None)
        else:
            parts.append((start_s, end_s, read))
    if len(parts) == 1 and parts[0][2] is None:
        return laid
    listened = listening(found)
    out: list[Laid] = []
    for n in range(max(len(laid), *(len(read or ()) for _, _, read in parts))):
        joined, beliefs = np.empty(0), []
        for start_s, end_s, read in parts:
            ways = read or laid
            way = ways[min(n, len(ways) - 1)]
            beliefs.append(way.belief)
            times = way.times_s[(way.times_s >= start_s) & (way.times_s < end_s)] if read is None else way.times_s
            if len(joined) >= FEWEST and len(times) >= FEWEST:
                joined = np.concatenate(joined_where_met(joined, times, heard, start_s))
            else:
                joined = np.concatenate([joined, times])
        number = np.arange(len(joined))
        grid = np.asarray(np.polyval(np.polyfit(number, joined, 1), number), dtype=np.float64)
        share = float(np.average(beliefs, weights=[end - start for start, end, _ in parts]))
        out.append(Laid(joined, grid, False, find_bars(joined, listened, heard), share))
    return out


def _margin(best: Times, held: Times, within: Heard) -> float:
    """Return by how much a passage's own reading must be likelier than what is held there: by more where it is the same tempo from
    another beat, or a tempo that counts the same beats otherwise, and where it meets no more of what is heard."""
    ratio = float(np.median(np.diff(best)) / np.median(np.diff(held)))
    related = min(abs(float(np.log2(ratio / r))) for r in (1.0, 2.0, 0.5, 1.5, 2 / 3)) < 0.03
    more = met_along(best, within).mean() - met_along(held, within).mean()
    return (RELATED_BETTER if related else BETTER) + (0.0 if more > MET_MORE else UNMET_BETTER)


def _read_anew(
    start_s: float, end_s: float, first: Times, power: Array, found: Features, rise: Array, heard: Heard
) -> list[Laid] | None:
    """Return the ways to count a stretch by itself, in the song's seconds; None where it is met no better so."""
    part, within = found.between(start_s, end_s), heard.between(start_s, end_s)
    fine, steep = _cut(power, start_s, end_s, EDGE_RATE), _cut(rise, start_s, end_s, STEP_RATE)
    held = first[(first >= start_s) & (first < end_s)] - start_s
    among = candidates(part, likely(within.beat), steep)
    if len(held) >= FEWEST:
        among.append(Candidate(held, TempoPulse(1 / float(np.median(np.diff(held))), 1.0, True), True))
    order = ranked(among, listening(part), within)
    if not order or len(order[0].candidate.beats_s) < FEWEST:
        return None
    best = order[0].candidate.beats_s
    as_held = max((o.score for o in order if len(held) >= FEWEST and alike(o.candidate.beats_s, held)), default=-np.inf)
    if len(held) >= FEWEST:
        even, ratio = order[0].candidate.even, float(np.median(np.diff(best)) / np.median(np.diff(held)))
        if (even and abs(ratio - 1) < SAME_TEMPO) or order[0].score - as_held < _margin(best, held, within):
            return None
    believed = belief(order, part, within)
    read = _laid(order, believed, fine, part, steep, within)
    return [w._replace(times_s=w.times_s + start_s, other_s=w.other_s + start_s) for w in read]


def _rivals(order: list[Scored]) -> list[Scored]:
    """Return the best other ways to count, unlike the first and each other."""
    out: list[Scored] = []
    for scored in order[1:]:
        beats = scored.candidate.beats_s
        if all(not alike(beats, o.candidate.beats_s) for o in (order[0], *out)):
            out.append(scored)
        if len(out) == RIVALS:
            break
    return out


def _shares(believed: Belief, order: list[Scored]) -> list[float]:
    """Return the share of belief of the first way and of its rivals: what the first leaves goes by their scores."""
    rivals = _rivals(order)
    left = np.exp(np.array([r.score for r in rivals]) - order[0].score)
    rest = float(np.exp(np.array([s.score for s in order]) - order[0].score).sum()) - 1.0
    total = max(rest, float(left.sum()), 1e-9)
    # None is likelier than the one that is chosen before it.
    most = believed.right * np.minimum(left, 1.0)
    return [
        believed.right,
        *(float(min((1 - believed.right) * share / total, m)) for share, m in zip(left, most, strict=True)),
    ]


def _counted(laid: Laid, found: Features, heard: Heard, begins_s: float) -> Counted:
    times, other, steady, bars, share = laid
    downbeat = heard_at(heard, DOWNBEAT, times)
    in_bar, place = places_in_bars(bars, len(times), downbeat)
    keep = _sounding(times, found) & (times > begins_s - _EARLY_S)
    times, other, in_bar, place = times[keep], other[keep], in_bar[keep], place[keep]
    if len(place):
        # The first bar that is whole is the first; what comes before it is a pick-up.
        first = int(in_bar[int(np.argmax(place == 0))]) if (place == 0).any() else 1
        in_bar = in_bar - first + 1
    skipped = int(np.argmax(keep)) if keep.any() else 0
    readings = tuple((metre, (first - skipped) % metre, likely_) for metre, first, likely_ in bars.readings)
    return Counted(times, other, steady, in_bar, place, bars.metre, share, readings)


def _placed(candidate: Candidate, power: Array, rise: Array, heard: Heard) -> tuple[Times, Times, bool]:
    """Return a candidate's beats on the attacks, the same read the other way, and whether they are one even grid."""
    beats = candidate.beats_s
    if candidate.even:
        grid = on_one_grid(beats, power, rise)
        moving = followed(grid, power, rise)
        if wandering_s(grid, rise) < DRIFT_S:
            return grid, moving, True
        return moving, grid, False
    moving = in_stretches(followed(beats, power, rise), power, rise)
    number = np.arange(len(moving))
    grid = np.asarray(np.polyval(np.polyfit(number, moving, 1), number), dtype=np.float64)
    return moving, grid, False


def _sounding(beats: Times, found: Features) -> NDArray[np.bool_]:
    """Return which beats lie where the song sounds: none before its first sound or after its last."""
    sounds = np.flatnonzero(found.loudness > np.percentile(found.loudness, 95) - _SILENCE_DB)
    if not len(sounds):
        return np.ones(len(beats), dtype=bool)
    at_s = sounds / FRAME_RATE
    return np.asarray((beats >= at_s[0] - 0.1) & (beats < at_s[-1]))
