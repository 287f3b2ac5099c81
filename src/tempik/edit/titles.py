"""Titles laid and changed; their words put on points, from lines with times, and from points that have names."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from itertools import pairwise

from msgspec.structs import replace

from tempik.digits import plural
from tempik.edit import title_words
from tempik.edit.clips.place import with_new_track
from tempik.edit.clips.slots import clip_of, edge_at, new_clip_id, on_reel, with_clips
from tempik.errors import TempikError
from tempik.reel import Clip, Edge, Footage, Framing, Key, Point, Position, Reel, Title, new_id
from tempik.reel.validate import MOST_TRACKS, title_problems
from tempik.time import frame_of, time_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline, timeline_of
from tempik.timeline.wording import word_frames
from tempik.titles import words_of
from tempik.titles.line import Line
from tempik.titles.looks import TitleLook

WORD = "word"
# A line or a word of a file is put on a point this near to its time: files are timed by hand.
NEAR_LINE_S, NEAR_WORD_S = 0.25, 0.15
# Named points this far apart belong to other lines; a line of them has at most so many words.
APART_S, MOST_NAMED = 2.0, 8
LAST_WORD_S = 1.0  # how long the last word of a line of named points stays
LYRIC = Title(size=0.13, shadow=0.6)
LOW = Framing(fit="stretch", start=Position(y=0.16))


def with_title(
    reel: Reel, title: Title, frame: int, frames: int, track: int | None = None, framing: Framing | None = None
) -> tuple[Reel, str]:
    """Lay a title at a frame for so many frames, on a track (the lowest above the first that is free there when None);
    returns the reel and the clip's id. Raises TempikError where it cannot be."""
    timeline = timeline_of(reel)
    if not 0 <= frame < timeline.frames:
        raise TempikError("That lies outside the reel.")
    end = min(frame + max(frames, 1), timeline.frames)
    return _laid(reel, title, edge_at(timeline, frame), edge_at(timeline, end), (frame, end), track, framing)


def _laid(
    reel: Reel, title: Title, start: Edge, end: Edge, span: tuple[int, int], track: int | None, framing: Framing | None
) -> tuple[Reel, str]:
    _look_over(title)
    if track is None:
        reel, track = free_track(reel, span)
    reel, piece = with_piece(reel, "title")
    made = Clip(
        new_clip_id(reel), piece, start, end, track=track, framing=framing or Framing(fit="stretch"), title=title
    )
    return with_clips(reel, [made]), made.id


def free_track(reel: Reel, span: tuple[int, int], above: int = 0) -> tuple[Reel, int]:
    """Return the lowest track above the first, or `above` another, with nothing in a stretch of frames; a new one on top where none has.
    Raises TempikError where all of them have a clip there."""
    timeline = timeline_of(reel)
    for number in range(above + 1, len(timeline.own_tracks)):
        if not reel.tracks[number].locked and all(
            p.end <= span[0] or p.first >= span[1] for p in timeline.own_tracks[number]
        ):
            return reel, number
    if len(reel.tracks) >= MOST_TRACKS:
        raise TempikError(f"All {MOST_TRACKS} tracks have a clip there; take one off, or choose another place.")
    return with_new_track(reel), len(reel.tracks)


def with_piece(reel: Reel, kind: str) -> tuple[Reel, str]:
    """Return the reel with the footage that all its titles, or adjust clips, share, and its id."""
    found = next((f.id for f in reel.footage if f.kind == kind), None)
    if found is not None:
        return reel, found
    name = new_id("f", {f.id for f in reel.footage})
    piece = Footage(name, kind, reel.width, reel.height, reel.rate, 1.0, kind="title" if kind == "title" else "adjust")
    return replace(reel, footage=(*reel.footage, replace(piece, alpha=kind == "title"))), name


def _look_over(title: Title) -> None:
    message = next(title_problems(title, "This"), None)
    if message is not None:
        raise TempikError(message)


def titles_of(reel: Reel, clips: Collection[str]) -> list[Clip]:
    """Return those of the clips that are titles. Raises TempikError where none is."""
    found = [c for c in (clip_of(reel, name) for name in clips) if c.title is not None]
    if not found:
        raise TempikError("Select a title first.")
    return found


def with_title_fields(reel: Reel, clips: Collection[str], **fields: object) -> Reel:
    """Change titles, field by field; where their text is another, points and styles stay with their words. Raises TempikError for values
    that cannot be."""
    for clip in titles_of(reel, clips):
        assert clip.title is not None
        reel = title_words.with_title(reel, clip, replace(clip.title, **fields))
    return reel


def with_words_on_points(reel: Reel, clips: Collection[str], even: bool = False) -> Reel:
    """Put the words of titles on the chosen points in their slots, each on the next one from the start; where there are
    fewer points than words, or with `even`, they are spread over the slot, several on a point where need be. Raises TempikError where no
    chosen point lies in the slot."""
    timeline = timeline_of(reel)
    out = []
    for clip in titles_of(reel, clips):
        placed = on_reel(timeline, clip.id)
        inside = [p for p in timeline.on_reel() if placed.first <= timeline.frame_of_point(p) < placed.end]
        count = len(words_of(clip.title.text)) if clip.title is not None else 0
        if not inside:
            raise TempikError("There is no chosen point in the title's slot; make it longer, or choose more points.")
        keys = _spread(inside, count, even)
        out.append(replace(clip, keys={**clip.keys, WORD: keys}))
    return with_clips(reel, out)


def with_title_look(reel: Reel, clips: Collection[str], look: TitleLook) -> tuple[Reel, list[str]]:
    """Set titles as a look does, their words, places and points kept; where the look wants words on points and a title has none of its
    own, it takes the next ones. Returns the reel and the titles that have no point to take. Raises TempikError where none is a title."""
    without = []
    for clip in titles_of(reel, clips):
        assert clip.title is not None
        text = clip.title.text
        reel = title_words.with_title(
            reel, clip, replace(look.title, text=text, words=look.styles(len(words_of(text))))
        )
        if look.on_points and WORD not in clip.keys and words_of(text):
            try:
                reel = with_words_on_points(reel, [clip.id], look.on_points == "even")
            except TempikError:
                without.append(clip.id)
    return reel, without


def _spread(points: Sequence[Point], words: int, even: bool) -> tuple[Key, ...]:
    if even or words > len(points):
        at = [n * len(points) // max(words, 1) for n in range(words)]
    else:
        at = list(range(words))
    shown: dict[int, int] = {}
    for number, place in enumerate(at):
        shown[place] = number + 1
    return tuple(Key(points[p].time_s, float(count), points[p].id, "hold") for p, count in sorted(shown.items()))


def without_words_on_points(reel: Reel, clips: Collection[str]) -> Reel:
    """Let titles have all their words at once."""
    return with_clips(
        reel, [replace(c, keys={n: k for n, k in c.keys.items() if n != WORD}) for c in titles_of(reel, clips)]
    )


def with_word_at(reel: Reel, clip: str, word: int, frame: int, within: int = 0) -> Reel:
    """Let a word land on a frame, on the point there or `within` so many frames; no word lands before the one ahead of
    it. Where all came at once, those before it go on coming with the title and those after it come with it. Raises TempikError for a word
    that the title has not."""
    timeline = timeline_of(reel)
    record = titles_of(reel, [clip])[0]
    placed = on_reel(timeline, clip)
    count = len(words_of(record.title.text)) if record.title is not None else 0
    if not 0 <= word < count:
        raise TempikError(f"The title has {plural(count, 'word')}; choose one of them.")
    if WORD not in record.keys:
        return _first_word_at(reel, record, word, frame, within)
    frames = word_frames(timeline, placed)
    point = timeline.point_at(frame, within)
    frame = timeline.frame_of_point(point) if point is not None else frame
    low = frames[word - 1] if word else 0
    high = frames[word + 1] if word + 1 < len(frames) else timeline.frames
    frames[word] = min(max(frame, low), high)
    old = dict(zip(_key_frames(timeline, record), record.keys[WORD], strict=True))
    keys = []
    for number, at in enumerate(frames):
        if number + 1 < len(frames) and frames[number + 1] == at:
            continue  # the last word of a frame tells how many are shown
        kept = old.get(at) if number != word else None
        made = kept or _key(timeline, at)
        keys.append(replace(made, value=float(number + 1)))
    return with_clips(reel, [replace(record, keys={**record.keys, WORD: tuple(keys)})])


def _first_word_at(reel: Reel, clip: Clip, word: int, frame: int, within: int) -> Reel:
    timeline = timeline_of(reel)
    placed = on_reel(timeline, clip.id)
    assert clip.title is not None
    count = len(words_of(clip.title.text))
    point = timeline.point_at(frame, within)
    frame = max(timeline.frame_of_point(point) if point is not None else frame, placed.first)
    keys = [replace(_key(timeline, placed.first), value=float(word))] if word and frame > placed.first else []
    keys.append(replace(_key(timeline, frame), value=float(count)))
    return with_clips(reel, [replace(clip, keys={**clip.keys, WORD: tuple(keys)})])


def _key_frames(timeline: Timeline, clip: Clip) -> list[int]:
    placed = on_reel(timeline, clip.id)
    return [frame for frame, _, _ in timeline.keyed(placed)[WORD]]


def _key(timeline: Timeline, frame: int, within: int = 0) -> Key:
    point = timeline.point_at(frame, within)
    if point is not None:
        return Key(point.time_s, 0.0, point.id, "hold")
    return Key(time_of(frame, timeline.rate) + timeline.start_s, 0.0, None, "hold")


def with_lines(
    reel: Reel, lines: Sequence[Line], title: Title = LYRIC, of_song: bool = True, framing: Framing = LOW
) -> tuple[Reel, list[str]]:
    """Lay a title for each line that lies on the reel; returns the reel and the clips. Times are the song's with `of_song`,
    else the reel's. A line begins on the chosen point near its time; its words land on the points near their times, or
    where the file has none, on those in its slot. Raises TempikError where none of them lies on the reel."""
    timeline = timeline_of(reel)
    rate, shift = float(timeline.rate), timeline.start_s if of_song else 0.0
    on_it = []
    for line in lines:
        first, end = (frame_of(t - shift, timeline.rate) for t in (line.start_s, line.end_s))
        point = timeline.point_at(first, round(NEAR_LINE_S * rate))
        first = timeline.frame_of_point(point) if point is not None else first
        if end > 0 and first < timeline.frames:
            on_it.append((max(first, 0), min(end, timeline.frames), line))
    spans = [
        (a, min(b, after[0]) if after is not None else b, line)
        for (a, b, line), after in zip(on_it, [*on_it[1:], None], strict=True)
    ]
    spans = [(a, b, line) for a, b, line in spans if b > a]
    if not spans:
        raise TempikError("None of the lines lies on the reel; check the song's stretch, or whose times they are.")
    reel, track = free_track(reel, (spans[0][0], spans[-1][1]))
    made: list[str] = []
    for first, end, line in spans:
        text = replace(title, text=line.text)
        timeline = timeline_of(reel)
        edges = edge_at(timeline, first), edge_at(timeline, end)
        reel, name = _laid(reel, text, *edges, (first, end), track, framing)
        made.append(name)
        reel = _with_line_words(reel, name, line, shift)
    return reel, made


def _with_line_words(reel: Reel, clip: str, line: Line, shift: float) -> Reel:
    timeline = timeline_of(reel)
    record = clip_of(reel, clip)
    placed = on_reel(timeline, clip)
    count = len(words_of(line.text))
    if len(line.words_s) != count:
        try:
            return with_words_on_points(reel, [clip])
        except TempikError:
            return reel
    near = round(NEAR_WORD_S * float(timeline.rate))
    keys: dict[int, Key] = {}
    before = placed.first
    for number, time_s in enumerate(line.words_s):
        frame = min(max(frame_of(time_s - shift, timeline.rate), before), placed.end - 1)
        point = timeline.point_at(frame, near)
        at = timeline.frame_of_point(point) if point is not None else frame
        if not before <= at < placed.end:
            at = frame
        keys[at] = replace(_key(timeline, at), value=float(number + 1))
        before = at
    return with_clips(reel, [replace(record, keys={**record.keys, WORD: tuple(keys[f] for f in sorted(keys))})])


def with_named_points(reel: Reel, title: Title = LYRIC, framing: Framing = LOW) -> tuple[Reel, list[str]]:
    """Make words of the points that have names, each on its own point: a title for those that follow each other closely.
    Raises TempikError where no point on the reel has one."""
    timeline = timeline_of(reel)
    named = [p for p in timeline.on_reel() if p.name.strip()]
    if not named:
        raise TempikError("No point on the reel has a name; name some on the Rhythm page.")
    lines: list[list[Point]] = [[named[0]]]
    for before, point in pairwise(named):
        if point.time_s - before.time_s > APART_S or len(lines[-1]) >= MOST_NAMED:
            lines.append([])
        lines[-1].append(point)
    spans = []
    for line, after in zip(lines, [*lines[1:], None], strict=True):
        first = timeline.frame_of_point(line[0])
        end = timeline.frame_of_point(line[-1]) + round(LAST_WORD_S * float(timeline.rate))
        if after is not None:
            end = min(end, timeline.frame_of_point(after[0]))
        spans.append((first, min(end, timeline.frames), line))
    reel, track = free_track(reel, (spans[0][0], spans[-1][1]))
    made = []
    for first, end, line in spans:
        timeline = timeline_of(reel)
        text = replace(title, text=" ".join(p.name.strip() for p in line))
        edges = edge_at(timeline, first), edge_at(timeline, end)
        reel, name = _laid(reel, text, *edges, (first, end), track, framing)
        count, keys = 0, []
        for point in line:
            count += len(words_of(point.name))
            keys.append(Key(point.time_s, float(count), point.id, "hold"))
        reel = with_clips(reel, [replace(clip_of(reel, name), keys={WORD: tuple(keys)})])
        made.append(name)
    return reel, made


def lines_of(reel: Reel, of_song: bool) -> tuple[Line, ...]:
    """Return the titles of a reel as lines, in order, in seconds of the song or of the reel."""
    timeline = timeline_of(reel)
    shift = timeline.start_s if of_song else 0.0
    out = [_line(timeline, placed, shift) for placed in timeline.placed if placed.clip.title is not None]
    return tuple(line for line in sorted(out, key=lambda x: x.start_s) if line.text.strip())


def _line(timeline: Timeline, placed: PlacedClip, shift: float) -> Line:
    assert placed.clip.title is not None
    words = tuple(time_of(f, timeline.rate) + shift for f in word_frames(timeline, placed))
    start, end = (time_of(f, timeline.rate) + shift for f in (placed.first, placed.end))
    return Line(start, end, placed.clip.title.text, words)
