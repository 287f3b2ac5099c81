"""Where sounds lie on the reel: the triggers of sound lanes, to the instant of their points, and the clips of sound tracks."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from tempik.accents import Form, Pulse, RuleScene, Step
from tempik.accents.accent import drawn
from tempik.accents.rules import places_of, rules_by_clips, steps
from tempik.derive import DERIVED, Stage
from tempik.errors import TempikError
from tempik.reel import Limit, MixerChannel, Point, Reel, SoundClip, SoundLane, SoundTrack, beats_between, by_id
from tempik.sounds.loudness import RATE
from tempik.sounds.shelf import SHELF, is_made, take_of
from tempik.time import time_of
from tempik.timeline.timeline import Timeline

_EVALUATED: Stage[EvaluatedSoundLane] = Stage("evaluated sound lane")
_STEPS: Stage[list[Step]] = Stage("steps of a sound lane")
TRIGGER_FORM = Form(0.0, 1.0, 0.0, 1.0, 1.0)
# Pitches are drawn in so many steps to either side: what sounds alike is made once.
PITCHES = 6
SAME_S = 0.002
LAST_GAP_S = 0.5  # of a song without beats


class SoundTrigger(NamedTuple):
    """One sounding of a lane. `at_s` is the instant of the reel at which its hit sounds, `gain` what its strength and the draw make
    of it, as a factor; it is played `semitones` higher. Where it is stretched its hit comes `length_s` after it begins, or, of one
    that falls, it lasts so long from its hit."""

    lane: str
    step: str
    sound: str
    at_s: float
    point: Point | None
    gain: float
    semitones: float
    length_s: float


class EvaluatedSoundLane(NamedTuple):
    """A sound lane worked out: as accent lanes are, and its triggers, one to a pulse."""

    lane: SoundLane
    steps: list[Step]
    pulses: list[Pulse]
    starts: list[int]
    triggers: list[SoundTrigger]
    within: tuple[tuple[int, int], ...] | None

    def may(self, at: float) -> bool:
        """Tell whether the lane may do anything at a frame that no pulse asks for."""
        return self.within is None or any(first <= at < end for first, end in self.within)


class LaidSound(NamedTuple):
    """A clip of a sound track where it lies: seconds of the reel from `begin_s` to `end_s`, and at what instant its hit sounds, None
    while that is outside what is heard."""

    clip: SoundClip
    track: SoundTrack
    begin_s: float
    end_s: float
    hit_s: float | None
    point: Point | None


def evaluated_sound_lanes(timeline: Timeline) -> list[EvaluatedSoundLane]:
    """Return the sound lanes of a reel worked out, in their order; those of muted ones too."""
    return [_evaluated(timeline, lane) for lane in timeline.reel.sound_lanes]


def _evaluated(timeline: Timeline, lane: SoundLane) -> EvaluatedSoundLane:
    reel = timeline.reel
    scene, objects = timeline.bare_scene, (reel.soundtrack,)
    other = (
        next((f for f in timeline.accent_lanes if f.lane.id == lane.rule.lane), None)
        if lane.rule.of == "pulses"
        else None
    )
    if rules_by_clips(lane):
        scene = timeline.scene._replace(pulses={other.lane.id: other.pulses} if other is not None else {})
        objects = (reel.soundtrack, other, *timeline.everything)  # type: ignore[assignment]
    when = (timeline.rate.numerator, timeline.rate.denominator, timeline.frames)
    found = DERIVED.get(_STEPS, (lane.rule, lane.limit, *objects), when, lambda: steps(lane, scene))
    return DERIVED.get(_EVALUATED, (lane, found, *objects), when, lambda: _worked_out(timeline, lane, scene, found))


def _worked_out(timeline: Timeline, lane: SoundLane, scene: RuleScene, found: list[Step]) -> EvaluatedSoundLane:
    painted = {p.point: p for p in lane.overrides}
    pulses: list[Pulse] = []
    triggers: list[SoundTrigger] = []
    before = ""
    for step in found:
        by_hand = painted.get(step.id)
        if (by_hand is None and not step.ruled) or not 0 <= step.frame < scene.frames:
            continue
        own = by_hand.strength if by_hand is not None else 1 - lane.degree + lane.degree * step.strength
        if own <= 0 or not lane.sounds:
            continue
        at_s = timeline.reel_s(step.point) if step.point is not None else time_of(step.frame, timeline.rate)
        if triggers and abs(at_s - triggers[-1].at_s) < SAME_S:
            continue  # a cut on two tracks at once is one cut to the ear
        sound = _picked(lane, step.id, before)
        before = sound
        gain_db = lane.vary_gain_db * (2 * drawn(lane.seed, (step.id, "gain")) - 1)
        semitones = lane.vary_pitch * round(PITCHES * (2 * drawn(lane.seed, (step.id, "pitch")) - 1)) / PITCHES
        length_s = _stretch(timeline, sound, lane.beats, at_s)
        triggers.append(
            SoundTrigger(lane.id, step.id, sound, at_s, step.point, own * 10 ** (gain_db / 20), semitones, length_s)
        )
        pulses.append(
            Pulse(
                lane.id, sound, step.id, step.point, step.frame, own, own, step.gap_s, by_hand is not None, 0.0, lane.seed,
                len(pulses), TRIGGER_FORM, None, None,
            )
        )  # fmt: skip
    places = places_of(lane, scene) if lane.limit != Limit() else None
    return EvaluatedSoundLane(lane, found, pulses, [p.frame for p in pulses], triggers, places)


def _picked(lane: SoundLane, step: str, before: str) -> str:
    """Return which of a lane's sounds a trigger is: drawn, and where there are several never the same twice running."""
    choice = [s for s in lane.sounds if s != before] or list(lane.sounds)
    return choice[min(int(drawn(lane.seed, (step, "sound")) * len(choice)), len(choice) - 1)]


def _stretch(timeline: Timeline, sound: str, beats: float, at_s: float) -> float:
    """Return how long before its hit a sound begins, or how long after it one that falls ends, that is stretched to beats of the
    song; 0 for one of its own length."""
    kind = SHELF.get(sound)
    beats = beats or (kind.beats if kind is not None else 0.0)
    if not beats or (kind is not None and not kind.stretches):
        return 0.0
    if kind is not None and kind.falls:
        return beat_before(timeline, at_s, -beats) - at_s
    return at_s - beat_before(timeline, at_s, beats)


def beat_before(timeline: Timeline, at_s: float, beats: float) -> float:
    """Return the instant of the reel so many beats before another (below 0: after it), beyond the song's ends at the tempo there."""
    song = timeline.reel.soundtrack
    times = [p.time_s - timeline.start_s for p in beats_between(song, 0.0, song.length_s)] if song is not None else []
    if len(times) < 2:
        return at_s - beats * LAST_GAP_S
    place = _place(times, at_s) - beats
    number = min(max(int(place // 1), 0), len(times) - 2)
    return times[number] + (place - number) * (times[number + 1] - times[number])


def _place(times: Sequence[float], at_s: float) -> float:
    """Return an instant as a place among the beats: 2.5 lies half way between the third and the fourth."""
    number = min(max(bisect_right(times, at_s + 1e-6) - 1, 0), len(times) - 2)
    return number + (at_s - times[number]) / (times[number + 1] - times[number])


def sound_length(reel: Reel, sound: str) -> float:
    """Return how long a sound of the shelf, or of the user's own, lasts in seconds; 0 for one that is not known."""
    own = by_id(reel.sounds, sound)
    if own is not None:
        return own.length_s
    return len(take_of(sound).samples) / RATE if sound in SHELF else 0.0


def sound_hit(reel: Reel, sound: str, made_only: bool = False) -> float:
    """Return the hit of a sound in its own seconds: where it was put by hand, else where it was found or made; with `made_only` 0
    for one of the shelf that would have to be made first."""
    own = by_id(reel.sounds, sound)
    if own is not None:
        return own.hit_s
    if sound in reel.hits:
        return reel.hits[sound]
    if sound not in SHELF or (made_only and not is_made(sound)):
        return 0.0
    return take_of(sound).hit / RATE


def sound_title(reel: Reel, sound: str) -> str:
    """Return what a sound is called on screen; one that this version does not know with a question mark."""
    own = by_id(reel.sounds, sound)
    if own is not None:
        return own.name
    return SHELF[sound].title if sound in SHELF else f"? {sound}"


def channel_names(reel: Reel) -> dict[str, str]:
    """Return the channels of the mix by key, with what they are called: the song, the clips, each lane, each track."""
    out = {"song": "Song", "clips": "Clips"}
    for lane in reel.sound_lanes:
        out[lane.id] = ", ".join(sound_title(reel, s) for s in lane.sounds) or "nothing"
    for number, track in enumerate(reel.sound_tracks, 1):
        out[track.id] = track.name or f"Sounds {number}"
    return out


def silent_channels(reel: Reel) -> set[str]:
    """Return the channels of the mix that are not heard: muted, or beside others that are soloed."""
    channels: dict[str, MixerChannel | SoundLane | SoundTrack] = {"song": reel.mix.song, "clips": reel.mix.clips}
    channels.update({r.id: r for r in reel.sound_lanes})
    channels.update({t.id: t for t in reel.sound_tracks})
    soloed = any(s.solo for s in channels.values())
    return {key for key, s in channels.items() if s.muted or (soloed and not s.solo)}


def laid_sounds(timeline: Timeline) -> list[LaidSound]:
    """Return the clips of sound tracks where they lie, by their beginning."""
    tracks: Mapping[str, SoundTrack] = {t.id: t for t in timeline.reel.sound_tracks}
    out = [laid_sound(timeline, c, tracks[c.track]) for c in timeline.reel.sound_clips if c.track in tracks]
    return sorted(out, key=lambda laid: laid.begin_s)


def laid_sound(timeline: Timeline, clip: SoundClip, track: SoundTrack) -> LaidSound:
    """Return where a clip of a sound track lies."""
    at_s = timeline.edge_s(clip.at)
    point = timeline.point(clip.at.point)
    into_s = hit_within(timeline.reel, clip)
    if into_s is None:
        return LaidSound(clip, track, at_s, at_s + clip.length_s, None, point)
    return LaidSound(clip, track, at_s - into_s, at_s - into_s + clip.length_s, at_s, point)


def hit_within(reel: Reel, clip: SoundClip) -> float | None:
    """Return how long after a sound clip begins its hit sounds, in seconds of the reel; None where it is not heard."""
    hit_s = sound_hit(reel, clip.sound)
    if clip.backward:
        hit_s = sound_length(reel, clip.sound) - hit_s
    into_s = (hit_s - clip.from_s) / clip.speed
    return into_s if -1e-9 <= into_s <= clip.length_s else None


def unknown_sounds(reel: Reel) -> list[str]:
    """Return the sounds that a reel uses and that neither the shelf nor the reel has."""
    used = [s for lane in reel.sound_lanes for s in lane.sounds] + [c.sound for c in reel.sound_clips]
    own = {s.id for s in reel.sounds}
    return [s for s in dict.fromkeys(used) if s not in SHELF and s not in own]


def channel_of(reel: Reel, key: str) -> SoundLane | SoundTrack:
    """Return the lane or track of a channel. Raises TempikError when it is gone."""
    found: SoundLane | SoundTrack | None = by_id(reel.sound_lanes, key) or by_id(reel.sound_tracks, key)
    if found is None:
        raise TempikError("That lane or track of sounds is no longer there.")
    return found
