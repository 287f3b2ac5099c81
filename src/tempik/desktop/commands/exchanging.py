"""Commands for other people's tools and machines: timelines out and in, a project in one zip."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from tempik.desktop.commands.files import ask_open, file_to_write
from tempik.desktop.commands.registry import command
from tempik.desktop.session.document import Project
from tempik.desktop.session.exchanging import Exchanging

ORDER = (".otio", ".edl", ".zip", ".mid", ".csv", ".txt", ".srt", ".vtt", ".lrc")


class ExchangeCommands(QObject):
    """What menus do with other tools' files. They ask where to, and the session acts."""

    def __init__(self, exchanging: Exchanging, window: QWidget) -> None:
        super().__init__(exchanging)
        self.exchanging, self.window = exchanging, window
        self.project: Project = exchanging.project

    @command("Project", "Write for other tools …", (), "clips")
    def write_for_others(self) -> None:
        """The edit as OTIO or EDL, points as MIDI, CSV or labels, titles as subtitles, or all of it in a zip."""
        from tempik.exchange.all import WRITES

        forms = ";;".join(f"{WRITES[ending]} (*{ending})" for ending in ORDER)
        path = file_to_write(
            self.window, "Write for other tools", str(self._start(".otio")), forms, "edit", self.project.path
        )
        if path is not None:
            self.exchanging.write(path)

    @command("Project", "Read an edit of another tool …")
    def read_of_others(self) -> None:
        """An OTIO or EDL file as a new project beside it."""
        path = ask_open(self.window, "Read an edit", "OTIO and EDL (*.otio *.edl)", "edit", self.project.path)
        if path:
            self.exchanging.read(Path(path))

    @command("Project", "Zip the project with all media …", (), "clips")
    def zip_project(self) -> None:
        path = file_to_write(
            self.window, "Zip the project", str(self._start(".zip")), "Zip (*.zip)", "project", self.project.path
        )
        if path is not None:
            self.exchanging.write(path)

    def _start(self, ending: str) -> Path:
        return self.project.path.with_suffix(ending) if self.project.path is not None else Path(f"reel{ending}")
