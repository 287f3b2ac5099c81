"""Files for other tools and of them, written and read in the background."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject

from tempik.desktop.session.document import Project
from tempik.desktop.session.importer import Importer
from tempik.desktop.session.jobs import Job, Worker
from tempik.edit.frame_shapes import in_own_shape
from tempik.project.file import SUFFIX
from tempik.project.zipped import free_folder, zip_project
from tempik.reel.nests import all_closed


class Exchanging(QObject):
    """`may_leave` asks about unsaved work before another project is opened."""

    def __init__(self, project: Project, files: Importer, worker: Worker, may_leave: Callable[[], bool]) -> None:
        super().__init__(project)
        self.project, self.files, self.worker, self._may_leave = project, files, worker, may_leave

    def write(self, target: Path) -> None:
        """Write the reel for others, by the file's ending, and say what the file cannot say."""
        reel = all_closed(in_own_shape(self.project.reel))

        def work(job: Job) -> list[str]:
            from tempik.exchange.all import write  # its libraries are loaded here, on the job's thread

            if target.suffix.lower() == ".zip":
                left = zip_project(reel, target, job.report).left
                return [f"Left out, as it is no media: {', '.join(left)}."] if left else []
            return write(reel, target)

        def done(notes: list[str]) -> None:
            self.project.messages.say(" ".join([f"Wrote {target}.", *notes]), bool(notes))

        self.worker.start(f"Writing {target.name}", work, done, self._failed)

    def read(self, source: Path) -> None:
        """Read an edit of another tool, or a zipped project, into a new project beside it, and open that."""
        if source.suffix.lower() == ".zip":
            target = free_folder(source.with_suffix(""))
        else:
            target = free_folder(source.with_suffix(SUFFIX))

        def work(job: Job) -> tuple[Path, list[str]]:
            from tempik.exchange.all import read

            return read(source, target)

        def done(made: tuple[Path, list[str]]) -> None:
            project, notes = made
            if self._may_leave() and self.files.open_project(project) and notes:
                self.project.messages.say(" ".join(notes), True)

        self.worker.start(f"Reading {source.name}", work, done, self._failed)

    def _failed(self, text: str) -> None:
        self.project.messages.say(text, True)
