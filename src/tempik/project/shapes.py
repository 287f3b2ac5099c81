"""Shapes of one's own: kept beside the settings, written to files and read from them."""

from __future__ import annotations

from pathlib import Path

import msgspec

from tempik.errors import TempikError
from tempik.project import library
from tempik.project.file import state_folder
from tempik.reel import Curve, SpeedShape
from tempik.reel.validate import shape_problems
from tempik.retime import READY, ready_shape, shape_of

SUFFIX = ".tempikshape"
FORMAT = 1


def library_folder() -> Path:
    """Return where one's own speed shapes are kept."""
    return state_folder() / "shapes"


def all_shapes() -> list[SpeedShape]:
    """Return the shapes that come with the program, then one's own by name. Damaged files are left out."""
    return [*READY, *own_shapes()]


def own_shapes() -> list[SpeedShape]:
    """Return one's own shapes by name; files that cannot be read are left out."""
    return library.readable(library_folder(), SUFFIX, read_shape)


def shape_named(name: str) -> SpeedShape:
    """Return a shape by name. Raises TempikError, naming those there are, when there is none."""
    found = ready_shape(name) or next((s for s in own_shapes() if s.name == name), None)
    if found is None:
        raise TempikError(f"There is no shape '{name}'; there are {', '.join(s.name for s in all_shapes())}.")
    return found


def kept_shape(curve: Curve, name: str, focus: float = 0.5, does: str = "") -> SpeedShape:
    """Make a shape of a curve and keep it among one's own. Raises TempikError for a name that cannot be had."""
    name = library.checked_name(name, "shape", [s.name for s in READY])
    shape = msgspec.structs.replace(shape_of(curve, name, focus), does=does)
    return added(shape)


def added(shape: SpeedShape) -> SpeedShape:
    """Keep a shape among one's own; one of the same name gives way. Raises TempikError when it cannot be written."""
    _check(shape, "The shape")
    library.made_folder(library_folder(), "shape")
    write_shape(shape, _file_of(shape.name))
    return shape


def removed(name: str) -> None:
    """Take one of one's own shapes away; clips that use it keep it."""
    library.taken_away(_file_of(name))


def _file_of(name: str) -> Path:
    return library.file_named(library_folder(), name, SUFFIX)


def write_shape(shape: SpeedShape, path: Path) -> None:
    """Write a shape to a file of its own. Raises TempikError when it cannot be written."""
    library.write_document(path, {"format": FORMAT, "shape": msgspec.to_builtins(shape)})


def read_shape(path: Path) -> SpeedShape:
    """Read a shape from a file. Raises TempikError when it is no shape, damaged, or of a newer version."""
    document = library.read_document(path, f"shape; choose a {SUFFIX} file", "shape", FORMAT)
    try:
        shape = msgspec.convert(document["shape"], SpeedShape)
    except msgspec.ValidationError as error:
        raise TempikError(f"{path} is damaged: {error}.") from error
    _check(shape, str(path))
    return shape


def _check(shape: SpeedShape, whose: str) -> None:
    found = next(iter(shape_problems(shape, whose)), None)
    if found is not None:
        raise TempikError(found)
