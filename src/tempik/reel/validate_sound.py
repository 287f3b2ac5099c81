"""Checks of the sounds of a reel: lanes, clips, tracks, the mix. Each finding is one sentence."""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Iterator

from tempik.reel.lanes import RULE_SETTINGS
from tempik.reel.model import Reel
from tempik.reel.points import point_of
from tempik.reel.sound import (
    CHANNEL_SETTINGS,
    DUCKING_SETTINGS,
    MASTER_SETTINGS,
    SOUND_CLIP_SETTINGS,
    SOUND_LANE_SETTINGS,
    Mix,
    SoundClip,
    SoundLane,
)
from tempik.settings import problems


def sound_problems(reel: Reel) -> Iterator[str]:
    """Yield what is wrong with the sounds of a reel and with its mix."""
    channels = [r.id for r in reel.sound_lanes] + [t.id for t in reel.sound_tracks]
    accents = [r.id for r in reel.accent_lanes]
    for what, ids in (("lane or track of sounds", channels + accents), ("sound", [s.id for s in reel.sounds])):
        twice, times = Counter(ids).most_common(1)[0] if ids else ("", 0)
        if (times > 1 and what == "sound") or (twice in channels and times > 1):
            yield f"Two records of a {what} share the id '{twice}'; each needs its own."
    if any(s in ("song", "clips") for s in channels):
        yield "A lane or track of sounds is called as the song's or the clips' channel is."
    twice, times = Counter(c.id for c in reel.sound_clips).most_common(1)[0] if reel.sound_clips else ("", 0)
    if times > 1:
        yield f"Two sound clips share the id '{twice}'; each needs its own."
    for own in reel.sounds:
        if not re.fullmatch(r"s\d{1,9}", own.id):
            yield f"The sound '{own.path}' has the id '{own.id[:20]}', which a sound of the shelf may have."
        if not (own.length_s > 0 and 0 <= own.hit_s <= own.length_s and 0 <= own.found_s <= own.length_s):
            yield f"The sound '{own.path}' has a hit outside it, or no length."
    if any(not 0 <= hit <= 86_400 for hit in reel.hits.values()):
        yield "The hit of a sound lies before the sound begins."
    for lane in reel.sound_lanes:
        yield from _lane_problems(lane)
    for track in reel.sound_tracks:
        yield from problems(CHANNEL_SETTINGS.values(), track, f"Sound track '{track.id}' has")
    tracks = {t.id for t in reel.sound_tracks}
    for clip in reel.sound_clips:
        yield from _clip_problems(reel, clip, tracks)
    yield from mix_problems(reel.mix)


def _lane_problems(lane: SoundLane) -> Iterator[str]:
    whose = f"Sound lane '{lane.id}'"
    for settings in (CHANNEL_SETTINGS, SOUND_LANE_SETTINGS):
        yield from problems(settings.values(), lane, f"{whose} has")
    yield from problems(RULE_SETTINGS.values(), lane.rule, f"{whose} fires by a rule with")
    if any(not 0 <= p.strength <= 2 for p in lane.overrides):
        yield f"{whose} has a painted strength outside 0 to 2."


def _clip_problems(reel: Reel, clip: SoundClip, tracks: set[str]) -> Iterator[str]:
    whose = f"Sound clip '{clip.id}'"
    if clip.track not in tracks:
        yield f"{whose} lies on a track that the reel does not have."
    yield from problems(SOUND_CLIP_SETTINGS.values(), clip, f"{whose} has")
    if not (clip.length_s > 0 and clip.from_s >= 0):
        yield f"{whose} has no length, or begins before its sound does."
    if not math.isfinite(clip.at.time_s):
        yield f"{whose} is not at a time."
    if clip.at.point is not None and (reel.soundtrack is None or point_of(reel.soundtrack, clip.at.point) is None):
        yield f"{whose} is tied to point '{clip.at.point}', which the soundtrack does not have."


def mix_problems(mix: Mix) -> Iterator[str]:
    """Yield what is wrong with a mix."""
    yield from problems(CHANNEL_SETTINGS.values(), mix.song, "The song's channel has")
    yield from problems(CHANNEL_SETTINGS.values(), mix.clips, "The clips' channel has")
    yield from problems(DUCKING_SETTINGS.values(), mix.ducking, "The ducking of the song has")
    yield from problems(MASTER_SETTINGS.values(), mix, "The reel is mixed with")
