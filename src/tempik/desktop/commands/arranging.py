"""Commands on the song's arrangement: marked bars left out, heard again, moved; the song made another length."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QMenu, QWidget

from tempik.desktop.commands.registry import command
from tempik.desktop.playback.sampler import SoundSampler
from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.desktop.session.song import Song
from tempik.edit.song import arranging
from tempik.edit.song.arranging import SongEditProposal
from tempik.media.audio import resampled
from tempik.reel import Reel, SongPiece
from tempik.render.song_sound import arranged_samples
from tempik.rhythm.song_edits import SongEdit
from tempik.time import time_of

RATE = 24000  # at which bars are compared
# Of a way, so much is heard before and after each of its transitions.
AROUND_S = 2.5


class ArrangeCommands(QObject):
    """What keys and menus do to the order of the song's bars."""

    wanted = Signal()  # the panel that asks for a length

    def __init__(self, project: Project, song: Song, worker: Worker, sampler: SoundSampler) -> None:
        super().__init__(project)
        self.project, self.song, self.worker, self.sampler = project, song, worker, sampler

    def _marked(self) -> tuple[float, float] | None:
        """Return the marked stretch of the song, or None, having said so."""
        marked = self.project.selection.marked
        if marked is None:
            self.project.messages.say("Mark bars first: Ctrl and drag on the song strip, or / at their ends.", True)
        return marked

    def _do(self, what: str, edit: Callable[[Reel, float, float], Reel]) -> None:
        marked = self._marked()
        if marked is not None and self.project.change(what, lambda reel: edit(reel, *marked)):
            self.project.selection.mark(None)

    @command("Sound", "Leave the marked bars out of the song", ("Ctrl+Shift+\\",), "song")
    def drop_bars(self) -> None:
        self._do("Bars left out", arranging.without_bars)

    @command("Sound", "Hear the marked bars again", (), "song")
    def bars_again(self) -> None:
        self._do("Bars heard again", arranging.with_bars_again)

    @command("Sound", "Move the marked bars to the playhead", (), "song")
    def move_bars(self) -> None:
        timeline = self.project.timeline
        at_s = timeline.start_s + time_of(self.project.playhead.frame, timeline.rate)
        self._do("Bars moved", lambda reel, a, b: arranging.with_bars_moved(reel, a, b, at_s))

    @command("Sound", "The whole song again", (), "song")
    def whole_song(self) -> None:
        self.project.change("The whole song", arranging.with_whole_song)

    @command("Sound", "Make the song so long …", ("Alt+L",), "song")
    def ask_length(self) -> None:
        self.wanted.emit()

    # Another length

    def find(
        self, wanted_s: float, done: Callable[[list[SongEditProposal]], None], failed: Callable[[str], None]
    ) -> None:
        """Look for ways to make the song so long, in the background."""
        record, sound = self.project.reel.soundtrack, self.song.sound
        if record is None or sound is None:
            failed("The song is still being read; ask again in a moment.")
            return

        def work(job: Job) -> list[SongEditProposal]:
            return arranging.proposals(record, resampled(sound, RATE, mono=True).samples, RATE, wanted_s)

        self.worker.start(f"Making the song {wanted_s:g} s long", work, done, failed)

    def take(self, song_edit: SongEdit) -> None:
        """Have the song heard so."""
        self.sampler.stop()
        length_s = song_edit.length_s
        self.project.change(f"Song made {length_s:.1f} s long", lambda reel: arranging.with_song_edit(reel, song_edit))

    def listen_stretch(self, start_s: float, length_s: float) -> None:
        """Play a stretch of the song."""
        sound = self.song.sound
        if sound is not None:
            first, end = (round(s * sound.rate) for s in (start_s, start_s + length_s))
            self.sampler.play(np.asarray(sound.samples[max(first, 0) : end]))

    def listen(self, song_edit: SongEdit) -> None:
        """Play what is heard around the transitions of a way, one after the other."""
        sound = self.song.sound
        if sound is None:
            return
        made = arranged_samples(tuple(SongPiece(a, b) for a, b in song_edit.stretches), sound)
        at, parts = 0.0, []
        for a, b in song_edit.stretches[:-1]:
            at += b - a
            first, end = (round(max(at + s, 0.0) * sound.rate) for s in (-AROUND_S, AROUND_S))
            parts.append(made[first:end])
        self.sampler.play(np.concatenate(parts) if parts else made[: round(4 * AROUND_S * sound.rate)])

    def menu(self, parent: QWidget) -> QMenu:
        """Return what can be done to the song's bars now."""
        menu, marked, record = QMenu(parent), self.project.selection.marked, self.project.reel.soundtrack
        for text, act in (
            ("Leave the marked bars out", self.drop_bars),
            ("Hear the marked bars again", self.bars_again),
            ("Move the marked bars to the playhead", self.move_bars),
        ):
            action = menu.addAction(text)
            action.setEnabled(marked is not None)
            action.triggered.connect(act)
        menu.addSeparator()
        menu.addAction("Make the song so long …").triggered.connect(self.ask_length)
        whole = menu.addAction("The whole song again")
        whole.setEnabled(record is not None and bool(record.pieces))
        whole.triggered.connect(self.whole_song)
        return menu
