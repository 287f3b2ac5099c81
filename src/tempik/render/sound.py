"""The mix as one piece of sound: exactly as long as the picture."""

from __future__ import annotations

import numpy as np

from tempik.media import Sound
from tempik.render.mixdown import ClipTracks, Mixdown
from tempik.sounds.loudness import RATE
from tempik.timeline.timeline import Timeline

SOUND_RATE = RATE


def mix(timeline: Timeline, song: Sound | None = None, tracks: ClipTracks | None = None) -> Sound:
    """Return the reel's sound, mastered, exactly as long as its picture, in stereo at 48 kHz.

    `song` is the song, decoded and arranged, where the caller has it at that rate; otherwise it is read from its file. `tracks` gives
    the sound of a clip that is to be heard, or None while it is not ready; without it files are read here.
    A song that ends before the reel is followed by silence. Raises TempikError when the song cannot be read.
    """
    mixdown = Mixdown(timeline, song, tracks)
    blocks = list(mixdown.blocks())
    return Sound(np.concatenate(blocks) if blocks else np.zeros((0, 2), np.float32), SOUND_RATE)
