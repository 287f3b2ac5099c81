"""Grades set, changed field by field, passed on, taken off; how much of them shows, keyed on points."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from pathlib import Path
from typing import Literal, NamedTuple

from msgspec import Struct
from msgspec.structs import replace

from tempik.edit.clips.layers import with_clip_key, without_clip_key
from tempik.edit.clips.slots import clip_of, with_clips
from tempik.edit.keying import keyed_with, keyed_without
from tempik.errors import TempikError
from tempik.grade.cube import read_cube
from tempik.reel import ColourOf, Footage, Grade, Reel, by_id
from tempik.reel.grade import NEUTRAL, PARTS, PartOf
from tempik.reel.lanes import KeyEase
from tempik.reel.validate import grade_problems
from tempik.timeline.grading import GRADE_KEYS
from tempik.timeline.timeline import timeline_of

Whose = Literal["reel", "clips", "footage"]


class Where(NamedTuple):
    """What is graded: the whole reel, some clips, or some footage, by id."""

    whose: Whose
    ids: tuple[str, ...] = ()


THE_REEL = Where("reel")


def only_grades_differ(one: Reel, other: Reel) -> bool:
    """Tell whether two reels, made of the same parts, are alike in all but how they are graded."""
    graded = ("clips", "footage")
    return (
        one is not other
        and _alike(one, other, but=("look", "look_keys", *graded))
        and all(_alike_each(getattr(one, name), getattr(other, name)) for name in graded)
    )


def _alike_each(ones: Sequence[Struct], others: Sequence[Struct]) -> bool:
    return ones is others or (
        len(ones) == len(others)
        and all(a is b or _alike(a, b, but=("grade",)) for a, b in zip(ones, others, strict=True))
    )


def _alike(one: Struct, other: Struct, but: Collection[str]) -> bool:
    """Tell whether two records hold the very same values, but for some fields."""
    return all(name in but or getattr(one, name) is getattr(other, name) for name in one.__struct_fields__)


def grade_at(reel: Reel, where: Where) -> Grade:
    """Return the grade there, of several the first one's; the neutral one where there is none."""
    if where.whose == "reel":
        return reel.look or NEUTRAL
    if not where.ids:
        return NEUTRAL
    if where.whose == "clips":
        return clip_of(reel, where.ids[0]).grade or NEUTRAL
    return _footage(reel, where.ids[0]).grade or NEUTRAL


def with_grade(reel: Reel, where: Where, grade: Grade | None) -> Reel:
    """Set a grade; None, or the neutral one, takes it off. Raises TempikError for one that cannot be."""
    if grade is not None:
        message = next(grade_problems(grade, "This"), None)
        if message is not None:
            raise TempikError(message)
        grade = None if grade == NEUTRAL else grade
    return _changed(reel, where, [grade] * max(len(where.ids), 1))


def _changed(reel: Reel, where: Where, grades: Sequence[Grade | None]) -> Reel:
    if where.whose == "reel":
        return replace(reel, look=grades[0])
    if not where.ids:
        raise TempikError("Select a clip first." if where.whose == "clips" else "Choose footage first.")
    if where.whose == "clips":
        made = [replace(clip_of(reel, name), grade=g) for name, g in zip(where.ids, grades, strict=True)]
        return with_clips(reel, made)
    by_footage = dict(zip(where.ids, grades, strict=True))
    for name in where.ids:
        _footage(reel, name)
    pieces = tuple(replace(f, grade=by_footage[f.id]) if f.id in by_footage else f for f in reel.footage)
    return replace(reel, footage=pieces)


def _each(reel: Reel, where: Where) -> list[Grade]:
    if where.whose == "reel":
        return [grade_at(reel, where)]
    return [grade_at(reel, Where(where.whose, (name,))) for name in where.ids]


def with_grade_fields(reel: Reel, where: Where, **fields: object) -> Reel:
    """Change grades field by field, each keeping what is not named. Raises TempikError for values that cannot be."""
    made = []
    for grade in _each(reel, where):
        changed = replace(grade, **fields)
        message = next(grade_problems(changed, "This"), None)
        if message is not None:
            raise TempikError(message)
        made.append(None if changed == NEUTRAL else changed)
    return _changed(reel, where, made)


def with_parts(reel: Reel, where: Where, source: Grade, parts: Collection[PartOf] = tuple(PARTS)) -> Reel:
    """Give grades some parts of another; its amount goes with all of them."""
    fields = {name: getattr(source, name) for part in parts for name in PARTS[part]}
    if set(parts) == set(PARTS):
        fields["amount"] = source.amount
    return with_grade_fields(reel, where, **fields)


def without_parts(reel: Reel, where: Where, parts: Collection[PartOf]) -> Reel:
    """Set parts of grades back to doing nothing."""
    return with_parts(reel, where, NEUTRAL, parts)


def with_lut(reel: Reel, where: Where, path: str) -> Reel:
    """Set the LUT of grades, '' for none. Raises TempikError for a file that is none."""
    if path:
        path = str(Path(path).absolute())
        read_cube(Path(path))
    return with_grade_fields(reel, where, lut=path)


def with_amount_key(
    reel: Reel, where: Where, frame: int, amount: float, ease: KeyEase = "soft", within: int = 0
) -> Reel:
    """Set how much of a grade shows at a frame, 0 to 1.5; on a point's frame the key goes with the point. Raises TempikError outside 0 to
    1.5, and for footage."""
    if not 0 <= amount <= 1.5:
        raise TempikError("How much of a grade shows lies between 0 and 150 %.")
    if where.whose == "footage":
        raise TempikError("Footage is graded alike wherever it is shown; key the clip's grade, or the reel's look.")
    if where.whose == "clips":
        for name in where.ids:
            reel = with_clip_key(reel, name, GRADE_KEYS, frame, amount, ease, within)
        return reel
    timeline = timeline_of(reel)
    return replace(reel, look_keys=keyed_with(timeline, reel.look_keys, frame, amount, ease, within))


def without_amount_key(reel: Reel, where: Where, frame: int) -> Reel:
    """Take the key of how much of a grade shows at a frame away."""
    if where.whose == "clips":
        for name in where.ids:
            reel = without_clip_key(reel, name, [GRADE_KEYS], frame)
        return reel
    return replace(reel, look_keys=keyed_without(timeline_of(reel), reel.look_keys, frame))


def with_colour(reel: Reel, footage: str, **fields: str) -> Reel:
    """Say how a file's values are meant: `matrix`, `range`, `light`; '' is as the file says. Raises TempikError for a meaning that there is
    not."""
    piece = _footage(reel, footage)
    for name, value in fields.items():
        allowed = {
            "matrix": ("", "bt601", "bt709", "bt2020"),
            "range": ("", "limited", "full"),
            "light": ("", "standard", "pq", "hlg"),
        }
        if value not in allowed[name]:
            raise TempikError(f"A file's {name} is {', '.join(v for v in allowed[name] if v)}, or as the file says.")
    told: ColourOf = replace(piece.colour, **fields)
    return replace(reel, footage=tuple(replace(f, colour=told) if f.id == footage else f for f in reel.footage))


def _footage(reel: Reel, wanted: str) -> Footage:
    piece = by_id(reel.footage, wanted)
    if piece is None:
        raise TempikError("That footage is no longer on the reel.")
    return piece
