"""Score the onsets and their kinds on made mixes of closed styles and grooves, which nothing was fitted on.

Use: ./run bench onsets [--count N]
Attacks count as found within 25 ms, one for one (mir_eval); a kind is right where the attack is found and called what
the notes say. Pieces have numbers beyond those of the fit.
"""

from __future__ import annotations

import argparse
from multiprocessing import Pool
from typing import NamedTuple

import mir_eval
import numpy as np

from bench.music.corpus import piece
from tempik.rhythm.points import analyse_samples

_FIRST = 100_000


class Row(NamedTuple):
    family: str
    f: float
    precision: float
    recall: float
    kinds: float
    by_kind: dict[str, tuple[int, int]]


def _read(task: tuple[str, int]) -> Row | None:
    made = piece(*task)
    if made is None or not made.closed or len(made.onsets) < 20:
        return None
    found = analyse_samples(made.samples).onsets
    truth, times = np.array([t for t, _ in made.onsets]), np.array([o.time_s for o in found])
    f, precision, recall = mir_eval.onset.f_measure(truth, times, window=0.025)
    pairs = mir_eval.util.match_events(truth, times, 0.025)
    right: dict[str, tuple[int, int]] = {}
    for i, j in pairs:
        kind = made.onsets[i][1]
        hit, of = right.get(kind, (0, 0))
        right[kind] = (hit + (found[j].band == kind), of + 1)
    hits = sum(h for h, _ in right.values())
    return Row(task[0], f, precision, recall, hits / max(1, len(pairs)), right)


def main() -> None:
    parser = argparse.ArgumentParser(prog="./run bench onsets", description=__doc__)
    parser.add_argument("--count", type=int, default=150, help="pieces of each family to look at (a third is closed)")
    options = parser.parse_args()
    tasks = [(family, _FIRST + n) for n in range(options.count) for family in ("bands", "styles")]
    with Pool(2) as pool:
        rows = [r for r in pool.map(_read, tasks, 4) if r is not None]
    for family in ("bands", "styles"):
        of = [r for r in rows if r.family == family]
        if not of:
            continue
        print(
            f"{family:7} {len(of):3} mixes: onset F {np.mean([r.f for r in of]):.3f} (precision {np.mean([r.precision for r in of]):.3f},"
            f" recall {np.mean([r.recall for r in of]):.3f}), kinds right {np.mean([r.kinds for r in of]):.3f}"
        )
    for kind in ("kick", "snare", "hat", "other"):
        hits = [r.by_kind.get(kind, (0, 0)) for r in rows]
        print(
            f"   {kind:6} {sum(h for h, _ in hits) / max(1, sum(n for _, n in hits)):.3f} of {sum(n for _, n in hits)}"
        )


if __name__ == "__main__":
    main()
