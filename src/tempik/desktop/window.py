"""The main window: where everything lies, and how it is wired together."""

from __future__ import annotations

import time
from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMainWindow,
    QMenu,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from tempik.check import Report
from tempik.desktop import theme
from tempik.desktop.accent_commands import AccentCommands
from tempik.desktop.accents_page import AccentsPage
from tempik.desktop.actions import CLIP_MENU, COMMANDS
from tempik.desktop.bars import FootBar, HeaderBar
from tempik.desktop.check_page import CheckPage
from tempik.desktop.clip_commands import ClipCommands
from tempik.desktop.clip_sounds import ClipSounds
from tempik.desktop.count_panel import CountPanel
from tempik.desktop.cut_commands import CutCommands
from tempik.desktop.delivery import Delivery
from tempik.desktop.draft_panel import DraftPanel
from tempik.desktop.files import FOOTAGE_FILTER, PROJECT_FILTER, SONG_FILTER, Files
from tempik.desktop.footage_page import FootagePage
from tempik.desktop.frame_page import FramePage
from tempik.desktop.keeping import Keeping
from tempik.desktop.palette import CommandPalette
from tempik.desktop.place_commands import PlaceCommands
from tempik.desktop.preview import LandingMeter, Preview
from tempik.desktop.project import Project
from tempik.desktop.proxies import Proxies
from tempik.desktop.reading_commands import ReadingCommands
from tempik.desktop.rhythm_commands import RhythmCommands
from tempik.desktop.rhythm_page import RhythmPage
from tempik.desktop.shortcuts import ShortcutsDialog, apply_keys
from tempik.desktop.songstrip import SongStrip
from tempik.desktop.speed_commands import SpeedCommands
from tempik.desktop.speed_page import SpeedPage
from tempik.desktop.strips import Song, Strips
from tempik.desktop.theme import icon
from tempik.desktop.timeline import TimelineView
from tempik.desktop.transport import Loop, Transport
from tempik.desktop.welcome import Welcome
from tempik.desktop.work import Worker
from tempik.edit import place
from tempik.edit.draft import Wish
from tempik.errors import TempikError
from tempik.reel import Clip
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
        self.background = Worker(self, at_once=1)
        self.strips = Strips(self.worker, self)
        self.proxies = Proxies(self.background, self)
        self.song = Song(self.worker, self)
        self.files = Files(self.project, self.worker)
        self.preview = Preview(self.project)
        self.meter = LandingMeter(self.project)
        self.transport = Transport(self.project, self.song, self.preview, self.meter, self.proxies.proxy_for)
        self.player = self.transport.player
        self.listening = self.transport.listening
        self.clip_sounds = ClipSounds(self.project, self.worker)
        self.listening.clip_track = self.clip_sounds.track
        self.clip_sounds.changed.connect(self.transport.clip_sounds_changed)
        self.rhythm = RhythmCommands(self.project, self.listening, self)
        self.readings = ReadingCommands(self.project, self.listening)
        self.count = CountPanel(self)
        self.cuts = CutCommands(self.project, self.listening, self.count)
        self.clips = ClipCommands(self.project, self.cuts)
        self.speeds = SpeedCommands(self.project, self.cuts, self.count)
        self.accents = AccentCommands(self.project, self.worker, self.count)
        self.placing = PlaceCommands(self.project, self.cuts, self.count, self)
        self.keeping = Keeping(self.project, self.files, self)
        self.delivery = Delivery(self.project, self.worker, self)
        self.header, self.foot = HeaderBar(), FootBar()
        self.rhythm.song_s = lambda: self.transport.song_s
        self.rhythm.is_playing = lambda: self.player.playing
        self._clips_shown: tuple[Clip, ...] = ()
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
        self.rhythm_page = RhythmPage(self.project, self.song, self.listening, self.rhythm, self.readings)
        self.footage_page = FootagePage(self.project, self.strips, self.proxies)
        self.speed_page = SpeedPage(self.project, self.strips, self.speeds)
        self.accents_page = AccentsPage(self.project, self.strips, self.accents)
        self.accents_page.marked_s = self._marked_s
        self.frame_page = FramePage(self.project)
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
                ("Accents", self.accents_page),
                ("Frame", self.frame_page),
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
        tabs.addWidget(self.speed_page.tools)
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
        rows.addWidget(self.header)
        rows.addWidget(across, 1)
        rows.addWidget(self.foot)
        self.setCentralWidget(whole)

    # Wiring

    def _wire(self) -> None:
        self.project.changed.connect(self._reel_changed)
        self.project.selected.connect(self._selection_changed)
        self.project.moved.connect(self._moved)
        self.project.said.connect(self.say)
        self.files.media_missing.connect(self._media_missing)
        self.files.opened.connect(self._opened)
        self.files.unsure.connect(self.show_rhythm)
        self.readings.asked.connect(self.show_rhythm)
        self.readings.anew_asked.connect(self.files.hear_anew)
        self.song.failed.connect(lambda text: self.say(text, True))
        self.worker.changed.connect(self._show_jobs)
        self.background.changed.connect(self._show_jobs)
        self.proxies.said.connect(self.say)
        self.proxies.made.connect(lambda _: self.transport.footage_changed())
        self.footage_page.looked_at.connect(self.preview.show_footage)
        self.project.moved.connect(lambda _: self.preview.show_footage(None))
        self.player.state_changed.connect(self._play_state)
        self.transport.sounding.connect(self._sounds)
        self.speed_page.loop_wanted.connect(self._set_looping)
        self.transport.looping_changed.connect(lambda: self.speed_page.show_looping(self.transport.looping))
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
        self.timeline.row_wanted.connect(self.show_accents)
        self.timeline.clip_menu.connect(self._clip_menu)
        self.timeline.picture_menu.connect(lambda row, at: self.placing.picture_row_menu(row, self).popup(at))
        self.timeline.placing_row = self.placing.target_row
        self.timeline.made_ahead = self.transport.frames.stretches
        self.transport.frames.prepared.connect(self.timeline.update)
        self.timeline.footage_dropped.connect(self._footage_dropped)
        self.timeline.files_dropped.connect(self._files_dropped)
        self.timeline.settled_clip.connect(self.clips.say_trouble)
        self.placing.chosen_footage = self.footage_page.chosen
        self.placing.shelf_order = self.footage_page.shelf.order
        self.placing.looked_at = lambda: self.footage_page.time_s
        self.draft_panel = DraftPanel(self)
        self.draft_panel.wished.connect(self.draft)
        self.delivery.exporting_changed.connect(self._show_exporting)
        self.delivery.measured.connect(self._measured)
        header, foot = self.header, self.foot
        header.undo_button.clicked.connect(self.undo)
        header.redo_button.clicked.connect(self.redo)
        header.steps_button.clicked.connect(self.show_steps)
        header.previous.clicked.connect(self.previous_stop)
        header.play_button.clicked.connect(self.play_pause)
        header.next.clicked.connect(self.next_stop)
        header.draft_button.clicked.connect(self.show_draft)
        header.form_button.clicked.connect(self._show_settings)
        header.export_button.clicked.connect(self.export)
        foot.find_missing.clicked.connect(self._find_missing)
        foot.cancel.clicked.connect(self._cancel_job)
        foot.answered.connect(self.keeping.answer)
        self.keeping.offered.connect(foot.offer)
        self.keeping.taken_up.connect(self.timeline.fit_when_shown)
        self.accents.placing_focus.connect(self.preview.ask_place)
        self.preview.placed.connect(lambda at: self.accents.focus_at(at.x(), at.y()))
        page = self.frame_page
        self.preview.framed.connect(page.drag)
        self.preview.framed_zoom.connect(page.zoom_by)
        self.preview.framed_centre.connect(page.centre)
        self.preview.framed_done.connect(page.settle)

    def _make_actions(self) -> None:
        self.commands: dict[str, QAction] = {}
        menu = QMenu(self)
        owners = (
            self,
            self.keeping,
            self.clips,
            self.accents,
            self.speeds,
            self.cuts,
            self.placing,
            self.rhythm,
            self.readings,
        )
        for command in COMMANDS:
            action = QAction(command.text, self)
            owner = next(o for o in owners if hasattr(o, command.method))
            action.triggered.connect(lambda _=False, act=getattr(owner, command.method): act())
            self.addAction(action)
            self.commands[command.method] = action
            if command.group == "Project":
                menu.addAction(action)
                if command.method == "open_project":
                    self.recent_menu = menu.addMenu("Recent projects")
                    self.recent_menu.aboutToShow.connect(lambda: self.keeping.fill_recent(self.recent_menu))
                if command.method == "save_as":
                    self.versions_menu = menu.addMenu("Earlier saves")
                    self.versions_menu.aboutToShow.connect(lambda: self.keeping.fill_versions(self.versions_menu))
        menu.addSeparator()
        for name in ("show_commands", "show_shortcuts"):
            menu.addAction(self.commands[name])
        apply_keys(self.commands)
        self.header.menu_button.setMenu(menu)

    def _reel_changed(self) -> None:
        reel = self.project.reel
        if reel.clips is not self._clips_shown:
            self._clips_shown = reel.clips
            self.preview.show_footage(None)
        self.keeping.changed()
        # The song comes first: without it there is nothing to see or hear of the rhythm.
        self.song.load(reel.soundtrack.path if reel.soundtrack is not None else "")
        for piece in reel.footage:
            self.strips.want(piece)
            self.proxies.take_made(piece)
            self.proxies.want(piece)
        self.header.title.setText(self.project.name)
        saved = "unsaved" if self.project.unsaved else "saved" if self.project.path else ""
        self.header.saved.setText("read only" if self.project.read_only else saved)
        self.header.steps_button.setEnabled(len(self.project.history.steps) > 1)
        undo, redo = self.project.history.can_undo, self.project.history.can_redo
        self.header.undo_button.setEnabled(bool(undo))
        self.header.undo_button.setToolTip(f"Undo: {undo}" if undo else "Nothing to undo")
        self.header.redo_button.setEnabled(bool(redo))
        self.header.redo_button.setToolTip(f"Redo: {redo}" if redo else "Nothing to redo")
        self.header.form_button.setText(f"{reel.width}×{reel.height} · {rate_text(reel.rate)}")
        ready = bool(reel.clips)
        self.header.export_button.setEnabled(ready or self.delivery.exporting is not None)
        can_draft = reel.soundtrack is not None and bool(reel.footage)
        self.header.draft_button.setEnabled(can_draft)
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
        self.foot.status.setText(text)
        self.foot.status.setToolTip(text)
        self.foot.status.setStyleSheet(f"color: {theme.WARNING_TEXT if error else theme.QUIET};")

    def _show_jobs(self) -> None:
        jobs = [*self.worker.jobs, *self.background.jobs]
        self.foot.job_name.setVisible(bool(jobs))
        self.foot.progress.setVisible(bool(jobs))
        self.foot.cancel.setVisible(bool(jobs))
        if jobs:
            more = f" (+{len(jobs) - 1})" if len(jobs) > 1 else ""
            self.foot.job_name.setText(jobs[0].title + more)
            self.foot.progress.setValue(round(jobs[0].share * 1000))

    def _cancel_job(self) -> None:
        jobs = [*self.worker.jobs, *self.background.jobs]
        if jobs:
            job = jobs[0]
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
        self.preview.framing = self.pages.currentWidget() is self.frame_page
        self.preview.show_focus = self.pages.currentWidget() is self.accents_page
        self.preview.ask_place(False)
        self.speed_page.tools.setVisible(self.pages.currentWidget() is self.speed_page)
        self.preview.show_footage(None)
        self.preview.update()

    def show_rhythm(self) -> None:
        self.show_page(0)

    def show_footage(self) -> None:
        self.show_page(1)

    def show_speed(self) -> None:
        self.show_page(2)

    def toggle_full_size(self) -> None:
        """The preview as large as the reel, or as large as it is seen."""
        self.transport.set_full_size(not self.transport.full_size)
        size = "the reel's own size" if self.transport.full_size else "the size it is seen at"
        self.say(f"The preview is rendered at {size}.")

    def show_accents(self) -> None:
        self.show_page(3)

    def show_frame(self) -> None:
        self.show_page(4)

    def show_check(self) -> None:
        self.show_page(5)

    def _marked_s(self) -> tuple[float, float] | None:
        """Return the marked stretch in seconds of the song: marked on the reel, or else on the Rhythm page."""
        if self.speeds.marked is None:
            return self.listening.marked
        timeline = self.project.timeline
        first, end = (time_of(k, timeline.rate) + timeline.start_s for k in self.speeds.marked)
        return first, end

    def _sounds(self, song_s: float) -> None:
        if self.transport.in_song:
            self.rhythm_page.follow(song_s)

    # Playing

    def play_pause(self) -> None:
        if self.footage_page.has_keyboard():
            self.footage_page.play_pause()
        else:
            self.transport.play_pause()

    def remove_clip(self) -> None:
        """On the Rhythm page the selected points go, on the Footage page the cue looked at, else the selected clips."""
        if self.footage_page.has_keyboard():
            self.footage_page.remove_cue()
            return
        if self.transport.in_song and self.project.points:
            self.rhythm.remove_points()
        else:
            self.cuts.remove_clip()

    def _play_state(self, playing: bool) -> None:
        self.background.hold(playing)
        if playing:
            self.preview.show_footage(None)
        self.header.play_button.setIcon(icon("pause" if playing else "play"))

    def _moved(self, frame: int) -> None:
        timeline = self.project.timeline
        beat = timeline.beat_at(frame)
        self.header.place.setText(beat.label if beat is not None else "–")
        self.header.clock.setText(f"f {frame}  {clock_text(time_of(frame, timeline.rate))}" if timeline.frames else "")
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

    def _step(self, frames: int) -> None:
        if self.footage_page.has_keyboard():
            self.footage_page.step(frames)
        else:
            self.transport.step(frames)

    def step_back(self) -> None:
        self._step(-1)

    def step_on(self) -> None:
        self._step(1)

    def leap_back(self) -> None:
        self._step(-10)

    def leap_on(self) -> None:
        self._step(10)

    def previous_stop(self) -> None:
        if self.footage_page.has_keyboard():
            self.footage_page.go_stop(-1)
        else:
            self.transport.previous_stop()

    def next_stop(self) -> None:
        if self.footage_page.has_keyboard():
            self.footage_page.go_stop(1)
        else:
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

    def clear_kept(self) -> None:
        """Remove proxies and analyses from the disk."""
        self.background.stop_all()
        self.proxies.clear()
        self._reel_changed()

    def toggle_proxies(self) -> None:
        """Look at proxies, or at the files themselves."""
        self.proxies.on = not self.proxies.on
        self.transport.footage_changed()
        self.say("Proxies are shown." if self.proxies.on else "The files themselves are shown.")

    def collect_media(self) -> None:
        """Copy all media beside the project and read them from there."""
        self.files.collect()

    def undo(self) -> None:
        self.project.undo()

    def redo(self) -> None:
        self.project.redo()

    def show_commands(self) -> None:
        CommandPalette(list(self.commands.values()), self).open()

    def loop_clip(self) -> None:
        self._set_looping("" if self.transport.looping == "clip" else "clip")

    def loop_bars(self) -> None:
        self._set_looping("" if self.transport.looping == "bars" else "bars")

    def _set_looping(self, what: Loop) -> None:
        if what and self.project.placed is None:
            self.say("Select a clip to loop.", True)
            what = ""
        self.transport.set_looping(what)

    def toggle_before(self) -> None:
        self.speed_page.toggle_before()

    def show_shortcuts(self) -> None:
        ShortcutsDialog(self.commands, self).open()

    def show_steps(self) -> None:
        """Every step made since the project was opened, to go back or on to any of them."""
        steps, at = self.project.history.steps, self.project.history.at
        menu = QMenu(self)
        for number in range(max(0, len(steps) - 40), len(steps)):
            action = menu.addAction(steps[number].done or "as opened")
            action.setCheckable(True)
            action.setChecked(number == at)
            action.triggered.connect(lambda _=False, n=number: self.project.go_to_step(n))
        if len(steps) > 40:
            menu.addSeparator()
            menu.addAction("All steps …").triggered.connect(self._list_steps)
        button = self.header.steps_button
        menu.popup(button.mapToGlobal(QPoint(0, button.height() + 2)))

    def _list_steps(self) -> None:
        steps = [f"{n}  {s.done or 'as opened'}" for n, s in enumerate(self.project.history.steps)]
        text, done = QInputDialog.getItem(self, "Steps", "Go to:", steps, self.project.history.at, False)
        if done:
            self.project.go_to_step(int(text.split()[0]))

    def select_all(self) -> None:
        """All points on the Rhythm page, all clips elsewhere."""
        if self.transport.in_song:
            self.rhythm.select_all_points()
        else:
            self.project.select_clips(c.id for c in self.project.reel.clips)

    def cue_here(self) -> None:
        """On the Footage page where it has the keyboard, a cue at the frame looked at; else the clip's cue."""
        if self.footage_page.has_keyboard():
            self.footage_page.set_cue()
        else:
            self.clips.cue_here()

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
        if path and self.keeping.may_leave():
            self.files.open_project(Path(path))

    def open_demo(self) -> None:
        if self.keeping.may_leave():
            self.files.open_demo()

    def new_project(self) -> None:
        if self.keeping.may_leave():
            self.player.pause()
            self.project.new()
            self.keeping.begun_anew()
            self._media_missing([])

    def _opened(self) -> None:
        self.player.pause()
        self.timeline.fit_when_shown()
        self.timeline._reel_changed()
        self.keeping.opened()

    def _media_missing(self, gone: list[str]) -> None:
        self._missing = gone
        self.foot.find_missing.setVisible(bool(gone))
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
        button = self.header.draft_button
        corner = QPoint(button.width() - self.draft_panel.width(), button.height() + 4)
        self.draft_panel.move(button.mapToGlobal(corner))

    def draft(self, wish: Wish) -> None:
        self.timeline.fit_when_shown()
        self.delivery.draft(wish)

    def export(self) -> None:
        self.player.pause()
        self.delivery.ask_export()

    def _show_exporting(self) -> None:
        running = self.delivery.exporting is not None
        self.header.export_button.setText("Cancel" if running else "Export")
        self.header.export_button.setEnabled(running or bool(self.project.reel.clips))

    def measure(self) -> None:
        self.delivery.ask_measure()

    def _measured(self, report: Report) -> None:
        self.check_page.show_measured(report)
        self.show_check()

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
        menu.popup(self.header.form_button.mapToGlobal(QPoint(0, self.header.form_button.height() + 2)))

    def _row_menu(self, row: str, at: QPoint) -> None:
        self.accents.row_menu(row, self).popup(at)

    def _clip_menu(self, clip: str, at: QPoint) -> None:
        menu = QMenu(self)
        self.clips.fill_mend_menu(menu, clip)
        if not menu.isEmpty():
            menu.addSeparator()
        for title, names in CLIP_MENU:
            part = menu.addMenu(title) if title else menu
            for name in names:
                part.addAction(self.commands[name])
        swap = menu.addMenu("Swap footage")
        self.placing.fill_swap_menu(swap)
        add = menu.addMenu("Add accent row")
        self.accents.fill_accent_menu(add)
        menu.popup(at)

    def _footage_dropped(self, footage: str, frame: int, point: str, row: int) -> None:
        """Footage of the shelf was dropped on the timeline: on a point its cue lands there."""
        if point:
            self.placing.place_on(footage, point, row)
        else:
            self.project.change("Footage placed", lambda reel: place.with_clip_at(reel, footage, frame, row))

    def _files_dropped(self, paths: list[str], frame: int, point: str, row: int) -> None:
        """Files were dropped on the timeline: footage is added and the first piece placed; others are as anywhere."""
        before = {f.id for f in self.project.reel.footage}

        def then() -> None:
            new = [f.id for f in self.project.reel.footage if f.id not in before]
            if new and self.project.timeline.frames:
                self._footage_dropped(new[0], frame, point, row)

        self.files.bring(paths, then)

    def quit(self) -> None:
        self.close()

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.keeping.may_leave():
            event.ignore()
            return
        self.shut_down()
        event.accept()

    def shut_down(self) -> None:
        """Stop every thread; called once, when the window closes."""
        if self._closed:
            return
        self._closed = True
        self.background.hold(False)
        self.background.stop_all()
        self.worker.stop_all()
        self.transport.close()
        self.footage_page.close_readers()
        if self.keeping.left is None:
            self.project.close()
