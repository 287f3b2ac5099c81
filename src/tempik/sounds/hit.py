"""The hit of a sound: the instant that belongs on the beat. Of a sound with an attack it is the attack, of one that swells its
loudest instant."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float32]

# Sound that goes from a fifth of its loudest to nine tenths within this has an attack.
ATTACK_S = 0.045
BEGINS = 0.15  # of the attack's own height: where it begins
LOOKED_AT_S = 120.0  # of a long sound this much is looked through


def hit_of(samples: Samples, rate: int) -> float:
    """Return the hit of a sound in seconds; 0 for silence. `samples` has shape (count, channels)."""
    part = np.asarray(samples[: round(LOOKED_AT_S * rate)], np.float32)
    mono = np.abs(part).max(axis=1) if len(part) else np.zeros(0, np.float32)
    if not len(mono) or mono.max() < 1e-5:
        return 0.0
    hop = max(1, rate // 1000)
    hops = _rms(part, hop)
    smooth = np.convolve(hops, np.hanning(27) / np.hanning(27).sum(), "same")
    loud = int(smooth.argmax())
    rises = _rises(hops)
    attack = int(rises.argmax())
    # The loudest attack, unless the sound is far louder later without one.
    if rises[attack] > 0.35 * smooth[loud] and _is_sudden(hops, attack, rate / hop):
        return _begins(mono, attack * hop, rate) / rate
    return min(loud * hop + hop / 2, len(mono) - 1) / rate


def _rms(part: Samples, hop: int) -> NDArray[np.float64]:
    count = -(-len(part) // hop)
    padded = np.zeros((count * hop, part.shape[1]))
    padded[: len(part)] = part
    return np.asarray(np.sqrt(np.square(padded).mean(axis=1).reshape(count, hop).mean(axis=1)))


def _rises(hops: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return by how much what follows each hop, for 12 ms, is louder than what was before it."""
    span = 12
    sums = np.concatenate([np.zeros(span + 1), np.cumsum(hops), np.full(span, hops.sum())])
    at = np.arange(span, span + len(hops))
    after, before = sums[at + span] - sums[at], sums[at] - sums[at - span]
    return np.asarray((after - before) / span)


def _is_sudden(hops: NDArray[np.float64], attack: int, per_s: float) -> bool:
    top = hops[attack : attack + 25].max(initial=0.0)
    reach = round(ATTACK_S * per_s)
    before = hops[max(0, attack - reach) : max(1, attack - 2)]
    return attack < reach // 2 or float(np.median(before)) < 0.35 * top


def _begins(mono: Samples, near: int, rate: int) -> int:
    """Return the sample at which the attack near one begins."""
    first = max(0, near - rate // 80)
    part = mono[first : near + rate // 50]
    before = float(mono[max(0, first - rate // 50) : first].max(initial=0.0))
    top = float(part.max())
    return first + int(np.argmax(part >= before + BEGINS * (top - before)))
