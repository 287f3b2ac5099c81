"""Drafting and measuring: work on the whole reel, in the background, told in one sentence."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from tempik.check import Report, total_text
from tempik.deliver.presets import last_order
from tempik.deliver.run import measured
from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.edit.draft import Wish, draft_reel
from tempik.errors import TempikError


class Delivery(QObject):
    """`measured` carries what was found in a file."""

    measured = Signal(object)

    def __init__(self, project: Project, worker: Worker) -> None:
        super().__init__(project)
        self.project, self.worker = project, worker

    def draft(self, wish: Wish) -> bool:
        """Make the reel anew by a rule; the shot list stays."""
        reel = self.project.reel
        if reel.soundtrack is None:
            return False
        try:
            pieces = [f for f in reel.footage if not f.without_file]
            kept = tuple(f for f in reel.footage if f.nest is None)  # what nests held is drafted anew with all else
            made = draft_reel(reel.soundtrack, pieces, wish)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return False
        drafted = replace(
            made.reel, shots=reel.shots, footage=kept, mix=reel.mix, sounds=reel.sounds, hits=reel.hits,
            sound_rows=reel.sound_rows, sound_tracks=reel.sound_tracks, sound_clips=reel.sound_clips,
        )  # fmt: skip
        done = self.project.change("Reel drafted", lambda _: drafted)
        self.project.playhead.go(0)
        if made.notes and done:
            more = f" (+{len(made.notes) - 1} more; see Check)" if len(made.notes) > 1 else ""
            self.project.messages.say(made.notes[0] + more, False)
        return done

    def _failed(self, text: str) -> None:
        self.project.messages.say(text, True)

    def measure_file(self, path: Path) -> None:
        """Measure an exported file in the background and show what was found."""
        reel = self.project.reel
        # A film of a part of the reel: the part that was ordered last is meant.
        part = last_order(self.project.path).part

        def work(job: Job) -> Report:
            try:
                return measured(reel, path)
            except TempikError:
                if part is None:
                    raise
                return measured(reel, path, part)

        def done(report: Report) -> None:
            self.measured.emit(report)
            self.project.messages.say(f"Measured {path.name}: {total_text(report)}.", not report.ok)

        self.worker.start(f"Measuring {path.name}", work, done, self._failed)
