"""Sound of a file as float samples, starting where the file's clock reads 0."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from typing import IO, NamedTuple, cast

import av
import numpy as np
from av.audio.resampler import AudioResampler
from numpy.typing import NDArray

from tempik.disk.writing import make_folders
from tempik.errors import TempikError
from tempik.media.cache import cache_folder
from tempik.media.long_samples import LongSamples
from tempik.media.opening import opened, sound_stream

Samples = NDArray[np.float32]  # shape (n,) or (n, channels), full scale at ±1


class Sound(NamedTuple):
    """Samples of shape (count, 2) between −1 and 1, and how many a second. Those of a long sound are read by stretches (`LongSamples`):
    take a slice, or `np.asarray` where all are wanted."""

    samples: Samples
    rate: int

    @property
    def length_s(self) -> float:
        """How long it is."""
        return len(self.samples) / self.rate


MOST_S = 3 * 3600.0
LONG_S = 20 * 60.0  # sounds longer than this are held on disk


def decode_sound(path: str, rate: int = 48000, mono: bool = False, whole: bool = False) -> Sound:
    """Decode the first sound stream of a file, resampled to `rate`.

    Sample 0 is at the file's own time 0: a stream that begins later is preceded by silence. With `mono` the
    samples have shape (count, 1). A sound longer than LONG_S is kept in a file that has no name and goes with it,
    not in memory, unless it is wanted `whole`. Raises TempikError when there is no sound or none can be decoded.
    """
    channels = 1 if mono else 2
    blocks: list[Samples] = []
    count, long = 0, None
    for block in sound_blocks(path, rate, mono):
        count += len(block)
        blocks.append(block)
        if long is None and count > LONG_S * rate and not whole:
            long = LongSamples(channels, _nameless(path))
        if long is not None:
            with _room(path):
                for waiting in blocks:
                    long.add(waiting)
            blocks = []
    if long is not None:
        with _room(path):
            long.close()
        return Sound(cast(Samples, long), rate)
    samples = np.concatenate(blocks) if blocks else np.zeros((0, channels), np.float32)
    return Sound(np.ascontiguousarray(samples, dtype=np.float32), rate)


def _too_long(path: str) -> TempikError:
    return TempikError(f"{path} sounds for more than {MOST_S / 3600:.0f} hours; cut the part out that is wanted.")


def _nameless(path: str) -> IO[bytes]:
    """Return a file without a name where analyses are kept: the folder for passing files often lies in memory."""
    folder = cache_folder()
    try:
        make_folders(folder)
        return tempfile.TemporaryFile(dir=folder)
    except OSError as error:
        raise TempikError(
            f"{path} is long and there is no room for its sound in {folder} ({error.strerror}); free some space."
        ) from error


@contextmanager
def _room(path: str) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        raise TempikError(
            f"{path} is long and its sound found no room in {cache_folder()} ({error.strerror}); free some space."
        ) from error


def sound_blocks(path: str, rate: int, mono: bool = False) -> Iterator[Samples]:
    """Yield a file's sound in blocks of samples, as `decode_sound` gives it whole. What is no number is silence. Raises TempikError for a
    file without sound, or none that can be decoded."""
    with opened(path) as container:
        stream = sound_stream(container)
        if stream is None:
            raise TempikError(f"{path} has no sound; choose a song, or footage with sound.")
        # A sound file's clock begins with its first sample; a film's where its container does.
        origin = container.start_time / av.time_base if container.start_time is not None else 0.0
        resampler = AudioResampler("fltp", "mono" if mono else "stereo", rate)
        skip, count = -1, 0
        try:
            for frame in container.decode(stream):
                if skip < 0:
                    lead = round(((frame.time or 0.0) - origin) * rate)
                    if lead > MOST_S * rate:
                        raise _too_long(path)
                    if lead > 0:
                        yield np.zeros((lead, 1 if mono else 2), np.float32)
                    skip, count = max(0, -lead), max(0, lead)
                frame.pts = None
                for made in resampler.resample(frame):
                    block = _floats(made)
                    count += len(block)
                    if count > MOST_S * rate:
                        raise _too_long(path)
                    if skip:
                        block, skip = block[skip:], max(0, skip - len(block))
                    yield block
        except (av.error.FFmpegError, OSError):
            pass  # a broken tail: what was heard before it stands
        if skip < 0:
            raise TempikError(f"{path} holds no sound that can be decoded; copy it again or choose another file.")
        for made in resampler.resample(None):
            yield _floats(made)


def _floats(frame: av.AudioFrame) -> Samples:
    samples = np.asarray(frame.to_ndarray(), dtype=np.float32).T
    if np.isfinite(samples.sum()):
        return samples
    return np.nan_to_num(samples, copy=False, nan=0.0, posinf=1.0, neginf=-1.0)


def resampled(sound: Sound, rate: int, mono: bool = False) -> Sound:
    """Return the sound at another rate, of the same length; the mean of its channels with `mono`."""
    if rate == sound.rate and not mono:
        return sound
    layout = "mono" if mono or sound.samples.shape[1] == 1 else "stereo"
    resampler = AudioResampler("fltp", layout, rate)
    blocks: list[Samples] = []
    for at in range(0, len(sound.samples), 60 * sound.rate):  # a minute at a time: a long sound is not all in memory
        part = sound.samples[at : at + 60 * sound.rate]
        part = part.mean(axis=1, keepdims=True) if mono else part
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(part.T), "fltp", layout)
        frame.sample_rate = sound.rate
        blocks += [_floats(f) for f in resampler.resample(frame)]
    blocks += [_floats(f) for f in resampler.resample(None)]
    return Sound(np.ascontiguousarray(np.concatenate(blocks)), rate)
