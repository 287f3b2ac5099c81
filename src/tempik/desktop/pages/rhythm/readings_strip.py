"""The readings of a song's beats over its wave: a row of ticks for each, with its tempo and how likely it is."""

from __future__ import annotations

from bisect import bisect_left, bisect_right

from PySide6.QtCore import QEvent, QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from tempik.desktop.pages.rhythm.view import RhythmView
from tempik.desktop.session.document import Project
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import colour, figures
from tempik.edit.song.readings import HeardReading, readings_of
from tempik.rhythm.records import belief_word

ROW_H = 20
_LABEL_W = 148


def reading_text(reading: HeardReading) -> str:
    """Return what is known of a reading in a line."""
    sure = f", {belief_word(reading.belief)}" if reading.number == 0 else ""
    name = "as found" if reading.number == 0 else f"rival {reading.number}"
    return f"{name}: {_tempo(reading)} BPM in {reading.metre}, {reading.belief * 100:.0f} % likely{sure}"


def _tempo(reading: HeardReading) -> str:
    return f"{reading.tempo_bpm:.1f}".removesuffix(".0")


class ReadingsStrip(QWidget):
    """One row a reading, the one in use in saffron and ringed; a click on a row reads the song so."""

    chosen = Signal(int)

    def __init__(self, project: Project, view: RhythmView) -> None:
        super().__init__()
        self.project, self.view = project, view
        self._pointed = -1
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Readings of the beats")
        view.shown.connect(self.update)

    def readings(self) -> tuple[HeardReading, ...]:
        """The ways to count the song, the one in use first."""
        song = self.project.reel.soundtrack
        return readings_of(song) if song is not None else ()

    def fill(self, wanted: bool) -> None:
        """Show the readings where they are wanted and there are some."""
        count = len(self.readings())
        self.setFixedHeight(max(1, count) * ROW_H + 2)
        self.setVisible(wanted and count > 0)
        self.update()

    def _row_at(self, y: float) -> int:
        row = int(y // ROW_H)
        return row if 0 <= row < len(self.readings()) else -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = self._row_at(event.position().y())
        if event.button() == Qt.MouseButton.LeftButton and row >= 0:
            self.chosen.emit(row)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        row = self._row_at(event.position().y())
        if row != self._pointed:
            self._pointed = row
            told = reading_text(self.readings()[row]) if row >= 0 else ""
            self.setToolTip(
                f"{told}. A click reads the song so; Shift+K goes through them while it plays." if told else ""
            )
            self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self._pointed = -1
        self.update()

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.fillRect(self.rect(), QColor(theme.SUNK))
        song = self.project.reel.soundtrack
        in_use = song.reading.rival if song is not None and song.reading.beat_source != "own" else -1
        for row, reading in enumerate(self.readings()):
            self._paint_row(p, reading, row * ROW_H, row == in_use, row == self._pointed)

    def _paint_row(self, p: QPainter, reading: HeardReading, top: int, in_use: bool, pointed: bool) -> None:
        span = self.view.span
        if pointed and not in_use:
            p.fillRect(QRectF(0, top, self.width(), ROW_H), colour(theme.RHYTHM, 0.08))
        first, last = bisect_left(reading.times_s, span.start_s), bisect_right(reading.times_s, span.end_s)
        tint = theme.RHYTHM if in_use else theme.QUIET
        near = (last - first) * 4 > self.width()
        downbeats = set(reading.downbeats_s)
        bottom = top + ROW_H - 2
        for strong in (False, True):
            if near and not strong:
                continue
            times = [t for t in reading.times_s[first:last] if (t in downbeats) == strong]
            p.setPen(QPen(colour(tint, 1.0 if strong else 0.75), 2.0 if strong else 1.2))
            p.drawLines([QLineF(span.x(t), top + (3 if strong else 9), span.x(t), bottom) for t in times])
        p.fillRect(QRectF(0, top, _LABEL_W, ROW_H - 1), QColor(theme.RAISED if in_use else theme.SUNK))
        p.setPen(QPen(QColor(tint), 1.6))
        p.setBrush(QColor(tint) if in_use else Qt.BrushStyle.NoBrush)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        p.drawEllipse(QPointF(11, top + ROW_H / 2 - 0.5), 4, 4)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        p.setPen(QColor(theme.TEXT if in_use else theme.QUIET))
        p.setFont(figures(12))
        p.drawText(QRectF(22, top, 84, ROW_H - 1), Qt.AlignmentFlag.AlignVCenter, f"{_tempo(reading)} BPM")
        share = QRectF(100, top, _LABEL_W - 106, ROW_H - 1)
        p.drawText(share, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, f"{reading.belief * 100:.0f} %")
