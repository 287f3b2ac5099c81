"""The envelope of an accent: nothing before its lead, full exactly on the point's frame, gone after its decay."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import NamedTuple

from tempik.reel import Envelope, Length


class Form(NamedTuple):
    """An envelope worked out for one pulse: lengths in frames, the hold counting the point's own frame."""

    lead: float
    hold: float
    decay: float
    rise: float
    fall: float


def in_frames(length: Length, rate: Fraction, gap_s: float, clip_frames: float) -> float:
    """Return a length in frames; `gap_s` is the time to the next point, `clip_frames` the length of the clip."""
    if length.unit == "frames":
        return length.value
    if length.unit == "clip":
        return length.value * clip_frames
    return length.value * float(rate) * (gap_s if length.unit == "gap" else 1e-3)


def form_of(envelope: Envelope, rate: Fraction, gap_s: float, clip_frames: float = 0.0) -> Form:
    """Return an envelope's lengths in frames for one pulse."""
    lead, hold, decay = (
        in_frames(part, rate, gap_s, clip_frames) for part in (envelope.lead, envelope.hold, envelope.decay)
    )
    return Form(lead, max(hold, 1.0), decay, envelope.rise, envelope.fall)


def span_frames(form: Form) -> tuple[int, int]:
    """Return how many frames before its point a pulse may begin, and how many after it it has ended."""
    return math.ceil(form.lead), math.ceil(form.hold - 1 + form.decay) + 1


def level(form: Form, offset: float) -> float:
    """Return the envelope, 0 to 1, `offset` frames after the frame of its point.

    Exactly 1 at offset 0 and through the hold; 0 at and before the start of the lead, so with no lead the frame
    before the point shows nothing; 0 from the end of the decay on. Interpolation frames, as a shutter sees them, an
    envelope without lead or decay belongs to the nearer frame.
    """
    if offset < 0:
        if form.lead <= 0.5:
            return 1.0 if offset > -0.5 else 0.0
        return float(max(0.0, 1 + offset / form.lead) ** form.rise)
    past = offset - (form.hold - 1)
    if past <= 0:
        return 1.0
    if form.decay <= 0.5:
        return 1.0 if past < 0.5 else 0.0
    return float(max(0.0, 1 - past / form.decay) ** form.fall)
