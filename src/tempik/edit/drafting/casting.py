"""Which footage a slot shows: the strongest cues on the strongest points, moving pieces where it is loud, nothing twice while others
wait."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from tempik.edit.drafting.moods import Mood
from tempik.edit.drafting.rhythm import Slot
from tempik.errors import TempikError
from tempik.media import COURSE_S, Course, Study, study
from tempik.reel import Cue, Footage

# Darker than this is black, of fewer grey levels from sample to sample than this there is nothing to see.
BLACK, BLANK = 0.07, 0.35
# What is said of what is left out, from so many seconds on.
SAID_FROM_S = 0.5
SET_BY_HAND, PLAIN_SCORE = 1.5, 0.3
AGAIN, PIECE_AGAIN, LOT = 4.0, 1.0, 0.15
AROUND_S = 0.5
MOTION = 3.0


class Chance(NamedTuple):
    """An instant of a piece that a slot can show: seconds of the file, its cue where it was set by hand, how decisive it is, why, and how
    fast things move there among all chances, 0 the calmest to 1."""

    piece: Footage
    time_s: float
    cue: Cue | None
    score: float
    why: str
    motion: float


class Cast(NamedTuple):
    """What a slot shows, and why in one sentence."""

    chance: Chance
    why: str


class Material(NamedTuple):
    """All chances there are, and sentences on what was left out."""

    chances: tuple[Chance, ...]
    notes: tuple[str, ...]


def studies_of(footage: Sequence[Footage], report: Callable[[float], None] | None = None) -> dict[str, Study]:
    """Return what looks through footage find, by its id; what cannot be looked through is left out."""
    out: dict[str, Study] = {}
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


def material_of(footage: Sequence[Footage], studies: Mapping[str, Study]) -> Material:
    """Return what footage has to show: cues set by hand first, then those that were suggested, else its middle."""
    notes: list[str] = []
    found: list[Chance] = []
    for piece in footage:
        known = studies.get(piece.id)
        course = known.course if known is not None else Course()
        dark = [at_dark(course, n) for n in range(len(course.light))]
        if dark and sum(dark) * COURSE_S >= SAID_FROM_S:
            what = "all of it is" if all(dark) else f"{sum(dark) * COURSE_S:.1f} s of it are"
            notes.append(f"{piece.name}: {what} black or blank" + ("." if all(dark) else ", and left out."))
        found += _chances(piece, known, course, dark)
    ranks = _ranked([c.motion for c in found])
    return Material(tuple(c._replace(motion=r) for c, r in zip(found, ranks, strict=True)), tuple(notes))


def _ranked(values: Sequence[float]) -> list[float]:
    """Return how much of all is below each value, 0 to 1, the same for the same: what moves fast among this footage, whatever that is
    by itself."""
    order = sorted(values)
    last = max(len(order) - 1, 1)
    return [(bisect_left(order, v) + bisect_right(order, v) - 1) / 2 / last for v in values]


def at_dark(course: Course, step: int) -> bool:
    return course.light[step] < BLACK or (bool(course.detail) and course.detail[step] < BLANK)


def _chances(piece: Footage, looked: Study | None, course: Course, dark: list[bool]) -> list[Chance]:
    def motion(time_s: float) -> float:
        a, b = int(max(0.0, time_s - AROUND_S) / COURSE_S), int((time_s + AROUND_S) / COURSE_S) + 1
        return float(np.mean(course.motion[a:b])) if course.motion[a:b] else 0.0

    def seen(time_s: float) -> bool:
        step = min(int(time_s / COURSE_S), len(dark) - 1)
        return not dark or not dark[step] or all(dark)

    out = [
        Chance(piece, c.time_s, c, SET_BY_HAND, f"the cue {c.name or 'set by hand'}", motion(c.time_s))
        for c in piece.cues
    ]
    known = [c.time_s for c in piece.cues]
    if looked is not None:
        for cue in looked.cues:
            far = all(abs(cue.time_s - k) > AROUND_S for k in known)
            if far and seen(cue.time_s) and cue.time_s not in piece.dismissed and cue.time_s < piece.length_s - 0.1:
                out.append(Chance(piece, cue.time_s, None, min(cue.score, 1.2), f"its {cue.why}", motion(cue.time_s)))
                known.append(cue.time_s)
    if not out:
        middle = piece.length_s / 2 if not piece.endless else 0.0
        out.append(Chance(piece, middle, None, PLAIN_SCORE, "its middle", motion(middle)))
    return out


def cast(slots: Sequence[Slot], material: Material, mood: Mood, seed: int) -> list[Cast]:
    """Return what each slot shows. The loudest slots choose first, so that the drop has the best there is."""
    dice = np.random.default_rng([seed, 77])
    lots = dice.random((len(slots), len(material.chances)))
    used: dict[int, int] = {}
    pieces: dict[str, int] = {}
    taken: dict[int, int] = {}
    kinds = len({c.piece.id for c in material.chances})
    wanted = _ranked([s.energy for s in slots])
    for n in _turns(slots):
        slot = slots[n]
        beside = (
            {material.chances[taken[k]].piece.id for k in (n - 1, n + 1) if k in taken} if kinds > 2 else set[str]()
        )
        if kinds == 2 and n - 1 in taken:
            beside = {material.chances[taken[n - 1]].piece.id}
        best = max(
            range(len(material.chances)),
            key=lambda k: (
                _worth(slot, material.chances[k], mood, wanted[n])
                - AGAIN * used.get(k, 0)
                - PIECE_AGAIN * pieces.get(material.chances[k].piece.id, 0)
                - (100.0 if material.chances[k].piece.id in beside else 0.0)
                + LOT * lots[n][k]
            ),
        )
        taken[n] = best
        used[best] = used.get(best, 0) + 1
        piece = material.chances[best].piece.id
        pieces[piece] = pieces.get(piece, 0) + 1
    return [Cast(material.chances[taken[n]], _why(slots[n], material.chances[taken[n]])) for n in range(len(slots))]


def _turns(slots: Sequence[Slot]) -> list[int]:
    """Return in which order slots choose: the drops first, then the loudest and the quietest by turns, so that neither takes what would
    suit the other."""
    loud_first = sorted(range(len(slots)), key=lambda n: (-slots[n].energy, n))
    mean = float(np.mean([s.energy for s in slots]))
    loud = [n for n in loud_first if slots[n].energy >= mean]
    quiet = [n for n in reversed(loud_first) if slots[n].energy < mean]
    ranked = [(k / max(len(group), 1), n) for group in (loud, quiet) for k, n in enumerate(group)]
    return sorted((n for _, n in sorted(ranked)), key=lambda n: slots[n].role != "drop")


def _worth(slot: Slot, chance: Chance, mood: Mood, motion: float) -> float:
    """Return how well a chance suits a slot; `motion` is how it should move, by how loud it is there among the slots."""
    weight = 1.6 if slot.role == "drop" else 0.6 + 0.6 * slot.energy
    return weight * chance.score - MOTION * mood.motion * abs(chance.motion - motion)


def _why(slot: Slot, chance: Chance) -> str:
    where = {"drop": "on the drop", "roll": "in the roll before the drop"}.get(
        slot.role, f"where the song is {_loud(slot)}"
    )
    moves = "moves fast" if chance.motion > 0.6 else "is calm" if chance.motion < 0.25 else "moves"
    return f"{chance.piece.name} {where}, for {chance.why}; it {moves} there."


def _loud(slot: Slot) -> str:
    return {"quiet": "quiet", "middle": "half loud", "full": "loud"}[slot.level]
