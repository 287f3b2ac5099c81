"""Make the pieces of the corpus on every core, and keep them in a folder."""

from __future__ import annotations

from multiprocessing import Pool
from pathlib import Path

from bench.music.corpus import FAMILIES, kept_piece


def wanted(of_each: int) -> list[tuple[str, int]]:
    """Return family and number of the first so many pieces of each family, families mixed, so that any stretch of the list
    has all of them."""
    most = min(of_each, max(FAMILIES.values()))
    return [(f, int(i)) for i in range(most) for f, count in FAMILIES.items() if i < count]


def _make(task: tuple[Path, str, int]) -> bool:
    return kept_piece(*task) is not None


def make_all(folder: Path, of_each: int, processes: int = 2) -> int:
    """Make what is not there yet; return how many pieces there are."""
    folder.mkdir(parents=True, exist_ok=True)
    with Pool(processes) as pool:
        return sum(pool.imap_unordered(_make, [(folder, f, i) for f, i in wanted(of_each)], 8))
