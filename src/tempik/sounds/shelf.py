"""The shelf of sounds: every sound there is by name, made when it is first asked for, the same each time."""

from __future__ import annotations

import hashlib
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.cached import cached_within
from tempik.errors import TempikError
from tempik.sounds.air import AIR
from tempik.sounds.kind import SoundKind
from tempik.sounds.machines import MACHINES
from tempik.sounds.shaping import finished
from tempik.sounds.struck import STRUCK

SHELF: dict[str, SoundKind] = {kind.name: kind for kind in (*AIR, *STRUCK, *MACHINES)}
MOST_BYTES = 96 << 20
LEAST_S, MOST_S = 0.05, 20.0


class Take(NamedTuple):
    """A sound as it is heard: stereo samples at 48 kHz, shape (count, 2), and its hit in samples from the first."""

    samples: NDArray[np.float32]
    hit: int


def sound_named(name: str) -> SoundKind:
    """Return a sound by its name. Raises TempikError, which says what there is, when there is none."""
    found = SHELF.get(name)
    if found is None:
        raise TempikError(f"There is no sound '{name}' on the shelf; choose from {', '.join(sorted(SHELF))}.")
    return found


def take_of(name: str, length_s: float = 0.0) -> Take:
    """Return a sound of the shelf, its own length or, where it can be stretched, one whose hit comes `length_s` after it
    begins, or that falls for so long. It is drawn from its name, so that it is the same wherever it is made."""
    kind = sound_named(name)
    length_s = min(max(length_s, LEAST_S), MOST_S) if length_s and kind.stretches else kind.length_s
    return _made(name, round(length_s * 1000))


def is_made(name: str) -> bool:
    """Tell whether a sound was made already, and is there at once."""
    return name in _ONCE_MADE


_ONCE_MADE: set[str] = set()


@cached_within(MOST_BYTES, lambda take: take.samples.nbytes)
def _made(name: str, length_ms: int) -> Take:
    kind = SHELF[name]
    seed = int.from_bytes(hashlib.blake2b(name.encode(), digest_size=8).digest())
    made = kind.make(np.random.default_rng(seed), length_ms / 1000)
    samples = finished(made.wave)
    samples.setflags(write=False)
    _ONCE_MADE.add(name)
    return Take(samples, min(round(made.hit_s * 48000), len(samples) - 1))
