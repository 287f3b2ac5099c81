"""The landing meter: the event nearest to the playhead, and how far from its point it lands."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QPainter,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QWidget

from tempik.check.landing import HALF_FRAME, Event, nearest_event
from tempik.desktop.session.document import Project
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import colour, figures, words

FIGURE_PX = 66  # what the frames off the point take at the right


class LandingMeter(QWidget):
    """The event nearest to the playhead, its point, and the distance between them."""

    def __init__(self, project: Project) -> None:
        super().__init__()
        self.project = project
        self.playback = ""
        self.setFixedHeight(86)
        self.setAccessibleName("Landing meter")
        self._found: tuple[int, Event | None] | None = None  # the frame that was asked for, and what is nearest to it
        project.changed.connect(self._reel_changed)
        project.playhead.moved.connect(lambda _: self.update())

    def _reel_changed(self) -> None:
        if not self.project.regraded:
            self._found = None
            self.update()

    def say(self, text: str) -> None:
        """Show how playback does: size, rate, frames dropped."""
        self.playback = text
        self.update()

    def nearest(self) -> Event | None:
        """Return the event nearest to the playhead."""
        frame = self.project.playhead.frame
        if self._found is None or self._found[0] != frame:
            self._found = frame, nearest_event(self.project.timeline, frame)
        return self._found[1]

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.RAISED))
        p.drawRoundedRect(QRectF(self.rect()), 5, 5)
        found = self.nearest()
        left, right, middle = 14.0, self.width() - 14.0, 44.0
        p.setFont(words(12))
        p.setPen(QColor(theme.QUIET))
        room = int(right - left - FIGURE_PX)
        playback = p.fontMetrics().elidedText(self.playback, Qt.TextElideMode.ElideRight, room)
        p.drawText(QRectF(left, 62, right - left, 20), Qt.AlignmentFlag.AlignVCenter, playback)
        if found is None:
            p.setFont(words(13))
            p.drawText(QRectF(left, 6, right - left, 22), Qt.AlignmentFlag.AlignVCenter, "nothing to land yet")
            return
        names = {
            "pin": f"{found.what.rsplit('.', 1)[0]} cue",
            "accent": found.what,
            "transition": found.what.split(" to ")[0].lower(),
            "cut": "cut",
            "word": f"“{found.what}”",
        }
        what = names[found.kind]
        p.setFont(figures(15, True))
        text = f"{found.error_ms:+.1f} ms" if found.tied else "free"
        wide = p.fontMetrics().horizontalAdvance(text)
        p.setPen(QColor(theme.RHYTHM if found.ok else theme.WARNING_TEXT))
        p.drawText(
            QRectF(left, 6, right - left, 22),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            text,
        )
        p.setFont(words(13))
        p.setPen(QColor(theme.TEXT))
        label = f"{what} on {found.point}" if found.tied else f"{what} near {found.point}"
        label = p.fontMetrics().elidedText(label, Qt.TextElideMode.ElideMiddle, int(right - left - wide - 10))
        p.drawText(QRectF(left, 6, right - left - wide - 8, 22), Qt.AlignmentFlag.AlignVCenter, label)
        self._paint_scale(p, found, left, right, middle)

    def _paint_scale(self, p: QPainter, found: Event, left: float, right: float, middle: float) -> None:
        """Frames as ticks either side of the point, half a frame as the landing zone, the event as a dot."""
        unit = (right - left) / 8
        centre = (left + right) / 2
        p.setPen(QPen(QColor(theme.LINE), 2))
        p.drawLine(QPointF(left, middle), QPointF(right, middle))
        for k in range(-4, 5):
            p.drawLine(QPointF(centre + k * unit, middle - 5), QPointF(centre + k * unit, middle + 5))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour(theme.RHYTHM, 0.22))
        p.drawRoundedRect(QRectF(centre - unit * HALF_FRAME, middle - 8, unit * 2 * HALF_FRAME, 16), 3, 3)
        p.setBrush(QColor(theme.RHYTHM))
        p.drawPolygon(
            QPolygonF(
                [
                    QPointF(centre, middle - 7),
                    QPointF(centre + 7, middle),
                    QPointF(centre, middle + 7),
                    QPointF(centre - 7, middle),
                ]
            )
        )
        x = centre + min(max(found.error_frames, -4), 4) * unit
        p.setPen(QPen(QColor(theme.GROUND), 1))
        p.setBrush(QColor(theme.TEXT if found.ok else theme.WARNING_TEXT))
        p.drawEllipse(QPointF(x, middle), 5, 5)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setFont(figures(12))
        p.setPen(QColor(theme.QUIET))
        p.drawText(
            QRectF(left, 62, right - left, 20),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            f"{found.error_frames:+.2f} f",
        )
