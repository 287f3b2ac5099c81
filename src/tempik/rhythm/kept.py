"""The analysis of a song file, kept by the file's contents.

What was kept is read without loading the analysis, whose libraries take half a second; where there is something to
analyse they load while the song is being decoded.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from itertools import chain
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tempik.disk.reading import opened_regular
from tempik.errors import TempikError
from tempik.media.audio import sound_blocks
from tempik.media.cache import cache_folder, keep_entry, kept_entry
from tempik.rhythm.records import SAMPLE_RATE, Analysis

# Raise when the analysis changes, so that what was kept of songs is worked out again.
ANALYSIS_VERSION = 9

Report = Callable[[float], None]


def analyse(path: str, report: Report | None = None) -> Analysis:
    """Find the beats of a song file. Results are kept by the file's contents, so a second call takes no time.

    `report` is called with the share done; it may raise to stop. Raises TempikError when the file has no sound.
    """
    kept = _kept_name(path)
    if kept is not None:
        known = kept_entry(kept, Analysis)
        if known is not None:
            return known
    tell = report or (lambda share: None)
    tell(0.02)
    with ThreadPoolExecutor(1) as pool:
        parts = _parts(path)
        first = pool.submit(next, parts, np.empty(0, np.float32))
        from tempik.rhythm.points import analyse_parts

        found = analyse_parts(chain([first.result()], parts), path, tell)
    if kept is not None:
        keep_entry(kept, found)
    tell(1.0)
    return found


_PART_S = 300.0


def _parts(path: str) -> Iterator[NDArray[np.float32]]:
    """Yield a song's mono samples: whole up to ten minutes, else in parts of five, so that memory stays bounded."""
    held: list[NDArray[np.float32]] = []
    count, part = 0, round(_PART_S * SAMPLE_RATE)
    for block in sound_blocks(path, SAMPLE_RATE, mono=True):
        held.append(block[:, 0])
        count += len(block)
        while count >= 2 * part:
            whole = np.concatenate(held)
            yield whole[:part]
            held, count = [whole[part:]], len(whole) - part
    yield np.concatenate(held) if held else np.empty(0, np.float32)


def _kept_name(path: str) -> Path | None:
    try:
        with opened_regular(path) as file:
            digest = hashlib.file_digest(file, "blake2b").hexdigest()[:32]
    except (TempikError, OSError):
        return None  # decoding says what is wrong with the file
    return cache_folder() / "rhythm" / f"{digest}.v{ANALYSIS_VERSION}"
