"""The open project: its history, gestures, file and journal, and the derived timeline everyone reads."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from tempik.check.landing import Report, check_reel
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.session.journaling import Journaling, Work
from tempik.desktop.session.messages import Messages
from tempik.desktop.session.selection import Playhead, Selection
from tempik.desktop.session.shown_frame import ShownFrame
from tempik.desktop.widgets.by_hand import is_asked
from tempik.digits import plural
from tempik.edit.clips.slots import gave_way, keep_locked, let_go
from tempik.edit.frame_shapes import in_own_shape
from tempik.edit.grading.grades import only_grades_differ
from tempik.errors import TempikError
from tempik.project import history
from tempik.project.file import SUFFIX, load_reel, order_in, save_reel
from tempik.project.journal import Lock, RecoveredWork, forget, left_behind
from tempik.project.steps import message_of_step
from tempik.project.versions import keep_version
from tempik.reel import Reel
from tempik.reel.sound import MASTERED
from tempik.timeline.timeline import timeline_of


class Ordered:
    """What was ordered of a project last, as JSON, for its file."""

    def __init__(self) -> None:
        self.order = b""

    def keep(self, order: bytes) -> None:
        """Take another order."""
        self.order = order


class Project(QObject):
    """Holds the reel. Every change goes through `change` or a gesture, is one undo step, and is announced by `changed`."""

    changed = Signal()  # the reel is another
    given_up = Signal()  # what was under way is dropped, though the button is still held

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.history = history.begin(Reel(mix=MASTERED))
        self.timeline = timeline_of(self.history.reel)
        self.messages = Messages(self)
        self.selection = Selection(lambda: self.timeline, self)
        self.playhead = Playhead(lambda: self.timeline.frames, self)
        self.path: Path | None = None
        self.saved_reel: Reel = self.history.reel
        self.read_only = ""  # why nothing may be changed, '' when it may
        self._lock: Lock | None = None
        self._journaling = Journaling(
            lambda: Work(self.path, self.history, in_own_shape(self.reel) if self._gesture is not None else None),
            self.messages,
            self,
        )
        self._gesture: Gesture | None = None  # the one that is open
        self.compared = False  # another reel than the history's is looked at
        self.ordered = Ordered()
        self.shown = ShownFrame()
        self.regraded = False  # the last change was of grades alone: nothing stands elsewhere
        self._report: Report | None = None

    @property
    def reel(self) -> Reel:
        """The reel as it is shown now, that of a gesture under way included."""
        return self.timeline.reel

    @property
    def base(self) -> Reel:
        """The reel before a gesture that is under way, in the shape that is shown: what edits are made of."""
        return self.shown.of(self.history.reel)

    def show_shape(self, name: str) -> None:
        """Show the reel in a frame of another shape, '' its own. What is framed there belongs to that shape; nothing is changed by it."""
        self.forget_gesture()
        self.compare(None)
        self.shown.choose(name, self.history.reel)
        self._set(self.history.reel)

    @property
    def report(self) -> Report:
        """Where every event lands, worked out once for each state of the reel."""
        if self._report is None:
            self._report = check_reel(self.timeline)
        return self._report

    @property
    def name(self) -> str:
        """What the project is called: its file's name, without the ending."""
        return self.path.name.removesuffix(SUFFIX) if self.path is not None else "untitled"

    @property
    def unsaved(self) -> bool:
        """Whether there is anything that the file has not."""
        return self.history.reel is not self.saved_reel or self._gesture is not None

    # Changing

    def change(self, what: str, edit: Callable[[Reel], Reel], lays: bool = False) -> bool:
        """Apply an edit as one undo step; of one that `lays` something it is said what gave way. Says the sentence and returns False
        where it cannot be had. A gesture of another that is still open, and a comparison, end first and leave nothing behind."""
        self.forget_gesture()
        self.compare(None)
        reel = self._edited(self.base, edit)
        if reel is None:
            return False
        reel = in_own_shape(reel)
        if reel is self.history.reel or reel == self.history.reel:
            self._say_nothing(what)
            return False
        if message := message_of_step(self.history.reel, reel):
            self.messages.say(message, True)
            return False
        loose, gone = let_go(self.history.reel, reel), gave_way(self.history.reel, reel) if lays else 0
        self._done(reel, what)
        ties = f" · {loose} tie{'s' if loose > 1 else ''} to points let go" if loose else ""
        self.messages.done(what + (f" · {plural(gone, 'clip')} gave way" if gone else "") + ties)
        return True

    def _done(self, reel: Reel, what: str) -> None:
        self.history = self.history.done(reel, what)
        self._journaling.note()
        self._set(reel)

    def _edited(self, reel: Reel, edit: Callable[[Reel], Reel]) -> Reel | None:
        """Return an edited reel, or None, having said why, where the edit cannot be had."""
        if self.read_only:
            self.messages.say(self.read_only, True)
            return None
        try:
            made = edit(reel)
            keep_locked(reel, made)
        except TempikError as error:
            self.messages.say(str(error), True)
            return None
        return made

    # Gestures and comparisons

    @property
    def gesture(self) -> Gesture | None:
        """The gesture that is open."""
        return self._gesture

    def show_gesture(self, gesture: Gesture, edit: Callable[[Reel], Reel]) -> bool:
        """Show an edit of the reel as it was before the gesture began, without a step."""
        if self._gesture is not gesture:
            self.forget_gesture()
        self.compare(None)
        reel = self._edited(self.base, edit)
        if reel is None:
            return False
        self._gesture = gesture
        self._show(reel)
        return True

    def settle_gesture(self, gesture: Gesture, what: str) -> None:
        """End a gesture: what is shown becomes one undo step."""
        if self._gesture is not gesture:
            return
        self._gesture = None
        made = in_own_shape(self.reel)
        if message := message_of_step(self.history.reel, made):
            self.messages.say(message, True)
            self._journaling.gesture_dropped()
            self._set(self.history.reel)
        elif made != self.history.reel:
            self._done(made, what)
            self.messages.done(what)
        else:
            self._set(self.history.reel)
            self._say_nothing(what)

    def _say_nothing(self, what: str) -> None:
        """Say that what was asked for by name changes nothing."""
        if is_asked():
            self.messages.say(f"Nothing to change: {what[:1].lower()}{what[1:]}.", False)

    def forget_gesture(self) -> None:
        """Drop the gesture that is open and show the reel as it was."""
        if self._gesture is not None:
            self._gesture = None
            self._journaling.gesture_dropped()
            self._set(self.history.reel)

    def compare(self, other: Reel | None) -> None:
        """Look at another reel without a change, such as the one before; None looks at this one again."""
        if other is not None:
            self.forget_gesture()
        if other is not None or self.compared:
            self.compared = other is not None
            self._set(other if other is not None else self.history.reel)

    # Steps

    def undo(self) -> None:
        """Take the last step back."""
        what = self.history.can_undo
        if what:
            self._go(self.history.undone(), f"Undone: {what}")

    def redo(self) -> None:
        """Do again what was undone last."""
        what = self.history.can_redo
        if what:
            self._go(self.history.redone(), f"Done again: {what}")

    def go_to_step(self, number: int) -> None:
        """Undo or redo to one of the steps made so far."""
        there = self.history.gone_to(number)
        self._go(there, f"Gone to: {there.can_undo or 'as opened'}")

    def _go(self, there: history.History, message: str) -> None:
        self._gesture, self.compared = None, False
        self.history = there
        self._journaling.note()
        self._set(there.reel)
        self.messages.done(message)

    # Files

    def new(self) -> None:
        """Begin with an empty reel."""
        self._replace(Reel(mix=MASTERED), None)

    def open(self, path: Path, reel: Reel | None = None) -> None:
        """Open a project file; `reel` is what it holds, where it was read before. Raises TempikError and leaves the present
        project when it cannot be read."""
        path = path.absolute()
        reel = reel or load_reel(path)
        if self._lock is not None and path == self.path:
            self._lock.close()
        self._replace(reel, path)
        try:
            self._lock = Lock(path)
        except TempikError as error:
            self.read_only = str(error)
            self.changed.emit()
            self.messages.say(self.read_only, True)

    def left_behind(self) -> RecoveredWork | None:
        """Return what a process that did not end well left of this project."""
        return left_behind(self.path) if not self.read_only else None

    def take_up(self, found: RecoveredWork) -> None:
        """Go on from the state that a process left behind, with its steps to be undone."""
        saved = self.saved_reel
        self.history = found.history
        self._set(found.history.reel)
        self.saved_reel = found.history.reel if found.history.reel == saved else saved
        self.keep_journal()
        if found.project is None and self._journaling.kept:  # until ours is kept, what was left is all there is
            forget(found.path)
        self.changed.emit()

    def keep_journal(self, beside: bool = True) -> None:
        """Begin to write every step beside the project, where a journal that was left gives way; or, not `beside`, where
        unnamed work is kept."""
        if self.read_only:
            self._journaling.leave()
        else:
            self._journaling.begin(beside)

    def close(self) -> None:
        """Let go of the project: its journal goes, since all is saved or was given up."""
        self._journaling.close()
        if self._lock is not None:
            self._lock.close()
            self._lock = None

    def save(self, path: Path | None = None) -> str:
        """Save under the project's own name or another. Returns what could not be kept beside it, '' for nothing: the
        save itself counts. Raises TempikError when it cannot be written."""
        target = path or self.path
        if target is None:
            raise TempikError("The project has no name yet; choose Save as.")
        if target.suffix != SUFFIX:
            target = target.with_name(target.name + SUFFIX)
        target = target.absolute()
        if self.read_only and target == self.path:
            raise TempikError(self.read_only)
        other = target != self.path
        lock = Lock(target) if other else self._lock
        try:
            save_reel(self.history.reel, target, order=self.ordered.order)
        except TempikError:
            if other and lock is not None:
                lock.close()
            raise
        if other:
            self.close()
            self._lock, self.read_only = lock, ""
        self.path = target
        self.saved_reel = self.history.reel
        self.keep_journal()
        self.changed.emit()
        try:
            keep_version(self.history.reel, target)
        except TempikError as error:
            return str(error)
        return ""

    def _replace(self, reel: Reel, path: Path | None) -> None:
        self.close()
        self.read_only = ""
        self.history, self.shown = history.begin(reel), ShownFrame()
        self.path = path
        self.ordered.keep(order_in(path) if path is not None else b"")
        self.saved_reel = reel
        self._gesture, self.compared = None, False
        self.selection.begin_anew(reel)
        self._set(reel)
        self.selection.selected.emit()
        self.playhead.to_start()

    def _set(self, reel: Reel) -> None:
        self._show(self.shown.of(reel))

    def _show(self, reel: Reel) -> None:
        self.regraded = only_grades_differ(self.timeline.reel, reel)
        self.timeline = timeline_of(reel)
        self._report = None
        self.selection.keep_what_is_there()
        self.changed.emit()
        self.playhead.keep_on_reel()
