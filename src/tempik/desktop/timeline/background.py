"""What lies under and over all lanes: the ground, frames as steps, lines at the points, the playhead, where a drag snapped."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from tempik.desktop.timeline.axis import GUTTER, View, points_in_view
from tempik.desktop.timeline.lane import LaneLayout, PaintContext
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import draw_lines
from tempik.desktop.widgets.theme import colour, words
from tempik.reel import Point
from tempik.time import time_of
from tempik.timeline.timeline import Timeline

RULER_H = 40
FRAMES_SHOW_PX = 7  # a frame this wide can be told from its neighbours


def paint_background(p: QPainter, ctx: PaintContext) -> None:
    """The ground of all lanes, darker before the reel and past its end."""
    view, layout, timeline = ctx.view, ctx.layout, ctx.timeline
    p.fillRect(0, 0, view.width, ctx.height, QColor(theme.SUNK))
    for number, lane in enumerate(layout.lanes):
        if lane.key != "ruler" and layout.heights[number]:
            p.fillRect(layout.box(number, view.width), QColor(theme.GROUND))
    begin_x, end_x = view.x(0.0), view.x(time_of(timeline.frames, timeline.rate))
    if begin_x > GUTTER:
        p.fillRect(QRectF(GUTTER, RULER_H, begin_x - GUTTER, ctx.height), QColor(theme.SUNK))
    if end_x < view.width:
        p.fillRect(QRectF(max(end_x, GUTTER), RULER_H, view.width - end_x, ctx.height), QColor(theme.SUNK))


def paint_frame_steps(p: QPainter, timeline: Timeline, view: View, height: int) -> None:
    """Single frames as steps, when zoomed in far enough to see them."""
    frame_px = view.px_per_s / float(timeline.rate)
    if frame_px < FRAMES_SHOW_PX:
        return
    first = max(0, int(view.start_s * float(timeline.rate)))
    end = min(timeline.frames, int(view.end_s * float(timeline.rate)) + 1) + 1
    xs = [view.x(time_of(k, timeline.rate)) for k in range(first, end)]
    room = QRectF(GUTTER, RULER_H, view.room, height - RULER_H)
    draw_lines(p, room, xs, [min(1.0, frame_px / 24)] * len(xs), QColor(theme.LINE))


def spacing(points: Sequence[Point], timeline: Timeline, view: View) -> float:
    """Return how many pixels lie between points on the average."""
    if len(points) < 2:
        return view.width
    return (points[-1].time_s - points[0].time_s) / (len(points) - 1) * view.px_per_s


def paint_lines(p: QPainter, timeline: Timeline, view: View, height: int) -> None:
    """A thin line through every lane at each point; its weight follows its strength."""
    crowded = spacing(timeline.on_reel(), timeline, view) < 7
    points = [q for q in points_in_view(timeline, view) if not crowded or q.kind != "beat"]
    xs = [view.x(timeline.reel_s(q)) for q in points]
    alphas = [min(0.14 + 0.34 * q.strength + (0.12 if q.kind == "downbeat" else 0.0), 0.6) for q in points]
    top = RULER_H + 14
    draw_lines(p, QRectF(GUTTER, top, view.room, height - top), xs, alphas, QColor(theme.RHYTHM))


def paint_made_ahead(p: QPainter, timeline: Timeline, view: View, stretches: Sequence[tuple[int, int, bool]]) -> None:
    """A line along the ruler's foot over frames that are dear to make: whole where they are ready, dotted where not."""
    for first, end, ready in stretches:
        left, right = (view.x(time_of(k, timeline.rate)) for k in (first, end))
        left, right = max(left, GUTTER), min(max(right, left + 2), view.width)
        if right > left:
            pen = QPen(QColor(theme.GOOD if ready else theme.WARNING_TEXT), 2)
            if not ready:
                pen.setStyle(Qt.PenStyle.DotLine)
            p.setPen(pen)
            p.drawLine(QPointF(left, RULER_H - 1.5), QPointF(right, RULER_H - 1.5))


def paint_snap(p: QPainter, view: View, layout: LaneLayout, x: float, label: str) -> None:
    """Where a drag has snapped: a line through all lanes, and to what."""
    p.setPen(QPen(QColor(theme.RHYTHM), 2))
    p.drawLine(QPointF(x, RULER_H), QPointF(x, layout.pictures_end + 4))
    p.setFont(words(12))
    wide = p.fontMetrics().horizontalAdvance(label) + 12
    left = min(max(x - wide / 2, GUTTER), view.width - wide)
    p.fillRect(QRectF(left, RULER_H + 1, wide, 18), QColor(theme.RHYTHM))
    p.setPen(QColor(theme.SUNK))
    p.drawText(QRectF(left, RULER_H + 1, wide, 18), Qt.AlignmentFlag.AlignCenter, label)


def paint_playhead(p: QPainter, view: View, x: float, height: int) -> None:
    """White with a dark edge, readable over anything."""
    if not GUTTER <= x <= view.width:
        return
    p.setPen(QPen(QColor(0, 0, 0, 160), 3))
    p.drawLine(QPointF(x, 22), QPointF(x, height))
    p.setPen(QPen(QColor(theme.PLAYHEAD), 1.4))
    p.drawLine(QPointF(x, 22), QPointF(x, height))
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    p.setPen(QPen(QColor(0, 0, 0, 160), 1))
    p.setBrush(QColor(theme.PLAYHEAD))
    p.drawPolygon(QPolygonF([QPointF(x - 6, 21), QPointF(x + 6, 21), QPointF(x, 30)]))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def paint_dots(p: QPainter, top: float) -> None:
    """The sign that a lane's name opens its menu."""
    p.setPen(QPen(QColor(theme.QUIET), 2.2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    for dot in range(3):
        p.drawPoint(QPointF(GUTTER - 12, top + dot * 5))


def paint_scroll(p: QPainter, layout: LaneLayout, height: int) -> None:
    """A thin bar along the names: which of the lanes are shown. The wheel over the names moves it."""
    room = height - layout.head_end
    height_px = max(12.0, room * room / (room + layout.hidden))
    top = layout.head_end + (room - height_px) * layout.scroll / layout.hidden
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(theme.QUIET))
    p.drawRoundedRect(QRectF(3, top, 4, height_px), 2, 2)
    p.setBrush(Qt.BrushStyle.NoBrush)


def paint_beside(p: QPainter, pointer: QPointF, text: str, width: int, height: int) -> None:
    """What a drag does, beside the pointer."""
    p.setFont(words(12))
    wide = p.fontMetrics().horizontalAdvance(text) + 16
    height_px = p.fontMetrics().height() + 6
    x = min(max(pointer.x() + 14, GUTTER), width - wide - 6)
    y = min(max(pointer.y() + 18, RULER_H + 24), height - height_px - 6)
    box = QRectF(x, y, wide, height_px)
    p.setPen(QColor(theme.RHYTHM))
    p.setBrush(colour(theme.SUNK, 0.94))
    p.drawRoundedRect(box, 4, 4)
    p.setPen(QColor(theme.TEXT))
    p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
