"""An order: what is wanted of a reel, and the reels and settings that follow from it."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec
from msgspec.structs import replace

from tempik.edit.frame_shapes import in_frame, in_own_shape
from tempik.edit.reel import with_settings
from tempik.errors import TempikError
from tempik.formats import Format, format_named, named_for
from tempik.reel import Reel
from tempik.reel.frame_shapes import FRAME_SHAPES
from tempik.reel.nests import all_closed
from tempik.render.export import fit_to_write
from tempik.render.export_settings import ExportSettings
from tempik.time import parse_rate, time_of
from tempik.timeline.timeline import timeline_of

# Frame shapes by name: width to height. The first stands for whatever the reel has.
SHAPES: dict[str, tuple[int, int] | None] = {"reel": None, **FRAME_SHAPES}
SHORT_SIDES = (360, 540, 720, 1080, 1440, 2160)


class Order(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What is wanted of a reel.

    `shapes` are the frames that it is made in, each a file; `short_px` is their shorter side (0: the reel's own), `size` is one
    given in pixels instead. `rate` is frames a second as people write it ('': the reel's own), `part` seconds of the reel (None: all
    of it), `at_s` the instant of a poster frame. `reel_level` leaves a part as loud as it is in the reel. `measure` says that
    what was written is measured against its rhythm points.
    """

    name: str = ""
    shapes: tuple[str, ...] = ("reel",)
    short_px: int = 0
    size: tuple[int, int] | None = None
    rate: str = ""
    part: tuple[float, float] | None = None
    format: str = "h264"
    quality: str = "standard"
    limit_mb: float | None = None
    hardware: bool = False
    clear: bool = False
    sound: bool = True
    at_s: float | None = None
    measure: bool = False
    reel_level: bool = False


class OrderedFile(NamedTuple):
    """One file of an order: the reel as it is written, how, where, and in which shape. `message` is a sentence on it."""

    reel: Reel
    settings: ExportSettings
    target: Path
    shape: str
    message: str = ""


def size_in(reel: Reel, order: Order, shape: str) -> tuple[int, int]:
    """Return width and height of an order's file in a shape, even numbers. Raises TempikError for a shape that there is not."""
    reel = in_own_shape(reel)
    if order.size is not None:
        return order.size
    if shape not in SHAPES:
        raise TempikError(f"There is no frame shape '{shape}'; choose from {', '.join(SHAPES)}.")
    across, down = SHAPES[shape] or (reel.width, reel.height)
    short = order.short_px or min(reel.width, reel.height)
    if across <= down:
        return _even(short), _even(short * down / across)
    return _even(short * across / down), _even(short)


def _even(length: float) -> int:
    return max(2, round(length / 2) * 2)


def target_in(target: Path, order: Order, shape: str) -> Path:
    """Return the file of a shape: with the shape in its name where there are several."""
    named = named_for(target, format_named(order.format))
    if len(order.shapes) < 2:
        return named
    return named.with_name(f"{named.stem}-{shape}{named.suffix}")


def shaped_reel(reel: Reel, order: Order, shape: str) -> Reel:
    """Return the reel as one file of an order shows it: nests closed, in its frame, as what is framed by hand in it, and at its rate."""
    reel = all_closed(in_own_shape(reel))
    width, height = size_in(reel, order, shape)
    if order.rate:
        reel = with_settings(reel, reel.width, reel.height, parse_rate(order.rate))
    across, down = reel.width / reel.height, width / height
    if abs(across / down - 1) < 2 / min(width, height):  # the same shape but for whole pixels
        return reel
    return in_frame(reel, width, height)


def made(reel: Reel, order: Order, target: Path) -> list[OrderedFile]:
    """Return what an order comes to: a reel, settings and a file for each of its shapes. Raises TempikError where it makes no
    sense."""
    checked(order)
    order, same = distinct(reel, order)
    files = [made_in(reel, order, shape, target_in(target, order, shape)) for shape in order.shapes]
    return [files[0]._replace(message=same), *files[1:]]


def distinct(reel: Reel, order: Order) -> tuple[Order, str]:
    """Return an order without the shapes that make the same file as one before them, and a sentence where there were any: 'as the reel'
    of an upright reel is upright."""
    kept: dict[tuple[int, int], str] = {}
    same = []
    for shape in order.shapes:
        first = kept.setdefault(size_in(reel, order, shape), shape)
        if first is not shape:
            same.append(f"'{shape}' is the same file as '{first}' here and is written once.")
    return (replace(order, shapes=tuple(kept.values())), " ".join(same)) if same else (order, "")


def fit(files: Sequence[OrderedFile]) -> None:
    """Raises TempikError where one of them could not be written: before anything is, and before it is queued."""
    for each in files:
        fit_to_write(timeline_of(each.reel), each.target, each.settings)


def made_in(reel: Reel, order: Order, shape: str, target: Path) -> OrderedFile:
    """Return one file of an order. Raises TempikError where it makes no sense."""
    clear = order.clear and bool(checked(order).clear)
    settings = ExportSettings(
        size_in(reel, order, shape), order.quality, order.format, order.part, order.limit_mb, order.hardware, clear,
        order.sound, order.at_s, order.reel_level,
    )  # fmt: skip
    return OrderedFile(shaped_reel(reel, order, shape), settings, target, shape)


def part_of_clips(reel: Reel, clips: Collection[str]) -> tuple[float, float]:
    """Return the part of a reel from the first of some clips to the end of the last. Raises TempikError where one is not on it."""
    timeline = timeline_of(reel)
    placed = [(name, timeline.placed_clip(name)) for name in clips]
    gone = [name for name, at in placed if at is None]
    if gone or not placed:
        raise TempikError(f"There is no clip '{gone[0] if gone else ''}' on the reel; see tempik check.")
    found = [at for _, at in placed if at is not None]
    return time_of(min(p.first for p in found), timeline.rate), time_of(max(p.end for p in found), timeline.rate)


def checked(order: Order) -> Format:
    """Return the order's format. Raises TempikError where the order names what there is not."""
    kind = format_named(order.format)
    if not order.shapes:
        raise TempikError(f"An export needs a frame shape; choose from {', '.join(SHAPES)}.")
    unknown = next((s for s in order.shapes if s not in SHAPES), None)
    if unknown is not None:
        raise TempikError(f"There is no frame shape '{unknown}'; choose from {', '.join(SHAPES)}.")
    if order.rate:
        parse_rate(order.rate)
    if order.quality not in kind.qualities:
        raise TempikError(f"There is no quality '{order.quality}'; choose from {', '.join(kind.qualities)}.")
    return kind


def fitting(order: Order) -> Order:
    """Return an order as its format can have it: what it has no use for left out."""
    kind = format_named(order.format)
    if kind.kind == "sound":
        order = replace(order, shapes=("reel",), clear=False, measure=False)
    if order.part is None:
        order = replace(order, reel_level=False)
    if kind.limited is None:
        order = replace(order, limit_mb=None)
    if not kind.hardware:
        order = replace(order, hardware=False)
    if not kind.clear:
        order = replace(order, clear=False)
    if kind.kind != "film" or kind.silent:
        order = replace(order, measure=False)
    return order
