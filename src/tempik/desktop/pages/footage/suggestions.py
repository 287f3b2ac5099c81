"""Suggested cues of a piece of footage, best first, each with its picture: taken by one key, dismissed by another."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import draw_filling, draw_whole
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import colour, figures, words
from tempik.media import Suggestion
from tempik.reel import Footage

TILE_W, TILE_H = 62, 58
RANK_W = 14


class SuggestionRow(QWidget):
    """`looked` asks to look at one, `taken` and `dismissed` carry the instant of one."""

    looked = Signal(float)
    taken = Signal(float)
    dismissed = Signal(float)

    def __init__(self, filmstrips: Filmstrips) -> None:
        super().__init__()
        self._strips = filmstrips
        self.piece: Footage | None = None
        self.shown: list[Suggestion] = []
        self.at = -1
        self.message = ""
        self.setFixedHeight(TILE_H + 4)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Suggested cues")
        self.setToolTip(
            "Suggested cues, the most decisive first. Enter or double click takes one, Delete dismisses it."
        )

    def sizeHint(self) -> QSize:
        return QSize(300, TILE_H + 4)

    def show_for(self, piece: Footage | None, found: list[Suggestion], message: str) -> None:
        """Show what is suggested for a piece, or a sentence in its place."""
        if piece is None or self.piece is None or piece.id != self.piece.id:
            self.at = -1
        self.piece, self.shown, self.message = piece, found, message
        self.at = min(self.at, len(found) - 1)
        self.update()

    def mark_at(self, time_s: float, slack_s: float) -> None:
        """Mark the suggestion at an instant, or none."""
        self.at = next((i for i, s in enumerate(self.shown) if abs(s.time_s - time_s) < slack_s), -1)
        self.update()

    def pick(self, number: int) -> None:
        """Look at one of those shown."""
        if self.shown:
            self.at = min(max(number, 0), len(self.shown) - 1)
            self.looked.emit(self.shown[self.at].time_s)
            self.update()

    @painted
    def paintEvent(self, p: QPainter) -> None:
        if not self.shown:
            p.setFont(words(12))
            p.setPen(QColor(theme.QUIET))
            p.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap, self.message)
            return
        for number, found in enumerate(self.shown):
            box = QRectF(number * (TILE_W + 4), 2, TILE_W, TILE_H)
            if box.right() > self.width():
                break
            p.fillRect(box, QColor(theme.SUNK))
            picture = self._strips.at(self.piece.path, found.time_s) if self.piece is not None else None
            if picture is not None:
                film = QRectF(box.left(), box.top(), TILE_W, TILE_H - 16)
                if picture.width() > picture.height():
                    draw_filling(p, film, picture)
                else:  # what a cue is about may be at the foot of an upright picture
                    draw_whole(p, film.adjusted(RANK_W, 0, 0, 0), picture)
            p.fillRect(QRectF(box.left(), box.bottom() - 16, TILE_W, 16), colour(theme.SUNK, 0.9))
            p.setFont(words(12))
            p.setPen(QColor(theme.TEXT if number == self.at else theme.QUIET))
            p.drawText(QRectF(box.left() + 3, box.bottom() - 16, TILE_W, 16), Qt.AlignmentFlag.AlignVCenter, found.why)
            p.setFont(figures(12))
            rank = str(number + 1)
            p.fillRect(QRectF(box.left(), box.top(), RANK_W, 15), colour(theme.SUNK, 0.75))
            p.setPen(QColor(theme.CUE))
            p.drawText(QRectF(box.left() + 3, box.top(), 12, 15), Qt.AlignmentFlag.AlignVCenter, rank)
            if number == self.at:
                p.setPen(QPen(QColor(theme.RHYTHM if self.hasFocus() else theme.QUIET), 2))
                p.drawRect(box.adjusted(1, 1, -1, -1))

    def _under(self, x: float) -> int:
        number = int(x // (TILE_W + 4))
        return number if 0 <= number < len(self.shown) else -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self._under(event.position().x())
        if number >= 0:
            self.pick(number)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self._under(event.position().x()) == self.at >= 0:
            self.taken.emit(self.shown[self.at].time_s)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.at >= 0:
            self.taken.emit(self.shown[self.at].time_s)
        else:
            super().keyPressEvent(event)
