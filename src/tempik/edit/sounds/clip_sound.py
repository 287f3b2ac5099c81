"""Clips' own sound: gain, fades, and a sound edge that is not where the picture's is."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from msgspec.structs import replace

from tempik.edit.clips.slots import clip_of, with_clips
from tempik.edit.clips.trim import Side
from tempik.errors import TempikError
from tempik.reel import Clip, Reel
from tempik.reel.clip_settings import CLIP_SOUND_SETTINGS, MOST_SPLIT_S
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import timeline_of


def with_clip_sound_values(reel: Reel, clips: Collection[str], **values: Any) -> Reel:
    """Set what is in `CLIP_SOUND_SETTINGS` of clips' own sound; gain and fades are kept within what they may be."""
    for name in ("gain_db", "fade_in_s", "fade_out_s"):
        if name in values:
            values[name] = CLIP_SOUND_SETTINGS[name].clamped(values[name])
    return with_clips(reel, [_with(clip_of(reel, c), **values) for c in clips])


def _with(clip: Clip, **values: Any) -> Clip:
    return replace(clip, sound=replace(clip.sound, **values))


def with_sound_edge(reel: Reel, clip: str, side: Side, by_s: float, alone: bool = False) -> Reel:
    """Let a clip's sound begin `by_s` before its picture does, or end so long after it; below 0 the other way. A neighbour that is
    heard gives way, or follows, so that both meet where they did, unless `alone`. Raises TempikError for a clip that is not heard."""
    timeline = timeline_of(reel)
    placed = timeline.placed_clip(clip)
    if placed is None or not placed.clip.sound.on:
        raise TempikError("This clip's own sound is not heard; turn it on first.")
    by_s = min(max(by_s, -MOST_SPLIT_S), MOST_SPLIT_S)
    slot_s = placed.frames / float(timeline.rate)
    by_s = max(by_s, -slot_s + 1 / float(timeline.rate))
    name, other = ("lead_s", "trail_s") if side == "start" else ("trail_s", "lead_s")
    changed = [_with(placed.clip, **{name: by_s})]
    near = neighbour(timeline.tracks[placed.clip.track], placed, side)
    if near is not None and near.clip.sound.on and not alone:
        changed.append(_with(near.clip, **{other: max(-by_s, -near.frames / float(timeline.rate) * 0.9)}))
    return with_clips(reel, changed)


def neighbour(track: Collection[PlacedClip], placed: PlacedClip, side: Side) -> PlacedClip | None:
    """Return the clip that a clip's edge meets, or None."""
    if side == "start":
        return next((p for p in track if p.end == placed.first), None)
    return next((p for p in track if p.first == placed.end), None)
