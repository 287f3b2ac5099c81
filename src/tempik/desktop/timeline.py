"""The timeline widget: view, pointer and wheel; what it shows is painted by `timeline_paint`."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from tempik.accents import Cell
from tempik.desktop import theme
from tempik.desktop import timeline_paint as paint
from tempik.desktop.layer import painted_layer
from tempik.desktop.project import Project
from tempik.desktop.row_gestures import RowGestures, cell_said
from tempik.desktop.snapping import Snap, frame_x, nearest_point, snapped, targets
from tempik.desktop.strips import Song, Strips
from tempik.desktop.theme import colour, words
from tempik.desktop.view import (
    GUTTER,
    POINTS_H,
    ROWS_TOP,
    RULER_H,
    Layout,
    View,
    layout_for,
    points_top,
)
from tempik.edit import pin, place, points, trim
from tempik.edit.timeline import Placed, Timeline, floor_text
from tempik.reel import Point
from tempik.time import frame_of, frame_on_screen, time_of

REACH_PX = 8
DRAG_PX = 4
# More changed clips than this are painted with everything else.
MOST_PATCHES = 8


EDGE_PX = 7
# So long after the last step of a zoom everything is painted exactly.
SETTLE_MS = 140
FOOTAGE_MIME = "application/x-tempik-footage"


_SETTLED = {
    "point": "Point moved",
    "pin": "Cue pinned to another point",
    "clip": "Clip moved",
    "slip": "Footage slipped",
    "slide": "Clip slid",
    "edge": "Clip trimmed",
    "cut": "Cut moved",
}


class _Grip(NamedTuple):
    """What the pointer took hold of."""

    what: str  # ruler, point, pin, clip, slip, slide, edge, cut, cell, pan
    id: str
    row: int
    start: QPointF
    was: float  # view start, point time or cell strength at the press
    other: str = ""  # of a cut the clip after it, of a pin its cue, of an edge its side
    ripple: bool = False


class TimelineView(QWidget):
    """Shared time axis over points, picture and accent rows."""

    row_menu = Signal(str, QPoint)
    row_wanted = Signal()  # the chosen accent row is to be edited
    clip_menu = Signal(str, QPoint)
    picture_menu = Signal(int, QPoint)
    footage_dropped = Signal(str, int, str, int)  # footage, frame, point ('' for none), picture row
    files_dropped = Signal(list, int, str, int)
    settled_clip = Signal(str)  # a drag of this clip has ended

    def __init__(self, project: Project, strips: Strips, song: Song) -> None:
        super().__init__()
        self.project, self.strips, self.song = project, strips, song
        self.view = View(0.0, 60.0, 800)
        self._layer: QPixmap | None = None
        self._scroll = 0  # pixels of rows above what is shown
        self._painted: tuple[Timeline, tuple[object, ...]] | None = None  # what the layer shows
        self._grip: _Grip | None = None
        self.row_gestures = RowGestures(project)
        self._hover_point: str | None = None
        self._hover_cell: tuple[int, str] | None = None
        self._drag_text = ""
        self._fit_next = True
        self._frames = 0  # of the reel that is shown
        self._fitted = False  # the whole reel is shown, and stays shown as the widget is resized
        self._missing: set[str] = set()
        self._snap: Snap | None = None
        self._dropping: tuple[float, str] | None = None
        self._drag_at = QPointF(0, 0)
        self._coarse = False
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(SETTLE_MS)
        self._settle.timeout.connect(self._paint_exactly)
        self.placing_row: Callable[[], int] = lambda: 0
        self.made_ahead: Callable[[], list[tuple[int, int, bool]]] = lambda: []
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setMinimumHeight(Layout().row_top(0) + 20)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Timeline")
        project.changed.connect(self._reel_changed)
        project.selected.connect(self.refresh)
        project.row_selected.connect(self.refresh)
        project.moved.connect(self._follow)
        strips.changed.connect(self.refresh)
        song.changed.connect(self.refresh)

    def sizeHint(self) -> QSize:
        return QSize(800, Layout().row_top(max(3, len(self.project.reel.rows))) + 8)

    @property
    def layout_(self) -> Layout:
        """What lies how far down now."""
        return layout_for(self.project.reel, self.height(), self._scroll)

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
        # Steps of a wheel follow each other: stretched pictures do until it rests.
        self._coarse = self._settle.isActive()
        self._settle.start()
        self.refresh()

    def _paint_exactly(self) -> None:
        if self._coarse:
            self._coarse = False
            self.refresh()

    def _reel_changed(self) -> None:
        timeline = self.project.timeline
        self._missing = paint.missing_footage(timeline.reel)
        other_length, self._frames = timeline.frames != self._frames, timeline.frames
        if timeline.frames == 0:
            self._fit_next = True
        elif (self._fit_next or (self._fitted and other_length)) and self.width() > 200:
            self._fit_next = False
            self.fit()
        else:
            self.view = self.view.kept_on(timeline)
        if not self._repaint_changed(timeline):
            self.updateGeometry()
            self.refresh()

    def _repaint_changed(self, timeline: Timeline) -> bool:
        """Paint anew only clips that changed in their slots, as while a curve is dragged; tell whether that is all."""
        before, layer = self._painted, self._layer
        if before is None or layer is None or before[1] != (self.view, self.layout_, self._missing):
            return False
        boxes = paint.changed_boxes(before[0], timeline, self.view, self.layout_)
        if boxes is None or len(boxes) > MOST_PATCHES:
            return False
        for box in boxes:
            p = QPainter(layer)
            p.setClipRect(box.adjusted(-1, -1, 1, 1).intersected(QRectF(GUTTER, ROWS_TOP, self.width() - GUTTER, 4000)))
            self._paint_patch(p, box)
            p.end()
            self.update(box.adjusted(-2, -2, 2, 2).toAlignedRect())
        self._painted = (timeline, before[1])
        return True

    def _paint_patch(self, p: QPainter, box: QRectF) -> None:
        timeline, view, layout = self.project.timeline, self.view, self.layout_
        p.fillRect(box.adjusted(-1, -1, 1, 1), QColor(theme.SUNK))
        paint.paint_lines(p, timeline, view, self.height())
        chosen = self.project.clip_ids
        paint.paint_picture_rows(
            p, timeline, view, layout, self.strips, chosen, self.project.clip_id, self._missing, self._coarse, box
        )
        paint.paint_pins(p, timeline, view, layout, chosen)

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
            self._painted = (self.project.timeline, (self.view, self.layout_, self._missing))
        p = QPainter(self)
        p.drawPixmap(0, 0, self._layer)
        timeline = self.project.timeline
        if timeline.frames:
            x = self.view.x(time_of(self.project.frame, timeline.rate))
            paint.paint_playhead(p, self.view, x, self.height())
        paint.paint_made_ahead(p, timeline, self.view, self.made_ahead())
        if self._snap is not None and self._snap.target is not None:
            x = frame_x(self.view, timeline, self._snap.target.frame)
            paint.paint_snap(p, self.view, self.layout_, x, self._snap.target.said)
        if self._dropping is not None:
            paint.paint_snap(p, self.view, self.layout_, *self._dropping)
        if self._drag_text:
            self._paint_drag_text(p)
        p.end()

    def _paint_layer(self, p: QPainter) -> None:
        timeline, view, height, layout = self.project.timeline, self.view, self.height(), self.layout_
        paint.paint_ground(p, timeline, view, layout, height)
        paint.paint_frame_cells(p, timeline, view, height)
        paint.paint_points(p, timeline, view, self.song, self._hover_point, self._coarse)
        paint.paint_lines(p, timeline, view, height)
        chosen = self.project.clip_ids
        paint.paint_picture_rows(
            p, timeline, view, layout, self.strips, chosen, self.project.clip_id, self._missing, self._coarse
        )
        paint.paint_pins(p, timeline, view, layout, chosen)
        chosen_row = self.project.row_id
        pulse = (chosen_row, self.project.cell_id) if chosen_row is not None else None
        paint.paint_rows(p, timeline, view, layout, self._hover_cell, pulse)
        if layout.scroll:  # rows that have gone up lie under the points
            p.save()
            p.setClipRect(QRectF(0, 0, self.width(), ROWS_TOP))
            paint.paint_ground(p, timeline, view, layout._replace(scroll=0), height)
            paint.paint_points(p, timeline, view, self.song, self._hover_point, self._coarse)
            paint.paint_lines(p, timeline, view, height)
            p.restore()
        paint.paint_ruler(p, timeline, view)
        paint.paint_gutter(p, timeline, view, layout, height, self.placing_row(), chosen_row)

    def _paint_drag_text(self, p: QPainter) -> None:
        """What a drag does, beside the pointer."""
        p.setFont(words(12))
        wide = p.fontMetrics().horizontalAdvance(self._drag_text) + 16
        x = min(max(self._drag_at.x() + 14, GUTTER), self.width() - wide - 6)
        y = min(max(self._drag_at.y() + 18, RULER_H + 24), self.height() - 28)
        box = QRectF(x, y, wide, 22)
        p.setPen(QColor(theme.RHYTHM))
        p.setBrush(colour(theme.SUNK, 0.94))
        p.drawRoundedRect(box, 4, 4)
        p.setPen(QColor(theme.TEXT))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, self._drag_text)

    # Finding what lies under the pointer

    def point_near(self, x: float, reach_px: float = REACH_PX) -> Point | None:
        """Return the point nearest to `x` within reach."""
        return nearest_point(self.project.timeline, self.view, x, reach_px)

    def row_at(self, y: float) -> int | None:
        """Return the number of the accent row at a height."""
        return self.row_gestures.row_at(self.layout_, y)

    def cell_at(self, pos: QPointF) -> tuple[int, Cell] | None:
        """Return the accent row and cell under the pointer."""
        return self.row_gestures.cell_at(self.view, self.layout_, pos)

    def clip_under(self, pos: QPointF) -> Placed | None:
        row = self.layout_.picture_row_at(pos.y())
        if row is None or pos.x() < GUTTER:
            return None
        return self.project.timeline.clip_at(self._frame_under(pos.x()), row)

    def _frame_under(self, x: float) -> int:
        return frame_on_screen(max(0.0, self.view.time(x)), self.project.timeline.rate)

    def _pin_near(self, pos: QPointF) -> tuple[Placed, str] | None:
        """Return the clip and cue whose stitch or triangle lies under the pointer."""
        timeline, layout = self.project.timeline, self.layout_
        if not points_top() + 16 <= pos.y() < layout.pictures_end:
            return None
        for placed in timeline.placed:
            bottom = paint.cue_bottom(layout, placed)
            over = pos.y() >= layout.picture_top(placed.clip.row) or placed.clip.id in self.project.clip_ids
            for tie in placed.ties:
                reach = REACH_PX if abs(pos.y() - bottom + 6) < 14 else 4
                near = abs(frame_x(self.view, timeline, tie.frame) - pos.x()) <= reach
                if near and over and pos.y() <= bottom + 4:
                    return placed, tie.cue
            if placed.clip.id in self.project.clip_ids and bottom - 14 <= pos.y() <= bottom + 2:
                for cue, frame in paint.free_cues(timeline, placed):
                    if abs(self.view.x(frame / float(timeline.rate)) - pos.x()) <= REACH_PX:
                        return placed, cue
        return None

    def edge_near(self, pos: QPointF) -> tuple[Placed, trim.Side] | None:
        """Return the clip and side whose edge lies under the pointer, on the pointer's side of a cut."""
        row = self.layout_.picture_row_at(pos.y())
        if row is None or pos.x() < GUTTER:
            return None
        timeline = self.project.timeline
        for placed in timeline.rows[row]:
            left, right = (frame_x(self.view, timeline, f) for f in (placed.first, placed.end))
            reach = min(EDGE_PX, max(2.0, (right - left) / 4))
            if 0 <= pos.x() - left <= reach:
                return placed, "start"
            if 0 <= right - pos.x() <= reach:
                return placed, "end"
        return None

    # Pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        self._drag_at = pos
        if event.button() == Qt.MouseButton.MiddleButton:
            self._grip = _Grip("pan", "", -1, pos, self.view.start_s)
            return
        if pos.x() < GUTTER:
            row, picture = self.row_at(pos.y()), self.layout_.picture_row_at(pos.y())
            if row is not None:
                self._press_row_name(row, event)
            elif picture is not None:
                self.picture_menu.emit(picture, event.globalPosition().toPoint())
            return
        placed = self.clip_under(pos)
        if event.button() == Qt.MouseButton.RightButton:
            if placed is not None:
                if placed.clip.id not in self.project.clip_ids:
                    self.project.select_clip(placed.clip.id)
                self.clip_menu.emit(placed.clip.id, event.globalPosition().toPoint())
            return
        if event.button() == Qt.MouseButton.LeftButton:
            self._grip = self._take(pos, placed, event.modifiers())

    def _press_row_name(self, row: int, event: QMouseEvent) -> None:
        """A row's dots, or a right click, open its menu; a drag along its name sets its amount, with Shift all rows'."""
        pos = event.position()
        if event.button() == Qt.MouseButton.RightButton or pos.x() > GUTTER - 20:
            self.project.select_row(self.project.reel.rows[row].id)
            self.row_menu.emit(self.project.reel.rows[row].id, event.globalPosition().toPoint())
        elif event.button() == Qt.MouseButton.LeftButton:
            everything = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.row_gestures.press_name(row, pos, everything)
            self._grip = _Grip("row name", "", row, pos, 0.0)

    def _take(self, pos: QPointF, placed: Placed | None, keys: Qt.KeyboardModifier) -> _Grip | None:
        layout = self.layout_
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
            if pinned[0].clip.id not in self.project.clip_ids:
                self.project.select_clip(pinned[0].clip.id)
            return _Grip("pin", pinned[0].clip.id, -1, pos, 0.0, pinned[1])
        edge = self.edge_near(pos)
        if edge is not None:
            return self._take_edge(edge, pos, keys)
        if placed is not None:
            ctrl, shift = (
                bool(keys & Qt.KeyboardModifier.ControlModifier),
                bool(keys & Qt.KeyboardModifier.ShiftModifier),
            )
            if not ctrl and not shift and placed.clip.id not in self.project.clip_ids:
                self.project.select_clip(placed.clip.id)
            return _Grip("slip" if ctrl else "slide" if shift else "clip", placed.clip.id, placed.clip.row, pos, 0.0)
        cell = self.cell_at(pos)
        if cell is not None:
            taken = self.row_gestures.press_cell(*cell, pos, keys)
            if not taken:
                self.row_wanted.emit()
            return _Grip("cell", "", cell[0], pos, 0.0) if taken else None
        if pos.y() < layout.pictures_end:
            self.project.select_clip(None)
            self._seek(pos.x())
            return _Grip("ruler", "", -1, pos, 0.0)
        return None

    def _take_edge(self, edge: tuple[Placed, trim.Side], pos: QPointF, keys: Qt.KeyboardModifier) -> _Grip:
        """A cut between two clips rolls; with Ctrl one side is trimmed, with Shift what follows moves along."""
        placed, side = edge
        if placed.clip.id not in self.project.clip_ids:
            self.project.select_clip(placed.clip.id)
        ctrl, shift = keys & Qt.KeyboardModifier.ControlModifier, keys & Qt.KeyboardModifier.ShiftModifier
        frame = placed.first if side == "start" else placed.end
        row = self.project.timeline.rows[placed.clip.row]
        other = next((p for p in row if (p.end if side == "start" else p.first) == frame and p is not placed), None)
        if other is not None and not ctrl and not shift:
            a, b = (other, placed) if side == "start" else (placed, other)
            return _Grip("cut", a.clip.id, placed.clip.row, pos, float(frame), b.clip.id)
        return _Grip("edge", placed.clip.id, placed.clip.row, pos, float(frame), side, bool(shift))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        self._drag_at = pos
        grip = self._grip
        if grip is None:
            self._hover(pos)
            return
        free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
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
        elif grip.what in ("cell", "row name") and (far or self._drag_text):
            self.row_gestures.drag(self.view, self.layout_, pos)
            self._drag_text = self.row_gestures.text
        elif grip.what in ("cut", "edge") and (far or self._drag_text):
            self._drag_edge(grip, pos, free)
        elif grip.what in ("clip", "slide", "slip") and (far or self._drag_text):
            self._drag_clip(grip, pos, free)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        grip, self._grip = self._grip, None
        dragged, self._drag_text, self._snap = bool(self._drag_text), "", None
        if grip is None:
            return
        if grip.what in ("cell", "row name"):
            self.row_gestures.release(event.position())
            if grip.what == "row name" and not dragged:
                self.row_wanted.emit()
        elif grip.what in _SETTLED:
            self.project.settle(_SETTLED[grip.what])
            if not dragged:
                self._clicked(grip, event.modifiers())
            elif grip.what in ("pin", "clip", "edge", "cut"):
                self.settled_clip.emit(grip.id)
        self.update()

    def _clicked(self, grip: _Grip, keys: Qt.KeyboardModifier) -> None:
        """A press without a drag: Ctrl adds to what is selected or takes out, Shift selects up to here."""
        if grip.what == "slip":
            self.project.toggle_clip(grip.id)
        elif grip.what == "slide":
            self.project.select_to(grip.id)
        elif grip.what == "clip":
            self.project.select_clip(grip.id)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        self._grip = None
        if points_top() <= pos.y() < points_top() + POINTS_H and pos.x() >= GUTTER:
            song_s = self.view.time(pos.x()) + self.project.timeline.start_s
            self.project.change("Point placed by hand", lambda reel: points.with_point(reel, song_s))
            return
        placed = self.clip_under(pos)
        if placed is not None:  # a group is opened: its clip alone is selected
            self.project.select_clip(placed.clip.id, alone=True)

    def _drag_point(self, grip: _Grip, pos: QPointF) -> None:
        time_s = grip.was + (pos.x() - grip.start.x()) / self.view.px_per_s
        if self.project.preview_change(lambda reel: points.with_moved_point(reel, grip.id, time_s)):
            point = self.project.timeline.point(grip.id)
            if point is not None:
                frame = self.project.timeline.frame_of_point(point)
                self._drag_text = f"point {point.label}: frame {frame}, {(time_s - grip.was) * 1000:+.1f} ms"

    def _drag_pin(self, grip: _Grip, pos: QPointF) -> None:
        nearest = self.point_near(pos.x(), 1e9)
        clip = next((c for c in self.project.reel.clips if c.id == grip.id), None)
        if nearest is None or clip is None:
            return
        timeline = self.project.timeline
        tied = any(q.cue == grip.other for q in clip.pins)
        if tied:
            self.project.preview_change(lambda reel: pin.with_moved_pin(reel, grip.id, grip.other, nearest.id))
        else:
            self.project.preview_change(lambda reel: pin.with_pin(reel, grip.id, grip.other, nearest.id, also=True))
        self._drag_text = f"cue on point {nearest.label}, frame {timeline.frame_of_point(nearest)}"
        placed = self.project.timeline.placed_clip(grip.id)
        lacks = pin.trouble(self.project.timeline, placed) if placed is not None else ""
        if lacks:
            self._drag_text += f" · {lacks}"

    def _drag_edge(self, grip: _Grip, pos: QPointF, free: bool) -> None:
        """Move a cut or one edge; frames and lengths are shown as it goes."""
        timeline = self.project.timeline
        rate = float(timeline.rate)
        moved = (pos.x() - grip.start.x()) / self.view.px_per_s * rate
        names = {grip.id, grip.other}
        wanted = [] if free else targets(timeline, self.project.frame, names)
        wanted = [t for t in wanted if t.frame != int(grip.was) or abs(moved) < 2]
        snap = snapped(moved, [(grip.was, "")], wanted, self.view, rate)
        frame = int(grip.was) + snap.frames
        if grip.what == "cut":
            done = self.project.preview_change(lambda reel: trim.with_rolled_cut(reel, grip.id, grip.other, frame))
        else:
            side: trim.Side = "start" if grip.other == "start" else "end"
            done = self.project.preview_change(
                lambda reel: trim.with_moved_edge(reel, grip.id, side, frame, grip.ripple)
            )
        if not done:
            return
        self._snap = snap
        after = self.project.timeline
        sizes = [f"{p.frames} f" for n in (grip.id, grip.other) if (p := after.placed_clip(n)) is not None]
        doing = "cut" if grip.what == "cut" else "trim, what follows moves along" if grip.ripple else "trim"
        self._drag_text = f"{doing} · frame {frame} ({snap.frames:+d}) · {' | '.join(sizes)}"

    def _drag_clip(self, grip: _Grip, pos: QPointF, free: bool) -> None:
        timeline = self.project.timeline
        base = Timeline(self.project.history.reel)
        placed = base.placed_clip(grip.id)
        if placed is None:
            return
        rate = float(timeline.rate)
        moved = (pos.x() - grip.start.x()) / self.view.px_per_s * rate
        if grip.what == "slip":
            seconds = -moved / rate * placed.footage.pace
            self.project.preview_change(lambda reel: trim.with_slipped(reel, [grip.id], seconds))
            now = self.project.timeline.placed_clip(grip.id)
            shown = now.map.start_s if now is not None else 0.0
            self._drag_text = f"slip · shows {shown:.3f} s of the footage at frame {placed.first} ({-moved:+.0f} f)"
            return
        names = self.project.chosen_clips if grip.what == "clip" else [grip.id]
        names = names if grip.id in names else [grip.id]
        marks: list[tuple[float, str]] = [(float(placed.first), ""), (float(placed.end), "end")]
        marks += [(frame, "cue") for _, frame in paint.free_cues(base, placed)]
        marks += [(float(t.frame), "cue") for t in placed.ties]
        wanted = [] if free else targets(base, self.project.frame, names)
        snap = snapped(moved, marks, wanted, self.view, rate)
        rows = 0
        if grip.what == "clip":
            row = self.layout_.picture_row_at(pos.y())
            top = self.layout_.picture_top(len(timeline.reel.picture) - 1)
            rows = (len(self.project.history.reel.picture) if pos.y() < top - 14 else grip.row) - grip.row
            if row is not None:
                rows = row - grip.row
            done = self.project.preview_change(lambda reel: place.moved_to(reel, names, snap.frames, rows))
        else:
            done = self.project.preview_change(lambda reel: trim.with_slid(reel, grip.id, snap.frames))
        if done:
            self._snap = snap
            doing = "slide" if grip.what == "slide" else "move"
            where = f" to row {grip.row + rows + 1}" if rows else ""
            self._drag_text = (
                f"{doing}{where} · frame {placed.first + snap.frames} ({snap.frames:+d}) · {placed.frames} f"
            )

    # Dropping footage

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(FOOTAGE_MIME) or event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        frame, point, row = self._drop_place(event.position())
        what = "from frame" if not point else "cue on point"
        label = str(frame)
        if point:
            found = self.project.timeline.point(point)
            label = found.label if found is not None else label
        over = f" · row {row + 1}" if len(self.project.reel.picture) > 1 else ""
        self._dropping = (frame_x(self.view, self.project.timeline, frame), f"{what} {label}{over}")
        self.update()
        event.acceptProposedAction()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self._dropping = None
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        self._dropping = None
        frame, point, row = self._drop_place(event.position())
        if event.mimeData().hasFormat(FOOTAGE_MIME):
            names = bytes(event.mimeData().data(FOOTAGE_MIME).data()).decode().split()
            for name in names[:1]:
                self.footage_dropped.emit(name, frame, point, row)
        else:
            paths = [u.toLocalFile() for u in event.mimeData().urls() if u.isLocalFile()]
            self.files_dropped.emit(paths, frame, point, row)
        event.acceptProposedAction()
        self.update()

    def _drop_place(self, pos: QPointF) -> tuple[int, str, int]:
        """Return the frame, the point ('' away from points) and the picture row that a drop at a place means."""
        point = self.point_near(pos.x(), 12)
        row = self.layout_.picture_row_at(pos.y())
        frame = min(max(self._frame_under(pos.x()), 0), max(self.project.timeline.frames - 1, 0))
        if point is not None:
            frame = self.project.timeline.frame_of_point(point)
        return frame, point.id if point is not None else "", self.placing_row() if row is None else row

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
        elif self.edge_near(pos):
            shape = Qt.CursorShape.SplitHCursor
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
            if self.edge_near(pos):
                return (
                    "Drag: move the cut. Ctrl: trim this clip alone. Shift: what follows moves along. Alt: no snapping."
                )
            clean = floor_text(placed.footage, timeline.rate)
            lacks = pin.trouble(timeline, placed)
            return (
                f"{placed.footage.name}\n{placed.frames} frames, {placed.first} to {placed.end - 1} · {clean}"
                + (f"\n{lacks}" if lacks else "")
                + "\nDrag: move, up and down to other rows. Ctrl and drag: slip the footage. Shift and drag: slide."
            )
        row = self.row_at(pos.y())
        if row is not None and pos.x() < GUTTER:
            return "Click: edit it on the Accents page. Drag along: its amount; Shift and drag: all accents'. Dots: its menu."
        cell = self.cell_at(pos)
        if cell is not None:
            return cell_said(self.project, *cell)
        return ""

    def leaveEvent(self, event: QEvent) -> None:
        if self._hover_point or self._hover_cell:
            self._hover_point = self._hover_cell = None
            self.refresh()

    def wheelEvent(self, event: QWheelEvent) -> None:
        turn = event.angleDelta()
        down = event.position().x() < GUTTER or event.modifiers() & Qt.KeyboardModifier.ControlModifier
        if down and self.layout_.hidden:
            self.scroll_rows(-round(turn.y() * 0.4))
        elif turn.x() or event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.view = self.view.panned(-(turn.x() or turn.y()) * 0.7, self.project.timeline)
            self.refresh()
        else:
            self.zoom(1.0015 ** turn.y(), event.position().x())
        event.accept()

    def scroll_rows(self, pixels: int) -> None:
        """Show rows further down, or up: where they do not all fit."""
        scroll = min(max(self._scroll + pixels, 0), self.layout_.hidden)
        if scroll != self._scroll:
            self._scroll = scroll
            self.refresh()

    def _seek(self, x: float) -> None:
        timeline = self.project.timeline
        # Near a point the playhead goes to it; that is where one wants to look.
        point = self.point_near(x, 5)
        time_s = timeline.reel_s(point) if point is not None else self.view.time(x)
        self.project.go(frame_of(max(0.0, time_s), timeline.rate))
