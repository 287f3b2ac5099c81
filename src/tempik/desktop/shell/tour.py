"""The tour: at most six short hints, each beside the control that it is about. Once by itself, and again from the menu."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from PySide6.QtCore import QEvent, QObject, QPoint, QRect, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QWidget

from tempik.desktop.widgets import theme
from tempik.desktop.widgets.form import button, column, label, line

MOST_HINTS = 6
WIDE = 300
AWAY = 10


class Hint(NamedTuple):
    """A heading, a sentence, and what it is about: a widget with the part of it that is meant (None: all of it)."""

    title: str
    text: str
    about: Callable[[], tuple[QWidget, QRect | None]]


class Tour(QFrame):
    """Shows hints one after the other. The work goes on beneath: nothing but the hint itself takes the pointer."""

    def __init__(self, window: QWidget, hints: Sequence[Hint], over: Callable[[], None]) -> None:
        super().__init__(window)
        assert len(hints) <= MOST_HINTS
        self._window, self.hints, self._over = window, hints, over
        self.at = -1
        self.setObjectName("tour")
        self.setStyleSheet(
            f"#tour {{ background: {theme.TEXT}; border-radius: 7px; }} #tour QLabel {{ color: {theme.GROUND}; }}"
        )
        self.setAccessibleName("Hint")
        self.ring = QFrame(window)
        self.ring.setObjectName("ring")
        self.ring.setStyleSheet(
            f"#ring {{ border: 2px solid {theme.TEXT}; border-radius: 6px; background: transparent; }}"
        )
        self.ring.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.title, self.text, self.count = label(size=15, bold=True), label(wraps=True), label()
        self.next, self.end = button("Next", "", self.go_on), button("Enough", "", self.finish)
        self.next.setProperty("main", True)
        row = line((self.count, 1), self.end, self.next, spacing=6)
        column(self.title, self.text, row, over=self, spacing=6, margins=(14, 12, 14, 12))
        self.setFixedWidth(WIDE)
        for watched in (window, self.next, self.end):
            watched.installEventFilter(self)

    def go_on(self) -> None:
        """Show the next hint whose control can be seen; after the last one the tour is over."""
        self.at += 1
        while self.at < len(self.hints) and not self._place():
            self.at += 1
        if self.at >= len(self.hints):
            self.finish()
            return
        hint = self.hints[self.at]
        self.title.setText(hint.title)
        self.text.setText(hint.text)
        self.count.setText(f"{self.at + 1} of {len(self.hints)}")
        self.next.setText("Next" if self.at + 1 < len(self.hints) else "Done")
        self._place()
        self.ring.show()
        self.ring.raise_()
        self.show()
        self.raise_()
        self.next.setFocus()

    def finish(self) -> None:
        """End the tour."""
        self._window.removeEventFilter(self)
        self.hide()
        self.ring.hide()
        self.ring.deleteLater()
        self.deleteLater()
        self._over()

    def _place(self) -> bool:
        """Lay ring and hint beside what the hint is about; False where that cannot be seen."""
        widget, part = self.hints[self.at].about()
        if not widget.isVisible():
            return False
        inside = widget.rect() if part is None else part & widget.rect()
        box = QRect(widget.mapTo(self._window, inside.topLeft()), inside.size())
        self.ring.setGeometry(box.adjusted(-3, -3, 3, 3))
        self.adjustSize()
        room = self._window.rect().adjusted(AWAY, AWAY, -AWAY, -AWAY)
        size = self.size()
        places = (
            QPoint(box.left(), box.bottom() + AWAY),
            QPoint(box.left(), box.top() - AWAY - size.height()),
            QPoint(box.left() - AWAY - size.width(), box.top()),
            QPoint(box.right() + AWAY, box.top()),
        )
        boxes = [QRect(self._inside(place, room), size) for place in places]
        fits = next((b for b in boxes if room.contains(b) and not b.intersects(box)), boxes[0])
        self.move(fits.topLeft())
        return True

    def _inside(self, at: QPoint, room: QRect) -> QPoint:
        return QPoint(
            max(room.left(), min(at.x(), room.right() - self.width())),
            max(room.top(), min(at.y(), room.bottom() - self.height())),
        )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.finish()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.go_on()
        else:
            super().keyPressEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and event.key() == Qt.Key.Key_Escape
        ):
            event.accept()  # while a hint has the keyboard, Esc is its own, not the command's
            return True
        if event.type() == QEvent.Type.Resize and 0 <= self.at < len(self.hints):
            self._place()
        return super().eventFilter(watched, event)
