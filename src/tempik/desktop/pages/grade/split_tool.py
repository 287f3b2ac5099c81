"""Before and after on either side of a line that is dragged in the preview; before may be a frame that was kept."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from tempik.desktop.playback.transport import Transport
from tempik.desktop.preview.mode import NO_KEYS, Keys
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour, words


class SplitTool:
    """What lies left of the line is before. A double click puts the line back in the middle."""

    def __init__(self, transport: Transport) -> None:
        self.transport = transport
        self.image: QImage | None = None  # the frame that is shown
        self.share = 0.5
        self.reference: QImage | None = None
        self._begin = 0.5
        self._repaint: Callable[[], None] = lambda: None

    def show_split(self, on: bool) -> None:
        """Have both made, or the frame alone."""
        self.transport.frames.set_both(on and self.reference is None)
        self.transport.resized()
        self._repaint()

    def show_image(self, image: QImage | None) -> None:
        """Another frame is shown."""
        self.image = image

    def keep_reference(self) -> None:
        """Keep the frame that is shown to compare others with; again: forget it."""
        image = self.image
        self.reference = None if self.reference is not None or image is None else after_of(image)

    def shown_on(self, repaint: Callable[[], None]) -> None:
        self._repaint = repaint

    def press(self, at: QPointF, keys: Keys = NO_KEYS) -> None:
        self._begin = self.share = min(max(at.x(), 0.0), 1.0)
        self._repaint()

    def cursor(self, at: QPointF, keys: Keys = NO_KEYS) -> Qt.CursorShape:
        return Qt.CursorShape.SplitHCursor

    def offer(self, at: QPointF) -> None:
        """No layer is meant here."""

    def drag(self, by: QPointF, keys: Keys = NO_KEYS) -> None:
        self.share = min(max(self._begin + by.x(), 0.0), 1.0)
        self._repaint()

    def zoom_by(self, factor: float) -> None:
        """The line has no size."""

    def centre(self) -> None:
        self.share = 0.5
        self._repaint()

    def settle(self) -> None:
        """Nothing of the reel was changed."""

    def paint(self, p: QPainter, box: QRectF) -> None:
        image = self.reference or before_of(self.image)
        line = box.left() + self.share * box.width()
        if image is not None:
            p.save()
            p.setClipRect(QRectF(box.left(), box.top(), line - box.left(), box.height()))
            p.drawImage(box, image)
            p.restore()
        for pen in (QPen(QColor(0, 0, 0, 150), 3.0), QPen(QColor(theme.TEXT), 1.2)):
            p.setPen(pen)
            p.drawLine(QPointF(line, box.top()), QPointF(line, box.bottom()))
        p.setFont(words(12))
        for text, at, side in (
            ("kept frame" if self.reference is not None else "before", line - 8, Qt.AlignmentFlag.AlignRight),
            ("after", line + 8, Qt.AlignmentFlag.AlignLeft),
        ):
            wide = p.fontMetrics().horizontalAdvance(text) + 10
            left = at - wide if side == Qt.AlignmentFlag.AlignRight else at
            label = QRectF(left, box.bottom() - 26, wide, 18)
            p.fillRect(label, colour(theme.GROUND, 0.75))
            p.setPen(QColor(theme.TEXT))
            p.drawText(label, Qt.AlignmentFlag.AlignCenter, text)


def before_of(image: QImage | None) -> QImage | None:
    """Return the left of two pictures beside each other; None where there is one."""
    return _half(image, 0) if image is not None and image.text("both") else None


def after_of(image: QImage) -> QImage:
    """Return the right of two pictures beside each other, or the one there is."""
    return _half(image, 1) if image.text("both") else image


def _half(image: QImage, number: int) -> QImage:
    wide = image.width() // 2
    out = image.copy(number * wide, 0, wide, image.height())
    out.setText("both", "")  # it is one now
    return out
