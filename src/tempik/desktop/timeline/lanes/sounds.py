"""A lane of sounds: each trigger as the sound's own outline, its hit a line on the point."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence

from PySide6.QtCore import QLineF, QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from tempik.accents import Step
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.session.sound_shapes import Outline
from tempik.desktop.timeline.axis import GUTTER
from tempik.desktop.timeline.background import paint_dots
from tempik.desktop.timeline.lane import Depends, Hit, LaneGesture, LaneView, PaintContext, Pointer, Series
from tempik.desktop.timeline.lanes.pulse_painting import rule_text
from tempik.desktop.timeline.lanes.steps import DOTS_PX, StepsLaneView, steps_series
from tempik.desktop.timeline.layout import Room
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import paint_wave
from tempik.desktop.widgets.pixmap_cache import cached_picture
from tempik.desktop.widgets.theme import colour, words
from tempik.digits import plural
from tempik.edit.accents.painting import with_toggled
from tempik.edit.sounds.mixing import channel_values, with_channel
from tempik.reel import Reel
from tempik.timeline.sound_triggers import (
    EvaluatedSoundLane,
    SoundTrigger,
    channel_names,
    evaluated_sound_lanes,
    silent_channels,
    sound_hit,
    sound_title,
)
from tempik.timeline.timeline import Timeline

ROW_H, LEAST_ROW_H, MOST_ROW_H = 34, 20, 60
GAIN_DB_PX = 0.25  # of a drag along a name
# With less room to the next than this, triggers are lines.
NARROW_PX = 4
# A trigger up to this wide is painted once and kept: the same sounds come again and again.
KEPT_STRIKE_PX = 420


class SoundLaneView(StepsLaneView):
    """One sound lane: steps are clicked, swept and weighed as an accent lane's are, its name is dragged for its gain."""

    order = 80
    what, ink = "Sounds", theme.SOUND

    def __init__(self, number: int) -> None:
        super().__init__(number)
        self.key = f"sound {number}"

    @classmethod
    def of(cls, reel: Reel) -> list[LaneView]:
        return [cls(number) for number in range(len(reel.sound_lanes))]

    def depends(self, timeline: Timeline, ctx: PaintContext) -> Depends:
        found, reel = evaluated_sound_lanes(timeline)[self.number], timeline.reel

        def seen(trigger: SoundTrigger) -> tuple[float, float]:
            return trigger_span(ctx, trigger) or (trigger.at_s, trigger.at_s)

        whole = (found.lane, found.lane.id in silent_channels(reel), reel.hits, reel.sounds)
        return Depends(whole, (Series(found.triggers, seen), steps_series(found.steps, float(timeline.rate))))

    def room(self) -> Room:
        return Room(LEAST_ROW_H, ROW_H, MOST_ROW_H, gives=1)

    def found(self, ctx: PaintContext) -> EvaluatedSoundLane:
        """Return the lane's lane worked out."""
        return evaluated_sound_lanes(ctx.timeline)[self.number]

    # Painting

    def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        found, selection = self.found(ctx), ctx.project.selection
        if selection.channel == found.lane.id:
            p.fillRect(box, colour(theme.SOUND, 0.07))
            self.paint_step(p, ctx, box, selection.trigger, 0.3)
        p.save()
        p.setClipRect(box, Qt.ClipOperation.IntersectClip)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        if found.lane.id in silent_channels(ctx.project.reel):
            p.setOpacity(0.35)
        _paint_empty(p, ctx, box, found)
        _paint_triggers(p, ctx, box, found)
        p.restore()

    def paint_name(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        found, reel = self.found(ctx), ctx.project.reel
        chosen = ctx.project.selection.channel == found.lane.id
        rule = "muted" if found.lane.muted else ("solo · " if found.lane.solo else "") + rule_text(found)
        paint_channel_name(
            p, channel_names(reel)[found.lane.id], rule, box, chosen, found.lane.id in silent_channels(reel)
        )

    def spoken(self, ctx: PaintContext) -> str:
        found = self.found(ctx)
        state = ", muted" if found.lane.muted else ", solo" if found.lane.solo else ""
        name = channel_names(ctx.project.reel)[found.lane.id]
        return f"Sound lane {name}: {rule_text(found)}, {plural(len(found.triggers), 'trigger')}, {found.lane.gain_db:+.1f} dB{state}"

    # Pointer

    def name_hit(self, ctx: PaintContext) -> Hit:
        return channel_name_hit(ctx, self.found(ctx).lane.id)

    def tip(self, ctx: PaintContext, step: Step) -> str:
        return _step_tip(ctx, self.found(ctx), step)

    def choose(self, ctx: PaintContext, step: Step) -> None:
        ctx.project.selection.select_channel(self.found(ctx).lane.id, step.id)

    def edit(self, ctx: PaintContext) -> None:
        ctx.asks.sound_wanted.emit()

    def toggle(self, ctx: PaintContext, step: str) -> None:
        """Turn the lane on or off at a step."""
        lane = self.found(ctx).lane.id
        name = channel_names(ctx.project.reel)[lane]
        ctx.project.change(f"{name} toggled", lambda reel: with_toggled(reel, lane, step))

    @classmethod
    def words(cls) -> Sequence[tuple[str, str]]:
        return (
            ("click or sweep steps of a sound lane", "a trigger there, or none"),
            ("drag up or down in a step of a sound lane", "how strong that trigger is"),
            ("drag along the name of a sound lane or track", "its gain; a click opens the Sound page"),
            ("the dots of a sound lane or track, or a right click on its name", "its menu"),
        )


def channel_name_hit(ctx: PaintContext, channel: str) -> Hit:
    """Return what the name of a sound lane or track does."""

    def press(at: Pointer) -> LaneGesture | None:
        ctx.project.selection.select_channel(channel)
        if at.pos.x() > GUTTER - DOTS_PX:
            ctx.asks.sound_menu.emit(channel, at.screen)
            return None
        return LaneGainGesture(ctx, channel)

    def menu(screen: QPoint) -> None:
        ctx.project.selection.select_channel(channel)
        ctx.asks.sound_menu.emit(channel, screen)

    return Hit(tip=lambda: NAME_TIP, press=press, menu=menu)


NAME_TIP = "Click: edit it on the Sound page. Drag along: its gain. Dots: its menu."


class LaneGainGesture(LaneGesture):
    """A drag along a name sets the gain of its channel; a click asks for its page."""

    def __init__(self, ctx: PaintContext, channel: str) -> None:
        super().__init__()
        self.gesture, self.channel = Gesture(ctx.project), channel
        self.was = channel_values(ctx.project.reel, channel).gain_db

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        gain = min(max(round((self.was + at.moved.x() * GAIN_DB_PX) * 2) / 2, -60.0), 24.0)
        self.gesture.show(lambda reel: with_channel(reel, self.channel, gain_db=gain))
        self.text = f"gain {gain:+.1f} dB"

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        self.gesture.settle("Gain")
        if not self.text:
            ctx.asks.sound_wanted.emit()

    def drop(self) -> None:
        self.gesture.drop()


def scroll_to_channel(ctx: PaintContext) -> int:
    """Return by how many pixels the lanes must be scrolled for the chosen lane or track of sounds to be seen."""
    reel, wanted, layout = ctx.project.reel, ctx.project.selection.channel, ctx.layout
    keys = {r.id: f"sound {n}" for n, r in enumerate(reel.sound_lanes)}
    keys |= {t.id: f"sounds {n}" for n, t in enumerate(reel.sound_tracks)}
    if wanted not in keys:
        return 0
    top, end = layout.top(keys[wanted]), layout.top(keys[wanted]) + layout.height_of(keys[wanted])
    return min(top - layout.head_end, 0) or max(end - ctx.height + 2, 0)


def paint_channel_name(p: QPainter, name: str, below: str, box: QRectF, chosen: bool, silent: bool) -> None:
    """Paint the name of a sound lane or track, and a word on it, in the gutter."""
    top, height_px = box.top(), box.height()
    if chosen:
        p.fillRect(QRectF(0, top, GUTTER - 1, height_px), QColor(theme.LINE))
        p.fillRect(QRectF(0, top, 3, height_px), QColor(theme.SOUND))
    low = height_px < 34
    p.setPen(QColor(theme.QUIET if silent else theme.TEXT))
    p.setFont(words(13))
    room = GUTTER - 28
    text = p.fontMetrics().elidedText(name.lower(), Qt.TextElideMode.ElideRight, room)
    p.drawText(QRectF(12, top + ((height_px - 18) / 2 if low else 1), room, 18), Qt.AlignmentFlag.AlignVCenter, text)
    if not low:
        p.setPen(QColor(theme.QUIET))
        p.setFont(words(12))
        text = p.fontMetrics().elidedText(below, Qt.TextElideMode.ElideRight, GUTTER - 18)
        p.drawText(QRectF(12, top + 16, GUTTER - 16, 15), Qt.AlignmentFlag.AlignVCenter, text)
    paint_dots(p, top + height_px / 2 - 5)


def _paint_empty(p: QPainter, ctx: PaintContext, box: QRectF, found: EvaluatedSoundLane) -> None:
    """A short dash where a trigger could be."""
    view, rate = ctx.view, float(ctx.timeline.rate)
    firing = {q.step for q in found.pulses}
    first = bisect_left(found.steps, view.start_s * rate - 1, key=lambda c: c.frame)
    end = bisect_right(found.steps, min(view.end_s * rate, ctx.timeline.frames - 1), key=lambda c: c.frame)
    if end - first < 400:
        y = box.center().y()
        xs = [view.x(c.frame / rate) for c in found.steps[first:end] if c.id not in firing]
        p.setPen(QPen(colour(theme.QUIET, 0.6), 1.4))
        p.drawLines([QLineF(x + 1.5, y, x + 6, y) for x in xs if x >= GUTTER])


def _paint_triggers(p: QPainter, ctx: PaintContext, box: QRectF, found: EvaluatedSoundLane) -> None:
    view, reel = ctx.view, ctx.project.reel
    painted = {q.step for q in found.pulses if q.overridden}
    for trigger in found.triggers:
        span = trigger_span(ctx, trigger)
        if span is None or span[1] < view.start_s or span[0] > view.end_s:
            continue
        hit_x = view.x(trigger.at_s)
        left, right = view.x(span[0]), view.x(span[1])
        height_px = (box.height() - 4) * min(0.35 + 0.65 * trigger.gain, 1.0)
        place = QRectF(left, box.center().y() - height_px / 2, right - left, height_px)
        outline = ctx.shapes.of(reel, trigger.sound)
        by_hand = trigger.step in painted
        if outline is not None and right - left >= NARROW_PX:
            _paint_outline(p, outline, place, 0.85 if by_hand else 0.5)
        p.setPen(QPen(QColor(theme.TEXT if by_hand else theme.SOUND), 1.6))
        p.drawLine(QPointF(hit_x, box.top() + 2), QPointF(hit_x, box.bottom() - 2))
    p.setBrush(Qt.BrushStyle.NoBrush)


def _paint_outline(p: QPainter, outline: Outline, place: QRectF, alpha: float) -> None:
    """Paint a sound's outline; one that is too long to be kept is painted where it lies."""

    def paint(painter: QPainter, box: QRectF) -> None:
        loudest = max(float(outline.peaks.max(initial=0.0)), 1e-3)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour(theme.SOUND, alpha))
        paint_wave(painter, outline.peaks / loudest, box)

    if place.width() > KEPT_STRIKE_PX:
        paint(p, place)
        return
    size = (max(2, round(place.width())), max(2, round(place.height())))
    ratio = p.device().devicePixelRatioF()
    kept = cached_picture(("trigger", alpha), (outline,), size, ratio, lambda q: paint(q, QRectF(0, 0, *size)))
    p.drawPixmap(QPointF(round(place.left() * ratio) / ratio, round(place.top() * ratio) / ratio), kept)


def trigger_span(ctx: PaintContext, trigger: SoundTrigger) -> tuple[float, float] | None:
    """Return from when to when a trigger is heard, in seconds of the reel; None while its sound is being made."""
    outline = ctx.shapes.of(ctx.project.reel, trigger.sound)
    if outline is None:
        return trigger.at_s, trigger.at_s
    hit_s = sound_hit(ctx.project.reel, trigger.sound, made_only=True)
    ratio = 2 ** (trigger.semitones / 12)
    if trigger.length_s > 0:
        ratio *= (hit_s if hit_s > 0 else outline.length_s) / trigger.length_s
    return trigger.at_s - hit_s / ratio, trigger.at_s + (outline.length_s - hit_s) / ratio


def _step_tip(ctx: PaintContext, found: EvaluatedSoundLane, step: Step) -> str:
    trigger = next((s for s in found.triggers if s.step == step.id), None)
    where = step.point.label if step.point is not None else f"frame {step.frame}"
    if trigger is None:
        return f"{where}: silent here\nClick or sweep to paint; drag up or down for strength."
    title = sound_title(ctx.project.reel, trigger.sound)
    more = f", {trigger.semitones:+.1f} semitones" if trigger.semitones else ""
    return (
        f"{where}: {title}, its hit at {trigger.at_s:.3f} s{more}\n"
        "Click or sweep to paint; drag up or down for strength; Ctrl and click opens the Sound page."
    )
