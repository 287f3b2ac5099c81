"""The chosen sound's outline with its hit, which is dragged; of a clip the part that is heard is lit."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from tempik.desktop.session.sound_shapes import Outline
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import paint_wave
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import colour, figures
from tempik.desktop.widgets.typed import takes

STEP_S = 0.001
EDGE = 8.0


class HitWave(QWidget):
    """`dragged` gives the hit in seconds of the sound while it moves, `settled` when it is let go, `reset` a double click. The arrow
    keys move it by a millisecond, with Shift by ten."""

    dragged = Signal(float)
    settled = Signal()
    reset = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._outline: Outline | None = None
        self._hit_s = 0.0
        self._lit: tuple[float, float] | None = None
        self._moving = False
        self.setMinimumHeight(38)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The sound's hit; arrows move it")
        self.setToolTip("Drag the line: what of the sound lands on the point. Double click: as it was found")

    def show_sound(self, outline: Outline | None, hit_s: float, lit: tuple[float, float] | None = None) -> None:
        """Show a sound with its hit, and of it the part that is heard, in its own seconds."""
        self._outline, self._hit_s, self._lit = outline, hit_s, lit
        self.setEnabled(outline is not None)
        self.update()

    def _x(self, seconds: float) -> float:
        assert self._outline is not None
        return EDGE + (self.width() - 2 * EDGE) * seconds / max(self._outline.length_s, 1e-3)

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.SUNK))
        p.drawRoundedRect(QRectF(self.rect()), 4, 4)
        outline = self._outline
        if outline is None or not len(outline.peaks):
            return
        box = QRectF(EDGE, 6, self.width() - 2 * EDGE, self.height() - 24)
        if self._lit is not None:
            left, right = (min(max(self._x(s), EDGE), self.width() - EDGE) for s in self._lit)
            p.fillRect(QRectF(left, box.top(), right - left, box.height()), colour(theme.SOUND, 0.15))
        p.setBrush(colour(theme.SOUND, 0.8))
        paint_wave(p, outline.peaks / max(float(outline.peaks.max()), 1e-3), box)
        x = self._x(self._hit_s)
        ink = QColor(theme.RHYTHM if self._moving or self.hasFocus() else theme.TEXT)
        p.setPen(QPen(ink, 1.6))
        p.drawLine(QPointF(x, 2), QPointF(x, box.bottom() + 4))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(ink)
        p.drawPolygon(QPolygonF([QPointF(x - 5, 1), QPointF(x + 5, 1), QPointF(x, 7)]))
        p.setFont(figures(12))
        p.setPen(QColor(theme.TEXT))
        text = f"hit {self._hit_s * 1000:.0f} ms"
        wide = p.fontMetrics().horizontalAdvance(text)
        at = min(max(x - wide / 2, EDGE), self.width() - EDGE - wide)
        p.drawText(QPointF(at, self.height() - 5.0), text)

    def _go(self, hit_s: float) -> None:
        if self._outline is not None:
            self._hit_s = min(max(hit_s, 0.0), self._outline.length_s)
            self.dragged.emit(self._hit_s)
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self._outline is not None:
            self._moving = True
            self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._moving and self._outline is not None:
            share = (event.position().x() - EDGE) / max(self.width() - 2 * EDGE, 1)
            self._go(share * self._outline.length_s)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._moving:
            self._moving = False
            self.settled.emit()
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._moving = False
        self.reset.emit()

    def event(self, event: QEvent) -> bool:
        return takes(event, (Qt.Key.Key_Left, Qt.Key.Key_Right)) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -STEP_S, Qt.Key.Key_Right: STEP_S}
        key = Qt.Key(event.key())
        if key in steps:
            self._go(self._hit_s + steps[key] * (10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1))
            self.settled.emit()
        else:
            super().keyPressEvent(event)
