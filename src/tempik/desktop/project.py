"""The open project: its history, its file, what is selected, and the derived timeline everyone reads."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from tempik.accents import Fired
from tempik.check.landing import Report, check_reel
from tempik.edit import history
from tempik.edit.journal import Found, Journal, Lock, journal_path, left_behind
from tempik.edit.pieces import with_groups
from tempik.edit.slots import keep_locked, let_go
from tempik.edit.timeline import Placed, Timeline
from tempik.errors import TempikError
from tempik.reel import Clip, Footage, Point, Reel, by_id
from tempik.reel.file import SUFFIX, load_reel, save_reel
from tempik.reel.versions import keep_version


class Project(QObject):
    """Holds the reel. Every change goes through `change`, is one undo step, and is announced by `changed`."""

    changed = Signal()  # the reel is another
    selected = Signal()  # another clip or piece of footage is selected
    said = Signal(str, bool)  # a sentence for the status line, and whether it is an error
    moved = Signal(int)  # the playhead
    points_selected = Signal()  # other points are selected
    row_selected = Signal()  # another accent row, or pulse of one, is selected

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.history = history.begin(Reel())
        self.timeline = Timeline(self.history.reel)
        self.path: Path | None = None
        self.saved_reel: Reel = self.history.reel
        self.clip_id: str | None = None  # the clip that pages show
        self.clip_ids: frozenset[str] = frozenset()  # all that are selected
        self.read_only = ""  # why nothing may be changed, '' when it may
        self._lock: Lock | None = None
        self._journal: Journal | None = None
        self.footage_id: str | None = None
        self.points: frozenset[str] = frozenset()  # ids of the selected points
        self.row_id: str | None = None  # the accent row that the page edits
        self.cell_id = ""  # its pulse that is edited alone, '' for the whole row
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
    def chosen_clips(self) -> list[str]:
        """The selected clips in order of place."""
        return [p.clip.id for p in self.timeline.placed if p.clip.id in self.clip_ids]

    @property
    def footage(self) -> Footage | None:
        return by_id(self.reel.footage, self.footage_id)

    def change(self, what: str, edit: Callable[[Reel], Reel]) -> bool:
        """Apply an edit as one undo step. Says the sentence and returns False where it cannot be had."""
        reel = self._edited(self.reel, edit)
        if reel is None:
            return False
        if reel is self.reel or reel == self.history.reel:
            if self._gesture:
                self._set(reel)
            return False
        loose = let_go(self.history.reel, reel)
        self.history = self.history.done(reel, what)
        self._gesture = False
        self._note()
        self._set(reel)
        self.said.emit(what + (f" · {loose} tie{'s' if loose > 1 else ''} to points let go" if loose else ""), False)
        return True

    def _edited(self, reel: Reel, edit: Callable[[Reel], Reel]) -> Reel | None:
        """Return an edited reel, or None, having said why, where the edit cannot be had."""
        if self.read_only:
            self.said.emit(self.read_only, True)
            return None
        try:
            made = edit(reel)
            keep_locked(reel, made)
        except TempikError as error:
            self.said.emit(str(error), True)
            return None
        return made

    def _note(self) -> None:
        if self._journal is not None:
            try:
                self._journal.note(self.history)
            except TempikError as error:
                self._journal = None
                self.said.emit(str(error), True)

    def preview_change(self, edit: Callable[[Reel], Reel]) -> bool:
        """Show an edit of the reel as it was before the gesture began, without a step: `settle` makes it one."""
        reel = self._edited(self.history.reel, edit)
        if reel is None:
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
                self._note()
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
            self._note()
            self._set(self.history.reel)
            self.said.emit(f"Undone: {what}", False)

    def redo(self) -> None:
        self.forget_gesture()
        what = self.history.can_redo
        if what:
            self.history = self.history.redone()
            self._note()
            self._set(self.history.reel)
            self.said.emit(f"Done again: {what}", False)

    def go_to_step(self, number: int) -> None:
        """Undo or redo to one of the steps made so far."""
        self.forget_gesture()
        self.history = self.history.gone_to(number)
        self._note()
        self._set(self.history.reel)
        self.said.emit(f"Gone to: {self.history.can_undo or 'as opened'}", False)

    def select_clip(self, clip: str | None, alone: bool = False) -> None:
        """Select one clip, with the group it is in unless `alone`, or none."""
        wanted = frozenset() if clip is None else frozenset({clip} if alone else with_groups(self.reel, {clip}))
        self._select(clip, wanted)

    def toggle_clip(self, clip: str) -> None:
        """Add a clip to those selected, or take it out."""
        group = with_groups(self.reel, {clip})
        if clip in self.clip_ids:
            left = self.clip_ids - group
            self._select(next(iter(left), None), left)
        else:
            self._select(clip, self.clip_ids | group)

    def select_to(self, clip: str) -> None:
        """Select every clip from the one shown to this one."""
        order = [p.clip.id for p in self.timeline.placed]
        if self.clip_id not in order or clip not in order:
            self.select_clip(clip)
            return
        a, b = sorted((order.index(self.clip_id), order.index(clip)))
        rows = {p.clip.row for p in self.timeline.placed if p.clip.id in (self.clip_id, clip)}
        between = {p.clip.id for p in self.timeline.placed[a : b + 1] if min(rows) <= p.clip.row <= max(rows)}
        self._select(clip, self.clip_ids | with_groups(self.reel, between))

    def select_clips(self, clips: Iterable[str]) -> None:
        wanted = frozenset(clips)
        first = next((p.clip.id for p in self.timeline.placed if p.clip.id in wanted), None)
        self._select(self.clip_id if self.clip_id in wanted else first, wanted)

    def _select(self, clip: str | None, wanted: frozenset[str]) -> None:
        if clip != self.clip_id or wanted != self.clip_ids:
            self.clip_id, self.clip_ids = clip, wanted
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

    @property
    def row(self) -> Fired | None:
        """The selected accent row as worked out."""
        return next((f for f in self.timeline.fired if f.row.id == self.row_id), None)

    def select_row(self, row: str | None, cell: str = "") -> None:
        """Select an accent row, or one pulse of it."""
        if (row, cell) != (self.row_id, self.cell_id):
            self.row_id, self.cell_id = row, cell
            self.row_selected.emit()

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
        path = path.absolute()
        reel = load_reel(path)
        if self._lock is not None and path == self.path:
            self._lock.close()
        self._replace(reel, path)
        try:
            self._lock = Lock(path)
        except TempikError as error:
            self.read_only = str(error)
            self.changed.emit()
            self.said.emit(self.read_only, True)

    def left_behind(self) -> Found | None:
        """Return what a process that did not end well left of this project."""
        return left_behind(self.path) if not self.read_only else None

    def take_up(self, found: Found) -> None:
        """Go on from the state that a process left behind, with its steps to be undone."""
        saved = self.saved_reel
        self.history = found.history
        self._set(found.history.reel)
        self.saved_reel = found.history.reel if found.history.reel == saved else saved
        self._begin_journal()
        if found.project is None:
            found.path.unlink(missing_ok=True)
        self.changed.emit()

    def keep_journal(self) -> None:
        """Begin to write every step beside the project; a journal left there gives way."""
        self._begin_journal()

    def _begin_journal(self) -> None:
        if self._journal is not None:
            self._journal.leave()
            self._journal = None
        if self.read_only:
            return
        try:
            self._journal = Journal(journal_path(self.path), self.history, self.path)
        except TempikError as error:
            self.said.emit(str(error), True)

    def close(self) -> None:
        """Let go of the project: its journal goes, since all is saved or was given up."""
        if self._journal is not None:
            self._journal.remove()
            self._journal = None
        if self._lock is not None:
            self._lock.close()
            self._lock = None

    def save(self, path: Path | None = None) -> None:
        """Save under the project's own name or another. Raises TempikError when it cannot be written."""
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
            save_reel(self.history.reel, target)
        except TempikError:
            if other and lock is not None:
                lock.close()
            raise
        if other:
            self.close()
            self._lock, self.read_only = lock, ""
        self.path = target
        self.saved_reel = self.history.reel
        self._begin_journal()
        self.changed.emit()
        keep_version(self.history.reel, target)

    def _replace(self, reel: Reel, path: Path | None) -> None:
        self.close()
        self.read_only = ""
        self.history = history.begin(reel)
        self.path = path
        self.saved_reel = reel
        self.clip_id, self.clip_ids = None, frozenset()
        self.footage_id = reel.footage[0].id if reel.footage else None
        self._gesture = False
        self.frame = 0
        self.points = frozenset()
        self._set(reel)
        self.selected.emit()
        self.moved.emit(0)

    def _set(self, reel: Reel) -> None:
        self.timeline = Timeline(reel)
        self._report = None
        there = {c.id for c in reel.clips}
        if not self.clip_ids <= there:
            self.clip_ids &= there
        if self.clip_id not in there:
            self.clip_id = next(iter(self.clip_ids), None)
        if by_id(reel.rows, self.row_id) is None:
            self.row_id, self.cell_id = (reel.rows[0].id if reel.rows else None), ""
        if by_id(reel.footage, self.footage_id) is None:
            self.footage_id = reel.footage[0].id if reel.footage else None
        self.changed.emit()
        if self.frame >= self.timeline.frames > 0:
            self.go(self.timeline.frames - 1)
