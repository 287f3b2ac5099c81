"""What an empty project shows: three places to drop things, in the order of the work, and the demo."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tempik.desktop.widgets import theme
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import icon, words


class _Place(QFrame):
    clicked = Signal()

    def __init__(self, number: str, sign: str, title: str, text: str) -> None:
        super().__init__()
        self.setObjectName("place")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(title)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        picture = Label()
        picture.setPixmap(icon(sign, theme.RHYTHM).pixmap(QSize(40, 40)))
        picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        name = Label(title)
        name.setFont(words(18, True))
        name.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.text = Label(text)
        self.text.setWordWrap(True)
        self.text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.text.setStyleSheet(f"color: {theme.QUIET}; font-size: 13px;")
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 26, 18, 22)
        column.addStretch(1)
        column.addWidget(picture)
        column.addSpacing(8)
        column.addWidget(name)
        column.addWidget(self.text)
        column.addStretch(1)
        self._done: bool | None = None
        self.show_done(False)

    def show_done(self, done: bool) -> None:
        if done == self._done:
            return  # to style anew costs more than all else that a change of the reel does here
        self._done = done
        edge = f"2px solid {theme.RHYTHM}" if done else f"2px dashed {theme.LINE}"
        self.setStyleSheet(
            f"#place {{ background: {theme.RAISED}; border: {edge}; border-radius: 10px; }}"
            f"#place:hover, #place:focus {{ border-color: {theme.RHYTHM}; }}"
        )

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.clicked.emit()


class Welcome(QWidget):
    """Song, footage, go."""

    song_wanted = Signal()
    footage_wanted = Signal()
    draft_wanted = Signal()
    demo_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.song = _Place(
            "1", "song", "Song", "Drop a song here, or click to choose.\nIts beats are found as it opens."
        )
        self.footage = _Place(
            "2",
            "film",
            "Footage",
            "Drop videos here, or click to choose.\nThen mark the frame that must land.",
        )
        self.go = _Place("3", "spark", "Go", "A first reel, cut on the beat with every cue on a point.")
        self.song.clicked.connect(self.song_wanted)
        self.footage.clicked.connect(self.footage_wanted)
        self.go.clicked.connect(self.draft_wanted)
        demo = QPushButton("Open the demo: a smithy's open day")
        demo.clicked.connect(self.demo_wanted)
        places = QHBoxLayout()
        places.setSpacing(16)
        for place in (self.song, self.footage, self.go):
            places.addWidget(place, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(demo)
        foot.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 20, 20, 16)
        whole.addLayout(places, 1)
        whole.addSpacing(10)
        whole.addLayout(foot)

    def show_state(self, song: str, footage: int) -> None:
        """Say what is there already."""
        self.song.show_done(bool(song))
        self.song.text.setText(song or "Drop a song here, or click to choose.\nIts beats are found as it opens.")
        self.footage.show_done(footage > 0)
        cued = "Mark cues below, then press Go." if footage else ""
        self.footage.text.setText(
            f"{footage} piece{'s' if footage != 1 else ''}. {cued}"
            if footage
            else "Drop videos here, or click to choose.\nThen mark the frame that must land."
        )
        ready = bool(song) and footage > 0
        self.go.setEnabled(ready)
        self.go.text.setText("Draft the reel." if ready else "A first reel, cut on the beat with every cue on a point.")
        self.go.show_done(ready)
