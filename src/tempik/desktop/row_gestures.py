"""The pointer on accent rows: cells are clicked, swept and weighed, names dragged for a row's amount."""

from __future__ import annotations

from bisect import bisect_right

from PySide6.QtCore import QPointF, Qt

from tempik.accents import Cell
from tempik.desktop.project import Project
from tempik.desktop.view import GUTTER, ROWS_TOP, Layout, View
from tempik.edit import accent_rows
from tempik.time import time_of

DRAG_PX = 4
STRENGTH_PX = 60.0  # of a drag upward for one more
AMOUNT_PX = 80.0  # of a drag along a name for one more


class RowGestures:
    """What one press on an accent row becomes. `text` is what a drag shows beside the pointer."""

    def __init__(self, project: Project) -> None:
        self.project = project
        self.text = ""
        self._row = ""
        self._number = -1
        self._start = QPointF(0, 0)
        self._was = 0.0
        self._first = ""
        self._swept: list[str] = []
        self._on = True
        self._name = False
        self._all = False

    def row_at(self, layout: Layout, y: float) -> int | None:
        """Return the number of the accent row at a height."""
        for number in range(len(self.project.reel.rows)) if y >= ROWS_TOP else ():
            top = layout.row_top(number)
            if top <= y < top + layout.row_h:
                return number
        return None

    def cell_at(self, view: View, layout: Layout, pos: QPointF) -> tuple[int, Cell] | None:
        """Return the accent row and cell under the pointer. A cell begins at its frame and runs to the next: the pulse that
        it holds does the same."""
        row = self.row_at(layout, pos.y())
        if row is None or pos.x() < GUTTER:
            return None
        timeline = self.project.timeline
        cells = timeline.fired[row].cells
        frame = view.time(pos.x() + 5) * float(timeline.rate)
        number = bisect_right(cells, frame, key=lambda c: c.frame) - 1
        if number < 0 or not 0 <= cells[number].frame < timeline.frames:
            return None
        return row, cells[number]

    def press_name(self, row: int, pos: QPointF, all_rows: bool) -> None:
        """Take hold of a row's name."""
        record = self.project.reel.rows[row]
        self._row, self._number, self._start, self._name, self._all = record.id, row, pos, True, all_rows
        self._was = self.project.reel.amount if all_rows else record.amount
        self.project.select_row(record.id)

    def press_cell(self, row: int, cell: Cell, pos: QPointF, keys: Qt.KeyboardModifier) -> bool:
        """Take hold of a cell; False where Ctrl only chose its pulse for the page."""
        found = self.project.timeline.fired[row]
        self._row, self._number, self._start, self._name = found.row.id, row, pos, False
        pulse = next((p for p in found.pulses if p.cell == cell.id), None)
        self.project.select_row(found.row.id, cell.id if pulse is not None else "")
        if keys & Qt.KeyboardModifier.ControlModifier:
            return False
        self._first, self._swept, self._on = cell.id, [cell.id], pulse is None
        self._was = pulse.own if pulse is not None else 0.0
        return True

    def drag(self, view: View, layout: Layout, pos: QPointF) -> None:
        """Weigh, sweep, or set an amount."""
        if self._name:
            self._drag_name(pos)
            return
        across, up = abs(pos.x() - self._start.x()), self._start.y() - pos.y()
        row, first = self._row, self._first
        if len(self._swept) == 1 and abs(up) > across:
            strength = min(max((self._was or 1.0) + up / STRENGTH_PX, 0.0), 2.0)
            self.project.preview_change(lambda reel: accent_rows.with_painted(reel, row, first, strength))
            self.text = f"strength {strength * 100:.0f} %"
            return
        cell = self.cell_at(view, layout, QPointF(pos.x(), self._start.y()))
        if cell is not None:
            if cell[1].id not in self._swept:
                self._swept.append(cell[1].id)
            swept, on = list(self._swept), self._on
            self.project.preview_change(lambda reel: accent_rows.with_swept(reel, row, swept, on))
            self.text = f"{len(swept)} points {'on' if on else 'off'}"

    def _drag_name(self, pos: QPointF) -> None:
        amount = min(max(self._was + (pos.x() - self._start.x()) / AMOUNT_PX, 0.0), 2.0)
        amount = round(amount * 20) / 20
        row = self._row
        if self._all:
            self.project.preview_change(lambda reel: accent_rows.with_all_amounts(reel, amount))
            self.text = f"all accents {amount * 100:.0f} %"
        else:
            self.project.preview_change(lambda reel: accent_rows.with_amount(reel, row, amount))
            self.text = f"amount {amount * 100:.0f} %"

    def release(self, pos: QPointF) -> None:
        """End the gesture as one step; a click toggles the cell."""
        moved = (pos - self._start).manhattanLength() >= DRAG_PX or bool(self.text)
        self.text = ""
        if self._name:
            self.project.settle("All accents' amount" if self._all else "Amount of the row")
        elif moved:
            self.project.settle("Accents painted")
        else:
            self.toggle(self._number, self._first)

    def toggle(self, row: int, cell: str) -> None:
        """Turn an accent on or off at a cell."""
        found = self.project.timeline.fired[row]
        title = found.accent.title if found.accent is not None else found.row.accent
        name = found.row.id
        self.project.change(f"{title} toggled", lambda reel: accent_rows.with_toggled(reel, name, cell))
        fires = any(p.cell == cell for p in self.project.timeline.fired[row].pulses)
        self.project.select_row(name, cell if fires else "")


def cell_said(project: Project, row: int, cell: Cell) -> str:
    """Return what a cell is, for its tip."""
    timeline = project.timeline
    found = timeline.fired[row]
    pulse = next((p for p in found.pulses if p.cell == cell.id), None)
    where = cell.point.label if cell.point is not None else f"frame {cell.frame}"
    if pulse is None:
        what = "silent here"
    else:
        how = "by hand" if pulse.painted else "by the rule"
        what = f"{pulse.strength * 100:.0f} % {how}, full on frame {pulse.frame} ({time_of(pulse.frame, timeline.rate):.2f} s)"
    return f"{where}: {what}\nClick or sweep to paint; drag up or down for strength; Ctrl and click to edit this one alone."
