"""Sounds as they are triggered and laid: shelf and files at 48 kHz, higher or lower, stretched, backward, round and round."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from cachetools import LRUCache

from tempik.disk.reading import is_regular
from tempik.errors import TempikError
from tempik.media import Sound, decode_sound
from tempik.media.audio import Samples
from tempik.reel import Reel, SoundClip, by_id
from tempik.render.clip_sound import Times, cut_of, following, kept
from tempik.sounds.loudness import RATE
from tempik.sounds.shelf import SHELF, Take, is_made, take_of
from tempik.timeline.sound_triggers import SoundTrigger, sound_hit, unknown_sounds
from tempik.timeline.timeline import Timeline

MOST_BYTES = 192 << 20
# Files shorter than this are triggered; of a longer one so much after its hit.
MOST_STRUCK_S = 30.0
# Sound played with its pitch kept is made whole, up to this.
MOST_KEPT_S = 600.0
SILENCE = np.zeros((0, 2), np.float32)


class HeardSpan(NamedTuple):
    """What is heard of something in the mix: samples from `first` of the reel up to `end`, read a stretch at a time."""

    first: int
    end: int
    read: Callable[[int, int], Samples]


class SoundBank:
    """The samples of sounds, files being read once and the last of them kept; threads may ask at once."""

    def __init__(self) -> None:
        self._files: LRUCache[str, Sound | None] = LRUCache(MOST_BYTES, getsizeof=_size)
        self._triggered: LRUCache[tuple[object, ...], Take] = LRUCache(
            MOST_BYTES, getsizeof=lambda t: t.samples.nbytes + 200
        )
        self._lock = threading.Lock()

    def forget(self) -> None:
        """Read files anew when they are next asked for."""
        with self._lock:
            self._files.clear()
            self._triggered.clear()

    def source(self, reel: Reel, sound: str, made_only: bool = False) -> Sound | None:
        """Return a sound as it is, None for one that is not known or cannot be read, or, with `made_only`, was not read yet."""
        own = by_id(reel.sounds, sound)
        if own is None:
            if sound not in SHELF or (made_only and not is_made(sound)):
                return None
            return Sound(take_of(sound).samples, RATE)
        with self._lock:
            if own.path in self._files:
                return self._files[own.path]
        if made_only:
            return None
        try:
            found: Sound | None = decode_sound(own.path, RATE)
        except TempikError:
            found = None
        self._keep(self._files, own.path, found)
        return found

    def triggered(
        self, reel: Reel, trigger: SoundTrigger, fades: tuple[float, float] = (0.0, 0.0), made_only: bool = False
    ) -> Take | None:
        """Return a trigger's samples and where in them its hit is, to the sample; None for one that was not made yet, with
        `made_only`."""
        hit_s, own = sound_hit(reel, trigger.sound, made_only), by_id(reel.sounds, trigger.sound)
        name = own.path if own is not None else trigger.sound
        key = (name, round(trigger.semitones, 3), round(trigger.length_s * 1000), hit_s, fades)
        with self._lock:
            if key in self._triggered:
                return self._triggered[key]
        if made_only:
            return None
        made = self._trigger(reel, trigger, hit_s, fades)
        self._keep(self._triggered, key, made)
        return made

    def _keep(self, store: LRUCache[Any, Any], key: object, made: object) -> None:
        with self._lock:
            try:
                store[key] = made
            except ValueError:
                pass  # larger than all that is kept: made each time

    def _trigger(self, reel: Reel, trigger: SoundTrigger, hit_s: float, fades: tuple[float, float]) -> Take:
        source = self.source(reel, trigger.sound)
        if source is None or not len(source.samples):
            return Take(SILENCE, 0)
        samples, hit = source.samples, hit_s * RATE
        if trigger.length_s > 0 and trigger.sound in SHELF:
            made = take_of(trigger.sound, trigger.length_s)
            hit = made.hit + (hit - take_of(trigger.sound).hit)  # moved by hand as on the sound itself
            samples = made.samples
        elif trigger.length_s > 0:
            samples, hit = self._stretched(source, hit, trigger.length_s)
        first = max(0, round(hit) - round(MOST_STRUCK_S * RATE))
        samples = np.asarray(samples[first : round(hit) + round(MOST_STRUCK_S * RATE)], np.float32)
        hit -= first
        ratio = 2 ** (trigger.semitones / 12)
        at = round(hit / ratio)
        if abs(ratio - 1) > 1e-6:
            count = max(1, round(len(samples) / ratio))
            samples = following((hit + (np.arange(count) - at) * ratio) / RATE, Sound(samples, RATE))
        return Take(faded(samples, *fades), at)

    def _stretched(self, source: Sound, hit: float, length_s: float) -> tuple[Samples, float]:
        """Return a file's sound stretched, its pitch kept, so that its hit, or its end, comes `length_s` after it begins."""
        whole = hit if hit > 0.1 * RATE else len(source.samples)
        ratio = whole / RATE / length_s
        count = round(len(source.samples) / ratio)
        if not 0.2 <= ratio <= 5 or count > MOST_STRUCK_S * RATE:
            return source.samples, hit
        return kept(np.arange(count, dtype=np.float64) * (ratio / RATE), source), hit / ratio

    def laid(
        self, reel: Reel, clip: SoundClip, begin_s: float, end_s: float, made_only: bool = False
    ) -> HeardSpan | None:
        """Return a clip of a sound track as it is heard, its gain and fades with it; None where its sound cannot be had."""
        source = self.source(reel, clip.sound, made_only)
        if source is None or not len(source.samples):
            return None
        first, end = round(begin_s * RATE), round(end_s * RATE)
        heard = _reader(source, clip, end - first)
        gain = np.float32(10 ** (clip.gain_db / 20))

        def read(a: int, b: int) -> Samples:
            out = heard(a - first, b - first) * gain
            return out * fade_curve(a - first, b - first, end - first, clip.fade_in_s, clip.fade_out_s)[:, None]

        return HeardSpan(first, end, read)


def _reader(source: Sound, clip: SoundClip, count: int) -> Callable[[int, int], Samples]:
    """Return what reads a clip's samples between two of its own."""
    length = len(source.samples)
    start = round(clip.from_s * RATE)
    if clip.speed == 1.0 and not clip.backward and not clip.loop:
        return lambda a, b: cut_of(source.samples, start + a, start + b)

    def places(a: int, b: int) -> Times:
        at = np.asarray(start + np.arange(a, b) * clip.speed, np.float64)
        if clip.loop:
            at %= length
        return np.asarray(length - 1 - at) if clip.backward else at

    if clip.speed == 1.0:
        return lambda a, b: _picked(source.samples, places(a, b).astype(np.int64))
    if clip.preserve_pitch and count <= MOST_KEPT_S * RATE and not clip.loop:
        made: list[Samples] = []

        def stretched(a: int, b: int) -> Samples:
            if not made:
                made.append(kept(places(0, count) / RATE, source))
            return made[0][a:b]

        return stretched
    return lambda a, b: following(places(a, b) / RATE, source)


def _picked(samples: Samples, at: np.ndarray[tuple[int], np.dtype[np.int64]]) -> Samples:
    inside = (at >= 0) & (at < len(samples))
    out = np.zeros((len(at), 2), np.float32)
    out[inside] = samples[at[inside]]
    return out


def faded(samples: Samples, in_s: float, out_s: float) -> Samples:
    """Return a sound with its ends faded, straight in amplitude."""
    if in_s <= 0 and out_s <= 0:
        return samples
    return samples * fade_curve(0, len(samples), len(samples), in_s, out_s)[:, None]


def fade_curve(a: int, b: int, count: int, in_s: float, out_s: float) -> Samples:
    """Return how much is heard of the samples `a` up to `b` of a sound of `count` that fades at its ends, straight in amplitude."""
    out = np.ones(b - a, np.float32)
    for seconds, at_end in ((in_s, False), (out_s, True)):
        span = min(round(seconds * RATE), count)
        if span <= 0:
            continue
        at = np.arange(a, b)
        share = (count - 1 - at if at_end else at) / max(span - 1, 1)
        out *= np.clip(share, 0, 1).astype(np.float32)
    return out


def _size(sound: Sound | None) -> int:
    return 200 + (0 if sound is None else sound.samples.nbytes)


def message_of_sounds(timeline: Timeline) -> list[str]:
    """Return sentences on sounds that the reel uses and that cannot be heard: files that are gone, names that are not known."""
    reel = timeline.reel
    used = {s for r in reel.sound_lanes for s in r.sounds} | {c.sound for c in reel.sound_clips}
    gone = [s.path for s in reel.sounds if s.id in used and not is_regular(s.path)]
    return [f"{path} is missing: nothing is heard of it; say where it is." for path in gone] + [
        f"This version does not know the sound '{name}'; nothing is heard of it." for name in unknown_sounds(reel)
    ]
