"""A clip's own sound under its speed curve: pitch kept or following the speed, forward and backward.

Both ways rest on the clip's own time map, so what is heard at an instant is what is on screen at it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.media import Sound
from tempik.media.audio import Samples
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.transitions import PlacedTransition

Times = NDArray[np.float64]
# Slower than this a picture stands still, and still pictures make no sound.
SILENT_SPEED = 0.03
# Pitch is kept over blocks in which the map strays from even by less than this, joined over a crossfade.
STRAYS_S = 1e-3
LONGEST_BLOCK_S = 20.0
SHORTEST_BLOCK_S = 0.06
CROSSFADE_S = 0.03
# A stretcher needs a run-up, which is thrown away.
RUN_UP_S = 0.12
# Its window: shorter than its own choice, so that an impact played fast is not smeared away from its picture.
WINDOW_S = 0.08
# A block may be shifted by up to this to meet the one before it in phase.
PHASE_S = 0.003
OCTAVES = 4
# From one sample to the next no speed takes the footage this far: it has gone round to its beginning.
LEAP_S = 0.05


class ClipAudio(NamedTuple):
    """A clip's sound: samples of shape (count, 2), the first at sample `first` of the reel (it may lie before 0)."""

    samples: Samples
    first: int


def clip_audio(
    placed: PlacedClip,
    source: Sound,
    rate: Fraction,
    crossfade_s: float,
    transitions: tuple[PlacedTransition | None, PlacedTransition | None] = (None, None),
) -> ClipAudio:
    """Return a placed clip's sound at the rate of `source`, with its gain, crossfaded over `crossfade_s` at every edge.

    Its edges are the clip's own and, inside it, the turns and the ends of stretches that stand still. Half of each lies
    on either side, so the fades of neighbours add up to one. Over a transition, at its start or end, the clip is heard for as
    long as the transition lasts, rising and falling with equal power; elsewhere its sound may lead its picture and trail it.
    """
    hz = source.rate
    reach = [placed.first, placed.end]
    for side, placed_transition in enumerate(transitions):
        if placed_transition is not None:
            reach[side] = (
                min(placed_transition.begin, placed.first) if side == 0 else max(placed_transition.end, placed.end)
            )
    own = placed.clip.sound
    crossfade_s = crossfade_s if own.crossfade_ms is None else own.crossfade_ms / 1000
    # A transition says when a sound comes and goes; else it may lead its picture, or trail it.
    lead, trail = (s if transitions[side] is None else 0.0 for side, s in enumerate((own.lead_s, own.trail_s)))
    first, end = (round(f / float(rate) * hz) for f in reach)
    first -= round(lead * hz)
    end = max(end + round(trail * hz), first + 1)
    half = max(round(crossfade_s * hz / 2), 1)
    times = np.arange(first, end) / hz
    asked = source_at_frames(placed, times * float(rate), rate)
    speeds = placed.map.speed(times - placed.begin / float(rate)) * placed.map.conform_ratio
    render = following if placed.clip.sound.pitch == "follows" else kept
    heard = np.zeros((end - first + 2 * half, source.samples.shape[1]), np.float32)
    for a, b in _runs(asked, speeds):
        run = render(_run_on(asked[a:b], half, speeds[a] / hz, speeds[b - 1] / hz), source)
        heard[a : b + 2 * half] += run * _fades(len(run), 2 * half)[:, None]
    for side, placed_transition in enumerate(transitions):
        if placed_transition is not None:
            a, b = (
                round(f / float(rate) * hz) - (first - half) for f in (placed_transition.begin, placed_transition.end)
            )
            _cross(heard, a, b, rising=side == 0)
    for seconds, at_end in ((own.fade_in_s, False), (own.fade_out_s, True)):
        count = min(round(seconds * hz) + half, len(heard)) if seconds > 0 else 0
        if count:
            slope = (np.arange(count, dtype=np.float32) / count)[:, None]
            heard[len(heard) - count if at_end else 0 :][:count] *= slope[::-1] if at_end else slope
    heard *= np.float32(10 ** (own.gain_db / 20))
    return ClipAudio(heard, first - half)


def _cross(heard: Samples, first: int, end: int, rising: bool) -> None:
    """Let a sound rise, or fall, between two samples in place, so that two that cross keep their power."""
    a, b = max(first, 0), min(end, len(heard))
    share = (np.arange(a, b, dtype=np.float32) + 0.5 - first) / max(end - first, 1)
    curve = np.sin(share * np.float32(np.pi / 2)) if rising else np.cos(share * np.float32(np.pi / 2))
    heard[a:b] *= curve[:, None]
    if rising:
        heard[:a] = 0
    else:
        heard[b:] = 0


def _run_on(asked: Times, count: int, before: float, after: float) -> Times:
    """Return asked instants going on by `count` at either end, at their end steps."""
    steps = np.arange(1, count + 1)
    return np.concatenate([asked[0] - before * steps[::-1], asked, asked[-1] + after * steps])


def _fades(count: int, placed_transition: int) -> Samples:
    out = np.ones(count, np.float32)
    placed_transition = min(placed_transition, count // 2)
    slope = (np.arange(placed_transition, dtype=np.float32) + 0.5) / max(placed_transition, 1)
    if placed_transition:
        out[:placed_transition], out[-placed_transition:] = slope, slope[::-1]
    return out


def _runs(asked: Times, speeds: Times) -> list[tuple[int, int]]:
    """Return the stretches (first, end) that play one way, at a speed that can be heard, without a leap."""
    way = np.where(np.abs(speeds) > SILENT_SPEED, np.sign(speeds), 0)
    leaps = np.abs(np.diff(asked)) > LEAP_S
    edges = [0, *(np.flatnonzero((np.diff(way) != 0) | leaps) + 1).tolist(), len(asked)]
    return [(a, b) for a, b in zip(edges, edges[1:], strict=False) if b > a and way[a]]


def following(asked: Times, source: Sound) -> Samples:
    """Return the source at the asked instants: pitch falls and rises with speed.

    Where it is played faster, what would fold over is filtered off first, octave by octave.
    """
    speeds = np.gradient(asked) * source.rate if len(asked) > 1 else np.ones(len(asked))
    at = asked * source.rate
    octave = np.clip(np.log2(np.maximum(np.abs(speeds), 1.0)), 0, OCTAVES)
    out = np.zeros((len(at), source.samples.shape[1]), np.float32)
    first = max(0, int(at.min()) - 64)
    part = np.asarray(source.samples[first : max(int(at.max()) + 64, first)])
    for level in range(int(np.ceil(octave.max())) + 1):
        weight = np.clip(1 - np.abs(octave - level), 0, 1).astype(np.float32)
        here = weight > 0
        if here.any():
            filtered = part if level == 0 else _lowered(part, 0.5 ** (level + 1))
            out[here] += weight[here, None] * _between_samples(filtered, at[here] - first)
    return out


def _lowered(samples: Samples, share: float) -> Samples:
    """Return samples without what lies above a share of their rate (below 0.5): a windowed sinc."""
    from scipy.signal import fftconvolve, firwin  # slow to load, and most reels have no clip played fast aloud

    taps = firwin(127, 0.9 * share, fs=1.0).astype(np.float32)
    return np.asarray(fftconvolve(samples, taps[:, None], mode="same", axes=0), dtype=np.float32)


def _between_samples(samples: Samples, at: Times) -> Samples:
    """Return samples at fractional places by Catmull-Rom interpolation, silence outside."""
    padded = np.pad(samples, ((2, 3), (0, 0)))
    base = np.floor(at)
    t = (at - base).astype(np.float32)[:, None]
    number = np.clip(base.astype(np.int64) + 2, 1, len(padded) - 3)
    inside = ((at >= -1) & (at < len(samples)))[:, None]
    p0, p1, p2, p3 = (padded[number + k] for k in (-1, 0, 1, 2))
    curve = p1 + 0.5 * t * (p2 - p0 + t * (2 * p0 - 5 * p1 + 4 * p2 - p3 + t * (3 * (p1 - p2) + p3 - p0)))
    return np.asarray(np.where(inside, curve, 0), dtype=np.float32)


def kept(asked: Times, source: Sound) -> Samples:
    """Return the source at the asked instants, which go one way, with its pitch kept: in blocks of as good as even
    speed."""
    return np.concatenate(list(cached_blocks(asked, source, _blocks(asked, source.rate))))


def cached_blocks(asked: Times, source: Sound, edges: Sequence[int]) -> Iterator[Samples]:
    """Yield the source at the asked instants with its pitch kept, an even speed between each two `edges`.

    Blocks are crossfaded where they are most alike. All that is yielded is as long as `asked`.
    """
    lead, most = round(CROSSFADE_S * source.rate), round(PHASE_S * source.rate)
    tail: Samples | None = None
    for number, (a, b) in enumerate(zip(edges, edges[1:], strict=False)):
        if tail is None:
            block = _stretched(asked, a, b, source, 0)
        else:
            block = _in_phase(tail, _stretched(asked, a - lead, b, source, most), most)[: lead + b - a]
            rise = _fades(2 * lead, lead)[:lead, None]
            block[:lead] = tail * (1 - rise) + block[:lead] * rise
        if number + 2 == len(edges):
            yield block
        else:
            tail = block[-lead:]
            yield block[:-lead]


def _blocks(asked: Times, hz: int) -> list[int]:
    """Return the edges of blocks over which the asked instants lie on a straight line, to STRAYS_S."""
    count = len(asked)
    edges = [0]
    least, most = round(SHORTEST_BLOCK_S * hz), round(LONGEST_BLOCK_S * hz)
    while edges[-1] < count:
        a = edges[-1]
        length = min(most, count - a)
        while length > least:
            part = asked[a : a + length]
            shares = np.linspace(0, 1, 9)
            picked = part[(shares * (length - 1)).astype(np.int64)]
            if np.abs(picked - (picked[0] + shares * (picked[-1] - picked[0]))).max() < STRAYS_S:
                break
            length = max(least, length * 2 // 3)
        if count - a - length < least:
            length = count - a
        edges.append(a + length)
    return edges


def _stretched(asked: Times, begin: int, end: int, source: Sound, more: int) -> Samples:
    """Return the output samples from `begin` up to `end`, and `more` on either side, pitch kept at an even speed."""
    from python_stretch import Signalsmith

    hz = source.rate
    speed = (asked[end - 1] - asked[begin]) * hz / max(end - 1 - begin, 1)
    margin = round(RUN_UP_S * hz) + more
    count = end - begin + 2 * margin
    taken = max(1, round(count * abs(speed)))
    start = asked[begin] * hz - np.sign(speed) * margin * abs(speed)
    low = round(start) if speed > 0 else round(start) - taken + 1
    part = cut_of(source.samples, low, low + taken)
    part = part if speed > 0 else part[::-1]
    stretch = Signalsmith.Stretch()
    stretch.configure(part.shape[1], round(WINDOW_S * hz), round(WINDOW_S * hz / 4))
    stretch.setTimeFactor(taken / count)
    made = np.asarray(stretch.process(np.ascontiguousarray(part.T)), dtype=np.float32).T
    made = np.pad(made, ((0, max(0, count - len(made))), (0, 0)))
    run_up = margin - more
    return made[run_up : run_up + end - begin + 2 * more]


def cut_of(samples: Samples, first: int, end: int) -> Samples:
    """Return samples from `first` up to `end`, silence where there are none."""
    part = np.asarray(samples[max(first, 0) : max(end, 0)], dtype=np.float32)
    before = max(0, min(-first, end - first))
    return np.pad(part, ((before, end - first - before - len(part)), (0, 0)))


def _in_phase(tail: Samples, block: Samples, most: int) -> Samples:
    """Return a block, made `most` longer at both ends, from where it runs most like the tail it is crossfaded with."""
    width = len(tail)
    if not width or not np.any(tail):
        return block[most:]
    mine, theirs = block[: width + 2 * most].mean(axis=1), tail.mean(axis=1)
    alike = np.correlate(mine, theirs, "valid")
    power = np.convolve(mine * mine, np.ones(width), "valid")
    shift = int(np.argmax(alike / np.sqrt(power + 1e-9)))
    return block[shift:]
