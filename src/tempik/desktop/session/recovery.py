"""What keeps work safe: saving, earlier saves, recent projects, and work left behind by a session that did not end."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from tempik.desktop.session.document import Project
from tempik.desktop.session.importer import Importer
from tempik.desktop.session.preferences import remember_recent
from tempik.digits import plural
from tempik.errors import TempikError
from tempik.project.journal import RecoveredWork, forget, kept_aside, left_behind
from tempik.project.versions import Version, keep_version, version_reel


class Recovery(QObject):
    """`offered` asks whether what was left is taken up or let go; with nothing where no answer is wanted any more."""

    offered = Signal(str)
    taken_up = Signal()

    def __init__(self, project: Project, files: Importer) -> None:
        super().__init__(project)
        self.project, self.files = project, files
        self.left: RecoveredWork | None = None

    def say(self, text: str, error: bool = False) -> None:
        """Tell a sentence."""
        self.project.messages.say(text, error)

    # Saving

    def save_to(self, path: Path | None) -> bool:
        """Save, under another name where one is given; what was left behind is kept first, and no longer asked about."""
        if not self._keep_what_was_left(path):
            return False
        try:
            unkept = self.project.save(path)
        except TempikError as error:
            self.say(str(error), True)
            return False
        self.left = None
        self.offered.emit("")
        if self.project.path is not None:
            remember_recent(self.project.path)
        self.say(f"Saved {self.project.path}" + (f". {unkept}" if unkept else ""), bool(unkept))
        return True

    def _keep_what_was_left(self, path: Path | None) -> bool:
        """Keep unanswered work of a session that did not end as an earlier save, before a save replaces its journal; False,
        having said why, where it cannot be kept: then nothing replaces it."""
        found = self.left
        target = path or self.project.path
        if found is None or found.project is None or target is None or target.absolute() != found.project.absolute():
            return True
        try:
            keep_version(found.history.reel, target)
        except TempikError as error:
            self.say(f"Not saved: the unsaved work that was left could not be kept first. {error}", True)
            return False
        return True

    def restore(self, version: Version) -> None:
        """Bring back an earlier save, as one step that can be undone."""
        try:
            reel = version_reel(version)
        except TempikError as error:
            self.say(str(error), True)
            return
        self.project.change(f"Save of {version.text} brought back", lambda _: reel)
        self.files.watch.announce()

    # Work left behind

    def begin(self) -> None:
        """The window is shown empty: offer work without a name that was left behind, else keep a journal."""
        self._offer(left_behind(None))

    def opened(self) -> None:
        """A project was opened: offer what was left of it, else keep a journal."""
        self.say(f"Opened {self.project.path}" if not self.project.read_only else self.project.read_only)
        if self.project.path is not None:
            remember_recent(self.project.path)
        found = self.project.left_behind()
        if found is not None and not found.unread and found.history.reel == self.project.saved_reel:
            self.left = found  # all of it was saved: there is nothing to ask, and its steps can still be undone
            self.answer(True)
            return
        self._offer(found)

    def begun_anew(self) -> None:
        """An empty project was begun."""
        self._offer(None)

    def _offer(self, found: RecoveredWork | None) -> None:
        self.left = found
        if found is None:
            self.offered.emit("")
            self._begin_journal()
            return
        name = found.project.name if found.project is not None else "an unnamed project"
        steps = f"{found.steps} step{'s' if found.steps != 1 else ''}"
        last = f"the last “{found.history.can_undo}”" if found.history.can_undo else "all taken back"
        unread = "; what came after it could not be read" if found.unread else ""
        asked = f"Unsaved work on {name} was left by a session that did not end: {steps}, {last}{unread}."
        self.offered.emit(asked)
        self.say(asked, True)

    def _begin_journal(self) -> None:
        """Keep a journal; one that holds what could not be read is put aside first, never written over."""
        path, beside = self.project.path, True
        if path is not None and not self.project.read_only:
            try:
                aside = kept_aside(path)
                if aside is not None:
                    self.say(f"Work that a session left could not be read; it is kept as {aside}.", True)
            except TempikError as error:
                beside = False
                self.say(str(error), True)
        self.project.keep_journal(beside)

    def changed(self) -> None:
        """Other work was begun without an answer: what was left is kept among the earlier saves, or, without a name,
        where it is, to be offered again."""
        if self.left is None or not self.project.unsaved:
            return
        found, self.left = self.left, None
        self.offered.emit("")
        beside = True
        if found.project is not None and self.project.path is not None:
            try:
                keep_version(found.history.reel, self.project.path)
                self.say("What that session left is kept under Earlier saves.")
            except TempikError as error:
                beside = False
                self.say(f"What that session left stays where it is, and is offered again: {error}", True)
        self.project.keep_journal(beside)

    def answer(self, yes: bool) -> None:
        """Take up what was left, with its steps to be undone, or let it go."""
        found, self.left = self.left, None
        self.offered.emit("")
        if found is None:
            return
        if yes:
            self.project.take_up(found)
            self.taken_up.emit()
            self.say(f"{plural(found.steps, 'step')} taken up; undo goes back through them.")
            self.files.watch.announce()
        else:
            forget(found.path)
            self.project.keep_journal()
            self.say("That work was let go.")
