"""A small field that asks for a count: a number of frames, beats, times. Enter takes it, Escape leaves it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tempik.desktop.widgets import marks
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import words
from tempik.desktop.widgets.typed import Spin


class CountPanel(QFrame):
    """Asks for one number at a time and remembers what was given for each question."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self._window = parent
        self.setObjectName("count")
        marks.mark(self, "panel")
        self._last: dict[str, int] = {}
        self._ticks: dict[str, bool] = {}
        self._question = ""
        self._take: Callable[[int, bool], object] = lambda count, tick: None
        self.title = Label()
        self.title.setFont(words(14, True))
        self.count = Spin()
        self.count.setMinimumWidth(120)
        self.count.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.tick = QCheckBox()
        self.go = QPushButton("Do it")
        self.go.setProperty("main", True)
        self.go.clicked.connect(self.take)
        row = QHBoxLayout()
        row.addWidget(self.count, 1)
        row.addWidget(self.go)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.addWidget(self.title)
        column.addLayout(row)
        column.addWidget(self.tick)

    def ask(
        self,
        question: str,
        unit: str,
        first: int,
        take: Callable[[int, bool], object],
        tick: tuple[str, bool] | None = None,
        most: int = 9999,
        least: int = 1,
    ) -> None:
        """Show the field in the middle of the window; `take` gets the number and whether the tick is set."""
        self._question, self._take = question, take
        self.title.setText(question)
        self.count.setRange(least, most)
        self.count.setSuffix(f" {unit}")
        self.count.setValue(self._last.get(question, first))
        self.tick.setVisible(tick is not None)
        if tick is not None:
            self.tick.setText(tick[0])
            self.tick.setChecked(self._ticks.get(question, tick[1]))
        self.adjustSize()
        window = self._window
        middle = window.mapToGlobal(QPoint(window.width() // 3 - self.width() // 2, window.height() // 3))
        self.move(middle)
        self.show()
        self.count.setFocus()
        self.count.selectAll()

    def take(self) -> None:
        """Take the number that is typed, and close."""
        self.count.interpretText()
        self._last[self._question] = self.count.value()
        self._ticks[self._question] = self.tick.isChecked()
        self.hide()
        self._take(self.count.value(), self.tick.isChecked())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.take()
        else:
            super().keyPressEvent(event)
