"""The preview: the reel's picture, fitted."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QMouseEvent,
    QPainter,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from tempik.desktop.preview.guides import paint_safe_area
from tempik.desktop.preview.mode import PreviewMode
from tempik.desktop.session.document import Project
from tempik.desktop.session.inspecting import Looking
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painted, painter_on
from tempik.desktop.widgets.theme import colour, words


class Preview(QWidget):
    """Shows one picture, fitted. Wheel zooms, drag pans, double click fits again."""

    resized = Signal()
    placed = Signal(QPointF)  # where the focus was put, in shares of the frame

    def __init__(self, project: Project, looking: Looking) -> None:
        super().__init__()
        self.asking_place = False  # the next click puts a focus
        self.mode = PreviewMode()
        self.project, self.looking = project, looking
        self.image: QImage | None = None
        self.message = ""
        self.guides = False
        self._zoom = 1.0
        self._offset = QPointF(0, 0)
        self._held: QPointF | None = None
        self._shown: tuple[tuple[object, ...], QPixmap | None] = (
            (),
            None,
        )  # what was painted last, and as it was if that was twice
        self.setMinimumSize(220, 240)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Preview")
        project.changed.connect(self._reel_changed)
        project.selection.lane_selected.connect(self.update)
        project.selection.selected.connect(self.update)
        looking.changed.connect(self.update)

    def _reel_changed(self) -> None:
        if not self.project.regraded:  # else the picture that comes is all
            self.update()

    def set_mode(self, mode: PreviewMode) -> None:
        """Work as a page wants it to."""
        self.mode = mode
        if mode.tool is not None:
            mode.tool.shown_on(self.update)
        self.ask_place(False)
        self.update()

    @property
    def framing(self) -> bool:
        """Whether drags place the picture in the frame."""
        return self.mode.tool is not None

    def toggle_guides(self) -> None:
        """Show what phone apps lay over the picture, or not."""
        self.guides = not self.guides
        self.update()

    def height_px(self) -> float:
        """Return how many pixels of the screen the picture is high; 0 while it cannot be seen."""
        return self.frame_box().height() * self.devicePixelRatioF() if self.isVisible() else 0.0

    def ask_place(self, wanted: bool) -> None:
        """Take the next click as the place of a focus, or no more."""
        self.asking_place = wanted
        self.setCursor(Qt.CursorShape.CrossCursor if wanted else Qt.CursorShape.ArrowCursor)

    def sizeHint(self) -> QSize:
        return QSize(372, 640)

    def show_image(self, image: QImage | None) -> None:
        """Show a frame, or none."""
        self.image = image
        self.message = ""
        self.update()

    def show_message(self, text: str) -> None:
        """Show a sentence in place of the picture."""
        self.message = text
        self.update()

    def frame_box(self) -> QRectF:
        """Return where the whole frame lies in the widget."""
        reel = self.project.reel
        scale = min(self.width() / reel.width, self.height() / reel.height) * self._zoom
        w, h = reel.width * scale, reel.height * scale
        return QRectF((self.width() - w) / 2 + self._offset.x(), (self.height() - h) / 2 + self._offset.y(), w, h)

    @painted
    def paintEvent(self, p: QPainter) -> None:
        p.fillRect(self.rect(), QColor(theme.GROUND))
        if self.looking.image is not None:
            self._paint_footage(p, self.looking.image)
            return
        box = self.frame_box()
        p.fillRect(box, QColor("#000000"))
        if self.image is not None:
            self._paint_picture(p, box, self.image)
        if self.mode.tool is not None:
            p.save()
            self.mode.tool.paint(p, box)
            p.restore()
        if self.mode.focus:
            self._paint_focus(p, box)
        if self.guides:
            paint_safe_area(p, box)
        if self.message:
            p.setFont(words(13))
            area = QRectF(self.rect()).adjusted(16, 0, -16, 0)
            p.setPen(QColor(theme.QUIET))
            p.drawText(area, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.message)

    def _paint_picture(self, p: QPainter, box: QRectF, image: QImage) -> None:
        """The reel's picture, or footage's. From the second time on it is kept as it was painted: it mostly stays while one edits."""
        ratio = p.deviceTransform().m11()  # of what is painted on, which need not be the screen
        what = image.cacheKey(), box.getRect(), self.size(), ratio
        known, picture = self._shown
        if known != what:
            self._shown = what, None
            _paint_fitted(p, box, image)
            return
        if picture is None:
            picture = QPixmap(self.size() * ratio)
            picture.setDevicePixelRatio(ratio)
            picture.fill(QColor(theme.GROUND))
            with painter_on(picture) as painter:
                painter.fillRect(box, QColor("#000000"))
                _paint_fitted(painter, box, image)
            self._shown = what, picture
        p.drawPixmap(0, 0, picture)

    def _paint_footage(self, p: QPainter, image: QImage) -> None:
        """The whole frame of footage, with what it is above it, so that it is not taken for the reel."""
        room = QRectF(self.rect()).adjusted(0, 26, 0, 0)
        size = image.size().scaled(room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
        left, top = (self.width() - size.width()) / 2, room.top() + max(0.0, (room.height() - size.height()) / 2)
        self._paint_picture(p, QRectF(left, top, size.width(), size.height()), image)
        p.setFont(words(12))
        p.setPen(QColor(theme.CUE))
        text = p.fontMetrics().elidedText(
            f"footage · {self.looking.caption}", Qt.TextElideMode.ElideMiddle, self.width() - 12
        )
        p.drawText(QRectF(6, 3, self.width() - 12, 20), Qt.AlignmentFlag.AlignVCenter, text)

    def _paint_focus(self, p: QPainter, box: QRectF) -> None:
        """A ring where the chosen lane's focus is, filled where it follows a patch."""
        found, timeline = self.project.selection.lane, self.project.timeline
        if found is None or found.accent is None or not found.accent.placed or not timeline.frames:
            return
        x, y = timeline.focus_at(found, self.project.playhead.frame)
        at = QPointF(box.left() + box.width() * (0.5 + x), box.center().y() + box.width() * y)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        p.setBrush(colour(theme.RHYTHM, 0.5) if found.lane.follow else Qt.BrushStyle.NoBrush)
        for pen in (QPen(QColor(0, 0, 0, 170), 3.4), QPen(QColor(theme.RHYTHM), 1.6)):
            p.setPen(pen)
            p.drawEllipse(at, 8, 8)
            for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                p.drawLine(at + QPointF(dx * 6, dy * 6), at + QPointF(dx * 13, dy * 13))
        p.setBrush(Qt.BrushStyle.NoBrush)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.resized.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.mode.tool is not None:
            self.mode.tool.zoom_by(1.0008 ** event.angleDelta().y())
            return
        self._zoom = min(max(self._zoom * 1.0015 ** event.angleDelta().y(), 1.0), 8.0)
        if self._zoom == 1.0:
            self._offset = QPointF(0, 0)
        self.resized.emit()
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.asking_place:
            box, pos = self.frame_box(), event.position()
            self.ask_place(False)
            if event.button() == Qt.MouseButton.LeftButton and box.contains(pos):
                self.placed.emit(QPointF((pos.x() - box.left()) / box.width(), (pos.y() - box.top()) / box.height()))
            return
        if self.mode.tool is None:
            self._held = event.position() - self._offset
            return
        box = self.frame_box()
        self._held = at = event.position()
        self.mode.tool.press(QPointF((at.x() - box.left()) / box.width(), (at.y() - box.top()) / box.height()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            return
        if self.mode.tool is not None:
            box, by = self.frame_box(), event.position() - self._held
            x, y = by.x() / box.width(), by.y() / box.height()
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:  # straight across or straight down
                x, y = (x, 0.0) if abs(by.x()) > abs(by.y()) else (0.0, y)
            self.mode.tool.drag(QPointF(x, y))
        elif self._zoom > 1:
            self._offset = event.position() - self._held
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held is not None and self.mode.tool is not None:
            self.mode.tool.settle()
            self.update()
        self._held = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.mode.tool is not None:
            self.mode.tool.centre()
            return
        self._zoom, self._offset = 1.0, QPointF(0, 0)
        self.update()


def _paint_fitted(p: QPainter, box: QRectF, image: QImage) -> None:
    seen = QRectF(image.rect())
    if image.text("both"):  # before and after beside each other: this is after
        seen.setLeft(seen.width() / 2)
    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, True)
    p.drawImage(box, image, seen)
