"""Keeping the journal of what is open: every step as it is made, gestures while they go on, and again after it broke off."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from PySide6.QtCore import QObject, QTimer

from tempik.desktop.session.messages import Messages
from tempik.errors import TempikError
from tempik.project.history import History
from tempik.project.journal import Journal, journal_path, new_unnamed
from tempik.reel import Reel

# What a gesture shows is written this often, and the journal looked for.
PULSE_MS = 1000
# A journal that broke off is tried again after so many.
PULSES_BETWEEN_TRIES = 5


class Work(NamedTuple):
    """What is to be kept: the project's file if it has one, its history, and what a gesture shows meanwhile."""

    path: Path | None
    history: History
    under_way: Reel | None


class Journaling(QObject):
    """Keeps one journal at a time. What goes wrong is said once; nothing here raises."""

    def __init__(self, work: Callable[[], Work], messages: Messages, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._work, self._messages = work, messages
        self._journal: Journal | None = None
        self._unnamed = new_unnamed()
        self._beside = True
        self._broke_off = False
        self._pulses_to_wait = 0
        self._noted: Reel | None = None  # what was last written of a gesture
        self._pulse = QTimer(self)
        self._pulse.timeout.connect(self.keep_up)
        self._pulse.start(PULSE_MS)

    @property
    def kept(self) -> bool:
        """Whether a journal is being kept."""
        return self._journal is not None

    def begin(self, beside: bool = True) -> None:
        """Begin to write every step beside the project, where a journal that was left gives way; or, not `beside`, where
        unnamed work is kept."""
        self.leave()
        self._beside = beside
        try:
            self._journal = self._begun()
        except TempikError as error:
            self._broke_off = True
            self._messages.say(str(error), True)

    def _begun(self) -> Journal:
        path, history, _ = self._work()
        path = path if self._beside else None
        return Journal(journal_path(path, self._unnamed), history, path)

    def note(self) -> None:
        """Write what was done since the last call."""
        self._write(lambda journal: journal.note(self._work().history))

    def gesture_dropped(self) -> None:
        """Write that what a gesture showed is not wanted."""
        self._noted = None
        self._write(lambda journal: journal.note_under_way(None))

    def keep_up(self) -> None:
        """Write what a gesture shows meanwhile, look whether the journal is still there, and begin it again where it
        broke off."""
        if self._broke_off:
            self._pulses_to_wait -= 1
            if self._pulses_to_wait <= 0:
                self._begin_again()
        shown = self._work().under_way
        if shown is not None and shown is not self._noted:
            self._noted = shown
            self._write(lambda journal: journal.note_under_way(shown))
        else:
            self._write(Journal.check)

    def _begin_again(self) -> None:
        self._pulses_to_wait = PULSES_BETWEEN_TRIES
        try:
            self._journal = self._begun()
        except TempikError:
            return  # it was said when it broke off
        self._broke_off = False
        self._messages.say("Unsaved work is kept again.")

    def _write(self, entry: Callable[[Journal], None]) -> None:
        if self._journal is None:
            return
        try:
            entry(self._journal)
        except TempikError as error:
            self._journal, self._broke_off = None, True
            self._pulses_to_wait = PULSES_BETWEEN_TRIES
            self._messages.say(str(error), True)

    def leave(self) -> None:
        """Stop writing and keep what is there."""
        if self._journal is not None:
            self._journal.leave()
        self._journal, self._broke_off, self._noted = None, False, None

    def close(self) -> None:
        """Stop writing and remove the journal: all is saved, or was given up."""
        if self._journal is not None:
            self._journal.remove()
        self._journal, self._broke_off, self._noted = None, False, None
