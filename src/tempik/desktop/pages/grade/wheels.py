"""The three-way balance: a disc for dark, middle and light, each with how much lighter below it."""

from __future__ import annotations

import math

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QConicalGradient, QKeyEvent, QMouseEvent, QPainter, QPen, QRadialGradient
from PySide6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from tempik.desktop.pages.grade.sliders import GradeSlider
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.form import column, label, line, quiet
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import colour, figures
from tempik.desktop.widgets.typed import ARROWS, AWAY, takes
from tempik.reel import Grade, Wheel
from tempik.reel.grade import WHEELS

TITLES = {"dark_wheel": "dark", "middle_wheel": "middle", "light_wheel": "light"}
# A drag across the disc goes this far: small moves are what is wanted.
REACH = 0.6
NUDGE = 0.02


class Disc(QWidget):
    """A push towards a colour. `moved(x, y)` while it is dragged, `settled()` after; a double click takes it off."""

    moved = Signal(float, float)
    settled = Signal()

    def __init__(self, title: str) -> None:
        super().__init__()
        self.at = (0.0, 0.0)
        self._held: tuple[QPointF, tuple[float, float]] | None = None
        self.setMinimumSize(QSize(84, 84))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip("Drag anywhere: towards a colour. Double click: back. Arrows move it.")
        self.setAccessibleName(f"Balance of the {title} parts; arrows move it, Delete takes it off")

    def show_at(self, x: float, y: float) -> None:
        """Show where the disc stands, each −1 to 1."""
        self.at = (x, y)
        self.update()

    def _ring(self) -> QRectF:
        side = min(self.width(), self.height()) - 6.0
        return QRectF((self.width() - side) / 2, (self.height() - side) / 2, side, side)

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        ring = self._ring()
        middle, radius = ring.center(), ring.width() / 2
        hues = QConicalGradient(middle, 0)
        for n in range(13):
            hues.setColorAt(n / 12, QColor.fromHsvF((n / 12) % 1.0, 0.6, 0.7))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(hues)
        p.drawEllipse(ring)
        inside = QRadialGradient(middle, radius)
        inside.setColorAt(0.0, QColor(theme.SUNK))
        inside.setColorAt(0.86, colour(theme.SUNK, 0.9))
        inside.setColorAt(1.0, colour(theme.SUNK, 0.15))
        p.setBrush(inside)
        p.drawEllipse(ring)
        p.setPen(QPen(colour(theme.TEXT, 0.25), 1))
        p.drawLine(middle - QPointF(radius, 0), middle + QPointF(radius, 0))
        p.drawLine(middle - QPointF(0, radius), middle + QPointF(0, radius))
        x, y = self.at
        spot = middle + QPointF(x * radius, -y * radius)
        p.setPen(QPen(QColor(theme.RHYTHM if x or y else theme.QUIET), 1.4))
        p.drawLine(middle, spot)
        p.setBrush(QColor(theme.RHYTHM if self._held is not None or self.hasFocus() else theme.TEXT))
        p.setPen(QPen(QColor(theme.GROUND), 1))
        p.drawEllipse(spot, 5, 5)

    def _go(self, x: float, y: float) -> None:
        far = math.hypot(x, y)
        if far > 1:
            x, y = x / far, y / far
        self.moved.emit(round(x, 4), round(y, 4))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held = (event.position(), self.at)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            begin, (x, y) = self._held
            by, radius = event.position() - begin, max(self._ring().width() / 2, 1.0)
            self._go(x + REACH * by.x() / radius, y - REACH * by.y() / radius)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._held = None
            self.settled.emit()
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._held = None
        self.moved.emit(0.0, 0.0)
        self.settled.emit()

    def event(self, event: QEvent) -> bool:
        return takes(event, _KEYS) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key in ARROWS:
            self._go(self.at[0] + NUDGE * ARROWS[key][0], self.at[1] + NUDGE * ARROWS[key][1])
        elif key in AWAY:
            self._go(0.0, 0.0)
        else:
            super().keyPressEvent(event)
            return
        self.settled.emit()


_KEYS = (*ARROWS, *AWAY)


class Wheels(QWidget):
    """The three discs. `dragged(name, wheel)`, `settled(title)`, `typed(name, wheel)`."""

    dragged = Signal(str, object)
    settled = Signal(str)
    typed = Signal(str, object)

    def __init__(self) -> None:
        super().__init__()
        self.discs: dict[str, Disc] = {}
        self.levels: dict[str, GradeSlider] = {}
        self._message: dict[str, Label] = {}
        self._wheels = dict.fromkeys(WHEELS, Wheel())
        line(*((self._column(name), 1) for name in WHEELS), over=self, spacing=14)

    def _column(self, name: str) -> QVBoxLayout:
        title = TITLES[name]
        disc, level, message = Disc(title), GradeSlider(0.5), quiet("")
        disc.moved.connect(lambda x, y: self.dragged.emit(name, Wheel(x, y, self._wheels[name].level)))
        disc.settled.connect(lambda: self.settled.emit(f"balance of the {title} parts"))
        level.setRange(-100, 100)
        level.setAccessibleName(f"How much lighter the {title} parts are")
        level.setToolTip(f"How much lighter the {title} parts are")
        level.sliderMoved.connect(lambda value: self.dragged.emit(name, self._levelled(name, value)))
        level.sliderReleased.connect(lambda: self.settled.emit(f"light of the {title} parts"))
        level.valueChanged.connect(lambda value: self._typed(name, value))
        message.setFont(figures(12))
        self.discs[name], self.levels[name], self._message[name] = disc, level, message
        return column(line(label(title, 12), None, message), (disc, 1), level, spacing=3)

    def _levelled(self, name: str, value: int) -> Wheel:
        wheel = self._wheels[name]
        return Wheel(wheel.x, wheel.y, 0.0 if abs(value) <= 1 else value / 100)

    def _typed(self, name: str, value: int) -> None:
        if not self.levels[name].isSliderDown():
            self.typed.emit(name, self._levelled(name, value))

    def show_grade(self, grade: Grade) -> None:
        """Show the balance of a grade."""
        for name in WHEELS:
            wheel: Wheel = getattr(grade, name)
            self._wheels[name] = wheel
            self.discs[name].show_at(wheel.x, wheel.y)
            self.levels[name].show_place(round(wheel.level * 100))
            self._message[name].setText(f"{wheel.level * 100:+.0f} %" if wheel.level else "")
