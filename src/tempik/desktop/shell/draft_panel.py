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
    QSlider,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from tempik.accents import CATALOGUE
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import words
from tempik.edit.draft import LONGEST_S, Wish
from tempik.edit.drafting.make import MoodWish
from tempik.edit.drafting.moods import MOODS
from tempik.edit.song.stretches import suggested_stretches
from tempik.reel import Reel
from tempik.time import clock_text

# Which accents a draft offers ticked, and on every how many points.
OFFERED = {"flash": (True, 4), "shake": (True, 2), "punch": (True, 4), "kick": (False, 2)}


class DraftPanel(QFrame):
    """A small panel over the window; `wished` carries what to draft."""

    wished = Signal(object)
    mood_wished = Signal(object)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("draft")
        self.setStyleSheet(
            f"#draft {{ background: {theme.RAISED}; border: 1px solid {theme.QUIET}; border-radius: 6px; }}"
        )
        self._reel = Reel()
        title = Label("Draft the reel")
        title.setFont(words(15, True))
        about = Label("A first reel to correct, landing on the beat. One step to undo.")
        about.setWordWrap(True)
        about.setStyleSheet(f"color: {theme.QUIET};")
        self._make_fields()
        form = QFormLayout()
        self._form = form
        form.addRow(Label("mood"), self.mood)
        form.addRow(self.does)
        form.addRow(Label("strength"), self.strength)
        form.addRow(Label("one clip every"), self.every)
        form.addRow(Label("stretch"), self.stretch)
        form.addRow(Label("from"), self.start)
        form.addRow(Label("length"), self.length)
        self.accents: dict[str, tuple[QCheckBox, QSpinBox]] = {}
        self._lines: list[QWidget] = []
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
            line = QWidget()
            line.setLayout(row)
            row.setContentsMargins(0, 0, 0, 0)
            form.addRow(line)
            self._lines.append(line)
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
        self._mood_chosen()

    def _make_fields(self) -> None:
        self.mood = QComboBox()
        self.mood.addItem("one clip every few beats", None)
        for mood in MOODS:
            self.mood.addItem(mood.name, mood)
            self.mood.setItemData(self.mood.count() - 1, mood.does, Qt.ItemDataRole.ToolTipRole)
        self.does = Label()
        self.does.setWordWrap(True)
        self.does.setStyleSheet(f"color: {theme.QUIET};")
        self.mood.currentIndexChanged.connect(self._mood_chosen)
        self.stretch = QComboBox()
        self.stretch.setToolTip("Stretches of the song that suit the length")
        self.stretch.setPlaceholderText("as below, or choose …")
        self.stretch.activated.connect(self._stretch_chosen)
        self.strength = QSlider(Qt.Orientation.Horizontal)
        self.strength.setRange(0, 200)
        self.strength.setValue(100)
        self.strength.setToolTip("From calm to wild: how strong all accents are")
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
        self.length.editingFinished.connect(self._fill_stretches)

    def _mood_chosen(self) -> None:
        """Show what the chosen way of drafting asks for."""
        mood = self.mood.currentData()
        self.does.setText(
            mood.does if mood is not None else "Your footage in turn, each cue on a point inside its slot."
        )
        self._form.setRowVisible(self.strength, mood is not None)
        self._form.setRowVisible(self.every, mood is None)
        for line in self._lines:
            self._form.setRowVisible(line, mood is None)
        self.adjustSize()

    def _fill_stretches(self) -> None:
        """Offer stretches of the song near the length that is set."""
        song = self._reel.soundtrack
        self.stretch.clear()
        if song is None:
            return
        for found in suggested_stretches(song, self.length.value()):
            text = f"{clock_text(found.start_s)[:-4]}, {found.length_s:.1f} s: {found.why}"
            self.stretch.addItem(text, (found.start_s, found.length_s))
        self.stretch.setCurrentIndex(-1)

    def _stretch_chosen(self) -> None:
        chosen = self.stretch.currentData()
        if chosen is not None:
            self.start.setValue(chosen[0])
            self.length.setValue(chosen[1])

    def show_for(self, reel: Reel) -> None:
        """Open with the reel's own stretch filled in."""
        self._reel = reel
        song = reel.soundtrack
        if song is not None:
            self.start.setRange(0.0, max(0.0, song.length_s - 1))
            self.start.setValue(song.start_s)
            self.length.setMaximum(song.length_s)
            self.length.setValue(min(reel.length_s or LONGEST_S, song.length_s - song.start_s))
            self._fill_stretches()
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
        mood = self.mood.currentData()
        if mood is None:
            self.wished.emit(self.wish())
            return
        plain = self.wish()
        self.mood_wished.emit(
            MoodWish(
                mood, start_s=plain.start_s, length_s=plain.length_s, width=plain.width, height=plain.height, rate=plain.rate,
                strength=self.strength.value() / 100,
            )
        )  # fmt: skip
