"""One file's filmstrip from end to end, to scrub along and to set cues on."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QSizePolicy,
    QWidget,
)

from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import draw_filling, paint_cue
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import words
from tempik.reel import Footage


class FilmScrub(QWidget):
    """One file's filmstrip from end to end, with its cues; drag to scrub."""

    scrubbed = Signal(float)
    cue_moved = Signal(str, float)

    def __init__(self, filmstrips: Filmstrips) -> None:
        super().__init__()
        self._strips = filmstrips
        self.footage: Footage | None = None
        self.time_s = 0.0
        self._cue: str | None = None
        self._cue_s = 0.0
        self.setMinimumHeight(66)
        self.setMaximumHeight(150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setAccessibleName("Footage from end to end")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.suggested: list[float] = []
        self.setToolTip(
            "Drag to scrub. Drag a cue's triangle to move it. With the keyboard here: arrows step its frames, "
            "Space plays it, C sets a cue."
        )

    def suggest(self, times_s: list[float]) -> None:
        """Mark the instants that are suggested as cues."""
        self.suggested = times_s
        self.update()

    def show_piece(self, footage: Footage | None, time_s: float) -> None:
        """Show a piece of footage, or none, at an instant of its file."""
        self.footage, self.time_s = footage, time_s
        self.update()

    def _x(self, time_s: float) -> float:
        assert self.footage is not None
        return 6 + time_s / self.footage.length_s * (self.width() - 12)

    def _time(self, x: float) -> float:
        assert self.footage is not None
        return min(max((x - 6) / (self.width() - 12), 0.0), 1.0) * self.footage.length_s

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.fillRect(self.rect(), QColor(theme.SUNK))
        piece = self.footage
        if piece is not None:
            film = QRectF(6, 4, self.width() - 12, self.height() - 24)
            tile = max(20.0, film.height() * min(max(piece.width / piece.height, 0.5), 1.8))
            x = film.left()
            while x < film.right():
                picture = self._strips.at(piece.path, self._time(x + tile / 2))
                target = QRectF(x, film.top(), min(tile, film.right() - x) - 1, film.height())
                if picture is not None:
                    draw_filling(p, target, picture)
                x += tile
            p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
            for at in self.suggested:
                paint_cue(p, self._x(at), self.height() - 5, 4.5, filled=False)
            for cue in piece.cues:
                at = self._cue_s if cue.id == self._cue else cue.time_s
                p.setPen(QPen(QColor(theme.CUE), 1.4, Qt.PenStyle.DashLine))
                p.drawLine(QPointF(self._x(at), 4), QPointF(self._x(at), self.height() - 18))
                paint_cue(p, self._x(at), self.height() - 5, 7)
                if cue.name:
                    p.setFont(words(12))
                    p.drawText(QPointF(self._x(at) + 4, 16), cue.name)
            if self.hasFocus():
                p.setPen(QPen(QColor(theme.RHYTHM), 1.5))
                p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
            p.setPen(QPen(QColor(0, 0, 0, 170), 3))
            p.drawLine(QPointF(self._x(self.time_s), 2), QPointF(self._x(self.time_s), self.height() - 14))
            p.setPen(QPen(QColor(theme.PLAYHEAD), 1.5))
            p.drawLine(QPointF(self._x(self.time_s), 2), QPointF(self._x(self.time_s), self.height() - 14))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.footage is None:
            return
        pos = event.position()
        near = [c for c in self.footage.cues if abs(self._x(c.time_s) - pos.x()) < 8]
        if near and pos.y() > 52:
            self._cue, self._cue_s = near[0].id, near[0].time_s
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.footage is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        self.time_s = self._time(event.position().x())
        if self._cue is not None:
            self._cue_s = self.time_s
        self.scrubbed.emit(self.time_s)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._cue is not None:
            cue, self._cue = self._cue, None
            self.cue_moved.emit(cue, self._cue_s)
