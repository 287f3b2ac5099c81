"""Commands on the project: opening, saving, adding media, measuring. They ask where to, and the session acts."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QMenu, QMessageBox, QWidget

from tempik.desktop.commands.files import ask_open, ask_open_many, ask_save
from tempik.desktop.commands.registry import CommandStep, command
from tempik.desktop.session.delivery import Delivery
from tempik.desktop.session.document import Project
from tempik.desktop.session.importer import FOOTAGE_FILTER, PROJECT_FILTER, SONG_FILTER, Importer
from tempik.desktop.session.preferences import recent_projects
from tempik.desktop.session.recovery import Recovery
from tempik.desktop.widgets.plain import asked, in_menu
from tempik.disk.writing import write_whole
from tempik.edit.footage.facts import uses_of, without_footage
from tempik.errors import TempikError
from tempik.formats import film_filter
from tempik.project.file import SUFFIX
from tempik.project.versions import versions

MOST_LISTED = 30


class ProjectCommands(QObject):
    """What menus do with files."""

    begun = Signal()  # an empty project is open
    draft_wanted = Signal()
    zip_chosen = Signal(str)  # a zipped project is to be unpacked

    def __init__(
        self, project: Project, files: Importer, recovery: Recovery, delivery: Delivery, window: QWidget
    ) -> None:
        super().__init__(project)
        self.project, self.files, self.recovery, self.delivery, self.window = project, files, recovery, delivery, window

    # Opening and saving

    @command("Project", "New project", ("Ctrl+N",))
    def new_project(self) -> None:
        if self.may_leave():
            self.project.new()
            self.recovery.begun_anew()
            self.begun.emit()

    @command("Project", "Open project …", ("Ctrl+O",))
    def open_project(self) -> None:
        path = ask_open(self.window, "Open a project", PROJECT_FILTER, "project", self.project.path)
        if path.lower().endswith(".zip"):
            self.zip_chosen.emit(path)
        elif path and self.may_leave():
            self.files.open_project(Path(path))

    @command("Project", "Save", ("Ctrl+S",))
    def save(self) -> bool:
        return self.save_as() if self.project.path is None else self.recovery.save_to(None)

    @command("Project", "Save as …", ("Ctrl+Shift+S",))
    def save_as(self) -> bool:
        start = str(self.project.path or f"reel{SUFFIX}")
        path = ask_save(self.window, "Save the project", start, PROJECT_FILTER, "project", self.project.path)
        return self.recovery.save_to(Path(path)) if path else False

    @command("Project", "Open the demo")
    def open_demo(self) -> None:
        if self.may_leave():
            self.files.open_demo()

    def may_leave(self) -> bool:
        """Ask about unsaved work: undo cannot mend closing without it."""
        self.project.forget_gesture()
        if not self.project.unsaved:
            return True
        buttons = QMessageBox.StandardButton
        answer = asked(
            self.window,
            "Unsaved changes",
            f"Save the changes to {self.project.name}?",
            buttons.Save | buttons.Discard | buttons.Cancel,
        )
        return bool(self.save()) if answer == buttons.Save else answer == buttons.Discard

    def fill_recent(self, menu: QMenu) -> None:
        """List the recent projects that are still there."""
        menu.clear()
        for path in recent_projects():
            menu.addAction(in_menu(f"{path.name}   {path.parent}")).triggered.connect(
                lambda _=False, p=path: self.may_leave() and self.files.open_project(p)
            )
        _none_yet(menu)

    def fill_versions(self, menu: QMenu) -> None:
        """List the earlier saves of this project."""
        menu.clear()
        for version in versions(self.project.path)[:MOST_LISTED] if self.project.path is not None else ():
            menu.addAction(version.text).triggered.connect(lambda _=False, v=version: self.recovery.restore(v))
        _none_yet(menu)

    # Media

    @command("Project", "Open a song …", ("Ctrl+L",))
    def choose_song(self) -> None:
        path = ask_open(self.window, "Open a song", SONG_FILTER, "song", self.project.path)
        if path:
            self.files.open_song(path)

    @command("Project", "Add footage …", ("Ctrl+I",))
    def choose_footage(self) -> None:
        paths = ask_open_many(self.window, "Add footage", FOOTAGE_FILTER, "footage", self.project.path)
        if paths:
            self.files.add_footage(paths)

    @command("Project", "Remove footage from the reel …")
    def remove_footage(self) -> CommandStep | None:
        """Take the footage that is looked at off the reel, and the clips that show it; says first what would be lost."""
        piece = self.project.selection.footage
        if piece is None:
            self.project.messages.say("Select footage on the Footage page first (F3).", True)
            return None
        lost = uses_of(self.project.reel, piece.id)
        if lost.text and not self._sure(f"Remove {piece.name} from the reel?", f"{lost.text} The file itself stays."):
            return None
        return CommandStep(
            f"{piece.name} removed from the reel", lambda reel: without_footage(reel, piece.id, with_clips=True)
        )

    def _sure(self, question: str, more: str) -> bool:
        buttons = QMessageBox.StandardButton
        answer = asked(self.window, question, f"{question}\n{more}", buttons.Yes | buttons.Cancel)
        return answer == buttons.Yes

    @command("Project", "Collect all media beside the project")
    def collect_media(self) -> None:
        self.files.collect()

    def find(self, old: str) -> None:
        """Ask where a missing file is."""
        path = ask_open(self.window, f"Where is {Path(old).name}?", "All files (*)", "footage", self.project.path)
        if path:
            self.files.found(old, path)

    # Delivery

    @command("Project", "Draft the reel …", ("Ctrl+D",), "song")
    def show_draft(self) -> None:
        reel = self.project.reel
        if reel.soundtrack is None or not reel.footage:
            missing = "a song" if reel.soundtrack is None else "footage"
            self.project.messages.say(f"A draft needs {missing} first; drop it on the window.", True)
        else:
            self.draft_wanted.emit()

    @command("Project", "Measure an exported film …", (), "clips")
    def measure(self) -> None:
        """Ask for an exported file and measure it."""
        path = ask_open(self.window, "Measure an exported file", film_filter(), "film", self.project.path)
        if path:
            self.delivery.measure_file(Path(path))

    def save_check(self, table: str) -> None:
        """Ask where to, and write the check's table there."""
        path = ask_save(self.window, "Save the check", "check.csv", "CSV (*.csv)", "list", self.project.path)
        if path:
            try:
                write_whole(Path(path).absolute(), table.encode())
                self.project.messages.say(f"Saved {path}")
            except TempikError as error:
                self.project.messages.say(str(error), True)


def _none_yet(menu: QMenu) -> None:
    if menu.isEmpty():
        menu.addAction("none yet").setEnabled(False)
