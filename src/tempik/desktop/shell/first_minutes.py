"""The first minutes: recent projects with pictures, a reel from a folder, the tour; and what Tempik is, and a fault told."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import msgspec
from PySide6.QtCore import QObject, QRect
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QInputDialog, QPlainTextEdit, QVBoxLayout, QWidget

from tempik.desktop.commands.files import ask_save
from tempik.desktop.commands.project import ProjectCommands
from tempik.desktop.commands.registry import command
from tempik.desktop.preview.view import Preview
from tempik.desktop.session.exchanging import Exchanging
from tempik.desktop.session.pictures import keep_picture, picture_of
from tempik.desktop.session.preferences import load_preferences, recent_projects, save_preferences
from tempik.desktop.session.session import Session
from tempik.desktop.shell.tour import Hint, Tour
from tempik.desktop.shell.welcome import Welcome
from tempik.desktop.timeline.widget import TimelineView
from tempik.edit.drafting.make import DraftOptions
from tempik.edit.drafting.moods import mood_named
from tempik.edit.song.stretches import suggested_stretches
from tempik.errors import TempikError
from tempik.report import about_text, write_report

MOST_SHOWN = 5
DRAFT_S = 20.0
FIRST_MOOD = "driving"


class TourPlaces(NamedTuple):
    """What of the window the tour points at."""

    welcome: Welcome
    timeline: TimelineView
    meter: QWidget
    page_panel: QWidget
    song_strip: QWidget
    export_button: QWidget


class FirstMinutes(QObject):
    """Ties the welcome screen, the tour and help to the window."""

    def __init__(
        self,
        window: QWidget,
        session: Session,
        projects: ProjectCommands,
        exchanging: Exchanging,
        preview: Preview,
        places: TourPlaces,
    ) -> None:
        super().__init__(window)
        self.window, self.session, self.project = window, session, session.project
        self.projects, self.exchanging, self.preview, self.places = projects, exchanging, preview, places
        self.tour: Tour | None = None
        places.welcome.recent_wanted.connect(self._open)
        places.welcome.demo_wanted.connect(self._open_demo)
        session.importer.opened.connect(self.refill)
        projects.begun.connect(self.refill)
        projects.zip_chosen.connect(lambda path: exchanging.read(Path(path)))
        self.refill()

    def refill(self) -> None:
        """Show the recent projects on the welcome screen."""
        self.places.welcome.show_recent([(path, picture_of(path)) for path in recent_projects()[:MOST_SHOWN]])

    def keep_picture(self) -> None:
        """Keep what the preview shows as the picture of the project."""
        image = self.preview.image
        if self.project.path is not None and image is not None and self.project.reel.clips:
            keep_picture(self.project.path, image)

    def _open(self, path: str) -> None:
        if self.projects.may_leave():
            self.session.importer.open_project(Path(path))

    def _open_demo(self, name: str) -> None:
        if self.projects.may_leave():
            self.session.importer.open_demo(name)

    def bring(self, paths: list[str]) -> None:
        """Take what was dropped on the window: a folder on an empty one is made a reel, a zip or an edit of others a project."""
        only = Path(paths[0]) if len(paths) == 1 else None
        if only is not None and only.is_dir() and not self.project.reel.clips:
            self.session.importer.bring_for_reel(str(only), self._draft)
        elif only is not None and only.suffix.lower() in (".zip", ".otio", ".edl"):
            self.exchanging.read(only)
        else:
            self.session.importer.bring(paths)

    def _draft(self) -> None:
        """Make a first reel of the stretch of the song that suits it best, by the mood that comes first to mind."""
        reel = self.project.reel
        song = reel.soundtrack
        if song is None or reel.clips:
            return
        stretch = suggested_stretches(song, min(DRAFT_S, song.length_s))[0]
        self.places.timeline.fit_when_shown()
        options = DraftOptions(
            mood_named(FIRST_MOOD), 0, stretch.start_s, stretch.length_s, reel.width, reel.height, reel.rate
        )  # fmt: skip
        message = "A first reel of that folder; Undo takes it back, Ctrl+Shift+D draws another."
        self.session.delivery.draft_mood(options, after=lambda: self.project.messages.say(message))

    # The tour

    def begin(self) -> None:
        """Show the tour if it was never shown; called when the window has its first reel."""
        if not load_preferences().toured and self.tour is None and self.project.reel.clips:
            self.show_tour()

    @command("View", "Show me around")
    def show_tour(self) -> None:
        if self.tour is not None:
            self.tour.finish()
        self.tour = Tour(self.window, self._hints(), self._toured)
        self.tour.go_on()

    def _toured(self) -> None:
        self.tour = None
        save_preferences(msgspec.structs.replace(load_preferences(), toured=True))

    def _hints(self) -> list[Hint]:
        places = self.places

        def whole(widget: Callable[[], QWidget]) -> Callable[[], tuple[QWidget, QRect | None]]:
            return lambda: (widget(), None)

        if not self.project.reel.clips:
            return [
                Hint("A song first", "Drop one here. Its beats are found as it opens, and everything hangs off them.",
                     whole(lambda: places.welcome.song)),
                Hint("Then footage", "Drop videos, or a whole folder with a song in it: a first reel is made of it.",
                     whole(lambda: places.welcome.footage)),
            ]  # fmt: skip
        return [
            Hint("Points of the rhythm", "Everything hangs off these. Drag one, and cuts, pins, words and flashes that are tied to it "
                 "follow.", lambda: (places.timeline, QRect(0, 36, places.timeline.width(), 60))),
            Hint("Clips", "Their edges snap to points. Drag them, split with S, and pin the frame that must land with cues.",
                 lambda: (places.timeline, QRect(0, 100, places.timeline.width(), 120))),
            Hint("The landing meter", "How far the event at the playhead is from its point, in milliseconds and frames.",
                 whole(lambda: places.meter)),
            Hint("Pages", "Rhythm, speed, accents, transitions, titles and more: one page each, below. Ctrl+K finds any command.",
                 lambda: (places.page_panel, QRect(0, 0, places.page_panel.width(), 40))),
            Hint("The song's stretch", "Drag the frame to use another part of the song; the edit goes with the nearest beats.",
                 whole(lambda: places.song_strip)),
            Hint("Out", "Formats, several frames at once, a limit of size; measured against its points when done. You go on editing "
                 "meanwhile.", whole(lambda: places.export_button)),
        ]  # fmt: skip

    # Help

    @command("View", "About Tempik")
    def about(self) -> None:
        """The version, the licence, and what Tempik is made of."""
        dialog = QDialog(self.window)
        dialog.setWindowTitle("About Tempik")
        text = QPlainTextEdit(about_text())
        text.setReadOnly(True)
        text.setAccessibleName("Version and licences")
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(dialog.reject)
        column = QVBoxLayout(dialog)
        column.addWidget(text)
        column.addWidget(buttons)
        dialog.resize(520, 420)
        dialog.open()

    @command("View", "Report a fault …")
    def report(self) -> None:
        """Gather log, versions and the project file, without media, in one zip that can be sent."""
        message, given = QInputDialog.getMultiLineText(
            self.window, "Report a fault", "What happened, and what did you expect?"
        )
        if not given:
            return
        path = ask_save(self.window, "Save the report", "tempik-report.zip", "Zip (*.zip)", "list", self.project.path)
        if not path:
            return
        try:
            write_report(Path(path), self.project.path, message)
            self.project.messages.say(f"Saved {path}: the log, versions and the project file; no media.")
        except TempikError as error:
            self.project.messages.say(str(error), True)
