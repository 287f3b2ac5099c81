"""Clips' own sound, read from their files: which clips are heard, and what of each."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from cachetools import LRUCache

from tempik.errors import TempikError
from tempik.media import Sound, decode_sound
from tempik.media.audio import Samples
from tempik.render.clip_sound import ClipAudio, clip_audio
from tempik.sounds.loudness import RATE
from tempik.time import time_of
from tempik.timeline.inside import frame_inside, inside_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline
from tempik.timeline.transitions import PlacedTransition


def heard_clips(timeline: Timeline) -> list[PlacedClip]:
    """Return the clips whose own sound is heard: turned on, filmed with sound, on a track that is shown. Those of one file
    stand together, so that each file is read once."""
    heard = [
        p
        for p in timeline.placed
        if p.clip.sound.on and p.footage.has_sound and not timeline.reel.tracks[p.clip.track].hidden
    ]
    return sorted(heard, key=lambda p: p.footage.path)


def transitions_of(timeline: Timeline, placed: PlacedClip) -> tuple[PlacedTransition | None, PlacedTransition | None]:
    """Return the transitions over a clip's start and over its end, of known kinds."""
    start, end = timeline.transition_of(placed.clip.id), timeline.transition_of(placed.clip.id, True)
    return (
        start if start is not None and start.kind is not None else None,
        end if end is not None and end.kind is not None else None,
    )


class FootageSounds:
    """Sounds of clips, each file being read once and let go after its last clip but for the last few."""

    def __init__(self, timeline: Timeline, most: int = 3) -> None:
        self.timeline = timeline
        self._read: LRUCache[str, Sound | None] = LRUCache(most)

    def use(self, timeline: Timeline) -> None:
        """Make sounds of another state of the reel; what was read of files stays."""
        self.timeline = timeline

    def track(self, placed: PlacedClip) -> ClipAudio | None:
        """Return a clip's sound, or None where its file has none that can be read."""
        sound = self._read_file(placed.footage.path) if placed.footage.nest is None else self._nested(placed)
        if sound is None:
            return None
        transitions = transitions_of(self.timeline, placed)
        return clip_audio(placed, sound, self.timeline.rate, self.timeline.reel.crossfade_ms / 1000, transitions)

    def _nested(self, placed: PlacedClip) -> Sound:
        """Return what is heard in a nest over its span, without the song."""
        inside = inside_of(self.timeline, placed.footage)
        out: Samples = np.zeros((round(time_of(inside.frames, inside.rate) * RATE), 2), np.float32)
        _add_clips(out, inside, FootageSounds(inside).track)
        first = round(time_of(frame_inside(self.timeline, placed, 0.0), inside.rate) * RATE)
        return Sound(out[first : first + round(placed.footage.length_s * RATE)], RATE)

    def _read_file(self, path: str) -> Sound | None:
        if path not in self._read:
            try:
                self._read[path] = decode_sound(path, RATE)
            except TempikError:
                self._read[path] = None
        return self._read[path]


def _add_clips(out: Samples, timeline: Timeline, tracks: Callable[[PlacedClip], ClipAudio | None]) -> None:
    for placed in heard_clips(timeline):
        track = tracks(placed)
        if track is not None:
            a, b = max(track.first, 0), min(track.first + len(track.samples), len(out))
            if b > a:
                out[a:b] += track.samples[a - track.first : b - track.first]
