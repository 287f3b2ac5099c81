"""The open project: its history, its file, what is selected, and the derived timeline everyone reads."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from tempik.check.landing import Report, check_reel
from tempik.edit import history
from tempik.edit.timeline import Placed, Timeline
from tempik.errors import TempikError
from tempik.reel import Clip, Footage, Point, Reel, by_id
from tempik.reel.file import SUFFIX, load_reel, save_reel


class Project(QObject):
    """Holds the reel. Every change goes through `change`, is one undo step, and is announced by `changed`."""

    changed = Signal()  # the reel is another
    selected = Signal()  # another clip or piece of footage is selected
    said = Signal(str, bool)  # a sentence for the status line, and whether it is an error
    moved = Signal(int)  # the playhead
    points_selected = Signal()  # other points are selected

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.history = history.begin(Reel())
        self.timeline = Timeline(self.history.reel)
        self.path: Path | None = None
        self.saved_reel: Reel = self.history.reel
        self.clip_id: str | None = None
        self.footage_id: str | None = None
        self.points: frozenset[str] = frozenset()  # ids of the selected points
        self.frame = 0
        self._gesture = False
        self._report: Report | None = None

    @property
    def reel(self) -> Reel:
        return self.timeline.reel

    @property
    def report(self) -> Report:
        """Where every event lands, worked out once for each state of the reel."""
        if self._report is None:
            self._report = check_reel(self.timeline)
        return self._report

    @property
    def name(self) -> str:
        return self.path.name.removesuffix(SUFFIX) if self.path is not None else "untitled"

    @property
    def unsaved(self) -> bool:
        return self.reel is not self.saved_reel

    @property
    def clip(self) -> Clip | None:
        return by_id(self.reel.clips, self.clip_id)

    @property
    def placed(self) -> Placed | None:
        """The selected clip as placed on the reel."""
        return self.timeline.placed_clip(self.clip_id)

    @property
    def footage(self) -> Footage | None:
        return by_id(self.reel.footage, self.footage_id)

    def change(self, what: str, edit: Callable[[Reel], Reel]) -> bool:
        """Apply an edit as one undo step. Says the sentence and returns False where it cannot be had."""
        try:
            reel = edit(self.reel)
        except TempikError as error:
            self.said.emit(str(error), True)
            return False
        if reel is self.reel or reel == self.history.reel:
            if self._gesture:
                self._set(reel)
            return False
        self.history = self.history.done(reel, what)
        self._gesture = False
        self._set(reel)
        self.said.emit(what, False)
        return True

    def preview_change(self, edit: Callable[[Reel], Reel]) -> bool:
        """Show an edit of the reel as it was before the gesture began, without a step: `settle` makes it one."""
        try:
            reel = edit(self.history.reel)
        except TempikError as error:
            self.said.emit(str(error), True)
            return False
        self._gesture = True
        self._set(reel)
        return True

    def settle(self, what: str) -> None:
        """End a gesture: what is shown becomes one undo step."""
        if self._gesture:
            self._gesture = False
            if self.reel != self.history.reel:
                self.history = self.history.done(self.reel, what)
                self.said.emit(what, False)
            self._set(self.reel)

    def forget_gesture(self) -> None:
        """Drop a gesture and show the reel as it was."""
        if self._gesture:
            self._gesture = False
            self._set(self.history.reel)

    def undo(self) -> None:
        self.forget_gesture()
        what = self.history.can_undo
        if what:
            self.history = self.history.undone()
            self._set(self.history.reel)
            self.said.emit(f"Undone: {what}", False)

    def redo(self) -> None:
        self.forget_gesture()
        what = self.history.can_redo
        if what:
            self.history = self.history.redone()
            self._set(self.history.reel)
            self.said.emit(f"Done again: {what}", False)

    def select_clip(self, clip: str | None) -> None:
        if clip != self.clip_id:
            self.clip_id = clip
            record = self.clip
            if record is not None:
                self.footage_id = record.footage
            self.selected.emit()

    def select_footage(self, footage: str | None) -> None:
        if footage != self.footage_id:
            self.footage_id = footage
            self.selected.emit()

    def select_points(self, points: Iterable[str]) -> None:
        wanted = frozenset(points)
        if wanted != self.points:
            self.points = wanted
            self.points_selected.emit()

    def chosen_points(self) -> list[Point]:
        """Return the selected points that are in use, in order of time."""
        return [p for p in self.timeline.points if p.id in self.points]

    def go(self, frame: int) -> None:
        """Move the playhead to a frame of the reel."""
        frame = min(max(frame, 0), max(self.timeline.frames - 1, 0))
        if frame != self.frame:
            self.frame = frame
            self.moved.emit(frame)

    def new(self) -> None:
        self._replace(Reel(), None)

    def open(self, path: Path) -> None:
        """Open a project file. Raises TempikError and leaves the present project when it cannot be read."""
        self._replace(load_reel(path), path.absolute())

    def save(self, path: Path | None = None) -> None:
        """Save under the project's own name or another. Raises TempikError when it cannot be written."""
        target = path or self.path
        if target is None:
            raise TempikError("The project has no name yet; choose Save as.")
        if target.suffix != SUFFIX:
            target = target.with_name(target.name + SUFFIX)
        save_reel(self.history.reel, target)
        self.path = target.absolute()
        self.saved_reel = self.history.reel
        self.changed.emit()

    def _replace(self, reel: Reel, path: Path | None) -> None:
        self.history = history.begin(reel)
        self.path = path
        self.saved_reel = reel
        self.clip_id = None
        self.footage_id = reel.footage[0].id if reel.footage else None
        self._gesture = False
        self.frame = 0
        self.points = frozenset()
        self._set(reel)
        self.selected.emit()
        self.moved.emit(0)

    def _set(self, reel: Reel) -> None:
        self.timeline = Timeline(reel, self.timeline)
        self._report = None
        if by_id(reel.clips, self.clip_id) is None:
            self.clip_id = None
        if by_id(reel.footage, self.footage_id) is None:
            self.footage_id = reel.footage[0].id if reel.footage else None
        self.changed.emit()
        if self.frame >= self.timeline.frames > 0:
            self.go(self.timeline.frames - 1)
