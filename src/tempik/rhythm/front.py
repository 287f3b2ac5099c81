"""The front end: a small network that hears, at each fiftieth of a second, how likely it is a beat, a downbeat, a kick,
a snare, a hat or another attack.

Dilated convolutions over the bands of the filter bank, after Davies and Böck, "Temporal convolutional networks for
musical audio beat tracking", EUSIPCO 2019, here by NumPy alone. Its weights are made by `bench/` (`./run bench fit`).
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.features import FRAME_RATE, Array
from tempik.rhythm.filters import running_max
from tempik.rhythm.weights import load

RATE = 50  # rows a second
HEADS = ("beat", "downbeat", "kick", "snare", "hat", "other")
_STEP = FRAME_RATE // RATE


class Heard(NamedTuple):
    """What the front end hears, as log odds with RATE rows a second, row i about i / RATE seconds."""

    beat: Array  # (rows,)
    downbeat: Array  # (rows,)
    kinds: Array  # (rows, 4): kick, snare, hat, other
    near: Array  # (rows, 6): the most of each of the HEADS within a row either side
    peaks_s: NDArray[np.float64]  # where beats are heard to peak at all
    peaks: Array  # and how likely each of those is a beat, 0 to 1

    def between(self, start_s: float, end_s: float) -> Heard:
        """Return what is heard of a stretch that begins and ends on whole twentieths of a second."""
        rows = slice(round(start_s * RATE), round(end_s * RATE))
        if rows.start == 0 and rows.stop >= len(self.beat):
            return self
        return as_heard(np.column_stack([self.beat, self.downbeat, self.kinds])[rows])


def seen(bands: Array) -> Array:
    """Return what the network sees of `features.Features.bands`, shape (rows, 2 × bands): level, and new level."""
    rise = np.zeros_like(bands)
    rise[2:] = np.maximum(bands[2:] - bands[:-2], 0)
    # Rows 2i − 1 and 2i lie about instant i / RATE.
    count = (len(bands) + 1) // _STEP
    level = np.zeros((count, bands.shape[1]), np.float32)
    fresh = np.zeros_like(level)
    even = bands[::_STEP][:count]
    odd = np.concatenate([bands[:1], bands[1::_STEP]])[:count]
    level[: len(even)] = (even + odd[: len(even)]) / 2
    even, odd = rise[::_STEP][:count], np.concatenate([rise[:1], rise[1::_STEP]])[:count]
    fresh[: len(even)] = np.maximum(even, odd[: len(even)])
    return np.concatenate([level, 2 * fresh], axis=1)


def listen(bands: Array) -> Heard:
    """Return what the networks hear in a song, averaged over them."""
    if not len(bands):
        return as_heard(np.zeros((0, len(HEADS)), np.float32))
    rows = seen(bands)
    networks = _networks()
    with ThreadPoolExecutor(2) as pool:
        heard = list(pool.map(lambda network: hear(network, rows), networks))
    return as_heard(np.asarray(np.mean(heard, axis=0), dtype=np.float32))


def as_heard(odds: Array) -> Heard:
    """Return log odds of shape (rows, heads) by name."""
    chance = likely(odds[:, 0])
    at = np.flatnonzero((chance == running_max(chance, 5)) & (chance > 0.05)) if len(chance) else np.zeros(0, int)
    near = running_max(odds, 3, axis=0) if len(odds) else odds
    return Heard(odds[:, 0], odds[:, 1], odds[:, 2:], np.asarray(near), at / RATE, chance[at])


BEAT, DOWNBEAT, KICK, SNARE, HAT, OTHER = range(len(HEADS))


def heard_at(heard: Heard, head: int, times_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the most, as log odds, that is heard of one of the HEADS within a row of each time."""
    if not len(heard.near):
        return np.full(len(times_s), -6.0)
    at = np.clip(np.round(times_s * RATE).astype(int), 0, len(heard.near) - 1)
    return np.asarray(heard.near[at, head], dtype=np.float64)


def likely(odds: NDArray[np.floating]) -> Array:
    """Return log odds, of any shape, as probabilities 0 to 1."""
    return np.asarray(1 / (1 + np.exp(-np.clip(odds, -30, 30))), dtype=np.float32)


Network = dict[str, Array]


def _networks() -> list[Network]:
    stored = load()
    count = 1 + max((int(name.split(".")[1]) for name in stored if name.startswith("front.")), default=-1)
    return [
        {name.split(".", 2)[2]: w.astype(np.float32) for name, w in stored.items() if name.startswith(f"front.{n}.")}
        for n in range(count)
    ]


def hear(network: Network, rows: Array) -> Array:
    """Return the network's log odds, shape (rows, heads). Convolutions have zeros beyond both ends, as in training."""
    x = _elu(_convolved(rows, network["in.weight"], network["in.bias"], 1))
    for number in range(sum(name.startswith("wide.") and name.endswith("weight") for name in network)):
        inner = _elu(_convolved(x, network[f"wide.{number}.weight"], network[f"wide.{number}.bias"], 2**number))
        x = x + inner @ network[f"mix.{number}.weight"][:, :, 0].T + network[f"mix.{number}.bias"]
    return np.asarray(_elu(x) @ network["out.weight"][:, :, 0].T + network["out.bias"])


def _convolved(x: Array, weight: Array, bias: Array, dilation: int) -> Array:
    """Return a convolution over time: x of shape (rows, in), weight of shape (out, in, taps)."""
    taps = weight.shape[2]
    reach = taps // 2 * dilation
    padded = np.pad(x, ((reach, reach), (0, 0)))
    wide = np.concatenate([padded[tap * dilation : tap * dilation + len(x)] for tap in range(taps)], axis=1)
    return np.asarray(wide @ weight.transpose(2, 1, 0).reshape(-1, len(weight)) + bias)


def _elu(x: Array) -> Array:
    return np.where(x > 0, x, np.expm1(np.minimum(x, 0)))
