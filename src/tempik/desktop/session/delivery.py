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
from tempik.edit.drafting.casting import studies_of
from tempik.edit.drafting.make import MoodDraft, MoodWish, draft_in_mood
from tempik.errors import TempikError
from tempik.reel import Reel


class Delivery(QObject):
    """`measured` carries what was found in a file."""

    measured = Signal(object)

    def __init__(self, project: Project, worker: Worker) -> None:
        super().__init__(project)
        self.project, self.worker = project, worker
        self.last: MoodWish | None = None  # what was drafted by a mood last
        self.why: dict[str, str] = {}  # what speaks for each of its clips
        self._marked: set[tuple[str, float]] = set()  # the cues that it set itself: footage and instant

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
        return self._drafted(drafted, made.notes, "Reel drafted")

    def _drafted(self, reel: Reel, notes: tuple[str, ...], text: str) -> bool:
        done = self.project.change(text, lambda _: reel)
        self.project.playhead.go(0)
        if notes and done:
            more = f" (+{len(notes) - 1} more; see Check)" if len(notes) > 1 else ""
            self.project.messages.say(notes[0] + more, False)
        return done

    def draft_mood(self, wish: MoodWish) -> None:
        """Make the reel anew by a mood, once its footage has been looked through; the shot list stays."""
        reel = self.project.reel
        song = reel.soundtrack
        if song is None:
            return
        # Cues that the last draft set are no wish of the person's.
        pieces = [
            replace(f, cues=tuple(c for c in f.cues if (f.id, c.time_s) not in self._marked or c.name))
            for f in reel.footage
            if not f.without_file
        ]

        def work(job: Job) -> MoodDraft:
            return draft_in_mood(song, pieces, studies_of(pieces, job.report), wish)

        def done(made: MoodDraft) -> None:
            if self.project.reel is not reel:
                self.project.messages.say("The reel was changed meanwhile; draft it again.", True)
                return
            kept = replace(made.reel, shots=reel.shots, mix=reel.mix, sounds=reel.sounds, hits=reel.hits)
            self.last, self.why = wish, made.why
            known = {(f.id, c.time_s) for f in pieces for c in f.cues}
            self._marked = {(f.id, c.time_s) for f in made.reel.footage for c in f.cues} - known
            self._drafted(kept, made.notes, f"Reel drafted: {wish.mood.name}")

        self.worker.start("Drafting", work, done, self._failed)

    def draft_another(self) -> None:
        """Draw again by the last mood, otherwise."""
        if self.last is None:
            self.project.messages.say("Draft by a mood first (Ctrl+D); then this draws another.", True)
            return
        self.draft_mood(self.last._replace(seed=self.last.seed + 1))

    def say_why(self) -> None:
        """Say what speaks for the selected clip of the last draft."""
        clip = self.project.selection.clip_id
        said = self.why.get(clip or "")
        self.project.messages.say(said or "Select a clip of a draft by a mood; it is told why it is there.", not said)

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
