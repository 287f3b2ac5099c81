"""What a nest is as footage, and which of its frames a clip shows: both follow from the points that it stands on."""

from __future__ import annotations

import math
from collections.abc import Iterator
from fractions import Fraction
from typing import TYPE_CHECKING

from msgspec.structs import replace

from tempik.memo import Memory
from tempik.reel import Clip, Footage, Reel
from tempik.time import time_of
from tempik.timeline.placed import Placed

if TYPE_CHECKING:
    from tempik.timeline.timeline import Timeline

# An instant this little before a frame is on it: what is worked out in floating point must not cost a frame.
EXACT = 1e-3
_IN_REGISTER: Memory[Clip] = Memory(2000)


def as_footage(footage: Footage, reel: Reel, frames: int) -> Footage:
    """Return a nest with what a clip's place asks of footage: the reel's size and rate, and its span's length."""
    frames = max(frames, 1)
    return replace(
        footage,
        width=reel.width,
        height=reel.height,
        rate=reel.rate,
        length_s=time_of(frames, reel.rate),
        frames=frames,
        alpha=True,
        has_sound=is_heard(reel, footage),
    )


def is_heard(reel: Reel, footage: Footage, depth: int = 0) -> bool:
    """Tell whether a clip of footage can be heard: it was filmed with sound, or a clip of the nest that it is can be."""
    if footage.nest is None:
        return footage.has_sound
    pieces = {f.id: f for f in reel.footage}
    on = {c.footage for c in footage.nest.clips if c.sound.on} & pieces.keys()
    return depth < len(pieces) and any(is_heard(reel, pieces[name], depth + 1) for name in on)


def frame_inside(footage: Footage, begin: int, source_s: float, rate: Fraction) -> int:
    """Return the frame of the reel's time that a nest shows at an instant of its own; past its ends its end frames."""
    number = math.floor(source_s * float(rate) + EXACT)
    return begin + min(max(number, 0), footage.frames - 1)


def in_register(clip: Clip, frames: int, rate: Fraction) -> Clip:
    """Return a clip of a nest that begins so many frames after its nest does, showing there what lies there; as it is where it
    plays at another speed than its own."""
    if clip.pins or clip.shaped is not None or any(n.speed != 1.0 for n in clip.curve.nodes):
        return clip
    values = (frames, rate.numerator, rate.denominator)
    return _IN_REGISTER.get((clip,), values, lambda: replace(clip, source_s=time_of(frames, rate)))


def placed_within(timeline: Timeline) -> Iterator[Placed]:
    """Yield every clip that lies on a reel, and those that lie in the nests among them."""
    for placed in timeline.placed:
        yield placed
        if placed.footage.nest is not None:
            yield from placed_within(timeline.inside(placed.footage))
