"""A channel's gain as a slider, its level as a bar below; its place between left and right as one without."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen

from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.slider import FreeSlider
from tempik.desktop.widgets.theme import colour

LEAST_DB, MOST_DB = -48, 12
PER_DB = 2  # steps
HANDLE = 6.0
METER_LEAST_DB = -48.0
FALL_DB_S, HOLD_MS = 24.0, 900
TICK_MS = 40


class LevelBar(FreeSlider):
    """A slider whose middle of things, 0, is easily found: gain in half decibels, metered, or anything else. `reset` says that it was
    double clicked."""

    reset = Signal()
    finds_zero = True

    def __init__(self, low: int = LEAST_DB * PER_DB, high: int = MOST_DB * PER_DB, metered: bool = True) -> None:
        super().__init__(HANDLE)
        self.setRange(low, high)
        self.setSingleStep(1)
        self.setPageStep(max(1, (high - low) // 20))
        self.setMinimumWidth(46 if metered else 24)
        self.setFixedHeight(20)
        self._metered = metered
        self._level_db = self._held_db = -120.0
        self._fall = QTimer(self, interval=TICK_MS)
        self._fall.timeout.connect(self._sink)
        self._hold = QTimer(self, singleShot=True, interval=HOLD_MS)

    def show_level(self, level_db: float) -> None:
        """Show a level in dB of full scale; what was louder falls back by itself."""
        self._level_db = max(level_db, self._level_db)
        if level_db >= self._held_db:
            self._held_db = level_db
            self._hold.start()
        if not self._fall.isActive():
            self._fall.start()
        self.update()

    def _sink(self) -> None:
        self._level_db -= FALL_DB_S * TICK_MS / 1000
        if not self._hold.isActive():
            self._held_db = min(self._held_db, max(self._level_db, self._held_db - FALL_DB_S * TICK_MS / 1000))
        if max(self._level_db, self._held_db) < METER_LEAST_DB:
            self._level_db = self._held_db = -120.0
            self._fall.stop()
        self.update()

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        span = self.maximum() - self.minimum()
        left, wide, y = HANDLE, self.width() - 2 * HANDLE, 7.0 if self._metered else 10.0
        at = left + wide * (self.value() - self.minimum()) / span
        zero = left + wide * (0 - self.minimum()) / span
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.LINE))
        p.drawRoundedRect(QRectF(left, y - 1.5, wide, 3), 1.5, 1.5)
        p.fillRect(QRectF(zero - 0.5, y - 4, 1, 8), colour(theme.TEXT, 0.45))
        if self._metered:
            self._paint_meter(p, QRectF(left, 15, wide, 4))
        ink = theme.RHYTHM if self.isSliderDown() or self.hasFocus() else theme.TEXT
        p.setBrush(QColor(ink if self.isEnabled() else theme.LINE))
        p.setPen(QPen(QColor(theme.GROUND), 1))
        p.drawEllipse(QPointF(at, y), HANDLE - 1, HANDLE - 1)

    def _paint_meter(self, p: QPainter, box: QRectF) -> None:
        p.fillRect(box, QColor(theme.SUNK))
        x = [
            box.left() + box.width() * min(max(1 - db / METER_LEAST_DB, 0), 1) for db in (self._level_db, self._held_db)
        ]
        for first, last, name in ((-48.0, -9.0, theme.GOOD), (-9.0, -2.0, theme.RHYTHM), (-2.0, 0.0, theme.WARNING)):
            a, b = (box.left() + box.width() * (1 - db / METER_LEAST_DB) for db in (first, last))
            if x[0] > a:
                p.fillRect(QRectF(a, box.top(), min(x[0], b) - a, box.height()), QColor(name))
        if self._held_db > METER_LEAST_DB:
            p.fillRect(QRectF(x[1] - 1, box.top() - 1, 2, box.height() + 2), QColor(theme.TEXT))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.reset.emit()
