"""What of a title is seen at a frame: its words as they come on their points, are lit, and go."""

from __future__ import annotations

from typing import NamedTuple

from tempik.reel import Arrival, Title
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline
from tempik.timeline.transitions import beat_frames
from tempik.titles import laid_out, words_of
from tempik.titles.drawing import letters_in
from tempik.titles.motion import GONE, LANDED, State, both, state_of

# Where parts come one after another, each begins when the one before is so far.
STAGGER = 0.5


class TitlePart(NamedTuple):
    """A part of a title as `titles.drawn` takes it, and how far it has come or gone."""

    what: str
    number: int = 0
    state: State = LANDED
    lit: bool = False
    alone: bool = False


WHOLE = (TitlePart("all"),)


def word_frames(timeline: Timeline, placed: PlacedClip) -> list[int]:
    """Return the frame on which each word of a clip's title lands, by its keys; none where it has none. Words after the last
    key come with it."""
    keys = timeline.keyed(placed).get("word", [])
    title = placed.clip.title
    if not keys or title is None:
        return []
    out: list[int] = []
    count = len(words_of(title.text))
    for frame, value, _ in keys:
        out += [frame] * (min(round(value), count) - len(out))
    return out + [keys[-1][0]] * (count - len(out))


def arrival_frames(timeline: Timeline, arrival: Arrival, frame: int) -> int:
    """Return over how many frames words come or go about a frame of the reel: 0 where they are there at once."""
    if arrival.kind == "none":
        return 0
    length = arrival.length * (beat_frames(timeline.song_placement, frame) if arrival.unit == "beats" else 1)
    return max(1, round(length))


def wording_at(timeline: Timeline, placed: PlacedClip, frame: int) -> tuple[TitlePart, ...]:
    """Return the parts of a clip's title that are seen at a frame, the lowest first."""
    title = placed.clip.title
    if title is None or not words_of(title.text):
        return ()
    frames = word_frames(timeline, placed)
    left = arrival_frames(timeline, title.leave, placed.end)
    going = state_of(title.leave, (placed.end - frame) / left) if left else LANDED
    if frames and title.showing == "lit":
        return _lit(timeline, placed, frame, frames, going)
    if frames:
        return _on_points(timeline, title, frame, frames, going)
    length = arrival_frames(timeline, title.enter, placed.begin)
    since = frame - placed.begin
    if not length or since + 1 >= length * (1 + STAGGER * (_count(title) - 1)):
        return _settled(title, [("all", 0)], [going])
    if title.by == "all" and title.enter.kind == "type":
        return _typed(title, (since + 1) / length, going)
    if title.by == "all":
        return _settled(title, [("all", 0)], [both(state_of(title.enter, (since + 1) / length), going)])
    parts: list[tuple[str, int]] = [(title.by, number) for number in range(_count(title))]
    shares = [(since + 1 - number * STAGGER * length) / length for number in range(len(parts))]
    return _settled(title, parts, [both(state_of(title.enter, share), going) for share in shares])


def _count(title: Title) -> int:
    """Return how many parts come one after another."""
    if title.by == "all":
        return 1
    return laid_out(title).lines if title.by == "line" else len(words_of(title.text))


def _on_points(timeline: Timeline, title: Title, frame: int, frames: list[int], going: State) -> tuple[TitlePart, ...]:
    came = []
    for first in frames:
        length = arrival_frames(timeline, title.enter, first)
        share = 1.0 if not length else (frame - first + 1) / length
        came.append(both(state_of(title.enter, share), going) if frame >= first else GONE)
    if title.showing == "one":
        last = max((n for n, first in enumerate(frames) if frame >= first), default=None)
        return () if last is None else (TitlePart("word", last, came[last], alone=True),)
    return _settled(title, [("word", n) for n in range(len(frames))], came)


def _lit(timeline: Timeline, placed: PlacedClip, frame: int, frames: list[int], going: State) -> tuple[TitlePart, ...]:
    title = placed.clip.title
    assert title is not None
    length = arrival_frames(timeline, title.enter, placed.begin)
    state = both(state_of(title.enter, (frame - placed.begin + 1) / length if length else 1.0), going)
    last = max((n for n, first in enumerate(frames) if frame >= first), default=None)
    whole = TitlePart("all", 0, state)
    return (whole,) if last is None else (whole, TitlePart("word", last, state, lit=True))


def _typed(title: Title, share: float, going: State) -> tuple[TitlePart, ...]:
    """The letters come one after another through the whole title."""
    words = len(words_of(title.text))
    counts = [letters_in(title, word) for word in range(words)]
    left = round(share * sum(counts))
    parts: list[TitlePart] = [TitlePart("box", 0, going)] if title.box > 0 else []
    for word, count in enumerate(counts):
        if left >= count:
            parts.append(TitlePart("word", word, going))
        elif left > 0:
            parts.append(TitlePart("first", word * 1000 + min(left, 999), going))
        left -= count
    return tuple(parts)


def _settled(title: Title, parts: list[tuple[str, int]], states: list[State]) -> tuple[TitlePart, ...]:
    """Return parts with their states: the whole as one where all have landed, those that are not seen left out."""
    if all(s == states[0] and s.letters >= 1 for s in states) and (states[0] == LANDED or len(parts) == 1):
        return () if states[0].opacity <= 0 else (TitlePart("all", 0, states[0]),)
    out: list[TitlePart] = []
    if title.box > 0:
        out.append(TitlePart("box", 0, State(opacity=max(s.opacity for s in states))))
    for (what, number), state in zip(parts, states, strict=True):
        if state.opacity <= 0:
            continue
        if state.letters < 1 and what == "word":
            shown = round(state.letters * letters_in(title, number))
            if shown:
                out.append(TitlePart("first", number * 1000 + min(shown, 999), state))
        else:
            out.append(TitlePart(what, number, state))
    return tuple(out)
