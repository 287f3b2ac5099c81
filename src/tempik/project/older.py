"""Documents of earlier formats: what they called the fields of records, and how one of them becomes one of today's.

A name is told by where it stands: by the key that its record, or the list that its record is in, lies under.
"""

from __future__ import annotations

from typing import Any

# By the format that brought the new names: what fields were called before it, by where they stand ('' is the reel itself).
_BEFORE: dict[int, dict[str, dict[str, str]]] = {
    7: {
        "": {"picture": "tracks", "between": "interpolation"},
        "clips": {"row": "track", "between": "interpolation"},
        "footage": {"around": "skip_repeats", "tracks": "motion_tracks"},
        "choices": {"between": "subdivision"},
        "reading": {"way": "beat_source", "pace": "tempo_factor"},
    },
    13: {
        "": {"rows": "accent_lanes", "sound_rows": "sound_lanes", "seam_ms": "crossfade_ms"},
        "clips": {"join": "transition", "again": "repeat", "kept": "locked"},
        "sound": {"seam_ms": "crossfade_ms"},
        "footage": {"said": "warning"},
        "nest": {"rows": "accent_lanes"},
        "rows": {"painted": "overrides", "kept": "locked"},
        "sound_rows": {"painted": "overrides", "kept": "locked"},
        "sound_clips": {"keeps_pitch": "preserve_pitch"},
        "rule": {"row": "lane"},
        "draft": {"rows": "accent_lanes", "sound_rows": "sound_lanes"},
        "mood": {"join": "transition", "join_beats": "transition_beats"},
    },
}
# Values that were called otherwise before format 13, by where their record stands and by field.
_VALUES_BEFORE_13 = {
    ("rule", "of"): {"joins": "transitions"},
    ("sound", "pitch"): {"kept": "preserved"},
}  # fmt: skip
# Where a record of the table may stand under another key, or in a list of lists.
_SAME = {"sound_lanes": "sound_rows", "accent_lanes": "rows"}


def with_names_of_today(document: Any, number: int, where: str = "") -> Any:
    """Return a document of a format, or the part of one that stands under a key, with its fields called as they are today."""
    for brought, names in _BEFORE.items():
        if number < brought:
            document = _called_anew(document, names, _SAME.get(where, where), brought)
    return document


def step_with_names_of_today(changed: dict[str, Any], number: int) -> dict[str, Any]:
    """Return what a step of a journal changed, as `steps.difference` has it, with its fields called as they are today; `number` is the
    format that projects had when it was written."""
    out: dict[str, Any] = {}
    for field, change in changed.items():
        parts = {}
        for kind, value in change.items():
            if kind == "order":
                parts[kind] = value
            elif kind == "part":  # of the soundtrack, by its fields
                parts[kind] = {k: with_names_of_today(v, number, k) for k, v in value.items()}
            else:
                parts[kind] = with_names_of_today(value, number, field)
        out[_name_of_today(field, number)] = parts
    return out


def _name_of_today(field: str, number: int) -> str:
    for brought, names in _BEFORE.items():
        if number < brought:
            field = names[""].get(field, field)
    return field


def _called_anew(value: Any, before: dict[str, dict[str, str]], where: str, brought: int) -> Any:
    if isinstance(value, list):
        return [_called_anew(v, before, where, brought) for v in value]
    if not isinstance(value, dict):
        return value
    names, out = before.get(where, {}), {}
    for key, item in value.items():
        # Records of records keep their own place: a reading's names are no song's.
        if brought == 13 and isinstance(item, str):
            item = _VALUES_BEFORE_13.get((where, key), {}).get(item, item)
        out[names.get(key, key)] = _called_anew(item, before, key, brought) if _has_records(key, before) else item
    return out


def _has_records(key: str, before: dict[str, dict[str, str]]) -> bool:
    return key in before or key == "soundtrack" or key == "again"
