"""Fit the weights of the rhythm reading on annotated songs, and say how well they do on songs left out.

Use: ./run bench fit --corpus DIR [--corpus DIR …] [--write]
Each DIR holds songs, each with a CSV of the same name: time_s,bar,beat. Folders named later weigh more
(1, 2, 4 …). With --write the weights go to src/tempik/rhythm/weights.json.
"""

from __future__ import annotations

import argparse
import json
import multiprocessing
from pathlib import Path
from typing import Any, NamedTuple

import mir_eval
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

import tempik.rhythm.bars as bars_module
from bench.beats import annotation, songs_of
from tempik.media import decode_sound
from tempik.rhythm.attack import fine_rise
from tempik.rhythm.beats import candidates_of
from tempik.rhythm.features import Listening, features, listening
from tempik.rhythm.records import SAMPLE_RATE
from tempik.rhythm.score import NAMES, describe
from tempik.rhythm.weights import WEIGHTS

Array = NDArray[np.float64]
_FOLDS = 6
# Three readings of the candidates are averaged, from few traits to all: steadier than any of them on songs left out.
_SUBSETS = (
    [i for i, n in enumerate(NAMES) if i < 15 or 27 <= i < 32],
    list(range(32)),
    list(range(len(NAMES))),
)


class Song(NamedTuple):
    name: str
    weight: float
    beats: Array
    numbers: NDArray[np.int64]
    found: Listening
    candidates: list[Array]
    scores: Array  # F of each candidate


class Choice(NamedTuple):
    """One song as a choice: a row of traits for each possibility, those that are right, and its weight."""

    rows: Array
    right: NDArray[np.int64]
    weight: float


def fit(choices: list[Choice], strength: float) -> Array:
    """Return the weights under which the right possibilities are likeliest (softmax), held near zero."""

    def loss(v: Array) -> tuple[float, Array]:
        total, slope = 0.5 * strength * float(v @ v), strength * v
        for rows, right, weight in choices:
            scores = rows @ v
            share = np.exp(scores - scores.max())
            share /= share.sum()
            mass = share[right].sum() + 1e-12
            wanted = np.zeros(len(share))
            wanted[right] = share[right] / mass
            total -= weight * float(np.log(mass))
            slope = slope - weight * (rows.T @ (wanted - share))
        return total, slope

    start = np.zeros(choices[0].rows.shape[1])
    return np.asarray(minimize(loss, start, jac=True, method="L-BFGS-B", options={"maxiter": 400}).x)


def read(task: tuple[Path, float]) -> Song | None:
    """Return a song with its candidates, or None where it has too few annotated beats."""
    path, weight = task
    beats, numbers = annotation(path.with_suffix(".csv"))
    samples = decode_sound(str(path), SAMPLE_RATE, mono=True).samples[:, 0]
    inside = beats < len(samples) / SAMPLE_RATE - 0.3
    beats, numbers = beats[inside], numbers[inside]
    if len(beats) < 24:
        return None
    found, rise = features(samples), fine_rise(samples)
    candidates, _ = candidates_of(found, rise)
    if not candidates:
        return None
    truth = mir_eval.beat.trim_beats(beats)
    scores = [mir_eval.beat.f_measure(truth, mir_eval.beat.trim_beats(np.sort(c))) for c in candidates]
    return Song(path.stem, weight, beats, numbers, listening(found), candidates, np.array(scores))


def bar_choice(song: Song) -> Choice | None:
    """Return the choice of bars on the song's true beats."""
    metre = int(song.numbers.max(initial=0))
    metre = 3 if metre == 6 else metre
    if metre not in bars_module.METRES or np.mean((song.numbers[1:] - 1) == song.numbers[:-1] % metre) < 0.97:
        return None
    phase = int(np.argmax(song.numbers == 1)) % metre
    right = np.array([i for i, r in enumerate(bars_module._READINGS) if r == (metre, phase)])
    return Choice(bars_module.describe(song.beats, song.found), right, song.weight)


def _candidate_rows(song: Song) -> Array:
    return np.array([describe(c, song.found)[0] for c in song.candidates])


def _averaged(choices: list[Choice], spread: Array) -> Array:
    out = np.zeros(len(NAMES))
    for subset in _SUBSETS:
        part = [Choice(c.rows[:, subset] / spread[subset], c.right, c.weight) for c in choices]
        out[subset] += fit(part, 5.0)
    return np.asarray(out / spread)


def main() -> None:
    parser = argparse.ArgumentParser(prog="./run bench fit", description=__doc__)
    parser.add_argument("--corpus", type=Path, action="append", required=True)
    parser.add_argument("--write", action="store_true")
    options = parser.parse_args()
    multiprocessing.set_start_method("fork")
    tasks = [(p, 2.0**i) for i, folder in enumerate(options.corpus) for p in songs_of(folder)]
    with multiprocessing.Pool(2) as pool:
        songs = [s for s in pool.imap(read, tasks, 4) if s is not None]
        fold = np.arange(len(songs)) % _FOLDS
        bar_choices = [bar_choice(s) for s in songs]
        known = [i for i, c in enumerate(bar_choices) if c is not None]

        def bars_but(left_out: int) -> Array:
            return fit([c for i in known if fold[i] != left_out and (c := bar_choices[i]) is not None], 3.0)

        hits: dict[float, list[bool]] = {}
        for k in range(_FOLDS):
            weights = bars_but(k)
            for i in known:
                choice = bar_choices[i]
                if fold[i] == k and choice is not None:
                    hits.setdefault(songs[i].weight, []).append(int(np.argmax(choice.rows @ weights)) in choice.right)
        print("bars right on songs left out:", {w: round(float(np.mean(h)), 3) for w, h in sorted(hits.items())})
        result: dict[str, Any] = {"bars": bars_but(-1)}
        WEIGHTS["bars"] = result["bars"]
    with multiprocessing.Pool(2) as pool:  # forked anew, so that they see the new bar weights
        rows = pool.map(_candidate_rows, songs, 4)
    spread = np.concatenate(rows).std(axis=0) + 1e-9
    choices = [
        Choice(r, np.flatnonzero(s.scores >= s.scores.max() - 0.03), s.weight) for r, s in zip(rows, songs, strict=True)
    ]
    usable = [i for i, s in enumerate(songs) if s.scores.max() > 0.6]
    picked: dict[float, list[float]] = {}
    for k in range(_FOLDS):
        weights = _averaged([choices[i] for i in usable if fold[i] != k], spread)
        for i in usable:
            if fold[i] == k:
                score = float(songs[i].scores[int(np.argmax(rows[i] @ weights))])
                picked.setdefault(songs[i].weight, []).append(score)
                if score < 0.85 and songs[i].weight == 2.0 ** (len(options.corpus) - 1):
                    print("   missed:", songs[i].name, round(score, 2), "of", round(float(songs[i].scores.max()), 2))
    print("F on songs left out:", {w: round(float(np.mean(p)), 3) for w, p in sorted(picked.items())})
    best = {w: np.mean([songs[i].scores.max() for i in usable if songs[i].weight == w]) for w in picked}
    print("F of the best candidates:", {w: round(float(b), 3) for w, b in sorted(best.items())})
    result["beats"] = _averaged([choices[i] for i in usable], spread)
    if options.write:
        path = Path(bars_module.__file__).with_name("weights.json")
        kept = json.loads(path.read_text())
        kept |= {name: [float(f"{x:.5g}") for x in values] for name, values in result.items()}
        path.write_text(json.dumps(kept, indent=1) + "\n")
        print("written to", path)


if __name__ == "__main__":
    main()
