"""The main window: where everything lies, and how it is wired together."""

from __future__ import annotations

import time
from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import (
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QProgressBar,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from tempik.check import Report, check_rendered
from tempik.desktop import theme
from tempik.desktop.actions import COMMANDS
from tempik.desktop.check_page import CheckPage
from tempik.desktop.clip_commands import ClipCommands
from tempik.desktop.draft_panel import DraftPanel
from tempik.desktop.files import FOOTAGE_FILTER, PROJECT_FILTER, SONG_FILTER, Files
from tempik.desktop.footage_page import FootagePage
from tempik.desktop.palette import CommandPalette
from tempik.desktop.preview import LandingMeter, Preview
from tempik.desktop.project import Project
from tempik.desktop.rhythm_commands import RhythmCommands
from tempik.desktop.rhythm_page import RhythmPage
from tempik.desktop.songstrip import SongStrip
from tempik.desktop.speed_page import SpeedPage
from tempik.desktop.strips import Song, Strips
from tempik.desktop.theme import figures, icon, words
from tempik.desktop.timeline import TimelineView
from tempik.desktop.transport import Transport
from tempik.desktop.welcome import Welcome
from tempik.desktop.work import Job, Worker
from tempik.edit.draft import Wish, draft_reel
from tempik.errors import TempikError
from tempik.reel.file import SUFFIX
from tempik.render import Settings, export
from tempik.render.export import Cancelled
from tempik.time import clock_text, frame_of, rate_text, time_of

SIZES = (
    (1080, 1920, "9:16"),
    (1080, 1350, "4:5"),
    (1080, 1080, "1:1"),
    (1080, 1440, "3:4"),
    (1920, 1080, "16:9"),
)
ERROR_STAYS_S = 6.0
RATES = ("24", "25", "30", "50", "60", "23.976", "29.97", "59.94")


class Window(QMainWindow):
    """Tempik's one window."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Tempik")
        self.setWindowIcon(icon("tempik"))
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(1100, 700)
        self.project = Project(self)
        self.worker = Worker(self)
        self.strips = Strips(self.worker, self)
        self.song = Song(self.worker, self)
        self.files = Files(self.project, self.worker)
        self.clips = ClipCommands(self.project)
        self.preview = Preview(self.project)
        self.meter = LandingMeter(self.project)
        self.transport = Transport(self.project, self.song, self.preview, self.meter)
        self.player = self.transport.player
        self.listening = self.transport.listening
        self.rhythm = RhythmCommands(self.project, self.listening, self)
        self.rhythm.song_s = lambda: self.transport.song_s
        self.rhythm.is_playing = lambda: self.player.playing
        self._exporting: Job | None = None
        self._missing: list[str] = []
        self._closed = False
        self._error = ""
        self._error_at = 0.0
        self._build()
        self._show_jobs()
        self._wire()
        self._make_actions()
        self._reel_changed()

    # Layout

    def _build(self) -> None:
        self.strip = SongStrip(self.project, self.song)
        self.timeline = TimelineView(self.project, self.strips, self.song)
        self.welcome = Welcome()
        self.middle = QStackedWidget()
        self.middle.addWidget(self.welcome)
        self.middle.addWidget(self.timeline)
        self.rhythm_page = RhythmPage(self.project, self.song, self.listening, self.rhythm)
        self.footage_page = FootagePage(self.project, self.strips)
        self.speed_page = SpeedPage(self.project, self.strips)
        self.check_page = CheckPage(self.project)
        self.pages = QStackedWidget()
        bench = QFrame()
        bench.setObjectName("bench")
        bench.setStyleSheet(f"#bench {{ background: {theme.RAISED}; border-radius: 5px; }}")
        tabs = QHBoxLayout()
        tabs.setContentsMargins(10, 4, 14, 0)
        tabs.setSpacing(2)
        self.tabs: list[QToolButton] = []
        for number, (name, page) in enumerate(
            (
                ("Rhythm", self.rhythm_page),
                ("Footage", self.footage_page),
                ("Speed", self.speed_page),
                ("Check", self.check_page),
            )
        ):
            self.pages.addWidget(page)
            tab = QToolButton()
            tab.setText(name)
            tab.setCheckable(True)
            tab.setAutoExclusive(True)
            tab.setStyleSheet(
                "QToolButton { background: transparent; border: none; border-bottom: 3px solid transparent; border-radius: 0;"
                f" padding: 6px 10px 4px; font-size: 14px; color: {theme.QUIET}; }}"
                f"QToolButton:hover {{ color: {theme.TEXT}; }}"
                f"QToolButton:checked {{ color: {theme.TEXT}; border-bottom-color: {theme.RHYTHM}; background: transparent; }}"
            )
            tab.clicked.connect(lambda _=False, n=number: self.show_page(n))
            tabs.addWidget(tab)
            self.tabs.append(tab)
        tabs.addStretch(1)
        self.chosen = QLabel()
        self.chosen.setStyleSheet(f"color: {theme.QUIET};")
        tabs.addWidget(self.chosen)
        inside = QVBoxLayout(bench)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        inside.addLayout(tabs)
        inside.addWidget(self.pages, 1)
        self.show_page(1)

        down = QSplitter(Qt.Orientation.Vertical)
        down.setHandleWidth(8)
        down.addWidget(self.middle)
        down.addWidget(bench)
        down.setStretchFactor(0, 3)
        down.setStretchFactor(1, 2)
        down.setSizes([372, 288])
        down.setChildrenCollapsible(False)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(12, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.strip)
        column.addWidget(down, 1)

        right = QWidget()
        side = QVBoxLayout(right)
        side.setContentsMargins(4, 0, 12, 0)
        side.setSpacing(8)
        side.addWidget(self.preview, 1)
        side.addWidget(self.meter)
        across = QSplitter(Qt.Orientation.Horizontal)
        across.setHandleWidth(8)
        across.addWidget(left)
        across.addWidget(right)
        across.setStretchFactor(0, 1)
        across.setStretchFactor(1, 0)
        across.setSizes([884, 384])
        across.setChildrenCollapsible(False)
        whole = QWidget()
        rows = QVBoxLayout(whole)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        rows.addWidget(self._header())
        rows.addWidget(across, 1)
        rows.addWidget(self._foot())
        self.setCentralWidget(whole)

    def _header(self) -> QWidget:
        bar = QWidget()
        bar.setFixedHeight(48)
        row = QHBoxLayout(bar)
        row.setContentsMargins(12, 6, 12, 2)
        row.setSpacing(6)
        self.menu_button = QToolButton()
        self.menu_button.setIcon(icon("more"))
        self.menu_button.setProperty("flat", True)
        self.menu_button.setToolTip("Project menu")
        self.menu_button.setAccessibleName("Project menu")
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu_button.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        self.title = QLabel()
        self.title.setFont(words(15, True))
        self.saved = QLabel()
        self.saved.setStyleSheet(f"color: {theme.QUIET};")
        row.addWidget(self.menu_button)
        row.addWidget(self.title)
        row.addWidget(self.saved)
        row.addSpacing(10)
        self.undo_button = self._tool("undo", "Undo", self.undo)
        self.redo_button = self._tool("redo", "Redo", self.redo)
        row.addWidget(self.undo_button)
        row.addWidget(self.redo_button)
        row.addStretch(1)
        row.addWidget(self._tool("previous", "Previous cut or point (Up)", self.previous_stop))
        self.play_button = self._tool("play", "Play or pause (Space)", self.play_pause)
        row.addWidget(self.play_button)
        row.addWidget(self._tool("next", "Next cut or point (Down)", self.next_stop))
        row.addSpacing(8)
        self.place = QLabel("–")
        self.place.setFont(figures(20, True))
        self.place.setStyleSheet(f"color: {theme.RHYTHM};")
        self.place.setMinimumWidth(64)
        self.place.setToolTip("bar.beat")
        self.clock = QLabel()
        self.clock.setFont(figures(14))
        self.clock.setMinimumWidth(190)
        row.addWidget(self.place)
        row.addWidget(self.clock)
        row.addStretch(1)
        self.draft_button = QPushButton("Draft")
        self.draft_button.setToolTip("Make a reel of this song and footage by a rule")
        self.draft_button.clicked.connect(self.show_draft)
        self.form_button = QPushButton()
        self.form_button.setToolTip("Frame size and rate of the reel")
        self.form_button.setFont(figures(13))
        self.form_button.clicked.connect(self._show_settings)
        self.export_button = QPushButton("Export")
        self.export_button.setProperty("main", True)
        self.export_button.setMinimumWidth(84)
        self.export_button.clicked.connect(self.export)
        row.addWidget(self.draft_button)
        row.addWidget(self.form_button)
        row.addWidget(self.export_button)
        return bar

    def _tool(self, sign: str, name: str, act: object) -> QToolButton:
        button = QToolButton()
        button.setIcon(icon(sign))
        button.setIconSize(button.iconSize() * 1.25)
        button.setProperty("flat", True)
        button.setToolTip(name)
        button.setAccessibleName(name)
        button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        button.clicked.connect(act)
        return button

    def _foot(self) -> QWidget:
        bar = QWidget()
        bar.setFixedHeight(30)
        row = QHBoxLayout(bar)
        row.setContentsMargins(14, 0, 14, 6)
        self.status = QLabel()
        self.status.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.find_missing = QPushButton("Find …")
        self.find_missing.setStyleSheet("padding: 1px 10px; min-height: 16px;")
        self.find_missing.clicked.connect(self._find_missing)
        self.find_missing.hide()
        self.job_name = QLabel()
        self.job_name.setStyleSheet(f"color: {theme.QUIET};")
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedWidth(180)
        self.progress.setRange(0, 1000)
        self.cancel = QToolButton()
        self.cancel.setIcon(icon("remove"))
        self.cancel.setProperty("flat", True)
        self.cancel.setToolTip("Cancel")
        self.cancel.setAccessibleName("Cancel")
        self.cancel.setStyleSheet("padding: 0;")
        self.cancel.clicked.connect(self._cancel_job)
        row.addWidget(self.status, 1)
        row.addWidget(self.find_missing)
        row.addWidget(self.job_name)
        row.addWidget(self.progress)
        row.addWidget(self.cancel)
        return bar

    # Wiring

    def _wire(self) -> None:
        self.project.changed.connect(self._reel_changed)
        self.project.selected.connect(self._selection_changed)
        self.project.moved.connect(self._moved)
        self.project.said.connect(self.say)
        self.files.media_missing.connect(self._media_missing)
        self.files.opened.connect(self._opened)
        self.song.failed.connect(lambda text: self.say(text, True))
        self.worker.changed.connect(self._show_jobs)
        self.player.state_changed.connect(self._play_state)
        self.transport.sounding.connect(self._sounds)
        self.rhythm_page.sought.connect(self.transport.seek_song)
        self.welcome.song_wanted.connect(self.choose_song)
        self.welcome.footage_wanted.connect(self.choose_footage)
        self.welcome.draft_wanted.connect(self.show_draft)
        self.welcome.demo_wanted.connect(self.open_demo)
        self.footage_page.add_wanted.connect(self.choose_footage)
        self.footage_page.find_wanted.connect(self._find)
        self.check_page.measure_wanted.connect(self.measure)
        self.check_page.save_wanted.connect(self._save_check)
        self.timeline.row_menu.connect(self._row_menu)
        self.timeline.clip_menu.connect(self._clip_menu)
        self.draft_panel = DraftPanel(self)
        self.draft_panel.wished.connect(self.draft)

    def _make_actions(self) -> None:
        self.commands: dict[str, QAction] = {}
        menu = QMenu(self)
        for command in COMMANDS:
            action = QAction(command.text, self)
            action.setShortcuts([QKeySequence(k) for k in command.keys])
            owner = next(o for o in (self, self.clips, self.rhythm) if hasattr(o, command.method))
            action.triggered.connect(getattr(owner, command.method))
            self.addAction(action)
            self.commands[command.method] = action
            if command.group == "Project" or command.method == "show_commands":
                menu.addAction(action)
        self.menu_button.setMenu(menu)

    def _reel_changed(self) -> None:
        reel = self.project.reel
        # The song comes first: without it there is nothing to see or hear of the rhythm.
        self.song.load(reel.soundtrack.path if reel.soundtrack is not None else "")
        for piece in reel.footage:
            self.strips.want(piece)
        self.title.setText(self.project.name)
        self.saved.setText("unsaved" if self.project.unsaved else "saved" if self.project.path else "")
        undo, redo = self.project.history.can_undo, self.project.history.can_redo
        self.undo_button.setEnabled(bool(undo))
        self.undo_button.setToolTip(f"Undo: {undo}" if undo else "Nothing to undo")
        self.redo_button.setEnabled(bool(redo))
        self.redo_button.setToolTip(f"Redo: {redo}" if redo else "Nothing to redo")
        self.form_button.setText(f"{reel.width}×{reel.height} · {rate_text(reel.rate)}")
        ready = bool(reel.clips)
        self.export_button.setEnabled(ready or self._exporting is not None)
        can_draft = reel.soundtrack is not None and bool(reel.footage)
        self.draft_button.setEnabled(can_draft)
        self.middle.setCurrentWidget(self.timeline if ready else self.welcome)
        song = Path(reel.soundtrack.path).name if reel.soundtrack is not None else ""
        if song and reel.soundtrack is not None and reel.soundtrack.tempo_bpm:
            song += f"\n{reel.soundtrack.tempo_bpm:.1f} BPM"
        self.welcome.show_state(song, len(reel.footage))
        self.transport.reel_changed()
        self._enable()
        self._selection_changed()
        self._moved(self.project.frame)

    def _enable(self) -> None:
        if not hasattr(self, "commands"):
            return
        reel = self.project.reel
        there = {
            "": True,
            "song": reel.soundtrack is not None,
            "clips": bool(reel.clips),
            "clip": self.project.clip is not None,
        }
        for command in COMMANDS:
            self.commands[command.method].setEnabled(there[command.needs])

    def _selection_changed(self) -> None:
        self._enable()
        placed = self.project.placed
        if placed is None:
            self.chosen.setText("")
        else:
            pins = (
                f" · {len(placed.ties)} pin{'s' if len(placed.ties) != 1 else ''}" if placed.ties else " · not pinned"
            )
            self.chosen.setText(f"{Path(placed.footage.path).stem}{pins}")

    def say(self, text: str, error: bool = False) -> None:
        """Show one sentence in the status line. An error stays readable: what comes soon after stands behind it."""
        now = time.monotonic()
        if not error and self._error and now - self._error_at < ERROR_STAYS_S:
            text, error = f"{self._error}   ·   {text}", True
        elif error:
            self._error, self._error_at = text, now
        else:
            self._error = ""
        self.status.setText(text)
        self.status.setToolTip(text)
        self.status.setStyleSheet(f"color: {theme.WARNING_TEXT if error else theme.QUIET};")

    def _show_jobs(self) -> None:
        jobs = self.worker.jobs
        self.job_name.setVisible(bool(jobs))
        self.progress.setVisible(bool(jobs))
        self.cancel.setVisible(bool(jobs))
        if jobs:
            more = f" (+{len(jobs) - 1})" if len(jobs) > 1 else ""
            self.job_name.setText(jobs[0].title + more)
            self.progress.setValue(round(jobs[0].share * 1000))

    def _cancel_job(self) -> None:
        if self.worker.jobs:
            job = self.worker.jobs[0]
            job.cancel()
            self.say(f"{job.title}: cancelled.")

    def show_page(self, number: int) -> None:
        self.pages.setCurrentIndex(number)
        self.tabs[number].setChecked(True)
        in_song = self.pages.currentWidget() is self.rhythm_page
        if in_song and not self.transport.in_song:
            self.rhythm_page.follow(self.transport.song_s)
            self.transport.cursor_s = self.rhythm_page.view.cursor_s
        self.transport.in_song = in_song

    def show_rhythm(self) -> None:
        self.show_page(0)

    def show_footage(self) -> None:
        self.show_page(1)

    def show_speed(self) -> None:
        self.show_page(2)

    def show_check(self) -> None:
        self.show_page(3)

    def _sounds(self, song_s: float) -> None:
        if self.transport.in_song:
            self.rhythm_page.follow(song_s)

    # Playing

    def play_pause(self) -> None:
        self.transport.play_pause()

    def remove_clip(self) -> None:
        """On the Rhythm page the selected points go, else the selected clip."""
        if self.transport.in_song and self.project.points:
            self.rhythm.remove_points()
        else:
            self.clips.remove_clip()

    def _play_state(self, playing: bool) -> None:
        self.play_button.setIcon(icon("pause" if playing else "play"))

    def _moved(self, frame: int) -> None:
        timeline = self.project.timeline
        beat = timeline.beat_at(frame)
        self.place.setText(beat.label if beat is not None else "–")
        self.clock.setText(f"f {frame}  {clock_text(time_of(frame, timeline.rate))}" if timeline.frames else "")
        # The cursor may stand between two frames; it is left there as long as this is its frame.
        elsewhere = frame_of(self.rhythm_page.view.cursor_s - timeline.start_s, timeline.rate) != frame
        if self.transport.in_song and not self.player.playing and elsewhere:
            self.rhythm_page.follow(timeline.start_s + time_of(frame, timeline.rate))
            self.transport.cursor_s = self.rhythm_page.view.cursor_s

    def jump_to_beat(self) -> None:
        """Ask for a bar and beat and go there."""
        text, done = QInputDialog.getText(self, "Jump to bar.beat", "Bar and beat, such as 17.3:")
        if done:
            self.rhythm_page.jump_to(text)

    def step_back(self) -> None:
        self.transport.step(-1)

    def step_on(self) -> None:
        self.transport.step(1)

    def leap_back(self) -> None:
        self.transport.step(-10)

    def leap_on(self) -> None:
        self.transport.step(10)

    def previous_stop(self) -> None:
        self.transport.previous_stop()

    def next_stop(self) -> None:
        self.transport.next_stop()

    def to_start(self) -> None:
        self.transport.step(-self.project.frame)

    def to_end(self) -> None:
        self.transport.step(self.project.timeline.frames)

    def zoom_in(self) -> None:
        self.timeline.zoom(1.4)

    def zoom_out(self) -> None:
        self.timeline.zoom(1 / 1.4)

    def fit(self) -> None:
        self.timeline.fit()

    def toggle_guides(self) -> None:
        self.preview.guides = not self.preview.guides
        self.preview.update()

    def undo(self) -> None:
        self.project.undo()

    def redo(self) -> None:
        self.project.redo()

    def show_commands(self) -> None:
        CommandPalette(list(self.commands.values()), self).open()

    # Files

    def choose_song(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Open a song", "", SONG_FILTER)
        if path:
            self.files.open_song(path)

    def choose_footage(self) -> None:
        paths, _ = QFileDialog.getOpenFileNames(self, "Add footage", "", FOOTAGE_FILTER)
        if paths:
            self.files.add_footage(paths)

    def open_project(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Open a project", "", PROJECT_FILTER)
        if path and self._may_leave():
            self.files.open_project(Path(path))

    def open_demo(self) -> None:
        if self._may_leave():
            self.files.open_demo()

    def new_project(self) -> None:
        if self._may_leave():
            self.player.pause()
            self.project.new()
            self._media_missing([])

    def save(self) -> bool:
        if self.project.path is None:
            return self.save_as()
        return self._save_to(None)

    def save_as(self) -> bool:
        start = str(self.project.path or f"reel{SUFFIX}")
        path, _ = QFileDialog.getSaveFileName(self, "Save the project", start, PROJECT_FILTER)
        return self._save_to(Path(path)) if path else False

    def _save_to(self, path: Path | None) -> bool:
        try:
            self.project.save(path)
        except TempikError as error:
            self.say(str(error), True)
            return False
        self.say(f"Saved {self.project.path}")
        return True

    def _may_leave(self) -> bool:
        """Ask about unsaved work: undo cannot mend closing without it."""
        self.project.forget_gesture()
        if not self.project.unsaved:
            return True
        answer = QMessageBox.question(
            self,
            "Unsaved changes",
            f"Save the changes to {self.project.name}?",
            QMessageBox.StandardButton.Save | QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel,
        )
        if answer == QMessageBox.StandardButton.Save:
            return self.save()
        return answer == QMessageBox.StandardButton.Discard

    def _opened(self) -> None:
        self.player.pause()
        self.timeline.fit_when_shown()
        self.timeline._reel_changed()
        self.say(f"Opened {self.project.path}")

    def _media_missing(self, gone: list[str]) -> None:
        self._missing = gone
        self.find_missing.setVisible(bool(gone))
        if gone:
            more = f" and {len(gone) - 1} more" if len(gone) > 1 else ""
            self.say(
                f"{gone[0]}{more} is missing; press Find to say where it is. The rest of the project is open.",
                True,
            )

    def _find_missing(self) -> None:
        if self._missing:
            self._find(self._missing[0])

    def _find(self, old: str) -> None:
        path, _ = QFileDialog.getOpenFileName(self, f"Where is {Path(old).name}?", "", "All files (*)")
        if path:
            self.files.found(old, path)
            self.song.path = ""
            self._reel_changed()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [u.toLocalFile() for u in event.mimeData().urls() if u.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.files.bring(paths)

    # Drafting, exporting, measuring

    def show_draft(self) -> None:
        reel = self.project.reel
        if reel.soundtrack is None or not reel.footage:
            missing = "a song" if reel.soundtrack is None else "footage"
            self.say(f"A draft needs {missing} first; drop it on the window.", True)
            return
        self.draft_panel.show_for(reel)
        self.draft_panel.adjustSize()
        corner = self.draft_button.mapToGlobal(
            QPoint(self.draft_button.width() - self.draft_panel.width(), self.draft_button.height() + 4)
        )
        self.draft_panel.move(corner)

    def draft(self, wish: Wish) -> None:
        reel = self.project.reel
        if reel.soundtrack is None:
            return
        try:
            made = draft_reel(reel.soundtrack, reel.footage, wish)
        except TempikError as error:
            self.say(str(error), True)
            return
        self.timeline.fit_when_shown()
        self.project.change("Reel drafted", lambda _: made.reel)
        self.project.go(0)
        if made.notes:
            more = f" (+{len(made.notes) - 1} more; see Check)" if len(made.notes) > 1 else ""
            self.say(made.notes[0] + more, False)

    def export(self) -> None:
        if self._exporting is not None:
            self._exporting.cancel()
            return
        start = self.project.path.with_suffix(".mp4") if self.project.path else Path("reel.mp4")
        path, _ = QFileDialog.getSaveFileName(self, "Export the reel", str(start), "MP4 (*.mp4)")
        if path:
            self.export_to(Path(path if Path(path).suffix else path + ".mp4"))

    def export_to(self, path: Path, settings: Settings = Settings()) -> None:
        """Export in the background; the button cancels meanwhile."""
        self.player.pause()
        timeline = self.project.timeline

        def work(job: Job) -> list[str]:
            try:
                return export(timeline, path, settings, lambda done, total: job.report(done / total), job.stop_event)
            except Cancelled:
                return []

        def done(notes: list[str]) -> None:
            worst = self.project.report.worst_ms
            text = f"Exported {path}: planned within {worst:.1f} ms of its points; measure it on the Check page."
            self.say(" ".join([text, *notes]), bool(notes))

        def ended() -> None:
            self._exporting = None
            self.export_button.setText("Export")
            self.export_button.setEnabled(bool(self.project.reel.clips))

        job = self.worker.start(f"Exporting {path.name}", work, done, lambda text: self.say(text, True))
        job.ended.connect(ended)
        self._exporting = job
        self.export_button.setText("Cancel")

    def measure(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Measure an exported file", "", "MP4 (*.mp4 *.m4v)")
        if path:
            self.measure_file(Path(path))

    def measure_file(self, path: Path) -> None:
        """Measure an exported file in the background and show what was found."""
        timeline = self.project.timeline

        def work(job: Job) -> Report:
            return check_rendered(timeline, path)

        def done(report: Report) -> None:
            self.check_page.show_measured(report)
            self.show_check()
            self.say(f"Measured {path.name}: worst {report.worst_ms:.1f} ms.", not report.ok)

        self.worker.start(f"Measuring {path.name}", work, done, lambda text: self.say(text, True))

    def _save_check(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Save the check", "check.csv", "CSV (*.csv)")
        if path:
            try:
                self.check_page.save_csv(Path(path))
                self.say(f"Saved {path}")
            except TempikError as error:
                self.say(str(error), True)

    # Menus

    def _show_settings(self) -> None:
        reel = self.project.reel
        menu = QMenu(self)
        for width, height, name in SIZES:
            action = menu.addAction(f"{width}×{height}   {name}")
            action.setCheckable(True)
            action.setChecked((width, height) == (reel.width, reel.height))
            action.triggered.connect(lambda _=False, w=width, h=height: self.files.settings(w, h, None))
        menu.addSeparator()
        for rate in RATES:
            action = menu.addAction(f"{rate} frames/s")
            action.setCheckable(True)
            action.setChecked(rate == rate_text(reel.rate))
            action.triggered.connect(lambda _=False, r=rate: self.files.settings(reel.width, reel.height, r))
        menu.popup(self.form_button.mapToGlobal(QPoint(0, self.form_button.height() + 2)))

    def _row_menu(self, row: str, at: QPoint) -> None:
        self.clips.row_menu(row, self).popup(at)

    def _clip_menu(self, clip: str, at: QPoint) -> None:
        menu = QMenu(self)
        for name in ("cue_here", "pin_next", "pin_previous", "unpin", "reverse", "remove_clip"):
            menu.addAction(self.commands[name])
        swap = menu.addMenu("Swap footage")
        self.clips.fill_swap_menu(swap, clip)
        add = menu.addMenu("Add accent row")
        self.clips.fill_accent_menu(add)
        menu.popup(at)

    def quit(self) -> None:
        self.close()

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._may_leave():
            event.ignore()
            return
        self.shut_down()
        event.accept()

    def shut_down(self) -> None:
        """Stop every thread; called once, when the window closes."""
        if self._closed:
            return
        self._closed = True
        self.worker.stop_all()
        self.transport.close()
        self.footage_page.scrubber.close()
