"""Score the beat tracker on annotated songs, beside the reference library's, with mir_eval.

Use: ./run bench beats --corpus DIR [--no-reference]
DIR holds songs, each with a CSV of the same name: time_s[,bar,beat].
"""

from __future__ import annotations

import argparse
import csv
import time
from pathlib import Path

import mir_eval
import numpy as np
from numpy.typing import NDArray

from tempik.media import decode_sound
from tempik.rhythm.points import analyse_samples
from tempik.rhythm.records import SAMPLE_RATE

Times = NDArray[np.float64]


def songs_of(folder: Path) -> list[Path]:
    """Return the annotated songs of a folder, in order of name."""
    kinds = (".ogg", ".wav", ".mp3", ".flac", ".m4a")
    return sorted(p for p in folder.iterdir() if p.suffix in kinds and p.with_suffix(".csv").exists())


def annotation(path: Path) -> tuple[Times, NDArray[np.int64]]:
    """Return the beat times of a CSV file and their numbers in the bar (0 where it has no beat column)."""
    with path.open(newline="") as file:
        rows = list(csv.DictReader(file))
    beats = np.array([float(r["time_s"]) for r in rows])
    return beats, np.array([int(r.get("beat") or 0) for r in rows])


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


def main() -> None:
    parser = argparse.ArgumentParser(prog="./run bench beats", description=__doc__)
    parser.add_argument("--corpus", type=Path, required=True)
    parser.add_argument("--no-reference", action="store_true", help="leave the reference library out")
    options = parser.parse_args()
    songs = songs_of(options.corpus)
    rows = []
    print(
        f"{'song':24} {'BPM':>7} {'true':>7}    F   CMLt  AMLt  down  late ms  |err|  conf steady   ref: F  AMLt  late"
    )
    for song in songs:
        beats, numbers = annotation(song.with_suffix(".csv"))
        downbeats = beats[numbers == 1]
        samples = decode_sound(str(song), SAMPLE_RATE, mono=True).samples[:, 0]
        began = time.perf_counter()
        found = analyse_samples(samples)
        took = time.perf_counter() - began
        times = np.array([b.time_s for b in found.beats])
        row = score(beats, times)
        first = np.array([b.time_s for b in found.beats if b.beat == 1])
        row["down"] = score(downbeats, first)["F"] if len(downbeats) else np.nan
        row["seconds"] = took
        line = (
            f"{song.stem:24} {found.tempo_bpm:7.2f} {60 / np.median(np.diff(beats)):7.2f}  {row['F']:.2f}  {row['CMLt']:.2f}"
            f"  {row['AMLt']:.2f}  {row['down']:.2f}  {row['late_ms']:+6.1f}  {row['error_ms']:5.1f}"
            f"  {found.confidence:.2f} {'grid' if found.steady else 'followed':8}"
        )
        if not options.no_reference:
            import librosa

            _, theirs = librosa.beat.beat_track(y=samples, sr=SAMPLE_RATE, units="time")
            other = score(beats, np.asarray(theirs, dtype=np.float64))
            row |= {"ref F": other["F"], "ref AMLt": other["AMLt"], "ref late_ms": other["late_ms"]}
            line += f"  {other['F']:.2f}  {other['AMLt']:.2f}  {other['late_ms']:+5.1f}"
        print(line, flush=True)
        rows.append(row)
    print("mean", "  ".join(f"{k} {np.nanmean([r[k] for r in rows]):.3f}" for k in rows[0]))
    print("median of |error| over songs:", f"{np.nanmedian([r['error_ms'] for r in rows]):.2f} ms")


if __name__ == "__main__":
    main()
