"""A line of words with times, as a file of lyrics or subtitles has it."""

from __future__ import annotations

from typing import NamedTuple


class Line(NamedTuple):
    """A line of a song or of what is said: when it begins and ends, in seconds, its text, and when its words begin where the
    file says so (one for each word)."""

    start_s: float
    end_s: float
    text: str
    words_s: tuple[float, ...] = ()
