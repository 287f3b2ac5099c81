"""The song strip: the whole song, and the stretch of it that the reel uses as a window to drag and resize."""

from __future__ import annotations

from fractions import Fraction
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QLineF, QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QContextMenuEvent, QMouseEvent, QPainter, QPen, QPixmap, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QToolButton, QWidget

from tempik.desktop.commands.arranging import ArrangeCommands
from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.session.song import Song
from tempik.desktop.song.stretch_panel import StretchPanel
from tempik.desktop.song.wave import level_colour
from tempik.desktop.widgets import marks, theme
from tempik.desktop.widgets.painting import painted, painted_layer
from tempik.desktop.widgets.plain import pop_up
from tempik.desktop.widgets.theme import colour, figures, words
from tempik.edit.song.arranging import bars_between
from tempik.edit.song.stretches import with_stretch
from tempik.errors import TempikError
from tempik.reel import Point, Soundtrack, beats_between, is_steady
from tempik.reel.points import tempi_of
from tempik.rhythm.tempi import tempo_words
from tempik.time import clock_text, time_of

HEIGHT = 56
HANDLE_PX = 7
WORDS_H = 18  # what the song is, in words above its marks
SECTIONS_H = 5
SHORTEST_S = 0.5
TIP = (
    "The whole song. Drag the window to use another stretch; its sides change the reel's length. Ctrl and drag marks bars; "
    "a right click: what to do with them."
)


class _Standing(NamedTuple):
    """What the standing picture shows."""

    record: Soundtrack | None
    start_s: float
    frames: int
    rate: Fraction
    marked: tuple[float, float] | None

    def differs(self, other: _Standing) -> bool:
        """Tell whether another is painted otherwise; a song is the same while it is the same record."""
        return self.record is not other.record or self[1:] != other[1:]


class SongStrip(QWidget):
    """Drag the window to move the stretch, its sides to resize; both snap to downbeats unless Alt is held."""

    def __init__(self, project: Project, song: Song, arrange: ArrangeCommands) -> None:
        super().__init__()
        self.project, self.song, self.arrange = project, song, arrange
        self.gesture = Gesture(project)
        self._layer: QPixmap | None = None  # the song alone
        self._drawn: tuple[str, str] | None = None
        self._standing: tuple[_Standing, QPixmap] | None = None  # all but the playhead and the drag, and what it shows
        self._grip = ""
        self._press_s = 0.0
        self._was = (0.0, 0.0)
        self.panel = StretchPanel(project, self, arrange)
        arrange.wanted.connect(self.show_panel)
        self.more = QToolButton(self)
        self.more.setText("stretch, fades …")
        self.more.setToolTip("Suggested stretches, another length of the song, gain and fades")
        self.more.setFont(words(12))
        marks.room(self.more, "least")
        self.more.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.more.clicked.connect(self.show_panel)
        self.more.hide()
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setAccessibleName("Song")
        self.setToolTip(TIP)
        project.changed.connect(self._reel_changed)
        project.playhead.moved.connect(lambda _: self.update())
        project.selection.marked_changed.connect(self.update)
        song.changed.connect(self._anew)

    def sizeHint(self) -> QSize:
        return QSize(600, HEIGHT)

    def _reel_changed(self) -> None:
        # While a point is dragged only the bars move; the song's outline need not be painted again.
        record = self.project.reel.soundtrack
        drawn = (record.path, f"{tempo_words(tempi_of(record), 2)}{is_steady(record)}") if record is not None else None
        self.more.setVisible(record is not None)
        if drawn != self._drawn:
            self._drawn = drawn
            self._forget()
        self.update()

    def _forget(self) -> None:
        self._layer = self._standing = None

    def _anew(self) -> None:
        self._forget()
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._forget()
        self.more.adjustSize()
        self.more.move(self.width() - self.more.width() - 3, 1)

    def show_panel(self) -> None:
        """Offer stretches, gain and fades."""
        if self.project.reel.soundtrack is not None:
            self.panel.show_at(self.mapToGlobal(QPoint(self.width() - 440, self.height() + 2)))

    @property
    def _length_s(self) -> float:
        record = self.project.reel.soundtrack
        return record.length_s if record is not None else 0.0

    def _x(self, song_s: float) -> float:
        return song_s / self._length_s * self.width() if self._length_s else 0.0

    def _window(self) -> QRectF:
        timeline = self.project.timeline
        left = self._x(timeline.start_s)
        right = self._x(timeline.start_s + time_of(timeline.frames, timeline.rate))
        return QRectF(left, 1, max(right - left, 3), HEIGHT - 2)

    @painted
    def paintEvent(self, p: QPainter) -> None:
        timeline = self.project.timeline
        shows = _Standing(
            self.project.reel.soundtrack,
            timeline.start_s,
            timeline.frames,
            timeline.rate,
            self.project.selection.marked,
        )
        if self._standing is None or self._standing[0].differs(shows):
            self._standing = (shows, painted_layer(self, self._paint_standing))
        p.drawPixmap(0, 0, self._standing[1])
        if self._length_s:
            p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
            self._paint_moving(p)

    def _paint_standing(self, p: QPainter) -> None:
        """What does not change while the reel plays."""
        if self._layer is None:
            self._layer = painted_layer(self, self._paint_song)
        p.drawPixmap(0, 0, self._layer)
        if self._length_s:
            self._paint_bars(p)
            self._paint_window(p)
            self._paint_arrangement(p)
            self._paint_words(p)

    def _paint_moving(self, p: QPainter) -> None:
        """The playhead, and where a drag puts the window."""
        timeline = self.project.timeline
        x = self._x(timeline.start_s + time_of(self.project.playhead.frame, timeline.rate))
        p.setPen(QPen(QColor(theme.PLAYHEAD), 1.2))
        p.drawLine(QPointF(x, 2), QPointF(x, HEIGHT - 2))
        if self._grip:
            p.setFont(figures(12))
            p.setPen(QColor(theme.TEXT))
            length = time_of(timeline.frames, timeline.rate)
            text = f"{timeline.start_s:.2f} s + {length:.2f} s"
            box = self._window().adjusted(8, 0, -8, -3)
            p.drawText(box, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, text)

    def _paint_song(self, p: QPainter) -> None:
        p.fillRect(self.rect(), QColor(theme.SUNK))
        record = self.project.reel.soundtrack
        if record is None or self.song.outline is None:
            p.setPen(QColor(theme.QUIET))
            p.setFont(words(13))
            text = "reading the song …" if record is not None else "no song yet: drop one on the window"
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
            return
        count = self.width()
        peaks = self.song.outline.columns(0.0, record.length_s, count)
        # Energy over about a second colours the wave: quiet passages dim, full ones bright.
        size = max(1, round(count / record.length_s))
        energy = np.convolve(peaks**2, np.ones(2 * size + 1) / (2 * size + 1), mode="same") ** 0.5
        top = float(energy.max()) or 1.0
        heard = record.heard
        for section in heard.sections if heard is not None else ():
            left, right = self._x(section.start_s), self._x(section.end_s)
            p.fillRect(QRectF(left, HEIGHT - SECTIONS_H, right - left - 1, SECTIONS_H), level_colour(section.level))
        for drop in heard.drops if heard is not None else ():
            p.fillRect(QRectF(self._x(drop) - 1, WORDS_H, 2, HEIGHT - WORDS_H), QColor(theme.RHYTHM))
        middle = HEIGHT / 2 + 3
        lines: list[list[QLineF]] = [[] for _ in range(5)]
        for i, (h, e) in enumerate(zip(peaks, energy, strict=True)):
            lines[min(4, int(e / top * 5))].append(
                QLineF(i, middle - h * (HEIGHT / 2 - 11), i, middle + h * (HEIGHT / 2 - 11))
            )
        for shade, group in zip(("#4a433b", "#665a4a", "#85735a", "#a89070", "#d4b98e"), lines, strict=True):
            p.setPen(QColor(shade))
            p.drawLines(group)

    def _paint_words(self, p: QPainter) -> None:
        """The song's name and tempo, over whatever part of it the reel leaves out."""
        record = self.project.reel.soundtrack
        if record is None or self.song.outline is None:
            return
        name = record.path.rsplit("/", 1)[-1]
        tempo = tempo_words(tempi_of(record), 2) or "no steady beat"
        if tempi_of(record):
            tempo += ", even grid" if is_steady(record) else ", followed"
        text = f"{name} · {tempo} · {clock_text(record.length_s)}"
        p.setFont(words(12))
        room = self.more.x() - 16
        text = p.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, room)
        p.fillRect(QRectF(3, 3, p.fontMetrics().horizontalAdvance(text) + 10, 15), colour(theme.SUNK, 0.75))
        p.setPen(QColor(theme.QUIET))
        p.drawText(QRectF(8, 2, room, 16), Qt.AlignmentFlag.AlignLeft, text)

    def _paint_bars(self, p: QPainter) -> None:
        bars = self._bars()
        step = 1 if len(bars) < self.width() / 14 else 4 if len(bars) < self.width() / 4 else 16
        p.setPen(colour(theme.RHYTHM, 0.55))
        p.drawLines([QLineF(self._x(q.time_s), HEIGHT - 9, self._x(q.time_s), HEIGHT - 5) for q in bars[::step]])

    def _paint_arrangement(self, p: QPainter) -> None:
        """Where pieces of the song are joined, and which bars are marked."""
        record, marked = self.project.reel.soundtrack, self.project.selection.marked
        at_s = 0.0
        for piece in record.pieces[:-1] if record is not None else ():
            at_s += piece.to_s - piece.from_s
            x = self._x(at_s)
            p.fillRect(QRectF(x - 2.5, WORDS_H, 5, HEIGHT - WORDS_H), QColor(theme.GROUND))
            p.fillRect(QRectF(x - 0.75, WORDS_H, 1.5, HEIGHT - WORDS_H), QColor(theme.SOUND))
        if marked is not None:
            left, right = (self._x(s) for s in marked)
            p.fillRect(QRectF(left, 0, right - left, HEIGHT), colour(theme.SOUND, 0.3))

    def _paint_window(self, p: QPainter) -> None:
        box = self._window()
        shade = colour(theme.SUNK, 0.62)
        p.fillRect(QRectF(0, 0, box.left(), HEIGHT), shade)
        p.fillRect(QRectF(box.right(), 0, self.width() - box.right(), HEIGHT), shade)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        p.setPen(QPen(QColor(theme.RHYTHM), 1.6))
        p.drawRoundedRect(box.adjusted(1, 0, -1, 0), 3, 3)
        p.setBrush(QColor(theme.RHYTHM))
        p.setPen(Qt.PenStyle.NoPen)
        for x in (box.left() + 1, box.right() - 1):
            p.drawRoundedRect(QRectF(x - 2.5, HEIGHT / 2 - 9, 5, 18), 2, 2)
        p.setBrush(Qt.BrushStyle.NoBrush)
        self._paint_fades(p, box)

    def _paint_fades(self, p: QPainter, box: QRectF) -> None:
        record = self.project.reel.soundtrack
        if record is None:
            return
        p.setPen(QPen(QColor(theme.SPEED), 1.4))
        if record.fade_in_s > 0:
            p.drawLine(box.bottomLeft(), QPointF(self._x(record.start_s + record.fade_in_s), box.top()))
        if record.fade_out_s > 0:
            p.drawLine(box.bottomRight(), QPointF(box.right() - self._x(record.fade_out_s), box.top()))

    def _part(self, x: float) -> str:
        box = self._window()
        if not self._length_s:
            return ""
        if abs(x - box.left()) <= HANDLE_PX:
            return "start"
        if abs(x - box.right()) <= HANDLE_PX:
            return "end"
        return "window" if box.left() < x < box.right() else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self._length_s:
            self._grip = self._part(event.position().x())
            if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                self._grip = "bars"
            self._press_s = event.position().x() / self.width() * self._length_s
            self._was = (self.project.timeline.start_s, self.project.reel.length_s)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        x = event.position().x()
        if not self._grip:
            shape = {
                "start": Qt.CursorShape.SizeHorCursor,
                "end": Qt.CursorShape.SizeHorCursor,
                "window": Qt.CursorShape.OpenHandCursor,
            }
            self.setCursor(shape.get(self._part(x), Qt.CursorShape.ArrowCursor))
            return
        if self._grip == "bars":
            self._mark(x / self.width() * self._length_s)
            return
        moved = x / self.width() * self._length_s - self._press_s
        free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        start, length = self._was
        if self._grip == "window":
            start = min(max(self._snapped(start + moved, free), 0.0), max(0.0, self._length_s - length))
        elif self._grip == "start":
            end = start + length
            start = min(max(self._snapped(start + moved, free), 0.0), end - SHORTEST_S)
            length = end - start
        else:
            end = min(self._snapped(start + length + moved, free), self._length_s)
            length = max(SHORTEST_S, end - start)
        self.gesture.show(lambda reel: with_stretch(reel, start, length))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._grip == "bars":
            self._grip = ""
        elif self._grip:
            self._grip = ""
            self.gesture.settle("Stretch of song changed")
            self.update()

    def _mark(self, song_s: float) -> None:
        """Mark whole bars from where the press was to an instant."""
        a, b = sorted((self._press_s, song_s))
        try:
            self.project.selection.mark(bars_between(self.project.reel, a, b))
        except TempikError:
            self.project.selection.mark((a, b) if b - a > SHORTEST_S else None)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if self.project.reel.soundtrack is not None:
            pop_up(self.arrange.menu(self), event.globalPos())

    def _bars(self) -> list[Point]:
        record = self.project.reel.soundtrack
        return [q for q in beats_between(record, 0.0, record.length_s) if q.beat == 1] if record is not None else []

    def _snapped(self, song_s: float, free: bool) -> float:
        record = self.project.reel.soundtrack
        if free or record is None:
            return song_s
        bars = [q.time_s for q in self._bars()]
        nearest = min(bars, key=lambda t: abs(t - song_s), default=song_s)
        return nearest if abs(self._x(nearest) - self._x(song_s)) < 9 else song_s
