"""Several clips at once, each in its part of the frame: strips, rows or tiles."""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple

from msgspec.structs import replace

from tempik.edit.clips.place import with_new_track
from tempik.edit.clips.slots import cleared, in_order, on_reel, rippled, shifted, trimmed, with_clips
from tempik.errors import TempikError
from tempik.reel import Footage, Framing, Position, Reel
from tempik.timeline.timeline import timeline_of

FORMS = ("strips", "rows", "tiles")
MOST = 4
MOST_BORDER = 0.2


class FramePart(NamedTuple):
    """A part of the frame: left, top, width and height in shares of it."""

    left: float
    top: float
    wide: float
    height: float


def parts(count: int, form: str) -> list[FramePart]:
    """Return the parts of a frame for so many clips; three tiles are a high one and two beside it."""
    if form == "strips" or (form == "tiles" and count == 2):
        return [FramePart(n / count, 0.0, 1 / count, 1.0) for n in range(count)]
    if form == "rows":
        return [FramePart(0.0, n / count, 1.0, 1 / count) for n in range(count)]
    corners = [FramePart(x, y, 0.5, 0.5) for y in (0.0, 0.5) for x in (0.0, 0.5)]
    return corners if count == MOST else [FramePart(0.0, 0.0, 0.5, 1.0), corners[1], corners[3]]


def framed_in(part: FramePart, footage: Footage, framing: Framing, reel: Reel, border: float = 0.0) -> Framing:
    """Return the framing with which a picture fills a part of the frame, its middle kept; half of `border`, a share of the
    frame's width, is left free at each side that meets another part."""
    half_x, half_y = border / 2, border / 2 * reel.width / reel.height
    left = part.left + (half_x if part.left > 0 else 0)
    right = part.left + part.wide - (half_x if part.left + part.wide < 1 - 1e-9 else 0)
    top = part.top + (half_y if part.top > 0 else 0)
    foot = part.top + part.height - (half_y if part.top + part.height < 1 - 1e-9 else 0)
    wide, high = right - left, foot - top
    # The picture covers the frame, then is drawn as large as the part needs; what is over at the sides is cropped.
    shape = footage.width / footage.height * reel.height / reel.width
    across, down = max(shape, 1.0), max(1 / shape, 1.0)
    zoom = max(wide / across, high / down)
    crop_x, crop_y = ((1 - size / (zoom * whole)) / 2 for size, whole in ((wide, across), (high, down)))
    at = Position(zoom, (left + right) / 2 - 0.5, (top + foot) / 2 - 0.5, 0.0)
    crop = (max(crop_x, 0.0), max(crop_y, 0.0), max(crop_x, 0.0), max(crop_y, 0.0))
    return replace(framing, fit="cover", start=at, end=None, crop=crop)


def with_split_picture(reel: Reel, clips: Collection[str], form: str = "strips", border: float = 0.0) -> Reel:
    """Show two to four clips at once, for the slot of the first: the others go to tracks above it, and where they were is
    closed up. Raises TempikError for another number of clips, an unknown form, or too wide a border."""
    timeline = timeline_of(reel)
    found = in_order(timeline, clips)
    if not 2 <= len(found) <= MOST:
        raise TempikError(f"Select two to {MOST} clips to split the picture between them.")
    if form not in FORMS:
        raise TempikError(f"There is no form '{form}'; choose from {', '.join(FORMS)}.")
    if not 0 <= border <= MOST_BORDER:
        raise TempikError(f"A border lies between 0 and {MOST_BORDER * 100:.0f} % of the width.")
    found.sort(key=lambda p: (p.first, p.clip.track))
    first, others = found[0], found[1:]
    names = [p.clip.id for p in found]
    frames, base = first.until - first.begin, first.clip.track
    while len(reel.tracks) < base + len(found):
        reel = with_new_track(reel)
    for number, name in enumerate(names[1:], 1):
        now = on_reel(timeline_of(reel), name)
        reel = with_clips(reel, [trimmed(timeline_of(reel), now, now.begin, now.begin + frames)])
        reel = cleared(reel, base + number, first.begin, first.until, names)
        now = on_reel(timeline_of(reel), name)
        moved = shifted(timeline_of(reel), now, first.begin - now.begin, 0, 0)
        reel = with_clips(
            reel, [replace(moved, track=base + number, start=first.clip.start, end=first.clip.end, transition=None)]
        )
    for placed in sorted(others, key=lambda p: -p.first):
        reel = rippled(reel, placed.clip.track, placed.end, -placed.frames)
    pieces = {f.id: f for f in reel.footage}
    boxes = dict(zip(names, parts(len(names), form), strict=True))
    framed = [
        replace(c, framing=framed_in(boxes[c.id], pieces[c.footage], c.framing, reel, border), keys={})
        for c in reel.clips
        if c.id in boxes
    ]
    return with_clips(reel, framed)
