"""The sync check: every cut, pin and accent of a reel with its distance from its point.

Nothing is taken from the tie itself. A cut is where the picture's footage changes, a pin's frame is found by
asking the time map when the cue comes on screen, and an accent's by looking for its fullest frame.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from functools import lru_cache
from typing import Literal, get_args

import msgspec
import numpy as np

from tempik.accents import EvaluatedLane, Form, Pulse, clashes, level, pulse_level
from tempik.accents.masks import mask_of
from tempik.accents.rules import MOST_FRAMES, stretch_of
from tempik.derive import DERIVED, Stage
from tempik.errors import TempikError
from tempik.reel import Point
from tempik.reel.lanes import RuleOf
from tempik.render.sound_bank import message_of_sounds
from tempik.sounds.loudness import RATE as SOUND_RATE
from tempik.time import frame_of, time_of
from tempik.timeline.covering import gaps
from tempik.timeline.inside import frame_inside, inside_of
from tempik.timeline.placed_clip import PlacedClip, Tie, source_at_frames
from tempik.timeline.sound_triggers import evaluated_sound_lanes, laid_sounds, silent_channels, sound_title
from tempik.timeline.timeline import Timeline
from tempik.timeline.transitions import PlacedTransition, progress_at, short_of
from tempik.timeline.wording import wording_at
from tempik.titles import laid_out, words_of

Kind = Literal["cut", "transition", "word", "pin", "accent", "sound"]
HALF_FRAME = 0.5 + 1e-6
SOUND_MS = 1.0  # a sound lands within this, whatever the rate of the pictures
_EVENTS: Stage[Report] = Stage("landings inside")
_WORDS: Stage[list[Event]] = Stage("landing of words")
SEEN_AROUND = 12  # a word is looked for so many frames around its key


class Event(msgspec.Struct, frozen=True):
    """One event. Times are seconds of the reel; errors are event minus point; `tied` says whether it is meant to
    land on that point or merely lies nearest to it. `measured_ms` is the error found in a rendered file.
    `lane` is an accent's or a sound's lane, a sound's track, or a word's clip; `part` a sound's step or clip."""

    kind: Kind
    what: str
    frame: int
    time_s: float
    point: str
    point_s: float
    error_ms: float
    error_frames: float
    ok: bool
    tied: bool
    measured_ms: float | None = None
    lane: str = ""
    part: str = ""


class Levels(msgspec.Struct, frozen=True):
    """How loud a file sounds: integrated and largest momentary loudness in LUFS, true peak in dBTP."""

    integrated_lufs: float
    momentary_lufs: float
    true_peak_dbtp: float


class Report(msgspec.Struct, frozen=True):
    """All events in order of time; `worst_ms` and `ok` count tied events only. `levels` are a rendered file's."""

    events: tuple[Event, ...]
    worst_ms: float
    ok: bool
    notes: tuple[str, ...] = ()
    sound_offset_ms: float | None = None
    levels: Levels | None = None


def check_reel(timeline: Timeline) -> Report:
    """Return where every event of the reel lands."""
    events: list[Event] = []
    for placed in timeline.everything:
        events += _of_clip(timeline, placed)
    for found in timeline.accent_lanes:
        if not found.silent:
            events += [_accent(timeline, pulse) for pulse in found.pulses]
    events += sounds(timeline)
    return report(events, notes(timeline))


def sounds(timeline: Timeline) -> list[Event]:
    """Where the hits of sounds sound: at the sample that the mix begins each by."""
    silent, out = silent_channels(timeline.reel), list[Event]()
    for evaluated in evaluated_sound_lanes(timeline):
        if evaluated.lane.id not in silent:
            out += [_sound(timeline, s.sound, s.at_s, s.point, s.lane, s.step) for s in evaluated.triggers]
    for laid in laid_sounds(timeline):
        if laid.track.id not in silent and laid.hit_s is not None:
            out.append(_sound(timeline, laid.clip.sound, laid.hit_s, laid.point, laid.track.id, laid.clip.id))
    return [e for e in out if 0 <= e.time_s < time_of(timeline.frames, timeline.rate)]


def _sound(timeline: Timeline, sound: str, hit_s: float, point: Point | None, lane: str, part: str) -> Event:
    at_s = round(hit_s * SOUND_RATE) / SOUND_RATE
    frame, what = frame_of(at_s, timeline.rate), sound_title(timeline.reel, sound)
    near = point or nearest_point(timeline, at_s)
    if near is None:
        return Event("sound", what, frame, at_s, "–", at_s, 0.0, 0.0, True, False, lane=lane, part=part)
    point_s = timeline.reel_s(near)
    error_s = at_s - point_s
    frames = error_s * float(timeline.rate)
    ok = abs(error_s) * 1000 <= SOUND_MS
    return Event(
        "sound", what, frame, at_s, near.label, point_s, error_s * 1000, frames, ok, point is not None, lane=lane, part=part
    )  # fmt: skip


def total_text(found: Report) -> str:
    """Return how many events land, and the worst, in one line."""
    tied = [e for e in found.events if e.tied]
    if not tied:
        return "nothing is tied to a point"
    return f"{sum(e.ok for e in tied)} of {len(tied)} on point, worst {found.worst_ms:.1f} ms"


def nearest_event(timeline: Timeline, frame: int) -> Event | None:
    """Return the event nearest to a frame, of several a pin before a cut before an accent; None without events.

    Only what lies next to the frame is worked out, so it costs the same on a reel of any length.
    """
    near: list[Event] = []
    for lane in timeline.tracks:
        number = bisect_right(lane, frame, key=lambda p: p.first)
        for placed in lane[max(0, number - 2) : number + 2]:
            near += _of_clip(timeline, placed)
    for evaluated in timeline.accent_lanes:
        number = bisect_right(evaluated.starts, frame)
        if not evaluated.silent:
            near += [_accent(timeline, pulse) for pulse in evaluated.pulses[max(0, number - 1) : number + 1]]
    order = {"pin": 0, "cut": 1, "transition": 1, "word": 1, "accent": 2}
    return min(near, key=lambda e: (abs(e.frame - frame), order[e.kind]), default=None)


def _of_clip(timeline: Timeline, placed: PlacedClip) -> list[Event]:
    if timeline.reel.tracks[placed.clip.track].hidden:
        return []
    events = _cut(timeline, placed) if timeline.shows(placed, placed.first) else []
    if placed.clip.title is not None:
        when = (timeline.rate.numerator, timeline.rate.denominator, timeline.frames)
        words = DERIVED.get(_WORDS, (placed, timeline.reel.soundtrack), when, lambda: _words(timeline, placed))
        events += words
    if placed.footage.nest is not None:
        events += _inside(timeline, placed)
    # A pin whose point sounds before the reel begins or after it ends has nothing to land on.
    return events + [_pin(timeline, placed, tie) for tie in placed.ties if 0 <= tie.frame < timeline.frames]


def _inside(timeline: Timeline, placed: PlacedClip) -> list[Event]:
    """What happens in a nest, where the clip that shows it shows that. In a nest that was moved or plays at another speed it
    is tied to nothing: its points sound elsewhere."""
    inside = inside_of(timeline, placed.footage)
    found = DERIVED.get(_EVENTS, (inside,), (), lambda: check_reel(inside)).events
    sources = source_at_frames(placed, np.arange(placed.first, placed.end, dtype=np.float64), timeline.rate)
    seen: dict[int, int] = {}
    for frame, source in zip(range(placed.first, placed.end), sources.tolist(), strict=True):
        seen.setdefault(frame_inside(timeline, placed, source), frame)
    out = []
    for event in found:
        shown = seen.get(event.frame)
        if shown is None or not timeline.shows(placed, shown):
            continue
        if shown != event.frame:
            near = nearest_point(timeline, time_of(shown, timeline.rate))
            if near is None:
                continue
            event = _event(timeline, event.kind, event.what, shown, near, False)
        out.append(msgspec.structs.replace(event, lane=placed.clip.id if event.kind == "word" else event.lane))
    return out


def report(events: list[Event], message: tuple[str, ...] = (), sound_offset_ms: float | None = None) -> Report:
    """Return events in order with their worst error, measured where it was measured, and the verdict."""
    tied = [e for e in events if e.tied]
    worst = max((abs(e.error_ms if e.measured_ms is None else e.measured_ms) for e in tied), default=0.0)
    order = sorted(events, key=lambda e: (e.time_s, e.kind, e.what))
    return Report(tuple(order), worst, all(e.ok for e in tied), message, sound_offset_ms)


def notes(timeline: Timeline) -> tuple[str, ...]:
    """Return sentences on what a person would be surprised by: black, still pictures, ties that cannot hold."""
    out = []
    for first, end in gaps(timeline):
        out.append(
            f"No clip covers {time_of(first, timeline.rate):.2f} to {time_of(end, timeline.rate):.2f} s: black there."
        )
    for placed in timeline.placed:
        name = placed.footage.name
        where = f"in the clip at {time_of(placed.first, timeline.rate):.2f} s"
        if placed.short_before_s > 0:
            out.append(
                f"{name} lacks {placed.short_before_s:.2f} s before its cue {where}: its first frame stands still."
            )
        if placed.short_after_s > 0:
            out.append(f"{name} ends {placed.short_after_s:.2f} s early {where}: its last frame stands still.")
        if placed.message:
            out.append(f"{name} {where}: {placed.message}.")
    song = timeline.reel.soundtrack
    left_s = song.length_s - song.start_s if song is not None else timeline.reel.length_s
    if left_s < timeline.reel.length_s - 0.5 / float(timeline.rate):
        out.append(f"The song ends {timeline.reel.length_s - left_s:.2f} s before the reel: silence there.")
    shown = {p.clip.id for p in timeline.placed}
    for clip in timeline.reel.clips:
        if clip.id not in shown:
            out.append(f"Clip {clip.id} has no frame on the reel: its slot is empty or covered.")
    return (
        *out,
        *_title_notes(timeline),
        *_transition_notes(timeline),
        *_accent_notes(timeline),
        *message_of_sounds(timeline),
    )


def _title_notes(timeline: Timeline) -> list[str]:
    """Return sentences on titles with signs that no font on this machine has."""
    out = []
    for placed in timeline.placed:
        title = placed.clip.title
        lacking = laid_out(title).lacking if title is not None and not title.text.isascii() else ""
        if lacking:
            shown = lacking[:12] + ("…" if len(lacking) > 12 else "")
            where = f"{time_of(placed.first, timeline.rate):.2f} s"
            out.append(
                f"No font here has “{shown}” of the title at {where}: another sign stands there; install a font that has."
            )
    return out


def _transition_notes(timeline: Timeline) -> list[str]:
    """Return sentences on transitions that this version does not know, that are shorter than meant, or that lack footage."""
    out = []
    for transitions in timeline.transitions:
        for placed_transition in transitions:
            where = f"at {time_of(placed_transition.turn, timeline.rate):.2f} s"
            if placed_transition.kind is None:
                out.append(
                    f"This version does not know the transition '{placed_transition.transition.kind}' {where}; the cut is hard there."
                )
                continue
            out += [f"{placed_transition.kind.title} {where}: {message}." for message in short_of(placed_transition)]
    return out


def nearest_point(timeline: Timeline, time_s: float) -> Point | None:
    """Return the point that sounds nearest to an instant of the reel, or None without points."""
    at = bisect_right(timeline.points, time_s + timeline.start_s, key=lambda p: p.time_s)
    near = timeline.points[max(0, at - 1) : at + 1]
    return min(near, key=lambda p: abs(timeline.reel_s(p) - time_s), default=None)


def _event(timeline: Timeline, kind: Kind, what: str, frame: int, point: Point, tied: bool) -> Event:
    time_s, point_s = time_of(frame, timeline.rate), timeline.reel_s(point)
    error_s = time_s - point_s
    frames = error_s * float(timeline.rate)
    return Event(
        kind,
        what,
        frame,
        time_s,
        point.label,
        point_s,
        error_s * 1000,
        frames,
        abs(frames) <= HALF_FRAME,
        tied,
    )


def _cut(timeline: Timeline, placed: PlacedClip) -> list[Event]:
    """A cut is an event when another picture was on screen before it; the reel's own start is one only when tied."""
    point = timeline.point(placed.clip.start.point)
    tied = point is not None
    if point is None:
        point = nearest_point(timeline, time_of(placed.first, timeline.rate))
        if placed.first == 0 or point is None:
            return []
    elif placed.first == 0 and timeline.frame_of_point(point) < 0:
        return []  # the reel begins inside this slot
    placed_transition = timeline.transition_of(placed.clip.id)
    if placed_transition is not None and placed_transition.kind is not None and placed_transition.both:
        return [
            _event(
                timeline,
                "transition",
                f"{placed_transition.kind.title} to {_name(placed)}",
                turn_frame(placed_transition),
                point,
                tied,
            )
        ]
    return [_event(timeline, "cut", _name(placed), placed.first, point, tied)]


def _words(timeline: Timeline, placed: PlacedClip) -> list[Event]:
    """The words of a title that come one by one: the frame at which each is first seen, by asking what is seen at each."""
    title = placed.clip.title
    if title is None or "word" not in placed.clip.keys:
        return []
    out, texts, before = [], words_of(title.text), 0
    lacking = set(laid_out(title).lacking) if not title.text.isascii() else set()
    keys = list(zip(placed.clip.keys["word"], timeline.keyed(placed)["word"], strict=True))
    for key, (meant, value, _) in keys:
        count = min(round(value), len(texts))
        frames = range(max(placed.first, meant - SEEN_AROUND), min(placed.end, meant + SEEN_AROUND + 1))
        frame = next((f for f in frames if _seen(timeline, placed, f) >= count), None)
        point = timeline.point(key.point)
        # A word that no font here can show does not land, whenever its place is seen.
        shown = any(c.isprintable() and not c.isspace() and c not in lacking for t in texts[before:count] for c in t)
        if count > before and frame is not None and shown:
            near = point or nearest_point(timeline, time_of(frame, timeline.rate))
            if near is not None:
                made = _event(timeline, "word", " ".join(texts[before:count]), frame, near, point is not None)
                out.append(msgspec.structs.replace(made, lane=placed.clip.id))
        before = max(before, count)
    return out


def _seen(timeline: Timeline, placed: PlacedClip, frame: int) -> int:
    """Return how many words of a title are seen at a frame, counted to the last of them."""
    parts = wording_at(timeline, placed, frame)
    numbers = [p.number // 1000 if p.what == "first" else p.number for p in parts if p.what in ("word", "first")]
    title = placed.clip.title
    if title is not None and title.showing != "lit" and any(p.what == "all" for p in parts):
        return len(words_of(title.text))
    return max(numbers, default=-1) + 1


def turn_frame(placed_transition: PlacedTransition) -> int:
    """Return the first frame of a transition that has gone half its way, by asking for its progress at each."""
    frames = range(placed_transition.begin, placed_transition.end)
    return next((f for f in frames if progress_at(placed_transition, f + 0.5) > 0.5), placed_transition.end)


def _pin(timeline: Timeline, placed: PlacedClip, tie: Tie) -> Event:
    """Find the frame at which the cue comes on screen: of all passages of the cue the one nearest to the point."""
    rate = float(timeline.rate)
    wanted_s = (tie.frame - placed.begin) / rate
    passages = placed.map.when(tie.cue_s)
    if passages:
        at_s = min(passages, key=lambda t: abs(t - wanted_s))
        # The first frame sampled at or after the passage shows the cue; rounding must not cost a frame.
        frame = placed.begin + math.ceil(at_s * rate - 1e-6)
    else:
        frame = placed.first if wanted_s < 0 else placed.end
    event = _event(timeline, "pin", _name(placed), frame, tie.point, True)
    on_screen = placed.first <= frame < placed.end and 0 <= tie.cue_s < placed.footage.length_s
    on_screen = on_screen and timeline.shows(placed, frame)
    return event if on_screen else msgspec.structs.replace(event, ok=False)


def _accent(timeline: Timeline, pulse: Pulse) -> Event:
    """Find the pulse's fullest frame by looking for it. One that no point fires lies near a point, tied to none."""
    frame = pulse.frame + (_fullest(pulse.form) if pulse.within is None else _fullest_of(pulse))
    point = pulse.point or nearest_point(timeline, time_of(frame, timeline.rate))
    if point is None:
        at_s = time_of(frame, timeline.rate)
        return Event("accent", pulse.accent, frame, at_s, "–", at_s, 0.0, 0.0, True, False, lane=pulse.lane)
    event = _event(timeline, "accent", pulse.accent, frame, point, pulse.point is not None)
    return msgspec.structs.replace(event, lane=pulse.lane)


AROUND_PULSE = range(-3, 4)  # where a pulse's fullest frame is looked for


def _fullest_of(pulse: Pulse) -> int:
    return max(AROUND_PULSE, key=lambda k: (pulse_level(pulse, pulse.frame + k), -abs(k), -k))


@lru_cache(4096)
def _fullest(form: Form) -> int:
    """Return how far from a pulse its fullest frame is: the same for all of one form."""
    return max(AROUND_PULSE, key=lambda k: (level(form, k), -abs(k), -k))


def _accent_notes(timeline: Timeline) -> list[str]:
    """Return sentences on lanes that cannot do what they say: unknown accents, lost points, lost masks, and pulses that
    run into each other or over the end of their clip."""
    out = []
    for found in timeline.accent_lanes:
        name = found.accent.title if found.accent is not None else found.lane.accent
        if found.accent is None:
            out.append(f"This version does not know the accent '{name}'; its lane is kept and does nothing.")
            continue
        if found.lane.rule.of not in get_args(RuleOf):
            out.append(
                f"{name} fires on '{found.lane.rule.of}', which this version does not know; only what is painted fires."
            )
        if found.silent:
            continue
        first, end = stretch_of(found.lane, timeline.scene)
        if found.lane.rule.of == "frames" and end - first > MOST_FRAMES:
            out.append(
                f"{name} fires on frames over more than {MOST_FRAMES} of them; the rest is left out: limit it, or choose points."
            )
        steps = {c.id for c in found.steps}
        lost = sum(p.strength > 0 and p.point not in steps for p in found.lane.overrides)
        if lost:
            out.append(
                f"{name}: {lost} painted step{'s' if lost > 1 else ''} lost the point; kept, and firing nothing."
            )
        if found.lane.mask:
            try:
                mask_of(found.lane.mask)
            except TempikError as error:
                out.append(f"{name}: {error} Until then it shows everywhere.")
        out += _clash_notes(timeline, found, name)
    return out


def _clash_notes(timeline: Timeline, found: EvaluatedLane, name: str) -> list[str]:
    message = clashes(found, timeline.rate)
    more = f" (and {len(message) - 1} more of this lane)" if len(message) > 1 else ""
    return [f"{name} at {time_of(c.frame, timeline.rate):.2f} s: {c.message}{more}." for c in message[:1]]


def _name(placed: PlacedClip) -> str:
    return placed.footage.name
