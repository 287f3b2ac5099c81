"""The ruler: bar.beat first, seconds or frames below."""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter

from tempik.desktop.timeline.axis import GUTTER, View
from tempik.desktop.timeline.background import FRAMES_SHOW_PX, RULER_H, spacing
from tempik.desktop.timeline.lane import Depends, Hit, LaneGesture, LaneView, PaintContext, Pointer, Series
from tempik.desktop.timeline.layout import Room
from tempik.desktop.timeline.snapping import point_near
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import draw_lines
from tempik.desktop.widgets.theme import figures, words
from tempik.reel import Reel
from tempik.time import frame_of, time_of
from tempik.timeline.timeline import Timeline


class RulerLaneView(LaneView):
    """Where one is: a press goes there, a drag along it looks through the reel."""

    order = 10
    key = "ruler"
    head = True

    @classmethod
    def of(cls, reel: Reel) -> list[LaneView]:
        return [cls()]

    def room(self) -> Room:
        return Room(RULER_H, RULER_H, RULER_H, gives=9)

    def depends(self, timeline: Timeline, ctx: PaintContext) -> Depends:
        beats = Series(timeline.beats, lambda point: (timeline.reel_s(point), timeline.reel_s(point)))
        return Depends((timeline.start_s,), (beats,))

    def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        p.fillRect(QRectF(0, 0, ctx.view.width, RULER_H), QColor(theme.RAISED))
        paint_ruler(p, ctx.timeline, ctx.view)

    def paint_name(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        p.setPen(QColor(theme.QUIET))
        p.setFont(words(12))
        p.drawText(QRectF(12, 4, GUTTER - 12, 18), Qt.AlignmentFlag.AlignVCenter, "bar.beat")
        unit = "frames" if ctx.frame_px() >= FRAMES_SHOW_PX else "seconds"
        p.drawText(QRectF(12, 21, GUTTER - 12, 16), Qt.AlignmentFlag.AlignVCenter, unit)

    def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
        if pos.y() >= RULER_H or pos.x() < GUTTER:
            return None
        return Hit(press=lambda at: SeekGesture(ctx, at))

    def spoken(self, ctx: PaintContext) -> str:
        timeline = ctx.timeline
        beat = timeline.beat_at(ctx.project.playhead.frame)
        where = f"bar and beat {beat.label}, " if beat is not None else ""
        return f"Ruler: {where}frame {ctx.project.playhead.frame} of {timeline.frames}"

    @classmethod
    def words(cls) -> Sequence[tuple[str, str]]:
        return (
            ("wheel on the timeline", "zoom at the pointer"),
            ("Shift and wheel, or middle drag", "move along the reel"),
            ("wheel over the names of lanes, or Ctrl and wheel", "lanes further down, where not all fit"),
        )


class SeekGesture(LaneGesture):
    """The playhead goes with the pointer."""

    def __init__(self, ctx: PaintContext, at: Pointer) -> None:
        super().__init__()
        self.drag(ctx, at)

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        timeline = ctx.timeline
        # Near a point the playhead goes to it; that is where one wants to look.
        point = point_near(timeline, ctx.view, at.pos.x(), 5)
        time_s = timeline.reel_s(point) if point is not None else ctx.view.time(at.pos.x())
        ctx.project.playhead.go(frame_of(max(0.0, time_s), timeline.rate))


def paint_ruler(p: QPainter, timeline: Timeline, view: View) -> None:
    """bar.beat first; seconds below, and frame numbers once a frame is wide enough to read."""
    points = timeline.beats
    first = bisect_left(points, view.time(GUTTER - 40) + timeline.start_s, key=lambda q: q.time_s)
    end = bisect_right(points, view.time(view.width + 40) + timeline.start_s, key=lambda q: q.time_s)
    bar_px = spacing([q for q in points if q.beat == 1], timeline, view)
    step = next((s for s in (1, 2, 4, 8, 16, 32) if bar_px * s >= 46), 64)
    beat_px = spacing(points, timeline, view)
    ticks: dict[bool, list[float]] = {True: [], False: []}
    for point in points[first:end]:
        x = view.x(timeline.reel_s(point))
        ticks[point.beat == 1].append(x)
        if point.beat == 1:
            if (point.bar - 1) % step == 0:
                p.setPen(QColor(theme.TEXT))
                p.setFont(figures(13, True))
                p.drawText(QPointF(x + 4, 17), str(point.bar))
        elif beat_px >= 46:
            p.setPen(QColor(theme.QUIET))
            p.setFont(figures(12))
            p.drawText(QPointF(x + 4, 17), point.label)
    for on_one, xs in ticks.items():
        top, alpha = (4, 0.8) if on_one else (10, 0.35)
        draw_lines(p, QRectF(GUTTER, top, view.room, 20 - top), xs, [alpha] * len(xs), QColor(theme.RHYTHM))
    p.setFont(figures(12))
    frame_px = view.px_per_s / float(timeline.rate)
    p.setPen(QColor(theme.QUIET))
    if frame_px >= FRAMES_SHOW_PX:
        _paint_frames(p, timeline, view, frame_px)
    else:
        second = next((s for s in (0.5, 1, 2, 5, 10, 20, 30, 60) if s * view.px_per_s >= 58), 120)
        k = max(0, math.floor(view.start_s / second))
        while k * second <= view.end_s:
            x = view.x(k * second)
            p.drawLine(QPointF(x, 24), QPointF(x, 28))
            p.drawText(QPointF(x + 4, 35), f"{k * second:g}")
            k += 1


def _paint_frames(p: QPainter, timeline: Timeline, view: View, frame_px: float) -> None:
    every = next((s for s in (1, 2, 5, 10, 15, 30) if s * frame_px >= 48), 60)
    first = max(0, int(view.start_s * float(timeline.rate)))
    last = min(timeline.frames, int(view.end_s * float(timeline.rate)) + 1)
    for k in range(first, last + 1):
        x = view.x(time_of(k, timeline.rate))
        p.drawLine(QPointF(x, 24 if k % every == 0 else 27), QPointF(x, 29))
        if k % every == 0:
            p.drawText(QPointF(x + 3, 38), f"f{k}")
