"""A lane of steps that are painted: clicked, swept across, weighed up and down; what accent lanes and sound lanes have in common."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter

from tempik.accents import EvaluatedLane, Step
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.timeline.axis import GUTTER
from tempik.desktop.timeline.lane import Hit, LaneGesture, LaneView, PaintContext, Pointer, Series
from tempik.desktop.timeline.lanes.pulse_painting import step_box
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour
from tempik.digits import plural
from tempik.edit.accents.painting import with_painted, with_swept
from tempik.timeline.sound_triggers import EvaluatedSoundLane

DOTS_PX = 20  # of a lane's name, at its end: its menu
STRENGTH_PX = 60.0  # of a drag upward for one more


def steps_series(steps: Sequence[Step], rate: float) -> Series:
    """Return a lane's steps as its painting follows from them."""
    return Series(steps, lambda step: (step.frame / rate, step.frame / rate))


class StepsLaneView(LaneView):
    """One lane of steps. `what` its steps are is said of a step, `ink` is its colour."""

    what = ""
    ink = theme.PULSE

    def __init__(self, number: int) -> None:
        self.number = number

    def found(self, ctx: PaintContext) -> EvaluatedLane | EvaluatedSoundLane:
        """Return the lane's lane worked out."""
        raise NotImplementedError

    def toggle(self, ctx: PaintContext, step: str) -> None:
        """Turn the lane on or off at a step."""
        raise NotImplementedError

    def choose(self, ctx: PaintContext, step: Step) -> None:
        """Select the lane, and what it has at a step."""
        raise NotImplementedError

    def edit(self, ctx: PaintContext) -> None:
        """Ask for the page that edits what was chosen."""
        raise NotImplementedError

    def tip(self, ctx: PaintContext, step: Step) -> str:
        """Return what a step is."""
        raise NotImplementedError

    def name_hit(self, ctx: PaintContext) -> Hit:
        """Return what the lane's name does."""
        raise NotImplementedError

    def paint_hover(self, p: QPainter, ctx: PaintContext, box: QRectF, hover: str) -> None:
        self.paint_step(p, ctx, box, hover, 0.2)

    def paint_step(self, p: QPainter, ctx: PaintContext, box: QRectF, step: str, alpha: float) -> None:
        """Light a step up; '' is none."""
        place = step_box(ctx.timeline, ctx.view, self.found(ctx), step, box) if step else None
        if place is not None:
            p.fillRect(place.intersected(box), colour(self.ink, alpha))

    def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
        if not box.top() <= pos.y() < box.bottom() or pos.y() < ctx.layout.head_end:
            return None
        if pos.x() < GUTTER:
            return self.name_hit(ctx)
        step = self.step_at(ctx, pos)
        if step is None:
            return None
        return Hit(
            Qt.CursorShape.PointingHandCursor,
            step.id,
            lambda: self.tip(ctx, step),
            lambda at: self._press_step(ctx, step, at),
        )

    def step_at(self, ctx: PaintContext, pos: QPointF) -> Step | None:
        """Return the step under the pointer. A step begins at its frame and runs to the next: the pulse that it holds does the
        same."""
        timeline, steps = ctx.timeline, self.found(ctx).steps
        frame = ctx.view.time(pos.x() + 5) * float(timeline.rate)
        number = bisect_right(steps, frame, key=lambda c: c.frame) - 1
        if number < 0 or not 0 <= steps[number].frame < timeline.frames:
            return None
        return steps[number]

    def _press_step(self, ctx: PaintContext, step: Step, at: Pointer) -> LaneGesture | None:
        """Take hold of a step; Ctrl only chooses it for the page."""
        self.choose(ctx, step)
        if at.ctrl:
            self.edit(ctx)
            return None
        return StepGesture(ctx, self, step)


class StepGesture(LaneGesture):
    """Cells are swept across, or one weighed up and down; a click toggles."""

    def __init__(self, ctx: PaintContext, lane: StepsLaneView, step: Step) -> None:
        super().__init__()
        self.gesture = Gesture(ctx.project)
        self.lane, self.first = lane, step.id
        found = lane.found(ctx)
        pulse = next((p for p in found.pulses if p.step == step.id), None)
        self.row = found.lane.id
        self.was = pulse.own if pulse is not None else 0.0
        self.on = pulse is None
        self.swept = [step.id]

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        across, up = abs(at.moved.x()), -at.moved.y()
        if len(self.swept) == 1 and abs(up) > across:
            strength = min(max((self.was or 1.0) + up / STRENGTH_PX, 0.0), 2.0)
            self.gesture.show(lambda reel: with_painted(reel, self.row, self.first, strength))
            self.text = f"strength {strength * 100:.0f} %"
            return
        step = self.lane.step_at(ctx, at.pos)
        if step is not None:
            if step.id not in self.swept:
                self.swept.append(step.id)
            swept = list(self.swept)
            self.gesture.show(lambda reel: with_swept(reel, self.row, swept, self.on))
            self.text = f"{plural(len(swept), 'point')} {'on' if self.on else 'off'}"

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        if self.text:
            self.gesture.settle(f"{self.lane.what} painted")
        else:
            self.lane.toggle(ctx, self.first)

    def drop(self) -> None:
        self.gesture.drop()
