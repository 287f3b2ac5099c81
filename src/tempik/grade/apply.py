"""Grades put on a picture, in order, as few passes over it as there can be."""

from __future__ import annotations

import os
from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from tempik.errors import TempikError
from tempik.grade.finish import finished, finishes
from tempik.grade.pointwise import acts, graded
from tempik.grade.table import looked_up, table_of
from tempik.media.paint import in_rgb, mixed
from tempik.media.picture import Picture, Plane
from tempik.reel.grade import Grade


def regraded(picture: Picture, grades: Sequence[tuple[Grade, float]], frame: int, quick: bool = False) -> Picture:
    """Return a picture after grades, each with how much of it shows; what follows on another by colour alone is one pass. A LUT
    that cannot be read is left out. `frame` tells one frame's grain from another's, `quick` is coarser in strong colours."""
    run: list[Grade] = []
    for grade, share in grades:
        if share != 1:
            picture, run = _coloured(picture, run, quick), []
            made = _coloured(picture, [grade], quick)
            picture = mixed(picture, finished(made, grade, frame) if finishes(grade) else made, share)
            continue
        run.append(grade)
        if finishes(grade):
            picture, run = finished(_coloured(picture, run, quick), grade, frame), []
    return _coloured(picture, run, quick)


def small_regraded(picture: Picture, grade: Grade) -> Picture:
    """Return a small picture after a grade, for choosing by: each pixel is worked out by itself and rounded once more than by `regraded`,
    whose table of all colours takes a hundred times as long to make. A LUT that cannot be read is left out."""

    def by_itself(rgb: Plane) -> Plane:
        values = rgb.reshape(-1, 3).astype(np.float32) / np.float32(255)
        try:
            made = graded(values, (grade,))
        except TempikError:
            made = graded(values, (replace(grade, lut=""),))
        return np.rint(np.clip(made, 0, 1) * 255).astype(np.uint8).reshape(rgb.shape)

    picture = in_rgb(picture, by_itself) if acts(grade) else picture
    return finished(picture, grade, 1) if finishes(grade) else picture


def _coloured(picture: Picture, grades: Sequence[Grade], quick: bool) -> Picture:
    wanted = tuple(_colour_alone(g) for g in grades if acts(g))
    if not wanted:
        return picture
    try:
        return looked_up(picture, table_of(wanted, _states(wanted), quick))
    except TempikError:
        wanted = tuple(g for g in (replace(g, lut="") for g in wanted) if acts(g))
        return looked_up(picture, table_of(wanted, (), quick)) if wanted else picture


def _colour_alone(grade: Grade) -> Grade:
    """Return a grade without what is more than colour, so that a change of that alone makes no new table."""
    return replace(grade, fringe=0.0, soft=0.0, glow=0.0, sharpen=0.0, vignette=0.0, grain=0.0)


def _states(grades: Sequence[Grade]) -> tuple[object, ...]:
    """Return what tells the files that grades read from earlier states of these."""
    out = []
    for grade in grades:
        if grade.lut:
            try:
                found = os.stat(grade.lut)
            except (OSError, ValueError):
                raise TempikError(f"{grade.lut} is not there; say where the LUT is, or take it off.") from None
            out.append((grade.lut, found.st_size, found.st_mtime_ns))
    return tuple(out)
