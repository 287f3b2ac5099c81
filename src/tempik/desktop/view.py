"""Where things lie on the timeline: rows down, time across."""

from __future__ import annotations

from typing import NamedTuple

from tempik.edit.timeline import Timeline
from tempik.reel import Reel

GUTTER = 92
RULER_H = 40
POINTS_H = 74
PICTURE_H = 112
ROW_H = 38
GAP = 4
MAX_PX_PER_FRAME = 48.0


class View(NamedTuple):
    """The stretch of the reel that is on screen: `start_s` at the gutter's edge, `px_per_s` wide a second."""

    start_s: float
    px_per_s: float
    width: int

    def x(self, time_s: float) -> float:
        return GUTTER + (time_s - self.start_s) * self.px_per_s

    def time(self, x: float) -> float:
        return self.start_s + (x - GUTTER) / self.px_per_s

    @property
    def end_s(self) -> float:
        return self.time(self.width)

    def fitted(self, length_s: float) -> View:
        """Return the view that shows the whole reel with a little air after it."""
        return View(0.0, max(1.0, (self.width - GUTTER - 12) / max(length_s, 0.5)), self.width)

    def zoomed(self, factor: float, x: float, timeline: Timeline) -> View:
        """Return the view scaled about the instant under `x`, from the whole reel to single frames."""
        least = (self.width - GUTTER - 12) / max(timeline.frames / float(timeline.rate), 0.5) * 0.9
        most = MAX_PX_PER_FRAME * float(timeline.rate)
        scale = min(max(self.px_per_s * factor, min(least, most)), most)
        held = self.time(x)
        return View(held - (x - GUTTER) / scale, scale, self.width).kept_on(timeline)

    def panned(self, pixels: float, timeline: Timeline) -> View:
        return self._replace(start_s=self.start_s + pixels / self.px_per_s).kept_on(timeline)

    def kept_on(self, timeline: Timeline) -> View:
        """Return the view moved so that the reel stays in it."""
        length_s = timeline.frames / float(timeline.rate)
        span = (self.width - GUTTER) / self.px_per_s
        latest = max(0.0, length_s - span + 12 / self.px_per_s)
        return self._replace(start_s=min(max(self.start_s, 0.0), latest))


def points_top() -> int:
    return RULER_H


ROWS_TOP = RULER_H + POINTS_H + GAP
LEAST_PICTURE_H = 46
LEAST_ROW_H = 20


class Layout(NamedTuple):
    """What lies how far down: points, picture rows with the highest on top, accent rows. Where they do not all fit,
    `scroll` pixels of the rows have gone up under the points."""

    rows: int = 1
    picture_h: int = PICTURE_H
    row_h: int = ROW_H
    scroll: int = 0
    hidden: int = 0  # pixels of rows that do not fit

    def picture_top(self, row: int = 0) -> int:
        return ROWS_TOP - self.scroll + (self.rows - 1 - row) * (self.picture_h + GAP)

    @property
    def pictures_end(self) -> int:
        return self.picture_top(0) + self.picture_h

    def row_top(self, number: int) -> int:
        """Return the top of an accent row."""
        return self.pictures_end + GAP + number * (self.row_h + GAP)

    def picture_row_at(self, y: float) -> int | None:
        """Return the picture row at a height, or None."""
        if y < ROWS_TOP:
            return None
        for row in range(self.rows):
            if self.picture_top(row) <= y < self.picture_top(row) + self.picture_h:
                return row
        return None


def layout_for(reel: Reel, height: int, scroll: int = 0) -> Layout:
    """Return the layout of a reel in a widget of some height: picture rows share what the accent rows leave, and where
    that is too little the accent rows get lower, and then all rows scroll."""
    rows, accents = len(reel.picture), len(reel.rows)
    room = height - RULER_H - POINTS_H - GAP - 6
    each = (room - accents * (ROW_H + GAP)) // rows - GAP
    row_h = ROW_H
    if each < LEAST_PICTURE_H and accents:
        each = LEAST_PICTURE_H
        row_h = min(max((room - rows * (each + GAP)) // accents - GAP, LEAST_ROW_H), ROW_H)
    whole = Layout(rows, int(min(max(each, LEAST_PICTURE_H), PICTURE_H)), int(row_h))
    hidden = max(0, whole.row_top(accents) - height)
    return whole._replace(scroll=min(max(scroll, 0), hidden), hidden=hidden)
