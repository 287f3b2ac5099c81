"""The mix: the stretch of song that the reel uses, to the sample, with gain and fades."""

from __future__ import annotations

import numpy as np

from tempik.edit.timeline import Timeline
from tempik.media import Sound, decode_sound
from tempik.media.audio import Samples
from tempik.time import time_of

SOUND_RATE = 48000


def mix(timeline: Timeline, song: Sound | None = None) -> Sound:
    """Return the reel's sound, exactly as long as its picture, in stereo at 48 kHz.

    `song` is the decoded song where the caller has it at that rate; otherwise it is read from its file.
    A song that ends before the reel is followed by silence. Raises TempikError when the song cannot be read.
    """
    count = round(time_of(timeline.frames, timeline.rate) * SOUND_RATE)
    out: Samples = np.zeros((count, 2), np.float32)
    record = timeline.reel.soundtrack
    if record is None:
        return Sound(out, SOUND_RATE)
    if song is None:
        song = decode_sound(record.path, SOUND_RATE)
    first = round(record.start_s * SOUND_RATE)
    part = song.samples[first : first + count]
    out[: len(part)] = part
    out *= np.float32(10 ** (record.gain_db / 20))
    _fade(out, record.fade_in_s, record.fade_out_s)
    np.clip(out, -1.0, 1.0, out=out)
    return Sound(out, SOUND_RATE)


def _fade(samples: Samples, in_s: float, out_s: float) -> None:
    """Fade the ends in place, straight in amplitude."""
    for seconds, at_end in ((in_s, False), (out_s, True)):
        count = min(round(seconds * SOUND_RATE), len(samples))
        if count > 0:
            slope = np.linspace(0.0, 1.0, count, dtype=np.float32)[:, None]
            if at_end:
                samples[-count:] *= slope[::-1]
            else:
                samples[:count] *= slope
