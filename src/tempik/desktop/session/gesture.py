"""A change under way, such as a drag: shown at once, one undo step when it settles, nothing when it is dropped."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from tempik.reel import Reel

if TYPE_CHECKING:
    from tempik.desktop.session.document import Project


class Gesture:
    """One widget's changes under way. Of all gestures on a project one is open at most: it opens with the first `show`,
    which drops any other that was, so none can commit what another has shown."""

    def __init__(self, project: Project) -> None:
        self._project = project

    @property
    def open(self) -> bool:
        return self._project.gesture_open(self)

    def show(self, edit: Callable[[Reel], Reel]) -> bool:
        """Show an edit of the reel as it was before the gesture began; False, having said why, where it cannot be had."""
        return self._project.show_gesture(self, edit)

    def settle(self, what: str) -> None:
        """What is shown becomes one undo step; without anything shown nothing happens."""
        self._project.settle_gesture(self, what)

    def drop(self) -> None:
        """Show the reel as it was before."""
        if self.open:
            self._project.forget_gesture()
