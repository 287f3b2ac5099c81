"""The draft panel: a rule, and a reel is there to be corrected."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from tempik.accents import CATALOGUE
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import words
from tempik.edit.draft import LONGEST_S, Wish
from tempik.reel import Reel

# Which accents a draft offers ticked, and on every how many points.
OFFERED = {"flash": (True, 4), "shake": (True, 2), "punch": (True, 4), "kick": (False, 2)}


class DraftPanel(QFrame):
    """A small panel over the window; `wished` carries what to draft."""

    wished = Signal(object)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("draft")
        self.setStyleSheet(
            f"#draft {{ background: {theme.RAISED}; border: 1px solid {theme.QUIET}; border-radius: 6px; }}"
        )
        self._reel = Reel()
        title = Label("Draft the reel")
        title.setFont(words(15, True))
        about = Label(
            "Slots between beats, your footage in turn, each cue on a point inside its slot. One step to undo."
        )
        about.setWordWrap(True)
        about.setStyleSheet(f"color: {theme.QUIET};")
        self.every = QComboBox()
        for n in (1, 2, 4, 8):
            self.every.addItem(f"{n} beat{'s' if n > 1 else ''}", n)
        self.every.setCurrentIndex(2)
        self.start, self.length = QDoubleSpinBox(), QDoubleSpinBox()
        for box in (self.start, self.length):
            box.setDecimals(2)
            box.setSuffix(" s")
            box.setAlignment(Qt.AlignmentFlag.AlignCenter)
            box.setRange(0.0, 3600.0)
        self.length.setMinimum(1.0)
        form = QFormLayout()
        form.addRow(Label("one clip every"), self.every)
        form.addRow(Label("from"), self.start)
        form.addRow(Label("length"), self.length)
        self.accents: dict[str, tuple[QCheckBox, QSpinBox]] = {}
        for name, (ticked, every) in OFFERED.items():
            tick, count = QCheckBox(CATALOGUE[name].title), QSpinBox()
            tick.setChecked(ticked)
            count.setRange(1, 64)
            count.setValue(every)
            count.setPrefix("every ")
            count.setAlignment(Qt.AlignmentFlag.AlignCenter)
            row = QHBoxLayout()
            row.addWidget(tick, 1)
            row.addWidget(count)
            form.addRow(row)
            self.accents[name] = (tick, count)
        go = QPushButton("Draft")
        go.setProperty("main", True)
        go.clicked.connect(self._go)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 14)
        column.addWidget(title)
        column.addWidget(about)
        column.addLayout(form)
        column.addWidget(go)
        self.setFixedWidth(320)

    def show_for(self, reel: Reel) -> None:
        """Open with the reel's own stretch filled in."""
        self._reel = reel
        song = reel.soundtrack
        if song is not None:
            self.start.setRange(0.0, max(0.0, song.length_s - 1))
            self.start.setValue(song.start_s)
            self.length.setMaximum(song.length_s)
            self.length.setValue(min(reel.length_s or LONGEST_S, song.length_s - song.start_s))
        self.show()

    def wish(self) -> Wish:
        """Return what is asked for. The length is cut to what the song has left."""
        song = self._reel.soundtrack
        length = self.length.value()
        if song is not None:
            # The field shows hundredths; a stretch that reaches the song's end means all of it.
            left = song.length_s - self.start.value()
            length = left if length > left - 0.01 else length
        return Wish(
            every=int(self.every.currentData()),
            start_s=self.start.value(),
            length_s=length,
            width=self._reel.width,
            height=self._reel.height,
            rate=self._reel.rate,
            accents=tuple((name, count.value()) for name, (box, count) in self.accents.items() if box.isChecked()),
        )

    def _go(self) -> None:
        self.hide()
        self.wished.emit(self.wish())
