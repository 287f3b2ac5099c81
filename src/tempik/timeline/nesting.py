"""What a nest is as footage, and a clip of it in register with the reel: both follow from the points that it stands on."""

from __future__ import annotations

from fractions import Fraction

from msgspec.structs import replace

from tempik.derive import DERIVED, Stage
from tempik.reel import Clip, Footage, Reel
from tempik.time import time_of

_IN_REGISTER: Stage[Clip] = Stage("clip in register")


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


def in_register(clip: Clip, frames: int, rate: Fraction) -> Clip:
    """Return a clip of a nest that begins so many frames after its nest does, showing there what lies there; as it is where it
    plays at another speed than its own."""
    if clip.pins or clip.shaped is not None or any(n.speed != 1.0 for n in clip.curve.nodes):
        return clip
    values = (frames, rate.numerator, rate.denominator)
    return DERIVED.get(_IN_REGISTER, (clip,), values, lambda: replace(clip, source_s=time_of(frames, rate)))
