"""Annotated songs of folders outside the project: songs, each with a CSV of the same name, time_s[,bar,beat]."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bench.music.corpus import Piece, is_closed
from tempik.media import decode_sound
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


def group_of(stem: str) -> str:
    """Return what a song is split by: its pattern, its style or the package that its module is from, else itself."""
    parts = stem.split("_")
    if parts[0] == "module" and len(parts) > 2:
        return f"modules {parts[1]}"
    if parts[0] == "mma" and len(parts) > 2:
        return f"styles {parts[2]}"
    if parts[-1].replace(".", "").isdigit():
        return "patterns " + "_".join(parts[:-1])
    return stem


def song_piece(path: Path) -> Piece:
    """Return an annotated song as a piece; what its drums play is not known."""
    beats, numbers = annotation(path.with_suffix(".csv"))
    samples = decode_sound(str(path), SAMPLE_RATE, mono=True).samples[:, 0]
    inside = beats < len(samples) / SAMPLE_RATE - 0.05
    group = group_of(path.stem)
    name = f"{path.parent.name}/{path.stem}"
    return Piece(name, group, is_closed(group), samples, beats[inside], numbers[inside], [], False)
