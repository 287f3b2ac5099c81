"""Score the beat tracker on annotated songs with mir_eval, beside reference libraries.

Use: ./run bench beats --corpus DIR [--corpus DIR …] [--no-reference] [--each]
     ./run bench beats --bare [--step N]
Each DIR holds songs, each with a CSV of the same name: time_s[,bar,beat]. A mean is given for each folder, and for the
closed third of it, which nothing was fitted on. --bare reads the barest music at every tempo instead.
"""

from __future__ import annotations

import argparse
import time
from multiprocessing import Pool
from pathlib import Path
from typing import NamedTuple

import mir_eval
import numpy as np
from numpy.typing import NDArray

from bench.music.annotated import annotation, group_of, songs_of
from bench.music.corpus import is_closed
from tempik.media import decode_sound
from tempik.rhythm.points import analyse_samples
from tempik.rhythm.records import SAMPLE_RATE

Times = NDArray[np.float64]


class Row(NamedTuple):
    """What was read of one song: `scores` by name, its true tempo and the one read."""

    name: str
    closed: bool
    scores: dict[str, float]
    message: str


def score(reference: Times, estimate: Times) -> dict[str, float]:
    """Return F-measure, CMLt and AMLt, and the median signed and absolute error of matched beats in ms."""
    reference, estimate = mir_eval.beat.trim_beats(reference), mir_eval.beat.trim_beats(estimate)
    if not len(reference) or not len(estimate):
        return {"F": 0.0, "CMLt": 0.0, "AMLt": 0.0, "late_ms": np.nan, "error_ms": np.nan}
    _, cmlt, _, amlt = mir_eval.beat.continuity(reference, estimate)
    nearest = reference[np.abs(estimate[:, None] - reference).argmin(axis=1)]
    error = (estimate - nearest)[np.abs(estimate - nearest) <= 0.07] * 1000
    return {
        "F": mir_eval.beat.f_measure(reference, estimate),
        "CMLt": cmlt,
        "AMLt": amlt,
        "late_ms": float(np.median(error)) if len(error) else np.nan,
        "error_ms": float(np.median(np.abs(error))) if len(error) else np.nan,
    }


def _read(task: tuple[Path, bool]) -> Row:
    song, reference = task
    beats, numbers = annotation(song.with_suffix(".csv"))
    downbeats = beats[numbers == 1]
    samples = decode_sound(str(song), SAMPLE_RATE, mono=True).samples[:, 0]
    began = time.perf_counter()
    found = analyse_samples(samples)
    took = time.perf_counter() - began
    row = score(beats, np.array([b.time_s for b in found.beats]))
    first = np.array([b.time_s for b in found.beats if b.beat == 1])
    row["down"] = score(downbeats, first)["F"] if len(downbeats) else np.nan
    readings = [row["F"], *(score(beats, np.array([b.time_s for b in r.beats]))["F"] for r in found.rivals)]
    row |= {
        "best reading": max(readings),
        "over 0.9": float(row["F"] > 0.9),
        "belief": found.confidence,
        "seconds": took,
    }
    if reference:
        row |= _references(samples, beats)
    true = 60 / float(np.median(np.diff(beats)))
    message = f"{found.tempo_bpm:7.2f} {true:7.2f} {'grid' if found.steady else 'followed':8}"
    return Row(song.stem, is_closed(group_of(song.stem)), row, message)


def _references(samples: NDArray[np.float32], beats: Times) -> dict[str, float]:
    """Return how librosa does and, where it is installed, essentia."""
    import librosa

    _, theirs = librosa.beat.beat_track(y=samples, sr=SAMPLE_RATE, units="time")
    other = score(beats, np.asarray(theirs, dtype=np.float64))
    out = {"librosa F": other["F"], "librosa AMLt": other["AMLt"]}
    try:
        from essentia import standard
    except ImportError:
        return out
    whole = standard.Resample(inputSampleRate=SAMPLE_RATE, outputSampleRate=44100)(samples)
    times, _ = standard.BeatTrackerMultiFeature()(whole)
    other = score(beats, np.asarray(times, dtype=np.float64))
    return out | {"essentia F": other["F"], "essentia AMLt": other["AMLt"]}


def _mean(rows: list[Row]) -> str:
    names = [n for n in rows[0].scores if n not in ("late_ms", "error_ms")]
    parts = [
        f"{n} {np.nanmean([r.scores[n] for r in rows]):.3f}"
        for n in names
        if not all(np.isnan(r.scores[n]) for r in rows)
    ]
    errors = [r.scores["error_ms"] for r in rows if not np.isnan(r.scores["error_ms"])]
    return (
        f"{len(rows):3} songs: " + "  ".join(parts) + f"  median error {np.median(errors) if errors else np.nan:.1f} ms"
    )


def _calibration(rows: list[Row]) -> None:
    """Print, of the songs read with about as much belief, how many are right."""
    print("\nbelief     songs  right")
    for low, high in ((0.0, 0.4), (0.4, 0.6), (0.6, 0.75), (0.75, 0.85), (0.85, 0.95), (0.95, 1.01)):
        inside = [r for r in rows if low <= r.scores["belief"] < high]
        if inside:
            print(f"{low:.2f}-{min(high, 1):.2f} {len(inside):6}  {np.mean([r.scores['F'] > 0.9 for r in inside]):.2f}")


def main() -> None:
    parser = argparse.ArgumentParser(prog="./run bench beats", description=__doc__)
    parser.add_argument("--corpus", type=Path, action="append", default=[])
    parser.add_argument("--no-reference", action="store_true", help="leave the reference libraries out")
    parser.add_argument("--each", action="store_true", help="a line for every song, not only for those read wrong")
    parser.add_argument("--bare", action="store_true", help="the barest music at every tempo")
    parser.add_argument("--step", type=int, default=1, help="tempi of --bare, every N-th")
    options = parser.parse_args()
    if options.bare:
        from bench import bare

        bare.main(options.step)
        return
    everything: list[Row] = []
    for folder in options.corpus:
        with Pool(2) as pool:
            rows = pool.map(_read, [(song, not options.no_reference) for song in songs_of(folder)], 1)
        if not rows:
            continue
        print(f"\n{folder}\n{'song':36}    BPM    true           F  AMLt  down  |err| belief")
        for row in rows:
            s = row.scores
            if options.each or s["F"] < 0.9:
                mark = "closed" if row.closed else ""
                print(
                    f"{row.name[:36]:36} {row.message} {s['F']:.2f}  {s['AMLt']:.2f}  {s['down']:.2f}  {s['error_ms']:5.1f}"
                    f"  {s['belief']:.2f} {mark}"
                )
        print("all    ", _mean(rows))
        closed = [r for r in rows if r.closed]
        if closed:
            print("closed ", _mean(closed), flush=True)
        everything += rows
    _calibration([r for r in everything if r.closed] or everything)


if __name__ == "__main__":
    main()
