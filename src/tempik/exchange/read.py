"""A timeline of others as a reel: clips, source times, speeds, freezes, dissolves and wipes; the song, and markers as its points."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple
from urllib.parse import unquote, urlparse

import opentimelineio as otio
from msgspec.structs import replace

from tempik.disk.folders import files_in
from tempik.disk.reading import is_regular
from tempik.edit.footage.facts import footage_from
from tempik.errors import TempikError
from tempik.exchange.out import DISSOLVES, MINE, WIPE
from tempik.media import probe
from tempik.media.opening import is_media
from tempik.reel import Clip, Curve, Edge, Footage, Node, Reel, Transition, VideoTrack
from tempik.reel.validate import problems
from tempik.retime import constant
from tempik.time import parse_rate
from tempik.transitions import CATALOGUE

MOST_CLIPS, MOST_TRACKS = 20_000, 40
FRAME_RATES = ("24000/1001", "24", "25", "30000/1001", "30", "48", "50", "60000/1001", "60", "120")
BLACK = "#000000"
WIPES = ("bar-wipe",)
FASTEST = 100.0
LONGEST_NAME = 4096


class ReadTimeline(NamedTuple):
    """A reel, the song's file ('' for none) with the second of it that the reel begins at, markers as seconds of the reel with
    their names, and sentences on what could not be taken over."""

    reel: Reel
    song: str
    song_start_s: float
    markers: tuple[tuple[float, str], ...]
    notes: tuple[str, ...]


class _Taking:
    """What is gathered while a timeline is read."""

    def __init__(self, rate: Fraction, size: tuple[int, int], folder: Path | None) -> None:
        self.rate, self.size, self.folder = rate, size, folder
        self.where: dict[tuple[str, str], str] = {}
        self._beside: dict[str, str] | None = None
        self.footage: dict[str, Footage] = {}
        self.clips: list[Clip] = []
        self.unknown: dict[str, int] = {}
        self.missing: list[str] = []

    @property
    def beside(self) -> dict[str, str]:
        """The files of the folder and those below it by name, looked through once."""
        if self._beside is None:
            found = files_in(str(self.folder)).files if self.folder is not None else ()
            self._beside = {Path(f).name: f for f in reversed(found)}
        return self._beside

    def note(self, what: str) -> None:
        self.unknown[what] = self.unknown.get(what, 0) + 1


def as_reel(
    source: otio.schema.Timeline, size: tuple[int, int], folder: Path | None, rate: Fraction | None
) -> ReadTimeline:
    """Return what a timeline says as a reel of that size; media that is not where it says is looked for in `folder` by name.
    `rate` is the reel's where the timeline does not tell. Raises TempikError where nothing of it can be had."""
    mine = source.metadata.get(MINE)
    mine = mine if isinstance(mine, Mapping) else {}
    found = _rate_of(source, mine, rate)
    width, height = mine.get("width", size[0]), mine.get("height", size[1])
    if not (isinstance(width, int) and isinstance(height, int) and 16 <= width <= 8192 and 16 <= height <= 8192):
        width, height = size
    taking = _Taking(found, (width, height), folder)
    videos = list(source.video_tracks())[:MOST_TRACKS]
    for number, track in enumerate(videos):
        _take_track(taking, track, number)
    if not taking.clips:
        raise TempikError("That timeline has no clips; choose another file.")
    length_s = float(max(c.end.time_s for c in taking.clips))
    reel = Reel(
        width=width, height=height, rate=found, length_s=length_s, footage=tuple(taking.footage.values()),
        clips=tuple(taking.clips), tracks=tuple(VideoTrack(hidden=not t.enabled) for t in videos),
    )  # fmt: skip
    wrong = problems(reel)
    if wrong:
        raise TempikError(f"That timeline cannot be had as a reel: {wrong[0]}")
    song, start_s = _song_of(source, taking)
    return ReadTimeline(reel, song, start_s, _markers_of(source), tuple(_notes(taking)))


def _rate_of(source: otio.schema.Timeline, mine: Mapping[str, object], wished: Fraction | None) -> Fraction:
    message = mine.get("rate")
    if isinstance(message, str):
        try:
            return parse_rate(message)
        except TempikError:
            pass
    if wished is not None:
        return wished
    values = [source.global_start_time.rate] if source.global_start_time is not None else []
    values += [
        c.source_range.duration.rate
        for t in source.video_tracks()
        for c in t
        if isinstance(c, otio.core.Item) and c.source_range is not None
    ]
    if not values:
        raise TempikError("That timeline does not say its frames a second; give them.")
    near = min((parse_rate(r) for r in FRAME_RATES), key=lambda r: abs(float(r) - values[0]))
    if abs(float(near) - values[0]) < 0.005:
        return near
    return parse_rate(str(Fraction(values[0]).limit_denominator(1001)))


def _take_track(taking: _Taking, track: otio.schema.Track, number: int) -> None:
    at, transition = Fraction(0), None
    for item in track:
        if isinstance(item, otio.schema.Transition):
            transition = _transition_of(taking, item)
            continue
        span = item.duration()
        count = Fraction(span.value).limit_denominator(10**6) / Fraction(span.rate).limit_denominator(1001)
        begin, at = at, at + count
        if isinstance(item, otio.schema.Gap):
            transition = None
            continue
        if count <= 0:
            continue
        if len(taking.clips) >= MOST_CLIPS:
            raise TempikError(f"That timeline has more than {MOST_CLIPS} clips.")
        made = _clip_of(taking, item, float(begin), float(at), number)
        if transition is not None:
            made, transition = replace(made, transition=transition), None
        taking.clips.append(made)
    if transition is not None:
        taking.note("transitions at the end of a track")


def _clip_of(taking: _Taking, item: otio.core.Item, begin_s: float, end_s: float, track: int) -> Clip:
    name = f"c{len(taking.clips) + 1}"
    edges = Edge(begin_s), Edge(end_s)
    if not isinstance(item, otio.schema.Clip):
        taking.note(f"a {type(item).__name__.lower()} inside a track, black in its place")
        return Clip(name, _solid(taking, BLACK).id, *edges, track=track)
    speed = _speed_of(taking, item)
    piece = _footage_of(taking, item)
    source_s = 0.0
    if item.source_range is not None and not piece.without_file:
        source_s = item.source_range.start_time.to_seconds() - _zero_of(item)
    # The middle of the frame that is meant, so that no rounding shows the one before.
    source_s += 0.5 / float(piece.rate) if not piece.endless else 0.0
    return Clip(name, piece.id, *edges, source_s=max(source_s, 0.0), curve=speed, track=track)


def _zero_of(item: otio.schema.Clip) -> float:
    """Return the seconds at which a clip's media begins by its own clock, such as a tape's timecode."""
    media = item.media_reference
    if media is None or media.available_range is None:
        return 0.0
    zero = float(media.available_range.start_time.to_seconds())
    return zero if item.source_range is not None and item.source_range.start_time.to_seconds() >= zero - 1e-6 else 0.0


def _speed_of(taking: _Taking, item: otio.schema.Clip) -> Curve:
    speed = 1.0
    for effect in item.effects:
        if isinstance(effect, otio.schema.FreezeFrame):
            speed = 0.0
        elif isinstance(effect, otio.schema.LinearTimeWarp):
            wanted = float(effect.time_scalar)
            speed = min(max(wanted, -FASTEST), FASTEST)
            if wanted != speed:
                taking.note(f"a speed of {wanted:g}")
        else:
            taking.note(f"the effect “{effect.effect_name or effect.name or type(effect).__name__}”")
    return constant(speed) if speed != 1 else Curve((Node(0.0, 1.0),))


def _transition_of(taking: _Taking, item: otio.schema.Transition) -> Transition | None:
    before, after = (t.to_seconds() * float(taking.rate) for t in (item.in_offset, item.out_offset))
    count = round(before + after)
    if count < 1:
        return None
    mine = item.metadata.get(MINE)
    kind = mine.get("transition") if isinstance(mine, Mapping) else None
    if not isinstance(kind, str) or kind not in CATALOGUE:
        if item.transition_type == otio.schema.TransitionTypes.SMPTE_Dissolve:
            kind = DISSOLVES[0]
        elif item.transition_type == WIPE or "wipe" in item.transition_type.lower():
            kind = WIPES[0]
        else:
            taking.note(f"the transition “{item.transition_type or item.name}”, a dissolve in its place")
            kind = DISSOLVES[0]
    share = min(max(before / (before + after), 0.0), 1.0)
    return Transition(kind=kind, length=float(count), at=None if abs(share - 0.5) < 0.5 / count else share)


def _footage_of(taking: _Taking, item: otio.schema.Clip) -> Footage:
    media = item.media_reference
    if isinstance(media, otio.schema.GeneratorReference):
        colour = media.parameters.get("colour") if isinstance(media.parameters, Mapping) else None
        if media.generator_kind != "SolidColor":
            taking.note(f"what “{media.generator_kind or item.name}” shows, black in its place")
            colour = BLACK
        good = isinstance(colour, str) and len(colour) == 7 and colour.startswith("#")
        return _solid(taking, str(colour) if good else BLACK)
    path = _path_of(item, taking)
    if path in taking.footage:
        return taking.footage[path]
    name = f"f{len(taking.footage) + 1}"
    if is_regular(path):
        try:
            made = replace(footage_from(probe(path), {f.id for f in taking.footage.values()}), id=name)
            taking.footage[path] = made
            return made
        except TempikError:
            pass
    taking.missing.append(path)
    rate, length_s = _said_of(item, taking)
    made = Footage(name, path, *taking.size, rate, length_s)
    taking.footage[path] = made
    return made


def _said_of(item: otio.schema.Clip, taking: _Taking) -> tuple[Fraction, float]:
    """Return rate and length of media that is not there, as far as the timeline tells them."""
    media, used = item.media_reference, item.source_range
    known = media.available_range if media is not None else None
    rate = taking.rate
    if known is not None and known.start_time.rate > 0:
        rate = Fraction(known.duration.rate).limit_denominator(1001)
    length_s = known.duration.to_seconds() if known is not None else 0.0
    if used is not None:
        length_s = max(length_s, used.start_time.to_seconds() + used.duration.to_seconds())
    return (rate if 1 <= rate <= 1000 else taking.rate), max(length_s, 1.0)


def _path_of(item: otio.schema.Clip, taking: _Taking) -> str:
    """Return where a clip's media is: as it says, else of that name in a folder."""
    media = item.media_reference
    message = media.target_url if isinstance(media, otio.schema.ExternalReference) else ""
    known = taking.where.get((message, item.name))
    if known is None:
        known = taking.where[message, item.name] = _looked_for(message, item.name, taking)
    return known


def _looked_for(message: str, name: str, taking: _Taking) -> str:
    if len(message) > LONGEST_NAME or len(name) > LONGEST_NAME:
        raise TempikError(f"That timeline names a file of {max(len(message), len(name))} letters, which none has.")
    try:
        parts = urlparse(message)
    except ValueError:
        parts = urlparse("")
    path = Path(unquote(parts.path) if parts.scheme in ("file", "") and message else name or "unnamed")
    if path.is_absolute() and is_regular(path):
        return str(path)
    folder = taking.folder
    if folder is not None:
        beside = folder / path
        if not path.is_absolute() and ".." not in path.parts and is_regular(beside):
            return str(beside)
        named = taking.beside.get(path.name) or taking.beside.get(Path(name).name)
        if named is not None:
            return named
    return str(path if path.is_absolute() else (folder or Path.cwd()) / (path.name or "unnamed"))


def _solid(taking: _Taking, colour: str) -> Footage:
    if colour not in taking.footage:
        name = f"f{len(taking.footage) + 1}"
        taking.footage[colour] = Footage(name, colour, *taking.size, taking.rate, 1.0, kind="solid")
    return taking.footage[colour]


def _song_of(source: otio.schema.Timeline, taking: _Taking) -> tuple[str, float]:
    for track in source.audio_tracks():
        for item in track:
            if isinstance(item, otio.schema.Clip):
                path = _path_of(item, taking)
                if is_regular(path) and is_media(path):
                    begins = track.range_of_child(item).start_time.to_seconds()
                    at = item.source_range.start_time.to_seconds() if item.source_range is not None else 0.0
                    return path, max(0.0, at - begins)
    return "", 0.0


def _markers_of(source: otio.schema.Timeline) -> tuple[tuple[float, str], ...]:
    out = []
    for marker in source.tracks.markers:
        mine = marker.metadata.get(MINE)
        time_s = mine.get("time_s") if isinstance(mine, Mapping) else None
        if not isinstance(time_s, int | float):
            time_s = marker.marked_range.start_time.to_seconds()
        out.append((float(time_s), marker.name))
    return tuple(sorted(out))


def _notes(taking: _Taking) -> list[str]:
    out = []
    if taking.missing:
        more = f" (and {len(taking.missing) - 1} more)" if len(taking.missing) > 1 else ""
        out.append(f"{taking.missing[0]} is missing{more}; open the project in the window and say where it is.")
    if taking.unknown:
        named = ", ".join(f"{what} ({count})" if count > 1 else what for what, count in taking.unknown.items())
        out.append(f"Not taken over: {named}.")
    return out
