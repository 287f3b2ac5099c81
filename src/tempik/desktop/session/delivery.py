"""Drafting, exporting and measuring: work on the whole reel, in the background, told in one sentence."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from tempik.check import Report, check_reel, check_rendered, total_text
from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.edit.draft import Wish, draft_reel
from tempik.errors import TempikError
from tempik.reel.nests import all_closed
from tempik.render import Exported, Settings, export
from tempik.render.export import Cancelled
from tempik.timeline.timeline import timeline_of


class Delivery(QObject):
    """`exporting` says whether an export runs; `measured` carries what was found in a file."""

    exporting_changed = Signal()
    measured = Signal(object)

    def __init__(self, project: Project, worker: Worker) -> None:
        super().__init__(project)
        self.project, self.worker = project, worker
        self.exporting: Job | None = None

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

    def export_to(self, path: Path, settings: Settings = Settings()) -> None:
        """Export in the background, with all nests closed."""
        timeline = timeline_of(all_closed(self.project.reel))

        def work(job: Job) -> Exported:
            try:
                tell = lambda done, total: job.report(done / total)  # noqa: E731
                return export(timeline, path, settings, tell, job.stop_event)
            except Cancelled:
                return Exported([])

        def done(made: Exported) -> None:
            notes, report = made.notes, check_reel(timeline)
            loud = made.loudness.text if made.loudness else "stopped"
            text = f"Exported {path}: {total_text(report)}, as planned; {loud}; measure the file on the Check page."
            known = [*dict.fromkeys([*notes, *report.notes])]
            more = f" (+{len(known) - 1} more; see Check)" if len(known) > 1 else ""
            self.project.messages.say(" ".join([text, *known[:1]]) + more, bool(known))

        def ended() -> None:
            self.exporting = None
            self.exporting_changed.emit()

        self.exporting = self.worker.start(f"Exporting {path.name}", work, done, self._failed, ended=ended)
        self.exporting_changed.emit()

    def _failed(self, text: str) -> None:
        self.project.messages.say(text, True)

    def measure_file(self, path: Path) -> None:
        """Measure an exported file in the background and show what was found."""
        timeline = timeline_of(all_closed(self.project.reel))

        def work(job: Job) -> Report:
            return check_rendered(timeline, path)

        def done(report: Report) -> None:
            self.measured.emit(report)
            self.project.messages.say(f"Measured {path.name}: {total_text(report)}.", not report.ok)

        self.worker.start(f"Measuring {path.name}", work, done, self._failed)
