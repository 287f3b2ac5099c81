"""The rhythm view: the whole song, down to single milliseconds, with its points to select, move and place."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen, QPixmap, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from tempik.desktop.pages.rhythm import painting as paint
from tempik.desktop.pages.rhythm.painting import BARS_H, SECTIONS_H, SongSpan
from tempik.desktop.playback.listening import Listening
from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.session.song import Song
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painted, painted_layer
from tempik.desktop.widgets.plain import as_tip
from tempik.desktop.widgets.theme import colour, words
from tempik.digits import plural
from tempik.edit.song import points as edit_points
from tempik.edit.song.points import nearest
from tempik.reel import Point, Reel, Soundtrack, beats_between
from tempik.time import time_of

REACH_PX = 7
SNAP_PX = 7
DRAG_PX = 4


class RhythmView(QWidget):
    """Click: the cursor. Drag the ruler: mark a stretch. Drag over the wave: select points. Drag a sign: move it."""

    cursor_moved = Signal(float)
    shown = Signal()  # another stretch or other points are on screen

    def __init__(self, project: Project, song: Song, listening: Listening) -> None:
        super().__init__()
        self.project, self.song, self.listening = project, song, listening
        self.gesture = Gesture(project)
        self.span = SongSpan(0.0, 10.0, 800)
        self.cursor_s = 0.0
        self.taps: list[float] = []
        self._layer: QPixmap | None = None
        self._path = ""
        self._grip = ""
        self._press = QPointF()
        self._held: Point | None = None
        self._was_s = 0.0
        self._swept: QRectF | None = None
        self._text = ""
        self.setMouseTracking(True)
        self.setMinimumHeight(116)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Rhythm of the song")
        project.changed.connect(self._reel_changed)
        project.selection.points_selected.connect(self.refresh)
        song.changed.connect(self.refresh)
        listening.changed.connect(self.refresh)
        self._reel_changed()

    def sizeHint(self) -> QSize:
        return QSize(560, 200)

    @property
    def record(self) -> Soundtrack | None:
        """The reel's song, or None."""
        return self.project.reel.soundtrack

    @property
    def _length_s(self) -> float:
        return self.record.length_s if self.record is not None else 0.0

    def refresh(self) -> None:
        """Paint everything anew."""
        self._layer = None
        self.update()
        self.shown.emit()

    def _reel_changed(self) -> None:
        path = self.record.path if self.record is not None else ""
        if path != self._path:
            self._path = path
            self.taps = []
            self.cursor_s = self.project.timeline.start_s
            self.show_all()
        self.refresh()

    def show_taps(self, taps_s: Sequence[float]) -> None:
        """Mark the instants that were tapped."""
        self.taps = list(taps_s)
        self.refresh()

    def show_all(self) -> None:
        """Show the whole song."""
        self.span = SongSpan.whole(self._length_s, self.width())
        self.refresh()

    def show_reel(self) -> None:
        """Show the stretch that the reel uses."""
        timeline = self.project.timeline
        length = max(time_of(timeline.frames, timeline.rate), 1.0)
        self.span = SongSpan(timeline.start_s - 0.02 * length, self.width() / (1.04 * length), self.width())
        self.span = self.span.kept_on(self._length_s)
        self.refresh()

    def zoom(self, factor: float, x: float | None = None) -> None:
        """Zoom about an x, or about the cursor."""
        self.span = self.span.scaled(factor, self.span.x(self.cursor_s) if x is None else x, self._length_s)
        self.refresh()

    def go(self, song_s: float) -> None:
        """Move the cursor; the view follows it."""
        self.show_cursor(song_s)
        self.cursor_moved.emit(self.cursor_s)

    def show_cursor(self, song_s: float) -> None:
        """Show the cursor elsewhere, without telling of it."""
        self.cursor_s = min(max(song_s, 0.0), self._length_s)
        x = self.span.x(self.cursor_s)
        if not 0 <= x <= self.width():
            start = self.cursor_s - 0.1 * self.width() / self.span.px_per_s
            self.span = self.span._replace(start_s=start).kept_on(self._length_s)
            self.refresh()
        self.update()

    # Painting

    def resizeEvent(self, event: QResizeEvent) -> None:
        whole = self.span.shows_all(self._length_s)
        resized = self.span._replace(width=max(1, self.width())).kept_on(self._length_s)
        self.span = SongSpan.whole(self._length_s, self.width()) if whole else resized
        self.refresh()

    @painted
    def paintEvent(self, p: QPainter) -> None:
        if self._layer is None:
            self._layer = painted_layer(self, self._paint_layer)
        p.drawPixmap(0, 0, self._layer)
        if self.record is not None:
            x = self.span.x(self.cursor_s)
            p.setPen(QPen(QColor(0, 0, 0, 160), 3))
            p.drawLine(QPointF(x, SECTIONS_H), QPointF(x, self.height()))
            p.setPen(QPen(QColor(theme.PLAYHEAD), 1.4))
            p.drawLine(QPointF(x, SECTIONS_H), QPointF(x, self.height()))
            if self._swept is not None:
                p.setPen(QPen(QColor(theme.PLAYHEAD), 1, Qt.PenStyle.DashLine))
                p.setBrush(colour(theme.PLAYHEAD, 0.08))
                p.drawRect(self._swept)
            if self._text:
                self._paint_text(p)

    def _paint_layer(self, p: QPainter) -> None:
        record, height = self.record, self.height()
        if record is None:
            p.fillRect(self.rect(), QColor(theme.SUNK))
            p.setPen(QColor(theme.QUIET))
            p.setFont(words(13))
            p.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, "The song's rhythm appears here: open a song (Ctrl+L)."
            )
            return
        timeline = self.project.timeline
        reel = (timeline.start_s, timeline.start_s + time_of(timeline.frames, timeline.rate))
        paint.paint_background(p, record, self.span, height, reel)
        paint.paint_wave(p, self.song, self.span, height)
        paint.paint_points(
            p, self.points_shown(), self.span, height, self.project.selection.points, self._anchors(record)
        )
        paint.paint_taps(p, self.taps, self.span, height)
        tags = paint.tempo_tags(p, record, self.span)
        paint.paint_sections(p, record, self.span, tags)
        paint.paint_bars(p, record, self.span)
        paint.paint_tempi(p, tags)
        paint.paint_seconds(p, self.span, height)
        if self.listening.marked is not None:
            paint.paint_marked(p, self.listening.marked, self.span, height, self.listening.looping)

    def _anchors(self, record: Soundtrack) -> frozenset[str]:
        return frozenset(a.point for a in record.reading.anchors)

    def _paint_text(self, p: QPainter) -> None:
        p.setFont(words(12))
        wide = p.fontMetrics().horizontalAdvance(self._text) + 16
        box = QRectF(self.width() - wide - 8, SECTIONS_H + BARS_H + 2, wide, 22)
        p.setPen(QColor(theme.RHYTHM))
        p.setBrush(colour(theme.SUNK, 0.94))
        p.drawRoundedRect(box, 4, 4)
        p.setPen(QColor(theme.TEXT))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, self._text)

    def points_shown(self) -> list[Point]:
        """Return the points on screen, and those whose signs reach into it."""
        near = 12 / self.span.px_per_s
        a, b = self.span.start_s - near, self.span.end_s + near
        return [q for q in self.project.timeline.points if a <= q.time_s <= b]

    # Pointer

    def point_under(self, pos: QPointF) -> Point | None:
        """Return the point under the pointer, or None."""
        found = min(self.points_shown(), key=lambda q: abs(self.span.x(q.time_s) - pos.x()), default=None)
        if found is not None and abs(self.span.x(found.time_s) - pos.x()) <= REACH_PX:
            return found
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        self._press, self._grip = pos, ""
        if self.record is None:
            return
        if event.button() == Qt.MouseButton.MiddleButton:
            self._grip, self._was_s = "pan", self.span.start_s
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        top, _ = paint.wave_box(self.height())
        if pos.y() < SECTIONS_H + BARS_H:
            self._grip = "mark"
            return
        point = self.point_under(pos) if pos.y() < top + 4 else None
        more = event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        if point is None:
            self._grip = "sweep"
            return
        self._grip, self._held, self._was_s = "point", point, point.time_s
        if more & Qt.KeyboardModifier.ShiftModifier and self.project.selection.points:
            self._select_to(point)
        elif more:
            self.project.selection.select_points(self.project.selection.points ^ {point.id})
        elif point.id not in self.project.selection.points:
            self.project.selection.select_points({point.id})

    def _select_to(self, point: Point) -> None:
        """Select from the first selected point to this one."""
        chosen = self.project.selection.points_of()
        if not chosen:
            self.project.selection.select_points({point.id})
            return
        a, b = (
            sorted((chosen[0].time_s, point.time_s))
            if point.time_s < chosen[0].time_s
            else (chosen[0].time_s, point.time_s)
        )
        self.project.selection.select_points(q.id for q in self.project.timeline.points if a <= q.time_s <= b)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        if not self._grip:
            point = self.point_under(pos)
            self.setCursor(Qt.CursorShape.SizeHorCursor if point is not None else Qt.CursorShape.ArrowCursor)
            if point is not None:
                strength = f"strength {point.strength * 100:.0f} %"
                name = f" “{point.name}”" if point.name else ""
                self.setToolTip(as_tip(f"{point.label}{name} · {point.time_s:.3f} s · {strength}"))
            else:
                self.setToolTip("")
            return
        far = (pos - self._press).manhattanLength() >= DRAG_PX
        if self._grip == "pan":
            start = self._was_s - (pos.x() - self._press.x()) / self.span.px_per_s
            self.span = self.span._replace(start_s=start).kept_on(self._length_s)
            self.refresh()
        elif self._grip == "mark" and far:
            free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            a, b = sorted((self._snapped(self._press.x(), free), self._snapped(pos.x(), free)))
            self.project.selection.mark((a, b) if b - a > 0.02 else None)
            self._text = f"{a:.3f} to {b:.3f} s"
        elif self._grip == "sweep" and far:
            top, bottom = paint.wave_box(self.height())
            left, right = sorted((self._press.x(), pos.x()))
            self._swept = QRectF(left, top, right - left, bottom - top)
            inside = [q.id for q in self.points_shown() if left <= self.span.x(q.time_s) <= right]
            self.project.selection.select_points(inside)
            self._text = plural(len(inside), "point")
            self.update()
        elif self._grip == "point" and far and self._held is not None:
            self._drag(pos, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))

    def _drag(self, pos: QPointF, free: bool) -> None:
        held = self._held
        record = self.record
        if held is None or record is None:
            return
        time_s = self._was_s + (pos.x() - self._press.x()) / self.span.px_per_s
        on = ""
        near = nearest([o.time_s for o in record.heard.onsets], time_s) if record.heard and not free else None
        if near is not None and abs(self.span.x(near) - self.span.x(time_s)) <= SNAP_PX:
            time_s, on = near, ", on the attack"
        by_s = time_s - self._was_s
        names = [q.id for q in self.project.selection.points_of()] or [held.id]

        def move(reel: Reel) -> Reel:
            return edit_points.nudged(reel, names, by_s)

        if self.gesture.show(move):
            self._text = f"{held.label}: {by_s * 1000:+.1f} ms{on}"

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        grip, self._grip, self._held = self._grip, "", None
        still = (event.position() - self._press).manhattanLength() < DRAG_PX
        self._swept, self._text = None, ""
        if grip == "point":
            count = len(self.project.selection.points)
            self.gesture.settle("Point moved" if count < 2 else f"{count} points moved")
            if still and not event.modifiers() and len(self.project.selection.points) > 1:
                point = self.point_under(event.position())
                self.project.selection.select_points({point.id} if point is not None else ())
        elif grip == "mark" and still:
            self.project.selection.mark(None)
            self.go(self._snapped(event.position().x(), False))
        elif grip == "sweep" and still:
            self.project.selection.select_points(())
            self.go(self.span.time(event.position().x()))
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        self._grip = ""
        if self.record is None:
            return
        if pos.y() < SECTIONS_H:
            self._mark_section(self.span.time(pos.x()))
        elif pos.y() >= SECTIONS_H + BARS_H and self.point_under(pos) is None:
            song_s = min(max(self.span.time(pos.x()), 0.0), self._length_s)
            self.project.change("Point placed by hand", lambda reel: edit_points.with_point(reel, song_s))

    def _mark_section(self, song_s: float) -> None:
        heard = self.record.heard if self.record is not None else None
        section = next((s for s in heard.sections if s.start_s <= song_s < s.end_s), None) if heard else None
        if section is not None:
            self.project.selection.mark((section.start_s, section.end_s))

    def _snapped(self, x: float, free: bool) -> float:
        time_s = min(max(self.span.time(x), 0.0), self._length_s)
        if free or self.record is None:
            return time_s
        around = 2 * SNAP_PX / self.span.px_per_s
        beats = [b.time_s for b in beats_between(self.record, time_s - around, time_s + around)]
        near = nearest(beats, time_s)
        return near if near is not None and abs(near - time_s) * self.span.px_per_s <= 2 * SNAP_PX else time_s

    def wheelEvent(self, event: QWheelEvent) -> None:
        turn = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or abs(turn.x()) > abs(turn.y()):
            pixels = -(turn.x() or turn.y()) * 0.6
            self.span = self.span._replace(start_s=self.span.start_s + pixels / self.span.px_per_s)
            self.span = self.span.kept_on(self._length_s)
            self.refresh()
        else:
            self.zoom(1.0016 ** turn.y(), event.position().x())
        event.accept()

    def leaveEvent(self, event: QEvent) -> None:
        self.setToolTip("")
