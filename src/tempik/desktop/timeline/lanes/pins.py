"""Pins: a stitch from each point down to the cue that is tied to it."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from tempik.desktop.session.gesture import Gesture
from tempik.desktop.timeline.axis import GUTTER, View, clips_in_view
from tempik.desktop.timeline.lane import (
    Depends,
    Hit,
    LaneGesture,
    LaneLayout,
    OverLaneView,
    PaintContext,
    Pointer,
    Series,
)
from tempik.desktop.timeline.lanes.clip_painting import HEAD_H, SLIVER_PX
from tempik.desktop.timeline.lanes.cues import cue_bottom, foot_of_cues, free_cues
from tempik.desktop.timeline.lanes.points import SIGNS_H, points_top
from tempik.desktop.timeline.snapping import frame_x, point_near
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import draw_lines, paint_cue
from tempik.edit.clips import pins
from tempik.reel import by_id
from tempik.time import time_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline

REACH_PX = 8


class PinsLaneView(OverLaneView):
    """Lies over all lanes: stitches and the triangles of cues, dragged from point to point."""

    order = 50
    key = "pins"

    def depends(self, timeline: Timeline, ctx: PaintContext) -> Depends:
        rate, chosen = float(timeline.rate), ctx.project.selection.clip_ids

        def marks(placed: PlacedClip) -> tuple[object, ...]:
            return tuple(free_cues(timeline, placed))

        clips = [
            (q.first, q.end, q.clip.track, tuple(t.frame for t in q.ties), marks(q) if q.clip.id in chosen else ())
            for q in timeline.everything
        ]
        return Depends((), (Series(clips, lambda q: (q[0] / rate, q[1] / rate), through=True),))

    def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        if ctx.within is not None and ctx.within.top() > ctx.layout.pictures_end:
            return
        paint_pins(p, ctx.timeline, ctx.view, ctx.layout, ctx.project.selection.clip_ids)

    def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
        found = _near(ctx, pos)
        if found is None:
            return None
        placed, cue = found
        return Hit(
            Qt.CursorShape.PointingHandCursor,
            tip=lambda: "Drag to another point: the cue lands there.",
            press=lambda at: PinGesture(ctx, placed, cue),
        )

    def spoken(self, ctx: PaintContext) -> str:
        return f"Pins: {sum(len(q.ties) for q in ctx.timeline.placed)} cues tied to points"

    @classmethod
    def words(cls) -> Sequence[tuple[str, str]]:
        return (("drag a pin's stitch or a cue's triangle", "pin the cue to another point"),)


class PinGesture(LaneGesture):
    """A cue goes to the point nearest to the pointer."""

    def __init__(self, ctx: PaintContext, placed: PlacedClip, cue: str) -> None:
        super().__init__()
        self.gesture = Gesture(ctx.project)
        self.clip, self.cue = placed.clip.id, cue
        if self.clip not in ctx.project.selection.clip_ids:
            ctx.project.selection.select_clip(self.clip)

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        nearest = point_near(ctx.timeline, ctx.view, at.pos.x())
        clip = by_id(ctx.project.reel.clips, self.clip)
        if nearest is None or clip is None:
            return
        frame = ctx.timeline.frame_of_point(nearest)
        if any(q.cue == self.cue for q in clip.pins):
            self.gesture.show(lambda reel: pins.with_moved_pin(reel, self.clip, self.cue, nearest.id))
        else:
            self.gesture.show(lambda reel: pins.with_pin(reel, self.clip, self.cue, nearest.id, also=True))
        self.text = f"cue on point {nearest.label}, frame {frame}"
        placed = ctx.timeline.placed_clip(self.clip)
        lacks = pins.trouble(ctx.timeline, placed) if placed is not None else ""
        if lacks:
            self.text += f" · {lacks}"

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        self.gesture.settle("Cue pinned to another point")
        if self.text:
            ctx.asks.settled_clip.emit(self.clip)

    def drop(self) -> None:
        self.gesture.drop()


def _near(ctx: PaintContext, pos: QPointF) -> tuple[PlacedClip, str] | None:
    """Return the clip and cue whose stitch or triangle lies under the pointer."""
    timeline, layout, chosen = ctx.timeline, ctx.layout, ctx.project.selection.clip_ids
    if pos.x() < GUTTER or not points_top() + SIGNS_H <= pos.y() < layout.pictures_end:
        return None
    rate = float(timeline.rate)
    first, end = (ctx.view.time(pos.x() + by) * rate for by in (-REACH_PX, REACH_PX))
    for placed in clips_in_view(timeline, ctx.view):
        if placed.end < first or placed.first > end:
            continue
        bottom = cue_bottom(layout, placed)
        over = pos.y() >= layout.picture_top(placed.clip.track) or placed.clip.id in chosen
        for tie in placed.ties:
            reach = REACH_PX if abs(pos.y() - bottom + 6) < 14 else 4
            near = abs(frame_x(ctx.view, timeline, tie.frame) - pos.x()) <= reach
            if near and over and pos.y() <= bottom + 4:
                return placed, tie.cue
        if placed.clip.id in chosen and bottom - 14 <= pos.y() <= bottom + 2:
            for cue, frame in free_cues(timeline, placed):
                if abs(ctx.view.x(frame / rate) - pos.x()) <= REACH_PX:
                    return placed, cue
    return None


def paint_pins(p: QPainter, timeline: Timeline, view: View, layout: LaneLayout, selected: frozenset[str]) -> None:
    """A stitch from each point down to the cue that is tied to it; a selected clip's runs up to its point, and its
    cues that are tied to nothing show as open triangles."""
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    specks: dict[int, list[int]] = {}
    foot = [foot_of_cues(layout, track) for track in range(len(timeline.own_tracks))]
    sliver = SLIVER_PX * float(timeline.rate) / view.px_per_s
    for placed in clips_in_view(timeline, view):
        bottom = foot[placed.clip.track]
        whole = placed.clip.id in selected
        if placed.end - placed.first < sliver and not whole:
            if placed.ties:
                specks.setdefault(placed.clip.track, []).append(placed.ties[0].frame)
            continue
        for tie in placed.ties:
            x = view.x(time_of(tie.frame, timeline.rate))
            if GUTTER <= x <= view.width:
                p.setPen(QPen(QColor(theme.CUE), 1.6, Qt.PenStyle.DashLine))
                top = points_top() + 16 if whole else layout.picture_top(placed.clip.track) + HEAD_H
                p.drawLine(QPointF(x, top), QPointF(x, bottom - 8))
                paint_cue(p, x, bottom)
        if whole:
            for _, frame in free_cues(timeline, placed):
                x = view.x(frame / float(timeline.rate))
                if GUTTER <= x <= view.width:
                    paint_cue(p, x, bottom, 5.0, filled=False)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    frame_px, zero = view.px_per_s / float(timeline.rate), view.x(0.0)
    for track, frames in specks.items():
        row = QRectF(GUTTER, foot[track] - 4, view.room, 2)
        draw_lines(p, row, [zero + f * frame_px for f in frames], [1.0] * len(frames), QColor(theme.CUE), 2)
