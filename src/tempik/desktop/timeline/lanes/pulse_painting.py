"""Pulses of an accent lane as they are painted: envelopes to scale in time, keys, what is painted by hand."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from functools import lru_cache

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPixmap, QPolygonF, QTransform

from tempik.accents import EvaluatedLane, Form, Pulse, level, span_frames
from tempik.desktop.timeline.axis import GUTTER, View
from tempik.desktop.timeline.background import FRAMES_SHOW_PX
from tempik.desktop.timeline.lane import PaintContext
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.pixmap_cache import cached_picture
from tempik.desktop.widgets.theme import colour
from tempik.time import time_of
from tempik.timeline.sound_triggers import EvaluatedSoundLane
from tempik.timeline.timeline import Timeline

# A pulse with less room to the next than this is painted as a line of its strength.
NARROW_PX = 6


def rule_text(found: EvaluatedLane | EvaluatedSoundLane) -> str:
    """Return what fires a lane, in a few letters."""
    rule = found.lane.rule
    strong = f" ≥{rule.at_least * 100:.0f}%" if rule.at_least else ""
    nth = ("" if rule.every == 1 else f" /{rule.every}") + strong
    points = ("every point" if rule.every == 1 else f"every {rule.every}") + strong
    return {
        "points": f"points{strong}" if rule.every == 1 and strong else points,
        "bars": "beats " + ",".join(map(str, rule.beats)) + nth,
        "onsets": ("onsets" if len(rule.bands) > 2 else "+".join(rule.bands)) + nth,
        "drops": "drops",
        "cuts": "cuts" + nth,
        "transitions": "transitions" + nth,
        "pulses": "pulses" + nth,
        "starts": "clip starts" + nth,
        "ends": "clip ends" + nth,
        "pins": "pins" + nth,
        "frames": "every frame" if rule.every == 1 else f"frames /{rule.every}",
        "hand": "by hand",
    }.get(rule.of, rule.of)


def step_box(
    timeline: Timeline, view: View, found: EvaluatedLane | EvaluatedSoundLane, step: str, lane: QRectF
) -> QRectF | None:
    """Return where a step lies: from its frame to the next step's, none where the lane has no such step."""
    number = next((i for i, c in enumerate(found.steps) if c.id == step), None)
    if number is None:
        return None
    left = view.x(time_of(found.steps[number].frame, timeline.rate))
    right = (
        view.x(time_of(found.steps[number + 1].frame, timeline.rate))
        if number + 1 < len(found.steps)
        else left + found.steps[number].gap_s * view.px_per_s
    )
    return QRectF(left, lane.top(), max(right - left, 4.0), lane.height())


def lane_picture(p: QPainter, ctx: PaintContext, found: EvaluatedLane, height_px: int) -> QPixmap:
    """Return a lane's pulses, painted once for as long as the lane, the song and the view are the same."""
    timeline, view = ctx.timeline, ctx.view

    def paint(own: QPainter) -> None:
        own.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        if found.silent:
            own.setOpacity(0.35)
        _paint_lane(own, timeline, view, QRectF(GUTTER, 0, view.width - GUTTER, height_px), found)

    key = ("accent lane", *view, timeline.rate)
    return cached_picture(key, (found,), (view.width, height_px), p.device().devicePixelRatioF(), paint)


def _paint_lane(p: QPainter, timeline: Timeline, view: View, box: QRectF, found: EvaluatedLane) -> None:
    narrow: list[QLineF] = []
    empty: list[QLineF] = []
    rate = float(timeline.rate)
    a = bisect_left(found.starts, (view.start_s - 4) * rate)
    b = bisect_right(found.starts, view.end_s * rate + 1)
    firing = {q.step for q in found.pulses}
    zero, frame_px = view.x(0.0), view.px_per_s / rate
    first = bisect_left(found.steps, view.start_s * rate - 1, key=lambda c: c.frame)
    end = bisect_right(found.steps, min(view.end_s * rate, timeline.frames - 1), key=lambda c: c.frame)
    if end - first < 400:
        for step in found.steps[first:end]:
            x = zero + step.frame * frame_px
            if step.gap_s * view.px_per_s >= NARROW_PX and step.id not in firing and GUTTER <= x <= view.width:
                empty.append(QLineF(x + 1.5, box.bottom() - 3, x + 6, box.bottom() - 3))
    p.setPen(QPen(colour(theme.QUIET, 0.75), 1.4))
    p.drawLines(empty)
    for pulse in found.pulses[a:b]:
        if pulse.gap_s * view.px_per_s < NARROW_PX and not pulse.overridden:
            x = zero + pulse.frame * frame_px
            height_px = (box.height() - 6) * min(pulse.strength, 1.6) / 1.6
            if GUTTER <= x <= view.width:
                narrow.append(QLineF(x, box.bottom() - 3, x, box.bottom() - 3 - height_px))
        else:
            _paint_pulse(p, timeline, view, box, pulse)
    p.setPen(QPen(colour(theme.PULSE, 0.7), 1.2))
    p.drawLines(narrow)
    _paint_keys(p, timeline, view, box, found)


def _paint_keys(p: QPainter, timeline: Timeline, view: View, box: QRectF, found: EvaluatedLane) -> None:
    """Keys set by hand, as small open squares along the lane's top; the level's as a line to scale."""
    for name, keys in found.keyed.items():
        spots = [QPointF(view.x(time_of(frame, timeline.rate)), 0.0) for frame, _, _ in keys]
        for spot, (_, value, _) in zip(spots, keys, strict=True):
            height_px = (box.height() - 8) * min(value, 1.6) / 1.6 if name == "level" else box.height() - 8
            spot.setY(box.bottom() - 4 - height_px)
        p.setPen(QPen(QColor(theme.TEXT), 1.3))
        if name == "level":
            p.drawPolyline(QPolygonF(spots))
        for spot in spots:
            if GUTTER <= spot.x() <= view.width:
                p.drawRect(QRectF(spot.x() - 2.5, spot.y() - 2.5, 5, 5))


@lru_cache(256)
def _pulse_shape(form: Form, frame_px: float, first: int, end: int) -> QPainterPath:
    """Return an envelope's outline, its point at the origin, one high and upward, `frame_px` wide a frame, cut off at the
    frames `first` and `end`."""
    before, after = span_frames(form)
    path = QPainterPath(QPointF(0, 0))
    for k in range(max(-before, first), min(after, end) + 1):
        size = level(form, k) if k < end else 0.0
        if frame_px >= FRAMES_SHOW_PX:  # single frames show as the steps that they are
            if size > 0:
                path.lineTo(k * frame_px, -size)
                path.lineTo((k + 1) * frame_px, -size)
        elif k >= 0 or size > 0:  # nothing is drawn before the envelope begins
            path.lineTo(k * frame_px, -size)
    path.lineTo(path.currentPosition().x(), 0)
    path.closeSubpath()
    return path


def _paint_pulse(p: QPainter, timeline: Timeline, view: View, box: QRectF, pulse: Pulse) -> None:
    """The envelope to scale in time: its lead and its decay are seen against the frames. What is painted by hand is
    brighter and has a bar under it."""
    x = view.x(time_of(pulse.frame, timeline.rate))
    if not GUTTER - 400 * view.px_per_s / 60 <= x <= view.width + 60:
        return
    frame_px = view.px_per_s / float(timeline.rate)
    first, end = (
        (-3600, 3600) if pulse.within is None else (pulse.within[0] - pulse.frame, pulse.within[1] - pulse.frame)
    )
    shape = _pulse_shape(pulse.form, frame_px, first, end)
    height_px = (box.height() - 6) * min(pulse.strength, 1.6) / 1.6
    p.setPen(QPen(QColor(theme.TEXT if pulse.overridden else theme.PULSE), 1.2))
    p.setBrush(colour(theme.PULSE, 0.95 if pulse.overridden else 0.45))
    p.drawPath(QTransform(1, 0, 0, height_px, x, box.bottom() - 3).map(shape))
    if frame_px * pulse.form.hold < 2.5:  # a pulse of a frame or two must not vanish in a long view
        p.drawLine(QPointF(x, box.bottom() - 3), QPointF(x, box.bottom() - 3 - height_px))
    if pulse.overridden:
        p.setPen(QPen(QColor(theme.TEXT), 2))
        p.drawLine(QPointF(x, box.bottom() - 1), QPointF(x + 6, box.bottom() - 1))
    p.setBrush(Qt.BrushStyle.NoBrush)
