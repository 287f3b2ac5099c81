"""Undo and redo: reels are frozen, so a history is the reels themselves with the name of each step."""

from __future__ import annotations

from typing import NamedTuple

from tempik.reel import Reel


class UndoStep(NamedTuple):
    """A state of the reel and what was done to reach it, as the Undo button says it."""

    reel: Reel
    done: str


class History(NamedTuple):
    """Steps in order; `at` is the present one. Taking a new step drops what could have been redone."""

    steps: tuple[UndoStep, ...]
    at: int = 0

    @property
    def reel(self) -> Reel:
        """The reel at the present step."""
        return self.steps[self.at].reel

    @property
    def can_undo(self) -> str:
        """What undo would take back, or an empty string."""
        return self.steps[self.at].done if self.at > 0 else ""

    @property
    def can_redo(self) -> str:
        """What redo would do again, or an empty string."""
        return self.steps[self.at + 1].done if self.at + 1 < len(self.steps) else ""

    def done(self, reel: Reel, what: str) -> History:
        """Return the history after one more step. There is no limit: steps share all that they did not change."""
        steps = (*self.steps[: self.at + 1], UndoStep(reel, what))
        return History(steps, len(steps) - 1)

    def gone_to(self, number: int) -> History:
        """Return the history standing at one of its steps."""
        return self._replace(at=min(max(number, 0), len(self.steps) - 1))

    def undone(self) -> History:
        """Return the history a step back."""
        return self.gone_to(self.at - 1)

    def redone(self) -> History:
        """Return the history a step further on."""
        return self.gone_to(self.at + 1)


def begin(reel: Reel) -> History:
    """Return a history holding the reel as it was opened."""
    return History((UndoStep(reel, ""),))
