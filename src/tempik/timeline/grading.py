"""Which grades are on screen at a frame, and how much of each shows: of footage, then of the clip, then of the whole reel."""

from __future__ import annotations

from tempik.accents.pulses import in_frames, keyed_at
from tempik.reel.grade import Grade
from tempik.timeline.inside import placed_within
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline

# Grades in the order in which they act, each with how much of it shows beyond its own amount.
Grades = tuple[tuple[Grade, float], ...]
GRADE_KEYS = "grade"


def grades_of(timeline: Timeline, placed: PlacedClip, frame: float) -> Grades:
    """Return what is done to a clip's own picture: its footage's grade, then its own."""
    out = []
    if placed.footage.grade is not None:
        out.append((placed.footage.grade, 1.0))
    if placed.clip.grade is not None:
        keys = timeline.keyed(placed).get(GRADE_KEYS) if placed.clip.keys else None
        out.append((placed.clip.grade, 1.0 if keys is None else shown_of(keyed_at(keys, frame))))
    return tuple((g, share) for g, share in out if share > 0)


def stops_of(timeline: Timeline, placed: PlacedClip, frame: float) -> float:
    """Return how much light a clip's keys of exposure add at a frame, in 32nds of a stop."""
    keys = timeline.keyed(placed).get("exposure") if placed.clip.keys else None
    return 0.0 if keys is None else round(min(max(keyed_at(keys, frame), -6.0), 6.0) * 32) / 32


def look_of(timeline: Timeline, frame: float) -> Grades:
    """Return what is done to the whole frame: the reel's look, as much as its keys show of it."""
    reel = timeline.reel
    if reel.look is None:
        return ()
    share = 1.0
    if reel.look_keys:
        share = shown_of(keyed_at(in_frames({GRADE_KEYS: reel.look_keys}, timeline.bare_scene)[GRADE_KEYS], frame))
    return ((reel.look, share),) if share > 0 else ()


def shown_of(value: float) -> float:
    """Return how much of a grade shows for a key's value: in 64ths, so that a held amount is one picture."""
    return round(min(max(value, 0.0), 1.5) * 64) / 64


def luts_of(timeline: Timeline) -> list[str]:
    """Return the LUT files that the grades of a reel read, each once."""
    reel = timeline.reel
    found = [
        reel.look,
        *(p.clip.grade for p in placed_within(timeline)),
        *(p.footage.grade for p in placed_within(timeline)),
    ]
    return list(dict.fromkeys(g.lut for g in found if g is not None and g.lut))
