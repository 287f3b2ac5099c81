"""Sound of a file as float samples, starting where the file's clock reads 0."""

from __future__ import annotations

from typing import NamedTuple

import av
import numpy as np
from av.audio.resampler import AudioResampler
from numpy.typing import NDArray

from tempik.errors import TempikError
from tempik.media.opening import opened

Samples = NDArray[np.float32]


class Sound(NamedTuple):
    """Samples of shape (count, 2) between −1 and 1, and how many a second."""

    samples: Samples
    rate: int

    @property
    def length_s(self) -> float:
        return len(self.samples) / self.rate


def decode_sound(path: str, rate: int = 48000, mono: bool = False) -> Sound:
    """Decode the first sound stream of a file, resampled to `rate`.

    Sample 0 is at the file's own time 0: a stream that begins later is preceded by silence. With `mono` the
    samples have shape (count, 1). Raises TempikError when there is no sound or none can be decoded.
    """
    with opened(path) as container:
        if not container.streams.audio:
            raise TempikError(f"{path} has no sound; choose a song, or footage with sound.")
        stream = container.streams.audio[0]
        # A sound file's clock begins with its first sample; a film's where its container does.
        origin = container.start_time / av.time_base if container.start_time is not None else 0.0
        resampler = AudioResampler("fltp", "mono" if mono else "stereo", rate)
        blocks: list[Samples] = []
        begins_s: float | None = None
        try:
            for frame in container.decode(stream):
                if begins_s is None:
                    begins_s = (frame.time or 0.0) - origin
                frame.pts = None
                blocks += [_floats(f) for f in resampler.resample(frame)]
        except (av.error.FFmpegError, OSError):
            pass  # a broken tail: what was heard before it stands
        if begins_s is None:
            raise TempikError(f"{path} holds no sound that can be decoded; copy it again or choose another file.")
        blocks += [_floats(f) for f in resampler.resample(None)]
    samples = np.concatenate(blocks, axis=1).T
    lead = round(begins_s * rate)
    if lead > 0:
        samples = np.concatenate([np.zeros((lead, samples.shape[1]), np.float32), samples])
    elif lead < 0:
        samples = samples[-lead:]
    return Sound(np.ascontiguousarray(samples, dtype=np.float32), rate)


def _floats(frame: av.AudioFrame) -> Samples:
    return np.asarray(frame.to_ndarray(), dtype=np.float32)


def resampled(sound: Sound, rate: int) -> Sound:
    """Return the sound at another rate, of the same length."""
    if rate == sound.rate:
        return sound
    layout = "mono" if sound.samples.shape[1] == 1 else "stereo"
    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(sound.samples.T), "fltp", layout)
    frame.sample_rate = sound.rate
    resampler = AudioResampler("fltp", layout, rate)
    blocks = [_floats(f) for f in (*resampler.resample(frame), *resampler.resample(None))]
    return Sound(np.ascontiguousarray(np.concatenate(blocks, axis=1).T), rate)
