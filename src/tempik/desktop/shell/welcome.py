"""What an empty project shows: three places to drop things, in the order of the work, recent projects, and the demo."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal, SignalInstance
from PySide6.QtGui import QIcon, QImage, QMouseEvent, QPixmap
from PySide6.QtWidgets import QFrame, QPushButton, QSizePolicy, QWidget

from tempik.demo import OTHERS, PROJECT
from tempik.desktop.widgets import marks, theme
from tempik.desktop.widgets.form import button, column, emptied, holder, label, line, quiet
from tempik.desktop.widgets.plain import as_tip, in_menu
from tempik.desktop.widgets.theme import icon
from tempik.digits import plural

RECENT_PX = 54
LONGEST_NAME = 18


class _Place(QFrame):
    clicked = Signal()

    def __init__(self, number: str, sign: str, title: str, text: str) -> None:
        super().__init__()
        self.setObjectName("place")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(title)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        picture, name = label(), label(title, 18, True)
        picture.setPixmap(icon(sign, theme.RHYTHM).pixmap(QSize(40, 40)))
        self.text = quiet(text, wraps=True)
        for centred in (picture, name, self.text):
            centred.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column(None, picture, 8, name, self.text, None, over=self, spacing=6, margins=(18, 26, 18, 22))
        self.show_done(False)

    def show_done(self, done: bool) -> None:
        marks.mark(self, "done", done)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.clicked.emit()


class _Recent(QPushButton):
    """A recent project: its picture and its name."""

    def __init__(self, path: Path, image: QImage | None, wanted: SignalInstance) -> None:
        super().__init__(in_menu(path.stem if len(path.stem) <= LONGEST_NAME else f"{path.stem[:LONGEST_NAME]}…"))
        self.setToolTip(as_tip(str(path)))
        self.setAccessibleName(f"Open {path.stem}")
        marks.room(self, "line")
        picture = QPixmap.fromImage(image) if image is not None else icon("film", theme.QUIET).pixmap(QSize(28, 28))
        self.setIcon(QIcon(picture))
        self.setIconSize(QSize(40, RECENT_PX))
        self.clicked.connect(lambda: wanted.emit(str(path)))


class Welcome(QWidget):
    """Song, footage, go; the demo, and what was worked on last."""

    song_wanted = Signal()
    footage_wanted = Signal()
    draft_wanted = Signal()
    demo_wanted = Signal(str)
    recent_wanted = Signal(str)
    by_hand_wanted = Signal()

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
        demo = button("Open the demo: a smithy's open day", "", partial(self.demo_wanted.emit, PROJECT))
        others = []
        for name in OTHERS:
            frame = name.split(" ")[1].split(".")[0]
            others.append(button(frame, f"The demo in a {frame} frame", partial(self.demo_wanted.emit, name)))
        self._demos = (demo, *others)
        self._recent = line(spacing=8)
        self.recent = holder(self._recent)
        tip = "Shows the timeline with its points: footage is dragged there from the shelf below"
        self.by_hand = button("Lay clips by hand", tip, self.by_hand_wanted.emit)
        self.by_hand.hide()
        whole_folder = quiet("A folder with a song and videos, dropped here, is a first reel.")
        # Neither asks for room: they are shown as far as there is some.
        for widget in (whole_folder, self.recent):
            widget.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        places = line((self.song, 1), (self.footage, 1), (self.go, 1), spacing=16)
        foot = line((whole_folder, 1), self.by_hand, *self._demos, spacing=6)
        column((places, 1), 8, self.recent, 6, foot, over=self, spacing=6, margins=(20, 20, 20, 16))

    def show_recent(self, projects: Sequence[tuple[Path, QImage | None]]) -> None:
        """Show recent projects, each with its picture where there is one."""
        emptied(self._recent)
        for path, image in projects:
            self._recent.addWidget(_Recent(path, image, self.recent_wanted))
        self._recent.addStretch(1)
        self.recent.setVisible(bool(projects))

    def show_state(self, song: str, footage: int) -> None:
        """Say what is there already."""
        self.song.show_done(bool(song))
        self.song.text.setText(song or "Drop a song here, or click to choose.\nIts beats are found as it opens.")
        self.footage.show_done(footage > 0)
        cued = "Mark cues below, then press Go." if footage else ""
        self.footage.text.setText(
            f"{plural(footage, 'piece')}. {cued}"
            if footage
            else "Drop videos here, or click to choose.\nThen mark the frame that must land."
        )
        self.by_hand.setVisible(footage > 0)
        for demo in self._demos:
            demo.setVisible(not footage)
        ready = bool(song) and footage > 0
        self.go.setEnabled(ready)
        self.go.text.setText("Draft the reel." if ready else "A first reel, cut on the beat with every cue on a point.")
        self.go.show_done(ready)
