"""The time map of a clip: reel seconds within the slot to source seconds, exactly, and back."""

from __future__ import annotations

import sys
from bisect import bisect_right
from collections.abc import Sequence
from functools import cached_property

import numpy as np
from numpy.polynomial import polynomial as poly
from numpy.typing import NDArray

from tempik.reel import Curve
from tempik.retime.curve import RISE, area_at, is_straight, parameter, segments, speed_on, speed_within

Array = NDArray[np.float64]
Times = Array | float | Sequence[float]


class TimeMap:
    """`source(t) = start_s + conform_ratio · ∫ speed` over a slot of `length_s`.

    `part` is the stretch of the curve, in its shares, that the slot shows. `conform_ratio` is how many seconds of the file pass
    in a second as filmed. Before and after the curve the end speeds go on, so a cue just outside a trimmed slot has an
    instant too.
    """

    def __init__(
        self,
        curve: Curve,
        length_s: float,
        start_s: float = 0.0,
        part: tuple[float, float] = (0.0, 1.0),
        conform_ratio: float = 1.0,
    ) -> None:
        if length_s <= 0:
            raise ValueError(f"a slot of {length_s} s has no time map")
        self.length_s = length_s
        self.start_s = start_s
        self.curve = curve
        self.part = part
        self.conform_ratio = conform_ratio
        # Most clips play at one speed: nothing has to be integrated for them.
        self._even = curve.nodes[0].speed if len(curve.nodes) == 1 else None
        if self._even is not None:
            self._parts, self._whole_s, self._skipped = [], length_s / (part[1] - part[0]), 0.0
            self.average_speed = self._even
            return
        self._parts = segments(curve)
        areas = [float(poly.polyval(1.0, p.area)) for p in self._parts]
        self._before = np.concatenate([[0.0], np.cumsum(areas)])
        self._starts = np.array([p.start for p in self._parts])
        # Seconds that the whole curve would take: the part's length by its share of it.
        self._whole_s = length_s / (part[1] - part[0])
        first, last = self._area(np.array(part))
        self._skipped = float(first)
        self.average_speed = float(last - first) / (part[1] - part[0])

    @property
    def end_s(self) -> float:
        """The source instant at the end of the slot."""
        return self.start_s + self.average_speed * self.length_s * self.conform_ratio

    @cached_property
    def slowest(self) -> float:
        """The least size of speed over the slot, as told from 65 instants of it; 0 where it passes through zero."""
        if any(p.v0 * p.v1 < 0 for p in self._parts):
            return 0.0
        return float(np.abs(self.speed(np.linspace(0, self.length_s, 65))).min())

    def share(self, time_s: Times) -> Array:
        """Return the shares of the curve at slot seconds."""
        return self.part[0] + np.atleast_1d(np.asarray(time_s, dtype=np.float64)) / self._whole_s

    def source(self, time_s: Times) -> Array:
        """Return source seconds at slot seconds, as a 1-D array."""
        if self._even is not None:
            at = np.atleast_1d(np.asarray(time_s, dtype=np.float64))
            return np.asarray(self.start_s + self._even * self.conform_ratio * at, dtype=np.float64)
        return self.start_s + (self._area(self.share(time_s)) - self._skipped) * self._whole_s * self.conform_ratio

    def _area(self, share: Array) -> Array:
        """Return the integral of speed over shares of the curve, from its beginning."""
        inside = np.clip(share, 0.0, 1.0)
        out = np.empty_like(share)
        which = np.clip(np.searchsorted(self._starts, inside, side="right") - 1, 0, len(self._parts) - 1)
        for i, part in enumerate(self._parts):
            here = which == i
            if not here.any():
                continue
            x = np.clip((inside[here] - part.start) / part.width, 0.0, 1.0)
            if part.v0 == part.v1:
                area = part.v0 * part.width * x
            elif is_straight(part):
                area = part.width * x * (part.v0 + (part.v1 - part.v0) * x / 2)
            else:
                area = poly.polyval(parameter(x, part), part.area)
            out[here] = self._before[i] + area
        end_speeds = np.where(share < 0, self._parts[0].v0, self._parts[-1].v1)
        return np.asarray(out + (share - inside) * end_speeds, dtype=np.float64)

    def source_at(self, time_s: float) -> float:
        """Return source seconds at one instant of the slot."""
        if self._even is not None:
            return self.start_s + self._even * self.conform_ratio * time_s
        return (
            self.start_s + (self._area_at(self._share_at(time_s)) - self._skipped) * self._whole_s * self.conform_ratio
        )

    def _share_at(self, time_s: float) -> float:
        return self.part[0] + time_s / self._whole_s

    def _area_at(self, share: float) -> float:
        """Return `_area` at one share."""
        if share < 0:
            return share * self._parts[0].v0
        if share > 1:
            return float(self._before[-1]) + (share - 1) * self._parts[-1].v1
        number = self._part_at(share)
        part = self._parts[number]
        return float(self._before[number]) + area_at(min(max((share - part.start) / part.width, 0.0), 1.0), part)

    def _part_at(self, share: float) -> int:
        return max(bisect_right(self._parts, share, key=lambda p: p.start) - 1, 0)

    def _speed_at(self, time_s: float) -> float:
        """Return `speed` at one instant."""
        if self._even is not None:
            return self._even
        share = self._share_at(time_s)
        part = self._parts[self._part_at(share)]
        return speed_within(min(max((share - part.start) / part.width, 0.0), 1.0), part)

    def speed(self, time_s: Times) -> Array:
        """Return the speed at slot seconds."""
        if self._even is not None:
            return np.full(np.atleast_1d(np.asarray(time_s)).shape, self._even)
        return speed_on(self._parts, self.share(time_s))

    def turns(self) -> list[float]:
        """Return the instants inside the slot where the direction changes, so that between them it is monotone."""
        shares = []
        for i, part in enumerate(self._parts):
            if i and self._parts[i - 1].v1 * part.v0 <= 0:
                shares.append(part.start)
            if part.v0 * part.v1 < 0:
                wanted = part.v0 / (part.v0 - part.v1)
                u = parameter(np.array([wanted]), part._replace(x=RISE))[0]
                shares.append(part.start + part.width * float(poly.polyval(u, part.x)))
        times = [(share - self.part[0]) * self._whole_s for share in shares]
        return [t for t in times if 0 < t < self.length_s]

    def when(self, source_s: float) -> list[float]:
        """Return every instant of the slot at which `source_s` is on screen, in order (none: an empty list).

        A monotone stretch is inverted by bracketing; where the picture stands still on it, the first instant counts.
        """
        edges = [0.0, *self.turns(), self.length_s]
        found: list[float] = []
        for a, b in zip(edges, edges[1:], strict=False):
            at_a, at_b = self.source_at(a) - source_s, self.source_at(b) - source_s
            # Near an edge the map itself is rounded: an instant just inside may read a last bit beyond it.
            rounding = 64 * sys.float_info.epsilon * max(1.0, abs(source_s))
            if abs(at_a) <= rounding:
                root = a
            elif abs(at_b) <= rounding:
                root = b
            elif at_a * at_b < 0:
                root = self._root(source_s, a, b)
            else:
                continue
            if not found or abs(root - found[-1]) > 1e-9:
                found.append(root)
        return found

    def _root(self, source_s: float, a: float, b: float) -> float:
        """Return where the map passes `source_s` between two instants on either side of it, to rounding error.

        Newton's steps with the exact speed as slope, halving the bracket wherever one would leave it.
        """
        rising = self.source_at(b) > self.source_at(a)
        t = (a + b) / 2
        for _ in range(100):
            error = self.source_at(t) - source_s
            if error == 0.0:
                break
            if (error < 0) == rising:
                a = t
            else:
                b = t
            slope = self._speed_at(t) * self.conform_ratio
            step = t - error / slope if slope else a
            moved = step if a < step < b else (a + b) / 2
            if abs(moved - t) <= 1e-15 * max(1.0, abs(t)):
                break
            t = moved
        return t
