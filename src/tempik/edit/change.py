"""Changes to a reel, each a pure function that returns the reel changed.

Raises TempikError, with the reel left as it was, where a change cannot be had.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

from msgspec.structs import replace

from tempik.edit.draft import LONGEST_S
from tempik.edit.slots import reslotted
from tempik.edit.song_swap import carried_over
from tempik.edit.timeline import Timeline
from tempik.errors import TempikError
from tempik.media import Probe
from tempik.reel import (
    Clip,
    Cue,
    Edge,
    Footage,
    Reel,
    Soundtrack,
    by_id,
    new_id,
)
from tempik.time import frame_of


def footage_from(probe: Probe, taken: set[str]) -> Footage:
    """Return the record of a probed file. Raises TempikError when it has no picture."""
    if not probe.has_picture:
        raise TempikError(f"{probe.path} has no picture, only sound; add it as the song instead.")
    return Footage(
        id=new_id("f", taken),
        path=str(Path(probe.path).absolute()),
        width=probe.width,
        height=probe.height,
        rate=probe.rate,
        length_s=probe.length_s,
        rotation_deg=probe.rotation_deg,
        has_sound=probe.has_sound,
        kind="still" if probe.still else "video",
        frames=probe.frames,
        bytes=probe.bytes,
        key=probe.key,
        variable=probe.variable_rate,
        alpha=probe.alpha,
        said=probe.said,
    )


def with_footage(reel: Reel, probe: Probe) -> Reel:
    """Add a file to the reel's footage; one already there is not added twice."""
    path = str(Path(probe.path).absolute())
    if any(f.path == path for f in reel.footage):
        return reel
    return replace(reel, footage=(*reel.footage, footage_from(probe, {f.id for f in reel.footage})))


def without_footage(reel: Reel, footage: str) -> Reel:
    """Take a piece of footage off the reel. Raises TempikError while clips use it."""
    used = [c.id for c in reel.clips if c.footage == footage]
    if used:
        raise TempikError(f"{len(used)} clips use this footage; swap or remove them first.")
    return replace(reel, footage=tuple(f for f in reel.footage if f.id != footage))


def with_song(reel: Reel, song: Soundtrack) -> Reel:
    """Set the song. What was tied to the former song's beats is tied to the same beats of this one, counted from the
    reel's first downbeat; where there are no beats to count by, clips keep their instants, untied."""
    made = carried_over(reel, song)
    if made is not None:
        return made
    timeline = Timeline(reel)
    clips = tuple(
        replace(
            c,
            start=replace(c.start, point=None, time_s=timeline.edge_s(c.start)),
            end=replace(c.end, point=None, time_s=timeline.edge_s(c.end)),
            source_s=_source_start(timeline, c),
            pins=(),
        )
        for c in reel.clips
    )
    length_s = min(reel.length_s or LONGEST_S, song.length_s)
    return replace(reel, soundtrack=song, clips=clips, length_s=length_s)


def _source_start(timeline: Timeline, clip: Clip) -> float:
    placed = timeline.placed_clip(clip.id)
    return placed.map.start_s if placed is not None else clip.source_s


def with_stretch(reel: Reel, start_s: float, length_s: float) -> Reel:
    """Use another stretch of the song. Tied clips stay on their points; free edges keep their place on the reel, and
    a clip that ran to the reel's end still does.

    Raises TempikError when the stretch lies outside the song.
    """
    song = song_of(reel)
    if start_s < 0 or length_s <= 0 or start_s + length_s > song.length_s + 0.5 / float(reel.rate):
        raise TempikError(f"The song is {song.length_s:.2f} s long; the stretch must lie within it.")
    last_frame = Timeline(reel).frames
    clips = tuple(
        replace(c, end=Edge(length_s)) if c.end.point is None and frame_of(c.end.time_s, reel.rate) >= last_frame else c
        for c in reel.clips
    )
    return replace(reel, soundtrack=replace(song, start_s=start_s), length_s=length_s, clips=clips)


def with_sound(
    reel: Reel, gain_db: float | None = None, fade_in_s: float | None = None, fade_out_s: float | None = None
) -> Reel:
    """Set the song's gain and fades; None leaves one as it is. Raises TempikError for a fade longer than the reel."""
    song = song_of(reel)
    made = replace(
        song,
        gain_db=song.gain_db if gain_db is None else min(max(gain_db, -60.0), 24.0),
        fade_in_s=song.fade_in_s if fade_in_s is None else fade_in_s,
        fade_out_s=song.fade_out_s if fade_out_s is None else fade_out_s,
    )
    if min(made.fade_in_s, made.fade_out_s) < 0 or max(made.fade_in_s, made.fade_out_s) > max(reel.length_s, 0.01):
        raise TempikError(f"A fade lasts from 0 s to the reel's {reel.length_s:.2f} s; give one within that.")
    return replace(reel, soundtrack=made)


def with_settings(reel: Reel, width: int, height: int, rate: Fraction) -> Reel:
    """Set frame size and rate. Every frame number is re-derived from seconds, so changing back loses nothing."""
    return replace(reel, width=width, height=height, rate=rate)


def song_of(reel: Reel) -> Soundtrack:
    """Return the reel's song. Raises TempikError when it has none."""
    if reel.soundtrack is None:
        raise TempikError("The reel has no song yet; drop one on the window.")
    return reel.soundtrack


def _change_footage(reel: Reel, wanted: str, change: Callable[[Footage], Footage]) -> Reel:
    return replace(reel, footage=tuple(change(f) if f.id == wanted else f for f in reel.footage))


def _change_clip(reel: Reel, wanted: str, change: Callable[[Clip], Clip]) -> Reel:
    if by_id(reel.clips, wanted) is None:
        raise TempikError("That clip is no longer on the reel.")
    return replace(reel, clips=tuple(change(c) if c.id == wanted else c for c in reel.clips))


def with_cue(reel: Reel, footage: str, time_s: float, name: str = "") -> Reel:
    """Set one more cue on a piece of footage. Raises TempikError when it lies outside the file."""
    piece = by_id(reel.footage, footage)
    if piece is None or not 0 <= time_s < piece.length_s:
        raise TempikError(f"A cue at {time_s:.3f} s lies outside the footage.")
    cue = Cue(new_id("q", {c.id for c in piece.cues}), time_s, name)
    cues = tuple(sorted((*piece.cues, cue), key=lambda c: c.time_s))
    return _change_footage(reel, footage, lambda f: replace(f, cues=cues))


def with_moved_cue(reel: Reel, footage: str, cue: str, time_s: float) -> Reel:
    """Move a cue. Clips pinned by it slip so that the new frame lands on the same point."""
    piece = by_id(reel.footage, footage)
    if piece is None or not 0 <= time_s < piece.length_s:
        raise TempikError(f"A cue at {time_s:.3f} s lies outside the footage.")
    moved = tuple(replace(c, time_s=time_s) if c.id == cue else c for c in piece.cues)
    return _change_footage(reel, footage, lambda f: replace(f, cues=tuple(sorted(moved, key=lambda c: c.time_s))))


def without_cue(reel: Reel, footage: str, cue: str) -> Reel:
    """Remove a cue. Clips pinned by it keep showing what they show, unpinned."""
    timeline = Timeline(reel)
    clips = tuple(
        replace(c, source_s=_source_start(timeline, c), pins=tuple(p for p in c.pins if p.cue != cue))
        if c.footage == footage and any(p.cue == cue for p in c.pins)
        else c
        for c in reel.clips
    )
    reel = replace(reel, clips=clips)
    return _change_footage(reel, footage, lambda f: replace(f, cues=tuple(c for c in f.cues if c.id != cue)))


def without_clip(reel: Reel, clip: str) -> Reel:
    """Remove a clip; its neighbour before it runs on over the gap, or the one after it where it was first."""
    timeline = Timeline(reel)
    gone = timeline.placed_clip(clip)
    reel = replace(reel, clips=tuple(c for c in reel.clips if c.id != clip))
    if gone is None:
        return reel
    row = timeline.rows[gone.clip.row]
    before = next((p for p in row if p.end == gone.first), None)
    after = next((p for p in row if p.first == gone.end), None)
    if before is not None:
        runs_on = reslotted(timeline, before, before.begin, gone.until, before.clip.start, gone.clip.end)
    elif after is not None:
        runs_on = reslotted(timeline, after, gone.begin, after.until, gone.clip.start, after.clip.end)
    else:
        return reel
    return _change_clip(reel, runs_on.id, lambda c: runs_on)
