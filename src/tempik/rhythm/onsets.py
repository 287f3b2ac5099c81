"""Onsets: every attack of a song at its rising edge, with what it sounds like: kick, snare, hat or other.

Where the level rises steeply there may be an attack; a small network (`ranking`) says of each place, from what the
bands and the front end hear there and how that stands out in this song, whether it is one and of which kind. A drum
sounds alike each time it is struck: places that are alike agree on their kind.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.attack import STEP_RATE, attacks_near, edges
from tempik.rhythm.features import FRAME_RATE, SLOW_RATE, Array, Features
from tempik.rhythm.filters import running_max, running_percentile
from tempik.rhythm.front import RATE as HEARD_RATE
from tempik.rhythm.front import Heard
from tempik.rhythm.ranking import scores
from tempik.rhythm.records import BANDS, Onset

Times = NDArray[np.float64]

APART_S = 0.045  # two attacks nearer than this are one (a flam)
_SURROUNDINGS_S = 3.0
_SHARE = 0.10  # of the strong attacks around
_ALONE = 0.02  # of the strongest attacks of the whole song
_CERTAIN = 0.5  # how likely a place is an attack for it to be one


class AttackPlaces(NamedTuple):
    """Where attacks may be: seconds, how steeply the level rises, and that against what is around and in all the song."""

    times_s: Times
    size: Array
    against: NDArray[np.float64]  # (places, 2)


def find_onsets(power: Array, found: Features, rise: Array, heard: Heard) -> tuple[Onset, ...]:
    """Return the onsets of a song in order of time, from its fine power, features, fine rise and the front end."""
    places = places_of(power, rise)
    if not len(places.times_s):
        return ()
    rows = traits(places, found, heard)
    odds = scores("kinds", rows)
    share = np.exp(odds - odds.max(axis=1, keepdims=True))
    share /= share.sum(axis=1, keepdims=True)
    sure = 1 - share[:, len(BANDS)] >= _CERTAIN
    times, size = places.times_s[sure], places.size[sure]
    if not len(times):
        return ()
    kinds = agreed(rows[sure], odds[sure], share[sure]).argmax(axis=1)
    strength = np.clip(np.sqrt(size / (np.percentile(size, 95) + 1e-9)), 0.02, 1.0) * _loudness(times, found)
    return tuple(
        Onset(round(float(t), 5), round(float(np.clip(s, 0.02, 1)), 3), BANDS[k])
        for t, s, k in zip(times, strength, kinds, strict=True)
    )


def places_of(power: Array, rise: Array) -> AttackPlaces:
    """Return where attacks may be, in order of time, each at its rising edge."""
    times, size, against = _peaks(rise)
    if not len(times):
        return AttackPlaces(times, size, against)
    times = edges(power, attacks_near(rise, times, 0.012)[0])[0]
    order = np.argsort(times)
    return AttackPlaces(times[order], size[order], against[order])


def _peaks(rise: Array) -> tuple[Times, Array, NDArray[np.float64]]:
    """Return the instants at which the level rises steeply against its surroundings, and how steeply."""
    around = int(APART_S * STEP_RATE) | 1
    top = running_max(rise, around)
    at = np.flatnonzero((rise == top) & (rise > 0))
    if not len(at):
        return np.empty(0), np.empty(0, np.float32), np.empty((0, 2))
    # What is strong around: a high percentile of coarse maxima, cheap over a long song.
    block = STEP_RATE // 10
    whole = len(rise) // block
    if whole < 2:
        coarse = strong = np.full(1, rise.max())
    else:
        coarse = rise[: whole * block].reshape(whole, block).max(axis=1)
        strong = running_percentile(coarse, 85, int(_SURROUNDINGS_S * 10))
    # The strongest few, not the usual: between rare hits the floor's own ripples are no attacks.
    usual = float(np.percentile(coarse, 98))
    here = strong[np.clip(at // block, 0, len(strong) - 1)]
    keep = (rise[at] > _SHARE * here) & (rise[at] > _ALONE * usual)
    at, here = at[keep], here[keep]
    against = np.log(np.column_stack([rise[at] / (here + 1e-9), rise[at] / (usual + 1e-9)]) + 1e-3)
    return (at + 0.5) / STEP_RATE, rise[at], against


_GROUPS = 11  # bands are heard in groups of four
_AROUND = (-4, -1, 1, 4, 10)  # frames about an attack


def traits(places: AttackPlaces, found: Features, heard: Heard) -> NDArray[np.float64]:
    """Return what each place is judged by, one row each: the energy that each of the four bands gains, its share, the
    change of pitch, what the front end hears, how steep the rise is, and the bands around it."""
    times = places.times_s
    flux = running_max(found.flux, 5, axis=0)
    at = np.clip(np.round(times * FRAME_RATE).astype(int), 0, len(flux) - 1)
    gain = flux[at].astype(np.float64)
    share = gain / (gain.sum(axis=1, keepdims=True) + 0.05)
    odds = np.column_stack([heard.kinds, heard.beat])
    near = np.clip(np.round(times * HEARD_RATE).astype(int), 0, len(odds) - 1)
    kinds = running_max(odds, 3, axis=0)[near]
    slow = np.clip(np.round(times * SLOW_RATE).astype(int), 0, len(found.pitch) - 1)
    standing = np.sort(found.pitch[slow], axis=1)[:, -3:].sum(axis=1)
    width = found.bands.shape[1] // _GROUPS * _GROUPS
    grouped = found.bands[:, :width].reshape(len(found.bands), _GROUPS, -1).mean(axis=2)
    last = len(grouped) - 1
    levels = [grouped[np.clip(at + step, 0, last)] for step in _AROUND]
    before = levels[0]
    gaps = np.diff(times, prepend=times[0] - 1, append=times[-1] + 1)
    own = np.column_stack(
        [
            *(gain, share, found.harmony[at], kinds, standing, places.against),
            *(before, *(level - before for level in levels[1:])),
            *(np.minimum(gaps[:-1], 0.5), np.minimum(gaps[1:], 0.5)),
        ]
    )
    return np.concatenate([own, _against_the_song(own)], axis=1)


def _against_the_song(own: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return how each place's traits stand out among those of all places of the song."""
    low, middle, high = np.percentile(own, [10, 50, 90], axis=0)
    return np.asarray(np.clip((own - middle) / (high - low + 0.05), -3, 3))


# How many are asked, what their word weighs, among how many they are sought.
_LIKE, _AGREE, _TOGETHER = 12, 0.8, 400


def agreed(rows: NDArray[np.float64], odds: NDArray[np.float64], share: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return for each attack how likely each kind is, as logarithms, shape (places, 4), from what the network says of it and of the
    attacks of the song that are most like it. `rows` are traits, `odds` and `share` what the network says."""
    own = np.log(share[:, : len(BANDS)] + 1e-9)
    if len(rows) < _LIKE + 2:
        return own
    seen = np.concatenate([rows[:, rows.shape[1] // 2 :], odds], axis=1).astype(np.float32)
    seen /= np.linalg.norm(seen, axis=1, keepdims=True) + 1e-6
    out = np.empty_like(own)
    parts = np.array_split(np.arange(len(rows)), -(-len(rows) // _TOGETHER))
    for part in parts:
        like = seen[part] @ seen[part].T
        np.fill_diagonal(like, -np.inf)
        near = np.argpartition(-like, _LIKE, axis=1)[:, :_LIKE]
        asked = np.log(share[part][near].mean(axis=1)[:, : len(BANDS)] + 1e-4)
        out[part] = (1 - _AGREE) * own[part] + _AGREE * asked
    return out


def _loudness(times: Times, found: Features) -> Array:
    """Return how loud the song is just after each onset against its loud passages, 0.3 to 1."""
    level = running_max(found.loudness, 7)
    at = np.clip(np.round(times * FRAME_RATE).astype(int) + 3, 0, len(level) - 1)
    full = float(np.percentile(level, 95))
    return np.asarray(np.clip(1 - (full - level[at]) / 40, 0.3, 1.0), dtype=np.float32)
