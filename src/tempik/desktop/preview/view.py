"""The preview: the reel's picture, fitted, in which layers are taken hold of."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QImage,
    QInputMethodEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QLineEdit, QSizePolicy, QWidget

from tempik.desktop.preview.box_tool import BoxTool
from tempik.desktop.preview.floating import place_bar
from tempik.desktop.preview.guides import paint_safe_area
from tempik.desktop.preview.mode import ByKeys, PreviewMode, PreviewTool
from tempik.desktop.session.document import Project
from tempik.desktop.session.inspecting import Looking
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.painting import painted, painter_on
from tempik.desktop.widgets.theme import colour, words
from tempik.desktop.widgets.typed import ARROWS, takes


class NumbersField(QLineEdit):
    """Where a layer stands, to be typed over. Enter takes it, Escape leaves it; neither is the preview's then."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName("Numbers of the layer")
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)

    def event(self, event: QEvent) -> bool:
        if takes(event, (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape)):
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        super().keyPressEvent(event)
        event.accept()
        if event.key() == Qt.Key.Key_Escape:
            self.hide()


class Preview(QWidget):
    """Shows one picture, fitted. A click selects the layer under the pointer, whose box is then dragged; where a page has no other use
    for them the wheel zooms, the middle button pans and a double click fits again."""

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
        self._panned: QPointF | None = None
        self._awake = False  # it was clicked before: layers are dragged now, and not by the click that selects
        self._drags = False
        self._shown: tuple[tuple[object, ...], QPixmap | None] = (
            (),
            None,
        )  # what was painted last, and as it was if that was twice
        self.layer_box = BoxTool(project)
        self.layer_box.shown_on(self.update)
        self.typing = NumbersField(self)
        self.typing.returnPressed.connect(self._typed)
        self.typing.editingFinished.connect(self.typing.hide)
        self.typing.hide()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
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
        if self.mode.bar is not None and self.mode.bar is not mode.bar:
            self.mode.bar.hide()
        if self.mode.writing is not None and self.mode.writing is not mode.writing:
            self.mode.writing.stop()
        self.mode = mode
        if mode.bar is not None and mode.bar.parent() is not self:
            mode.bar.setParent(self)
            mode.bar.hide()
        self.setAttribute(Qt.WidgetAttribute.WA_InputMethodEnabled, mode.writing is not None)
        if mode.tool is not None:
            mode.tool.shown_on(self.update)
        self.ask_place(False)
        self.update()

    @property
    def box(self) -> ByKeys | None:
        """What takes arrows and typed numbers; None while a page's tool is for something else."""
        return self.layer_box if self.mode.tool is None else self.mode.box

    @property
    def _tool(self) -> PreviewTool:
        return self.mode.tool or self.layer_box

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
        if self.mode.tool is not None or self._awake:
            p.save()
            self._tool.paint(p, box)
            p.restore()
        place_bar(self, lambda: self.mode, box, shown=self.looking.image is None)
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
        box, at = self.frame_box(), event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._panned = at - self._offset
            return
        place = QPointF((at.x() - box.left()) / box.width(), (at.y() - box.top()) / box.height())
        if event.button() == Qt.MouseButton.RightButton and self.looking.image is None:
            self._tool.offer(place)
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.asking_place:
            self.ask_place(False)
            if box.contains(at):
                self.placed.emit(place)
            return
        if self.looking.image is not None:
            return  # footage is shown, not the reel
        self._held = at
        self._drags = self.mode.tool is not None or self._awake
        self._awake = True
        self._tool.press(place, event.modifiers())
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        box, at = self.frame_box(), event.position()
        if self._panned is not None:
            if self._zoom > 1:
                self._offset = at - self._panned
                self.update()
        elif self._held is not None:
            if self._drags:
                by = at - self._held
                self._tool.drag(QPointF(by.x() / box.width(), by.y() / box.height()), event.modifiers())
        elif not self.asking_place and self.looking.image is None and (self.mode.tool is not None or self._awake):
            place = QPointF((at.x() - box.left()) / box.width(), (at.y() - box.top()) / box.height())
            self.setCursor(self._tool.cursor(place, event.modifiers()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton:
            self._panned = None
        elif event.button() == Qt.MouseButton.LeftButton and self._held is not None:
            self._held = None
            self._tool.settle()
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.mode.tool is not None:
            self.mode.tool.centre()
            return
        self._zoom, self._offset = 1.0, QPointF(0, 0)
        self.update()

    # Keys

    def focusOutEvent(self, event: QFocusEvent) -> None:
        # A menu or the numbers' own field take the focus for a moment only.
        if event.reason() != Qt.FocusReason.PopupFocusReason and not self.typing.isVisible():
            self._awake = False
            if self.mode.writing is not None:
                self.mode.writing.stop()
        self.update()

    def inputMethodEvent(self, event: QInputMethodEvent) -> None:
        if self.mode.writing is not None and self.mode.writing.typing:
            self.mode.writing.typed(event)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and self._takes(event):
            event.accept()
            return True
        return super().event(event)

    def _takes(self, event: QKeyEvent) -> bool:
        """Whether a key is for the layer in the box, or for words that are typed in the picture."""
        if self._writes:
            assert self.mode.writing is not None
            return self.mode.writing.takes(event)
        if self.box is None or self.box.placed() is None or not (self._awake or self.mode.box is not None):
            return False
        plain = event.modifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
        if plain != Qt.KeyboardModifier.NoModifier:
            return False
        return event.key() in ARROWS or event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)

    @property
    def _writes(self) -> bool:
        return self.mode.writing is not None and self.mode.writing.typing

    def keyPressEvent(self, event: QKeyEvent) -> None:
        box = self.box
        if self._writes and self._takes(event):
            assert self.mode.writing is not None
            self.mode.writing.typed(event)
        elif box is None or not self._takes(event):
            super().keyPressEvent(event)
        elif event.key() in ARROWS:
            across, up = ARROWS[Qt.Key(event.key())]
            step = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            box.nudge(across * step, -up * step)
        else:
            self.type_numbers(box.numbers())

    def type_numbers(self, text: str) -> None:
        """Let what the last gesture set be typed."""
        frame = self.frame_box()
        self.typing.setText(text)
        self.typing.setGeometry(
            round(frame.center().x() - 80), round(min(frame.center().y(), self.height() - 40.0)), 160, 28
        )
        self.typing.show()
        self.typing.raise_()
        self.typing.setFocus()
        self.typing.selectAll()

    def _typed(self) -> None:
        box = self.box
        if box is not None and box.set_numbers(self.typing.text()):
            self.typing.hide()
        self._awake = True
        self.setFocus()


def _paint_fitted(p: QPainter, box: QRectF, image: QImage) -> None:
    seen = QRectF(image.rect())
    if image.text("both"):  # before and after beside each other: this is after
        seen.setLeft(seen.width() / 2)
    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, True)
    p.drawImage(box, image, seen)
