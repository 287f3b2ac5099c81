"""What lies in the nests of a reel, each a timeline of its own, and which of its frames a clip shows."""

from __future__ import annotations

import math
from collections.abc import Iterator

from msgspec.structs import replace

from tempik.derive import DERIVED, Stage
from tempik.reel import Footage
from tempik.reel.nests import level_of
from tempik.time import time_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline

# An instant this little before a frame is on it: what is worked out in floating point must not cost a frame.
EXACT = 1e-3
_INSIDE: Stage[Timeline] = Stage("inside of a nest", 6)


def inside_of(timeline: Timeline, footage: Footage) -> Timeline:
    """Return what lies in a nest, in the reel's own time and with all that goes for the whole reel."""
    nest, reel = footage.nest, timeline.reel
    assert nest is not None
    until_s = time_of(timeline.edge_frame(nest.end), reel.rate)
    parts = (nest, reel.footage, reel.soundtrack, reel.bundles)
    rate = (reel.rate.numerator, reel.rate.denominator)
    settings = (
        reel.width,
        reel.height,
        reel.length_s,
        reel.interpolation,
        reel.crossfade_ms,
        reel.amount,
        reel.shutter_deg,
    )

    def made() -> Timeline:
        level = level_of(reel, footage)
        return Timeline(replace(level, length_s=max(level.length_s, until_s)))

    return DERIVED.get(_INSIDE, parts, (*rate, *settings), made)


def frame_inside(timeline: Timeline, placed: PlacedClip, source_s: float) -> int:
    """Return the frame of the reel's time that a clip of a nest shows at an instant of the nest; past its ends its end
    frames."""
    nest = placed.footage.nest
    assert nest is not None
    number = math.floor(source_s * float(timeline.rate) + EXACT)
    return timeline.edge_frame(nest.start) + min(max(number, 0), placed.footage.frames - 1)


def placed_within(timeline: Timeline) -> Iterator[PlacedClip]:
    """Yield every clip that lies on a reel, and those that lie in the nests among them."""
    for placed in timeline.placed:
        yield placed
        if placed.footage.nest is not None:
            yield from placed_within(inside_of(timeline, placed.footage))
