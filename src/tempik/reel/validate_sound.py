"""Checks of the sounds of a reel: lanes, clips, tracks, the mix. Each finding is one sentence."""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Iterator

from tempik.reel.model import Reel
from tempik.reel.points import point_of
from tempik.reel.sound import Mix, SoundClip, SoundLane

GAINS_DB = (-60.0, 24.0)
SPEEDS = (0.1, 8.0)
MOST_FADE_S = 600.0
LOUDNESSES = (-40.0, -5.0)
CEILINGS_DB = (-20.0, 0.0)


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
        yield from _channel_problems(track.gain_db, track.pan, f"Sound track '{track.id}'")
    tracks = {t.id for t in reel.sound_tracks}
    for clip in reel.sound_clips:
        yield from _clip_problems(reel, clip, tracks)
    yield from mix_problems(reel.mix)


def _channel_problems(gain_db: float, pan: float, whose: str) -> Iterator[str]:
    if not GAINS_DB[0] <= gain_db <= GAINS_DB[1]:
        yield f"{whose} has a gain of {gain_db:g} dB; keep it between {GAINS_DB[0]:g} and {GAINS_DB[1]:g}."
    if not -1 <= pan <= 1:
        yield f"{whose} is panned to {pan:g}; keep it between -1 and 1."


def _lane_problems(lane: SoundLane) -> Iterator[str]:
    whose = f"Sound lane '{lane.id}'"
    yield from _channel_problems(lane.gain_db, lane.pan, whose)
    if not (0 <= lane.fade_in_s <= MOST_FADE_S and 0 <= lane.fade_out_s <= MOST_FADE_S):
        yield f"{whose} has a fade that is none."
    if not (0 <= lane.vary_pitch <= 24 and 0 <= lane.vary_gain_db <= 24):
        yield f"{whose} varies by more than 24 semitones or dB."
    if not (0 <= lane.beats <= 64 and 0 <= lane.degree <= 1):
        yield f"{whose} is stretched to {lane.beats:g} beats, or follows strength to a degree of {lane.degree:g}; that cannot be."
    if lane.rule.every < 1:
        yield f"{whose} fires on every {lane.rule.every}th point; give 1 or more."
    if any(not 0 <= p.strength <= 2 for p in lane.overrides):
        yield f"{whose} has a painted strength outside 0 to 2."


def _clip_problems(reel: Reel, clip: SoundClip, tracks: set[str]) -> Iterator[str]:
    whose = f"Sound clip '{clip.id}'"
    if clip.track not in tracks:
        yield f"{whose} lies on a track that the reel does not have."
    if not GAINS_DB[0] <= clip.gain_db <= GAINS_DB[1]:
        yield f"{whose} has a gain of {clip.gain_db:g} dB; keep it between {GAINS_DB[0]:g} and {GAINS_DB[1]:g}."
    if not (clip.length_s > 0 and clip.from_s >= 0 and SPEEDS[0] <= clip.speed <= SPEEDS[1]):
        yield f"{whose} has no length, begins before its sound does, or is played at a speed of {clip.speed:g}."
    if not (0 <= clip.fade_in_s <= MOST_FADE_S and 0 <= clip.fade_out_s <= MOST_FADE_S):
        yield f"{whose} has a fade that is none."
    if not math.isfinite(clip.at.time_s):
        yield f"{whose} is not at a time."
    if clip.at.point is not None and (reel.soundtrack is None or point_of(reel.soundtrack, clip.at.point) is None):
        yield f"{whose} is tied to point '{clip.at.point}', which the soundtrack does not have."


def mix_problems(mix: Mix) -> Iterator[str]:
    """Yield what is wrong with a mix."""
    yield from _channel_problems(mix.song.gain_db, mix.song.pan, "The song's channel")
    yield from _channel_problems(mix.clips.gain_db, mix.clips.pan, "The clips' channel")
    duck = mix.ducking
    if not (0 <= duck.depth_db <= 60 and -90 <= duck.threshold_db <= 0):
        yield f"The song ducks by {duck.depth_db:g} dB from {duck.threshold_db:g} dB on; keep these within 0 to 60 and -90 to 0."
    if not (0 <= duck.attack_ms <= 5000 and 0 <= duck.release_ms <= 10_000):
        yield "The song ducks, or comes back, within no time that can be; keep it below 5 and 10 s."
    if mix.loudness is not None and not LOUDNESSES[0] <= mix.loudness <= LOUDNESSES[1]:
        yield f"The reel is mixed to {mix.loudness:g} LUFS; keep it between {LOUDNESSES[0]:g} and {LOUDNESSES[1]:g}."
    if mix.ceiling_db is not None and not CEILINGS_DB[0] <= mix.ceiling_db <= CEILINGS_DB[1]:
        yield f"The reel's peaks are kept under {mix.ceiling_db:g} dBTP; keep it between {CEILINGS_DB[0]:g} and {CEILINGS_DB[1]:g}."
