"""Make the music, train every network of the rhythm analysis on it, and say how well the result does on what was kept
back. The same seeds give the same weights.

Use: ./run bench fit [--work DIR] [--corpus DIR …] [--stage STAGE] [--of-each N]
Annotated songs of the folders given are learnt from beside the made music. Of every kind of material a third is closed:
no weight is chosen by it.
Stages: music, front, choice; all by default. `tune` trains the front ends in use a little further instead of new ones;
`bars` is the bars, the choice and the belief by the front ends in use, `ranker` the choice and the belief alone, `kinds` the onsets' kinds
alone. What was made is kept in --work (build/fit).
"""

from __future__ import annotations

import argparse
import json
import os
import time
import zlib
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bench.music import making
from bench.music.annotated import songs_of
from bench.studied import FOLDS, Studied, studied
from tempik.rhythm import bars as bars_module
from tempik.rhythm import belief
from tempik.rhythm import weights as weights_module
from tempik.rhythm.belief import told_of
from tempik.rhythm.candidates import candidates
from tempik.rhythm.features import listening
from tempik.rhythm.front import Heard, as_heard, hear, likely, seen
from tempik.rhythm.onsets import agreed, places_of, traits
from tempik.rhythm.score import alike, describe_all

Rows = NDArray[np.float64]
WEIGHTS = Path(weights_module.__file__).with_name("weights.npz")
EPOCHS, EPOCHS_TUNED = 18, 4
STRETCHES = 5
BARS_EPOCHS, BARS_DECAY = 20, 0.05


class Described:
    """A piece as choices: bars on its true beats, candidates with how right each is, places with the onsets' kinds."""

    def __init__(self, piece: Studied) -> None:
        self.name, self.group, self.closed, self.fold = piece.name, piece.group, piece.closed, piece.fold
        self.weight, self.loose = piece.weight, piece.loose
        self.bars: list[tuple[Rows, int]] = []  # the piece whole, then stretches of it: rows, and which is right
        self.choice: Rows | None = None
        self.scores: Rows = np.empty(0)
        self.alike: NDArray[np.bool_] = np.empty(0, dtype=bool)
        self.told: Rows = np.empty(0)
        self.best = 0.0
        self.kinds: Rows | None = None
        self.kinds_right: NDArray[np.int64] = np.empty(0, dtype=np.int64)
        self.heard_nothing = not len(piece.beats)


def main() -> None:
    parser = argparse.ArgumentParser(prog="./run bench fit", description=__doc__)
    parser.add_argument("--corpus", type=Path, action="append", default=[])
    parser.add_argument("--work", type=Path, default=Path("build/fit"))
    parser.add_argument(
        "--stage", choices=["all", "music", "front", "tune", "choice", "bars", "ranker", "kinds"], default="all"
    )
    parser.add_argument("--of-each", type=int, default=10_000, help="make and take the first N of each family only")
    options = parser.parse_args()
    os.environ["OMP_NUM_THREADS"] = "1"
    began = time.time()
    folder: Path = options.work
    corpora: list[Path] = options.corpus
    print("annotated songs from:", *corpora, flush=True)
    if options.stage in ("all", "music"):
        print(f"made {making.make_all(folder, options.of_each)} pieces, {time.time() - began:.0f} s", flush=True)
    tasks: list[Any] = [(folder, f, n) for f, n in making.wanted(options.of_each)]
    tasks += [(folder, path, 3.0 if "recorded" not in str(path) else 2.0) for c in corpora for path in songs_of(c)]
    if options.stage in ("all", "front", "tune"):
        _fit_front(tasks, folder, began, options.stage == "tune")
    if options.stage in ("all", "choice", "bars", "ranker"):
        _fit_choice(tasks, folder, began, options.stage)
    if options.stage == "kinds":
        _fit_kinds_alone(tasks, began)
    print(f"done after {time.time() - began:.0f} s", flush=True)


def _lesson(task: Any) -> Any:
    from bench.front import lesson

    piece = studied(task)
    if piece is None:
        return None
    # Agreed beats are no lesson in where beats lie to the frame, but in which they are.
    made = lesson(piece.features.bands, piece.beats, piece.numbers, piece.onsets, piece.weight)
    return made, piece.closed, piece.fold


def _fit_front(tasks: list[Any], folder: Path, began: float, tune: bool) -> None:
    # The plain family is for the choice and the bars: the front end hears such music well enough.
    tasks = [t for t in tasks if t[1] != "plain"]
    with Pool(2) as pool:
        lessons = [r for r in pool.imap(_lesson, tasks, 8) if r is not None]
    print(f"{len(lessons)} lessons, {time.time() - began:.0f} s", flush=True)
    global _LESSONS, _BEFORE
    _LESSONS, _BEFORE = lessons, _in_use() if tune else []
    with Pool(FOLDS) as pool:
        networks = pool.map(_train_fold, range(FOLDS), 1)
    for fold, network in enumerate(networks):
        np.savez(folder / f"front{fold}.npz", **network)  # type: ignore[arg-type]
    print(f"front end trained, {time.time() - began:.0f} s", flush=True)


_LESSONS: list[Any] = []
_BEFORE: list[dict[str, NDArray[np.float32]]] = []


def _in_use() -> list[dict[str, NDArray[np.float32]]]:
    with np.load(WEIGHTS) as kept:
        names = [f"front.{fold}." for fold in range(FOLDS)]
        return [{k.removeprefix(n): kept[k] for k in kept.files if k.startswith(n)} for n in names]


def _train_fold(fold: int) -> dict[str, NDArray[Any]]:
    from bench.front import train

    lessons = [made for made, closed, of in _LESSONS if not closed and of != fold]
    if _BEFORE:
        return train(lessons, 20 + fold, EPOCHS_TUNED, f"{fold}", _BEFORE[fold])
    return train(lessons, 10 + fold, EPOCHS, f"{fold}")


def _fronts(folder: Path) -> list[dict[str, NDArray[np.float32]]]:
    out = []
    for fold in range(FOLDS):
        with np.load(folder / f"front{fold}.npz") as kept:
            out.append({k: kept[k].astype(np.float32) for k in kept.files})
    return out


_NETWORKS: list[dict[str, NDArray[np.float32]]] = []


def heard_of(piece: Studied) -> Heard:
    """Return what the front end hears: of an open piece the network that has not seen it, of a closed one all."""
    rows = seen(piece.features.bands)
    nets = _NETWORKS if piece.closed else [_NETWORKS[piece.fold]]
    return as_heard(np.mean([hear(n, rows) for n in nets], axis=0))


def _bars_and_kinds(task: Any) -> Described | None:
    piece = studied(task)
    if piece is None:
        return None
    out, heard = Described(piece), heard_of(piece)
    _describe_bars(piece, heard, out)
    if piece.onsets:
        places = places_of(piece.power, piece.rise)
        if len(places.times_s):
            out.kinds = traits(places, piece.features, heard).astype(np.float32)
            out.kinds_right = kinds_at(places.times_s, piece.onsets)
    return out


def kinds_at(times: Rows, onsets: list[tuple[float, str]]) -> NDArray[np.int64]:
    """Return for each place the number of the kind of the onset within 25 ms, 4 where there is none; an onset has one."""
    out = np.full(len(times), 4, dtype=np.int64)
    truth = np.array([t for t, _ in onsets])
    names = ("kick", "snare", "hat", "other")
    taken: set[int] = set()
    off = np.abs(truth[:, None] - times[None])
    for n, k in sorted(
        ((int(i), int(j)) for i, j in zip(*np.nonzero(off <= 0.025), strict=True)), key=lambda p: off[p]
    ):
        if n not in taken and out[k] == 4:
            out[k] = names.index(onsets[n][1])
            taken.add(n)
    return out


def _describe_bars(piece: Studied, heard: Heard, out: Described) -> None:
    numbers = piece.numbers
    metre = int(numbers.max(initial=0))
    if metre not in bars_module.METRES or len(numbers) < 16 or piece.group.startswith("joined"):
        return
    if np.mean((numbers[1:] - 1) == numbers[:-1] % metre) < 0.98:
        return
    # Songs are cut anywhere: stretches that begin on any beat are learnt from beside the whole.
    rng = np.random.default_rng(zlib.crc32(piece.name.encode()))
    stretches = [(0, len(numbers))]
    for _ in range(STRETCHES):
        length = int(np.exp(rng.uniform(np.log(16), np.log(len(numbers) + 0.5))))
        start = int(rng.integers(0, len(numbers) - length + 1))
        stretches.append((start, start + length))
    found = listening(piece.features)
    for start, end in stretches:
        phase = int(np.argmax(numbers[start:end] == 1)) % metre
        rows = bars_module.describe(piece.beats[start:end], found, heard)
        out.bars.append((rows.astype(np.float32), bars_module.READINGS.index((metre, phase))))


def f_measure(truth: Rows, beats: Rows) -> float:
    """Return the F-measure at 70 ms without the first five seconds, as mir_eval does for beats further apart than twice
    that, and many times faster."""
    cut = 5.0 if len(truth) and truth[-1] > 14 else 0.0
    truth, beats = truth[truth >= cut], beats[beats >= cut]
    if not len(truth) or not len(beats):
        return 0.0
    after = np.searchsorted(beats, truth)
    right = np.abs(beats[np.minimum(after, len(beats) - 1)] - truth)
    left = np.abs(beats[np.maximum(after - 1, 0)] - truth)
    return float(2 * (np.minimum(left, right) <= 0.07).sum() / (len(truth) + len(beats)))


def _describe_choice(task: Any) -> Described | None:
    piece = studied(task)
    if piece is None:
        return None
    out = Described(piece)
    heard = heard_of(piece)
    among = candidates(piece.features, likely(heard.beat), piece.rise)
    last = piece.beats[-1] + 1e-3 if len(piece.beats) else 0.0
    first = piece.beats[0] - 1e-3 if len(piece.beats) else 0.0
    if among and len(piece.beats):
        # Beats before the first and after the last that is known are neither right nor wrong.
        margin = 0.6 * float(np.median(np.diff(piece.beats)))
        out.best = max(
            f_measure(piece.beats, c.beats_s[(c.beats_s > first - margin) & (c.beats_s < last + margin)]) for c in among
        )
    rows, kept, bars = describe_all(among, listening(piece.features), heard)
    if kept:
        out.choice = rows.astype(np.float32)
        if len(piece.beats):
            out.scores = np.array(
                [
                    f_measure(piece.beats, c.beats_s[(c.beats_s > first - margin) & (c.beats_s < last + margin)])
                    for c in kept
                ]
            )
        out.alike = np.array([[alike(a.beats_s, b.beats_s) for b in kept] for a in kept])
        out.told = np.array([told_of(c, b, piece.features, heard) for c, b in zip(kept, bars, strict=True)])
    return out


def _fit_choice(tasks: list[Any], folder: Path, began: float, stage: str) -> None:
    from bench import learn

    global _NETWORKS
    _NETWORKS = _in_use() if stage in ("bars", "ranker") else _fronts(folder)
    stored: dict[str, NDArray[np.generic]] = {}
    for fold, network in enumerate(_NETWORKS):
        stored |= {f"front.{fold}.{k}": v.astype(np.float16) for k, v in network.items()}
    report: dict[str, Any] = {}
    if stage in ("bars", "ranker"):
        with np.load(WEIGHTS) as before:
            stored |= {k: before[k] for k in before.files if k.startswith(("bars.", "kinds."))}
    if stage != "ranker":
        with Pool(2) as pool:
            pieces = [d for d in pool.imap(_bars_and_kinds, tasks, 8) if d is not None]
        print(f"bars and kinds described, {time.time() - began:.0f} s", flush=True)
        stored |= _named("bars", _fit_bars(pieces, report, learn))
        if stage != "bars":
            stored |= _named("kinds", _fit_kinds(pieces, report, learn))
        print(json.dumps(report, indent=1), f"\nbars and kinds fitted, {time.time() - began:.0f} s", flush=True)
    # The workers that are forked now go by these; the file is written when everything is there.
    in_use = weights_module.load()
    in_use.clear()
    in_use.update(stored)
    with Pool(2) as pool:
        pieces = [d for d in pool.imap(_describe_choice, tasks, 8) if d is not None]
    print(f"candidates described, {time.time() - began:.0f} s", flush=True)
    import pickle

    (folder / "choices.pickle").write_bytes(pickle.dumps(pieces))
    stored |= fit_ranker(pieces, report)
    np.savez(WEIGHTS, **stored)  # type: ignore[arg-type]
    (folder / "report.json").write_text(json.dumps(report, indent=1))
    print(json.dumps(report, indent=1))
    print(f"written to {WEIGHTS}, {WEIGHTS.stat().st_size / 1e6:.2f} MB", flush=True)


def _fit_kinds_alone(tasks: list[Any], began: float) -> None:
    """Fit the kinds of onsets on what the front ends in use hear; all other weights stay as they are."""
    from bench import learn

    global _NETWORKS
    _NETWORKS = _in_use()
    report: dict[str, Any] = {}
    with Pool(2) as pool:
        pieces = [d for d in pool.imap(_bars_and_kinds, tasks, 8) if d is not None]
    print(f"kinds described, {time.time() - began:.0f} s", flush=True)
    with np.load(WEIGHTS) as before:
        stored: dict[str, NDArray[np.generic]] = {k: before[k] for k in before.files if not k.startswith("kinds.")}
    stored |= _named("kinds", _fit_kinds(pieces, report, learn))
    np.savez(WEIGHTS, **stored)  # type: ignore[arg-type]
    print(json.dumps(report, indent=1))


def _named(name: str, arrays: dict[str, NDArray[np.float32]]) -> dict[str, NDArray[np.generic]]:
    return {f"{name}.{k}": (v if k in ("centre", "spread") else v.astype(np.float16)) for k, v in arrays.items()}


def _guessed(arrays: dict[str, NDArray[np.float32]], rows: Rows) -> Rows:
    x = np.clip((rows - arrays["centre"]) / arrays["spread"], -4, 4)
    out = []
    for n in range(len(arrays["w0"])):
        hidden = np.maximum(x @ arrays["w0"][n] + arrays["b0"][n], 0)
        hidden = np.maximum(hidden @ arrays["w1"][n] + arrays["b1"][n], 0)
        out.append(hidden @ arrays["w2"][n] + arrays["b2"][n])
    return np.asarray(np.mean(out, axis=0))


def source_of(piece: Described) -> str:
    """Return which kind of material a piece is, for the report."""
    return piece.name.split("/")[0] if "/" in piece.name else piece.name.split()[0]


def _fit_bars(pieces: list[Described], report: dict[str, Any], learn: Any) -> dict[str, NDArray[np.float32]]:
    known = [p for p in pieces if p.bars]

    def choices(of: list[Described]) -> list[Any]:
        out = []
        for p in of:
            for rows, one in p.bars:
                right = np.zeros(len(rows))
                right[one] = 1
                out.append(learn.PointChoice(rows, right, p.weight / len(p.bars)))
        return out

    arrays: dict[str, NDArray[np.float32]] = learn.by_ranking(
        choices([p for p in known if not p.closed]), (32, 16), 3, BARS_EPOCHS, BARS_DECAY
    )
    hits: dict[str, list[bool]] = {}
    for p in known:
        for n, (rows, one) in enumerate(p.bars):
            hit = int(np.argmax(_guessed(arrays, rows)[:, 0])) == one
            name = f"{source_of(p)} {'closed' if p.closed else 'open'} {'stretches' if n else 'whole'}"
            hits.setdefault(name, []).append(hit)
    report["bars right on true beats"] = {k: [round(float(np.mean(v)), 3), len(v)] for k, v in sorted(hits.items())}
    return arrays


def _fit_kinds(pieces: list[Described], report: dict[str, Any], learn: Any) -> dict[str, NDArray[np.float32]]:
    known = [p for p in pieces if p.kinds is not None]
    rng = np.random.default_rng(5)
    rows, right, weight = [], [], []
    for p in known:
        if p.closed or p.kinds is None:
            continue
        picked = rng.permutation(len(p.kinds))[:400]
        rows.append(p.kinds[picked])
        right.append(p.kinds_right[picked])
        weight.append(np.full(len(picked), 0.3 if p.name.startswith("bare") else 1.0))
    arrays: dict[str, NDArray[np.float32]] = learn.by_kind(
        np.concatenate(rows).astype(np.float64), np.concatenate(right), np.concatenate(weight), 5, (96, 48), 2, 12
    )
    hits: dict[str, list[float]] = {}
    for p in known:
        if p.closed and p.kinds is not None:
            odds = _guessed(arrays, p.kinds)
            share = np.exp(odds - odds.max(axis=1, keepdims=True))
            share /= share.sum(axis=1, keepdims=True)
            sure = share[:, 4] < 0.5
            true = p.kinds_right[sure] < 4
            if true.any():
                message = agreed(p.kinds[sure].astype(np.float64), odds[sure], share[sure]).argmax(axis=1)
                hits.setdefault(source_of(p), []).append(float((message == p.kinds_right[sure])[true].mean()))
    report["kinds right on closed pieces, where an onset was found"] = {
        k: round(float(np.mean(v)), 3) for k, v in sorted(hits.items())
    }
    return arrays


def fit_ranker(pieces: list[Described], report: dict[str, Any]) -> dict[str, NDArray[np.generic]]:
    """Fit the choice and the belief in it; the belief on pieces that the choice was not fitted on."""
    from bench import learn

    known = [p for p in pieces if p.choice is not None and len(p.scores) and p.scores.max() > 0.75]

    def choices(of: list[Described]) -> list[Any]:
        return [
            learn.PointChoice(np.asarray(p.choice), (p.scores >= p.scores.max() - 0.03).astype(float), p.weight)
            for p in of
        ]

    opened = [p for p in known if not p.closed]
    arrays = learn.by_ranking(choices(opened), (48, 24), 5, 40)
    out = _named("choice", arrays)
    picked: dict[str, list[tuple[float, float]]] = {}
    wrong = []
    for p in pieces:
        if p.choice is None or not len(p.scores):
            continue
        got = float(p.scores[int(np.argmax(_guessed(arrays, p.choice)[:, 0]))])
        picked.setdefault(f"{source_of(p)} {'closed' if p.closed else 'open'}", []).append((got, p.best))
        if got < 0.9 and p.closed:
            wrong.append(f"{p.name} ({p.group}) {got:.2f} of {p.scores.max():.2f}, {p.best:.2f}")
    report["choice: mean F, F of the best, share above 0.9, pieces"] = {
        k: [
            round(float(np.mean([a for a, _ in v])), 3),
            round(float(np.mean([b for _, b in v])), 3),
            round(float(np.mean([a > 0.9 for a, _ in v])), 3),
            len(v),
        ]
        for k, v in sorted(picked.items())
    }
    report["closed pieces read wrong"] = wrong
    return out | _fit_belief(pieces, choices, arrays, report)


def _evidence(piece: Described, score: Rows) -> tuple[Rows, int]:
    """Return what the belief in a piece's best candidate goes by, and what is true of it."""
    order = np.argsort(-score)
    row = belief.evidence(score[order], piece.alike[order[0]][order], piece.told[order[0]])
    if piece.heard_nothing:
        return row, belief.NOTHING
    return row, belief.RIGHT if piece.scores[order[0]] > 0.9 else belief.WRONG


def _fit_belief(
    pieces: list[Described], choices: Any, final: Any, report: dict[str, Any]
) -> dict[str, NDArray[np.generic]]:
    """Fit the belief on what rankers say of open pieces that they were not fitted on."""
    from bench import learn

    usable = [p for p in pieces if p.choice is not None and len(p.told)]
    rows, truth = [], []
    for fold in range(FOLDS):
        fitted = [p for p in usable if not p.closed and p.fold != fold and len(p.scores) and p.scores.max() > 0.75]
        part = learn.by_ranking(choices(fitted), (48, 24), 2, 40)
        for p in usable:
            if not p.closed and p.fold == fold:
                row, right = _evidence(p, _guessed(part, np.asarray(p.choice))[:, 0])
                rows.append(row)
                truth.append(right)
    arrays = learn.by_kind(np.array(rows), np.array(truth), np.ones(len(rows)), 3, (16, 8), 3, 60)
    message: list[tuple[float, bool]] = []
    nothing: dict[str, list[bool]] = {}
    for p in usable:
        if not p.closed:
            continue
        row, right = _evidence(p, _guessed(final, np.asarray(p.choice))[:, 0])
        odds = _guessed(arrays, row[None])[0]
        share = np.exp(odds - odds.max())
        share /= share.sum()
        nothing.setdefault("no beat" if p.heard_nothing else "a beat", []).append(
            bool(share[belief.NOTHING] > belief.NO_BEAT)
        )
        if not p.heard_nothing:
            message.append((float(share[belief.RIGHT]), right == belief.RIGHT))
    table = {}
    for low, high in ((0, 0.4), (0.4, 0.6), (0.6, 0.85), (0.85, 0.95), (0.95, 1.01)):
        inside = [hit for share_of, hit in message if low <= share_of < high]
        if inside:
            table[f"{low:.2f}-{min(high, 1.0):.2f}"] = [round(float(np.mean(inside)), 3), len(inside)]
    report["belief on closed pieces: share right, pieces"] = table
    report["read as having no beat, closed pieces"] = {
        k: [round(float(np.mean(v)), 3), len(v)] for k, v in nothing.items()
    }
    return _named("belief", arrays)


if __name__ == "__main__":
    main()
