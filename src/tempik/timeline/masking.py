"""A clip's masks as they stand at a frame: their keys worked out, and those that follow a patch where it is seen."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from tempik.accents.pulses import in_frames, keyed_at
from tempik.reel import Mask, by_id
from tempik.timeline.placed_clip import PlacedClip, source_at_frames
from tempik.timeline.timeline import Timeline


def shapes_at(timeline: Timeline, placed: PlacedClip, frame: float) -> tuple[Mask, ...]:
    """Return a clip's masks at an instant of the reel, without movement. One that follows a patch keeps the distance that it
    has to it where the patch is first seen in the clip's slot."""
    return tuple(_standing(timeline, placed, mask, frame) for mask in placed.clip.masks)


def _standing(timeline: Timeline, placed: PlacedClip, mask: Mask, frame: float) -> Mask:
    values = (
        {name: keyed_at(keys, frame) for name, keys in in_frames(mask.keys, timeline.bare_scene).items()}
        if mask.keys
        else {}
    )
    track = by_id(placed.footage.motion_tracks, mask.follow) if mask.follow else None
    if track is not None:
        begin, now = source_at_frames(placed, [float(placed.begin), frame], timeline.rate)
        (x0, x1), (y0, y1) = (np.interp([begin, now], track.times_s, values_) for values_ in (track.xs, track.ys))
        values["x"] = values.get("x", mask.x) + float(x1 - x0)
        values["y"] = values.get("y", mask.y) + float(y1 - y0)
    return replace(mask, keys={}, follow="", **values) if values or mask.follow else mask
