"""Commands on the history of the edit."""

from __future__ import annotations

from PySide6.QtCore import QObject

from tempik.desktop.commands.registry import command
from tempik.desktop.session.document import Project


class EditCommands(QObject):
    """Undo, redo, and all clips selected."""

    def __init__(self, project: Project) -> None:
        super().__init__(project)
        self.project = project

    @command("Edit", "Undo", ("Ctrl+Z",))
    def undo(self) -> None:
        self.project.undo()

    @command("Edit", "Redo", ("Ctrl+Shift+Z", "Ctrl+Y"))
    def redo(self) -> None:
        self.project.redo()

    @command("Select", "Select all clips, or all points on the Rhythm page", ("Ctrl+A",), "song")
    def select_all(self) -> None:
        self.project.selection.select_clips(c.id for c in self.project.reel.clips)
