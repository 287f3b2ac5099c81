"""Sounds measured in an exported file: where in the file's own sound each one is, found in the difference against the mix
without its lane."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from tempik.check.landing import Event
from tempik.errors import TempikError
from tempik.media import decode_sound
from tempik.render.mastering import BLOCK
from tempik.render.mixdown import Mixdown, MixPiece
from tempik.render.sound_bank import SoundBank
from tempik.sounds.loudness import RATE
from tempik.timeline.timeline import Timeline

# A sound is looked for this far from where it is meant to be, by what of it lies this near to its hit.
REACH_S = 0.05
AROUND_S = 0.35
# Less alike than this, as correlation, it was not found: covered by louder sounds, or lost in the coding.
ALIKE = 0.5
MEASURED_MS = 2.0  # of a coded file

Mono = NDArray[np.float32]


def measured_sounds(
    timeline: Timeline, path: str, offset_ms: float, planned: Sequence[Event], begin_s: float = 0.0
) -> dict[tuple[str, str], Event]:
    """Return the sounds of a reel's check, by lane and part, with how far from its point each was found in a file; those that were
    not found are as planned. `offset_ms` is how much later the song sounds in the file, `begin_s` the instant of the reel at which
    the file begins."""
    events = [e for e in planned if e.kind == "sound"]
    if not events:
        return {}
    try:
        heard = decode_sound(path, RATE, whole=True).samples
    except TempikError:
        return {}
    heard = np.concatenate([np.zeros((round(begin_s * RATE), heard.shape[1]), heard.dtype), heard])
    sound_bank, late = SoundBank(), round(offset_ms * RATE / 1000)
    whole = Mixdown(timeline, sound_bank=sound_bank)
    gain = _gain_of(whole, heard, late, round(begin_s * RATE))
    pieces = {(p.channel, p.what): p for p in whole.pieces}
    out: dict[tuple[str, str], Event] = {}
    for lane in dict.fromkeys(e.lane for e in events):
        rest = _Rest(Mixdown(timeline, sound_bank=sound_bank, without=lane), whole, gain)
        for event in (e for e in events if e.lane == lane):
            piece = pieces.get((lane, event.part))
            lag = _lag(heard, late, rest, piece, gain) if piece is not None else None
            if piece is not None and lag is not None:
                found_s = (piece.hit + lag) / RATE
                ms = (found_s - event.point_s) * 1000
                out[(lane, event.part)] = msgspec.structs.replace(
                    event, measured_ms=ms, ok=event.ok and abs(ms) <= MEASURED_MS
                )
    return {(e.lane, e.part): out.get((e.lane, e.part), e) for e in events}


def _gain_of(whole: Mixdown, heard: NDArray[np.float32], late: int, begin: int) -> float:
    """Return the gain at which a file was mastered: a part by itself, or as the reel is, whichever is nearer to what it sounds like."""
    end = min(len(heard) - late, whole.count)
    if begin <= 0 and end >= whole.count - BLOCK:
        return whole.gain()
    gains = (whole.gain((begin, end)), whole.gain())
    a, b = begin, min(begin + 8 * BLOCK, end)
    told = float(np.sqrt(np.mean(np.square(heard[max(a + late, 0) : b + late]), dtype=np.float64)))
    made = [float(np.sqrt(np.mean(np.square(whole.mastered(a, b, g)), dtype=np.float64))) for g in gains]
    return gains[int(np.argmin([abs(m - told) for m in made]))]


class _Rest:
    """The mix without a lane, as far as it is asked for, mastered as the whole is: what is left of the file is the lane alone."""

    def __init__(self, mixdown: Mixdown, whole: Mixdown, gain: float) -> None:
        self._mixdown, self._whole, self._gain = mixdown, whole, gain
        self._blocks: dict[int, Mono] = {}
        self.count = mixdown.count

    def between(self, first: int, end: int) -> Mono:
        parts = []
        for number in range(first // BLOCK, (end - 1) // BLOCK + 1):
            if number not in self._blocks:
                plain = self._mixdown.plain(number * BLOCK, (number + 1) * BLOCK)
                self._blocks[number] = plain.mean(axis=1) * self._whole.factors(number, self._gain)
            a = number * BLOCK
            parts.append(self._blocks[number][max(first - a, 0) : end - a])
        return np.concatenate(parts)


def _lag(heard: NDArray[np.float32], late: int, rest: _Rest, piece: MixPiece, gain: float) -> float | None:
    """Return by how many samples a sound comes late in the file, None where it cannot be found."""
    from scipy.signal import correlate  # takes a second to load, so only where a file is measured

    reach, around = round(REACH_S * RATE), round(AROUND_S * RATE)
    count = min(len(heard), rest.count)
    low, high = max(piece.first, piece.hit - around, 0), min(piece.end, piece.hit + around, count)
    if high - low < RATE // 200:
        return None
    meant = (piece.read(low, high) * piece.gains).mean(axis=1) * np.float32(gain)
    first, end = low - reach, high + reach
    a, b = max(first, 0, -late), min(end, count, len(heard) - late)
    if b - a < high - low or not np.any(meant):
        return None
    apart = np.zeros(end - first, np.float32)
    apart[a - first : b - first] = heard[a + late : b + late].mean(axis=1) - rest.between(a, b)
    match = correlate(apart, meant, mode="valid", method="fft")
    power = np.concatenate([[0.0], np.cumsum(np.square(apart, dtype=np.float64))])
    size = np.sqrt((power[len(meant) :] - power[: -len(meant)]) * np.square(meant, dtype=np.float64).sum()) + 1e-12
    alike = match / size
    top = int(alike.argmax())
    if alike[top] < ALIKE:
        return None
    place = float(top)
    if 0 < top < len(match) - 1:
        left, here, right = (float(v) for v in match[top - 1 : top + 2])
        bend = left - 2 * here + right
        place += 0.5 * (left - right) / bend if bend < 0 else 0.0
    return place - reach
