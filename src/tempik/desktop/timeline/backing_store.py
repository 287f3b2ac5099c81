"""The timeline's backing store: painted once, patched in the boxes that lanes say are others, painted anew along the stretch that goes
through all of them, moved along with what comes into view painted beside it, stretched while the scale changes from step to step and
then sharpened part by part."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

from PySide6.QtCore import QRect, QRectF
from PySide6.QtGui import QColor, QPainter, QPixmap
from PySide6.QtWidgets import QWidget

from tempik.desktop.timeline import background
from tempik.desktop.timeline.axis import GUTTER, View
from tempik.desktop.timeline.changes import changed_boxes, goes_through, stretch_of
from tempik.desktop.timeline.lane import PaintContext
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painted_layer, painter_on
from tempik.timeline.timeline import Timeline

# More changed clips than this are painted with everything else.
MOST_PATCHES = 8
# So far beyond a part's edges it is painted too: signs and words there reach into it.
MARGIN = 64
# What comes into view is painted beside the rest up to this share of the room; beyond it everything is.
MOST_NEW = 0.85
# A picture is stretched up to this much, or shrunk.
MOST_STRETCH = 6.0
# What was stretched is painted exactly in parts so wide: the window goes on between them.
PART_PX = 256


class _Painted(NamedTuple):
    """A picture and what it shows."""

    layer: QPixmap
    timeline: Timeline
    view: View
    seen: tuple[object, ...]


class BackingStore:
    """What stands on the timeline. What moves (playhead, pointer, drags) is painted over it."""

    def __init__(self) -> None:
        self._now: _Painted | None = None
        self._exact: _Painted | None = None  # the last that is not stretched
        self._blurred: list[tuple[int, int]] = []  # from x to x, what of the present one is stretched

    def forget(self) -> None:
        """Paint all of it the next time."""
        self._now = self._exact = None

    def shown(self, widget: QWidget, ctx: PaintContext, coarse: bool = False) -> QPixmap:
        """Return the picture, painted anew where something in it changed. `coarse`: the scale changes from step to step,
        and what was painted may be stretched."""
        now = self._now
        if now is not None and now.view == ctx.view:
            return now.layer
        ratio = widget.devicePixelRatioF()
        if now is not None and ratio == int(ratio) and now.view.width == ctx.view.width:
            if now.view.px_per_s == ctx.view.px_per_s:
                moved = _panned(now, ctx) if now is self._exact else None
            else:
                moved = _stretched(self._exact, ctx) if coarse and self._exact is not None else None
            if moved is not None:
                self._now = _Painted(moved, ctx.timeline, ctx.view, _seen(ctx))
                if now is self._exact and moved is now.layer:
                    self._exact = self._now
                else:
                    edges = [*range(GUTTER, ctx.view.width, PART_PX), ctx.view.width]
                    self._blurred = list(pairwise(edges))
                return moved
        layer = painted_layer(widget, lambda p: _paint(p, ctx))
        self._now = self._exact = _Painted(layer, ctx.timeline, ctx.view, _seen(ctx))
        return layer

    def sharpen(self, ctx: PaintContext, near: float) -> bool:
        """Paint a part of what is stretched exactly, what lies near an x first; return whether there is more of it."""
        now = self._now
        if now is None or now is self._exact or now.view != ctx.view or not self._blurred:
            return False
        part = min(self._blurred, key=lambda part: abs((part[0] + part[1]) / 2 - near))
        self._blurred.remove(part)
        _paint_part(now.layer, ctx, *part)
        if not self._blurred:
            self._exact = now
        return bool(self._blurred)

    def mended(self, ctx: PaintContext) -> list[QRectF] | None:
        """Paint anew what of a reel looks otherwise than in the picture, and return where that is; None: anywhere, nothing was
        painted."""
        now = self._now
        if now is None or now.view != ctx.view or now.seen != _seen(ctx):
            return None
        boxes = changed_boxes(now.timeline, ctx.timeline, ctx)
        if boxes is None:
            return None
        if len(boxes) > MOST_PATCHES or any(goes_through(box, ctx) for box in boxes):
            ratio = now.layer.devicePixelRatio()
            part = stretch_of(boxes, ctx.view, MOST_NEW) if ratio == int(ratio) else None
            if part is None:
                return None
            _paint_part(now.layer, ctx, *part)
            boxes = [QRectF(part[0], 0, part[1] - part[0], ctx.height)]
        else:
            for box in boxes:
                _patch(now.layer, ctx._replace(within=box), box)
        self._now = now._replace(timeline=ctx.timeline)
        self._exact = self._now if now is self._exact else self._exact
        return boxes


def _patch(layer: QPixmap, ctx: PaintContext, box: QRectF) -> None:
    """Paint one box anew."""
    with painter_on(layer) as p:
        below = QRectF(0, ctx.layout.head_end, ctx.view.width, ctx.height)
        room = QRectF(GUTTER, ctx.layout.head_end, ctx.view.room, ctx.height)
        names = box.left() < GUTTER
        box = box.adjusted(-1, -1, 1, 1).intersected(below)
        p.setClipRect(box.intersected(room))
        background.paint_background(p, ctx)
        background.paint_frame_steps(p, ctx.timeline, ctx.view, ctx.height)
        _paint_lanes(p, ctx, head=False)
        if names:
            p.setClipRect(box.intersected(QRectF(0, 0, GUTTER, ctx.height)))
            _paint_names(p, ctx)


def _seen(ctx: PaintContext) -> tuple[object, ...]:
    return (ctx.layout, ctx.watch.missing)


def _panned(now: _Painted, ctx: PaintContext) -> QPixmap | None:
    """Return the picture moved along, what came into view painted beside it; None where that is most of it, or where it
    moved by a part of a pixel."""
    view = ctx.view
    by = (view.start_s - now.view.start_s) * view.px_per_s
    px = round(by)
    if abs(by - px) > 1e-3 or abs(px) > view.room * MOST_NEW:
        return None
    layer, ratio = now.layer, int(now.layer.devicePixelRatio())
    layer.scroll(-px * ratio, 0, QRect(GUTTER * ratio, 0, view.room * ratio, layer.height()))
    if px > 0:
        _paint_part(layer, ctx, view.width - px, view.width)
    elif px < 0:
        _paint_part(layer, ctx, GUTTER, GUTTER - px)
    return layer


def _stretched(exact: _Painted, ctx: PaintContext) -> QPixmap | None:
    """Return the last exact picture at another scale, the ruler painted exactly and what came into view roughly; None where
    the scale is too far from it."""
    was, view = exact.view, ctx.view
    by = view.px_per_s / was.px_per_s
    known = exact.timeline is ctx.timeline and exact.seen == _seen(ctx)
    if not 1 / MOST_STRETCH <= by <= MOST_STRETCH or not known:
        return None
    left, right = (round(view.x(was.time(x))) for x in (GUTTER, was.width))
    left, right = max(left, GUTTER), min(right, view.width)
    if right - left < view.room * (1 - MOST_NEW):
        return None
    layer = QPixmap(exact.layer)
    with painter_on(layer) as p:
        ratio = layer.devicePixelRatio()
        source = QRectF(was.x(view.time(left)) * ratio, 0, (right - left) / by * ratio, layer.height())
        p.drawPixmap(QRectF(left, 0, right - left, ctx.height), exact.layer, source)
        ruler = next((i for i, lane in enumerate(ctx.layout.lanes) if lane.key == "ruler"), None)
        if ruler is not None:
            box = ctx.layout.box(ruler, view.width)
            p.setClipRect(box)
            ctx.layout.lanes[ruler].paint(p, ctx, box)
    if left > GUTTER:
        _paint_part(layer, ctx, GUTTER, left, sketch=True)
    if right < view.width:
        _paint_part(layer, ctx, right, view.width, sketch=True)
    return layer


def _paint_part(layer: QPixmap, ctx: PaintContext, left: int, right: int, sketch: bool = False) -> None:
    """Paint what lies between two x, exactly or roughly. It is made as a picture of its own: lanes clip as they like."""
    first = left - MARGIN
    view = View.of(ctx.view.time(first), ctx.view.px_per_s, GUTTER + right - left + 2 * MARGIN)
    ratio = layer.devicePixelRatio()
    part = QPixmap(round(view.width * ratio), layer.height())
    part.setDevicePixelRatio(ratio)
    with painter_on(part) as p:
        _paint(p, ctx._replace(view=view), sketch, names=False)
    with painter_on(layer) as p:
        source = QRectF((GUTTER + MARGIN) * ratio, 0, (right - left) * ratio, layer.height())
        p.drawPixmap(QRectF(left, 0, right - left, ctx.height), part, source)


def _paint(p: QPainter, ctx: PaintContext, sketch: bool = False, names: bool = True) -> None:
    layout, wide = ctx.layout, ctx.view.width
    background.paint_background(p, ctx)
    background.paint_frame_steps(p, ctx.timeline, ctx.view, ctx.height)
    _paint_lanes(p, ctx, head=True, sketch=sketch)
    if layout.scroll:  # lanes that have gone up lie under the head
        p.save()
        p.setClipRect(QRectF(0, 0, wide, layout.head_end))
        background.paint_background(p, ctx)
        _paint_lanes(p, ctx, head=True, rows=False, sketch=sketch)
        p.restore()
    if names:
        _paint_names(p, ctx)


def _paint_names(p: QPainter, ctx: PaintContext) -> None:
    layout, wide = ctx.layout, ctx.view.width
    p.fillRect(0, 0, GUTTER, ctx.height, QColor(theme.RAISED))
    for on_head in (False, True):  # what scrolls goes under the head's names
        if on_head:
            p.fillRect(0, 0, GUTTER, layout.head_end, QColor(theme.RAISED))
        for number, lane in enumerate(layout.lanes):
            if lane.head == on_head and layout.heights[number] and ctx.touches(number):
                lane.paint_name(p, ctx, layout.box(number, wide))
    if layout.hidden:
        background.paint_scroll(p, layout, ctx.height)
    p.setPen(QColor(theme.LINE))
    p.drawLine(GUTTER - 1, 0, GUTTER - 1, ctx.height)


def _paint_lanes(p: QPainter, ctx: PaintContext, head: bool, rows: bool = True, sketch: bool = False) -> None:
    """Paint lanes, the points' lines between those that lie beneath them and the others."""
    for beneath in (True, False):
        for number, lane in enumerate(ctx.layout.lanes):
            if lane.beneath == beneath and (head if lane.head else rows) and ctx.touches(number):
                paint = lane.sketch if sketch else lane.paint
                paint(p, ctx, ctx.layout.box(number, ctx.view.width))
        if beneath:
            background.paint_lines(p, ctx.timeline, ctx.view, ctx.height)
