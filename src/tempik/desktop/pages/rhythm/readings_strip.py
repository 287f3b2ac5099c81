"""The readings of a song's beats over its wave, and below them the ways to count the bars of those in use: a row of ticks for each, with
its tempo or metre and how likely it is."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from typing import NamedTuple

from PySide6.QtCore import QEvent, QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from tempik.desktop.pages.rhythm.view import RhythmView
from tempik.desktop.session.document import Project
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import colour, figures
from tempik.edit.song.readings import HeardBars, HeardReading, bars_in_use, bars_of, readings_of
from tempik.rhythm.records import belief_word

ROW_H = 15
_LABEL_W = 156


class _Row(NamedTuple):
    """What a row of the strip shows: ticks at seconds, the strong ones among them, words, how likely, whether it is in use, and whether it
    is one of bars."""

    times_s: tuple[float, ...]
    strong: set[float]
    what: str
    belief: float
    in_use: bool
    bars: bool = False


def reading_text(reading: HeardReading) -> str:
    """Return what is known of a reading in a line."""
    sure = f", {belief_word(reading.belief)}" if reading.number == 0 else ""
    name = "as found" if reading.number == 0 else f"rival {reading.number}"
    return f"{name}: {_tempo(reading)} BPM in {reading.metre}, {reading.belief * 100:.0f} % likely{sure}"


def _tempo(reading: HeardReading) -> str:
    return f"{reading.tempo_bpm:.1f}".removesuffix(".0")


def bars_text(bars: HeardBars) -> str:
    """Return what is known of a way to count bars in a line."""
    sure = f", {belief_word(bars.belief)}" if bars.number == 0 else ""
    name = "bars as found" if bars.number == 0 else f"other bars {bars.number}"
    return f"{name}: {bars.metre} beats, {bars.belief * 100:.0f} % likely if the beats are right{sure}"


class ReadingsStrip(QWidget):
    """One row a reading, the one in use in saffron and ringed, then one for each way to count its bars; a click on a row reads the song
    so."""

    chosen = Signal(int)
    bars_chosen = Signal(int)

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

    def bars(self) -> tuple[HeardBars, ...]:
        """The ways to count the bars of the beats in use, as found first."""
        song = self.project.reel.soundtrack
        return bars_of(song) if song is not None else ()

    def fill(self, wanted: bool) -> None:
        """Show the readings where they are wanted and there are some."""
        count = len(self.readings())
        self.setFixedHeight((max(1, count) + len(self.bars())) * ROW_H + 2)
        self.setVisible(wanted and count > 0)
        self.update()

    def _row_at(self, y: float) -> int:
        row = int(y // ROW_H)
        return row if 0 <= row < len(self.readings()) + len(self.bars()) else -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = self._row_at(event.position().y())
        if event.button() == Qt.MouseButton.LeftButton and row >= 0:
            readings = len(self.readings())
            if row < readings:
                self.chosen.emit(row)
            else:
                self.bars_chosen.emit(row - readings)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        row = self._row_at(event.position().y())
        if row != self._pointed:
            self._pointed = row
            told = [f"{reading_text(r)}. A click reads the song so; Shift+K" for r in self.readings()]
            told += [f"{bars_text(b)}. A click counts bars so; Shift+B" for b in self.bars()]
            self.setToolTip(f"{told[row]} goes through them while it plays." if row >= 0 else "")
            self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self._pointed = -1
        self.update()

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.fillRect(self.rect(), QColor(theme.SUNK))
        song = self.project.reel.soundtrack
        in_use = song.reading.rival if song is not None and song.reading.beat_source != "own" else -1
        rows = [
            _Row(r.times_s, set(r.downbeats_s), f"{_tempo(r)} BPM", r.belief, r.number == in_use)
            for r in self.readings()
        ]
        counted = bars_in_use(song) if song is not None else -1
        beats = rows[in_use].times_s if 0 <= in_use < len(rows) else ()
        rows += [
            _Row(beats, set(b.downbeats_s), f"bars of {b.metre}", b.belief, b.number == counted, True)
            for b in self.bars()
        ]
        for number, row in enumerate(rows):
            self._paint_row(p, row, number * ROW_H, number == self._pointed)

    def _paint_row(self, p: QPainter, row: _Row, top: int, pointed: bool) -> None:
        in_use = row.in_use
        span = self.view.span
        if pointed and not in_use:
            p.fillRect(QRectF(0, top, self.width(), ROW_H), colour(theme.RHYTHM, 0.08))
        first, last = bisect_left(row.times_s, span.start_s), bisect_right(row.times_s, span.end_s)
        tint = theme.RHYTHM if in_use else theme.QUIET
        near = (last - first) * 4 > self.width()
        bottom = top + ROW_H - 2
        for strong in (False, True):
            if near and not strong:
                continue
            times = [t for t in row.times_s[first:last] if (t in row.strong) == strong]
            p.setPen(QPen(colour(tint, 1.0 if strong else 0.75), 2.0 if strong else 1.2))
            p.drawLines([QLineF(span.x(t), top + (3 if strong else 9), span.x(t), bottom) for t in times])
        p.fillRect(QRectF(0, top, _LABEL_W, ROW_H - 1), QColor(theme.RAISED if in_use else theme.SUNK))
        p.setPen(QPen(QColor(tint), 1.6))
        p.setBrush(QColor(tint) if in_use else Qt.BrushStyle.NoBrush)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        if row.bars:
            p.drawRect(QRectF(7.5, top + ROW_H / 2 - 4, 7, 7))
        else:
            p.drawEllipse(QPointF(11, top + ROW_H / 2 - 0.5), 4, 4)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        p.setPen(QColor(theme.TEXT if in_use else theme.QUIET))
        p.setFont(figures(12))
        p.drawText(QRectF(22, top, 92, ROW_H - 1), Qt.AlignmentFlag.AlignVCenter, row.what)
        share = QRectF(110, top, _LABEL_W - 116, ROW_H - 1)
        p.drawText(share, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, f"{row.belief * 100:.0f} %")
