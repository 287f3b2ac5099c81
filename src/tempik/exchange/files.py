"""Timelines of others as files: written and read through OpenTimelineIO and its CMX 3600 adapter."""

from __future__ import annotations

import copy
import re
from fractions import Fraction
from pathlib import Path

import opentimelineio as otio
from msgspec.structs import replace
from opentimelineio.opentime import RationalTime, TimeRange

from tempik.assemble import soundtrack_from
from tempik.disk.reading import decoded, read_whole
from tempik.disk.writing import write_whole
from tempik.errors import TempikError
from tempik.exchange.out import WIPE, as_timeline
from tempik.exchange.read import ReadTimeline, as_reel
from tempik.reel import Clip, Edge, Point, Reel, Soundtrack
from tempik.reel.model import new_id
from tempik.reel.points import points_of
from tempik.timeline.timeline import Timeline, timeline_of

SUFFIXES = {".otio": "OpenTimelineIO", ".edl": "CMX 3600 EDL"}
MOST_MB = 64
MOST_EDL_LINES, MOST_LETTERS = 50_000, 20_000
MOST_EVENTS = 3000  # of an EDL that is written
DEEPEST, MOST_VALUES, MOST_NUMBER = 100, 5_000_000, 1e12
NEAR_S = 0.02  # a marker so near a point is that point
WIPE_CODE = "W001"  # CMX 3600's first wipe, from left to right
_EVENT = re.compile(r"^(\d{3,6}\s+\S+\s+\S+\s+)D(\s+\d{3}\s)")
# What a person is told of what the adapter cannot read.
_SAID = 160


def write_timeline(reel: Reel, target: Path, track: int = 0) -> list[str]:
    """Write a reel as OTIO, or one track of it as EDL, and return sentences on what the file cannot say. Raises TempikError."""
    suffix = target.suffix.lower()
    if suffix not in SUFFIXES:
        raise TempikError(f"{target} is no name for a timeline; end it in {' or '.join(SUFFIXES)}.")
    if not reel.clips:
        raise TempikError("The reel has no clips yet; there is nothing to write.")
    written = as_timeline(reel, target.stem)
    notes = [written.message] if written.message else []
    try:
        if suffix == ".otio":
            text = otio.adapters.write_to_string(written.timeline, "otio_json")
        else:
            text, more = _edl(written.timeline, reel, track)
            notes += more
    except (otio.exceptions.OTIOError, ValueError, AttributeError) as error:
        raise TempikError(f"{target} could not be written ({str(error)[:_SAID]}).") from error
    write_whole(target.absolute(), text.encode())
    return notes


def _edl(timeline: otio.schema.Timeline, reel: Reel, number: int) -> tuple[str, list[str]]:
    """Return a track as an EDL. It has one track, times in frames of the reel, and dissolves and wipes alone."""
    timeline, rate, notes = copy.deepcopy(timeline), float(reel.rate), list[str]()
    videos = list(timeline.video_tracks())
    if not 0 <= number < len(videos):
        raise TempikError(f"The reel has {len(videos)} tracks of clips; choose one of them.")
    if len(videos) > 1:
        notes.append(f"An EDL has one track: this is picture {number + 1} of {len(videos)}.")
    track = videos[number]
    for other in [t for t in timeline.tracks if t is not track]:
        timeline.tracks.remove(other)
    track.enabled, track.name = True, "V"
    events = sum(isinstance(item, otio.schema.Clip) for item in track)
    if events > MOST_EVENTS:
        raise TempikError(
            f"An EDL of {events} events is more than is read anywhere ({MOST_EVENTS}); write .otio instead."
        )
    wipes = _in_frames(timeline, track, rate)
    for transition, into in zip(list(track), list(track)[1:], strict=False):
        # A dissolve cannot begin before its footage does: what is held there is left out.
        if isinstance(transition, otio.schema.Transition) and isinstance(into, otio.schema.Clip):
            transition.in_offset = min(transition.in_offset, into.source_range.start_time)
    text = otio.adapters.write_to_string(timeline, "cmx_3600", rate=rate)
    if any(f.rate != reel.rate for f in reel.footage if not f.without_file):
        notes.append(
            "An EDL counts in the reel's frames: source times of footage at another rate are to the nearest of them."
        )
    return _with_wipes(text, wipes), notes


def _in_frames(timeline: otio.schema.Timeline, track: otio.schema.Track, rate: float) -> list[bool]:
    """Turn a track's source times into frames of the reel, its markers into markers of the clip that they are over, and wipes into
    dissolves; return which transitions were wipes."""
    wipes = []
    markers = sorted(timeline.tracks.markers, key=lambda m: float(m.marked_range.start_time.to_seconds()))
    timeline.tracks.markers.clear()
    at = RationalTime(0, rate)
    for item in track:
        if not isinstance(item, otio.schema.Transition):
            first, at = at, at + item.duration()
        if isinstance(item, otio.schema.Transition):
            wipes.append(item.transition_type == WIPE)
            item.transition_type = otio.schema.TransitionTypes.SMPTE_Dissolve
            continue
        if not isinstance(item, otio.schema.Clip):
            continue
        start = item.source_range.start_time.to_seconds()
        begin = RationalTime(round(start * rate), rate)
        item.source_range = TimeRange(begin, item.source_range.duration)
        if isinstance(item.media_reference, otio.schema.ExternalReference):
            item.media_reference.available_range = None
        while markers and markers[0].marked_range.start_time < at:
            marker = markers.pop(0)
            if marker.marked_range.start_time >= first:
                # A locator stands at a time of the record, whatever the source's is (common practice of EDLs).
                item.markers.append(copy.deepcopy(marker))
    return wipes


def _with_wipes(text: str, wipes: list[bool]) -> str:
    """Return an EDL with the events of wipes marked as such: the adapter writes dissolves alone."""
    left, lines = list(wipes), []
    for line in text.split("\n"):
        if left and _EVENT.match(line) and left.pop(0):
            line = _EVENT.sub(rf"\g<1>{WIPE_CODE}\2", line)
        lines.append(line)
    return "\n".join(lines)


def _mend(timeline: otio.schema.Timeline) -> None:
    """Put right what the adapter reads of transitions. An EDL begins the incoming clip with them, so the cut lies at their start:
    it is put in their middle, where they are half way. And the media of such a clip is that of the line `TO CLIP`."""
    for track in timeline.tracks:
        for clip in track:
            if isinstance(clip, otio.schema.Clip):  # locators stand at times of the record
                timeline.tracks.markers.extend(copy.deepcopy(list(clip.markers)))
        for out, transition, into in zip(list(track), list(track)[1:], list(track)[2:], strict=False):
            if (
                not isinstance(transition, otio.schema.Transition)
                or transition.in_offset.value
                or not isinstance(into, otio.schema.Clip)
            ):
                continue
            message = into.metadata.get("cmx_3600", {}).get("comments", [])
            named = next((str(c)[8:].strip() for c in message if str(c).startswith("TO CLIP:")), "")
            into.media_reference = (
                otio.schema.ExternalReference(target_url=named) if named else otio.schema.MissingReference()
            )
            half = RationalTime(transition.out_offset.value // 2, transition.out_offset.rate)
            if out.source_range is None or into.source_range.duration <= half:
                continue
            speed = next((e.time_scalar for e in into.effects if isinstance(e, otio.schema.LinearTimeWarp)), 1.0)
            out.source_range = TimeRange(out.source_range.start_time, out.source_range.duration + half)
            begin = into.source_range.start_time + RationalTime(half.value * speed, half.rate)
            into.source_range = TimeRange(begin, into.source_range.duration - half)
            transition.in_offset, transition.out_offset = half, transition.out_offset - half


def read_timeline(
    path: Path,
    size: tuple[int, int] = (1080, 1920),
    media: Path | None = None,
    rate: Fraction | None = None,
    song: str = "",
) -> tuple[Reel, list[str]]:
    """Return an OTIO or EDL file as a reel, with sentences on what could not be taken over. Media that is not where the file says is
    looked for by name in `media`, else beside the file. An EDL does not tell its frames a second: `rate` does. A song, the file's or
    the one that is given, is listened to; markers become points of it, and cuts on points are tied to them. Raises TempikError."""
    suffix = path.suffix.lower()
    if suffix not in SUFFIXES:
        raise TempikError(f"{path} is no timeline that Tempik reads; choose one that ends in {' or '.join(SUFFIXES)}.")
    text = read_whole(path, MOST_MB).decode("utf-8", "replace")
    _refuse_beyond(path, text, suffix)
    try:
        if suffix == ".otio":
            source = otio.adapters.read_from_string(text, "otio_json")
        else:
            source = otio.adapters.read_from_string(text, "cmx_3600", rate=float(rate or 30))
            _mend(source)
    except Exception as error:  # adapters raise whatever a damaged file leads them to
        raise TempikError(
            f"{path} is damaged or no {SUFFIXES[suffix]} ({str(error)[:_SAID] or type(error).__name__})."
        ) from error
    if isinstance(source, otio.schema.SerializableCollection):
        source = next((t for t in source if isinstance(t, otio.schema.Timeline)), None)
    if not isinstance(source, otio.schema.Timeline):
        raise TempikError(f"{path} holds no timeline; choose another file.")
    try:
        found = as_reel(
            source, size, media or path.absolute().parent, rate if suffix == ".otio" else (rate or Fraction(30))
        )
    except TempikError as error:
        raise TempikError(str(error).replace("That timeline", str(path), 1)) from error
    except (otio.exceptions.OTIOError, ValueError, AttributeError, OverflowError, ZeroDivisionError) as error:
        raise TempikError(f"{path} is damaged ({str(error)[:_SAID]}).") from error
    notes = list(found.notes)
    if suffix == ".edl" and rate is None:
        notes.append("An EDL does not tell its frames a second: 30 were taken.")
    return _on_points(found, song, notes), notes


def _refuse_beyond(path: Path, text: str, suffix: str) -> None:
    """Raises TempikError for a file that no edit makes: too deep, too long, with numbers beyond all time. The libraries that read it
    would end with it, or not end at all."""
    if suffix == ".edl":
        lines = text.split("\n")
        if len(lines) > MOST_EDL_LINES or max(map(len, lines)) > MOST_LETTERS:
            raise TempikError(f"{path} has more or longer lines than an EDL; write it again, in parts.")
        return
    left, count = [(decoded(text.encode(), path, SUFFIXES[suffix]), 0)], 0
    while left:
        value, depth = left.pop()
        count += 1
        if depth > DEEPEST or count > MOST_VALUES:
            raise TempikError(f"{path} is deeper or longer than any edit; write it again, in parts.")
        if isinstance(value, dict):
            left += [(v, depth + 1) for v in value.values()]
        elif isinstance(value, list):
            left += [(v, depth + 1) for v in value]
        elif isinstance(value, str):
            if len(value) > MOST_LETTERS:
                raise TempikError(f"{path} has a text of {len(value)} letters, which no edit has; write it again.")
        elif isinstance(value, int | float) and not abs(value) <= MOST_NUMBER:
            raise TempikError(f"{path} has a number beyond all time; write it again.")


def _on_points(found: ReadTimeline, song: str, notes: list[str]) -> Reel:
    path = song or found.song
    if not path:
        if found.markers:
            notes.append("Its markers need a song to be points of; give it one.")
        return found.reel
    from tempik.rhythm import analyse  # its libraries take half a second to load

    start_s = 0.0 if song and song != found.song else found.song_start_s
    heard = replace(soundtrack_from(path, analyse(path)), start_s=start_s)
    heard = with_markers(heard, found.markers)
    return tied(replace(found.reel, soundtrack=heard))


def with_markers(song: Soundtrack, markers: tuple[tuple[float, str], ...]) -> Soundtrack:
    """Return a song with a point for each marker (seconds of the reel) that lies on none yet."""
    known = sorted(p.time_s for p in points_of(song))
    placed = list(song.placed)
    for time_s, name in markers:
        at = time_s + song.start_s
        if not 0 <= at < song.length_s or any(abs(at - k) < NEAR_S for k in known):
            continue
        number = new_id("p", tuple(p.id for p in placed))
        placed.append(Point(number, at, kind="hand", name=name[:80]))
    return replace(song, placed=tuple(placed))


def tied(reel: Reel) -> Reel:
    """Return a reel with every edge that lies on the frame of a point tied to it."""
    timeline = timeline_of(reel)
    at = {timeline.frame_of_point(p): p.id for p in timeline.on_reel()}
    return replace(reel, clips=tuple(_tied_clip(timeline, c, at) for c in reel.clips))


def _tied_clip(timeline: Timeline, clip: Clip, at: dict[int, str]) -> Clip:
    def edge(one: Edge) -> Edge:
        point = at.get(timeline.edge_frame(one))
        return Edge(one.time_s, point) if point is not None and one.point is None else one

    return replace(clip, start=edge(clip.start), end=edge(clip.end))
