"""What the window tells the person: one sentence at a time, and whether something is wrong."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal


class Messages(QObject):
    """Sentences on their way to the status line."""

    posted = Signal(str, bool)  # a sentence, and whether it is an error
    succeeded = Signal()  # something was done: what went wrong before is over

    def say(self, text: str, error: bool = False) -> None:
        """Tell a sentence once."""
        self.posted.emit(text, error)

    def done(self, text: str) -> None:
        """Tell what was done; no error stays beside it."""
        self.succeeded.emit()
        self.posted.emit(text, False)
