"""Which files of the reel are there: asked on a thread, so that a slow disk holds up no drag."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.disk.writing import is_read
from tempik.project.media_files import media_paths, missing_media, replaced_media
from tempik.reel import Reel

# How often files are looked for again: one may have been moved, or a disk been put in.
AGAIN_MS = 4000
MADE_MS = 400  # while some are being made


class MediaWatch(QObject):
    """Knows the files that are missing. `changed` says that others are; `found` what there is to say after opening."""

    changed = Signal()
    being_made = Signal(bool)  # whether some of them are being made now
    back = Signal(list)  # paths that were not there, and now are
    complete = Signal()  # of what was missing the last has come back
    found = Signal(list, list)  # paths that are missing, and paths that are another file than was added

    def __init__(self, project: Project, jobs: Worker) -> None:
        super().__init__(project)
        self.project = project
        self._jobs = jobs
        self.missing: frozenset[str] = frozenset()
        self.gone: frozenset[str] = frozenset()  # these, and those that are being made
        self._made_in: Path | None = None
        self._asked: tuple[str, ...] = ()  # the paths that were last asked for
        self._job: Job | None = None
        self._announce = False
        self._once_more = False
        self._again = QTimer(self)
        self._again.setInterval(AGAIN_MS)
        self._again.timeout.connect(self.check)
        project.changed.connect(self._reel_changed)

    def announce(self) -> None:
        """Look for the files, and tell of those that are missing or are others than those that were added."""
        self._announce = True
        self.check()

    def made_in(self, folder: Path | None) -> None:
        """Of files of a folder that are not there say nothing while they are being made there; None when that has ended."""
        self._made_in = folder
        self.being_made.emit(folder is not None)
        self.check()

    def _reel_changed(self) -> None:
        reel = self.project.reel
        if media_paths(reel) != self._asked:
            self.check()

    def check(self) -> None:
        """Look for the files once more."""
        if self._job is not None:
            self._once_more = True  # what is being asked may be out of date by now
            return
        self._once_more = False
        reel = self.project.reel
        self._asked = media_paths(reel)
        is_read(self._asked)
        if not self._asked:
            self._again.stop()
            self._take(reel, ([], []))
            return

        def work(job: Job) -> tuple[list[str], list[str]]:
            return missing_media(reel), replaced_media(reel)

        self._job = self._jobs.start(
            "Looking for the media", work, lambda result: self._take(reel, result), quiet=True, ended=self._ended
        )
        self._again.start()

    def _take(self, reel: Reel, result: tuple[list[str], list[str]]) -> None:
        gone, other = result
        missing = frozenset(path for path in gone if Path(path).parent != self._made_in)
        back = sorted(self.gone.intersection(media_paths(reel)).difference(gone))
        self.gone = frozenset(gone)
        self._again.setInterval(AGAIN_MS if missing == self.gone else MADE_MS)
        complete = bool(self.missing.intersection(back)) and not missing
        if missing != self.missing:
            self.missing = missing
            self.changed.emit()
        if back:
            self.back.emit(back)
        if complete:
            self.complete.emit()
        if self._announce and media_paths(reel) == media_paths(self.project.reel):
            self._announce = False
            self.found.emit([path for path in gone if path in missing], other)

    def _ended(self) -> None:
        self._job = None
        if media_paths(self.project.reel) != self._asked or self._announce or self._once_more:
            self.check()
