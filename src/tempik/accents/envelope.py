"""The envelope of an accent: nothing before its lead, full exactly on the point's frame, gone after its decay."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

import msgspec

Unit = Literal["frames", "ms", "gap"]


class Length(msgspec.Struct, frozen=True):
    """A length in frames, in milliseconds, or as a share of the gap to the next point."""

    value: float
    unit: Unit = "ms"

    def in_frames(self, rate: Fraction, gap_s: float) -> float:
        if self.unit == "frames":
            return self.value
        return self.value * float(rate) * (gap_s if self.unit == "gap" else 1e-3)


class Envelope(msgspec.Struct, frozen=True):
    """Lead up to the point, hold on it, decay after it; `bend` above 1 falls faster at first."""

    lead: Length = Length(0)
    hold: Length = Length(1, "frames")
    decay: Length = Length(233)
    bend: float = 2.0


def span_frames(envelope: Envelope, rate: Fraction, gap_s: float) -> tuple[int, int]:
    """Return how many frames before its point a pulse may begin, and how many after it it has ended."""
    lead = envelope.lead.in_frames(rate, gap_s)
    after = max(envelope.hold.in_frames(rate, gap_s), 1.0) - 1 + envelope.decay.in_frames(rate, gap_s)
    return int(lead) + 1, int(after) + 1


def level(envelope: Envelope, offset: int, rate: Fraction, gap_s: float) -> float:
    """Return the envelope, 0 to 1, `offset` frames after the frame of its point.

    Exactly 1 at offset 0 and through the hold; 0 at and before the start of the lead, so with no lead the frame
    before the point shows nothing; 0 from the end of the decay on.
    """
    if offset < 0:
        lead = envelope.lead.in_frames(rate, gap_s)
        return max(0.0, 1 + offset / lead) ** envelope.bend if lead > 0 else 0.0
    past = offset - (max(envelope.hold.in_frames(rate, gap_s), 1.0) - 1)
    if past <= 0:
        return 1.0
    decay = envelope.decay.in_frames(rate, gap_s)
    return max(0.0, 1 - past / decay) ** envelope.bend if decay > 0 else 0.0
