"""The preview: the reel's picture, tall, and under it the landing meter."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from tempik.check.landing import HALF_FRAME, Event, nearest_event
from tempik.desktop import theme
from tempik.desktop.project import Project
from tempik.desktop.theme import colour, figures, words

# What phone apps lay over an upright picture: a strip at the top, a column of buttons and the words below
# (common practice; shares of the frame).
SAFE_TOP, SAFE_RIGHT, SAFE_BOTTOM, SAFE_LEFT = 0.10, 0.13, 0.18, 0.04


class Preview(QWidget):
    """Shows one picture, fitted. Wheel zooms, drag pans, double click fits again."""

    resized = Signal()
    framed = Signal(QPointF)  # while framing: how far the picture was dragged, in shares of the frame
    framed_zoom = Signal(float)
    framed_centre = Signal()
    framed_done = Signal()
    placed = Signal(QPointF)  # where the focus was put, in shares of the frame

    def __init__(self, project: Project) -> None:
        super().__init__()
        self.asking_place = False  # the next click puts a focus
        self.show_focus = False  # where the chosen row's focus is
        self.framing = False  # the picture is placed by hand: drags move it in the frame
        self.project = project
        self.image: QImage | None = None
        self.message = ""
        self.footage: QImage | None = None  # a frame of footage that is looked at in place of the reel
        self.footage_said = ""
        self.guides = False
        self._zoom = 1.0
        self._offset = QPointF(0, 0)
        self._held: QPointF | None = None
        self.setMinimumSize(300, 240)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Preview")
        project.changed.connect(self.update)
        project.row_selected.connect(self.update)

    def ask_place(self, wanted: bool) -> None:
        """Take the next click as the place of a focus, or no more."""
        self.asking_place = wanted
        self.setCursor(Qt.CursorShape.CrossCursor if wanted else Qt.CursorShape.ArrowCursor)

    def sizeHint(self) -> QSize:
        return QSize(372, 640)

    def show_image(self, image: QImage | None) -> None:
        self.image = image
        self.message = ""
        self.update()

    def show_footage(self, image: QImage | None, said: str = "") -> None:
        """Show a frame of footage in place of the reel; None shows the reel again."""
        if image is not None or self.footage is not None:
            self.footage, self.footage_said = image, said
            self.update()

    def show_message(self, text: str) -> None:
        self.message = text
        self.update()

    def frame_box(self) -> QRectF:
        """Return where the whole frame lies in the widget."""
        reel = self.project.reel
        scale = min(self.width() / reel.width, self.height() / reel.height) * self._zoom
        w, h = reel.width * scale, reel.height * scale
        return QRectF((self.width() - w) / 2 + self._offset.x(), (self.height() - h) / 2 + self._offset.y(), w, h)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(theme.GROUND))
        if self.footage is not None:
            self._paint_footage(p, self.footage)
            p.end()
            return
        box = self.frame_box()
        p.fillRect(box, QColor("#000000"))
        if self.image is not None:
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, True)
            p.drawImage(box, self.image)
        if self.framing:
            self._paint_thirds(p, box)
        if self.show_focus:
            self._paint_focus(p, box)
        if self.guides:
            p.setPen(QPen(colour(theme.TEXT, 0.75), 1, Qt.PenStyle.DashLine))
            p.drawRect(
                box.adjusted(
                    box.width() * SAFE_LEFT,
                    box.height() * SAFE_TOP,
                    -box.width() * SAFE_RIGHT,
                    -box.height() * SAFE_BOTTOM,
                )
            )
        if self.message:
            p.setFont(words(13))
            area = QRectF(self.rect()).adjusted(16, 0, -16, 0)
            p.setPen(QColor(theme.QUIET))
            p.drawText(area, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.message)
        p.end()

    def _paint_footage(self, p: QPainter, image: QImage) -> None:
        """The whole frame of footage, with what it is above it, so that it is not taken for the reel."""
        room = QRectF(self.rect()).adjusted(0, 26, 0, 0)
        size = image.size().scaled(room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, True)
        left, top = (self.width() - size.width()) / 2, room.top() + max(0.0, (room.height() - size.height()) / 2)
        p.drawImage(QRectF(left, top, size.width(), size.height()), image)
        p.setFont(words(12))
        p.setPen(QColor(theme.CUE))
        text = p.fontMetrics().elidedText(
            f"footage · {self.footage_said}", Qt.TextElideMode.ElideMiddle, self.width() - 12
        )
        p.drawText(QRectF(6, 3, self.width() - 12, 20), Qt.AlignmentFlag.AlignVCenter, text)

    def _paint_focus(self, p: QPainter, box: QRectF) -> None:
        """A ring where the chosen row's focus is, filled where it follows a patch."""
        found, timeline = self.project.row, self.project.timeline
        if found is None or found.accent is None or not found.accent.placed or not timeline.frames:
            return
        x, y = timeline.focus_at(found, self.project.frame)
        at = QPointF(box.left() + box.width() * (0.5 + x), box.center().y() + box.width() * y)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        p.setBrush(colour(theme.RHYTHM, 0.5) if found.row.follow else Qt.BrushStyle.NoBrush)
        for pen in (QPen(QColor(0, 0, 0, 170), 3.4), QPen(QColor(theme.RHYTHM), 1.6)):
            p.setPen(pen)
            p.drawEllipse(at, 8, 8)
            for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                p.drawLine(at + QPointF(dx * 6, dy * 6), at + QPointF(dx * 13, dy * 13))
        p.setBrush(Qt.BrushStyle.NoBrush)

    def _paint_thirds(self, p: QPainter, box: QRectF) -> None:
        """Thirds and the middle, to place a picture by."""
        p.setPen(QPen(colour(theme.TEXT, 0.45), 1))
        for share in (1 / 3, 2 / 3):
            x, y = box.left() + box.width() * share, box.top() + box.height() * share
            p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            p.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        p.setPen(QPen(colour(theme.RHYTHM, 0.9), 1.4))
        middle = box.center()
        p.drawLine(middle - QPointF(9, 0), middle + QPointF(9, 0))
        p.drawLine(middle - QPointF(0, 9), middle + QPointF(0, 9))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.resized.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.framing:
            self.framed_zoom.emit(1.0008 ** event.angleDelta().y())
            return
        self._zoom = min(max(self._zoom * 1.0015 ** event.angleDelta().y(), 1.0), 8.0)
        if self._zoom == 1.0:
            self._offset = QPointF(0, 0)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.asking_place:
            box, pos = self.frame_box(), event.position()
            self.ask_place(False)
            if event.button() == Qt.MouseButton.LeftButton and box.contains(pos):
                self.placed.emit(QPointF((pos.x() - box.left()) / box.width(), (pos.y() - box.top()) / box.height()))
            return
        self._held = event.position() if self.framing else event.position() - self._offset

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            return
        if self.framing:
            box, by = self.frame_box(), event.position() - self._held
            x, y = by.x() / box.width(), by.y() / box.height()
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:  # straight across or straight down
                x, y = (x, 0.0) if abs(by.x()) > abs(by.y()) else (0.0, y)
            self.framed.emit(QPointF(x, y))
        elif self._zoom > 1:
            self._offset = event.position() - self._held
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held is not None and self.framing:
            self.framed_done.emit()
        self._held = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.framing:
            self.framed_centre.emit()
            return
        self._zoom, self._offset = 1.0, QPointF(0, 0)
        self.update()


class LandingMeter(QWidget):
    """The event nearest to the playhead, its point, and the distance between them."""

    def __init__(self, project: Project) -> None:
        super().__init__()
        self.project = project
        self.playback = ""
        self.setFixedHeight(86)
        self.setAccessibleName("Landing meter")
        project.changed.connect(self.update)
        project.moved.connect(lambda _: self.update())

    def say(self, text: str) -> None:
        """Show how playback does: size, rate, frames dropped."""
        self.playback = text
        self.update()

    def nearest(self) -> Event | None:
        """Return the event nearest to the playhead."""
        return nearest_event(self.project.timeline, self.project.frame)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(theme.RAISED))
        p.drawRoundedRect(QRectF(self.rect()), 5, 5)
        found = self.nearest()
        left, right, middle = 14.0, self.width() - 14.0, 44.0
        p.setFont(words(12))
        p.setPen(QColor(theme.QUIET))
        p.drawText(QRectF(left, 62, right - left, 20), Qt.AlignmentFlag.AlignVCenter, self.playback)
        if found is None:
            p.setFont(words(13))
            p.drawText(QRectF(left, 6, right - left, 22), Qt.AlignmentFlag.AlignVCenter, "nothing to land yet")
            p.end()
            return
        what = f"{found.what} cue" if found.kind == "pin" else found.what if found.kind == "accent" else "cut"
        what = what.replace(".mp4 cue", " cue")
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
        p.end()

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
