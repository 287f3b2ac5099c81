"""What else a clip could show: other instants of the footage that suit its slot, best first."""

from __future__ import annotations

from collections.abc import Mapping

from tempik.edit.drafting.casting import Chance, material_of
from tempik.edit.drafting.make import with_chance
from tempik.edit.drafting.rhythm import section_at
from tempik.errors import TempikError
from tempik.media import Study
from tempik.reel import Reel
from tempik.time import time_of
from tempik.timeline.timeline import timeline_of

MOTION = 1.0


def chances_for(reel: Reel, clip: str, studies: Mapping[str, Study]) -> list[Chance]:
    """Return what a clip could show, best for its slot first: strong where the song is loud, calm where it is quiet, and what its
    neighbours do not show before what they do. Raises TempikError where it is gone."""
    timeline = timeline_of(reel)
    placed = timeline.placed_clip(clip)
    if placed is None:
        raise TempikError("That clip is no longer on the reel.")
    song = reel.soundtrack
    section = section_at(song, song.start_s + time_of(placed.first, reel.rate)) if song is not None else None
    energy = section.level if section is not None else 0.6
    row = timeline.rows[placed.clip.track]
    at = row.index(placed)
    beside = {row[n].footage.id for n in (at - 1, at + 1) if 0 <= n < len(row)}
    pieces = [f for f in reel.footage if not f.without_file]

    def worth(chance: Chance) -> float:
        return chance.score * (0.6 + 0.6 * energy) - MOTION * abs(chance.motion - energy) - (chance.piece.id in beside)

    return sorted(material_of(pieces, studies).chances, key=lambda c: (-worth(c), c.piece.id, c.time_s))


def swapped(reel: Reel, clip: str, studies: Mapping[str, Study], by: int) -> tuple[Reel, Chance, int, int]:
    """Return the reel with a clip showing the next of what it could (or the one before, `by` -1), on the same point, with what it
    shows, its place in the list and how many there are. Raises TempikError where there is nothing else."""
    found = chances_for(reel, clip, studies)
    placed = timeline_of(reel).placed_clip(clip)
    if len(found) < 2 or placed is None:
        raise TempikError("There is nothing else to show here; add footage, or wait until it has been looked through.")
    pinned = {p.cue for p in placed.clip.pins}
    shown = [c.time_s for c in placed.footage.cues if c.id in pinned]
    same = [
        n for n, c in enumerate(found)
        if c.piece.id == placed.footage.id and any(abs(c.time_s - s) < 1.0 / float(c.piece.rate) for s in shown)
    ]  # fmt: skip
    number = (same[0] + by) % len(found) if same else (0 if by > 0 else len(found) - 1)
    made = with_chance(reel, clip, found[number])
    return made, found[number], number + 1, len(found)
