"""The points lane: the song in three bands and the points on it."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter

from tempik.desktop.session.gesture import Gesture
from tempik.desktop.session.song import Song
from tempik.desktop.song.wave import DIM_BANDS, paint_sign, wave_picture
from tempik.desktop.timeline.axis import GUTTER, View, points_in_view
from tempik.desktop.timeline.background import RULER_H, spacing
from tempik.desktop.timeline.lane import Depends, Hit, LaneGesture, LaneView, PaintContext, Pointer, Series
from tempik.desktop.timeline.layout import Room
from tempik.desktop.timeline.snapping import point_near
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import draw_lines
from tempik.desktop.widgets.theme import words
from tempik.edit.song import points
from tempik.reel import Point, Reel
from tempik.time import time_of
from tempik.timeline.timeline import Timeline

POINTS_H = 74
SIGNS_H = 20  # where the points' signs stand, above the wave
REACH_PX = 8


def points_top() -> int:
    """Return where the lane of points begins, in pixels from the top."""
    return RULER_H


class PointsLaneView(LaneView):
    """The song and its points: a sign is dragged to move its point, and all that is tied to it follows."""

    order = 20
    key = "points"
    head = True
    beneath = True

    @classmethod
    def of(cls, reel: Reel) -> list[LaneView]:
        return [cls()]

    def room(self) -> Room:
        return Room(POINTS_H, POINTS_H, 132, gives=9)

    def depends(self, timeline: Timeline, ctx: PaintContext) -> Depends:
        song = timeline.reel.soundtrack
        file = (song.path, song.length_s, song.start_s, song.pieces) if song is not None else ()
        # How points are drawn depends on how close they lie.
        sorts = (timeline.on_reel(), timeline.beats, [b for b in timeline.beats if b.beat == 1])
        crowds = tuple((len(points), spacing(points, timeline, ctx.view)) for points in sorts)

        def seen(point: Point) -> tuple[float, float]:
            return timeline.reel_s(point), timeline.reel_s(point)

        # Each point's line goes through all lanes.
        return Depends(
            (file, crowds), tuple(Series(p, seen, through=True) for p in (timeline.on_reel(), timeline.beats))
        )

    def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        view, timeline = ctx.view, ctx.timeline
        wave = QRectF(box.left(), box.top() + 18, box.width(), box.height() - 20)
        _paint_wave(p, timeline, view, ctx.song, wave)
        close = spacing(timeline.on_reel(), timeline, view)
        dots: list[float] = []
        for point in points_in_view(timeline, view):
            x = view.x(timeline.reel_s(point))
            if not GUTTER - REACH_PX <= x <= view.width + REACH_PX:
                continue  # of one beyond the edge a part may be seen; the names lie over the rest
            plain = close < 15 and point.kind in ("beat", "hand", "onset", "part")
            if (plain or close < 3) and point.kind != "drop":
                dots.append(x)
            else:
                paint_sign(p, x, box.top() + 9, point, 5.2)
        row = QRectF(GUTTER, box.top() + 8, view.room, 2)
        draw_lines(p, row, dots, [1.0] * len(dots), QColor(theme.RHYTHM), 2)

    def paint_hover(self, p: QPainter, ctx: PaintContext, box: QRectF, hover: str) -> None:
        point = ctx.timeline.point(hover)
        if point is not None:
            paint_sign(p, ctx.view.x(ctx.timeline.reel_s(point)), box.top() + 9, point, 6.5)

    def paint_name(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        p.setPen(QColor(theme.TEXT))
        p.setFont(words(13))
        p.drawText(QRectF(12, box.top(), GUTTER - 14, box.height()), Qt.AlignmentFlag.AlignVCenter, "points")

    def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
        if pos.x() < GUTTER or not box.top() <= pos.y() < box.bottom():
            return None
        point = point_near(ctx.timeline, ctx.view, pos.x(), REACH_PX)
        if point is None or pos.y() >= box.top() + SIGNS_H:
            return Hit(weak=True, double=lambda at: self._place(ctx, at))
        return Hit(
            Qt.CursorShape.SizeHorCursor,
            point.id,
            lambda: _tip(ctx, point),
            lambda at: PointGesture(ctx, point),
            lambda at: self._place(ctx, at),
        )

    @staticmethod
    def _place(ctx: PaintContext, at: Pointer) -> None:
        song_s = max(0.0, ctx.view.time(at.pos.x()) + ctx.timeline.start_s)
        ctx.project.change("Point placed by hand", lambda reel: points.with_point(reel, song_s))

    def spoken(self, ctx: PaintContext) -> str:
        return f"Points: {len(ctx.timeline.on_reel())} on the reel"

    @classmethod
    def words(cls) -> Sequence[tuple[str, str]]:
        return (
            ("drag a point's diamond", "move the point; what is tied to it follows"),
            ("double click among the points", "place a point by hand"),
        )


class PointGesture(LaneGesture):
    """A point is moved; its frame and how far it went are shown."""

    def __init__(self, ctx: PaintContext, point: Point) -> None:
        super().__init__()
        self.gesture = Gesture(ctx.project)
        self.point, self.was = point.id, point.time_s
        ctx.project.selection.select_points({point.id})

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        time_s = self.was + at.moved.x() / ctx.view.px_per_s
        if self.gesture.show(lambda reel: points.with_moved_point(reel, self.point, time_s)):
            point = ctx.timeline.point(self.point)
            if point is not None:
                frame = ctx.timeline.frame_of_point(point)
                self.text = f"point {point.label}: frame {frame}, {(time_s - self.was) * 1000:+.1f} ms"

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        self.gesture.settle("Point moved")

    def drop(self) -> None:
        self.gesture.drop()


def _tip(ctx: PaintContext, point: Point) -> str:
    timeline = ctx.timeline
    frame = timeline.frame_of_point(point)
    off = (time_of(frame, timeline.rate) - timeline.reel_s(point)) * 1000
    return (
        f"{point.label} · frame {frame} ({off:+.1f} ms) · strength {point.strength:.2f}\n"
        "Drag to move; all that is tied to it follows."
    )


def _paint_wave(p: QPainter, timeline: Timeline, view: View, song: Song, box: QRectF) -> None:
    start = timeline.start_s + view.start_s
    made = wave_picture(
        song, start, view.px_per_s, (int(box.width()), int(box.height())), DIM_BANDS, p.device().devicePixelRatioF()
    )
    if made is not None:
        p.drawPixmap(box.topLeft(), made)
    elif timeline.reel.soundtrack is not None:
        p.setPen(QColor(theme.QUIET))
        p.setFont(words(12))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, "reading the song …")
