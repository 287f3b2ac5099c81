"""Songs whose tempo changes midway: are the beats right on both sides, and none lost or doubled at the seam?

Use: ./run bench changing [--open] [--each] [--of N]
Made music by bands in grooves that nothing was fitted on (`--open`: in those that were); by arithmetic and General MIDI voices. Kinds: a step of
tempo, a new speed (3/2, 2/3), twice or half the tempo, a ramp, a stretch of drift in an even song, three songs glued together.
"""

from __future__ import annotations

import argparse
from multiprocessing import Pool
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from bench.beats import score
from bench.music.corpus import is_closed, sounded
from bench.music.grooves import GROOVES, Groove
from bench.music.patterns import band, lead_in
from bench.music.sounds import Rng
from tempik.rhythm.points import analyse_samples
from tempik.rhythm.records import SAMPLE_RATE

Times = NDArray[np.float64]
KINDS = ("step", "speed", "twice", "half", "ramp", "drift", "glued", "even")
SECONDS = 56.0
GLUED_BPM = (70.0, 128.0, 174.0)
_STEPS = (0.8, 0.87, 0.93, 1.08, 1.15, 1.25)


class Read(NamedTuple):
    """How one piece was read: F of beats and of downbeats, and the beats within 4 s of a change too many or too few."""

    kind: str
    right: float
    downbeats: float
    seam: int
    message: str


def beats_of(kind: str, rng: Rng, groove: Groove) -> tuple[Times, list[float]]:
    """Return the beats of a piece of a kind, and where its tempo changes, in seconds."""
    low, high = {"twice": (62, 88), "half": (124, 176), "speed": (80, 120)}.get(kind, (76, 150))
    bpm = float(np.clip(rng.uniform(*groove.bpm), low, high))
    to = {"step": float(rng.choice(_STEPS)), "speed": float(rng.choice([1.5, 2 / 3])), "twice": 2.0, "half": 0.5}
    turn = round(rng.uniform(0.35, 0.65) * SECONDS * bpm / 60 / groove.metre) * groove.metre
    times, changes = [lead_in(rng)], []
    way, share = float(rng.choice([-1, 1])), float(rng.uniform(0.12, 0.25))
    long = 8 * groove.metre
    while times[-1] < SECONDS:
        n = len(times) - 1
        factor = 1.0
        if kind in to and n >= turn:
            factor = to[kind]
        elif kind == "ramp":
            factor = (1 + way * share) ** float(np.clip((n - turn) / long, 0, 1))
        elif kind == "drift" and turn <= n < turn + 2 * long:
            factor = 1 + 0.035 * way * np.sin(2 * np.pi * (n - turn) / long)
        if n == turn and kind != "even":
            changes.append(times[-1])
        times.append(times[-1] + 60 / (bpm * factor))
    return np.array(times[:-1]), changes


def made(kind: str, number: int, closed: bool) -> tuple[NDArray[np.float32], Times, Times, list[float]]:
    """Return a piece, mono at SAMPLE_RATE, its beats, its downbeats and where its tempo changes."""
    rng = np.random.default_rng([KINDS.index(kind), number, int(closed), 4242])
    grooves = [g for g in GROOVES if is_closed(f"bands {g.name}") == closed]
    if kind != "glued":
        groove = grooves[int(rng.integers(len(grooves)))]
        at, changes = beats_of(kind, rng, groove)
        played = band(rng, groove, SECONDS, at)
        return sounded(played, rng, 0.4, 0.6), played.beats, played.beats[played.numbers == 1], changes
    parts, beats, downbeats, changes, start = [], [], [], [], 0.0
    for bpm in rng.permutation(GLUED_BPM):
        groove = min(
            (grooves[int(i)] for i in rng.permutation(len(grooves))[:5]), key=lambda g: abs(np.mean(g.bpm) - bpm)
        )
        played = band(rng, groove, 18.0, np.arange(0.02, 18.0, 60 / bpm))
        sound = sounded(played, rng, 0.4, 0.6)[: 18 * SAMPLE_RATE]
        parts.append(sound)
        beats.append(played.beats + start)
        downbeats.append(played.beats[played.numbers == 1] + start)
        start += len(sound) / SAMPLE_RATE
        changes.append(start)
    return np.concatenate(parts), np.concatenate(beats), np.concatenate(downbeats), changes[:-1]


def read(task: tuple[str, int, bool]) -> Read:
    samples, beats, downbeats, changes = made(*task)
    found = analyse_samples(samples)
    times = np.array([b.time_s for b in found.beats])
    right = score(beats, times)["F"]
    first = np.array([b.time_s for b in found.beats if b.beat == 1])
    seam = 0
    for change in changes:
        true, ours = (int(((t > change - 4) & (t < change + 4)).sum()) for t in (beats, times))
        seam += abs(true - ours)
    message = f"{task[0]} {task[1]}: {right:.2f}, {found.tempo_bpm:.1f} BPM, at the change {seam} too many or few, belief {found.confidence:.2f}"
    return Read(task[0], right, score(downbeats, first)["F"], seam, message)


def main(arguments: list[str]) -> None:
    parser = argparse.ArgumentParser(prog="./run bench changing", description=__doc__)
    parser.add_argument("--open", action="store_true", help="in grooves that were learnt from")
    parser.add_argument("--each", action="store_true", help="a line for every piece, not only for those read wrong")
    parser.add_argument("--of", type=int, default=16, help="pieces of each kind")
    options = parser.parse_args(arguments)
    tasks = [(kind, n, not options.open) for kind in KINDS for n in range(options.of)]
    with Pool(2) as pool:
        reads = pool.map(read, tasks, 2)
    for kind in KINDS:
        of = [r for r in reads if r.kind == kind]
        print(
            f"{kind:6} {len(of)} pieces: F {np.mean([r.right for r in of]):.3f}, above 0.9 {np.mean([r.right > 0.9 for r in of]):.2f}, "
            f"downbeats {np.mean([r.downbeats for r in of]):.3f}, beats too many or few at a change {np.mean([r.seam for r in of]):.2f}"
        )
        for r in of:
            if options.each or r.right < 0.9:
                print("    " + r.message)
    changing = [r.right for r in reads if r.kind not in ("even", "glued")]
    print(f"all that change: F {np.mean(changing):.3f} of {len(changing)}", flush=True)
