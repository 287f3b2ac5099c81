"""A scope of the frame that is shown: waveform, red green and blue beside each other, vectorscope, histogram."""

from __future__ import annotations

import math
import time

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from tempik.desktop.widgets import marks, theme
from tempik.desktop.widgets.drawing import paint_sunk, rgb_of
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import colour, figures, words
from tempik.grade import scopes

KINDS = ("waveform", "red, green, blue", "vectorscope", "histogram")
# Between two pictures of a scope at least so long.
APART_S = 1 / 30
INKS = ((232, 138, 128), (147, 201, 140), (143, 178, 232))
# 75 % bars, for the marks of the vectorscope: what they are called, and their colours.
BARS = (("R", "#bf0000"), ("Y", "#bfbf00"), ("G", "#00bf00"), ("C", "#00bfbf"), ("B", "#0000bf"), ("M", "#bf00bf"))


def pixels_of(image: QImage) -> NDArray[np.uint8]:
    """Return a picture's red, green and blue, shape (height, width, 3): of two side by side, the second."""
    rgb = rgb_of(image)
    return rgb[:, image.width() // 2 :] if image.text("both") else rgb


class Plot(QWidget):
    """Paints one scope."""

    def __init__(self) -> None:
        super().__init__()
        self.kind = KINDS[0]
        self.rgb: NDArray[np.uint8] | None = None
        self.setMinimumSize(QSize(150, 110))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Scope of the frame that is shown")

    def show_kind(self, kind: str) -> None:
        """Show another kind of scope."""
        self.kind = kind
        self.update()

    def show_rgb(self, rgb: NDArray[np.uint8] | None) -> None:
        """Show the scope of a picture, shape (height, width, 3), or of none."""
        self.rgb = rgb
        self.update()

    @painted
    def paintEvent(self, p: QPainter) -> None:
        paint_sunk(p, self)
        box = QRectF(self.rect()).adjusted(34, 8, -6, -8)
        if self.kind == "vectorscope":
            self._paint_vectors(p)
        elif self.kind == "histogram":
            self._paint_histogram(p, box.adjusted(-26, 0, 0, 0))
        else:
            self._paint_levels(p, box)

    def _paint_levels(self, p: QPainter, box: QRectF) -> None:
        p.setFont(figures(12))
        for level in (0, 25, 50, 75, 100):
            y = box.bottom() - level / 100 * box.height()
            p.setPen(QPen(colour(theme.TEXT, 0.16 if level % 100 else 0.34), 1))
            p.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            if level in (0, 50, 100):
                p.setPen(QColor(theme.QUIET))
                p.drawText(
                    QRectF(0, y - 8, 30, 16), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, str(level)
                )
        if self.rgb is None:
            return
        if self.kind == KINDS[0]:
            self._lay(p, box, scopes.waveform(self.rgb), (239, 233, 225))
            return
        wide = box.width() / 3
        for number, (counts, ink) in enumerate(zip(scopes.parade(self.rgb), INKS, strict=True)):
            self._lay(p, QRectF(box.left() + number * wide + 2, box.top(), wide - 4, box.height()), counts, ink)

    def _lay(self, p: QPainter, box: QRectF, counts: NDArray[np.float32], ink: tuple[int, int, int]) -> None:
        """Lay counts over a box as light of a colour, the highest value on top."""
        light = scopes.glow(counts)[::-1]
        image = _tinted(light, ink)
        p.drawImage(box, image)

    def _paint_vectors(self, p: QPainter) -> None:
        side = min(self.width(), self.height()) - 8.0
        box = QRectF((self.width() - side) / 2, (self.height() - side) / 2, side, side)
        middle, radius = box.center(), side / 2
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(colour(theme.TEXT, 0.2), 1))
        p.drawEllipse(middle, radius, radius)
        p.drawEllipse(middle, radius / 2, radius / 2)
        p.drawLine(middle - QPointF(radius, 0), middle + QPointF(radius, 0))
        p.drawLine(middle - QPointF(0, radius), middle + QPointF(0, radius))
        turn = math.radians(scopes.SKIN_DEG)
        p.setPen(QPen(QColor(theme.PULSE), 1.2, Qt.PenStyle.DashLine))
        p.drawLine(middle, middle + QPointF(math.cos(turn) * radius, -math.sin(turn) * radius))
        if self.rgb is not None:
            self._lay_square(p, box, scopes.vectorscope(self.rgb))
        p.setFont(words(12))
        for name, value in BARS:
            ink = QColor(value)
            bar = np.array([[[ink.red(), ink.green(), ink.blue()]]], np.uint8)
            u, v = (float(d[0]) for d in scopes.differences_of(bar))
            at = middle + QPointF(2 * u * radius, -2 * v * radius)
            p.setPen(QPen(QColor.fromHsvF(ink.hueF(), 0.55, 0.95), 1.2))
            p.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8))
            p.drawText(QRectF(at.x() - 20, at.y() - 19, 40, 14), Qt.AlignmentFlag.AlignCenter, name)

    def _lay_square(self, p: QPainter, box: QRectF, counts: NDArray[np.float32]) -> None:
        p.drawImage(box, _tinted(scopes.glow(counts), (239, 233, 225)))

    def _paint_histogram(self, p: QPainter, box: QRectF) -> None:
        p.setPen(QPen(colour(theme.TEXT, 0.2), 1))
        for share in (0.0, 0.25, 0.5, 0.75, 1.0):
            p.drawLine(
                QPointF(box.left() + share * box.width(), box.top()),
                QPointF(box.left() + share * box.width(), box.bottom()),
            )
        if self.rgb is None:
            return
        found = scopes.histogram(self.rgb)
        most = max(float(np.percentile(np.concatenate([found.red, found.green, found.blue, found.luma]), 99.5)), 1e-6)
        p.setCompositionMode(QPainter.CompositionMode.CompositionMode_Plus)
        p.setPen(Qt.PenStyle.NoPen)
        for counts, ink in zip((found.red, found.green, found.blue), INKS, strict=True):
            p.setBrush(QColor(*(c // 2 for c in ink)))
            p.drawPolygon(_hill(counts, box, most))
        p.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(theme.TEXT), 1.2))
        p.drawPolyline(_hill(found.luma, box, most))


def _hill(counts: NDArray[np.float32], box: QRectF, most: float) -> QPolygonF:
    height_px = np.sqrt((counts / most).clip(0, 1))
    points = [
        QPointF(box.left() + n / 255 * box.width(), box.bottom() - float(v) * box.height())
        for n, v in enumerate(height_px)
    ]
    return QPolygonF([box.bottomLeft(), *points, box.bottomRight()])


def _tinted(light: NDArray[np.uint8], ink: tuple[int, int, int]) -> QImage:
    """Return brightness as a picture of a colour that is clear where it is dark."""
    share = light.astype(np.uint16)
    values = np.stack([share * ink[2] // 255, share * ink[1] // 255, share * ink[0] // 255, share], axis=-1).astype(
        np.uint8
    )
    values = np.ascontiguousarray(values)
    height_px, wide = light.shape
    return QImage(values.data, wide, height_px, 4 * wide, QImage.Format.Format_ARGB32_Premultiplied).copy()


class ScopeView(QWidget):
    """A scope with the list to choose it by, and how much of the frame is cut at black and at white. `counted` carries the
    histogram of each frame."""

    counted = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.plot = Plot()
        self.kinds = QComboBox()
        self.kinds.addItems(KINDS)
        marks.room(self.kinds, "low")
        self.kinds.setToolTip("Which scope is shown")
        self.kinds.activated.connect(lambda _: self.show_kind(self.kinds.currentText()))
        self.cut = Label()
        self.cut.setFont(words(12))
        marks.ink(self.cut, "quiet")
        head = QHBoxLayout()
        head.setSpacing(6)
        head.addWidget(self.kinds)
        head.addWidget(self.cut, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(head)
        column.addWidget(self.plot, 1)
        self._image: QImage | None = None
        self._at = 0.0
        self._late = QTimer(self)
        self._late.setSingleShot(True)
        self._late.timeout.connect(self._look)

    def show_kind(self, kind: str) -> None:
        """Show another scope."""
        self.plot.show_kind(kind)
        self.kinds.setCurrentText(kind)

    def show_image(self, image: QImage | None) -> None:
        """Show the scope of a frame; those that come faster than can be seen are left out, the last one never."""
        self._image = image
        left = APART_S - (time.monotonic() - self._at)
        if left <= 0:
            self._look()
        elif not self._late.isActive():
            self._late.start(max(1, round(left * 1000)))

    def _look(self) -> None:
        self._at = time.monotonic()
        if not self.isVisible():
            return
        rgb = pixels_of(self._image) if self._image is not None else None
        self.plot.show_rgb(rgb)
        self.counted.emit(scopes.histogram(rgb) if rgb is not None else None)
        if rgb is None:
            self.cut.setText("")
            return
        black, white = scopes.clipped(rgb)
        parts = [
            f"{share * 100:.0f} % {name}" for share, name in ((black, "black"), (white, "white")) if share >= 0.005
        ]
        self.cut.setText(" · ".join(parts))
