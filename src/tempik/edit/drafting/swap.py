"""What else a clip could show: other instants of the footage that suit its slot, best first."""

from __future__ import annotations

import math
from collections.abc import Mapping

from tempik.edit.drafting.casting import BESIDE, FLOW, agreement, worths
from tempik.edit.drafting.clips import SLOWEST, point_within, with_chance
from tempik.edit.drafting.cues import with_cues_told, without_idle_cues
from tempik.edit.drafting.make import footage_for
from tempik.edit.drafting.material import Chance, material_of
from tempik.edit.drafting.moods import MOODS, Mood
from tempik.edit.drafting.why import slot_of
from tempik.errors import TempikError
from tempik.media import FootageStudy
from tempik.reel import Reel
from tempik.timeline.placed_clip import PlacedClip, clean_floor
from tempik.timeline.timeline import Timeline, timeline_of

# Of what the reel shows already, how much less it is worth here.
SHOWN = 0.6


def mood_of(reel: Reel) -> Mood:
    """Return the mood that a reel was drafted by, a plain one where that is none of ours."""
    name = reel.draft.mood if reel.draft is not None else ""
    return next((m for m in MOODS if m.name == name), next(m for m in MOODS if m.name == "driving"))


def chances_for(reel: Reel, clip: str, studies: Mapping[str, FootageStudy]) -> list[Chance]:
    """Return what a clip could show, best for its slot first: strong and moving where the song is loud, calm where it is quiet, long
    enough, going on from its neighbours, and what the reel does not show before what it does; what would have to be slowed below what
    its footage stays clean at comes after all others. Raises TempikError where it is gone."""
    timeline = timeline_of(reel)
    placed = timeline.placed_clip(clip)
    if placed is None:
        raise TempikError("That clip is no longer on the reel.")
    mood = mood_of(reel)
    pieces = footage_for(reel, False)
    if all(f.id != placed.footage.id for f in pieces) and not placed.footage.without_file:
        pieces = [*pieces, placed.footage]
    chances = material_of(pieces, studies, reel.draft.cues if reel.draft is not None else ()).chances
    track = timeline.tracks[placed.clip.track]
    at = track.index(placed)
    left, right = (track[n] if 0 <= n < len(track) else None for n in (at - 1, at + 1))
    shown = {
        (p.footage.id, c.time_s)
        for p in track
        if p is not placed
        for c in p.footage.cues
        for x in p.clip.pins
        if x.cue == c.id
    }
    worth = worths([slot_of(timeline, placed)], chances, mood)[0]
    near = {side: _shows(other, chances) for side, other in (("left", left), ("right", right))}

    def value(k: int) -> float:
        chance = chances[k]
        out = float(worth[k]) - SHOWN * any(f == chance.piece.id and abs(t - chance.time_s) < 0.2 for f, t in shown)
        out -= BESIDE * any(p is not None and p.footage.id == chance.piece.id for p in (left, right))
        if near["left"] is not None:
            out += FLOW * agreement(near["left"], chance, mood)
        if near["right"] is not None:
            out += FLOW * agreement(chance, near["right"], mood)
        return out

    def order_of(k: int) -> tuple[int, float, str, float]:
        return too_slow(chances[k], timeline, placed), -value(k), chances[k].piece.id, chances[k].time_s

    order = sorted(range(len(chances)), key=order_of)
    return _told_apart([chances[k] for k in order], timeline, placed)


def _told_apart(chances: list[Chance], timeline: Timeline, placed: PlacedClip) -> list[Chance]:
    """Return chances without those that would show the same: of a piece that is too short to land anywhere in the slot, one."""
    out: list[Chance] = []
    too_short: set[str] = set()
    for chance in chances:
        if not lands(chance, timeline, placed):
            if chance.piece.id in too_short:
                continue
            too_short.add(chance.piece.id)
        out.append(chance)
    return out


def lands(chance: Chance, timeline: Timeline, placed: PlacedClip) -> bool:
    """Tell whether a chance's decisive frame can be on a point of a clip's slot."""
    return not chance.piece.endless and _speed(chance.before_s, chance.after_s, chance, timeline, placed) >= SLOWEST


def too_slow(chance: Chance, timeline: Timeline, placed: PlacedClip) -> int:
    """Return by how many quarters (0 to 4) of the speed at which its footage stays clean a chance has to be slowed to fill a clip's
    slot; where that takes a glimpse of what is blurred or shaken, with it."""
    piece = chance.piece
    wanted = min(1.0, clean_floor(piece, timeline.rate))
    if wanted <= 0:
        return 0
    speed = _speed(chance.time_s, piece.length_s - chance.time_s, chance, timeline, placed)
    if not lands(chance, timeline, placed):  # then it is shown from anywhere
        speed = piece.length_s / piece.conform_ratio * float(timeline.rate) / (placed.until - placed.begin)
    return math.ceil(4 * max(0.0, 0.98 - speed / wanted))


def _speed(before_s: float, after_s: float, chance: Chance, timeline: Timeline, placed: PlacedClip) -> float:
    """Return the speed at which a chance fills a clip's slot with so much of the file before and after it, landing on a point."""
    ratio = chance.piece.conform_ratio
    return point_within(timeline, before_s / ratio, after_s / ratio, placed.begin, placed.until)[1]


def _shows(placed: PlacedClip | None, chances: tuple[Chance, ...]) -> Chance | None:
    """Return the chance that a clip is built about, None where it is none of those."""
    if placed is None:
        return None
    pinned = {p.cue for p in placed.clip.pins}
    times = [c.time_s for c in placed.footage.cues if c.id in pinned]
    return next(
        (
            c
            for c in chances
            if c.piece.id == placed.footage.id and any(abs(c.time_s - t) < 1 / float(c.piece.rate) for t in times)
        ),
        None,
    )


def swapped(reel: Reel, clip: str, studies: Mapping[str, FootageStudy], by: int) -> tuple[Reel, Chance, int, int]:
    """Return the reel with a clip showing the next of what it could (or the one before, `by` -1), on the same point, with what it
    shows, its place in the list and how many there are. Raises TempikError where there is nothing else."""
    found = chances_for(reel, clip, studies)
    placed = timeline_of(reel).placed_clip(clip)
    if len(found) < 2 or placed is None:
        raise TempikError("There is nothing else to show here; add footage, or wait until it has been looked through.")
    shows = _shows(placed, tuple(found))
    if shows is None and not placed.clip.pins:
        timeline = timeline_of(reel)
        shows = next((c for c in found if c.piece.id == placed.footage.id and not lands(c, timeline, placed)), None)
    number = (
        (found.index(shows) + by) % len(found)
        if shows is not None
        else (by - 1 if by > 0 else len(found) + by) % len(found)
    )
    made = with_cues_told(reel, with_chance(reel, clip, found[number]))
    made = without_idle_cues(made, lambda footage: footage in studies)
    return made, found[number], number + 1, len(found)
