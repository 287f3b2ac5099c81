"""The reel's sound on its own, as a file."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import cast

import av
import numpy as np
from av.audio.stream import AudioStream

from tempik.disk.writing import fresh_file
from tempik.errors import TempikError
from tempik.render.mixdown import Mixdown
from tempik.sounds.loudness import RATE
from tempik.timeline.timeline import Timeline

# What is written, by the file's suffix: the container, the codec and its samples. 24 bits, so that nothing is added to quiet sound.
SOUND_FORMATS = {".wav": ("wav", "pcm_s24le", "s32"), ".flac": ("flac", "flac", "s32")}


def write_sound(timeline: Timeline, target: Path) -> None:
    """Write the reel's sound, mastered, whole or not at all. Raises TempikError when it cannot be written."""
    kind = SOUND_FORMATS.get(target.suffix.lower())
    if kind is None:
        raise TempikError(f"{target} has no ending for sound; choose {' or '.join(SOUND_FORMATS)}.")
    if timeline.frames < 1:
        raise TempikError("The reel has no length yet; nothing would be heard.")
    container, codec, form = kind
    mixdown = Mixdown(timeline)
    try:
        with fresh_file(target) as new, av.open(str(new.path), "w", format=container) as out:
            stream = cast(AudioStream, out.add_stream(codec, rate=RATE, layout="stereo"))
            if form == "s32":
                stream.codec_context.format = form
            sent = 0
            for block in mixdown.blocks():
                whole = np.round(np.clip(block, -1, 1).astype(np.float64) * (2**23 - 1)).astype(np.int32) << 8
                frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(whole.reshape(1, -1)), form, "stereo")
                frame.sample_rate, frame.pts, frame.time_base = RATE, sent, Fraction(1, RATE)
                sent += len(block)
                out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
    except (av.error.FFmpegError, OSError) as error:
        raise TempikError(
            f"{target} could not be written ({getattr(error, 'strerror', None) or error}); choose another place."
        ) from error
