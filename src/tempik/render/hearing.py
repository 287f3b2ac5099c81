"""Sound for listening while editing: clicks on points, and the song slowed without changing its pitch."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np

from tempik.media import Sound
from tempik.media.audio import Samples
from tempik.render.clip_sound import cached_blocks

CLICK_S = 0.03
PACES = (1.0, 0.75, 0.5)
# Seconds that are slowed one by one, so that playing can begin, before longer blocks.
FIRST_BLOCKS = 3


def with_clicks(sound: Sound, clicks: Iterable[tuple[float, bool]], level: float, start_s: float = 0.0) -> Sound:
    """Return a sound with a click at each (seconds, high), the sound's first sample being at `start_s`.

    A click begins on its sample, full at once: what is heard is where the point is. `level` is 0 to 1.
    """
    out: Samples = sound.samples.copy()
    if level > 0:
        t = np.arange(int(CLICK_S * sound.rate)) / sound.rate
        shape = np.exp(-t * 160)
        sounds = {
            high: (level * 0.9 * np.cos(2 * np.pi * hz * t) * shape).astype(np.float32)[:, None]
            for high, hz in ((True, 2100.0), (False, 1400.0))
        }
        for time_s, high in clicks:
            at = round((time_s - start_s) * sound.rate)
            if 0 <= at < len(out):
                part = out[at : at + len(t)]
                part += sounds[high][: len(part)]
    return Sound(out, sound.rate)


def slowed_blocks(sound: Sound, pace: float) -> Iterator[Samples]:
    """Yield a sound played at a share of its pace (0.25 to 1) with its pitch kept, the first block soon.

    An instant of the sound comes out at that instant divided by the pace.
    """
    count = round(len(sound.samples) / pace)
    edges = [*range(0, FIRST_BLOCKS * sound.rate, sound.rate), *range(FIRST_BLOCKS * sound.rate, count, 8 * sound.rate)]
    edges = [e for e in edges if e < count - sound.rate // 4] or [0]
    yield from cached_blocks(np.arange(count, dtype=np.float64) * (pace / sound.rate), sound, [*edges, count])


def slowed(sound: Sound, pace: float) -> Sound:
    """Return a sound slowed as `slowed_blocks` does, exactly as long as the sound divided by the pace."""
    if pace == 1.0 or not len(sound.samples):
        return sound
    return Sound(np.concatenate(list(slowed_blocks(sound, pace))), sound.rate)
