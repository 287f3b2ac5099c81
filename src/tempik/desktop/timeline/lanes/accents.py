"""An accent lane: its pulses, its name and amount."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter

from tempik.accents import EvaluatedLane, Pulse, Step, span_frames
from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.timeline.axis import GUTTER
from tempik.desktop.timeline.background import paint_dots
from tempik.desktop.timeline.lane import Depends, Hit, LaneGesture, LaneView, PaintContext, Pointer, Series
from tempik.desktop.timeline.lanes.pulse_painting import lane_picture, rule_text
from tempik.desktop.timeline.lanes.steps import DOTS_PX, StepsLaneView, steps_series
from tempik.desktop.timeline.layout import Room
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour, words
from tempik.digits import plural
from tempik.edit.accents.lanes import lane_of, with_all_amounts, with_amount
from tempik.edit.accents.painting import with_toggled
from tempik.reel import Reel
from tempik.time import time_of
from tempik.timeline.timeline import Timeline

ROW_H, LEAST_ROW_H, MOST_ROW_H = 38, 20, 72


class AccentLaneView(StepsLaneView):
    """One accent lane: steps are clicked, swept and weighed, its name is dragged for its amount."""

    order = 70
    what, ink = "Accents", theme.PULSE

    def __init__(self, number: int) -> None:
        super().__init__(number)
        self.key = f"accent {number}"

    @classmethod
    def of(cls, reel: Reel) -> list[LaneView]:
        return [cls(number) for number in range(len(reel.accent_lanes))]

    def room(self) -> Room:
        return Room(LEAST_ROW_H, ROW_H, MOST_ROW_H, gives=1)

    def found(self, ctx: PaintContext) -> EvaluatedLane:
        return ctx.timeline.accent_lanes[self.number]

    def depends(self, timeline: Timeline, ctx: PaintContext) -> Depends:
        found, rate = timeline.accent_lanes[self.number], float(timeline.rate)

        def seen(pulse: Pulse) -> tuple[float, float]:
            lead, after = span_frames(pulse.form)
            return (pulse.frame - lead) / rate, (pulse.frame + after) / rate

        whole = (found.lane, found.gain, found.silent, found.keyed)
        return Depends(whole, (Series(found.pulses, seen), steps_series(found.steps, rate)))

    # Painting

    def paint(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        found, selection = self.found(ctx), ctx.project.selection
        if selection.lane_id == found.lane.id:
            p.fillRect(box, colour(theme.PULSE, 0.07))
            self.paint_step(p, ctx, box, selection.step_id, 0.3)
        p.drawPixmap(QPointF(0, box.top()), lane_picture(p, ctx, found, int(box.height())))

    def paint_name(self, p: QPainter, ctx: PaintContext, box: QRectF) -> None:
        found = self.found(ctx)
        _paint_row_name(p, found, box.top(), box.height(), ctx.project.selection.lane_id == found.lane.id)

    def spoken(self, ctx: PaintContext) -> str:
        found = self.found(ctx)
        title = found.accent.title if found.accent is not None else found.lane.accent
        state = ", muted" if found.lane.muted else ", solo" if found.lane.solo else ""
        return f"Accent lane {title}: {rule_text(found)}, {plural(len(found.pulses), 'pulse')}, {found.lane.amount * 100:.0f} %{state}"

    # Pointer

    def name_hit(self, ctx: PaintContext) -> Hit:
        lane = self.found(ctx).lane.id
        return Hit(
            tip=lambda: NAME_TIP,
            press=lambda at: self._press_name(ctx, at),
            menu=lambda screen: _lane_menu(ctx, lane, screen),
        )

    def tip(self, ctx: PaintContext, step: Step) -> str:
        return step_tip(ctx, self.found(ctx), step)

    def choose(self, ctx: PaintContext, step: Step) -> None:
        found = self.found(ctx)
        fires = any(p.step == step.id for p in found.pulses)
        ctx.project.selection.select_lane(found.lane.id, step.id if fires else "")

    def edit(self, ctx: PaintContext) -> None:
        ctx.asks.lane_wanted.emit()

    def toggle(self, ctx: PaintContext, step: str) -> None:
        """Turn the lane on or off at a step."""
        toggle_step(ctx.project, self.number, step)

    def _press_name(self, ctx: PaintContext, at: Pointer) -> LaneGesture | None:
        lane = self.found(ctx).lane.id
        if at.pos.x() > GUTTER - DOTS_PX:
            _lane_menu(ctx, lane, at.screen)
            return None
        return AmountGesture(ctx, lane, at.shift)

    @classmethod
    def words(cls) -> Sequence[tuple[str, str]]:
        return (
            ("click or sweep accent steps", "paint or clear them"),
            ("drag up or down in an accent step", "its strength"),
            ("Ctrl and click an accent step", "edit that pulse alone on the Accents page"),
            ("click an accent lane's name", "edit the lane on the Accents page"),
            ("drag along an accent lane's name", "its amount; Shift and drag: all accents'"),
            ("an accent lane's dots, or a right click on its name", "its menu"),
        )


NAME_TIP = "Click: edit it on the Accents page. Drag along: its amount; Shift and drag: all accents'. Dots: its menu."


def _lane_menu(ctx: PaintContext, lane: str, screen: QPoint) -> None:
    ctx.project.selection.select_lane(lane)
    ctx.asks.lane_menu.emit(lane, screen)


def step_tip(ctx: PaintContext, found: EvaluatedLane, step: Step) -> str:
    """Return what a step is."""
    pulse = next((p for p in found.pulses if p.step == step.id), None)
    where = step.point.label if step.point is not None else f"frame {step.frame}"
    if pulse is None:
        what = "silent here"
    else:
        how = "by hand" if pulse.overridden else "by the rule"
        seconds = time_of(pulse.frame, ctx.timeline.rate)
        what = f"{pulse.strength * 100:.0f} % {how}, full on frame {pulse.frame} ({seconds:.2f} s)"
    return f"{where}: {what}\nClick or sweep to paint; drag up or down for strength; Ctrl and click to edit this one alone."


def toggle_step(project: Project, lane: int, step: str) -> None:
    """Turn an accent on or off at a step."""
    found = project.timeline.accent_lanes[lane]
    title = found.accent.title if found.accent is not None else found.lane.accent
    project.change(f"{title} toggled", lambda reel: with_toggled(reel, found.lane.id, step))
    fires = any(p.step == step for p in project.timeline.accent_lanes[lane].pulses)
    project.selection.select_lane(found.lane.id, step if fires else "")


AMOUNT_PX = 80.0  # of a drag along a name for one more


class AmountGesture(LaneGesture):
    """A drag along a lane's name sets its amount, or with Shift that of all; a click asks for its page."""

    def __init__(self, ctx: PaintContext, lane: str, all_lanes: bool) -> None:
        super().__init__()
        self.gesture = Gesture(ctx.project)
        self.lane, self.all = lane, all_lanes
        reel = ctx.project.reel
        self.was = reel.amount if all_lanes else lane_of(reel, lane).amount
        ctx.project.selection.select_lane(lane)

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        amount = min(max(self.was + at.moved.x() / AMOUNT_PX, 0.0), 2.0)
        amount = round(amount * 20) / 20
        if self.all:
            self.gesture.show(lambda reel: with_all_amounts(reel, amount))
            self.text = f"all accents {amount * 100:.0f} %"
        else:
            self.gesture.show(lambda reel: with_amount(reel, self.lane, amount))
            self.text = f"amount {amount * 100:.0f} %"

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        self.gesture.settle("All accents' amount" if self.all else "Amount of the lane")
        if not self.text:
            ctx.asks.lane_wanted.emit()

    def drop(self) -> None:
        self.gesture.drop()


def _paint_row_name(p: QPainter, found: EvaluatedLane, top: float, height_px: float, chosen: bool) -> None:
    """A lane's name, what fires it, and its amount as a bar that a drag changes."""
    low = height_px < 34
    lane = found.lane
    if chosen:
        p.fillRect(QRectF(0, top, GUTTER - 1, height_px), QColor(theme.LINE))
        p.fillRect(QRectF(0, top, 3, height_px), QColor(theme.PULSE))
    p.setPen(QColor(theme.QUIET if found.silent else theme.TEXT))
    p.setFont(words(13))
    title = found.accent.title if found.accent is not None else f"? {lane.accent}"
    room = GUTTER - 28
    title = p.fontMetrics().elidedText(title.lower(), Qt.TextElideMode.ElideRight, room)
    p.drawText(QRectF(12, top + (0 if low else 2), room, 18), Qt.AlignmentFlag.AlignVCenter, title)
    if not low:
        rule = "unknown" if found.accent is None else "muted" if lane.muted else rule_text(found)
        if lane.solo:
            rule = "solo · " + rule
        if lane.locked:
            rule = "kept · " + rule
        p.setPen(QColor(theme.RHYTHM if lane.solo else theme.QUIET))
        p.setFont(words(12))
        rule = p.fontMetrics().elidedText(rule, Qt.TextElideMode.ElideRight, GUTTER - 18)
        p.drawText(QRectF(12, top + 17, GUTTER - 16, 15), Qt.AlignmentFlag.AlignVCenter, rule)
    bar = QRectF(12, top + height_px - 4, GUTTER - 24, 2)
    p.fillRect(bar, QColor(theme.LINE))
    p.fillRect(QRectF(bar.left(), bar.top(), bar.width() * min(lane.amount / 2, 1), 2), QColor(theme.PULSE))
    p.fillRect(QRectF(bar.center().x(), bar.top() - 1, 1, 4), QColor(theme.QUIET))
    paint_dots(p, top + (4 if low else 6))
