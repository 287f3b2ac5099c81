"""Changes to the mix: channels, ducking, the master."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from tempik.edit.sounds.lanes import sounded
from tempik.errors import TempikError
from tempik.reel import Ducking, MixerChannel, Reel, SoundTrack
from tempik.timeline.sound_triggers import channel_of


def channel_values(reel: Reel, channel: str) -> MixerChannel:
    """Return how a channel of the mix stands: `song`, `clips`, a sound lane's or a sound track's id."""
    if channel == "song":
        return reel.mix.song
    if channel == "clips":
        return reel.mix.clips
    found = channel_of(reel, channel)
    return MixerChannel(found.gain_db, found.pan, found.muted, found.solo, found.ducks)


def with_channel(reel: Reel, channel: str, **values: Any) -> Reel:
    """Set gain_db, pan, muted, solo or ducks of a channel. Raises TempikError for what cannot be."""
    if channel == "song" and values.get("ducks"):
        raise TempikError("The song is what ducks; choose what it goes down under.")
    if channel == "song":
        return sounded(replace(reel, mix=replace(reel.mix, song=replace(reel.mix.song, **values))))
    if channel == "clips":
        return sounded(replace(reel, mix=replace(reel.mix, clips=replace(reel.mix.clips, **values))))
    found = channel_of(reel, channel)
    made = replace(found, **values)
    if isinstance(made, SoundTrack):
        return sounded(replace(reel, sound_tracks=tuple(made if t.id == channel else t for t in reel.sound_tracks)))
    return sounded(replace(reel, sound_lanes=tuple(made if r.id == channel else r for r in reel.sound_lanes)))


def with_ducking(reel: Reel, ducking: Ducking) -> Reel:
    """Set how the song goes down. Raises TempikError for what cannot be."""
    return sounded(replace(reel, mix=replace(reel.mix, ducking=ducking)))


def with_master(reel: Reel, loudness: float | None, ceiling_db: float | None) -> Reel:
    """Bring the reel to a loudness in LUFS and keep its true peaks under a ceiling in dBTP; None leaves either be. Raises
    TempikError for what cannot be."""
    return sounded(replace(reel, mix=replace(reel.mix, loudness=loudness, ceiling_db=ceiling_db)))
