"""Checks of a reel, once at the door. Each finding is one sentence naming the record and the mend."""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Callable, Iterator

from tempik.derive import DERIVED, LONG, Stage
from tempik.reel.bounds import no_number, out_of_bounds
from tempik.reel.clip_settings import CLIP_SETTINGS, CLIP_SOUND_SETTINGS, FOLLOW_SETTINGS, PLACE_SETTINGS, REEL_SETTINGS
from tempik.reel.frame_shapes import FRAME_SHAPES
from tempik.reel.grade import AMOUNTS, CURVES, HUE_CURVES, MOST_DOTS, WHEELS, Grade
from tempik.reel.lanes import LANE_SETTINGS, RULE_SETTINGS, AccentLane, Key, Length
from tempik.reel.mask import CLEAR_SETTINGS, MASK_KEYED, MASK_SETTINGS
from tempik.reel.model import Clip, Curve, Footage, Framing, Reel, Shaped, SpeedShape
from tempik.reel.nests import all_clips, all_lanes, within_itself
from tempik.reel.points import FOUND, point_of
from tempik.reel.soundtrack import Soundtrack
from tempik.reel.title import TITLE_SETTINGS, WORD_SETTINGS, Title
from tempik.reel.transition import TRANSITION_SETTINGS, Transition
from tempik.reel.validate_sound import sound_problems
from tempik.reel.window import RIM_SETTINGS, WINDOW_SETTINGS
from tempik.rhythm.records import Beat, Onset
from tempik.settings import problems as of_settings

SPEED_LIMIT = 10.0
FRAME_SIZE_LIMIT = 8192
MOST_TRACKS = 8
# What of a clip can be keyed, and within which bounds.
KEYED = {
    **{name: (setting.low, setting.high) for name, setting in (CLIP_SETTINGS | PLACE_SETTINGS).items()},
    "word": (0.0, 10_000.0),
    "grade": (AMOUNTS["amount"].low, AMOUNTS["amount"].high),
    "exposure": (AMOUNTS["exposure"].low, AMOUNTS["exposure"].high),
}
MOST_TITLE = 10_000
MOST_JOIN = {"frames": 600.0, "beats": 16.0}
_LOOKED_THROUGH: Stage[tuple[str, ...]] = Stage("problems", LONG)


def problems(reel: Reel) -> list[str]:
    """Return what is wrong with the reel, one sentence each; an empty list when it is sound."""
    found = list(_reel_problems(reel))
    if not found and (message := no_number(reel)):
        found.append(f"The reel has {message}.")
    return found


def _reel_problems(reel: Reel) -> Iterator[str]:
    message = out_of_bounds(reel)
    if message:
        yield f"The reel has {message}."
        return  # the rest would be worked through for too long
    if reel.shown is not None:
        yield f"The reel is in the shape '{reel.shown.name[:20]}' that it was looked at in; it is kept in its own alone."
    for name, value in (("width", reel.width), ("height", reel.height)):
        if not 16 <= value <= FRAME_SIZE_LIMIT or value % 2:
            yield f"The reel's {name} is {value}; it must be an even number from 16 to {FRAME_SIZE_LIMIT}."
    if not 1 <= reel.rate <= 1000:
        yield f"The reel's rate is {reel.rate} frames/s; it must be between 1 and 1000."
    if not _finite(reel.length_s) or not 0 <= reel.length_s <= 3600:
        yield f"The reel's length is {reel.length_s} s; it must be between 0 and 3600."
    if reel.soundtrack is not None:
        yield from _once(_soundtrack_problems, reel.soundtrack)
    for what, ids in (
        ("footage", [f.id for f in reel.footage]),
        ("clip", [c.id for c in all_clips(reel)]),
        ("accent lane", [r.id for r in reel.accent_lanes]),
        ("planned shot", [s.id for s in reel.shots]),
        ("bundle", [b.id for b in reel.bundles]),
        ("point", [p.id for p in reel.soundtrack.placed] if reel.soundtrack else []),
    ):
        twice, times = Counter(ids).most_common(1)[0] if ids else ("", 0)
        if times > 1:
            yield f"Two {what} records share the id '{twice}'; each needs its own."
    for footage in reel.footage:
        yield from _once(_footage_problems, footage)
    pieces = {f.id: f for f in reel.footage}
    for clip in all_clips(reel):
        piece = pieces.get(clip.footage)
        if piece is None:
            yield f"Clip '{clip.id}' uses footage '{clip.footage}', which the reel does not list."
        else:
            yield from _once(_clip_problems, clip, reel.soundtrack, piece)
            if piece.kind == "title" and clip.title is None:
                yield f"Clip '{clip.id}' is a title without words."
    for lane in all_lanes(reel):
        yield from _once(_lane_problems, lane)
    yield from _nest_problems(reel)
    yield from _look_problems(reel)
    yield from sound_problems(reel)
    yield from _together_problems(reel)
    yield from of_settings(REEL_SETTINGS.values(), reel, "The reel has")
    if not 1 <= len(reel.tracks) <= MOST_TRACKS:
        yield f"The reel has {len(reel.tracks)} tracks; it must have 1 to {MOST_TRACKS}."
    if any(not 0 <= c.track < len(reel.tracks) for c in reel.clips):
        yield "A clip lies on a track that the reel does not have."


def _nest_problems(reel: Reel) -> Iterator[str]:
    """What is wrong with the nests of a reel, and with which of them are open."""
    nests = {f.id: f.nest for f in reel.footage if f.nest is not None}
    if any((f.kind == "nest") != (f.nest is not None) for f in reel.footage):
        yield "A nest has nothing in it, or footage that is none has."
        return
    if len(set(reel.opened)) < len(reel.opened) or any(name not in nests for name in reel.opened):
        yield "A nest is open that the reel does not have, or twice."
        return
    for name, nest in nests.items():
        for edge in (nest.start, nest.end):
            if not _finite(edge.time_s) or (
                edge.point is not None and (reel.soundtrack is None or point_of(reel.soundtrack, edge.point) is None)
            ):
                yield f"Nest '{name}' spans no time of the reel."
        if not 1 <= len(nest.tracks) <= MOST_TRACKS or any(not 0 <= c.track < len(nest.tracks) for c in nest.clips):
            yield f"Nest '{name}' has a clip on a track that it does not have."
    if nests and (name := within_itself(reel)):
        yield f"Nest '{name}' lies within itself; it would never end."


def _look_problems(reel: Reel) -> Iterator[str]:
    """What is wrong with the reel's look and its keys."""
    if reel.look is not None:
        yield from _once(grade_problems, reel.look, "The reel's look")
    for key in reel.look_keys:
        if not (_finite(key.time_s) and 0 <= key.value <= 1.5):
            yield "The reel's look has a key that cannot be; keep it between 0 and 1.5."
        if key.point is not None and (reel.soundtrack is None or point_of(reel.soundtrack, key.point) is None):
            yield "The reel's look has a key on a point that the soundtrack does not have."


def grade_problems(grade: Grade, whose: str) -> Iterator[str]:
    """Yield what is wrong with a grade; `whose` begins the sentence."""
    yield from of_settings(AMOUNTS.values(), grade, f"{whose} has a grade with")
    for name in WHEELS:
        wheel = getattr(grade, name)
        if not (wheel.x**2 + wheel.y**2 <= 1.0001 and abs(wheel.level) <= 1):
            yield f"{whose} has a grade with a balance beyond its disc."
    for name in CURVES:
        if not all(-1 <= v <= 2 for dot in getattr(grade, name) for v in dot) or len(getattr(grade, name)) > MOST_DOTS:
            yield f"{whose} has a grade with a curve that goes nowhere; keep its points between 0 and 1."
    for name, (low, high) in HUE_CURVES.items():
        dots = getattr(grade, name)
        if not all(0 <= x <= 360 and low <= y <= high for x, y in dots) or len(dots) > MOST_DOTS:
            yield f"{whose} has a grade with a hue curve that goes nowhere; keep its points between {low:g} and {high:g}."
    for name in ("split_dark", "split_light"):
        if not re.fullmatch("#[0-9a-fA-F]{6}", getattr(grade, name)):
            yield f"{whose} has a grade with the colour '{getattr(grade, name)[:20]}'; give one such as #2060a0."


def _once(find: Callable[..., Iterator[str]], *records: object) -> tuple[str, ...]:
    """Return what is wrong with a record beside others, looked for once: a step of a journal changes few of them."""
    return DERIVED.get(_LOOKED_THROUGH, records, (find,), lambda: tuple(find(*records)))


def _together_problems(reel: Reel) -> Iterator[str]:
    """What belongs to all accents together, and to bundles of lanes."""
    if not 0 <= reel.amount <= 2:
        yield f"All accents have an amount of {reel.amount}; keep it between 0 and 2."
    if not 0 <= reel.shutter_deg <= 360:
        yield f"The shutter's angle is {reel.shutter_deg} degrees; keep it between 0 and 360."
    if any(not 0 <= b.amount <= 2 for b in reel.bundles):
        yield "A bundle of accent lanes has an amount outside 0 to 2."
    for footage in reel.footage:
        for track in footage.motion_tracks:
            if not len(track.times_s) == len(track.xs) == len(track.ys) > 0:
                yield f"A tracked patch of '{footage.path}' has not as many places as instants."


def _soundtrack_problems(song: Soundtrack) -> Iterator[str]:
    if not _finite(song.length_s) or song.length_s <= 0:
        yield f"The soundtrack '{song.path}' has a length of {song.length_s} s; it must be above 0."
    if not _finite(song.start_s) or song.start_s < 0:
        yield f"The soundtrack starts at {song.start_s} s of the song; it must be 0 or later."
    heard = song.heard
    lists: dict[str, tuple[Beat, ...] | tuple[Onset, ...]] = {
        "beats": heard.beats if heard else (),
        "onsets": heard.onsets if heard else (),
        "own beats": song.own,
        **{f"beats of rival {n}": r.beats for n, r in enumerate(heard.rivals if heard else (), 1)},
    }
    for what, marks in lists.items():
        times = [m.time_s for m in marks]
        if not all(_finite(t) for t in times) or any(b < a for a, b in zip(times, times[1:], strict=False)):
            yield f"The soundtrack's {what} are not in order of time."
            return
        if what != "onsets" and any(b == a for a, b in zip(times, times[1:], strict=False)):
            yield f"Two of the soundtrack's {what} stand at one time."
            return
        if any(not 0 <= m.strength <= 1 for m in marks):
            yield f"A strength among the soundtrack's {what} lies outside 0 to 1."
    bars = [*heard.bars, *(b for rival in heard.rivals for b in rival.bars)] if heard else []
    if any(not (1 <= b.metre <= 32 and b.first >= 0 and _finite(b.belief)) for b in bars):
        yield "A way to count the soundtrack's bars has no beats, or begins on none."
    times = [p.time_s for p in song.placed] + [e.time_s for e in song.edits if e.time_s is not None]
    times += [a.time_s for a in song.reading.anchors]
    if not all(_finite(t) for t in times):
        yield "A point placed by hand stands at no time."
    strengths = [p.strength for p in song.placed] + [e.strength for e in song.edits if e.strength is not None]
    if any(not 0 <= s <= 1 for s in strengths):
        yield "A point's strength lies outside 0 to 1."
    if any(not (_finite(p.from_s) and 0 <= p.from_s < p.to_s) for p in song.pieces):
        yield f"The soundtrack '{song.path}' is arranged of a piece that has no length."
    if song.pieces and abs(sum(p.to_s - p.from_s for p in song.pieces) - song.length_s) > 0.01:
        yield f"The soundtrack '{song.path}' is arranged of pieces that are not as long as it."
    reading = song.reading
    if not 0 <= reading.rival < len(FOUND):
        yield f"The song's beats are read as rival {reading.rival}; there are {len(FOUND) - 1} at most."
    if not 0 < reading.tempo_factor <= 8 or not 0 <= reading.metre <= 32:
        yield f"The song's beats are read at {reading.tempo_factor} of their pace in bars of {reading.metre}; that cannot be."
    if not song.choices:
        yield "The soundtrack has no choice of points."
    if any(c.every < 1 or c.subdivision not in (1, 2, 3, 4) for c in song.choices):
        yield "A choice of points takes every n-th with n below 1, or other parts than halves, thirds and quarters."


def _footage_problems(footage: Footage) -> Iterator[str]:
    if footage.kind == "solid" and not re.fullmatch("#[0-9a-fA-F]{6}", footage.path):
        yield f"The solid '{footage.path}' is no colour; give one such as #000000."
    if footage.read_rate is not None and not 1 <= footage.read_rate <= 10000:
        yield f"The footage '{footage.path}' is read at {footage.read_rate} frames/s; it must be 1 to 10000."
    if footage.width < 1 or footage.height < 1 or footage.rate <= 0 or footage.length_s <= 0:
        yield f"The footage '{footage.path}' has no picture size, rate or length."
    if footage.rotation_deg not in (0, 90, 180, 270):
        yield f"The footage '{footage.path}' is turned by {footage.rotation_deg} degrees; it must be 0, 90, 180 or 270."
    if footage.frames < 0 or (footage.frames and len(footage.repeats) >= footage.frames):
        yield f"The footage '{footage.path}' has no frame that does not repeat another."
    if footage.grade is not None:
        yield from grade_problems(footage.grade, f"The footage '{footage.path}'")
    for cutout in footage.cutouts:
        if cutout.first < 0 or not all(_finite(s.time_s) and s.points and 0 < s.width <= 1 for s in cutout.strokes):
            yield f"A cut-out of '{footage.path}' has a stroke that is none."
    if any(not _finite(c.time_s) or c.time_s < 0 for c in footage.cues):
        yield f"A cue of '{footage.path}' lies before the file begins."


def _clip_problems(clip: Clip, song: Soundtrack | None, footage: Footage) -> Iterator[str]:
    for end in (clip.start, clip.end):
        if not _finite(end.time_s):
            yield f"Clip '{clip.id}' has an edge that is not at a time."
        if end.point is not None and (song is None or point_of(song, end.point) is None):
            yield f"Clip '{clip.id}' is tied to point '{end.point}', which the soundtrack does not have."
    for pin in clip.pins:
        if song is None or point_of(song, pin.point) is None:
            yield f"Clip '{clip.id}' is pinned to point '{pin.point}', which the soundtrack does not have."
        if not any(c.id == pin.cue for c in footage.cues):
            yield f"Clip '{clip.id}' is pinned by cue '{pin.cue}', which its footage does not have."
    if not _finite(clip.source_s):
        yield f"Clip '{clip.id}' starts at no instant of its footage."
    if not (_finite(clip.part[0]) and _finite(clip.part[1]) and clip.part[1] > clip.part[0]):
        yield f"Clip '{clip.id}' shows no part of its speed curve."
    yield from curve_problems(clip.curve, f"Clip '{clip.id}'")
    if clip.shaped is not None:
        yield from _shaped_problems(clip.shaped, f"Clip '{clip.id}'")
    yield from _framing_problems(clip.id, clip.framing)
    yield from _shape_problems(clip, song)
    yield from of_settings(CLIP_SETTINGS.values(), clip, f"Clip '{clip.id}' has")
    yield from _key_problems(clip.id, clip.keys, song)
    if clip.grade is not None:
        yield from grade_problems(clip.grade, f"Clip '{clip.id}'")
    for transition in (clip.transition, clip.leave):
        if transition is not None:
            yield from transition_problems(transition, f"Clip '{clip.id}'")
    yield from _layer_problems(clip, song)


def _key_problems(clip: str, tracks: dict[str, tuple[Key, ...]], song: Soundtrack | None) -> Iterator[str]:
    for name, keys in tracks.items():
        low, high = KEYED.get(name, (-1e6, 1e6))
        if not all(_finite(k.time_s) and _finite(k.value) and low <= k.value <= high for k in keys) or not keys:
            yield f"Clip '{clip}' has a key of its {name} that cannot be; keep it between {low:g} and {high:g}."
        if any(k.point is not None and (song is None or point_of(song, k.point) is None) for k in keys):
            yield f"Clip '{clip}' has a key of its {name} on a point that the soundtrack does not have."


def _shape_problems(clip: Clip, song: Soundtrack | None) -> Iterator[str]:
    """What is wrong with how a clip stands in frames of other shapes."""
    for name, stands in clip.shapes.items():
        if name not in FRAME_SHAPES:
            yield f"Clip '{clip.id}' is framed for the shape '{name[:20]}'; there are {', '.join(FRAME_SHAPES)}."
        yield from _framing_problems(clip.id, stands.framing)
        yield from _key_problems(clip.id, stands.keys, song)
        if stands.follow is not None:
            yield from of_settings(FOLLOW_SETTINGS.values(), stands.follow, f"Clip '{clip.id}' keeps its subject with")
        for size, setting in ((stands.size, TITLE_SETTINGS["size"]), (stands.wrap, TITLE_SETTINGS["wrap"])):
            if size is not None and not setting.allows(size):
                yield f"Clip '{clip.id}' has a title with {setting.noun} that cannot be in the shape '{name[:20]}'."


def _layer_problems(clip: Clip, song: Soundtrack | None) -> Iterator[str]:
    """What is wrong with a clip's title, masks, cleared colour, follower and repeats."""
    whose = f"Clip '{clip.id}'"
    if clip.title is not None:
        yield from title_problems(clip.title, whose)
    if clip.rim is not None:
        yield from of_settings(RIM_SETTINGS.values(), clip.rim, f"{whose} has a rim with")
    if len({m.id for m in clip.masks}) < len(clip.masks):
        yield f"{whose} has two masks of one id; each needs its own."
    for mask in clip.masks:
        yield from of_settings(MASK_SETTINGS.values(), mask, f"{whose} has a mask with")
        for name in MASK_KEYED:
            low, high = MASK_SETTINGS[name].low, MASK_SETTINGS[name].high
            if not all(_finite(k.value) and low <= k.value <= high for k in mask.keys.get(name, ())):
                yield f"{whose} has a mask with a key of its {name} that cannot be; keep it between {low:g} and {high:g}."
        keys = [k for track in mask.keys.values() for k in track]
        if not all(_finite(k.time_s) for k in keys) or not all(abs(v) <= 20 for p in mask.points for v in p):
            yield f"{whose} has a mask that lies nowhere."
        if any(k.point is not None and (song is None or point_of(song, k.point) is None) for k in keys):
            yield f"{whose} has a mask with a key on a point that the soundtrack does not have."
    if clip.clear is not None:
        yield from of_settings(CLEAR_SETTINGS.values(), clip.clear, f"{whose} makes a colour clear with")
    yield from of_settings(CLIP_SOUND_SETTINGS.values(), clip.sound, f"{whose} has a sound with")
    if clip.follow is not None:
        yield from of_settings(FOLLOW_SETTINGS.values(), clip.follow, f"{whose} keeps its subject with")
    if "@" in clip.id:
        yield f"{whose} has an id that only repeats have; give it another."
    if clip.repeat is not None and clip.repeat.rule.every < 1:
        yield f"{whose} is laid again on every {clip.repeat.rule.every}th point; give 1 or more."


def title_problems(title: Title, whose: str) -> Iterator[str]:
    """Yield what is wrong with a title; `whose` begins the sentence."""
    if len(title.text) > MOST_TITLE:
        yield f"{whose} has a title of {len(title.text)} characters; keep it to {MOST_TITLE}."
    yield from of_settings(TITLE_SETTINGS.values(), title, f"{whose} has a title with")
    for style in title.words:
        yield from of_settings(WORD_SETTINGS.values(), style, f"{whose} has a title whose word {style.word + 1} has")
    numbers = [style.word for style in title.words]
    if numbers != sorted(set(numbers)) or any(not 0 <= n < MOST_TITLE for n in numbers):
        yield f"{whose} has a title whose words are set off twice or out of order."
    for arrival in (title.enter, title.leave):
        if not 0 < arrival.length <= MOST_JOIN[arrival.unit]:
            yield f"{whose} has a title that comes or goes over {arrival.length:g} {arrival.unit}; that cannot be."


def transition_problems(transition: Transition, whose: str) -> Iterator[str]:
    """Yield what is wrong with a transition, its kind aside; `whose` begins the sentence."""
    if not 0 < transition.length <= MOST_JOIN[transition.unit]:
        yield f"{whose} has a transition of {transition.length:g} {transition.unit}; keep it above 0 and to {MOST_JOIN[transition.unit]:g}."
    yield from of_settings(TRANSITION_SETTINGS.values(), transition, f"{whose} has a transition with")
    if transition.ease is not None and not all(0 <= v <= 1 for v in transition.ease):
        yield f"{whose} has a transition whose curve of ease goes beyond its ends; keep its handles between 0 and 1."
    if not all(_finite(v) for v in transition.settings.values() if not isinstance(v, str)):
        yield f"{whose} has a transition with a setting that is no number."


def _framing_problems(clip: str, framing: Framing) -> Iterator[str]:
    for position in (framing.start, framing.end or framing.start):
        yield from of_settings(PLACE_SETTINGS.values(), position, f"Clip '{clip}' stands with")
    left, top, right, bottom = framing.crop
    if any(not 0 <= c < 1 for c in framing.crop) or left + right > 0.99 or top + bottom > 0.99:
        yield f"Clip '{clip}' is cropped to nothing."
    if framing.window is not None:
        yield from of_settings(WINDOW_SETTINGS.values(), framing.window, f"Clip '{clip}' has a window with")


def _shaped_problems(shaped: Shaped, whose: str) -> Iterator[str]:
    yield from shape_problems(shaped.shape, whose)
    if not abs(shaped.speed) <= SPEED_LIMIT or not 0 <= shaped.amount <= 2 or shaped.every < 1:
        yield f"{whose} uses the shape '{shaped.shape.name}' at a speed, an amount or a count that cannot be."


def shape_problems(shape: SpeedShape, whose: str) -> Iterator[str]:
    """Yield what is wrong with a shape; `whose` begins the sentence."""
    yield from curve_problems(Curve(shape.nodes), f"{whose} has the shape '{shape.name}', which")
    if not 0 <= shape.focus <= 1:
        yield f"{whose} has the shape '{shape.name}' with its focus outside 0 to 1."
    if not any(n.speed for n in shape.nodes):
        yield f"{whose} has the shape '{shape.name}', which stands still throughout."


def curve_problems(curve: Curve, whose: str) -> Iterator[str]:
    """Yield what is wrong with a speed curve; `whose` begins the sentence."""
    ats = [n.at for n in curve.nodes]
    if not ats:
        yield f"{whose} has a speed curve without nodes."
    if any(not 0 <= a <= 1 for a in ats) or any(b <= a for a, b in zip(ats, ats[1:], strict=False)):
        yield f"{whose} has speed nodes that are not in order within the clip, or two at the same time."
    if any(not abs(n.speed) <= SPEED_LIMIT for n in curve.nodes):
        yield f"{whose} has a speed beyond {SPEED_LIMIT:g} times; keep it between −{SPEED_LIMIT:g} and {SPEED_LIMIT:g}."
    if any(not (0 <= n.soft_in <= 1 and 0 <= n.soft_out <= 1) for n in curve.nodes):
        yield f"{whose} has a softness outside 0 to 1."


def _lane_problems(lane: AccentLane) -> Iterator[str]:
    whose = f"Accent lane '{lane.id}'"
    yield from of_settings(LANE_SETTINGS.values(), lane, f"{whose} has")
    yield from of_settings(RULE_SETTINGS.values(), lane.rule, f"{whose} fires by a rule with")
    if any(not 0 <= p.strength <= 2 for p in lane.overrides):
        yield f"{whose} has a painted strength outside 0 to 2."
    if lane.envelope is not None:
        yield from envelope_problems(lane, whose)
    numbers = [v for v in lane.settings.values() if not isinstance(v, str)]
    numbers += [v for p in lane.overrides for v in p.settings.values() if not isinstance(v, str)]
    numbers += [v for track in lane.keys.values() for k in track for v in (k.time_s, k.value)]
    if not all(_finite(v) for v in numbers):
        yield f"{whose} has a setting that is no number."


def envelope_problems(lane: AccentLane, whose: str) -> Iterator[str]:
    """Yield what is wrong with a lane's envelope; `whose` begins the sentence."""
    envelope = lane.envelope
    assert envelope is not None
    most = {"frames": 3600.0, "ms": 120_000.0, "gap": 16.0, "clip": 1.0}
    lengths: tuple[Length, ...] = (envelope.lead, envelope.hold, envelope.decay)
    if any(not 0 <= length.value <= most[length.unit] for length in lengths):
        yield f"{whose} has a lead, hold or decay below 0 or longer than two minutes."
    if not (0.1 <= envelope.rise <= 10 and 0.1 <= envelope.fall <= 10):
        yield f"{whose} has a bend outside 0.1 to 10."


def _finite(value: float) -> bool:
    return math.isfinite(value)
