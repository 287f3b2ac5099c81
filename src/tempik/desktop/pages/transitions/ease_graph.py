"""The curve of a transition's ease, with two handles to drag; its half lies on the turn."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import colour
from tempik.reel import Handles
from tempik.transitions import eased, halfway
from tempik.transitions.timing import EVEN

REACH_PX = 12


class EaseGraph(QWidget):
    """`changed` carries the handles while one is dragged, `settled` ends the drag."""

    changed = Signal(object)
    settled = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.handles: Handles = EVEN
        self._held = -1
        self.setMinimumSize(QSize(84, 70))
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Curve of ease; ready curves stand in the list beside it")
        self.setToolTip(
            "Drag the two handles: flat is slow, steep is fast. Half of the way is on the cut, however it bends"
        )
        self.setMouseTracking(True)

    def show_handles(self, handles: Handles) -> None:
        """Show another curve."""
        self.handles = handles
        self.update()

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(8, 8, -8, -8)

    def spot(self, number: int) -> QPointF:
        """Return where a handle lies, 0 or 1."""
        box, (x, y) = self._box(), self.handles[2 * number : 2 * number + 2]
        return QPointF(box.left() + x * box.width(), box.bottom() - y * box.height())

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        box = self._box()
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.SUNK))
        p.drawRoundedRect(QRectF(self.rect()), 4, 4)
        half = halfway(self.handles)
        x = box.left() + half * box.width()
        p.setPen(QPen(QColor(theme.RHYTHM), 1.2))
        p.drawLine(QPointF(x, box.top() - 5), QPointF(x, box.bottom() + 5))
        p.setPen(QPen(colour(theme.LINE, 1.0), 1, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()))
        p.setPen(QPen(QColor(theme.QUIET), 1))
        p.drawLine(box.bottomLeft(), self.spot(0))
        p.drawLine(box.topRight(), self.spot(1))
        path = QPainterPath(box.bottomLeft())
        for step in range(1, 49):
            at = step / 48
            path.lineTo(box.left() + at * box.width(), box.bottom() - eased(at, self.handles) * box.height())
        p.setPen(QPen(QColor(theme.TEXT if self.isEnabled() else theme.QUIET), 1.8))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(path)
        p.setPen(QPen(QColor(theme.GROUND), 1))
        for number in (0, 1):
            p.setBrush(
                QColor(theme.RHYTHM if number == self._held else theme.TEXT if self.isEnabled() else theme.QUIET)
            )
            p.drawEllipse(self.spot(number), 4.5, 4.5)

    def _near(self, pos: QPointF) -> int:
        far = [(self.spot(n) - pos).manhattanLength() for n in (0, 1)]
        return far.index(min(far)) if min(far) <= REACH_PX else -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._held = self._near(event.position())
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        if self._held < 0:
            near = self._near(pos) >= 0
            self.setCursor(Qt.CursorShape.PointingHandCursor if near else Qt.CursorShape.ArrowCursor)
            return
        box = self._box()
        x = min(max((pos.x() - box.left()) / box.width(), 0.0), 1.0)
        y = min(max((box.bottom() - pos.y()) / box.height(), 0.0), 1.0)
        made = list(self.handles)
        made[2 * self._held : 2 * self._held + 2] = [round(x, 3), round(y, 3)]
        self.changed.emit(tuple(made))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held >= 0:
            self._held = -1
            self.settled.emit()
            self.update()
