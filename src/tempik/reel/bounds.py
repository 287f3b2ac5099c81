"""Bounds of every number, text and list of a reel, by its type and field: what lies outside was made by no editing, and
could not be held in memory or worked through in time."""

from __future__ import annotations

import math
from collections.abc import Iterator
from fractions import Fraction
from functools import cache
from typing import Any, NamedTuple

import msgspec

from tempik.derive import DERIVED, LONG, Stage

MOST_NUMBER = 1e9
MOST_TEXT = 20_000
MOST_PATH = 4096
MOST_IN_LIST = 10_000

# The largest number, or the longest list, of fields that have their own.
_MOST: dict[str, float] = {
    "Footage.bytes": 1e18,
    "Footage.repeats": 2e6,
    "Footage.width": 65_536,
    "Footage.height": 65_536,
    "Footage.rate": 10_000,
    "Footage.length_s": 1e6,
    "Footage.cues": 2_000,
    "MotionTrack.times_s": 1e6,
    "MotionTrack.xs": 1e6,
    "MotionTrack.ys": 1e6,
    "Soundtrack.length_s": 86_400,
    "Soundtrack.start_s": 86_400,
    "Soundtrack.fade_in_s": 86_400,
    "Soundtrack.fade_out_s": 86_400,
    "Soundtrack.gain_db": 200,
    "Soundtrack.edits": 200_000,
    "Soundtrack.placed": 200_000,
    "Soundtrack.own": 200_000,
    "Soundtrack.pieces": 2_000,
    "SongPiece.from_s": 86_400,
    "SongPiece.to_s": 86_400,
    "Analysis.beats": 200_000,
    "Analysis.onsets": 1e6,
    "Rival.beats": 200_000,
    "Analysis.rivals": 16,
    "Curve.nodes": 500,
    "SpeedShape.nodes": 500,
    "Clip.pins": 500,
    "Clip.keys": 16,
    "Clip.masks": 32,
    "Mask.points": 500,
    "Footage.cutouts": 64,
    "Cutout.strokes": 500,
    "Stroke.points": 2_000,
    "Cutout.first": 1e7,
    "Mask.keys": 16,
    "Transition.settings": 100,
    "Transition.seed": 2**63,
    "Position.x": 1000,
    "Position.y": 1000,
    "Position.turn_deg": 36_000,
    "Rule.every": 100_000,
    "Rule.offset": 100_000,
    "Rule.beats": 64,
    "Shaped.every": 100_000,
    "PointChoice.every": 100_000,
    "AccentLane.overrides": 200_000,
    "AccentLane.keys": 200,
    "AccentLane.settings": 200,
    "StepOverride.settings": 200,
    "Key.value": 1e6,
    "AccentLane.seed": 2**63,
    "Reel.clips": 20_000,
    "Reel.accent_lanes": 500,
    "Nest.clips": 20_000,
    "Nest.accent_lanes": 500,
    "Reel.opened": 16,
    "Reel.bundles": 500,
    "Reel.sounds": 2_000,
    "Reel.hits": 500,
    "Reel.hits[]": 86_400,
    "Reel.sound_lanes": 100,
    "Reel.sound_tracks": 32,
    "Reel.sound_clips": 10_000,
    "SoundFile.length_s": 86_400,
    "SoundFile.hit_s": 86_400,
    "SoundFile.found_s": 86_400,
    "SoundLane.sounds": 64,
    "SoundLane.overrides": 200_000,
    "SoundLane.seed": 2**63,
    "SoundClip.from_s": 86_400,
    "SoundClip.length_s": 7_200,
}

Said = tuple[str, str]
_SOUND: Stage[Said] = Stage("bounds", LONG)  # several for each clip
_FINE: Said = ("", "")


def out_of_bounds(record: msgspec.Struct) -> str:
    """Return what of a record lies outside its bounds, as a part of a sentence; '' for nothing. Records are frozen: each
    is looked through once."""
    return _looked_through(record)[0]


def no_number(record: msgspec.Struct) -> str:
    """Return what of a record is infinite or no number, as a part of a sentence; '' for nothing."""
    return _looked_through(record)[1]


def _looked_through(record: msgspec.Struct) -> Said:
    """Return the first thing that is out of bounds and the first that is no number."""
    return DERIVED.get(_SOUND, (record,), (), lambda: _first(_found(record)))


def _first(message: Iterator[Said]) -> Said:
    beyond = endless = ""
    for a, b in message:
        beyond, endless = beyond or a, endless or b
        if beyond:
            break  # no number is asked for only where nothing is out of bounds
    return (beyond, endless) if beyond or endless else _FINE


class _Field(NamedTuple):
    name: str
    where: str
    most: float
    deep: bool  # whether what it holds is remembered record by record: of what lies deeper than a reel's own there is too much


@cache
def _fields(kind: type[msgspec.Struct]) -> tuple[_Field, ...]:
    wheres = [(name, f"{kind.__name__}.{name}") for name in kind.__struct_fields__]
    return tuple(_Field(n, w, _MOST.get(w, MOST_NUMBER), not w.startswith("Reel.")) for n, w in wheres)


def _found(record: msgspec.Struct) -> Iterator[Said]:
    for field in _fields(type(record)):
        value = getattr(record, field.name)
        # Nearly everything is a number within its bounds, nothing, or an empty list: a large reel has a million of them.
        kind = type(value)
        if kind is float or kind is int:
            if -field.most <= value <= field.most:
                continue
        elif value is None or kind is bool or value == ():
            continue
        yield from _wrong(value, field)


def _wrong(value: Any, field: _Field) -> Iterator[Said]:
    where = field.where
    if value is None or isinstance(value, bool):
        return
    if isinstance(value, str):
        if "\0" in value or len(value) > (MOST_PATH if where.endswith(".path") else MOST_TEXT):
            yield f"a {_message(where)} that is too long or holds a NUL", ""
    elif isinstance(value, (int, float, Fraction)):
        size = abs(value) if isinstance(value, int) and abs(value) < 2**64 else _size(value)
        if not math.isfinite(size):
            yield "", f"a {_message(where)} of {_short(value)}, which cannot be"
        # What is beyond every bound is said as no number.
        if size > field.most and size != math.inf:
            yield f"a {_message(where)} of {_short(value)}, which cannot be", ""
    elif isinstance(value, (tuple, dict)):
        yield from _wrong_list(value, field)
    elif isinstance(value, msgspec.Struct):
        message = _first(_found(value)) if field.deep else _looked_through(value)
        if message is not _FINE:
            yield message


def _wrong_list(values: tuple[Any, ...] | dict[str, Any], field: _Field) -> Iterator[Said]:
    most = int(_MOST.get(field.where, MOST_IN_LIST))
    if len(values) > most:
        yield f"{len(values)} {_message(field.where)} (at most {most})", ""
        return
    inside = _inside(field)
    for value in values.values() if isinstance(values, dict) else values:
        yield from _wrong(value, inside)


@cache
def _inside(field: _Field) -> _Field:
    where = f"{field.where}[]"
    return field._replace(where=where, most=_MOST.get(where, MOST_NUMBER))


def _size(value: float | Fraction) -> float:
    try:
        return abs(float(value))
    except OverflowError:
        return 1e308


def _message(where: str) -> str:
    """Return a field's name as words."""
    return where.partition("[")[0].rpartition(".")[2].replace("_", " ")


def _short(value: object) -> str:
    text = str(value)
    return text if len(text) <= 24 else f"{text[:20]}…"
