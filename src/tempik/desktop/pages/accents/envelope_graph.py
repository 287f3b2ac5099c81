"""The envelope of an accent, drawn to scale against frames; its corners and bends are dragged."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import NamedTuple

from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from tempik.accents import form_of, level
from tempik.accents.envelope import in_frames
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import draw_label
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import colour, figures
from tempik.reel import Envelope, Length

REACH_PX = 9
LEAST_FRAMES = 12


class Against(NamedTuple):
    """What lengths are measured against: the reel's rate, seconds to the next point, frames of the clip."""

    rate: Fraction = Fraction(30)
    gap_s: float = 0.5
    clip_frames: float = 30.0


class EnvelopeGraph(QWidget):
    """`changed` carries the envelope while it is dragged, `settled` ends the drag."""

    changed = Signal(object)
    settled = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.envelope = Envelope()
        self.against = Against()
        self._held = ""
        self._view = (-4.0, 14.0)
        self.setMouseTracking(True)
        self.setMinimumSize(QSize(180, 70))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Envelope; the same can be typed below")
        self.setToolTip("Drag the feet for lead and decay, the shoulder for the hold, the slopes for their bend")

    def show_envelope(self, envelope: Envelope, against: Against) -> None:
        """Show an envelope, and what lies beside its pulse."""
        self.envelope, self.against = envelope, against
        if not self._held:
            form = form_of(envelope, *against)
            gap = against.gap_s * float(against.rate)
            end = max(form.hold - 1 + form.decay, LEAST_FRAMES, min(gap, 40))
            self._view = (-max(form.lead, 3.0) - 1.5, end * 1.15 + 1)
        self.update()

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(2, 6, -2, -18)

    def across(self, frame: float) -> float:
        """Return where a frame after the point's begins."""
        box, (first, end) = self._box(), self._view
        return box.left() + (frame - first) / (end - first) * box.width()

    def frame(self, x: float) -> float:
        """Return the frame, from the point on, at an x."""
        box, (first, end) = self._box(), self._view
        return first + (x - box.left()) / box.width() * (end - first)

    def handles(self) -> dict[str, QPointF]:
        """Return where what can be dragged lies."""
        form, box = form_of(self.envelope, *self.against), self._box()
        end = form.hold - 1 + form.decay
        height_px = box.height()

        def y(at: float) -> float:
            return box.bottom() - height_px * at

        return {
            "lead": QPointF(self.across(-form.lead), box.bottom()),
            "hold": QPointF(self.across(form.hold - 1), box.top()),
            "decay": QPointF(self.across(end), box.bottom()),
            "rise": QPointF(self.across(-form.lead / 2), y(level(form, -form.lead / 2) if form.lead > 1 else 0)),
            "fall": QPointF(
                self.across(form.hold - 1 + form.decay / 2), y(level(form, form.hold - 1 + form.decay / 2))
            ),
        }

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        box = self._box()
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.SUNK))
        p.drawRoundedRect(QRectF(self.rect()), 4, 4)
        form = form_of(self.envelope, *self.against)
        first, end = int(self._view[0]), int(self._view[1]) + 1
        frame_px = box.width() / (self._view[1] - self._view[0])
        p.setFont(figures(12))
        step = next((s for s in (1, 2, 5, 10, 20, 50, 100) if s * frame_px >= 34), 200)
        for k in range(first, end):
            x = self.across(k)
            if k % step == 0 and x > box.left():
                p.setPen(QColor(theme.QUIET))
                draw_label(p, QPointF(x + 2, self.height() - 4), f"{k:+d}" if k else "0", box.right())
            if frame_px >= 4 or k % step == 0:
                p.setPen(colour(theme.LINE, 0.9))
                p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom() + 3))
        # What each frame really shows, as the steps that they are; the envelope itself as a line over them.
        for k in range(first, end):
            size = level(form, k)
            if size > 0:
                height_px = size * box.height()
                step_box = QRectF(self.across(k), box.bottom() - height_px, max(frame_px - 0.6, 1), height_px)
                p.fillRect(step_box, colour(theme.PULSE, 0.42))
        path = QPainterPath(QPointF(self.across(-form.lead), box.bottom()))
        spots = [-form.lead + form.lead * i / 24 for i in range(25)] if form.lead > 0.5 else [0.0]
        spots += [0.0, form.hold - 1] + [form.hold - 1 + form.decay * i / 40 for i in range(41)]
        for at in spots:
            path.lineTo(self.across(at), box.bottom() - box.height() * level(form, at))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(theme.PULSE), 1.6))
        p.drawPath(path)
        gap = self.against.gap_s * float(self.against.rate)
        for at in (0.0, gap):
            if self._view[0] < at < self._view[1]:
                p.setPen(
                    QPen(
                        QColor(theme.RHYTHM),
                        1.8 if at == 0 else 1.2,
                        Qt.PenStyle.SolidLine if at == 0 else Qt.PenStyle.DashLine,
                    )
                )
                p.drawLine(QPointF(self.across(at), box.top() - 4), QPointF(self.across(at), box.bottom() + 3))
        p.setPen(QPen(QColor(theme.GROUND), 1))
        for name, spot in self.handles().items():
            p.setBrush(QColor(theme.RHYTHM if name == self._held else theme.TEXT if self.isEnabled() else theme.QUIET))
            if name in ("rise", "fall"):
                p.drawEllipse(spot, 3.6, 3.6)
            else:
                p.drawRect(QRectF(spot.x() - 4, spot.y() - 4, 8, 8))

    def _near(self, pos: QPointF) -> str:
        near = {n: (s - pos).manhattanLength() for n, s in self.handles().items()}
        name = min(near, key=lambda n: near[n])
        return name if near[name] <= 2 * REACH_PX else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._held = self._near(event.position())
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        if not self._held:
            self.setCursor(Qt.CursorShape.PointingHandCursor if self._near(pos) else Qt.CursorShape.ArrowCursor)
            return
        made = self.dragged(self._held, pos)
        if made != self.envelope:
            self.changed.emit(made)

    def dragged(self, handle: str, pos: QPointF) -> Envelope:
        """Return the envelope with a handle at a place; lengths keep their unit and go by whole frames."""
        form, box = form_of(self.envelope, *self.against), self._box()
        at = self.frame(pos.x())
        if handle in ("rise", "fall"):
            high = min(max((box.bottom() - pos.y()) / box.height(), 0.004), 0.96)
            bend = self._bend(high)
            return replace(self.envelope, rise=bend) if handle == "rise" else replace(self.envelope, fall=bend)
        if handle == "lead":
            return replace(self.envelope, lead=self._length(self.envelope.lead, max(-at, 0.0)))
        if handle == "hold":
            return replace(self.envelope, hold=self._length(self.envelope.hold, max(at, 0.0) + 1))
        return replace(self.envelope, decay=self._length(self.envelope.decay, max(at - form.hold + 1, 0.0)))

    @staticmethod
    def _bend(high: float) -> float:
        """Return the bend at which the middle of a slope is so high."""
        return round(min(max(math.log(high) / math.log(0.5), 0.2), 8.0), 2)

    def _length(self, old: Length, frames: float) -> Length:
        unit = in_frames(replace(old, value=1.0), *self.against)
        value = round(frames) / unit if unit > 0 else frames
        digits = {"frames": 0, "ms": 0, "gap": 3, "clip": 3}[old.unit]
        return replace(old, value=round(value, digits))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._held = ""
            self.settled.emit()
            self.update()
