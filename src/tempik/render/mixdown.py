"""The mix as a function of time: what is heard between any two samples of the reel, channel by channel and all together.

Blocks are made one by one, so an hour takes no more memory than a minute, and playing that begins in the middle sounds as the
export does there.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterator
from typing import NamedTuple
from weakref import WeakMethod

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from tempik.media import Sound, decode_sound
from tempik.media.audio import Samples
from tempik.reel import Ducking, Mix
from tempik.render.clip_sound import ClipAudio
from tempik.render.footage_sounds import FootageSounds, heard_clips
from tempik.render.mastering import BLOCK, Master
from tempik.render.song_sound import song_samples
from tempik.render.sound_bank import SoundBank, fade_curve
from tempik.sounds.loudness import RATE, Loudness
from tempik.time import time_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.sound_triggers import evaluated_sound_lanes, laid_sounds, silent_channels
from tempik.timeline.timeline import Timeline

# Sounds of clips that are held while the mix goes by.
MOST_TRACK_BYTES = 256 << 20
# How finely it is told whether something ducks the song.
DUCK_HOP = RATE // 1000
DUCK_WINDOW = 10  # hops over which its level is taken

ClipTracks = Callable[[PlacedClip], ClipAudio | None]


class MixPiece(NamedTuple):
    """Something that is heard on a channel of the mix, what it is (a trigger's step, a clip), at which sample its hit sounds, and what
    its own gain and the channel's make, left and right."""

    channel: str
    what: str
    hit: int
    first: int
    end: int
    read: Callable[[int, int], Samples]
    gains: NDArray[np.float32]
    ducks: bool


class Mixdown:
    """A reel's mix. Cheap to build for each state of a reel: files and triggers lie in the `sound_bank`, clips' own sound comes from
    `tracks` (None while one is not ready), the song from `song` where the caller has decoded and arranged it."""

    def __init__(
        self,
        timeline: Timeline,
        song: Sound | None = None,
        tracks: ClipTracks | None = None,
        sound_bank: SoundBank | None = None,
        without: str | None = None,
        design_alone: bool = False,
        made_only: bool = False,
    ) -> None:
        """`without` leaves a channel out, but for what ducks under it; `design_alone` the song and the clips' own sound;
        `made_only` what would have to be made or read first. Raises TempikError when the song cannot be read."""
        self.timeline = timeline
        self.mix: Mix = timeline.reel.mix
        self.count = round(time_of(timeline.frames, timeline.rate) * RATE)
        self._sound_bank = sound_bank or SoundBank()
        self._tracks = tracks or FootageSounds(timeline).track
        self._made: LRUCache[str, ClipAudio | None] = LRUCache(MOST_TRACK_BYTES, getsizeof=_track_size)
        self._clips = heard_clips(timeline)
        self._without, self._made_only = without, made_only
        self.waits = False  # something was left out that is to be made
        self._silent = silent_channels(timeline.reel) | ({"song", "clips"} if design_alone else set())
        self._song: Samples | None = None
        record = timeline.reel.soundtrack
        if record is not None and "song" not in self._silent:
            self._song = song.samples if song is not None else song_samples(record, decode_sound(record.path, RATE))
        self._song_gains = _gains(self.mix.song.gain_db, self.mix.song.pan)
        self.pieces = sorted(self._triggers() + self._laid(), key=lambda p: p.first)
        self._firsts = [p.first for p in self.pieces]
        self._longest = max((p.end - p.first for p in self.pieces), default=0)
        self._duck: NDArray[np.float32] | None = None
        self._master = Master(_borrowed(WeakMethod(self.plain)), self.count, self.mix.ceiling_db)

    def _triggers(self) -> list[MixPiece]:
        out = []
        for found in evaluated_sound_lanes(self.timeline):
            lane = found.lane
            if lane.id in self._silent:
                continue
            gains = _gains(lane.gain_db, lane.pan)
            for trigger in found.triggers:
                fades = (lane.fade_in_s, lane.fade_out_s)
                take = self._sound_bank.triggered(self.timeline.reel, trigger, fades, self._made_only)
                if take is None:
                    self.waits = True
                    continue
                first = round(trigger.at_s * RATE) - take.hit
                if len(take.samples) and first < self.count and first + len(take.samples) > 0:
                    read = _slices(take.samples, first)
                    own = gains * np.float32(trigger.gain)
                    out.append(
                        MixPiece(
                            lane.id,
                            trigger.step,
                            first + take.hit,
                            first,
                            first + len(take.samples),
                            read,
                            own,
                            lane.ducks,
                        )
                    )
        return out

    def _laid(self) -> list[MixPiece]:
        out = []
        for laid in laid_sounds(self.timeline):
            track = laid.track
            if track.id in self._silent or laid.begin_s * RATE >= self.count or laid.end_s <= 0:
                continue
            heard = self._sound_bank.laid(self.timeline.reel, laid.clip, laid.begin_s, laid.end_s, self._made_only)
            if heard is None:
                self.waits = self.waits or self._made_only
            else:
                gains = _gains(track.gain_db, track.pan)
                hit = round((laid.begin_s if laid.hit_s is None else laid.hit_s) * RATE)
                out.append(
                    MixPiece(track.id, laid.clip.id, hit, heard.first, heard.end, heard.read, gains, track.ducks)
                )
        return out

    # What is heard

    def plain(self, first: int, end: int) -> Samples:
        """Return the mix between two samples before it is mastered; silence outside the reel."""
        out: Samples = np.zeros((end - first, 2), np.float32)
        a, b = max(first, 0), min(end, self.count)
        if b > a:
            part = out[a - first : b - first]
            self._add_song(part, a, b)
            for _, samples, at in self._heard(a, b):
                part[at : at + len(samples)] += samples
        return out

    def channels(self, first: int, end: int) -> dict[str, Samples]:
        """Return what each channel adds to the mix between two samples of the reel."""
        a, b = max(first, 0), min(end, self.count)
        out: dict[str, Samples] = {}
        if b <= a:
            return out
        song: Samples = np.zeros((b - a, 2), np.float32)
        self._add_song(song, a, b)
        out["song"] = song
        for channel, samples, at in self._heard(a, b):
            if channel not in out:
                out[channel] = np.zeros((b - a, 2), np.float32)
            out[channel][at : at + len(samples)] += samples
        return out

    def _add_song(self, out: Samples, a: int, b: int) -> None:
        record = self.timeline.reel.soundtrack
        if record is None or self._song is None or self._without == "song":
            return
        first = round(record.start_s * RATE)
        part = self._song[first + a : first + b]
        if not len(part):
            return
        gain = fade_curve(a, a + len(part), self.count, record.fade_in_s, record.fade_out_s)
        gain *= np.float32(10 ** (record.gain_db / 20))
        duck = self._ducked()
        if duck is not None:
            gain *= np.interp(np.arange(a, a + len(part)) / DUCK_HOP, np.arange(len(duck)), duck).astype(np.float32)
        out[: len(part)] = part * gain[:, None] * self._song_gains

    def _heard(self, a: int, b: int) -> Iterator[tuple[str, Samples, int]]:
        """Yield what sounds between two samples: its channel, its samples, and where among these it begins."""
        for number in range(bisect_left(self._firsts, a - self._longest), len(self.pieces)):
            piece = self.pieces[number]
            if piece.first >= b:
                break
            low, high = max(piece.first, a), min(piece.end, b)
            if high > low and piece.channel != self._without:
                yield piece.channel, piece.read(low, high) * piece.gains, low - a
        if "clips" in self._silent or self._without == "clips":
            return
        gains = _gains(self.mix.clips.gain_db, self.mix.clips.pan)
        rate = float(self.timeline.rate)
        for placed in self._clips:
            # A clip is heard beyond its slot for as long as its transitions and crossfades last: a second is more than these.
            if (placed.first / rate - 20) * RATE > b or (placed.end / rate + 20) * RATE < a:
                continue
            track = self._track(placed)
            if track is not None:
                low, high = max(track.first, a), min(track.first + len(track.samples), b)
                if high > low:
                    yield "clips", track.samples[low - track.first : high - track.first] * gains, low - a

    def _track(self, placed: PlacedClip) -> ClipAudio | None:
        name = placed.clip.id
        if name not in self._made:
            found = self._tracks(placed)
            try:
                self._made[name] = found
            except ValueError:  # larger than all that is held
                return found
        return self._made[name]

    # Ducking

    def _ducked(self) -> NDArray[np.float32] | None:
        """Return by which factor the song is lowered at each hop; None where nothing ducks it."""
        clips_duck = self.mix.clips.ducks and "clips" not in self._silent and bool(self._clips)
        if not clips_duck and not any(p.ducks for p in self.pieces):
            return None
        if self._duck is None:
            loud = np.zeros(self.count // DUCK_HOP + 2, bool)
            threshold = 10 ** (self.mix.ducking.threshold_db / 20)
            for piece in self.pieces:
                if piece.ducks:
                    _mark(loud, piece.read, piece.first, piece.end, float(piece.gains.max()), threshold)
            if clips_duck:
                gain = float(_gains(self.mix.clips.gain_db, self.mix.clips.pan).max())
                for placed in self._clips:
                    track = self._track(placed)
                    if track is not None:
                        end = track.first + len(track.samples)
                        _mark(loud, _slices(track.samples, track.first), track.first, end, gain, threshold)
            self._duck = ducked(loud, self.mix.ducking)
        return self._duck

    # The master

    def levels(self) -> Loudness:
        """Return how loud the mix is before it is mastered."""
        return self._master.levels()

    def gain(self, part: tuple[int, int] | None = None) -> float:
        """Return the gain that brings the mix, or a part of it between two samples, to its loudness, as a factor."""
        return self._master.gain_for(self.mix.loudness, part)

    def block(self, number: int, gain: float) -> Samples:
        """Return a block of the mastered mix; all are BLOCK samples long but the last."""
        return self._master.block(number, gain)

    def mastered(self, first: int, end: int, gain: float) -> Samples:
        """Return what is heard between two samples of the reel, mastered at a gain."""
        first, end = max(first, 0), min(end, self.count)
        if end <= first:
            return np.zeros((0, 2), np.float32)
        numbers = range(first // BLOCK, (end - 1) // BLOCK + 1)
        whole = np.concatenate([self.block(n, gain) for n in numbers])
        return whole[first - numbers[0] * BLOCK : end - numbers[0] * BLOCK]

    def factors(self, number: int, gain: float) -> NDArray[np.float32]:
        """Return by which factor the master multiplies each sample of a block."""
        return self._master.factors(number, gain)

    def blocks(self, gain: float | None = None) -> Iterator[Samples]:
        """Yield the mastered mix from its beginning to its end."""
        found = self.gain() if gain is None else gain
        for number in range(self._master.blocks):
            yield self.block(number, found)


def _borrowed(plain: WeakMethod[Callable[[int, int], Samples]]) -> Callable[[int, int], Samples]:
    """Return how the master reads the mix that it belongs to. Were it to hold that, all that both keep would stay after the last
    use, until cycles are looked for."""

    def read(first: int, end: int) -> Samples:
        mix = plain()
        assert mix is not None  # the mix holds its master
        return mix(first, end)

    return read


def ducked(loud: NDArray[np.bool_], ducking: Ducking) -> NDArray[np.float32]:
    """Return by which factor the song is lowered, hop by hop: fully where something is `loud`, going down before it and coming back
    after it in decibels, by curves without corners. Both of shape (n,), a value for each hop of DUCK_HOP samples."""
    at = np.arange(len(loud), dtype=np.float64)
    far = float(len(loud) * 2)
    last = np.maximum.accumulate(np.where(loud, at, -far))
    coming = np.minimum.accumulate(np.where(loud, at, 2 * far)[::-1])[::-1]
    per_ms = RATE / DUCK_HOP / 1000
    back = np.clip(1 - (at - last) / max(ducking.release_ms * per_ms, 1e-9), 0, 1)
    down = np.clip(1 - (coming - at) / max(ducking.attack_ms * per_ms, 1e-9), 0, 1)
    share = np.maximum(back, down)
    share = share * share * (3 - 2 * share)
    return np.asarray(10 ** (-ducking.depth_db * share / 20), np.float32)


def _mark(
    loud: NDArray[np.bool_], read: Callable[[int, int], Samples], first: int, end: int, gain: float, threshold: float
) -> None:
    """Mark the hops in which something is louder than a threshold."""
    for a in range(first, end, 60 * RATE):
        samples = read(a, min(a + 60 * RATE, end))
        count = -(-len(samples) // DUCK_HOP)
        power = np.zeros(count * DUCK_HOP, np.float32)
        power[: len(samples)] = np.square(np.maximum(np.abs(samples[:, 0]), np.abs(samples[:, 1])))
        level = np.sqrt(power.reshape(count, DUCK_HOP).mean(axis=1)) * gain
        level = np.convolve(level, np.ones(DUCK_WINDOW) / DUCK_WINDOW, "same")[:count]
        hops = a // DUCK_HOP + np.flatnonzero(level > threshold)
        loud[hops[(hops >= 0) & (hops < len(loud))]] = True


def _slices(samples: Samples, first: int) -> Callable[[int, int], Samples]:
    return lambda a, b: samples[a - first : b - first]


def _gains(gain_db: float, pan: float) -> NDArray[np.float32]:
    """Return the factors for left and right: equal power, and nothing changed in the middle."""
    angle = (min(max(pan, -1.0), 1.0) + 1) * np.pi / 4
    gain = 10 ** (gain_db / 20)
    if pan == 0:
        return np.array([gain, gain], np.float32)
    return np.asarray(np.sqrt(2) * gain * np.array([np.cos(angle), np.sin(angle)]), np.float32)


def _track_size(track: ClipAudio | None) -> int:
    return 200 if track is None else track.samples.nbytes + 200
