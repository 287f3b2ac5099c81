"""The pieces that the rhythm analysis is fitted on: which there are, made from their seeds, kept in a folder.

A piece is known by its family and number; the same number is always the same piece. Every third pattern and style is
*closed*: it takes no part in fitting or choosing, and says in the end how well the result does on music never seen.
"""

from __future__ import annotations

import hashlib
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from bench.music import mix
from bench.music.free import free
from bench.music.grooves import GROOVES
from bench.music.patterns import PLAIN, band, bare, between
from bench.music.score import Heard, Score
from bench.music.sounds import Rng
from bench.music.styles import styled, styles
from tempik.rhythm.records import SAMPLE_RATE

FAMILIES = {"bare": 700, "bands": 900, "styles": 800, "free": 160, "joined": 160, "plain": 900, "between": 450}
VERSION = 1


class Piece(NamedTuple):
    """A piece that sounds: mono samples, beats and their places in the bar (0: unknown), attacks and their kinds."""

    name: str
    group: str  # what is split by: a groove, a style, a kind of bare piece
    closed: bool
    samples: NDArray[np.float32]
    beats: NDArray[np.float64]
    numbers: NDArray[np.int64]
    onsets: list[tuple[float, Heard]]
    steady: bool


def is_closed(group: str) -> bool:
    """Return whether a group of pieces is kept back. By its name's hash, so that no new group moves another."""
    return hashlib.blake2b(group.encode()).digest()[0] % 3 == 0


def piece(family: str, number: int) -> Piece | None:
    """Return a piece of a family, or None where its style has nothing to play."""
    seed = int.from_bytes(hashlib.blake2b(f"{family} {number} {VERSION}".encode(), digest_size=8).digest(), "big")
    rng = np.random.default_rng(seed)
    score: Score | None
    if family == "free":
        score, sound = free(rng)
        sound = sounded(score, rng, 0.5, 1.0) if sound is None else mix.mastered(sound, rng)
        return Piece(
            f"free {number}",
            f"free {number % 3}",
            number % 3 == 0,
            sound,
            score.beats,
            score.numbers,
            score.onsets(),
            False,
        )
    if family == "joined":
        return _joined(rng, number)
    if family == "bare":
        score, group = bare(rng), f"bare {number % 3}"
    elif family == "plain":
        score, group = bare(rng, PLAIN), f"plain {number % 3}"
    elif family == "between":
        score, group = between(rng), f"between {number % 3}"
    elif family == "bands":
        groove = GROOVES[number % len(GROOVES)]
        score, group = band(rng, groove), f"bands {groove.name}"
    else:
        style = styles()[number % len(styles())]
        score, group = styled(rng, style), f"styles {style.name.split('/')[1]}"
    if score is None or len(score.beats) < 8:
        return None
    simple = family in ("bare", "plain", "between")
    sound = sounded(score, rng, 0.7 if simple else 0.35 if family == "bands" else 0.2, 0.35 if simple else 1.0)
    inside = score.beats < len(sound) / SAMPLE_RATE - 0.05
    closed = number % 3 == 0 if simple else is_closed(group)
    return Piece(
        f"{family} {number}",
        group,
        closed,
        sound,
        score.beats[inside],
        score.numbers[inside],
        score.onsets(),
        score.steady,
    )


def _joined(rng: Rng, number: int) -> Piece | None:
    """Return two pieces one after the other, at times with silence or talk between or a free beginning."""
    closed = number % 3 == 0
    parts: list[Piece] = []
    while len(parts) < 2:
        family = "free" if not parts and rng.random() < 0.25 else str(rng.choice(["bands", "styles"]))
        made = piece(family, int(rng.integers(0, 100_000)))
        if made is not None and made.closed == closed:
            parts.append(made)
    gap_s = float(rng.choice([0.0, rng.uniform(0.2, 3), rng.uniform(3, 25)], p=[0.6, 0.3, 0.1]))
    first_s = float(rng.uniform(9, 20))
    a, b = parts
    first = a.samples[: int(first_s * SAMPLE_RATE)]
    offset = len(first) / SAMPLE_RATE + gap_s
    samples = np.concatenate([first, np.zeros(int(gap_s * SAMPLE_RATE), np.float32), b.samples])[: 42 * SAMPLE_RATE]
    keep = a.beats < first_s - 0.02
    beats, numbers = np.concatenate([a.beats[keep], b.beats + offset]), np.concatenate([a.numbers[keep], b.numbers])
    inside = beats < len(samples) / SAMPLE_RATE - 0.05
    onsets = [o for o in a.onsets if o[0] < first_s - 0.02] + [(t + offset, k) for t, k in b.onsets]
    onsets = [o for o in onsets if o[0] < len(samples) / SAMPLE_RATE]
    return Piece(
        f"joined {number}", f"joined {number % 3}", closed, samples, beats[inside], numbers[inside], onsets, False
    )


def sounded(score: Score, rng: Rng, font_less: float, rough: float) -> NDArray[np.float32]:
    """Return a score's sound: by our own voices, by a sound font, or drums by one and the rest by the other."""
    font = mix.FONTS[int(rng.integers(2))]
    count = int(score.length_s * SAMPLE_RATE)
    drums, rest = _halves(score)
    if rng.random() < font_less:
        sound = mix.mixed(mix.own_sound(score, rng), score.gains, rng)
    elif rng.random() < 0.3 and drums.notes and rest.notes:
        own = mix.mixed(mix.own_sound(drums, rng), score.gains, rng)
        played = np.resize(np.append(mix.font_sound(rest, font), np.zeros(count, np.float32)), count)
        sound = own / (np.abs(own).max() + 1e-9) + rng.uniform(0.3, 1.2) * played / (np.abs(played).max() + 1e-9)
    else:
        sound = np.resize(np.append(mix.font_sound(score, font), np.zeros(count, np.float32)), count)
    return mix.mastered(np.asarray(sound, dtype=np.float32), rng, rough)


def _halves(score: Score) -> tuple[Score, Score]:
    out = []
    for drums in (True, False):
        notes = [n for n in score.notes if (n.part in score.drums) == drums]
        out.append(replace(score, notes=notes))
    return out[0], out[1]


def kept_piece(folder: Path, family: str, number: int) -> Piece | None:
    """Return a piece from the folder where it was kept, made first where it was not."""
    name = folder / f"{family}-{number}.v{VERSION}.npz"
    if not name.exists():
        made = piece(family, number)
        if made is None:
            return None
        onsets = np.array([(t, ("kick", "snare", "hat", "other").index(k)) for t, k in made.onsets]).reshape(-1, 2)
        samples = np.round(made.samples * 32767).astype(np.int16)
        np.savez(name, samples=samples, beats=made.beats, numbers=made.numbers, onsets=onsets,
            facts=np.array([made.group, str(int(made.closed)), str(int(made.steady))]))  # fmt: skip
    with np.load(name) as kept:
        group, closed, steady = (str(f) for f in kept["facts"])
        kinds: tuple[Heard, ...] = ("kick", "snare", "hat", "other")
        return Piece(
            f"{family} {number}", group, closed == "1", kept["samples"].astype(np.float32) / 32767, kept["beats"],
            kept["numbers"], [(float(t), kinds[int(k)]) for t, k in kept["onsets"]], steady == "1",
        )  # fmt: skip
