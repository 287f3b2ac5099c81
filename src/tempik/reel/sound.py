"""Sounds laid under a reel: lanes that a rule fires, clips on tracks of their own, and how all of it is mixed.

A sound is called by its name on the shelf (`whoosh`) or, for a file of the user's, by its id (`s3`). What lands on a point is
the sound's hit: an instant of the sound, in its own seconds.
"""

from __future__ import annotations

import msgspec

from tempik.reel.lanes import Edge, Limit, MediaPath, Rule, StepOverride
from tempik.settings import Setting, by_name


class SoundFile(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A file of the user's on the shelf of sounds. `found_s` is the hit as it was found, `hit_s` as it is used."""

    id: str
    path: MediaPath
    length_s: float
    hit_s: float = 0.0
    found_s: float = 0.0
    tag: str = ""

    @property
    def name(self) -> str:
        """What it is called on screen."""
        return self.path.rsplit("/", 1)[-1].rsplit(".", 1)[0]


class SoundLane(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A sound, or one of several, at whatever the rule fires on, and what was painted by hand.

    `vary_pitch` is in semitones to either side and `vary_gain_db` in decibels, drawn by `seed` for each trigger, as is which of
    the sounds it is. `beats` stretches sounds that can be to so many beats of the song; 0 leaves them as long as they
    are. `degree` is how far a weak point weakens its trigger. The song ducks under a lane that `ducks` it. A lane that is
    `locked` stays where the reel is drafted anew.
    """

    id: str
    sounds: tuple[str, ...]
    rule: Rule = Rule()
    overrides: tuple[StepOverride, ...] = ()
    gain_db: float = 0.0
    pan: float = 0.0
    fade_in_s: float = 0.0
    fade_out_s: float = 0.0
    vary_pitch: float = 0.0
    vary_gain_db: float = 0.0
    seed: int = 0
    beats: float = 0.0
    degree: float = 0.0
    limit: Limit = Limit()
    muted: bool = False
    solo: bool = False
    ducks: bool = False
    locked: bool = False


class SoundTrack(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A track of sounds that lie where they were put."""

    id: str
    name: str = ""
    gain_db: float = 0.0
    pan: float = 0.0
    muted: bool = False
    solo: bool = False
    locked: bool = False
    ducks: bool = False


class SoundClip(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A stretch of a sound on a track of sounds: from `from_s` of the sound on, as long as `length_s` of the reel.

    `at` is where its hit sounds, or where the clip begins while its hit lies outside what is heard of it. `speed` lets the pitch
    rise and fall with it unless `preserve_pitch`; a sound that is looped goes round for as long as the clip lasts.
    """

    id: str
    sound: str
    track: str
    at: Edge
    length_s: float
    from_s: float = 0.0
    gain_db: float = 0.0
    fade_in_s: float = 0.0
    fade_out_s: float = 0.0
    speed: float = 1.0
    preserve_pitch: bool = False
    backward: bool = False
    loop: bool = False


class MixerChannel(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A channel of the mix: the song's, or that of all the clips' own sound."""

    gain_db: float = 0.0
    pan: float = 0.0
    muted: bool = False
    solo: bool = False
    ducks: bool = False


class Ducking(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """How far the song goes down under what ducks it, louder than `threshold_db` (dB of full scale): by `depth_db`, fully so
    `attack_ms` after it began to go, which is that long before the sound; back after `release_ms`."""

    depth_db: float = 8.0
    threshold_db: float = -36.0
    attack_ms: float = 60.0
    release_ms: float = 300.0


class Mix(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """How the reel is mixed. With `loudness` (LUFS, ITU-R BS.1770-5) the whole is brought to it; `ceiling_db` (dBTP) is what its
    true peaks are kept under. Without either it sounds as loud as its parts do."""

    song: MixerChannel = MixerChannel()
    clips: MixerChannel = MixerChannel()
    ducking: Ducking = Ducking()
    loudness: float | None = None
    ceiling_db: float | None = None


LOUDNESS = -14.0
CEILING_DB = -1.0

CHANNEL_SETTINGS = by_name(
    Setting("gain_db", "gain", 0.0, -60, 24, "dB", digits=1, step=0.5, does="How loud"),
    Setting("pan", "pan", 0.0, -1, 1, does="-100 left, 100 right"),
    Setting("muted", "mute", False, does="Heard no more"),
    Setting("solo", "solo", False, does="Only this, and others that are solo"),
    Setting("ducks", "duck", False, does="The song goes down under it"),
)
# What a lane of sounds has beside its channel's.
SOUND_LANE_SETTINGS = by_name(
    Setting(
        "vary_pitch", "pitch ±", 0.0, 0, 24, "st", does="Semitones to either side, drawn for each trigger", digits=1
    ),
    Setting(
        "vary_gain_db", "gain ±", 0.0, 0, 24, "dB", does="Decibels to either side, drawn for each trigger", digits=1
    ),
    Setting("fade_in_s", "fade in", 0.0, 0, 600, "ms", does="Of each trigger", by=1000, within=(0, 10), step=1),
    Setting("fade_out_s", "fade out", 0.0, 0, 600, "ms", does="Of each trigger", by=1000, within=(0, 10), step=1),
    Setting("degree", "by strength", 0.0, does="How far a weak point weakens its trigger", step=1),
    Setting("beats", "stretch", 0.0, 0, 64, "beats", does="How many beats a riser climbs over; 0 is its own length"),
)
SOUND_CLIP_SETTINGS = by_name(
    Setting("gain_db", "gain", 0.0, -60, 24, "dB", does="Of this clip", digits=1, step=1),
    Setting("fade_in_s", "fade in", 0.0, 0, 600, "s", does="At its beginning", digits=2, step=1),
    Setting("fade_out_s", "fade out", 0.0, 0, 600, "s", does="At its end", digits=2, step=1),
    Setting("speed", "speed", 1.0, 0.1, 8, "×", does="How fast it is played"),
    Setting("preserve_pitch", "pitch kept", False, does="Faster or slower, but no higher or lower"),
    Setting("backward", "backward", False, does="Play it from its end"),
    Setting("loop", "round and round", False, does="For as long as the clip lasts"),
)
DUCKING_SETTINGS = by_name(
    Setting("depth_db", "depth", 8.0, 0, 60, "dB", does="How far the song goes down under channels that duck it"),
    Setting("threshold_db", "over", -36.0, -90, 0, "dB", does="Under what is louder than this"),
    Setting("attack_ms", "in", 60.0, 0, 5000, "ms", does="How long it takes to go down, before the sound"),
    Setting("release_ms", "back", 300.0, 0, 10_000, "ms", does="How long it takes to come back"),
)
MASTER_SETTINGS = by_name(
    Setting(
        "loudness", "loudness", LOUDNESS, -40, -5, "LUFS", does="Loudness of the reel, ITU-R BS.1770", digits=1, step=1
    ),
    Setting("ceiling_db", "peaks", CEILING_DB, -20, 0, "dBTP", does="What true peaks are kept below", digits=1, step=1),
)
# How a reel that is begun anew is mixed.
MASTERED = Mix(loudness=LOUDNESS, ceiling_db=CEILING_DB)
