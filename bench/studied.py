"""What the fit knows of each piece: its features, kept in a folder, its truth, and how it is split."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from bench.music.annotated import song_piece
from bench.music.corpus import Piece, kept_piece
from tempik.rhythm.attack import attacks_near, fine_power, fine_rise
from tempik.rhythm.features import Features, features

Times = NDArray[np.float64]
FOLDS = 3
VERSION = 1


class Studied(NamedTuple):
    """A piece without its sound: what is heard of it and what is true of it. `loose`: its times are good to 30 ms."""

    name: str
    group: str
    closed: bool
    fold: int
    weight: float
    loose: bool
    beats: Times
    numbers: NDArray[np.int64]
    onsets: list[tuple[float, str]]
    features: Features
    rise: NDArray[np.float32]
    power: NDArray[np.float32]


def fold_of(name: str) -> int:
    return hashlib.blake2b(f"fold {name}".encode()).digest()[0] % FOLDS


def studied(task: tuple[Path, str, int] | tuple[Path, Path, float]) -> Studied | None:
    """Return what is known of a made piece (folder, family, number) or of an annotated song (folder, path, weight)."""
    folder, what, how = task
    made: Piece | None
    if isinstance(what, Path):
        made, weight = song_piece(what), float(how)
    else:
        made, weight = kept_piece(folder, what, int(how)), 1.0
    if made is None:
        return None
    name = folder / f"{made.name.replace('/', '-').replace(' ', '-')}.heard{VERSION}.npz"
    if name.exists():
        with np.load(name) as kept:
            found = Features(*(kept[f] for f in Features._fields))
            rise, power = kept["rise"], kept["power"]
    else:
        found = features(made.samples)
        rise, power = fine_rise(made.samples), fine_power(made.samples)
        np.savez(name, rise=rise, power=power, **found._asdict())
    loose = "recorded" in made.name
    beats = made.beats
    if loose and len(beats):
        # Agreed beats lie a little off, all by as much: what matters is which attacks they mean.
        near, weight_of = attacks_near(rise, beats, 0.05)
        strong = weight_of > np.median(weight_of)
        beats = beats + float(np.median((near - beats)[strong])) if strong.any() else beats
    alone = made.name if made.group.split()[0] in ("bare", "plain", "free", "joined") else made.group
    return Studied(
        made.name, made.group, made.closed, fold_of(alone), weight, loose, beats, made.numbers, list(made.onsets), found, rise, power
    )  # fmt: skip
