"""The song as it is arranged: pieces of its file one after the other, crossed over where they join so that power stays even."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tempik.media import Sound
from tempik.media.audio import Samples
from tempik.reel import SongPiece, Soundtrack

# What comes next has fully taken over where its beat sounds, and begins to this long before it.
CROSS_S = 0.025


def song_samples(song: Soundtrack, sound: Sound) -> Samples:
    """Return the samples of a song as the reel uses it; `sound` is what its file holds, at the rate of the mix."""
    return arranged_samples(song.pieces, sound) if song.pieces else sound.samples


def arranged_samples(pieces: tuple[SongPiece, ...], sound: Sound) -> Samples:
    """Return pieces of a sound one after the other."""
    rate, source = sound.rate, sound.samples
    ends = np.round(np.cumsum([p.to_s - p.from_s for p in pieces]) * rate).astype(int)
    out: Samples = np.zeros((int(ends[-1]), source.shape[1]), np.float32)
    begins = [0, *ends[:-1].tolist()]
    for number, (piece, begin, end) in enumerate(zip(pieces, begins, ends.tolist(), strict=True)):
        first = round(piece.from_s * rate)
        part = _cut(source, first, first + end - begin)
        out[begin:end] = part
        if number:
            span = min(round(CROSS_S * rate), begin - begins[number - 1], begin)
            going = out[begin - span : begin]
            coming = _cut(source, first - span, first)
            out[begin - span : begin] = crossed(going, coming)
    return out


def crossed(going: Samples, coming: Samples) -> Samples:
    """Return one sound going over into another over their length: sine and cosine, so that what is unlike keeps its power, made
    even for how alike the two are, so that what is alike does too."""
    span = len(going)
    share = (np.arange(span, dtype=np.float32) + 0.5) / max(span, 1)
    out, into = np.cos(share * np.pi / 2)[:, None], np.sin(share * np.pi / 2)[:, None]
    power = float(np.sqrt(np.square(going, dtype=np.float64).sum() * np.square(coming, dtype=np.float64).sum()))
    alike = float((going.astype(np.float64) * coming).sum()) / power if power > 0 else 0.0
    even = 1 / np.sqrt(np.maximum(1 + 2 * out * into * max(alike, -0.9), 0.1))
    return np.asarray((going * out + coming * into) * even, np.float32)


def _cut(samples: NDArray[np.float32], first: int, end: int) -> Samples:
    part = np.asarray(samples[max(first, 0) : max(end, 0)], np.float32)
    return (
        np.pad(part, ((max(0, -first), max(0, end - max(first, 0) - len(part))), (0, 0)))
        if len(part) < end - first
        else part
    )
