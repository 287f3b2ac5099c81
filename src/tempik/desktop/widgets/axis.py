"""The time axis that views share: which stretch of time is on screen, how wide a second is, and where an instant lies."""

from __future__ import annotations

from typing import NamedTuple


class Axis(NamedTuple):
    """`start_s` stands at `left` pixels, a second is `px_per_s` wide, the view ends at `width` pixels."""

    start_s: float
    px_per_s: float
    width: int
    left: int = 0

    def x(self, time_s: float) -> float:
        """Return the x of a second."""
        return self.left + (time_s - self.start_s) * self.px_per_s

    def time(self, x: float) -> float:
        """Return the second at an x."""
        return self.start_s + (x - self.left) / self.px_per_s

    @property
    def end_s(self) -> float:
        """The second at the right end."""
        return self.time(self.width)

    @property
    def room(self) -> int:
        """Pixels from `left` to the view's end."""
        return self.width - self.left

    def zoomed(self, factor: float, x: float, least: float, most: float) -> Axis:
        """Return the axis scaled about the instant under `x`, within scales in pixels a second."""
        held = self.time(x)
        scale = min(max(self.px_per_s * factor, min(least, most)), most)
        return self._replace(start_s=held - (x - self.left) / scale, px_per_s=scale)

    def kept(self, length_s: float, air_px: float = 0.0) -> Axis:
        """Return the axis moved so that what lasts `length_s` stays in view, with so much air before and after it: a sign on the very
        first instant is seen whole."""
        earliest = -air_px / self.px_per_s
        latest = max(earliest, length_s - (self.room - air_px) / self.px_per_s)
        return self._replace(start_s=min(max(self.start_s, earliest), latest))

    def fitting(self, length_s: float, air_px: float) -> float:
        """Return how many pixels wide a second is where all of `length_s` is in view with air before and after it."""
        return max(self.room - 2 * air_px, 1.0) / max(length_s, 0.5)
