"""The stretch of time that is in view, and what of the reel lies in it."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence

from tempik.desktop.widgets.axis import Axis
from tempik.reel import Point
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline

GUTTER = 92  # the names of the lanes
AIR_PX = 12  # before the reel and after it
MAX_PX_PER_FRAME = 48.0


class View(Axis):
    """The stretch of the reel that is on screen."""

    @staticmethod
    def of(start_s: float, px_per_s: float, width: int) -> View:
        """Return the view of a timeline so many pixels wide, its names included."""
        return View(start_s, px_per_s, width, GUTTER)

    def fitted(self, length_s: float) -> View:
        """Return the view that shows the whole reel with a little air about it."""
        scale = max(1.0, self.fitting(length_s, AIR_PX))
        return View.of(-AIR_PX / scale, scale, self.width)

    def scaled(self, factor: float, x: float, timeline: Timeline) -> View:
        """Return the view scaled about the instant under `x`, from the whole reel to single frames."""
        least = self.fitting(_length_s(timeline), AIR_PX) * 0.9
        return View(*self.zoomed(factor, x, least, MAX_PX_PER_FRAME * float(timeline.rate))).kept_on(timeline)

    def panned(self, pixels: float, timeline: Timeline) -> View:
        """Return the view moved along by whole pixels."""
        return self._replace(start_s=self.start_s + round(pixels) / self.px_per_s).kept_on(timeline)

    def kept_on(self, timeline: Timeline) -> View:
        """Return the view moved so that the reel stays in it."""
        return View(*self.kept(_length_s(timeline), AIR_PX))


def _length_s(timeline: Timeline) -> float:
    return timeline.frames / float(timeline.rate)


def points_in_view(timeline: Timeline, view: View) -> Sequence[Point]:
    """Return the points on the reel that lie in view, and one more to either side."""
    points, offset = timeline.on_reel(), timeline.start_s
    first = bisect_left(points, view.start_s + offset, key=lambda q: q.time_s)
    end = bisect_right(points, view.end_s + offset, key=lambda q: q.time_s)
    return points[max(0, first - 1) : end + 1]


def clips_in_view(timeline: Timeline, view: View, track: int | None = None) -> list[PlacedClip]:
    """Return the clips of one track, or of all, that lie in view."""
    first, end = view.start_s * float(timeline.rate), view.end_s * float(timeline.rate)
    out: list[PlacedClip] = []
    for lying in timeline.tracks if track is None else (timeline.tracks[track],):
        a = bisect_right(lying, first, key=lambda q: q.end)
        out += lying[a : bisect_left(lying, end, key=lambda q: q.first)]
    return out
