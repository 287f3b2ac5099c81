"""Drafting tied to the window: the panel opens beside the preview, and what it wishes is done."""

from __future__ import annotations

from PySide6.QtCore import QObject, QPoint
from PySide6.QtWidgets import QWidget

from tempik.desktop.commands.arranging import ArrangeCommands
from tempik.desktop.commands.project import ProjectCommands
from tempik.desktop.preview.view import Preview
from tempik.desktop.session.session import Session
from tempik.desktop.shell.draft_panel import WIDTH, DraftPanel
from tempik.desktop.shell.mood_dialog import MoodDialog
from tempik.desktop.timeline.widget import TimelineView
from tempik.edit.draft import RuleDraftOptions
from tempik.edit.drafting.make import DraftOptions
from tempik.edit.drafting.moods import Mood
from tempik.rhythm.song_edits import SongEdit

AIR = 8


class Drafting(QObject):
    """Opens the draft panel and the moods of one's own."""

    def __init__(
        self,
        window: QWidget,
        session: Session,
        arrange: ArrangeCommands,
        projects: ProjectCommands,
        timeline: TimelineView,
        preview: Preview,
    ) -> None:
        super().__init__(window)
        self.window, self.session, self.project = window, session, session.project
        self.timeline, self.preview = timeline, preview
        self.panel = DraftPanel(session.project, arrange, window)
        self.dialog: MoodDialog | None = None
        self.panel.wished.connect(self._draft)
        self.panel.mood_wished.connect(self._draft_mood)
        self.panel.another.connect(session.delivery.draft_another)
        self.panel.own_wished.connect(self.show_moods)
        projects.draft_wanted.connect(self.open)
        session.delivery.drafted.connect(session.looking.clear)

    def open(self) -> None:
        """Open the panel beside the preview and below the song, so that what changes is seen."""
        self.project.show_shape("")  # drafts are of the reel's own frame
        below = self.timeline.mapToGlobal(QPoint(0, 0)).y()
        left = self.preview.mapToGlobal(QPoint(0, 0)).x() - WIDTH - AIR
        self.panel.show_for(self.project.reel, QPoint(max(left, self.window.mapToGlobal(QPoint(0, 0)).x()), below))

    def _draft(self, options: RuleDraftOptions) -> None:
        self.timeline.fit_when_shown()
        self.session.delivery.draft(options)

    def _draft_mood(self, options: DraftOptions, song_edit: SongEdit | None) -> None:
        if options.over is None:
            self.timeline.fit_when_shown()
        self.session.delivery.draft_mood(options, song_edit)

    def show_moods(self, mood: Mood) -> None:
        """Change a mood and keep it under a name of one's own."""
        self.dialog = MoodDialog(mood, self.project.messages, self.window)
        self.dialog.kept.connect(self._kept)
        self.dialog.open()

    def _kept(self, mood: Mood) -> None:
        self.open()
        self.panel.choose_mood(mood)
