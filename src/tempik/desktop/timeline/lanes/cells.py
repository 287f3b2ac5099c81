"""A lane of cells that are painted: clicked, swept across, weighed up and down; what accent rows and sound rows have in common."""

from __future__ import annotations

from bisect import bisect_right

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter

from tempik.accents import Cell, Fired
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.timeline.axis import GUTTER
from tempik.desktop.timeline.lane import Hit, Lane, LaneGesture, PaintContext, Pointer
from tempik.desktop.timeline.lanes.pulse_painting import cell_box
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour
from tempik.digits import counted
from tempik.edit.accents.painting import with_painted, with_swept
from tempik.timeline.striking import Struck

DOTS_PX = 20  # of a row's name, at its end: its menu
STRENGTH_PX = 60.0  # of a drag upward for one more


class CellsLane(Lane):
    """One row of cells. `what` its cells are is said of a step, `ink` is its colour."""

    what = ""
    ink = theme.PULSE

    def __init__(self, number: int) -> None:
        self.number = number

    def found(self, ctx: PaintContext) -> Fired | Struck:
        """Return the lane's row worked out."""
        raise NotImplementedError

    def toggle(self, ctx: PaintContext, cell: str) -> None:
        """Turn the row on or off at a cell."""
        raise NotImplementedError

    def choose(self, ctx: PaintContext, cell: Cell) -> None:
        """Select the row, and what it has at a cell."""
        raise NotImplementedError

    def edit(self, ctx: PaintContext) -> None:
        """Ask for the page that edits what was chosen."""
        raise NotImplementedError

    def tip(self, ctx: PaintContext, cell: Cell) -> str:
        """Return what a cell is."""
        raise NotImplementedError

    def name_hit(self, ctx: PaintContext) -> Hit:
        """Return what the row's name does."""
        raise NotImplementedError

    def paint_hover(self, p: QPainter, ctx: PaintContext, box: QRectF, hover: str) -> None:
        self.paint_cell(p, ctx, box, hover, 0.2)

    def paint_cell(self, p: QPainter, ctx: PaintContext, box: QRectF, cell: str, alpha: float) -> None:
        """Light a cell up; '' is none."""
        place = cell_box(ctx.timeline, ctx.view, self.found(ctx), cell, box) if cell else None
        if place is not None:
            p.fillRect(place.intersected(box), colour(self.ink, alpha))

    def hit(self, ctx: PaintContext, box: QRectF, pos: QPointF) -> Hit | None:
        if not box.top() <= pos.y() < box.bottom() or pos.y() < ctx.layout.head_end:
            return None
        if pos.x() < GUTTER:
            return self.name_hit(ctx)
        cell = self.cell_at(ctx, pos)
        if cell is None:
            return None
        return Hit(
            Qt.CursorShape.PointingHandCursor,
            cell.id,
            lambda: self.tip(ctx, cell),
            lambda at: self._press_cell(ctx, cell, at),
        )

    def cell_at(self, ctx: PaintContext, pos: QPointF) -> Cell | None:
        """Return the cell under the pointer. A cell begins at its frame and runs to the next: the pulse that it holds does the
        same."""
        timeline, cells = ctx.timeline, self.found(ctx).cells
        frame = ctx.view.time(pos.x() + 5) * float(timeline.rate)
        number = bisect_right(cells, frame, key=lambda c: c.frame) - 1
        if number < 0 or not 0 <= cells[number].frame < timeline.frames:
            return None
        return cells[number]

    def _press_cell(self, ctx: PaintContext, cell: Cell, at: Pointer) -> LaneGesture | None:
        """Take hold of a cell; Ctrl only chooses it for the page."""
        self.choose(ctx, cell)
        if at.ctrl:
            self.edit(ctx)
            return None
        return CellGesture(ctx, self, cell)


class CellGesture(LaneGesture):
    """Cells are swept across, or one weighed up and down; a click toggles."""

    def __init__(self, ctx: PaintContext, lane: CellsLane, cell: Cell) -> None:
        super().__init__()
        self.gesture = Gesture(ctx.project)
        self.lane, self.first = lane, cell.id
        found = lane.found(ctx)
        pulse = next((p for p in found.pulses if p.cell == cell.id), None)
        self.row = found.row.id
        self.was = pulse.own if pulse is not None else 0.0
        self.on = pulse is None
        self.swept = [cell.id]

    def drag(self, ctx: PaintContext, at: Pointer) -> None:
        across, up = abs(at.moved.x()), -at.moved.y()
        if len(self.swept) == 1 and abs(up) > across:
            strength = min(max((self.was or 1.0) + up / STRENGTH_PX, 0.0), 2.0)
            self.gesture.show(lambda reel: with_painted(reel, self.row, self.first, strength))
            self.text = f"strength {strength * 100:.0f} %"
            return
        cell = self.lane.cell_at(ctx, at.pos)
        if cell is not None:
            if cell.id not in self.swept:
                self.swept.append(cell.id)
            swept = list(self.swept)
            self.gesture.show(lambda reel: with_swept(reel, self.row, swept, self.on))
            self.text = f"{counted(len(swept), 'point')} {'on' if self.on else 'off'}"

    def release(self, ctx: PaintContext, at: Pointer) -> None:
        if self.text:
            self.gesture.settle(f"{self.lane.what} painted")
        else:
            self.lane.toggle(ctx, self.first)

    def drop(self) -> None:
        self.gesture.drop()
