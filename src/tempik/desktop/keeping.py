"""What keeps work safe: saving, earlier saves, recent projects, and work left behind by a session that did not end."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QMenu, QMessageBox, QWidget

from tempik.desktop.files import PROJECT_FILTER, Files
from tempik.desktop.project import Project
from tempik.desktop.settings import recent_projects, remember_recent
from tempik.edit.journal import Found, left_behind
from tempik.errors import TempikError
from tempik.reel.file import SUFFIX
from tempik.reel.versions import Version, keep_version, version_reel, versions

MOST_LISTED = 30


class Keeping(QObject):
    """`offered` says whether an answer is wanted: take up what was left, or let it go."""

    offered = Signal(bool)
    taken_up = Signal()

    def __init__(self, project: Project, files: Files, window: QWidget) -> None:
        super().__init__(project)
        self.project, self.files, self.window = project, files, window
        self.left: Found | None = None

    def say(self, text: str, error: bool = False) -> None:
        self.project.said.emit(text, error)

    # Saving

    def save(self) -> bool:
        return self.save_as() if self.project.path is None else self.save_to(None)

    def save_as(self) -> bool:
        start = str(self.project.path or f"reel{SUFFIX}")
        path, _ = QFileDialog.getSaveFileName(self.window, "Save the project", start, PROJECT_FILTER)
        return self.save_to(Path(path)) if path else False

    def save_to(self, path: Path | None) -> bool:
        """Save, under another name where one is given; what was left behind is then no longer asked about."""
        try:
            self.project.save(path)
        except TempikError as error:
            self.say(str(error), True)
            return False
        self.left = None
        self.offered.emit(False)
        if self.project.path is not None:
            remember_recent(self.project.path)
        self.say(f"Saved {self.project.path}")
        return True

    def may_leave(self) -> bool:
        """Ask about unsaved work: undo cannot mend closing without it."""
        self.project.forget_gesture()
        if not self.project.unsaved:
            return True
        answer = QMessageBox.question(
            self.window,
            "Unsaved changes",
            f"Save the changes to {self.project.name}?",
            QMessageBox.StandardButton.Save | QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel,
        )
        if answer == QMessageBox.StandardButton.Save:
            return self.save()
        return answer == QMessageBox.StandardButton.Discard

    # Menus

    def fill_recent(self, menu: QMenu) -> None:
        """List the recent projects that are still there."""
        menu.clear()
        for path in recent_projects():
            menu.addAction(f"{path.name}   {path.parent}").triggered.connect(
                lambda _=False, p=path: self.may_leave() and self.files.open_project(p)
            )
        _none_yet(menu)

    def fill_versions(self, menu: QMenu) -> None:
        """List the earlier saves of this project."""
        menu.clear()
        for version in versions(self.project.path)[:MOST_LISTED] if self.project.path is not None else ():
            menu.addAction(version.text).triggered.connect(lambda _=False, v=version: self.restore(v))
        _none_yet(menu)

    def restore(self, version: Version) -> None:
        """Bring back an earlier save, as one step that can be undone."""
        try:
            reel = version_reel(version)
        except TempikError as error:
            self.say(str(error), True)
            return
        self.project.change(f"Save of {version.text} brought back", lambda _: reel)
        self.files.ask_for_missing()

    # Work left behind

    def begin(self) -> None:
        """The window is shown empty: offer work without a name that was left behind, else keep a journal."""
        self._offer(left_behind(None))

    def opened(self) -> None:
        """A project was opened: offer what was left of it, else keep a journal."""
        self.say(f"Opened {self.project.path}" if not self.project.read_only else self.project.read_only)
        if self.project.path is not None:
            remember_recent(self.project.path)
        self._offer(self.project.left_behind())

    def begun_anew(self) -> None:
        """An empty project was begun."""
        self._offer(None)

    def _offer(self, found: Found | None) -> None:
        self.left = found
        self.offered.emit(found is not None)
        if found is None:
            self.project.keep_journal()
            return
        name = found.project.name if found.project is not None else "an unnamed project"
        last = found.history.can_undo or "its first step"
        self.say(
            f"Unsaved work on {name} was left by a session that did not end: {found.steps} steps, the last “{last}”.",
            True,
        )

    def changed(self) -> None:
        """Other work was begun without an answer: what was left is kept among the earlier saves, or, without a name,
        where it is, to be offered again."""
        if self.left is None or not self.project.unsaved:
            return
        found, self.left = self.left, None
        self.offered.emit(False)
        if found.project is not None and self.project.path is not None:
            try:
                keep_version(found.history.reel, self.project.path)
                self.say("What that session left is kept under Earlier saves.")
            except TempikError as error:
                self.say(str(error), True)
        self.project.keep_journal()

    def answer(self, yes: bool) -> None:
        """Take up what was left, with its steps to be undone, or let it go."""
        found, self.left = self.left, None
        self.offered.emit(False)
        if found is None:
            return
        if yes:
            self.project.take_up(found)
            self.taken_up.emit()
            self.say(f"{found.steps} steps taken up; undo goes back through them.")
            self.files.ask_for_missing()
        else:
            found.path.unlink(missing_ok=True)
            self.project.keep_journal()
            self.say("That work was let go.")


def _none_yet(menu: QMenu) -> None:
    if menu.isEmpty():
        menu.addAction("none yet").setEnabled(False)
