"""Shapes of one's own: kept beside the settings, written to files and read from them."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import msgspec

from tempik.errors import TempikError
from tempik.reel import Curve, Shape
from tempik.reel.file import state_folder, write_whole
from tempik.reel.validate import shape_problems
from tempik.retime import READY, ready_shape, shape_of

SUFFIX = ".tempikshape"
FORMAT = 1
LONGEST_NAME = 40


def library_folder() -> Path:
    return state_folder() / "shapes"


def all_shapes() -> list[Shape]:
    """Return the shapes that come with the program, then one's own by name. Damaged files are left out."""
    return [*READY, *own_shapes()]


def own_shapes() -> list[Shape]:
    """Return one's own shapes by name; files that cannot be read are left out."""
    out = []
    for path in sorted(library_folder().glob(f"*{SUFFIX}")):
        try:
            out.append(read_shape(path))
        except TempikError:
            continue
    return out


def shape_named(name: str) -> Shape:
    """Return a shape by name. Raises TempikError, naming those there are, when there is none."""
    found = ready_shape(name) or next((s for s in own_shapes() if s.name == name), None)
    if found is None:
        raise TempikError(f"There is no shape '{name}'; there are {', '.join(s.name for s in all_shapes())}.")
    return found


def kept_shape(curve: Curve, name: str, focus: float = 0.5, does: str = "") -> Shape:
    """Make a shape of a curve and keep it among one's own. Raises TempikError for a name that cannot be had."""
    name = name.strip()
    if not name or len(name) > LONGEST_NAME or not any(c.isalnum() for c in name):
        raise TempikError(f"A shape's name has 1 to {LONGEST_NAME} letters.")
    if ready_shape(name) is not None:
        raise TempikError(f"'{name}' comes with Tempik; give yours another name.")
    shape = msgspec.structs.replace(shape_of(curve, name, focus), does=does)
    return added(shape)


def added(shape: Shape) -> Shape:
    """Keep a shape among one's own; one of the same name gives way. Raises TempikError when it cannot be written."""
    _check(shape, "The shape")
    try:
        library_folder().mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise TempikError(
            f"{library_folder()} could not be made ({error.strerror}); the shape was not kept."
        ) from error
    write_shape(shape, _file_of(shape.name))
    return shape


def removed(name: str) -> None:
    """Take one of one's own shapes away; clips that use it keep it."""
    _file_of(name).unlink(missing_ok=True)


def _file_of(name: str) -> Path:
    safe = re.sub(r"[^\w\- ]", "_", name)
    return library_folder() / f"{safe}{SUFFIX}"


def write_shape(shape: Shape, path: Path) -> None:
    """Write a shape to a file of its own. Raises TempikError when it cannot be written."""
    document = {"format": FORMAT, "shape": msgspec.to_builtins(shape)}
    write_whole(path.absolute(), msgspec.json.format(msgspec.json.encode(document), indent=1) + b"\n")


def read_shape(path: Path) -> Shape:
    """Read a shape from a file. Raises TempikError when it is no shape, damaged, or of a newer version."""
    try:
        document: Any = msgspec.json.decode(path.read_bytes())
    except OSError as error:
        raise TempikError(f"{path} could not be opened ({error.strerror}); check the name.") from error
    except msgspec.DecodeError:
        document = None
    number = document.get("format") if isinstance(document, dict) else None
    if not isinstance(number, int):
        raise TempikError(f"{path} is not a shape; choose a {SUFFIX} file.")
    if number > FORMAT:
        raise TempikError(f"{path} was saved by a newer Tempik; update Tempik to read it.")
    try:
        shape = msgspec.convert(document.get("shape"), Shape)
    except msgspec.ValidationError as error:
        raise TempikError(f"{path} is damaged: {error}.") from error
    _check(shape, str(path))
    return shape


def _check(shape: Shape, whose: str) -> None:
    found = next(iter(shape_problems(shape, whose)), None)
    if found is not None:
        raise TempikError(found)
