"""Masks drawn on clips, what of their pictures is made clear, and clips that change what lies below them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

import numpy as np
from msgspec.structs import replace

from tempik.edit.clips.slots import clip_of, edge_at, new_clip_id, on_reel, with_clips
from tempik.edit.footage.tracking import with_track
from tempik.edit.keying import frame_of_key, keyed_with, keyed_without
from tempik.edit.titles import free_track, with_piece
from tempik.errors import TempikError
from tempik.reel import Clear, Clip, Framing, Mask, MotionTrack, Reel, by_id, new_id
from tempik.reel.mask import MASK_KEYED, MASK_SETTINGS
from tempik.reel.validate import problems
from tempik.settings import refuse_outside
from tempik.timeline.masking import shapes_at
from tempik.timeline.placed_clip import source_at_frames
from tempik.timeline.timeline import Timeline, timeline_of

KINDS = ("rectangle", "ellipse", "polygon")
MOST_POINTS = 200
SHAPE = ("x", "y", "width", "height", "turn_deg")  # what a mask's key sets all at once


def with_mask(reel: Reel, clip: str, kind: str, points: Sequence[tuple[float, float]] = ()) -> tuple[Reel, str]:
    """Draw a mask on a clip, in the middle of its picture; a polygon through `points`, shares of the picture. Returns the
    reel and the mask's id. Raises TempikError for a kind that there is not, and a polygon without an area."""
    record = clip_of(reel, clip)
    if kind not in KINDS:
        raise TempikError(f"There is no mask '{kind}'; choose from {', '.join(KINDS)}.")
    name = new_id("m", {m.id for m in record.masks})
    made = _polygon(name, points) if kind == "polygon" else Mask(name, kind, feather=0.01)
    return with_clips(reel, [replace(record, masks=(*record.masks, made))]), name


def _polygon(name: str, points: Sequence[tuple[float, float]]) -> Mask:
    """Return the mask of a polygon: its box, and its corners in shares of that from its middle."""
    if not 3 <= len(points) <= MOST_POINTS:
        raise TempikError(f"A polygon has 3 to {MOST_POINTS} corners.")
    xs, ys = [x for x, _ in points], [y for _, y in points]
    width, height = max(xs) - min(xs), max(ys) - min(ys)
    if width < 1e-4 or height < 1e-4:
        raise TempikError("That polygon has no area; draw its corners further apart.")
    x, y = (max(xs) + min(xs)) / 2, (max(ys) + min(ys)) / 2
    shape = tuple((round((px - x) / width, 5), round((py - y) / height, 5)) for px, py in points)
    return Mask(name, "polygon", x, y, width, height, points=shape, feather=0.01)


def mask_of(reel: Reel, clip: str, mask: str) -> Mask:
    """Return a mask of a clip. Raises TempikError when it is gone."""
    found = by_id(clip_of(reel, clip).masks, mask)
    if found is None:
        raise TempikError("That mask is no longer on the clip.")
    return found


def _with(reel: Reel, clip: str, mask: Mask) -> Reel:
    record = clip_of(reel, clip)
    return with_clips(reel, [replace(record, masks=tuple(mask if m.id == mask.id else m for m in record.masks))])


def with_mask_fields(reel: Reel, clip: str, mask: str, wanted: Mapping[str, object], frame: int | None = None) -> Reel:
    """Change a mask. What of it has keys is keyed at the frame, where one is given. Raises TempikError for what cannot be."""
    record, fields = mask_of(reel, clip, mask), dict(wanted)
    for name in MASK_KEYED:
        value = fields.get(name)
        if isinstance(value, int | float):
            refuse_outside(MASK_SETTINGS[name], value)
    keys, timeline = dict(record.keys), timeline_of(reel)
    for name in [n for n in fields if frame is not None and record.keys.get(n)]:
        assert frame is not None
        keys[name] = keyed_with(timeline, keys[name], frame, float(str(fields.pop(name))))
    return _with(reel, clip, replace(record, keys=keys, **fields))


def with_mask_following(reel: Reel, clip: str, mask: str, track: MotionTrack, frame: int) -> Reel:
    """Let a mask go with a tracked patch, which is kept with the footage; at the frame it stays where it is."""
    timeline = timeline_of(reel)
    placed = on_reel(timeline, clip)
    record = next(m for m in shapes_at(timeline, placed, frame) if m.id == mask)
    reel, name = with_track(reel, placed.footage.id, track)
    begin, now = (float(s) for s in source_at_frames(placed, [float(placed.begin), float(frame)], timeline.rate))
    (x0, x1), (y0, y1) = (np.interp([begin, now], track.times_s, values) for values in (track.xs, track.ys))
    kept = mask_of(reel, clip, mask)
    return _with(
        reel, clip, replace(kept, follow=name, keys={}, x=record.x - float(x1 - x0), y=record.y - float(y1 - y0))
    )


def without_mask(reel: Reel, clip: str, mask: str) -> Reel:
    """Take a mask off."""
    mask_of(reel, clip, mask)
    record = clip_of(reel, clip)
    return with_clips(reel, [replace(record, masks=tuple(m for m in record.masks if m.id != mask))])


def with_mask_key(reel: Reel, clip: str, mask: str, frame: int, names: Collection[str] = SHAPE) -> Reel:
    """Key a mask where it stands at a frame; on a point the key goes with the point."""
    timeline = timeline_of(reel)
    record = mask_of(reel, clip, mask)
    now = next(m for m in shapes_at(timeline, on_reel(timeline, clip), frame) if m.id == mask)
    keys = dict(record.keys)
    for name in names:
        keys[name] = keyed_with(timeline, keys.get(name, ()), frame, float(getattr(now, name)))
    return _with(reel, clip, replace(record, keys=keys))


def without_mask_key(reel: Reel, clip: str, mask: str, frame: int) -> Reel:
    """Take a mask's keys at a frame away; with the last one its value stays for good."""
    timeline = timeline_of(reel)
    record = mask_of(reel, clip, mask)
    fields: dict[str, float] = {}
    keys = {}
    for name, track in record.keys.items():
        left = keyed_without(timeline, track, frame)
        if left:
            keys[name] = left
        else:
            fields[name] = track[-1].value
    return _with(reel, clip, replace(record, keys=keys, **fields))


def mask_key_frames(timeline: Timeline, mask: Mask) -> list[int]:
    """Return the frames at which a mask has keys, in order."""
    return sorted({frame_of_key(timeline, k) for track in mask.keys.values() for k in track})


def with_clear(reel: Reel, clips: Collection[str], clear: Clear | None) -> Reel:
    """Make a colour, the dark or the bright of clips clear; None shows all of them."""
    made = with_clips(reel, [replace(clip_of(reel, name), clear=clear) for name in clips])
    return _sound(made)


def _sound(reel: Reel) -> Reel:
    message = problems(reel)
    if message:
        raise TempikError(message[0])
    return reel


def with_adjust(reel: Reel, frame: int, frames: int, track: int | None = None) -> tuple[Reel, str]:
    """Lay a clip that changes all below it for its slot, by its framing, its blend and the accents that are its own; returns
    the reel and the clip's id. Raises TempikError outside the reel."""
    timeline = timeline_of(reel)
    if not 0 <= frame < timeline.frames:
        raise TempikError("That lies outside the reel.")
    end = min(frame + max(frames, 1), timeline.frames)
    if track is None:
        reel, track = free_track(reel, (frame, end))
    reel, piece = with_piece(reel, "adjust")
    name = new_clip_id(reel)
    edges = edge_at(timeline, frame), edge_at(timeline, end)
    clip = Clip(name, piece, *edges, track=track, framing=Framing(fit="stretch"))
    return with_clips(reel, [clip]), name
