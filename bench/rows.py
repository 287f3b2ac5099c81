"""Score the beats of module music (mod, xm, s3m, it), whose player says when each row of a pattern sounds: real songs whose
beats are known exactly, though not which of half and double the tempo is meant.

Use: ./run bench rows FOLDER …
Beats are right where nine of ten lie on rows a whole number apart, counted from the first row of a pattern; bars, where nine of
ten downbeats do so too. Both are common practice of the trade, not a rule of the format: a song may break it.
Needs Debian's libopenmpt0.
"""

from __future__ import annotations

import ctypes
import ctypes.util
import sys
from collections import Counter
from multiprocessing import Pool
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.points import analyse_samples
from tempik.rhythm.records import SAMPLE_RATE

KINDS = (".mod", ".xm", ".s3m", ".it")
MOST_S = 100.0
LEAST_S = 20.0
_INTERPOLATION = 3  # OPENMPT_MODULE_RENDER_INTERPOLATIONFILTER_LENGTH of libopenmpt.h
_BLOCK = 24  # a millisecond of samples
_NEAR_S = 0.03
_MOST_OFF = 0.1

Times = NDArray[np.float64]


class Played(NamedTuple):
    """A song as mono samples at SAMPLE_RATE, when each of its rows begins, and which row of its pattern it is."""

    samples: NDArray[np.float32]
    times_s: Times
    rows: NDArray[np.int64]


def library() -> ctypes.CDLL:
    """Return libopenmpt. Raises OSError where it is not installed."""
    found = ctypes.CDLL(ctypes.util.find_library("openmpt") or "libopenmpt.so.0")
    found.openmpt_module_create_from_memory2.restype = ctypes.c_void_p
    found.openmpt_module_create_from_memory2.argtypes = [ctypes.c_char_p, ctypes.c_size_t, *[ctypes.c_void_p] * 7]
    found.openmpt_module_read_float_mono.restype = ctypes.c_size_t
    found.openmpt_module_read_float_mono.argtypes = [ctypes.c_void_p, ctypes.c_int32, ctypes.c_size_t, ctypes.c_void_p]
    for name in ("row", "order"):
        ask = getattr(found, f"openmpt_module_get_current_{name}")
        ask.restype, ask.argtypes = ctypes.c_int32, [ctypes.c_void_p]
    found.openmpt_module_destroy.argtypes = [ctypes.c_void_p]
    found.openmpt_module_ctl_set.argtypes = [ctypes.c_void_p, ctypes.c_char_p, ctypes.c_char_p]
    found.openmpt_module_set_render_param.argtypes = [ctypes.c_void_p, ctypes.c_int, ctypes.c_int32]
    return found


def played(path: Path, tempo: float = 1.0, pitch: float = 1.0, taps: int = 0) -> Played | None:
    """Return a module as it is played, no longer than MOST_S; None where it cannot be read. `tempo` and `pitch` are factors,
    `taps` how many samples the player interpolates between (0: as it likes)."""
    player, data = library(), path.read_bytes()
    song = player.openmpt_module_create_from_memory2(data, len(data), *[None] * 7)
    if not song:
        return None
    player.openmpt_module_ctl_set(song, b"play.tempo_factor", f"{tempo:.4f}".encode())
    player.openmpt_module_ctl_set(song, b"play.pitch_factor", f"{pitch:.4f}".encode())
    player.openmpt_module_set_render_param(song, _INTERPOLATION, taps)
    block = np.zeros(_BLOCK, np.float32)
    parts: list[NDArray[np.float32]] = []
    times: list[float] = []
    rows: list[int] = []
    count, last = 0, (-1, -1)
    while count < MOST_S * SAMPLE_RATE:
        got = player.openmpt_module_read_float_mono(song, SAMPLE_RATE, _BLOCK, block.ctypes.data)
        if not got:
            break
        now = (player.openmpt_module_get_current_order(song), player.openmpt_module_get_current_row(song))
        if now != last:
            times.append(count / SAMPLE_RATE)
            rows.append(now[1])
            last = now
        parts.append(block[:got].copy())
        count += got
    player.openmpt_module_destroy(song)
    return Played(np.concatenate(parts), np.array(times), np.array(rows)) if parts else None


def on_rows(times_s: Times, song: Played) -> tuple[int, float]:
    """Return how many rows lie between most neighbours of some times, and the share of them that lie on rows counted from the
    first of a pattern in such steps."""
    if len(times_s) < 4:
        return 0, 0.0
    after = np.clip(np.searchsorted(song.times_s, times_s), 1, len(song.rows) - 1)
    at = after - (times_s - song.times_s[after - 1] < song.times_s[after] - times_s)
    step = int(Counter(np.diff(at).tolist()).most_common(1)[0][0])
    near = np.abs(times_s - song.times_s[at]) < _NEAR_S
    return step, float(np.mean(near & (song.rows[at] % max(step, 1) == 0)))


def _read(path: Path) -> tuple[bool, bool, str] | None:
    song = played(path)
    if song is None:
        print(f"{path} cannot be played; it is left out.", flush=True)
    if song is None or song.times_s[-1] < LEAST_S:
        return None
    found = analyse_samples(song.samples)
    step, right = on_rows(np.array([b.time_s for b in found.beats]), song)
    bar, downbeats = on_rows(np.array([b.time_s for b in found.beats if b.beat == 1]), song)
    beats_right, bars_right = right >= 1 - _MOST_OFF, min(right, downbeats) >= 1 - _MOST_OFF
    message = f"{path.stem:34} {found.tempo_bpm:7.2f} {step:3} rows {right:.2f}   {bar:3} rows {downbeats:.2f}   {found.confidence:.2f}"
    return beats_right, bars_right, message + ("" if bars_right else "  bars" if beats_right else "  beats")


def main(folders: list[str]) -> None:
    paths = sorted(p for folder in folders for p in Path(folder).rglob("*") if p.suffix.lower() in KINDS)
    if not paths:
        sys.exit("No mod, xm, s3m or it file lies there; give folders that have some.")
    try:
        library()
    except OSError:
        sys.exit("libopenmpt is not installed; install Debian's package libopenmpt0.")
    print(f"{'song':34}     BPM beats            downbeats     belief")
    with Pool(2) as pool:
        read = [r for r in pool.imap(_read, paths) if r is not None]
    for _, _, message in read:
        print(message)
    beats, bars = sum(beats for beats, _, _ in read), sum(bars for _, bars, _ in read)
    print(f"\n{len(read)} songs of {LEAST_S:.0f} s or more: beats right {beats}, bars right {bars}")
