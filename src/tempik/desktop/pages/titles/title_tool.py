"""A title in the preview: its box, and its words typed where they stand."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import (
    QColor,
    QGuiApplication,
    QImage,
    QInputMethodEvent,
    QKeyEvent,
    QPainter,
    QPen,
    QPolygonF,
    QTextCursor,
    QTransform,
)
from PySide6.QtWidgets import QApplication, QPlainTextEdit

from tempik.desktop.preview.box_tool import SHIFT, BoxTool
from tempik.desktop.preview.guides import paint_safe_area
from tempik.desktop.preview.mode import NO_KEYS, Keys
from tempik.desktop.preview.snapping import around
from tempik.desktop.session.document import Project
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.theme import colour
from tempik.reel import Title
from tempik.render.under import clips_under
from tempik.timeline.extents import Matrix, corners_of, ems_to_frame
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.repeats import source_of
from tempik.timeline.wording import TitlePart, wording_at
from tempik.titles.drawing import drawn
from tempik.titles.layout import Caret, carets_of, laid_out, nearest_place

BAR_GAP = 10.0
GHOST = 0.5  # how much of words shows that are typed before they come
MOST_EM_PX = 1000.0
NOT_YET = (TitlePart("word"),)
MOVES = (
    Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_Backspace,
    Qt.Key.Key_Delete, Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape,
)  # fmt: skip
WITH_CTRL = (
    Qt.Key.Key_A, Qt.Key.Key_C, Qt.Key.Key_X, Qt.Key.Key_V, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Home, Qt.Key.Key_End,
    Qt.Key.Key_Backspace, Qt.Key.Key_Delete,
)  # fmt: skip


class TitleWriting:
    """The words of the selected title typed in the picture. What is typed goes through the page's own field, which knows how words are
    edited; `ended` is told when typing ends."""

    def __init__(self, project: Project, box: BoxTool, text: QPlainTextEdit, ended: Callable[[], None]) -> None:
        self.project, self.box, self.text, self._ended = project, box, text, ended
        self.typing = False
        self._repaint: Callable[[], None] = lambda: None
        self._lit_caret = True
        self._blink = QTimer(text)
        self._blink.setInterval(max(QGuiApplication.styleHints().cursorFlashTime() // 2, 250))
        self._blink.timeout.connect(self._blinked)
        text.cursorPositionChanged.connect(self._moved_on)

    def shown_on(self, repaint: Callable[[], None]) -> None:
        """Take note of what paints the picture anew."""
        self._repaint = repaint

    def _blinked(self) -> None:
        self._lit_caret = not self._lit_caret
        self._repaint()

    def _moved_on(self) -> None:
        self._lit_caret = True
        if self.typing:
            self._blink.start()
            self._repaint()

    def title(self) -> tuple[PlacedClip, Title] | None:
        """Return the selected title where it is on screen."""
        placed = self.box.placed()
        return (placed, placed.clip.title) if placed is not None and placed.clip.title is not None else None

    def holds(self, at: QPointF) -> bool:
        """Tell whether a place, in shares of the frame, lies on the title that is typed."""
        found = self.title()
        if not self.typing or found is None:
            return False
        x, y = self._in_ems(found, at)
        block = laid_out(found[1])
        return 0 <= x <= block.width and 0 <= y <= block.height

    def begin(self, at: QPointF) -> None:
        """Type the selected title's words, from a place in shares of the frame."""
        if self.title() is not None:
            self.typing, self._lit_caret = True, True
            self._blink.start()
            self.put_cursor(at)
            self._repaint()

    def stop(self) -> None:
        """Type no more."""
        if self.typing:
            self.typing = False
            self._blink.stop()
            self._ended()
            self._repaint()

    def takes(self, event: QKeyEvent) -> bool:
        """Tell whether a key is for the words, before commands have it."""
        keys = event.modifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
        if keys == Qt.KeyboardModifier.ControlModifier:
            return event.key() in WITH_CTRL
        if keys & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.MetaModifier) and not event.text().strip():
            return False
        return event.key() in MOVES or (bool(event.text()) and event.text().isprintable())

    def typed(self, event: QKeyEvent | QInputMethodEvent) -> None:
        """Type a key, or what an input method gave."""
        if isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape:
            self.stop()
        else:
            QApplication.sendEvent(self.text, event.clone())

    def put_cursor(self, at: QPointF, marks: bool = False) -> None:
        """Type at a place in shares of the frame; with `marks` what lies between is marked."""
        found = self.title()
        if found is None:
            return
        x, y = self._in_ems(found, at)
        cursor = self.text.textCursor()
        mode = QTextCursor.MoveMode.KeepAnchor if marks else QTextCursor.MoveMode.MoveAnchor
        cursor.setPosition(min(nearest_place(found[1], x, y), len(self.text.toPlainText())), mode)
        self.text.setTextCursor(cursor)

    def mark_word(self) -> None:
        """Mark the word that is typed at."""
        cursor = self.text.textCursor()
        cursor.select(QTextCursor.SelectionType.WordUnderCursor)
        self.text.setTextCursor(cursor)

    def _in_ems(self, found: tuple[PlacedClip, Title], at: QPointF) -> tuple[float, float]:
        """Return a place of the frame in ems from the corner of the title's block."""
        x, y, _ = np.linalg.inv(self._matrix(*found)) @ [at.x(), at.y(), 1.0]
        return float(x), float(y)

    def _matrix(self, placed: PlacedClip, title: Title) -> Matrix:
        timeline = self.project.timeline
        return ems_to_frame(
            title, timeline.framing_at(placed, self.project.playhead.frame).start, timeline.height_ratio
        )

    def paint(self, p: QPainter, box: QRectF) -> None:
        """Paint the caret and what is marked; the picture lies in `box`."""
        found = self.title()
        if not self.typing or found is None:
            return
        matrix, carets, cursor = self._matrix(*found), carets_of(found[1]), self.text.textCursor()

        def seen(x: float, y: float) -> QPointF:
            across, down, _ = matrix @ [x, y, 1.0]
            return QPointF(box.left() + across * box.width(), box.top() + down * box.height())

        begin, end = (min(max(n, 0), len(carets) - 1) for n in (cursor.selectionStart(), cursor.selectionEnd()))
        seen_now = wording_at(self.project.timeline, found[0], self.project.playhead.frame) or NOT_YET
        if any(part.what != "all" for part in seen_now):
            self._paint_words(p, box, found[1], matrix)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour(theme.RHYTHM, 0.35))
        for left, right in _marked(carets, begin, end):
            corners = ((left.x, left.top), (right.x, left.top), (right.x, left.bottom), (left.x, left.bottom))
            p.drawPolygon(QPolygonF([seen(*corner) for corner in corners]))
        p.setBrush(Qt.BrushStyle.NoBrush)
        if self._lit_caret:
            here = carets[min(cursor.position(), len(carets) - 1)]
            for pen in (QPen(QColor(0, 0, 0, 180), 4), QPen(QColor(theme.RHYTHM), 2)):
                p.setPen(pen)
                p.drawLine(seen(here.x, here.top), seen(here.x, here.bottom))

    def _paint_words(self, p: QPainter, box: QRectF, title: Title, matrix: Matrix) -> None:
        """Paint all words faintly where they are not on screen yet: what is typed is seen as it is typed."""
        pixels = np.diag([box.width(), box.height(), 1.0]) @ matrix
        em_px = float(np.hypot(pixels[0, 0], pixels[1, 0]))
        sprite = drawn(title, min(max(em_px, 1.0), MOST_EM_PX))
        if sprite is None or em_px <= 0:
            return
        high, wide = sprite.rgba.shape[:2]
        picture = QImage(sprite.rgba.tobytes(), wide, high, 4 * wide, QImage.Format.Format_RGBA8888)
        block, scale = laid_out(title), em_px / min(max(em_px, 1.0), MOST_EM_PX)
        p.save()
        p.setOpacity(p.opacity() * GHOST)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, True)
        p.translate(box.topLeft())
        p.setTransform(
            QTransform(
                pixels[0, 0] / em_px,
                pixels[1, 0] / em_px,
                pixels[0, 1] / em_px,
                pixels[1, 1] / em_px,
                pixels[0, 2],
                pixels[1, 2],
            ),
            True,
        )
        p.translate(block.width / 2 * em_px, block.height / 2 * em_px)
        p.scale(scale, scale)
        p.drawImage(QPointF(sprite.left, sprite.top), picture)
        p.restore()

    def bar_place(self, box: QRectF, room: QSize) -> QPointF | None:
        """Return where the bar belongs: below the title, or above it; None while it is dragged or not on screen."""
        found = self.title()
        if found is None or self.box.dragging:
            return None
        extent = around(corners_of(self.project.timeline, found[0], self.project.playhead.frame))
        if not all(math.isfinite(v) for v in extent):
            return None
        x = box.left() + (extent.left + extent.right) / 2 * box.width() - room.width() / 2
        below, above = (box.top() + v * box.height() for v in (extent.bottom, extent.top))
        fits = below + BAR_GAP + room.height() <= box.bottom()
        return QPointF(x, below + BAR_GAP if fits else max(above - BAR_GAP - room.height(), box.top() + 2))


class TitleTool:
    """Takes hold of titles as of any layer; a double click types their words in the picture, a drag there marks some."""

    def __init__(self, project: Project, text: QPlainTextEdit, ended: Callable[[], None]) -> None:
        self.project = project
        self.box = BoxTool(project, below=paint_safe_area)
        self.writing = TitleWriting(project, self.box, text, ended)
        self._at, self._marks = QPointF(), False

    def shown_on(self, repaint: Callable[[], None]) -> None:
        """Take note of what paints the picture anew."""
        self.box.shown_on(repaint)
        self.writing.shown_on(repaint)

    def press(self, at: QPointF, keys: Keys = NO_KEYS) -> None:
        """Type elsewhere in the title that is typed, or take hold of what lies there."""
        self._at, self._marks = at, self.writing.holds(at)
        if self._marks:
            self.writing.put_cursor(at, bool(keys & SHIFT))
        else:
            self.writing.stop()
            self.box.press(at, keys)

    def offer(self, at: QPointF) -> None:
        """Offer the layers that lie there."""
        self.box.offer(at)

    def drag(self, by: QPointF, keys: Keys = NO_KEYS) -> None:
        """Mark words, or drag on what was taken hold of."""
        if self._marks:
            self.writing.put_cursor(self._at + by, marks=True)
        else:
            self.box.drag(by, keys)

    def cursor(self, at: QPointF, keys: Keys = NO_KEYS) -> Qt.CursorShape:
        """Return how the pointer looks at a place."""
        return Qt.CursorShape.IBeamCursor if self.writing.holds(at) else self.box.cursor(at, keys)

    def zoom_by(self, factor: float) -> None:
        """Scale the layer about its middle."""
        self.box.zoom_by(factor)

    def centre(self) -> None:
        """A double click on a title types its words, on a word that is typed it marks it; another layer is centred."""
        timeline, frame = self.project.timeline, self.project.playhead.frame
        under = clips_under(timeline, frame, self._at.x(), self._at.y())
        placed = next((p for p in under if p.clip.title is not None), None)
        if self.writing.typing:
            self.writing.mark_word()
        elif placed is None:
            self.box.centre()
        else:
            self.project.selection.select_clip(source_of(placed.clip.id))
            at = QPointF(self._at)
            # The field has the words of this title once the page is filled for it.
            QTimer.singleShot(0, self.writing.text, lambda: self.writing.begin(at))

    def settle(self) -> None:
        """The button was let go."""
        self._marks = False
        self.box.settle()

    def paint(self, p: QPainter, box: QRectF) -> None:
        """Paint the box about the layer, and what is typed."""
        self.box.paint(p, box)
        self.writing.paint(p, box)


def _marked(carets: tuple[Caret, ...], begin: int, end: int) -> list[tuple[Caret, Caret]]:
    """Return stretches of places that stand on one line, from the first to the last of each."""
    out: list[tuple[Caret, Caret]] = []
    for number in range(begin, end):
        left, right = carets[number], carets[number + 1]
        if abs(left.top - right.top) < 1e-6:
            out.append((left, right))
    return out
