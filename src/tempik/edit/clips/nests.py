"""Clips made one clip with a reel inside, opened to be changed, closed, and laid flat again."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from msgspec.structs import replace

from tempik.edit.clips.place import with_new_track
from tempik.edit.clips.slots import clip_of, in_order, new_clip_id, on_reel, trimmed, with_clips
from tempik.errors import TempikError
from tempik.reel import (
    AccentLane,
    Clip,
    ClipSound,
    Edge,
    Footage,
    Framing,
    Nest,
    Reel,
    VideoTrack,
    by_id,
    nests,
    new_id,
)
from tempik.reel.lanes import Limit
from tempik.reel.nests import nests_of
from tempik.reel.validate import MOST_TRACKS
from tempik.time import frame_of
from tempik.timeline.inside import inside_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.repeats import source_of
from tempik.timeline.timeline import Timeline, timeline_of

# What of a clip a nest may have and still be laid flat: all else acts on its clips as one.
_PLAIN = (
    "curve",
    "shaped",
    "framing",
    "opacity",
    "blend",
    "keys",
    "masks",
    "clear",
    "follow",
    "repeat",
    "leave",
    "beyond",
)


def with_nest(reel: Reel, clips: Collection[str]) -> tuple[Reel, str]:
    """Make clips one: a clip over the span of them all, on the lowest of their tracks that is free there, with them inside; accent lanes that fire
    in them alone go inside too. Returns the reel and the clip's id. Raises TempikError where others lie between them."""
    timeline = timeline_of(reel)
    found = in_order(timeline, clips)
    if any(p.repeated for p in found):
        raise TempikError(
            "A repeat is nested with the clip that it repeats; make it a clip of its own, or select that one."
        )
    low, high = min(p.clip.track for p in found), max(p.clip.track for p in found)
    names = {p.clip.id for p in found}
    # A clip that is laid again is laid again inside: the nest shows all of that.
    shown = [p for lane in timeline.tracks for p in lane if source_of(p.clip.id) in names]
    first, last = min(shown, key=lambda p: p.begin), max(shown, key=lambda p: p.until)
    others = [p for lane in timeline.tracks for p in lane if source_of(p.clip.id) not in names]
    free = (n for n in range(low, high + 1) if _is_free(others, n, (first.begin, min(last.until, timeline.frames))))
    track = next((n for n in free if _keeps_order(shown, others, n)), None)
    if track is None:
        raise TempikError("Other clips lie on all of their tracks between them; select those too, or move them.")
    start, end = first.clip.start, last.clip.end
    # What joins it to the clip before is the nest's own; within there is nothing to be joined to.
    opens = next((p for p in found if p.clip.track == low == track and p.begin == first.begin), None)
    transition = opens.clip.transition if opens is not None else None
    inner = tuple(
        replace(
            c, track=c.track - low, transition=None if opens is not None and c.id == opens.clip.id else c.transition
        )
        for c in reel.clips
        if c.id in names
    )
    inside, outside = _lanes_parted(reel, names)
    tracks = tuple(replace(reel.tracks[n], locked=False) for n in range(low, high + 1))
    footage = new_id("f", {f.id for f in reel.footage})
    piece = Footage(
        footage, _new_name(reel), reel.width, reel.height, reel.rate, max(timeline.edge_s(end) - timeline.edge_s(start), 1e-3),
        kind="nest", alpha=True, nest=Nest(start, end, inner, tracks, inside),
    )  # fmt: skip
    heard = any(p.clip.sound.on and p.footage.has_sound for p in found)
    made = Clip(
        new_clip_id(reel), footage, start, end,
        track=track, framing=Framing(fit="stretch"), sound=ClipSound(on=heard), transition=transition, in_place=True,
    )  # fmt: skip
    around = _in_place_of(reel, names, [made])
    return replace(reel, footage=(*reel.footage, piece), clips=around, accent_lanes=outside), made.id


def _is_free(others: Sequence[PlacedClip], track: int, span: tuple[int, int]) -> bool:
    """Tell whether no other clip lies on a track within a span of frames."""
    return not any(p.clip.track == track and p.first < span[1] and p.end > span[0] for p in others)


def _keeps_order(shown: Sequence[PlacedClip], others: Sequence[PlacedClip], track: int) -> bool:
    """Tell whether clips lie over and under the others as before when they are one on a track."""

    def over(a: int, b: int) -> int:
        return (a > b) - (a < b)

    return all(
        over(s.clip.track, o.clip.track) == over(track, o.clip.track)
        for o in others
        for s in shown
        if s.first < o.end and s.end > o.first
    )


def _in_place_of(reel: Reel, gone: set[str], made: list[Clip]) -> tuple[Clip, ...]:
    """Return a reel's clips with others where the first of some was."""
    out: list[Clip] = []
    left = made
    for clip in reel.clips:
        if clip.id not in gone:
            out.append(clip)
        else:
            out, left = [*out, *left], []
    return tuple(out)


def _new_name(reel: Reel) -> str:
    taken = {f.path for f in nests_of(reel)}
    return next(name for n in range(1, len(taken) + 2) if (name := f"nest {n}") not in taken)


def _lanes_parted(reel: Reel, names: set[str]) -> tuple[tuple[AccentLane, ...], tuple[AccentLane, ...]]:
    """Return the lanes that go inside with some clips, and those that stay: a lane limited to clips of both is in both."""
    inside, outside = [], []
    for lane in reel.accent_lanes:
        there = tuple(c for c in lane.limit.clips if c in names)
        left = tuple(c for c in lane.limit.clips if c not in names)
        if there:
            inside.append(_limited(lane, there))
        if left or not lane.limit.clips:
            outside.append(_limited(lane, left))
    return tuple(inside), tuple(outside)


def _limited(lane: AccentLane, clips: tuple[str, ...]) -> AccentLane:
    return lane if clips == lane.limit.clips else replace(lane, limit=Limit(clips, lane.limit.from_s, lane.limit.to_s))


def nest_of(reel: Reel, clip: str) -> Footage:
    """Return the nest that a clip shows. Raises TempikError where it shows none."""
    record = clip_of(reel, clip)
    piece = by_id(reel.footage, record.footage)
    if piece is None or piece.nest is None:
        raise TempikError("That clip is no nest; nest some clips first.")
    return piece


def with_nest_open(reel: Reel, clip: str) -> Reel:
    """Open the nest that a clip shows: what is edited from now on lies in it."""
    return nests.opened(reel, nest_of(reel, clip).id)


def with_nest_closed(reel: Reel) -> Reel:
    """Close the nest that was opened last; it spans what lies in it now, and its clips that play in place do so too.
    Raises TempikError where none is open."""
    if not reel.opened:
        raise TempikError("No nest is open.")
    name = reel.opened[-1]
    timeline, out = timeline_of(reel), nests.closed(reel)
    piece = by_id(out.footage, name)
    assert piece is not None and piece.nest is not None
    own = [p for p in timeline.placed if not p.repeated]
    if not own:
        return out
    first, last = min(own, key=lambda p: p.begin), max(own, key=lambda p: p.until)
    return _spanning(out, piece, first.clip.start, last.clip.end)


def _spanning(reel: Reel, piece: Footage, start: Edge, end: Edge) -> Reel:
    """Return the reel with a nest's span set. A clip that showed all of it does so still, as far as its neighbours let it."""
    nest = piece.nest
    assert nest is not None
    if (nest.start, nest.end) == (start, end):
        return reel
    before = timeline_of(reel)
    spanned = replace(piece, nest=replace(nest, start=start, end=end))
    out = replace(reel, footage=tuple(spanned if f.id == piece.id else f for f in reel.footage))
    changed = []
    for placed in before.placed:
        clip = placed.clip
        if clip.footage == piece.id and clip.in_place and (clip.start, clip.end) == (nest.start, nest.end):
            changed.append(_between_neighbours(before, placed, start, end))
    return with_clips(out, changed)


def _between_neighbours(timeline: Timeline, placed: PlacedClip, start: Edge, end: Edge) -> Clip:
    lane = timeline.own_tracks[placed.clip.track]
    number = next(n for n, p in enumerate(lane) if p.clip.id == placed.clip.id)

    def frame(edge: Edge) -> int:
        return frame_of(timeline.edge_s(edge), timeline.rate)

    if number and frame(start) < lane[number - 1].end:
        start = placed.clip.start
    if number + 1 < len(lane) and frame(end) > lane[number + 1].first:
        end = placed.clip.end
    return replace(placed.clip, start=start, end=end)


def flattened(reel: Reel, clip: str) -> tuple[Reel, list[str]]:
    """Lay what is in a nest where it is seen, on the nest's track and those above; returns the reel and the clips' ids.

    Only a nest that plays in place, as it is, can be laid flat without a change of what is seen. Raises TempikError with
    what is in the way otherwise."""
    record, piece = clip_of(reel, clip), nest_of(reel, clip)
    placed, nest = on_reel(timeline_of(reel), clip), piece.nest
    assert nest is not None
    plain = Clip("", "", record.start, record.end, framing=Framing(fit="stretch"))
    odd = [name for name in _PLAIN if getattr(record, name) != getattr(plain, name)]
    if odd or any(r.alone and clip in r.limit.clips for r in reel.accent_lanes):
        what = ", ".join(odd) or "accents of its own"
        raise TempikError(f"The nest has its own {what}, which its clips cannot have one by one; take that off first.")
    if not record.in_place:
        raise TempikError(
            "The nest was moved or slipped, so its clips lie on other points; put it back to lay it flat."
        )
    base, high = record.track, record.track + len(nest.tracks)
    if high > MOST_TRACKS:
        raise TempikError(f"The nest needs {len(nest.tracks)} tracks, and a reel has at most {MOST_TRACKS}.")
    reel = _with_room_above(reel, placed, high)
    inner = _seen_clips(inside_of(timeline_of(reel), placed.footage), placed)
    joined = next((n for n, c in enumerate(inner) if c.track == 0 and c.start == record.start), None)
    laid = [
        replace(
            c,
            track=c.track + base,
            transition=record.transition if n == joined and c.transition is None else c.transition,
        )
        for n, c in enumerate(inner)
    ]
    taken = {c.id for c in nests.all_clips(reel)} - {c.id for c in nest.clips}
    others = [
        f for f in reel.footage if f.id != piece.id or sum(c.footage == piece.id for c in nests.all_clips(reel)) > 1
    ]
    if any(f.id == piece.id for f in others):  # another clip shows the nest: what is laid flat is a copy
        taken |= {c.id for c in nest.clips}
    names: dict[str, str] = {}
    for c in laid:
        names[c.id] = c.id if c.id not in taken else new_id("c", taken | set(names.values()))
    flat = [replace(c, id=names[c.id]) for c in laid]
    lanes = tuple(_limited(r, tuple(c for c in r.limit.clips if c != clip)) for r in reel.accent_lanes)
    made = replace(
        reel,
        clips=_in_place_of(reel, {clip}, flat),
        footage=tuple(others),
        accent_lanes=_with_lanes_of(lanes, nest.accent_lanes, names),
    )
    if any(c.repeat is not None for c in flat):
        inside = _spans(inside_of(timeline_of(reel), placed.footage), {c.id for c in inner})
        seen = sorted(
            (max(a, placed.first), min(b, placed.end)) for a, b in inside if a < placed.end and b > placed.first
        )
        if seen != _spans(timeline_of(made), set(names.values())):
            raise TempikError(
                "A clip in it repeats, and would lie elsewhere once it is laid flat; lay it once in the nest first."
            )
    return made, [c.id for c in flat]


def _spans(timeline: Timeline, names: set[str]) -> list[tuple[int, int]]:
    """Return from where to where some clips and their repeats lie, in order."""
    return sorted((p.first, p.end) for lane in timeline.tracks for p in lane if source_of(p.clip.id) in names)


def _with_room_above(reel: Reel, placed: PlacedClip, high: int) -> Reel:
    """Return the reel with tracks up to `high` that are free above a clip while it lasts: where another lies there, all that
    is above goes up."""
    base = placed.clip.track
    lanes = timeline_of(reel).own_tracks[base + 1 : high]
    if any(p.first < placed.end and p.end > placed.first for lane in lanes for p in lane):
        up = high - base - 1
        if len(reel.tracks) + up > MOST_TRACKS:
            raise TempikError(
                f"Other clips lie above the nest, and a reel has at most {MOST_TRACKS} tracks; move them first."
            )
        clips = tuple(replace(c, track=c.track + up) if c.track > base else c for c in reel.clips)
        tracks = (*reel.tracks[: base + 1], *(VideoTrack() for _ in range(up)), *reel.tracks[base + 1 :])
        return replace(reel, clips=clips, tracks=tracks)
    while len(reel.tracks) < high:
        reel = with_new_track(reel)
    return reel


def _seen_clips(inside: Timeline, shown: PlacedClip) -> list[Clip]:
    """Return the clips of a nest as far as the clip that shows it lets them be seen."""
    out = []
    for clip in inside.reel.clips:
        placed = inside.placed_clip(clip.id)
        if placed is None:
            continue
        begin, until = max(placed.begin, shown.begin), min(placed.until, shown.until)
        if until > begin:
            whole = (begin, until) == (placed.begin, placed.until)
            out.append(clip if whole else trimmed(inside, placed, begin, until))
    return out


def _with_lanes_of(
    lanes: tuple[AccentLane, ...], inner: tuple[AccentLane, ...], names: dict[str, str]
) -> tuple[AccentLane, ...]:
    """Return accent lanes with those of a nest: parted ones made one again, others under a free id, all limited to the nest's
    clips, since they fired in it alone."""
    out = list(lanes)
    for lane in inner:
        clips = tuple(names[c] for c in (lane.limit.clips or names) if c in names)
        limited = _limited(lane, clips)
        whole = next((n for n, r in enumerate(out) if replace(r, limit=lane.limit) == lane and r.id == lane.id), None)
        if whole is not None and lane.limit.clips and out[whole].limit.clips:
            out[whole] = _limited(out[whole], (*out[whole].limit.clips, *clips))
            continue
        taken = {r.id for r in out}
        out.append(limited if lane.id not in taken else replace(limited, id=new_id("r", taken)))
    return tuple(out)
