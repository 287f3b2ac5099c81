"""The song as it is arranged: stretches of its file one after the other, joined with equal power."""

from __future__ import annotations

from tempik.media import Sound
from tempik.media.audio import Samples
from tempik.reel import Soundtrack


def song_samples(song: Soundtrack, sound: Sound) -> Samples:
    """Return the samples of a song as the reel uses it; `sound` is what its file holds, at the rate of the mix."""
    return sound.samples
