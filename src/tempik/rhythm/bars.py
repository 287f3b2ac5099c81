"""Bars: how many beats, and which of them is the first, from low energy, harmony and the size of attacks."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d

from tempik.rhythm.features import FRAME_RATE, Features

Times = NDArray[np.float64]

# Four beats in a bar is by far the commonest (common practice); others must show themselves clearly.
METRES = {4: 0.12, 3: 0.0, 5: -0.1}


class Bars(NamedTuple):
    """Beats in a bar, and the number (0 …) of the first beat that is a downbeat."""

    metre: int
    first_downbeat: int


def find_bars(beats_s: Times, found: Features) -> Bars:
    """Return the metre and phase whose downbeats stand out most from the other beats of the bar."""
    if len(beats_s) < 8:
        return Bars(4, 0)
    weight = _downbeat_weight(beats_s, found)
    best, chosen = -np.inf, Bars(4, 0)
    for metre, bonus in METRES.items():
        for phase in range(metre):
            on = weight[phase::metre]
            others = np.delete(weight, np.arange(phase, len(weight), metre))
            score = (on.mean() - others.mean()) / (weight.std() + 1e-6) + bonus
            # A song most often starts on a downbeat, or with one beat before it.
            score += 0.08 if phase == 0 else 0.0
            if score > best:
                best, chosen = float(score), Bars(metre, phase)
    return chosen


def _downbeat_weight(beats_s: Times, found: Features) -> NDArray[np.float64]:
    """Return how much each beat looks like a first: low attack, change of harmony, little of the backbeat's snare."""
    heard = maximum_filter1d(np.column_stack([found.flux, found.harmony]), 5, axis=0)
    at = np.clip(np.round(beats_s * FRAME_RATE).astype(int), 0, len(heard) - 1)
    low, mid, high, harmony = heard[at, 0], heard[at, 1], heard[at, 2:4].mean(axis=1), heard[at, 4]
    chroma = found.chroma
    span = max(2, int(0.8 * FRAME_RATE * float(np.median(np.diff(beats_s)))))
    change = np.zeros(len(beats_s))
    for number, centre in enumerate(at):
        before, after = chroma[max(0, centre - span) : centre], chroma[centre + 2 : centre + span]
        if len(before) and len(after):
            change[number] = float(np.linalg.norm(after.mean(axis=0) - before.mean(axis=0)))
    change /= change.std() + 1e-6
    return np.asarray(0.9 * low + 0.2 * mid - 0.35 * high + 0.3 * harmony + 0.35 * change, dtype=np.float64)
