"""The stretch panel: suggested stretches of the song, its loudness and its fades."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QDoubleSpinBox, QFormLayout, QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tempik.desktop.commands.arranging import ArrangeCommands
from tempik.desktop.session.document import Project
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import tool
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import words
from tempik.desktop.widgets.typed import DecimalSpin
from tempik.edit.song.arranging import SongEditProposal
from tempik.edit.song.level import with_sound
from tempik.edit.song.stretches import LENGTHS_S, suggested_stretches, with_stretch
from tempik.rhythm.song_edits import SongEdit
from tempik.time import clock_text


class StretchPanel(QFrame):
    """A small panel over the window. Each suggestion starts on a section and ends on a bar."""

    def __init__(self, project: Project, parent: QWidget, arrange: ArrangeCommands) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.project, self.arrange = project, arrange
        self._filling = False
        self.setObjectName("stretch")
        marks.mark(self, "panel")
        title = Label("The reel's stretch of the song")
        title.setFont(words(15, True))
        self.offers = QVBoxLayout()
        self.offers.setSpacing(3)
        self.gain = self._box(" dB", -60.0, 24.0, 0.5, "gain", lambda r, v: with_sound(r, gain_db=v))
        self.fade_in = self._box(" s", 0.0, 60.0, 0.1, "fade in", lambda r, v: with_sound(r, fade_in_s=v))
        self.fade_out = self._box(" s", 0.0, 60.0, 0.1, "fade out", lambda r, v: with_sound(r, fade_out_s=v))
        self.song_edits = QVBoxLayout()
        self.song_edits.setSpacing(3)
        form = QFormLayout()
        for name, box in (("gain", self.gain), ("fade in", self.fade_in), ("fade out", self.fade_out)):
            form.addRow(Label(name), box)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 14)
        column.setSpacing(10)
        column.addWidget(title)
        column.addLayout(self.offers)
        column.addLayout(self._make_length())
        column.addLayout(self.song_edits)
        column.addLayout(form)
        self.setMinimumWidth(420)

    def _box(
        self, unit: str, low: float, high: float, step: float, name: str, edit: Callable[..., object]
    ) -> QDoubleSpinBox:
        box = DecimalSpin()
        box.setRange(low, high)
        box.setSingleStep(step)
        box.setDecimals(1 if unit == " dB" else 2)
        box.setSuffix(unit)
        box.setKeyboardTracking(False)
        box.setAlignment(Qt.AlignmentFlag.AlignCenter)
        box.setAccessibleName(name)

        def typed(value: float) -> None:
            if not self._filling:
                self.project.change(f"Song's {name} {value:g}{unit}", lambda reel: edit(reel, value))  # type: ignore[arg-type, return-value]

        box.valueChanged.connect(typed)
        return box

    def _make_length(self) -> QHBoxLayout:
        """The length that the whole song should have, its bars being left out or heard again."""
        self.wanted = DecimalSpin()
        self.wanted.setRange(2, 3600)
        self.wanted.setDecimals(0)
        self.wanted.setValue(LENGTHS_S[0])
        self.wanted.setSuffix(" s")
        self.wanted.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.wanted.setAccessibleName("Length of the song")
        self.finder = QPushButton("make the whole song so long")
        self.finder.setToolTip("Finds which bars to leave out, or to hear again, so that the splices are least heard")
        self.finder.clicked.connect(self.find_song_edits)
        line = QHBoxLayout()
        line.setSpacing(6)
        line.addWidget(self.finder, 1)
        line.addWidget(self.wanted)
        return line

    def find_song_edits(self) -> None:
        """Look for ways to make the song so long, and offer them."""
        self._clear(self.song_edits)
        self._say("looking for ways …")
        self.finder.setEnabled(False)
        self.arrange.find(self.wanted.value(), self._offer_song_edits, self._failed)

    def _failed(self, text: str) -> None:
        self.finder.setEnabled(True)
        self._clear(self.song_edits)
        self._say(text)
        self.adjustSize()

    def _say(self, text: str) -> None:
        message = Label(text)
        message.setWordWrap(True)
        marks.ink(message, "quiet")
        self.song_edits.addWidget(message)

    def _offer_song_edits(self, found: list[SongEditProposal]) -> None:
        self.finder.setEnabled(True)
        self._clear(self.song_edits)
        for proposal in found:
            line = QHBoxLayout()
            line.setSpacing(4)
            listen = tool("play", "Hear the splices", partial(self._listen, proposal.song_edit))
            take = QPushButton(f"{proposal.song_edit.length_s:.2f} s   {proposal.why}   ({proposal.heard})")
            marks.room(take, "line")
            take.clicked.connect(lambda _=False, w=proposal.song_edit: self._take_song_edit(w))
            line.addWidget(listen)
            line.addWidget(take, 1)
            holder = QWidget()
            holder.setLayout(line)
            line.setContentsMargins(0, 0, 0, 0)
            self.song_edits.addWidget(holder)
        self.adjustSize()

    def _listen(self, song_edit: SongEdit, *_: object) -> None:
        self.arrange.listen(song_edit)

    def _take_song_edit(self, song_edit: SongEdit) -> None:
        self.arrange.take(song_edit)
        self.hide()

    @staticmethod
    def _clear(column: QVBoxLayout) -> None:
        while (item := column.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()

    def show_at(self, corner: QPoint) -> None:
        """Open with the suggestions for the present song."""
        song = self.project.reel.soundtrack
        self._clear(self.offers)
        self._clear(self.song_edits)
        if song is None:
            return
        for wanted in LENGTHS_S:
            head = Label(f"about {wanted:.0f} s")
            marks.ink(head, "quiet")
            offers = suggested_stretches(song, wanted)
            if song.length_s <= wanted and wanted != LENGTHS_S[0]:
                continue
            self.offers.addWidget(head)
            for offer in offers:
                start, length = offer.start_s, offer.length_s
                button = QPushButton(f"{clock_text(start)[:-4]}  +  {length:.2f} s   {offer.why}")
                marks.room(button, "line")
                button.clicked.connect(lambda _=False, a=start, n=length: self._take(a, n))
                self.offers.addWidget(button)
        self._filling = True
        self.gain.setValue(song.gain_db)
        self.fade_in.setValue(song.fade_in_s)
        self.fade_out.setValue(song.fade_out_s)
        self._filling = False
        self.adjustSize()
        self.move(corner)
        self.show()

    def _take(self, start_s: float, length_s: float) -> None:
        self.project.change("Stretch of song chosen", lambda reel: with_stretch(reel, start_s, length_s))
        self.hide()
