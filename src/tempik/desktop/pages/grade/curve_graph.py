"""A curve with points to drag: of values over the histogram, or of hues round the circle."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import paint_sunk
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import colour, words
from tempik.desktop.widgets.typed import ARROWS, AWAY, takes
from tempik.grade.curves import curve_of, in_order, ring_of
from tempik.grade.scopes import Histogram
from tempik.reel.grade import CURVES, HUE_CURVES, MOST_DOTS, Curve1

REACH_PX = 9
INKS = {"luma_curve": theme.TEXT, "red_curve": "#e88a80", "green_curve": "#93c98c", "blue_curve": "#8fb2e8"}
ENDS: Curve1 = ((0.0, 0.0), (1.0, 1.0))
NUDGE = 0.01


class CurveGraph(QWidget):
    """Shows one curve of a grade. `changed(dots)` while a point is dragged, `settled()` after. A click makes a point, dragging it
    far out or a right click takes it away, arrows move the one that was chosen."""

    changed = Signal(object)
    settled = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.name = "luma_curve"
        self.dots: Curve1 = ()
        self.counts: Histogram | None = None
        self.held = -1
        self.chosen = -1
        self._without: Curve1 = ()  # the curve without the point that is dragged
        self.setMinimumSize(QSize(170, 120))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setToolTip("Click: a point. Drag it; far out, or by a right click, it goes. Arrows move the chosen point.")
        self.setAccessibleName("Curve; arrows move the chosen point, Delete takes it away")

    @property
    def is_hue(self) -> bool:
        """Whether it goes by hue, round and round."""
        return self.name in HUE_CURVES

    def show_curve(self, name: str, dots: Curve1) -> None:
        """Show a curve of a grade."""
        if name != self.name:
            self.chosen = self.held = -1
        self.name, self.dots = name, dots
        self.update()

    def show_counts(self, counts: Histogram | None) -> None:
        """Show where the picture's values lie behind a curve of values."""
        self.counts = counts
        if not self.is_hue:
            self.update()

    def shown_dots(self) -> Curve1:
        """Return the points that can be taken hold of: the ends too where there are none."""
        return self.dots if self.dots or self.is_hue else ENDS

    # Where things lie

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(8, 8, -8, -8 - (10 if self.is_hue else 0))

    def _span(self) -> tuple[float, float, float]:
        """Return the width of the axis and its lowest and highest value."""
        if not self.is_hue:
            return 1.0, 0.0, 1.0
        low, high = HUE_CURVES[self.name]
        most = min(-low, high, 60.0)
        return 360.0, -most, most

    def spot(self, dot: tuple[float, float]) -> QPointF:
        """Return where a point lies."""
        box, (wide, low, high) = self._box(), self._span()
        share = (min(max(dot[1], low), high) - low) / (high - low)
        return QPointF(box.left() + dot[0] / wide * box.width(), box.bottom() - share * box.height())

    def _dot_at(self, pos: QPointF) -> tuple[float, float]:
        box, (wide, low, high) = self._box(), self._span()
        x = min(max((pos.x() - box.left()) / box.width(), 0.0), 1.0) * wide
        y = low + min(max((box.bottom() - pos.y()) / box.height(), 0.0), 1.0) * (high - low)
        return round(x, 4), round(y, 4)

    def _near(self, pos: QPointF) -> int:
        far = [(self.spot(d) - pos).manhattanLength() for d in self.shown_dots()]
        return int(np.argmin(far)) if far and min(far) <= REACH_PX else -1

    # Painting

    @painted
    def paintEvent(self, p: QPainter) -> None:
        paint_sunk(p, self)
        box = self._box()
        if self.is_hue:
            self._paint_hues(p, box)
        elif self.counts is not None:
            self._paint_counts(p, box)
        p.setPen(QPen(colour(theme.LINE, 1.0), 1))
        for share in (0.25, 0.5, 0.75):
            p.drawLine(
                QPointF(box.left() + share * box.width(), box.top()),
                QPointF(box.left() + share * box.width(), box.bottom()),
            )
            p.drawLine(
                QPointF(box.left(), box.top() + share * box.height()),
                QPointF(box.right(), box.top() + share * box.height()),
            )
        p.setPen(QPen(QColor(INKS.get(self.name, theme.TEXT)), 1.8))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(self._path(box))
        for number, dot in enumerate(self.shown_dots()):
            taken = number in (self.held, self.chosen)
            p.setPen(QPen(QColor(theme.GROUND), 1))
            p.setBrush(QColor(theme.RHYTHM if taken else theme.TEXT))
            p.drawEllipse(self.spot(dot), 4.5, 4.5)
        if self.hasFocus():
            p.setPen(QPen(colour(theme.TEXT, 0.5), 1))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)

    def _path(self, box: QRectF) -> QPainterPath:
        wide, low, high = self._span()
        xs = np.linspace(0, wide, 121)
        ys = ring_of(self.dots)(np.minimum(xs, 359.99)) if self.is_hue else curve_of(self.dots)(xs)
        points = [self.spot((float(x), float(min(max(y, low), high)))) for x, y in zip(xs, ys, strict=True)]
        path = QPainterPath(points[0])
        for point in points[1:]:
            path.lineTo(point)
        return path

    def _paint_counts(self, p: QPainter, box: QRectF) -> None:
        assert self.counts is not None
        planes = {"red_curve": self.counts.red, "green_curve": self.counts.green, "blue_curve": self.counts.blue}
        counts = planes.get(self.name, self.counts.luma)
        height_px = np.sqrt(counts / max(float(np.percentile(counts, 99)), 1e-6)).clip(0, 1)
        points = [
            QPointF(box.left() + n / 255 * box.width(), box.bottom() - 0.9 * box.height() * float(v))
            for n, v in enumerate(height_px)
        ]
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour(INKS.get(self.name, theme.TEXT), 0.22))
        p.drawPolygon(QPolygonF([box.bottomLeft(), *points, box.bottomRight()]))

    def _paint_hues(self, p: QPainter, box: QRectF) -> None:
        ramp = QLinearGradient(box.left(), 0, box.right(), 0)
        for n in range(13):
            ramp.setColorAt(n / 12, QColor.fromHsvF((n / 12) % 1.0, 0.65, 0.85))
        p.fillRect(QRectF(box.left(), box.bottom() + 4, box.width(), 8), ramp)
        p.setFont(words(12))
        p.setPen(QColor(theme.QUIET))
        text = "more colour" if self.name == "hue_saturation" else "on to the next hue"
        p.drawText(box.adjusted(4, 1, -4, 0), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, text)

    # Hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        near, dots = self._near(event.position()), self.shown_dots()
        if event.button() == Qt.MouseButton.RightButton:
            if near >= 0:
                self._take_away(near)
            return
        if near < 0:
            if len(dots) >= MOST_DOTS:
                return
            made = self._dot_at(event.position())
            dots = in_order((*dots, made))
            near = min(range(len(dots)), key=lambda n: abs(dots[n][0] - made[0]))
            self.changed.emit(dots)
        self.held = self.chosen = near
        self._without = tuple(d for n, d in enumerate(dots) if n != near)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        if self.held < 0:
            self.setCursor(Qt.CursorShape.PointingHandCursor if self._near(pos) >= 0 else Qt.CursorShape.CrossCursor)
            return
        made = self._dot_at(pos)
        out = not QRectF(self.rect()).adjusted(-24, -24, 24, 24).contains(pos)
        dots = self._without if out else in_order((*self._without, made))
        self.held = self.chosen = -1 if out else min(range(len(dots)), key=lambda n: abs(dots[n][0] - made[0]))
        if out:
            self.held = len(self._without) + 1000  # still held, out of sight
        self.changed.emit(() if dots == ENDS and not self.is_hue else dots)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.held >= 0:
            self.held = -1
            self.settled.emit()
            self.update()

    def _take_away(self, number: int) -> None:
        left = tuple(d for n, d in enumerate(self.shown_dots()) if n != number)
        self.chosen = -1
        self.changed.emit(() if len(left) < 2 and not self.is_hue else left)
        self.settled.emit()

    def event(self, event: QEvent) -> bool:
        # With a point chosen the arrows move it; they would move the playhead.
        return takes(event, _KEYS) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        dots, key = self.shown_dots(), Qt.Key(event.key())
        wide, low, high = self._span()
        if not 0 <= self.chosen < len(dots):
            self.chosen = 0 if dots else -1
            self.update()
        if key in ARROWS and self.chosen >= 0:
            (x, y), (across, up) = dots[self.chosen], ARROWS[key]
            x, y = x + across * NUDGE * wide, y + up * NUDGE * (high - low)
            moved = (min(max(x, 0.0), wide), min(max(y, low), high))
            self.changed.emit(in_order([moved if n == self.chosen else d for n, d in enumerate(dots)]))
            self.settled.emit()
        elif key in AWAY and self.chosen >= 0:
            self._take_away(self.chosen)
        else:
            super().keyPressEvent(event)


_KEYS = (*ARROWS, *AWAY)
NAMES = (*CURVES, *HUE_CURVES)
