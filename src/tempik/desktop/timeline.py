"""The timeline widget: view, pointer and wheel; what it shows is painted by `timeline_paint`."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from tempik.accents import accent_named
from tempik.desktop import theme
from tempik.desktop import timeline_paint as paint
from tempik.desktop.layer import painted_layer
from tempik.desktop.project import Project
from tempik.desktop.strips import Song, Strips
from tempik.desktop.theme import colour, words
from tempik.desktop.view import (
    GUTTER,
    PICTURE_H,
    POINTS_H,
    ROW_H,
    RULER_H,
    View,
    picture_top,
    points_top,
    row_top,
)
from tempik.edit import change, points
from tempik.edit.timeline import Placed
from tempik.reel import Point, Reel
from tempik.time import frame_of, frame_on_screen, time_of

REACH_PX = 8
DRAG_PX = 4


class _Grip(NamedTuple):
    """What the pointer took hold of."""

    what: str  # ruler, point, pin, clip, cell, pan
    id: str
    row: int
    start: QPointF
    was: float  # view start, point time or cell strength at the press


class TimelineView(QWidget):
    """Shared time axis over points, picture and accent rows."""

    row_menu = Signal(str, QPoint)
    clip_menu = Signal(str, QPoint)
    footage_dropped = Signal(list, float)

    def __init__(self, project: Project, strips: Strips, song: Song) -> None:
        super().__init__()
        self.project, self.strips, self.song = project, strips, song
        self.view = View(0.0, 60.0, 800)
        self._layer: QPixmap | None = None
        self._grip: _Grip | None = None
        self._swept: set[str] = set()
        self._sweep_on = True
        self._hover_point: str | None = None
        self._hover_cell: tuple[int, str] | None = None
        self._drag_text = ""
        self._fit_next = True
        self._fitted = False  # the whole reel is shown, and stays shown as the widget is resized
        self._missing: set[str] = set()
        self.setMouseTracking(True)
        self.setMinimumHeight(row_top(0) + 20)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Timeline")
        project.changed.connect(self._reel_changed)
        project.selected.connect(self.refresh)
        project.moved.connect(self._follow)
        strips.changed.connect(self.refresh)
        song.changed.connect(self.refresh)

    def sizeHint(self) -> QSize:
        return QSize(800, row_top(max(3, len(self.project.reel.rows))) + 8)

    def refresh(self) -> None:
        """Paint everything anew at the next paint."""
        self._layer = None
        self.update()

    def fit(self) -> None:
        """Show the whole reel."""
        timeline = self.project.timeline
        self.view = self.view._replace(width=self.width()).fitted(timeline.frames / float(timeline.rate))
        self._fitted = True
        self.refresh()

    def zoom(self, factor: float, x: float | None = None) -> None:
        timeline = self.project.timeline
        at = x if x is not None else self.view.x(time_of(self.project.frame, timeline.rate))
        self.view = self.view.zoomed(factor, max(at, GUTTER), timeline)
        self._fitted = False
        self.refresh()

    def _reel_changed(self) -> None:
        timeline = self.project.timeline
        self._missing = paint.missing_footage(timeline.reel)
        if timeline.frames == 0:
            self._fit_next = True
        elif self._fit_next and self.width() > 200:
            self._fit_next = False
            self.fit()
        else:
            self.view = self.view.kept_on(timeline)
        self.updateGeometry()
        self.refresh()

    def fit_when_shown(self) -> None:
        """Fit the next reel that is shown, as after opening another project."""
        self._fit_next = True

    def _follow(self, frame: int) -> None:
        x = self.view.x(time_of(frame, self.project.timeline.rate))
        if not GUTTER <= x <= self.width() - 20:
            self.view = self.view._replace(
                start_s=self.view.time(x) - (self.width() - GUTTER) * 0.1 / self.view.px_per_s
            ).kept_on(self.project.timeline)
            self._layer = None
        self.update()

    # Painting

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.view = self.view._replace(width=self.width())
        if (self._fit_next or self._fitted) and self.project.timeline.frames:
            self._fit_next = False
            self.fit()
        self.refresh()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._layer is None:
            self._layer = painted_layer(self, self._paint_layer)
        p = QPainter(self)
        p.drawPixmap(0, 0, self._layer)
        timeline = self.project.timeline
        if timeline.frames:
            x = self.view.x(time_of(self.project.frame, timeline.rate))
            paint.paint_playhead(p, self.view, x, self.height())
        if self._drag_text:
            self._paint_drag_text(p)
        p.end()

    def _paint_layer(self, p: QPainter) -> None:
        timeline, view, height = self.project.timeline, self.view, self.height()
        paint.paint_ground(p, timeline, view, height)
        paint.paint_frame_cells(p, timeline, view, height)
        paint.paint_points(p, timeline, view, self.song, self._hover_point)
        paint.paint_lines(p, timeline, view, height)
        paint.paint_picture_row(p, timeline, view, self.strips, self.project.clip_id, self._missing)
        paint.paint_pins(p, timeline, view, self.project.clip_id)
        paint.paint_rows(p, timeline, view, self._hover_cell)
        paint.paint_ruler(p, timeline, view)
        paint.paint_gutter(p, timeline, view, height)

    def _paint_drag_text(self, p: QPainter) -> None:
        p.setFont(words(12))
        wide = p.fontMetrics().horizontalAdvance(self._drag_text) + 16
        box = QRectF(self.width() - wide - 10, RULER_H + 4, wide, 22)
        p.setPen(QColor(theme.RHYTHM))
        p.setBrush(colour(theme.SUNK, 0.94))
        p.drawRoundedRect(box, 4, 4)
        p.setPen(QColor(theme.TEXT))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, self._drag_text)

    # Finding what lies under the pointer

    def point_near(self, x: float, reach_px: float = REACH_PX) -> Point | None:
        """Return the point nearest to `x` within reach."""
        timeline = self.project.timeline
        found = min(timeline.on_reel(), key=lambda q: abs(self.view.x(timeline.reel_s(q)) - x), default=None)
        if found is not None and abs(self.view.x(timeline.reel_s(found)) - x) <= reach_px:
            return found
        return None

    def row_at(self, y: float) -> int | None:
        """Return the number of the accent row at a height."""
        for number in range(len(self.project.reel.rows)):
            if row_top(number) <= y < row_top(number) + ROW_H:
                return number
        return None

    def cell_at(self, pos: QPointF) -> tuple[int, Point] | None:
        """Return the accent row and point whose cell lies under the pointer."""
        row = self.row_at(pos.y())
        if row is None or pos.x() < GUTTER:
            return None
        timeline = self.project.timeline
        # A cell begins at its point and runs to the next: the pulse that it holds does the same.
        before = [q for q in timeline.on_reel() if self.view.x(timeline.reel_s(q)) <= pos.x() + 5]
        return (row, before[-1]) if before else None

    def clip_under(self, pos: QPointF) -> Placed | None:
        if not picture_top() <= pos.y() < picture_top() + PICTURE_H or pos.x() < GUTTER:
            return None
        timeline = self.project.timeline
        return timeline.clip_at(frame_on_screen(max(0.0, self.view.time(pos.x())), timeline.rate))

    def _pin_near(self, pos: QPointF) -> Placed | None:
        if not points_top() + 16 <= pos.y() < picture_top() + PICTURE_H:
            return None
        timeline = self.project.timeline
        for placed in timeline.placed:
            for tie in placed.ties:
                if abs(self.view.x(time_of(tie.frame, timeline.rate)) - pos.x()) <= REACH_PX:
                    return placed
        return None

    # Pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._grip = _Grip("pan", "", -1, pos, self.view.start_s)
            return
        if pos.x() < GUTTER:
            row = self.row_at(pos.y())
            if row is not None:
                self.row_menu.emit(self.project.reel.rows[row].id, event.globalPosition().toPoint())
            return
        placed = self.clip_under(pos)
        if event.button() == Qt.MouseButton.RightButton:
            if placed is not None:
                self.project.select_clip(placed.clip.id)
                self.clip_menu.emit(placed.clip.id, event.globalPosition().toPoint())
            return
        if event.button() == Qt.MouseButton.LeftButton:
            self._grip = self._take(pos, placed)

    def _take(self, pos: QPointF, placed: Placed | None) -> _Grip | None:
        timeline = self.project.timeline
        if pos.y() < RULER_H:
            self._seek(pos.x())
            return _Grip("ruler", "", -1, pos, 0.0)
        if pos.y() < points_top() + 20:
            point = self.point_near(pos.x())
            if point is not None:
                self.project.select_points({point.id})
                return _Grip("point", point.id, -1, pos, point.time_s)
        pinned = self._pin_near(pos)
        if pinned is not None:
            self.project.select_clip(pinned.clip.id)
            return _Grip("pin", pinned.clip.id, -1, pos, 0.0)
        if placed is not None:
            self.project.select_clip(placed.clip.id)
            return _Grip("clip", placed.clip.id, -1, pos, 0.0)
        cell = self.cell_at(pos)
        if cell is not None:
            row, point = cell
            pulse = next((q for q in timeline.pulses[row] if q.point.id == point.id), None)
            self._swept = {point.id}
            self._sweep_on = pulse is None
            record = self.project.reel.rows[row]
            return _Grip("cell", record.id, row, pos, pulse.strength / max(record.amount, 1e-6) if pulse else 0.0)
        if pos.y() < points_top() + POINTS_H or pos.y() < picture_top() + PICTURE_H:
            self.project.select_clip(None)
            self._seek(pos.x())
            return _Grip("ruler", "", -1, pos, 0.0)
        return None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        grip = self._grip
        if grip is None:
            self._hover(pos)
            return
        far = (pos - grip.start).manhattanLength() >= DRAG_PX
        if grip.what == "pan":
            start = grip.was - (pos.x() - grip.start.x()) / self.view.px_per_s
            self.view = self.view._replace(start_s=start).kept_on(self.project.timeline)
            self.refresh()
        elif grip.what == "ruler":
            self._seek(pos.x())
        elif grip.what == "point" and far:
            self._drag_point(grip, pos)
        elif grip.what == "pin" and far:
            self._drag_pin(grip, pos)
        elif grip.what == "cell" and far:
            self._drag_cell(grip, pos)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        grip, self._grip = self._grip, None
        self._drag_text = ""
        if grip is None:
            return
        if grip.what == "point":
            self.project.settle("Point moved")
        elif grip.what == "pin":
            self.project.settle("Cue pinned to another point")
        elif grip.what == "cell":
            if (event.position() - grip.start).manhattanLength() < DRAG_PX:
                self.toggle_cell(grip.row, next(iter(self._swept)))
            else:
                self.project.settle("Accents painted")
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        if points_top() <= pos.y() < points_top() + POINTS_H and pos.x() >= GUTTER:
            self._grip = None
            song_s = self.view.time(pos.x()) + self.project.timeline.start_s
            self.project.change("Point placed by hand", lambda reel: points.with_point(reel, song_s))

    def toggle_cell(self, row: int, point: str) -> None:
        """Turn an accent on or off at a point."""
        record = self.project.reel.rows[row]
        title = accent_named(record.accent).title
        self.project.change(f"{title} toggled", lambda reel: change.with_toggled(reel, record.id, point))

    def _drag_point(self, grip: _Grip, pos: QPointF) -> None:
        time_s = grip.was + (pos.x() - grip.start.x()) / self.view.px_per_s
        if self.project.preview_change(lambda reel: points.with_moved_point(reel, grip.id, time_s)):
            point = self.project.timeline.point(grip.id)
            if point is not None:
                frame = self.project.timeline.frame_of_point(point)
                self._drag_text = f"point {point.label}: frame {frame}, {(time_s - grip.was) * 1000:+.1f} ms"

    def _drag_pin(self, grip: _Grip, pos: QPointF) -> None:
        timeline = self.project.timeline
        nearest = min(timeline.on_reel(), key=lambda q: abs(self.view.x(timeline.reel_s(q)) - pos.x()), default=None)
        clip = next((c for c in self.project.reel.clips if c.id == grip.id), None)
        if nearest is not None and clip is not None and clip.pins:
            cue = clip.pins[0].cue
            self.project.preview_change(lambda reel: change.with_pin(reel, grip.id, cue, nearest.id))
            self._drag_text = f"cue on point {nearest.label}, frame {timeline.frame_of_point(nearest)}"

    def _drag_cell(self, grip: _Grip, pos: QPointF) -> None:
        across, up = abs(pos.x() - grip.start.x()), grip.start.y() - pos.y()
        cell = self.cell_at(QPointF(pos.x(), grip.start.y()))
        first = next(iter(self._swept))
        if len(self._swept) == 1 and abs(up) > across:
            strength = min(max((grip.was or 1.0) + up / 60, 0.0), 2.0)
            self.project.preview_change(lambda reel: change.with_painted(reel, grip.id, first, strength))
            self._drag_text = f"strength {strength * 100:.0f} %"
        elif cell is not None:
            self._swept.add(cell[1].id)
            value, swept = 1.0 if self._sweep_on else 0.0, set(self._swept)

            def sweep(reel: Reel) -> Reel:
                for point in swept:
                    reel = change.with_painted(reel, grip.id, point, value)
                return reel

            self.project.preview_change(sweep)
            self._drag_text = f"{len(swept)} points {'on' if self._sweep_on else 'off'}"

    def _hover(self, pos: QPointF) -> None:
        point = self.point_near(pos.x()) if points_top() <= pos.y() < points_top() + 20 else None
        cell = self.cell_at(pos)
        hovered = point.id if point else None
        at_cell = (cell[0], cell[1].id) if cell else None
        if hovered != self._hover_point or at_cell != self._hover_cell:
            self._hover_point, self._hover_cell = hovered, at_cell
            self.refresh()
        shape = Qt.CursorShape.ArrowCursor
        if hovered:
            shape = Qt.CursorShape.SizeHorCursor
        elif at_cell or self._pin_near(pos):
            shape = Qt.CursorShape.PointingHandCursor
        self.setCursor(shape)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip:
            text = self._tip(QPointF(self.mapFromGlobal(event.globalPos())))  # type: ignore[attr-defined]
            QToolTip.showText(event.globalPos(), text, self)  # type: ignore[attr-defined]
            return True
        return super().event(event)

    def _tip(self, pos: QPointF) -> str:
        timeline = self.project.timeline
        point = self.point_near(pos.x()) if pos.y() < points_top() + 20 else None
        if point is not None:
            frame = timeline.frame_of_point(point)
            off = (time_of(frame, timeline.rate) - timeline.reel_s(point)) * 1000
            return f"{point.label} · frame {frame} ({off:+.1f} ms) · strength {point.strength:.2f}\nDrag to move; all that is tied to it follows."
        placed = self.clip_under(pos)
        if placed is not None:
            name = placed.footage.path.rsplit("/", 1)[-1]
            floor = float(timeline.rate) / float(placed.footage.rate)
            return f"{name}\n{placed.frames} frames · cleanly slow down to {floor * 100:.0f} %"
        if self.row_at(pos.y()) is not None and pos.x() >= GUTTER:
            return "Click or sweep to paint; drag up or down for strength."
        return ""

    def leaveEvent(self, event: QEvent) -> None:
        if self._hover_point or self._hover_cell:
            self._hover_point = self._hover_cell = None
            self.refresh()

    def wheelEvent(self, event: QWheelEvent) -> None:
        turn = event.angleDelta()
        if turn.x() or event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.view = self.view.panned(-(turn.x() or turn.y()) * 0.7, self.project.timeline)
            self.refresh()
        else:
            self.zoom(1.0015 ** turn.y(), event.position().x())
        event.accept()

    def _seek(self, x: float) -> None:
        timeline = self.project.timeline
        # Near a point the playhead goes to it; that is where one wants to look.
        point = self.point_near(x, 5)
        time_s = timeline.reel_s(point) if point is not None else self.view.time(x)
        self.project.go(frame_of(max(0.0, time_s), timeline.rate))
