"""Suggested stretches of a song: of a wanted length, from the start of a section to the end of a bar."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby
from typing import NamedTuple

from msgspec.structs import replace

from tempik.edit.reel import song_of
from tempik.errors import TempikError
from tempik.reel import (
    Edge,
    Reel,
    Soundtrack,
    beats_between,
)
from tempik.reel.nests import everywhere
from tempik.rhythm.records import LEVEL_WORDS, Section
from tempik.time import frame_of
from tempik.timeline.timeline import timeline_of

LENGTHS_S = (15.0, 30.0, 60.0)
# Suggestions begin at least so much of the wanted length apart.
APART = 0.4


class Stretch(NamedTuple):
    """A stretch of the song, and in a few words what speaks for it."""

    start_s: float
    length_s: float
    why: str


def suggested_stretches(song: Soundtrack, wanted_s: float, most: int = 3) -> list[Stretch]:
    """Return stretches near `wanted_s` long, the best first. Each starts on a section's first downbeat and ends on a
    bar line; a song without bars gives stretches from its sections' starts of exactly that length."""
    heard = song.heard
    if heard is None or song.length_s <= wanted_s:
        return [Stretch(0.0, song.length_s, "the whole song")] if song.length_s > 0 else []
    bars = [p.time_s for p in beats_between(song, 0.0, song.length_s) if p.beat == 1]
    found: list[tuple[float, Stretch]] = []
    for number, section in enumerate(heard.sections):
        start = min(bars, key=lambda t: abs(t - section.start_s), default=section.start_s)
        if abs(start - section.start_s) > 2.0:
            start = section.start_s
        ends = [t for t in bars if 0.75 * wanted_s <= t - start <= 1.1 * wanted_s]
        # Not longer than asked where that can be had: a reel's length is a limit more often than a wish.
        shorter = [t for t in ends if t - start <= wanted_s + 0.25]
        end = max(shorter, default=min(ends, default=start + wanted_s))
        if end > song.length_s + 1e-6:
            continue
        inside = [s for s in heard.sections if s.start_s < end - 1 and s.end_s > start + 1]
        loud = sum((min(s.end_s, end) - max(s.start_s, start)) * s.level for s in inside) / (end - start)
        drops = [d for d in heard.drops if start + 1 < d < start + 0.7 * (end - start)]
        at_drop = any(abs(d - start) < 0.6 for d in heard.drops)
        whole = any(abs(s.end_s - end) < 1.0 for s in inside)
        score = loud + 0.35 * bool(drops) + 0.25 * at_drop + 0.15 * whole - 0.01 * number
        words = "begins on a drop" if at_drop else f"drop after {drops[0] - start:.0f} s" if drops else _levels(inside)
        if whole:
            words += ", ends with a section"
        found.append((score, Stretch(start, end - start, words)))
    found.sort(key=lambda f: -f[0])
    out: list[Stretch] = []
    for _, stretch in found:
        if len(out) < most and all(abs(stretch.start_s - s.start_s) >= APART * wanted_s for s in out):
            out.append(stretch)
    return out


def _levels(sections: Sequence[Section]) -> str:
    """Return how loud sections are, one after the other, in words."""
    words = [word for word, _ in groupby(LEVEL_WORDS[s.name] for s in sections)]
    if len(words) > 2 and words[0] == words[-1]:
        return f"{words[0]}, {words[1]} between"
    return ", then ".join(words if len(words) <= 2 else [words[0], words[-1]])


def with_stretch(reel: Reel, start_s: float, length_s: float) -> Reel:
    """Use another stretch of the song. Tied clips stay on their points; free edges keep their place on the reel, and
    a clip that ran to the reel's end still does.

    Raises TempikError when the stretch lies outside the song.
    """
    song = song_of(reel)
    if start_s < 0 or length_s <= 0 or start_s + length_s > song.length_s + 0.5 / float(reel.rate):
        raise TempikError(f"The song is {song.length_s:.2f} s long; the stretch must lie within it.")
    last_frame = timeline_of(reel).frames

    def to_the_end(level: Reel) -> Reel:
        clips = tuple(
            replace(c, end=Edge(length_s))
            if c.end.point is None and frame_of(c.end.time_s, reel.rate) >= last_frame
            else c
            for c in level.clips
        )
        return replace(level, clips=clips)

    return replace(everywhere(reel, to_the_end), soundtrack=replace(song, start_s=start_s), length_s=length_s)
