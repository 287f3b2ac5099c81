"""A change under way, such as a drag: shown at once, one undo step when it settles, nothing when it is dropped."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from PySide6.QtCore import QEvent, QObject, Qt, QTimer, SignalInstance
from PySide6.QtGui import QGuiApplication

from tempik.desktop.session.messages import Messages
from tempik.reel import Reel

ReelEdit = Callable[[Reel], Reel]


class ShowsGestures(Protocol):
    """What a gesture changes: of all gestures on it one is open at most."""

    changed: SignalInstance
    given_up: SignalInstance

    @property
    def messages(self) -> Messages:
        """Where sentences are told."""

    @property
    def gesture(self) -> Gesture | None:
        """The gesture that is open, or None."""

    def show_gesture(self, gesture: Gesture, edit: Callable[[Reel], Reel]) -> bool:
        """Show an edit of the reel as it was before the gesture; False where it cannot be had."""

    def settle_gesture(self, gesture: Gesture, what: str) -> None:
        """End a gesture: what is shown becomes one undo step."""

    def forget_gesture(self) -> None:
        """Drop the gesture that is open."""


class Gesture:
    """One widget's changes under way. Of all gestures on a project one is open at most: it opens with the first `show`,
    which drops any other that was, so none can commit what another has shown."""

    def __init__(self, project: ShowsGestures) -> None:
        self._project = project
        self._given_up = False

    @property
    def open(self) -> bool:
        """Whether it is the one under way."""
        return self._project.gesture is self

    def show(self, edit: Callable[[Reel], Reel]) -> bool:
        """Show an edit of the reel as it was before the gesture began; False, having said why, where it cannot be had.
        Given up it stays so until the button is let go."""
        return not self._given_up and self._project.show_gesture(self, edit)

    def settle(self, what: str) -> None:
        """What is shown becomes one undo step; without anything shown nothing happens."""
        self._project.settle_gesture(self, what)

    def drop(self) -> None:
        """Show the reel as it was before."""
        if self.open:
            self._project.forget_gesture()

    def give_up(self) -> None:
        """Drop it while the button is still held: whoever drags on moves nothing."""
        self.drop()
        if QGuiApplication.mouseButtons() != Qt.MouseButton.NoButton:
            self._given_up = True
            UntilLetGo(self._as_before)

    def _as_before(self) -> None:
        self._given_up = False
        self._project.changed.emit()  # a slider that was dragged on shows what is so again


def give_up(project: ShowsGestures) -> None:
    """Drop what is under way, such as a drag: everything is as it was."""
    if project.gesture is not None:
        project.gesture.give_up()
        project.given_up.emit()
        project.messages.say("Dropped: it is as it was.")


class UntilLetGo(QObject):
    """Waits for the button that is held to be let go, or another to be pressed, and goes."""

    def __init__(self, then: Callable[[], None]) -> None:
        app = QGuiApplication.instance()
        super().__init__(app)
        self._then = then
        if app is not None:
            app.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if kind in (QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonRelease):
            app = QGuiApplication.instance()
            if app is not None:
                app.removeEventFilter(self)
            if kind == QEvent.Type.MouseButtonPress:
                self._then()
            else:
                QTimer.singleShot(0, self._then)  # the widget's own release comes first
            self.deleteLater()
        return False


class Slides(Protocol):
    """A control that is dragged: `moved` while it is, `settled` after, `told` for what is set at once."""

    moved: SignalInstance
    settled: SignalInstance
    told: SignalInstance


class Changes(ShowsGestures, Protocol):
    """What is changed by steps and by gestures."""

    def change(self, what: str, edit: Callable[[Reel], Reel]) -> bool:
        """Apply an edit as one step."""


def slide(
    control: Slides, project: Changes, what: Callable[[], str], edit: Callable[[float], ReelEdit | None]
) -> Gesture:
    """Let a control's value go through an edit, shown while it is dragged and one step when it is let go; `edit` gives None where there
    is nothing to change. Returns the gesture."""
    gesture = Gesture(project)

    def moved(value: float) -> None:
        if (change := edit(value)) is not None:
            gesture.show(change)

    def told(value: float) -> None:
        if (change := edit(value)) is not None:
            project.change(what(), change)

    control.moved.connect(moved)
    control.settled.connect(lambda: gesture.settle(what()))
    control.told.connect(told)
    return gesture
