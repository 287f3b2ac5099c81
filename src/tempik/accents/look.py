"""What accents do to one frame, all together: one affine, folded tones, and whatever neither can express.

Lengths in the picture are shares of the frame's width, so that a reel keeps its look at any size. An affine's origin is
the frame's middle; across to the right and down are positive, turns are clockwise.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from tempik.media import Picture

Affine = tuple[float, float, float, float, float, float]
Array = NDArray[np.float64]
IDENTITY: Affine = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)

# The order in which pictures are changed: geometry, then blur, then colour, then what lies over it.
LENS, BLOCKS, BLUR, SPLIT, WASH, SHADE = range(6)


class BentTone(NamedTuple):
    """A change of tone: what becomes of Y (0 to 255), and of chroma about its middle (a 2 × 2 matrix, then an offset)."""

    y: Callable[[Array], Array]
    chroma: tuple[tuple[float, float], tuple[float, float]] = ((1.0, 0.0), (0.0, 1.0))
    offset: tuple[float, float] = (0.0, 0.0)


class Tone(NamedTuple):
    """A change of tone as data: a function of `args` gives it, so that equal tones are equal."""

    make: Callable[..., BentTone]
    args: tuple[float | str, ...]


class Effect(NamedTuple):
    """A change of the picture that is neither a movement nor a tone: `paint(picture, *args)`, at a stage of the order."""

    stage: int
    paint: Callable[..., Picture]
    args: tuple[Any, ...]


class Echo(NamedTuple):
    """Earlier frames laid over this one: how many, how many frames apart, and how strongly the nearest shows."""

    number: int
    apart: int
    strength: float


class Look(NamedTuple):
    """What accents do to one frame. `freeze` is the frame whose picture stands in for this one's."""

    move: Affine = IDENTITY
    tones: tuple[Tone, ...] = ()
    effects: tuple[Effect, ...] = ()
    freeze: int | None = None
    echo: Echo | None = None

    def moved(self, move: Affine) -> Look:
        """Return the look with one more movement, after those that it has."""
        return self._replace(move=times(move, self.move))

    def toned(self, make: Callable[..., BentTone], *args: float | str) -> Look:
        """Return the look with one more change of tone."""
        return self._replace(tones=(*self.tones, Tone(make, args)))

    def painted(self, stage: int, paint: Callable[..., Picture], *args: Any) -> Look:
        """Return the look with one more effect: `paint(picture, *args)`, at a stage."""
        return self._replace(effects=(*self.effects, Effect(stage, paint, args)))

    @property
    def scale(self) -> float:
        """How much larger things are shown."""
        return math.sqrt(abs(self.move[0] * self.move[4] - self.move[1] * self.move[3]))

    @property
    def shift(self) -> tuple[float, float]:
        """Where the frame's middle has gone."""
        return self.move[2], self.move[5]


def times(a: Affine, b: Affine) -> Affine:
    """Return the affine that does `b`, then `a`."""
    return (
        a[0] * b[0] + a[1] * b[3],
        a[0] * b[1] + a[1] * b[4],
        a[0] * b[2] + a[1] * b[5] + a[2],
        a[3] * b[0] + a[4] * b[3],
        a[3] * b[1] + a[4] * b[4],
        a[3] * b[2] + a[4] * b[5] + a[5],
    )


def about(x: float, y: float, scale: float = 1.0, turn_deg: float = 0.0) -> Affine:
    """Return the affine that scales and turns about a place."""
    c, s = math.cos(math.radians(turn_deg)) * scale, math.sin(math.radians(turn_deg)) * scale
    return (c, -s, x - c * x + s * y, s, c, y - s * x - c * y)


def shifted(x: float, y: float) -> Affine:
    """Return the affine that shifts by shares of the frame's width."""
    return (1.0, 0.0, x, 0.0, 1.0, y)


class Folded(NamedTuple):
    """Tones folded into one: a table for Y, and for chroma a matrix about its middle with an offset. `tables` are the
    same for each chroma plane where they do not mix."""

    y: NDArray[np.uint8]
    matrix: Array
    offset: Array
    tables: tuple[NDArray[np.uint8], NDArray[np.uint8]] | None
    plain_y: bool
    plain_chroma: bool


@lru_cache(512)
def folded(tones: tuple[Tone, ...]) -> Folded:
    """Return all tones as one."""
    y = np.arange(256, dtype=np.float64)
    matrix, offset = np.eye(2), np.zeros(2)
    for tone in tones:
        bent = tone.make(*tone.args)
        y = bent.y(y)
        turn = np.array(bent.chroma)
        matrix, offset = turn @ matrix, turn @ offset + np.array(bent.offset)
    table = np.clip(np.round(y), 0, 255).astype(np.uint8)
    mixes = bool(abs(matrix[0, 1]) > 1e-9 or abs(matrix[1, 0]) > 1e-9)
    tables: tuple[NDArray[np.uint8], NDArray[np.uint8]] | None = None
    if not mixes:
        about_middle = np.arange(256, dtype=np.float64) - 128
        first, second = (
            np.clip(np.round(about_middle * matrix[i, i] + offset[i] + 128), 0, 255).astype(np.uint8) for i in (0, 1)
        )
        tables = (first, second)
    plain_chroma = bool(np.allclose(matrix, np.eye(2)) and np.allclose(offset, 0))
    plain_y = bool((table == np.arange(256)).all())
    return Folded(table, matrix, offset, tables, plain_y, plain_chroma)
