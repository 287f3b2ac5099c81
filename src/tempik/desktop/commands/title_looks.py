"""What is done with looks of titles: set, kept among one's own, read and written."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QInputDialog, QWidget

from tempik.desktop.commands.files import ask_open, file_to_write
from tempik.desktop.session.document import Project
from tempik.edit import title_words, titles
from tempik.errors import TempikError
from tempik.project.title_looks import SUFFIX, kept_title_look, read_title_look, removed_title_look, write_title_look
from tempik.reel import Clip, Reel
from tempik.titles.looks import TitleLook

LOOK_FILTER = f"Looks of titles (*{SUFFIX})"


class TitleLookCommands(QObject):
    """Looks are set on the titles that are `chosen`; what is kept or written is the look of the one that is worked on."""

    changed = Signal()  # one's own looks are others now

    def __init__(self, project: Project, chosen: Callable[[], list[str]], window: QWidget) -> None:
        super().__init__(project)
        self.project, self.chosen, self.window = project, chosen, window

    @property
    def clip(self) -> Clip | None:
        """The title that is worked on."""
        clip = self.project.selection.clip
        return clip if clip is not None and clip.title is not None else None

    def lay(self, look: TitleLook) -> None:
        """Set the selected titles as a look does."""
        names, without = self.chosen(), list[str]()
        if not names:
            self.project.messages.say("Select a title first, or add one at the playhead (Ctrl+T).", True)
            return

        def edit(reel: Reel) -> Reel:
            made, without[:] = titles.with_title_look(reel, names, look)
            return made

        if self.project.change(f"Title: {look.name}", edit) and without:
            self.project.messages.say("No chosen point lies in the title's slot: its words come at once.")

    def ask_keep(self) -> None:
        """Ask for a name and keep the look of the title that is worked on."""
        if self.clip is None:
            self.project.messages.say("Select a title first; its look is kept.", True)
            return
        name, yes = QInputDialog.getText(self.window, "Keep this look", "Its name:")
        if yes:
            self.keep(name)

    def keep(self, name: str) -> None:
        """Keep the look of the title that is worked on under a name."""
        if self.clip is not None:
            clip = self.clip
            self._with_library(lambda: kept_title_look(title_words.look_of(clip, name)), f"'{name.strip()}' is kept.")

    def ask_read(self) -> None:
        """Ask for a look's file and keep it among one's own."""
        path = ask_open(self.window, "Read a look of titles", LOOK_FILTER, "title look", self.project.path)
        if path:
            self.read(Path(path))

    def read(self, path: Path) -> None:
        """Keep a look from a file among one's own."""
        self._with_library(lambda: kept_title_look(read_title_look(path)), f"{path.stem} is among your looks.")

    def ask_write(self) -> None:
        """Ask for a file and write the look of the title that is worked on to it."""
        if self.clip is None:
            self.project.messages.say("Select a title first; its look is written.", True)
            return
        path = file_to_write(
            self.window, "Write this look", "look" + SUFFIX, LOOK_FILTER, "title look", self.project.path
        )
        if path is not None:
            self.write(path)

    def write(self, path: Path) -> None:
        """Write the look of the title that is worked on to a file."""
        clip = self.clip
        if clip is not None:
            self._with_library(
                lambda: write_title_look(title_words.look_of(clip, path.stem), path), f"Look written to {path}"
            )

    def forget(self, look: TitleLook) -> None:
        """Take a look away from one's own."""
        self._with_library(lambda: removed_title_look(look.name), f"'{look.name}' is no longer among yours.")

    def _with_library(self, act: Callable[[], object], done: str) -> None:
        try:
            act()
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self.project.messages.say(done)
        self.changed.emit()
