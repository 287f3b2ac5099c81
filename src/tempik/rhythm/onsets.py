"""Onsets: every attack of a song at its rising edge, with what it sounds like: kick, snare, hat or other."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d, percentile_filter

from tempik.rhythm.attack import STEP_RATE, attacks_near, edges
from tempik.rhythm.features import FRAME_RATE, SLOW_RATE, Array, Features
from tempik.rhythm.records import BANDS, Onset
from tempik.rhythm.weights import WEIGHTS

Times = NDArray[np.float64]

APART_S = 0.045  # two attacks nearer than this are one (a flam)
_SURROUNDINGS_S = 3.0
_SHARE = 0.26  # of the strong attacks around
_ALONE = 0.05  # of the strongest attacks of the whole song


def find_onsets(power: Array, found: Features, rise: Array) -> tuple[Onset, ...]:
    """Return the onsets of a song in order of time, from its fine power, features and fine rise."""
    times, size = _peaks(rise)
    if not len(times):
        return ()
    times = attacks_near(rise, times, 0.012)[0]
    times = edges(power, times)[0]
    order = np.argsort(times)
    times, size = times[order], size[order]
    kinds = _kinds(times, found)
    strength = np.clip(np.sqrt(size / (np.percentile(size, 95) + 1e-9)), 0.02, 1.0) * _loudness(times, found)
    return tuple(
        Onset(round(float(t), 5), round(float(np.clip(s, 0.02, 1)), 3), BANDS[k])
        for t, s, k in zip(times, strength, kinds, strict=True)
    )


def _peaks(rise: Array) -> tuple[Times, Array]:
    """Return the instants at which the level rises steeply against its surroundings, and how steeply."""
    around = int(APART_S * STEP_RATE) | 1
    top = maximum_filter1d(rise, around)
    at = np.flatnonzero((rise == top) & (rise > 0))
    if not len(at):
        return np.empty(0), np.empty(0, np.float32)
    # What is strong around: a high percentile of coarse maxima, cheap over a long song.
    block = STEP_RATE // 10
    whole = len(rise) // block
    if whole < 2:
        coarse = strong = np.full(1, rise.max())
    else:
        coarse = rise[: whole * block].reshape(whole, block).max(axis=1)
        strong = percentile_filter(coarse, 85, size=int(_SURROUNDINGS_S * 10), mode="nearest")
    # The strongest few, not the usual: between rare hits the floor's own ripples are no attacks.
    usual = float(np.percentile(coarse, 98))
    here = strong[np.clip(at // block, 0, len(strong) - 1)]
    keep = (rise[at] > _SHARE * here) & (rise[at] > _ALONE * usual)
    at = at[keep]
    return (at + 0.5) / STEP_RATE, rise[at]


def traits(times: Times, found: Features) -> NDArray[np.float64]:
    """Return what each onset's kind is told from, shape (onsets, 16): the energy that each of the four bands gains,
    its square, what it does in the tenth of a second after, the change of pitch, and which band gains most."""
    heard = maximum_filter1d(found.flux, 5, axis=0)
    at = np.clip(np.round(times * FRAME_RATE).astype(int), 0, len(heard) - 1)
    gain = heard[at].astype(np.float64)
    edges_of = np.linspace(0, found.texture.shape[1], 5).astype(int)
    level = np.stack([found.texture[:, a:b].mean(axis=1) for a, b in zip(edges_of, edges_of[1:], strict=False)], axis=1)
    slow = np.round(times * SLOW_RATE).astype(int)
    last = len(level) - 1
    after = level[np.clip(slow + 3, 0, last)] - level[np.clip(slow + 1, 0, last)]
    share = gain / (gain.sum(axis=1, keepdims=True) + 0.05)
    return np.column_stack([gain, gain**2, after, found.harmony[at], share[:, 1:]])


def _kinds(times: Times, found: Features) -> NDArray[np.int64]:
    """Return for each onset the number of its kind in BANDS, by a linear score fitted on drum parts that are known."""
    weights = WEIGHTS["kinds"]
    return np.asarray((traits(times, found) @ weights[:, :-1].T + weights[:, -1]).argmax(axis=1))


def _loudness(times: Times, found: Features) -> Array:
    """Return how loud the song is just after each onset against its loud passages, 0.3 to 1."""
    level = maximum_filter1d(found.loudness, 7)
    at = np.clip(np.round(times * FRAME_RATE).astype(int) + 3, 0, len(level) - 1)
    full = float(np.percentile(level, 95))
    return np.asarray(np.clip(1 - (full - level[at]) / 40, 0.3, 1.0), dtype=np.float32)
