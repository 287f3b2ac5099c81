"""Which footage a slot shows: the strongest cues on the strongest points, moving pieces where it is loud, nothing twice while others
wait, the way things move going on across cuts."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.edit.drafting.material import Chance, Material, ranked
from tempik.edit.drafting.moods import Mood
from tempik.edit.drafting.rhythm import Slot
from tempik.rhythm.records import LEVEL_WORDS

AGAIN, PIECE_AGAIN, LOT = 20.0, 1.0, 0.15
MOTION, FIT, STILL_ON_DROP = 3.0, 1.5, 1.0
OPENING = 2.2
# A picture that stands still is looked at for so long; each second more makes it this much worse.
STILL_S, STILL_LONG = 2.5, 0.6
# How much two pieces beside each other matter whose ways agree or clash, and how fast they must move to be seen to.
FLOW, FAST = 0.5, 0.4
BESIDE = 100.0
# A piece that comes again after so few others: what is seen to and fro between two is soon seen through.
RECENT = {2: 3.0, 3: 1.5, 4: 0.7}
OUT_OF_ORDER = 3.0
MOST_SWAPS, MOST_ROUNDS = 120, 3

Table = NDArray[np.float64]


class CastingContext(NamedTuple):
    """What casting takes into account beside the slots: instants that are on the reel already, by piece; pieces that lie right
    beside a slot, by its number; and whether pieces come in the order in which they are given."""

    shown: Mapping[str, Collection[float]] = {}
    beside: Mapping[int, Collection[str]] = {}
    ordered: bool = False


class Cast(NamedTuple):
    """What a slot shows, and why in one sentence."""

    chance: Chance
    why: str


def cast(
    slots: Sequence[Slot], material: Material, mood: Mood, seed: int, casting_context: CastingContext = CastingContext()
) -> list[Cast]:
    """Return what each slot shows. The loudest slots choose first, so that the drop has the best there is; then neighbours are
    changed about where things move across the cut better so."""
    dice = np.random.default_rng([seed, 77])
    worth = worths(slots, material.chances, mood) + LOT * dice.random((len(slots), len(material.chances)))
    pieces = list(dict.fromkeys(c.piece.id for c in material.chances))
    if casting_context.ordered and len(pieces) > 1:
        taken = _in_order(worth, material.chances, pieces)
    else:
        taken = _by_turns(slots, worth, material.chances, len(pieces), casting_context)
        if len(pieces) > 2:
            _changed_about(taken, slots, worth, material.chances, mood, casting_context)
    return [Cast(material.chances[k], why(slot, material.chances[k])) for slot, k in zip(slots, taken, strict=True)]


def worths(slots: Sequence[Slot], chances: Sequence[Chance], mood: Mood) -> Table:
    """Return how well each chance suits each slot, shape (slots, chances): how decisive it is, more so where it is loud; that it moves
    as the song does; that it is long enough; no picture that stands still on a drop, or for long. The first picture is to hold who
    looks, so it counts as a loud one does (common practice)."""
    weight = np.array([1.6 if s.role == "drop" else 0.6 + 0.6 * s.energy for s in slots])[:, None]
    weight[:1] = np.maximum(weight[:1], OPENING)
    wanted = np.array(ranked([s.energy for s in slots]))[:, None]
    length_s = np.array([s.end.time_s - s.start.time_s for s in slots])[:, None]
    score, motion = np.array([c.score for c in chances]), np.array([c.motion for c in chances])
    clear = np.array([c.before_s + c.after_s for c in chances])
    short = np.clip(1 - clear / np.maximum(length_s, 1e-3), 0.0, 1.0)
    still = np.array([c.piece.endless for c in chances])
    drop = np.array([s.role == "drop" for s in slots])[:, None]
    return np.asarray(
        weight * score - MOTION * mood.motion * np.abs(motion - wanted) - FIT * short - STILL_ON_DROP * (still & drop)
        - STILL_LONG * still * np.maximum(length_s - STILL_S, 0.0),
        np.float64,
    )  # fmt: skip


def _by_turns(
    slots: Sequence[Slot], worth: Table, chances: Sequence[Chance], kinds: int, casting_context: CastingContext
) -> list[int]:
    """Return what slots take, each in its turn the best that is left."""
    names = np.array([c.piece.id for c in chances])
    used = np.array([_shown(c, casting_context) for c in chances], np.float64)
    pieces = {name: float(len(casting_context.shown.get(name, ()))) for name in set(names)}
    taken: dict[int, int] = {}
    for n in _turns(slots):
        reach = (n - 1, n + 1) if kinds > 2 else (n - 1,)
        beside = {chances[taken[k]].piece.id for k in reach if k in taken} if kinds > 1 else set[str]()
        beside |= set(casting_context.beside.get(n, ())) if kinds > 1 else set()
        value = worth[n] - AGAIN * used - PIECE_AGAIN * np.array([pieces[name] for name in names])
        value = value - BESIDE * np.isin(names, list(beside))
        if kinds > 3:
            for far, price in RECENT.items():
                near = [chances[taken[k]].piece.id for k in (n - far, n + far) if k in taken]
                value = value - price * np.isin(names, near)
        best = int(value.argmax())
        taken[n] = best
        used[best] += 1
        pieces[chances[best].piece.id] += 1
    return [taken[n] for n in range(len(slots))]


def _shown(chance: Chance, casting_context: CastingContext) -> bool:
    return any(abs(t - chance.time_s) < 0.2 for t in casting_context.shown.get(chance.piece.id, ()))


def _turns(slots: Sequence[Slot]) -> list[int]:
    """Return in which order slots choose: the drops first, then the opening, then the loudest and the quietest by turns, so that
    neither takes what would suit the other."""
    loud_first = sorted(range(len(slots)), key=lambda n: (-slots[n].energy, n))
    mean = float(np.mean([s.energy for s in slots]))
    loud = [n for n in loud_first if slots[n].energy >= mean]
    quiet = [n for n in reversed(loud_first) if slots[n].energy < mean]
    order = [(k / max(len(group), 1), n) for group in (loud, quiet) for k, n in enumerate(group)]
    return sorted((n for _, n in sorted(order)), key=lambda n: (slots[n].role != "drop", n != 0))


def _in_order(worth: Table, chances: Sequence[Chance], pieces: list[str]) -> list[int]:
    """Return what slots take where pieces are to come in their order: each once where there are slots enough for few, else two
    neighbours by turns until the next ones come. The best such row is found exactly (dynamic programming over slots and pieces)."""
    slots, count = len(worth), len(pieces)
    of = np.array([pieces.index(c.piece.id) for c in chances])
    best = np.stack([worth[:, of == r].max(axis=1) for r in range(count)], axis=1)
    due = np.arange(slots)[:, None] * (count - 1) / max(slots - 1, 1)
    value = best - OUT_OF_ORDER * np.abs(np.arange(count)[None, :] - due)
    step = np.arange(count)[None, :] - np.arange(count)[:, None]  # from row to column
    allowed = step > 0 if slots <= count else (step >= -1) & (step != 0)
    total, back = value[0].copy(), np.zeros((slots, count), int)
    for n in range(1, slots):
        ways = np.where(allowed, total[:, None], -1e9)
        back[n] = ways.argmax(axis=0)
        total = ways.max(axis=0) + value[n]
    row = [int(total.argmax())]
    for n in range(slots - 1, 0, -1):
        row.append(int(back[n][row[-1]]))
    used = np.zeros(len(chances))
    out = []
    for n, rank in enumerate(reversed(row)):
        k = int(np.where(of == rank, worth[n] - AGAIN * used, -1e9).argmax())
        used[k] += 1
        out.append(k)
    return out


def agreement(left: Chance, right: Chance, mood: Mood) -> float:
    """Return how well the way things move goes on from one piece to another, -1 to 1; 0 where either hardly moves. Carried, it goes
    on the same way; answered, it may turn round as well; across it, it does neither."""
    a, b = np.array(left.way_out), np.array(right.way_in)
    long, other = float(np.hypot(*a)), float(np.hypot(*b))
    if not mood.flow or long * other <= 0:
        return 0.0
    along = float(a @ b) / (long * other)
    seen = float(np.sqrt(min(long / FAST, 1.0) * min(other / FAST, 1.0)))
    return seen * (along if mood.flow == "carried" else 2 * along * along - 1)


def _changed_about(
    taken: list[int],
    slots: Sequence[Slot],
    worth: Table,
    chances: Sequence[Chance],
    mood: Mood,
    casting_context: CastingContext,
) -> None:
    """Let slots change what they show with each other while that makes the whole better."""
    known: dict[tuple[int, int], float] = {}
    pieces = [c.piece.id for c in chances]

    def met(a: int, b: int) -> float:
        if (a, b) not in known:
            same = chances[a].piece.id == chances[b].piece.id
            known[a, b] = FLOW * agreement(chances[a], chances[b], mood) - BESIDE * same
        return known[a, b]

    def about(n: int) -> float:
        value = float(worth[n, taken[n]]) - BESIDE * (chances[taken[n]].piece.id in casting_context.beside.get(n, ()))
        value += met(taken[n - 1], taken[n]) if n else 0.0
        value += met(taken[n], taken[n + 1]) if n + 1 < len(taken) else 0.0
        for far, price in RECENT.items():
            for k in (n - far, n + far):
                value -= price * (0 <= k < len(taken) and pieces[taken[k]] == pieces[taken[n]])
        return value

    for _ in range(MOST_ROUNDS):
        changed = False
        for n in range(len(taken)):
            for m in range(n + 1, min(n + MOST_SWAPS, len(taken))):
                if taken[n] == taken[m] or "drop" in (slots[n].role, slots[m].role):  # the drop has the best there is
                    continue
                before = about(n) + about(m)
                taken[n], taken[m] = taken[m], taken[n]
                if about(n) + about(m) > before + 1e-9:
                    changed = True
                else:
                    taken[n], taken[m] = taken[m], taken[n]
        if not changed:
            return


def why(slot: Slot, chance: Chance) -> str:
    """Return what speaks for a chance in a slot, in a sentence."""
    where = {"drop": "on the drop", "roll": "in the roll before the drop"}.get(
        slot.role, f"where the song is {LEVEL_WORDS[slot.level]}"
    )
    moves = "moves fast" if chance.motion > 0.6 else "is calm" if chance.motion < 0.25 else "moves"
    return f"{chance.piece.name} {where}, for {chance.why}; it {moves} there."
