"""What a sound of the shelf is: its name, what it is like, and the function that makes it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

from tempik.sounds.shaping import Wave

if TYPE_CHECKING:
    from numpy.random import Generator  # not loaded before a sound is made


class MadeSound(NamedTuple):
    """A sound as it was made, mono or stereo at 48 kHz, and its hit in seconds."""

    wave: Wave
    hit_s: float


class SoundKind(NamedTuple):
    """A sound of the shelf. `beats` is how many beats it climbs over by itself; 0 for one that has its own length. One that `falls`
    can be stretched too, from its hit on."""

    name: str
    title: str
    tags: tuple[str, ...]
    does: str
    length_s: float
    beats: float
    make: Callable[[Generator, float], MadeSound]
    falls: bool = False

    @property
    def stretches(self) -> bool:
        """Whether it can be made as long as is wanted."""
        return self.beats > 0 or self.falls


def sound(
    name: str, title: str, tags: str, does: str, length_s: float, beats: float = 0.0, falls: bool = False
) -> Callable[[Callable[[Generator, float], MadeSound]], SoundKind]:
    """Make a sound of the shelf of a function that draws it, a given number of seconds long."""
    return lambda make: SoundKind(name, title, tuple(tags.split()), does, length_s, beats, make, falls)
