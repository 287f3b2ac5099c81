"""A reel in a frame of another shape: what was in the middle stays there, as far as the picture reaches, and titles stay inside."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from tempik.reel import Clip, Footage, Framing, Key, PictureWindow, Position, Reel, Title
from tempik.reel.nests import everywhere
from tempik.timeline.framing import covers, frame_matrix
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline
from tempik.titles.layout import laid_out

# Between a title and the edge of the frame, as a share of the frame; a title that was nearer may stay as near.
MARGIN = 0.03
STEPS = 24  # of halving, where how far a picture may be moved is sought
MOST_ZOOM = 8.0


def reframed(reel: Reel, width: int, height: int) -> Reel:
    """Return the reel in a frame of another size.

    A clip goes on showing in the middle of the frame what it showed there, as far as its picture covers the frame; one that covered
    it before covers it still, closer where need be. Followed subjects are followed in the new frame. Titles keep their size by the
    frame's shorter side and their line breaks, and are moved or made smaller where they would leave the frame. Sizes of equal shape
    change nothing else.
    """
    if width * reel.height == height * reel.width:
        return replace(reel, width=width, height=height)

    def change(level: Reel) -> Reel:
        timeline = Timeline(level)
        into = replace(level, width=width, height=height)
        clips = tuple(_reframed_clip(timeline, into, clip) for clip in level.clips)
        return replace(into, clips=clips)

    return everywhere(reel, change)


def _reframed_clip(timeline: Timeline, into: Reel, clip: Clip) -> Clip:
    placed = timeline.placed_clip(clip.id)
    if placed is None:
        return clip
    if clip.title is not None:
        return _reframed_title(timeline, into, clip, clip.title)
    if placed.footage.as_frame or clip.framing.fit == "stretch":
        return clip
    footage, before = placed.footage, timeline.reel
    if clip.framing.window is not None:
        return _reframed_window(before, into, clip, clip.framing.window)
    across, down = _ratios(clip.framing, footage, before, into)
    start = _led(clip.framing, clip.framing.start, footage, before, into)
    end = clip.framing.end
    if end is not None:
        end = _led(clip.framing, end, footage, before, into)
    keys = dict(clip.keys)
    for name, ratio, pick in (("x", across, _x), ("y", down, _y)):
        if name in keys:
            keys[name] = _led_keys(timeline, into, placed, name, ratio, pick)
    return replace(clip, framing=replace(clip.framing, start=start, end=end), keys=keys)


def _reframed_window(before: Reel, into: Reel, clip: Clip, window: PictureWindow) -> Clip:
    """Return a clip in a window in the other frame: as large by the frame's shorter side, of the same shape, as far from the nearer edges."""
    grown = min(into.width, into.height) / min(before.width, before.height)
    by_x, by_y = grown * before.width / into.width, grown * before.height / into.height
    fits = min(1.0, 1 / max(window.width * by_x, window.height * by_y))
    made = replace(window, width=window.width * by_x * fits, height=window.height * by_y * fits)

    def led(at: Position) -> Position:
        x = _from_edge(at.x, window.width * at.zoom, made.width * at.zoom, by_x)
        return replace(at, x=x, y=_from_edge(at.y, window.height * at.zoom, made.height * at.zoom, by_y))

    end = clip.framing.end
    framing = replace(
        clip.framing, window=made, start=led(clip.framing.start), end=led(end) if end is not None else None
    )
    return replace(clip, framing=framing)


def _from_edge(at: float, size: float, made: float, by: float) -> float:
    """Return where a box's middle lies that keeps its way to the nearer edge; one in the middle stays there."""
    way = 0.5 - abs(at) - size / 2
    if abs(at) < 0.02 or way < 0:
        return at
    return math.copysign(max(0.5 - way * by - made / 2, 0.0), at)


def _ratios(framing: Framing, footage: Footage, before: Reel, into: Reel) -> tuple[float, float]:
    """Return how a way across and down the frame, in shares of it, becomes one in the other frame for the same way in the
    picture."""
    sizes = [
        np.hypot(*frame_matrix(replace(framing, start=Position(), end=None), footage, r.width, r.height)[:2, :2])
        / (r.width, r.height)
        for r in (before, into)
    ]
    return float(sizes[1][0] / sizes[0][0]), float(sizes[1][1] / sizes[0][1])


def _led(framing: Framing, at: Position, footage: Footage, before: Reel, into: Reel) -> Position:
    """Return where a picture stands in the other frame."""
    across, down = _ratios(framing, footage, before, into)
    wanted = replace(at, x=at.x * across, y=at.y * down)
    opaque = replace(footage, alpha=False)

    def covered(where: Position, reel: Reel = into) -> bool:
        return covers(replace(framing, start=where, end=None), opaque, reel)

    if not covered(at, before) or covered(wanted):
        return wanted
    middle = replace(wanted, x=0.0, y=0.0)
    if not covered(middle):
        closer = _least(lambda zoom: covered(replace(middle, zoom=zoom)), wanted.zoom, MOST_ZOOM)
        wanted = replace(wanted, zoom=closer)
        middle = replace(middle, zoom=closer)
    # One way at a time: a picture that has no room across may have it down.
    share = 1 - _least(lambda back: covered(replace(middle, x=wanted.x * (1 - back))), 0.0, 1.0)
    middle = replace(middle, x=wanted.x * share)
    share = 1 - _least(lambda back: covered(replace(middle, y=wanted.y * (1 - back))), 0.0, 1.0)
    return replace(middle, y=wanted.y * share)


def _least(holds: Callable[[float], bool], low: float, high: float) -> float:
    """Return the least value from which on something holds, which it does at `high`."""
    if holds(low):
        return low
    for _ in range(STEPS):
        middle = (low + high) / 2
        low, high = (low, middle) if holds(middle) else (middle, high)
    return high


def _x(at: Position) -> float:
    return at.x


def _y(at: Position) -> float:
    return at.y


def _led_keys(
    timeline: Timeline, into: Reel, placed: PlacedClip, name: str, ratio: float, pick: Callable[[Position], float]
) -> tuple[Key, ...]:
    """Return keys of a clip's place in the other frame: each as far as its picture covers the frame at that instant."""
    keys = placed.clip.keys[name]
    at = timeline.keyed(placed).get(name, [])
    if len(at) != len(keys):
        return tuple(replace(k, value=k.value * ratio) for k in keys)
    out = []
    for key, (frame, value, _) in zip(sorted(keys, key=lambda k: _frame_of(timeline, k)), at, strict=True):
        framing = timeline.framing_at(placed, frame)
        stands = replace(framing.start, **{name: value})
        out.append(replace(key, value=pick(_led(framing, stands, placed.footage, timeline.reel, into))))
    return tuple(out)


def _frame_of(timeline: Timeline, key: Key) -> float:
    point = timeline.point(key.point)
    return timeline.reel_s(point) if point is not None else key.time_s - timeline.start_s


def _reframed_title(timeline: Timeline, into: Reel, clip: Clip, title: Title) -> Clip:
    """Return a title in the other frame: as large by the frame's shorter side, and inside the frame if it was."""
    before = timeline.reel
    grown = min(into.width, into.height) / min(before.width, before.height) * before.width / into.width
    at = clip.framing.start
    if "x" in clip.keys or "y" in clip.keys or "zoom" in clip.keys or at.turn_deg:
        return replace(clip, title=_sized(title, grown))
    was = _half(title, at, before)
    inside = abs(at.x) + was[0] <= 0.5 + 1e-6 and abs(at.y) + was[1] <= 0.5 + 1e-6
    title = _sized(title, grown)
    if not inside:
        return replace(clip, title=title)
    room = [min(MARGIN, max(0.0, 0.5 - abs(v) - half)) for v, half in zip((at.x, at.y), was, strict=True)]
    half = _half(title, at, into)
    smaller = min(1.0, *((0.5 - r) / h for r, h in zip(room, half, strict=True) if h > 0))
    title = _sized(title, smaller)
    half = _half(title, at, into)
    x, y = (
        min(max(v, -(0.5 - r - h)), max(0.0, 0.5 - r - h)) for v, r, h in zip((at.x, at.y), room, half, strict=True)
    )
    end = clip.framing.end
    framing = replace(clip.framing, start=replace(at, x=x, y=y))
    if end is not None:
        framing = replace(framing, end=replace(end, x=end.x + x - at.x, y=end.y + y - at.y))
    return replace(clip, title=title, framing=framing)


def _sized(title: Title, by: float) -> Title:
    """Return a title so much larger, with the same line breaks."""
    return replace(title, size=title.size * by, wrap=min(title.wrap * by, 10.0)) if by != 1 else title


def _half(title: Title, at: Position, reel: Reel) -> tuple[float, float]:
    """Return half of a title's width and height, as shares of the frame's."""
    block = laid_out(title)
    em = title.size * at.zoom
    return block.width * em / 2, block.height * em * reel.width / reel.height / 2
