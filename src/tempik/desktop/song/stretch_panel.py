"""The stretch panel: suggested stretches of the song, its loudness and its fades."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFrame, QWidget

from tempik.desktop.commands.arranging import ArrangeCommands
from tempik.desktop.session.document import Project
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.controls import control_of
from tempik.desktop.widgets.form import SettingsForm, button, column, emptied, grid, holder, line, quiet, tool
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import words
from tempik.edit.song.arranging import SongEditProposal
from tempik.edit.song.level import with_sound
from tempik.edit.song.stretches import LENGTHS_S, suggested_stretches, with_stretch
from tempik.reel.soundtrack import SONG_SETTINGS
from tempik.rhythm.song_edits import SongEdit
from tempik.settings import Setting
from tempik.time import clock_text

LONG = Setting("length_s", "length", 15.0, 2, 3600, "s", digits=0, step=1, does="Length of the song")


class StretchPanel(QFrame):
    """A small panel over the window. Each suggestion starts on a section and ends on a bar."""

    def __init__(self, project: Project, parent: QWidget, arrange: ArrangeCommands) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.project, self.arrange = project, arrange
        self.setObjectName("stretch")
        marks.mark(self, "panel")
        title = Label("The reel's stretch of the song")
        title.setFont(words(15, True))
        self.offers, self.song_edits = column(spacing=3), column(spacing=3)
        self.form = SettingsForm(SONG_SETTINGS)
        self.gain, self.fade_in, self.fade_out = self.form.controls.values()
        self.form.edited.connect(self._edited)
        self.wanted = control_of(LONG)
        self.wanted.setValue(LENGTHS_S[0])
        finds = "Finds which bars to leave out, or to hear again, so that the splices are least heard"
        self.finder = button("make the whole song so long", finds, self.find_song_edits)
        for control in (*self.form.controls.values(), self.wanted):
            control.setAlignment(Qt.AlignmentFlag.AlignCenter)
        numbers = grid(*([quiet(s.title), self.form[n]] for n, s in SONG_SETTINGS.items()), wide=(1,))
        length = line((self.finder, 1), self.wanted, spacing=6)
        parts = (title, self.offers, length, self.song_edits, numbers)
        column(*parts, over=self, spacing=10, margins=(16, 14, 16, 14))
        self.setMinimumWidth(420)

    def _edited(self, name: str, value: float) -> None:
        setting = SONG_SETTINGS[name]
        what = f"Song's {setting.title} {setting.shown(value)}"
        self.project.change(what, lambda reel: with_sound(reel, **{name: value}))

    def find_song_edits(self) -> None:
        """Look for ways to make the song so long, and offer them."""
        emptied(self.song_edits)
        self._say("looking for ways …")
        self.finder.setEnabled(False)
        self.arrange.find(self.wanted.value(), self._offer_song_edits, self._failed)

    def _failed(self, text: str) -> None:
        self.finder.setEnabled(True)
        emptied(self.song_edits)
        self._say(text)
        self.adjustSize()

    def _say(self, text: str) -> None:
        self.song_edits.addWidget(quiet(text, wraps=True))

    def _offer_song_edits(self, found: list[SongEditProposal]) -> None:
        self.finder.setEnabled(True)
        emptied(self.song_edits)
        for proposal in found:
            listen = tool("play", "Hear the splices", partial(self.arrange.listen, proposal.song_edit))
            text = f"{proposal.song_edit.length_s:.2f} s   {proposal.why}   ({proposal.heard})"
            take = button(text, "", partial(self._take_song_edit, proposal.song_edit), "line")
            self.song_edits.addWidget(holder(line(listen, (take, 1))))
        self.adjustSize()

    def _take_song_edit(self, song_edit: SongEdit) -> None:
        self.arrange.take(song_edit)
        self.hide()

    def show_at(self, corner: QPoint) -> None:
        """Open with the suggestions for the present song."""
        song = self.project.reel.soundtrack
        emptied(self.offers)
        emptied(self.song_edits)
        if song is None:
            return
        for wanted in LENGTHS_S:
            head = quiet(f"about {wanted:.0f} s")
            offers = suggested_stretches(song, wanted)
            if song.length_s <= wanted and wanted != LENGTHS_S[0]:
                continue
            self.offers.addWidget(head)
            for offer in offers:
                text = f"{clock_text(offer.start_s)[:-4]}  +  {offer.length_s:.2f} s   {offer.why}"
                self.offers.addWidget(button(text, "", partial(self._take, offer.start_s, offer.length_s), "line"))
        self.form.show_record(song)
        self.adjustSize()
        self.move(corner)
        self.show()

    def _take(self, start_s: float, length_s: float) -> None:
        self.project.change("Stretch of song chosen", lambda reel: with_stretch(reel, start_s, length_s))
        self.hide()
