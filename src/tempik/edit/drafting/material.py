"""What footage has to show: the instants of each piece that a slot can be built about, with what is known of the picture there, and
what of the footage is left out because there is nothing to see."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.errors import TempikError
from tempik.media import STEP_S, Course, FootageStudy, study, upright
from tempik.reel import Cue, Footage

# Darker than this is black, of fewer grey levels from sample to sample than this there is nothing to see; a plain shape on an even ground
# has a tenth to a quarter.
BLACK, BLANK = 0.07, 0.05
# Of less detail than this share of what the piece has at its sharpest, it is out of focus or smeared; pieces that have little
# throughout are soft by themselves.
BLURRED, SHARP_FROM = 0.3, 1.5
# A camera that jerks by more than this, in shares of the width from frame to frame, is knocked about.
SHAKEN = 0.012
# What is said of what is left out, from so many seconds on.
SAID_FROM_S = 0.5
SET_BY_HAND, MOST_SUGGESTED, FOUND_BEFORE, PLAIN_SCORE = 1.5, 1.2, 0.8, 0.3
NEAR_S = 0.1
AROUND_S, WAY_S = 0.5, 0.75
LEFT_OUT = ("black or blank", "blurred", "shaken")

Bad = NDArray[np.bool_]


class Chance(NamedTuple):
    """An instant of a piece that a slot can show: seconds of the file, its cue where it was set by hand, how decisive it is, why, and how
    fast things move there among all chances, 0 the calmest to 1; the middle of what moves (shares of the picture), which way things
    go up to it and after it (shares of the width a second), and for how long before and after it there is something to see."""

    piece: Footage
    time_s: float
    cue: Cue | None
    score: float
    why: str
    motion: float
    place: tuple[float, float] = (0.5, 0.5)
    way_in: tuple[float, float] = (0.0, 0.0)
    way_out: tuple[float, float] = (0.0, 0.0)
    before_s: float = 1e6
    after_s: float = 1e6


class Material(NamedTuple):
    """All chances there are, and sentences on what was left out."""

    chances: tuple[Chance, ...]
    notes: tuple[str, ...]


def studies_of(footage: Sequence[Footage], report: Callable[[float], None] | None = None) -> dict[str, FootageStudy]:
    """Return what looks through footage find, by its id; what cannot be looked through is left out."""
    out: dict[str, FootageStudy] = {}
    films = [f for f in footage if f.kind == "video"]
    for number, piece in enumerate(films):
        tell = None if report is None else _part(report, number, len(films))
        try:
            out[piece.id] = study(piece.path, tell)
        except TempikError:
            continue
    return out


def _part(report: Callable[[float], None], number: int, whole: int) -> Callable[[float], None]:
    return lambda share: report((number + share) / whole)


def material_of(
    footage: Sequence[Footage], studies: Mapping[str, FootageStudy], drafted: Collection[tuple[str, str]] = ()
) -> Material:
    """Return what footage has to show: cues set by hand first, then those that were suggested, else its middle. Cues that were
    `drafted` (footage and cue) were suggested, too."""
    notes: list[str] = []
    found: list[Chance] = []
    for piece in footage:
        known = studies.get(piece.id)
        course = upright(known.course, piece.rotation_deg) if known is not None else Course()
        bad = unusable(course)
        notes += _message(piece, bad)
        found += _chances(piece, known, course, np.any(bad, axis=0), {c for f, c in drafted if f == piece.id})
    ranks = ranked([c.motion for c in found])
    return Material(tuple(c._replace(motion=r) for c, r in zip(found, ranks, strict=True)), tuple(notes))


def ranked(values: Sequence[float]) -> list[float]:
    """Return how much of all is below each value, 0 to 1, the same for the same: what moves fast among this footage, whatever that is
    by itself."""
    order = sorted(values)
    last = max(len(order) - 1, 1)
    return [(bisect_left(order, v) + bisect_right(order, v) - 1) / 2 / last for v in values]


def unusable(course: Course) -> Bad:
    """Return where there is nothing to see, shape (3, steps): black or blank; blurred beside the rest of the piece; shaken. What all
    of a piece is by itself, but for black, is how it was meant."""
    light, detail = np.array(course.light), np.array(course.detail or [9.0] * len(course.light))
    out = np.zeros((len(LEFT_OUT), len(light)), bool)
    if not len(light):
        return out
    out[0] = (light < BLACK) | (detail < BLANK)
    seen = detail[~out[0]]
    sharp = float(np.percentile(seen, 90)) if len(seen) else 0.0
    out[1] = ~out[0] & (detail < BLURRED * sharp) & (sharp >= SHARP_FROM)
    if course.jerk:
        jerk = np.array(course.jerk)
        out[2] = ~out[0] & ~out[1] & (jerk > SHAKEN) & (np.median(jerk) < SHAKEN)
    return out


def _message(piece: Footage, bad: Bad) -> list[str]:
    """Return a sentence on what is left out of a piece."""
    steps = bad.sum(axis=1)
    if not bad.size or steps.sum() * STEP_S < SAID_FROM_S:
        return []
    if steps[0] == bad.shape[1]:
        return [f"{piece.name}: all of it is black or blank."]
    parts = [f"{n * STEP_S:.1f} s {what}" for n, what in zip(steps, LEFT_OUT, strict=True) if n]
    return [f"{piece.name}: {' and '.join(parts)}, left out."]


def _chances(
    piece: Footage, looked: FootageStudy | None, course: Course, bad: Bad, drafted: Collection[str]
) -> list[Chance]:
    none = bool(len(bad)) and bool(bad.all())
    if none:
        bad = np.zeros(len(bad), bool)

    def at(time_s: float, cue: Cue | None, score: float, why: str) -> Chance:
        before_s, after_s = _clear_about(piece, bad, time_s)
        motion = float(np.mean(_part_of(course.motion, time_s - AROUND_S, time_s + AROUND_S)))
        ways = [
            (float(np.mean(_part_of(course.across, a, b))), float(np.mean(_part_of(course.down, a, b))))
            for a, b in ((time_s - WAY_S, time_s), (time_s, time_s + WAY_S))
        ]
        return Chance(
            piece, time_s, cue, score, why, motion, _place(course, time_s), ways[0], ways[1], before_s, after_s
        )

    by_hand = [c for c in piece.cues if c.name or c.id not in drafted]
    out = [at(c.time_s, c, SET_BY_HAND, f"the cue {c.name or 'set by hand'}") for c in by_hand]
    known = [c.time_s for c in by_hand]
    for cue in looked.cues if looked is not None else ():
        far = all(abs(cue.time_s - k) > AROUND_S for k in known)
        seen = not len(bad) or not bad[min(int(cue.time_s / STEP_S), len(bad) - 1)]
        if far and seen and cue.time_s not in piece.dismissed and cue.time_s < piece.length_s - 0.1:
            out.append(at(cue.time_s, None, min(cue.score, MOST_SUGGESTED), f"its {cue.why}"))
            known.append(cue.time_s)
    middle = _middle(piece, bad)
    for left in piece.cues:  # of a draft before its footage was looked over here, or because nothing was found
        if all(abs(left.time_s - k) > NEAR_S for k in (*known, middle)):
            out.append(at(left.time_s, left, FOUND_BEFORE, "what was found there"))
            known.append(left.time_s)
    if not out:
        left_there = next((c for c in piece.cues if abs(c.time_s - middle) <= NEAR_S), None)
        out.append(at(left_there.time_s if left_there else middle, left_there, PLAIN_SCORE, "its middle"))
    return out


def _part_of(values: Sequence[float], from_s: float, to_s: float) -> Sequence[float]:
    """Return the steps of a course between two instants; one of 0 where there are none."""
    a, b = int(max(0.0, from_s) / STEP_S), int(max(0.0, to_s) / STEP_S) + 1
    return values[a:b] or values[-1:] or (0.0,)


def _place(course: Course, time_s: float) -> tuple[float, float]:
    """Return the middle of what moves about an instant."""
    a, b = time_s - AROUND_S, time_s + AROUND_S
    weights = np.array(_part_of(course.motion, a, b)) + 1e-6
    if not course.x or weights.max() < 1e-3:
        return 0.5, 0.5
    return float(np.average(_part_of(course.x, a, b), weights=weights)), float(
        np.average(_part_of(course.y, a, b), weights=weights)
    )


def _clear_about(piece: Footage, bad: Bad, time_s: float) -> tuple[float, float]:
    """Return for how long before and after an instant there is something to see."""
    if piece.endless:
        return 1e6, 1e6
    here = time_s / STEP_S
    wrong = np.flatnonzero(bad)
    before = wrong[wrong < int(here)]
    after = wrong[wrong > int(here)]
    first = (before[-1] + 1) * STEP_S if len(before) else 0.0
    last = after[0] * STEP_S if len(after) else piece.length_s
    return float(max(0.0, time_s - first)), float(max(0.0, min(last, piece.length_s) - time_s))


def _middle(piece: Footage, bad: Bad) -> float:
    """Return the middle of the longest stretch in which there is something to see."""
    if piece.endless:
        return 0.0
    edges = [-1, *np.flatnonzero(bad), max(len(bad), int(piece.length_s / STEP_S))]
    longest = max(range(len(edges) - 1), key=lambda n: edges[n + 1] - edges[n])
    middle = (edges[longest] + 1 + edges[longest + 1]) / 2 * STEP_S
    return float(min(middle, piece.length_s / 2 if not bad.any() else piece.length_s * 0.99))
