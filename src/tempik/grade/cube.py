"""LUT files: `.cube`, of one dimension or three, read and written."""

from __future__ import annotations

import math
import os
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.disk.reading import printable, read_whole
from tempik.disk.writing import write_whole
from tempik.errors import TempikError

Colours = NDArray[np.float32]
MOST_MB = 64  # a cube of 129 values a side takes some 60
SMALLEST, LARGEST, LARGEST_1D = 2, 129, 65_536
MOST_ROWS, MOST_LETTERS = LARGEST**3 + 100_000, 4_000_000  # of a file, and of a line of it


class Lut(NamedTuple):
    """A table of colours: of shape (n, 3) for each channel by itself, or (n, n, n, 3) indexed by blue, green, red; what lies
    between `low` and `high` of each channel is looked up, what lies beyond is held."""

    title: str
    values: Colours
    low: tuple[float, float, float]
    high: tuple[float, float, float]


def read_cube(path: Path) -> Lut:
    """Read a `.cube` file. Raises TempikError with what is wrong with it."""
    data = read_whole(path, MOST_MB)
    name, sizes = printable(str(path)), dict[str, int]()
    rows = data.count(b"\n") + data.count(b"\r")
    if rows > 2 * MOST_ROWS or max(map(len, data.split(b"\n", MOST_ROWS))) > MOST_LETTERS:
        raise TempikError(f"{name} has more or longer lines than a LUT of {LARGEST} values a side; get it again.")
    text = data.decode("utf-8", "replace")
    title, low, high = "", (0.0, 0.0, 0.0), (1.0, 1.0, 1.0)
    numbers: list[str] = []
    for count, line in enumerate(text.replace("\r", "\n").split("\n"), 1):
        line = line.strip().lstrip("\ufeff")
        if not line or line.startswith("#"):
            continue
        word = line.split(None, 1)[0].upper()
        if word[0] in "0123456789+-.":
            numbers.append(line)
            continue
        try:
            if word == "TITLE":
                title = line[5:].strip().strip('"')[:200]
            elif word in ("LUT_1D_SIZE", "LUT_3D_SIZE"):
                sizes[word] = int(line.split()[1])
            elif word in ("DOMAIN_MIN", "DOMAIN_MAX"):
                r, g, b = (float(v) for v in line.split()[1:4])
                low, high = ((r, g, b), high) if word == "DOMAIN_MIN" else (low, (r, g, b))
            elif word in ("LUT_1D_INPUT_RANGE", "LUT_3D_INPUT_RANGE"):
                a, z = (float(v) for v in line.split()[1:3])
                low, high = (a, a, a), (z, z, z)
            elif word in ("NAN", "INF", "-INF", "+INF"):
                numbers.append(line)
        except (ValueError, IndexError):
            raise TempikError(f"{name} is no LUT that can be read: line {count} has no value after {word}.") from None
    if len(sizes) != 1:
        message = "says no size" if not sizes else "has a table of one dimension and one of three"
        raise TempikError(f"{name} {message}; give a .cube file with LUT_1D_SIZE or LUT_3D_SIZE.")
    return Lut(title, _table(name, sizes, numbers), *_domain(name, low, high))


def _table(name: str, sizes: dict[str, int], lines: list[str]) -> Colours:
    word, size = next(iter(sizes.items()))
    most = LARGEST if word == "LUT_3D_SIZE" else LARGEST_1D
    if not SMALLEST <= size <= most:
        raise TempikError(f"{name} is a LUT of {size} values a side; it must be {SMALLEST} to {most}.")
    wanted = size**3 if word == "LUT_3D_SIZE" else size
    if len(lines) != wanted:
        raise TempikError(f"{name} has {len(lines)} colours and needs {wanted} for its size of {size}; get it again.")
    try:
        values = np.array(" ".join(lines).split(), dtype=np.float32)
    except ValueError:
        raise TempikError(f"{name} has a colour that is not three numbers; get it again.") from None
    if len(values) != 3 * wanted:
        raise TempikError(f"{name} has a colour that is not three numbers; get it again.")
    if not np.isfinite(values).all() or np.abs(values).max() > 1000:
        raise TempikError(f"{name} has a colour that is no number or beyond all light; get it again.")
    return values.reshape((size, size, size, 3) if word == "LUT_3D_SIZE" else (size, 3))


def is_cube(path: str) -> bool:
    """Tell whether a file is a LUT that can be read."""
    try:
        read_cube(Path(path))
    except TempikError:
        return False
    return True


Triple = tuple[float, float, float]


def _domain(name: str, low: Triple, high: Triple) -> tuple[Triple, Triple]:
    if not all(math.isfinite(v) for v in (*low, *high)) or any(b - a < 1e-6 for a, b in zip(low, high, strict=True)):
        raise TempikError(f"{name} has a domain that ends where it begins; get it again.")
    return low, high


def looked_up(lut: Lut, rgb: Colours) -> Colours:
    """Return what a LUT makes of colours, shape (n, 3): by tetrahedra within a cube, straight within a curve."""
    low, high = np.array(lut.low, np.float32), np.array(lut.high, np.float32)
    at = np.clip((rgb - low) / (high - low), 0, 1).astype(np.float32)
    if lut.values.ndim == 2:
        steps = np.linspace(0, 1, len(lut.values))
        return np.stack([np.interp(at[:, n], steps, lut.values[:, n]) for n in range(3)], axis=1).astype(np.float32)
    return _cube_function(_Held(lut.values))(at)


class _Held:
    """A table as a key: told by its identity, which frozen values keep."""

    def __init__(self, values: Colours) -> None:
        self.values = values

    def __hash__(self) -> int:
        return id(self.values)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Held) and other.values is self.values


@lru_cache(8)
def _cube_function(held: _Held) -> Callable[[Colours], Colours]:
    import PyOpenColorIO as ocio  # slow to load

    size = held.values.shape[0]
    table = ocio.Lut3DTransform(gridSize=size)
    # Its own order has blue fastest, the file's red.
    table.setData(np.ascontiguousarray(held.values.transpose(2, 1, 0, 3)).ravel())
    table.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    processor = ocio.Config.CreateRaw().getProcessor(table).getDefaultCPUProcessor()

    def of(rgb: Colours) -> Colours:
        out = np.ascontiguousarray(rgb, dtype=np.float32).copy()
        processor.apply(ocio.PackedImageDesc(out, len(out), 1, 3))
        return out

    return of


@lru_cache(8)
def _kept(path: str, state: tuple[int, int]) -> Lut:
    return read_cube(Path(path))


def lut_of(path: str) -> Lut:
    """Return the LUT of a file, read once for as long as the file stays as it is. Raises TempikError where it is not there or
    cannot be read."""
    try:
        found = os.stat(path)
    except (OSError, ValueError):
        raise TempikError(f"{printable(path)} is not there; say where the LUT is, or take it off.") from None
    return _kept(path, (found.st_size, found.st_mtime_ns))


def lut_at(path: str, rgb: Colours) -> Colours:
    """Return what the LUT of a file makes of colours, shape (n, 3)."""
    return looked_up(lut_of(path), rgb)


def written_cube(function: Callable[[Colours], Colours], path: Path, title: str, size: int = 33) -> None:
    """Write what a function makes of colours as a `.cube` of three dimensions. Raises TempikError where it cannot be."""
    if not SMALLEST <= size <= LARGEST:
        raise TempikError(f"A cube has {SMALLEST} to {LARGEST} values a side, not {size}.")
    steps = np.linspace(0, 1, size, dtype=np.float32)
    blue, green, red = np.meshgrid(steps, steps, steps, indexing="ij")
    made = function(np.stack([red.ravel(), green.ravel(), blue.ravel()], axis=1))
    plain = "".join(c for c in title if c.isprintable() and c != '"')[:100]
    lines = [f'TITLE "{plain}"', f"LUT_3D_SIZE {size}", "DOMAIN_MIN 0 0 0", "DOMAIN_MAX 1 1 1"]
    lines += [f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in made.tolist()]
    write_whole(path, ("\n".join(lines) + "\n").encode())
