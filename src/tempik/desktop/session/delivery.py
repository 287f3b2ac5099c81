"""Drafting and measuring: work on the whole reel, in the background, told in one sentence."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from tempik.check import Report, total_text
from tempik.deliver.presets import last_order
from tempik.deliver.run import measured
from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.edit.draft import RuleDraftOptions, draft_reel
from tempik.edit.drafting.make import DraftOptions, MoodDraft, drafted_anew
from tempik.edit.drafting.material import studies_of
from tempik.edit.drafting.moods import Mood
from tempik.edit.frame_shapes import in_own_shape
from tempik.edit.song.arranging import with_song_edit
from tempik.errors import TempikError
from tempik.project.moods import any_mood
from tempik.reel import Footage, Reel
from tempik.rhythm.song_edits import SongEdit

# How much of a draft's time looking over its footage takes, and how often that is looked after.
LOOKED, WAIT_S = 0.9, 0.1
SAID = 3  # notes on a draft that are said in the status line


class Delivery(QObject):
    """`measured` carries what was found in a file; `drafting` is said when footage is about to be looked over for a draft."""

    measured = Signal(object)
    drafting = Signal()
    drafted = Signal()  # another reel is there to be looked at

    def __init__(self, project: Project, worker: Worker, looking: Callable[[str], bool] = lambda path: False) -> None:
        """`looking` tells whether a file is being looked over; it is asked from a job."""
        super().__init__(project)
        self.project, self.worker, self.looking = project, worker, looking
        self.last: Mood | None = None  # what was drafted by last

    def draft(self, options: RuleDraftOptions) -> bool:
        """Make the reel anew by a rule; the shot list stays."""
        self.project.show_shape("")
        reel = self.project.reel
        if reel.soundtrack is None:
            return False
        try:
            pieces = [f for f in reel.footage if not f.without_file]
            kept = tuple(f for f in reel.footage if f.nest is None)  # what nests held is drafted anew with all else
            made = draft_reel(reel.soundtrack, pieces, options)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return False
        drafted = replace(
            made.reel, shots=reel.shots, footage=kept, mix=reel.mix, sounds=reel.sounds, hits=reel.hits,
            sound_lanes=reel.sound_lanes, sound_tracks=reel.sound_tracks, sound_clips=reel.sound_clips, draft=None,
        )  # fmt: skip
        return self._drafted(drafted, made.notes, "Reel drafted")

    def _drafted(self, reel: Reel, notes: tuple[str, ...], text: str) -> bool:
        done = self.project.change(text, lambda _: reel)
        self.project.playhead.go(0)
        self.drafted.emit()
        if notes and done:
            more = f" (+{len(notes) - SAID} more)" if len(notes) > SAID else ""
            self.project.messages.say(" ".join(notes[:SAID]) + more, False)
        return done

    def draft_mood(
        self, options: DraftOptions, song_edit: SongEdit | None = None, after: Callable[[], None] | None = None
    ) -> None:
        """Make the reel anew by a mood, once its footage has been looked through: of the song as a `song_edit` arranges it, if one is given.
        What is kept stays. `after` is called when it is there."""
        reel = self.project.reel
        if reel.soundtrack is None:
            return

        self.drafting.emit()

        def work(job: Job) -> MoodDraft:
            pieces = [f for f in reel.footage if not f.without_file]
            self._looked_over(pieces, job)
            studies = studies_of(pieces, lambda share: job.report(LOOKED + (1 - LOOKED) * share))
            if song_edit is None:
                return drafted_anew(reel, studies, options)
            arranged = with_song_edit(reel, song_edit)
            return drafted_anew(arranged, studies, options._replace(start_s=0.0, length_s=arranged.length_s))

        def done(made: MoodDraft) -> None:
            if self.project.reel is not reel:
                self.project.messages.say("The reel was changed meanwhile; draft it again.", True)
                return
            self.last = options.mood
            if self._drafted(made.reel, made.notes, f"Reel drafted: {options.mood.name}") and after is not None:
                after()

        self.worker.start("Drafting", work, done, self._failed)

    def _looked_over(self, pieces: list[Footage], job: Job) -> None:
        """Wait until footage has been looked over that is being, so that no file is decoded twice."""
        while True:
            left = sum(self.looking(f.path) for f in pieces)
            job.report(LOOKED * (1 - left / max(len(pieces), 1)))
            if not left:
                return
            time.sleep(WAIT_S)

    def draft_another(self) -> None:
        """Draw again by the last mood, otherwise; what is kept stays."""
        self.project.show_shape("")
        reel = self.project.reel
        draft, song = reel.draft, reel.soundtrack
        if draft is None or not draft.mood or song is None:
            self.project.messages.say("Draft by a mood first (Ctrl+D); then this draws another.", True)
            return
        try:
            mood = self.last if self.last is not None and self.last.name == draft.mood else any_mood(draft.mood)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        options = DraftOptions(
            mood, draft.seed + 1, song.start_s, reel.length_s, reel.width, reel.height, reel.rate, reel.amount, draft.ordered
        )  # fmt: skip
        self.draft_mood(options)

    def _failed(self, text: str) -> None:
        self.project.messages.say(text, True)

    def measure_file(self, path: Path) -> None:
        """Measure an exported file in the background and show what was found."""
        reel = in_own_shape(self.project.reel)
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
