"""The main window: what it is composed of, how that is laid out and wired, and how it closes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path
from typing import TypeVar

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QApplication, QMainWindow

from tempik.check import Report
from tempik.desktop.commands.accents import AccentCommands
from tempik.desktop.commands.arranging import ArrangeCommands
from tempik.desktop.commands.bundles import BundleCommands
from tempik.desktop.commands.clips import EditCommands, SelectCommands
from tempik.desktop.commands.copies import CopyCommands
from tempik.desktop.commands.cut import CutCommands
from tempik.desktop.commands.drafting import DraftCommands
from tempik.desktop.commands.exchanging import ExchangeCommands
from tempik.desktop.commands.exporting import ExportCommands
from tempik.desktop.commands.frames import FrameCommands
from tempik.desktop.commands.grade import GradeCommands
from tempik.desktop.commands.keys import KeyCommands
from tempik.desktop.commands.layers import LayerCommands
from tempik.desktop.commands.media import MediaCommands
from tempik.desktop.commands.nests import NestCommands
from tempik.desktop.commands.pins import PinCommands
from tempik.desktop.commands.place import PlaceCommands
from tempik.desktop.commands.play import PlayCommands
from tempik.desktop.commands.points import PointCommands
from tempik.desktop.commands.project import ProjectCommands
from tempik.desktop.commands.readings import ReadingCommands
from tempik.desktop.commands.recipes import RecipeCommands
from tempik.desktop.commands.registry import OWNERS, Commands
from tempik.desktop.commands.rhythm import RhythmCommands
from tempik.desktop.commands.sound_menus import channel_menu, clip_sound_menu, sound_clip_menu
from tempik.desktop.commands.sounds import SoundCommands
from tempik.desktop.commands.speed import SpeedCommands
from tempik.desktop.commands.titles import TitleCommands
from tempik.desktop.commands.tracks import TrackCommands
from tempik.desktop.commands.transition_menu import transition_menu
from tempik.desktop.commands.transitions import TransitionCommands
from tempik.desktop.pages import PAGES
from tempik.desktop.pages.accents.page import AccentsPage
from tempik.desktop.pages.check import CheckPage
from tempik.desktop.pages.export.page import ExportPage
from tempik.desktop.pages.frame import FramePage
from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.pages.rhythm.page import RhythmPage
from tempik.desktop.pages.sound.page import SoundPage
from tempik.desktop.pages.titles.page import TitlesPage
from tempik.desktop.pages.transitions.page import TransitionsPage
from tempik.desktop.playback.clip_sounds import ClipSounds
from tempik.desktop.playback.reel_sound import ReelSound
from tempik.desktop.playback.transport import Transport
from tempik.desktop.preview.landing_meter import LandingMeter
from tempik.desktop.preview.tool_strip import ToolStrip
from tempik.desktop.preview.view import Preview
from tempik.desktop.session.exchanging import Exchanging
from tempik.desktop.session.session import Session
from tempik.desktop.shell.drafting import Drafting
from tempik.desktop.shell.dropped import Dropped
from tempik.desktop.shell.first_minutes import FirstMinutes, TourPlaces
from tempik.desktop.shell.header import HeaderBar
from tempik.desktop.shell.holding import BEFORE, HeldKey
from tempik.desktop.shell.keyboard import page_commands
from tempik.desktop.shell.menus import ProjectMenu, clip_menu, form_menu
from tempik.desktop.shell.middle import Middle
from tempik.desktop.shell.page_panel import PagePanel
from tempik.desktop.shell.places import Divider, WindowPlaces, central, column, page_panel_height, preview_width
from tempik.desktop.shell.shortcuts import apply_keys
from tempik.desktop.shell.status import StatusBar
from tempik.desktop.shell.view_commands import ViewCommands
from tempik.desktop.shell.welcome import Welcome
from tempik.desktop.song.strip import SongStrip
from tempik.desktop.timeline.widget import TimelineView
from tempik.desktop.widgets.by_hand import entries_ask
from tempik.desktop.widgets.count_panel import CountPanel
from tempik.desktop.widgets.dropped_files import local_files
from tempik.desktop.widgets.form import name_controls
from tempik.desktop.widgets.pixmap_cache import forget_pictures
from tempik.desktop.widgets.plain import pop_up
from tempik.desktop.widgets.theme import dressed_last, icon
from tempik.reel.points import tempi_of
from tempik.rhythm.tempi import tempo_words

P = TypeVar("P", bound=Page)


class Window(QMainWindow):
    """Tempik's main window."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowIcon(icon("tempik"))
        self.setAcceptDrops(True)
        self._closed = False
        with dressed_last():
            self._make_session()
            self._make_commands()
            self._make_views()
            self._lay_out()
            self._wire_session()
            self._wire_views()
            self._bind_commands()
            self.page_panel.open_first()
        self._reel_changed()
        name_controls(self)

    # Composing

    def _make_session(self) -> None:
        session = self.session = Session(self)
        self.project, self.worker, self.background = session.project, session.worker, session.background
        self.watch, self.looking, self.filmstrips = session.watch, session.looking, session.filmstrips
        self.proxy_store, self.song, self.shapes = session.proxy_store, session.song, session.shapes
        self.importer, self.recovery = session.importer, session.recovery
        self.delivery, self.exports = session.delivery, session.exports
        self.clip_sounds = ClipSounds(self.project, self.worker)
        self.reel_sound = ReelSound(self.project, self.song, self.clip_sounds, self.worker)
        self.transport = Transport(self.project, self.song, self.proxy_store.proxy_for, self.reel_sound)
        self.player, self.listening = self.transport.player, self.transport.listening

    def _make_commands(self) -> None:
        project, transport = self.project, self.transport
        self.count = CountPanel(self)
        self.projects = ProjectCommands(project, self.importer, self.recovery, self.delivery, self)
        self.exporting = ExportCommands(self.exports, self)
        self.drafts = DraftCommands(self.delivery, self.proxy_store, self.looking)
        self.exchanging = Exchanging(project, self.importer, self.worker, self.projects.may_leave)
        self.exchanges = ExchangeCommands(self.exchanging, self)
        self.edits, self.selects = EditCommands(project), SelectCommands(project)
        self.play = PlayCommands(project, transport)
        self.media = MediaCommands(project, self.proxy_store, transport)
        self.points = PointCommands(project, transport, self)
        self.rhythm = RhythmCommands(project, transport)
        self.readings = ReadingCommands(project, self.listening)
        self.cuts = CutCommands(project, self.count)
        self.clips = PinCommands(project, self.cuts)
        self.speeds = SpeedCommands(project, self.cuts, self.count)
        self.bundles = BundleCommands(project)
        self.accents = AccentCommands(project, self.worker, self.count, self.bundles)
        self.transitions = TransitionCommands(project, self.worker, self.proxy_store, self.count)
        self.titles = TitleCommands(project, self.worker, self)
        self.frames, self.keys, self.recipes = FrameCommands(project), KeyCommands(project), RecipeCommands(project)
        self.grading = GradeCommands(project, self.worker, self.looking, self)
        self.sounds = SoundCommands(project, self.worker, self.reel_sound, self)
        self.arrange = ArrangeCommands(project, self.song, self.worker, self.sounds.sampler)
        self.layers, self.nests = LayerCommands(project, self.worker, self.proxy_store), NestCommands(project)
        self.copies, self.tracks = (
            CopyCommands(project, self.cuts, self.count),
            TrackCommands(project, self.cuts, self.count),
        )
        self.placing = PlaceCommands(project, self.looking, self.cuts, self.tracks, self.count, self)

    def _make_views(self) -> None:
        self.header = HeaderBar(self.project, self.transport, self.exports)
        self.foot = StatusBar(self.project.messages, (self.worker, self.background))
        self.song_strip = SongStrip(self.project, self.song, self.arrange)
        self.timeline = TimelineView(self.project, self.filmstrips, self.song, self.watch, self.shapes)
        self.welcome = Welcome()
        self.preview = Preview(self.project, self.looking)
        self.tool_strip = ToolStrip()
        self.meter = LandingMeter(self.project)
        self.context = PageContext(
            project=self.project, song=self.song, filmstrips=self.filmstrips, proxy_store=self.proxy_store, watch=self.watch,
            looking=self.looking, delivery=self.delivery, exports=self.exports, exporting=self.exporting,
            listening=self.listening, transport=self.transport, files=self.projects, play=self.play, cuts=self.cuts,
            placing=self.placing, copies=self.copies, tracks=self.tracks, speeds=self.speeds, accents=self.accents,
            bundles=self.bundles, transitions=self.transitions, titles=self.titles, frames=self.frames, keys=self.keys, recipes=self.recipes,
            layers=self.layers, points=self.points,
            rhythm=self.rhythm, readings=self.readings, grading=self.grading, sounds=self.sounds, shapes=self.shapes,
            mode_changed=self._page_opened, tool_taken=self.tool_strip.show_tool,
        )  # fmt: skip
        self.page_panel = PagePanel(self.context)
        self.views = ViewCommands(
            self, self.context, self.page_panel, self.timeline, self.preview, self.header, self.tool_strip
        )

    def _lay_out(self) -> None:
        self.middle = Middle(self.project, self.welcome, self.timeline)
        down = Divider(Qt.Orientation.Vertical, "timeline and page", page_panel_height)
        down.addWidget(self.middle)
        down.addWidget(self.page_panel)
        across = Divider(Qt.Orientation.Horizontal, "work and preview", preview_width)
        across.addWidget(column((12, 0), self.song_strip, down))
        across.addWidget(column((4, 12), self.preview, self.tool_strip, self.meter))
        self.setCentralWidget(central(self.header, across, self.foot))
        self.places = WindowPlaces(self, across, down)
        self.places.begin()

    # Wiring

    def _wire_session(self) -> None:
        project, transport = self.project, self.transport
        project.changed.connect(self._reel_changed)
        project.selection.selected.connect(self._selection_changed)
        self.importer.opened.connect(self._opened)
        self.importer.unsure.connect(lambda: self.open_page(RhythmPage))
        self.readings.asked.connect(lambda: self.open_page(RhythmPage))
        self.readings.anew_asked.connect(self.importer.hear_anew)
        self.watch.found.connect(self._media_missing)
        self.watch.back.connect(self._files_back)
        self.song.failed.connect(self._song_failed)
        self.proxy_store.made.connect(lambda _: transport.footage_changed())
        self.player.state_changed.connect(self._play_state)
        # Files are looked over when nothing is waited for.
        transport.waits.connect(lambda waits: self.background.hold(waits, "picture"))
        self.recovery.offered.connect(self.foot.offer)
        self.recovery.taken_up.connect(self.timeline.fit_when_shown)
        self.delivery.measured.connect(self._measured)
        self.exports.changed.connect(lambda: transport.frames.make_room(self.exports.running is not None))
        self.exports.ended.connect(lambda: QApplication.alert(self))  # seen where another window is in front
        self.exporting.wanted.connect(lambda: self.open_page(ExportPage))
        self.projects.begun.connect(self.player.pause)
        self.projects.begun.connect(self.middle.begin)
        self.importer.opened.connect(self.middle.begin)

    def _wire_views(self) -> None:
        header, foot, timeline, transport = self.header, self.foot, self.timeline, self.transport
        transport.size.add_view(self.preview.height_px)
        transport.image_shown.connect(self.preview.show_image)
        transport.told.connect(self.preview.show_message)
        transport.playback_told.connect(self.meter.say)
        transport.frames.prepared.connect(timeline.update)
        self.preview.resized.connect(transport.resized)
        self.preview.placed.connect(lambda at: self.accents.focus_at(at.x(), at.y()))
        self.accents.placing_focus.connect(self.preview.ask_place)
        self.page_panel.opened.connect(self._page_opened)
        self.tool_strip.wanted.connect(self.views.take_tool)
        self.tool_strip.shapes_wanted.connect(self.views.choose_shape)
        self.tool_strip.alone_wanted.connect(self.views.see_alone)
        self.welcome.song_wanted.connect(self.projects.choose_song)
        self.welcome.footage_wanted.connect(self.projects.choose_footage)
        self.welcome.draft_wanted.connect(self.projects.show_draft)
        timeline.tell_from(self.tracks.target_track, transport.frames.stretches)
        timeline.asks.lane_menu.connect(lambda row, at: pop_up(self.accents.lane_menu(row, self), at))
        timeline.asks.lane_wanted.connect(lambda: self.open_page(AccentsPage))
        timeline.asks.clip_menu.connect(self._clip_menu)
        timeline.asks.transition_menu.connect(
            lambda place, at: pop_up(transition_menu(self.transitions, place, self), at)
        )
        timeline.asks.transition_wanted.connect(lambda: self.open_page(TransitionsPage))
        timeline.asks.title_wanted.connect(lambda: self.open_page(TitlesPage))
        timeline.asks.nest_wanted.connect(self.nests.open)
        timeline.asks.sound_menu.connect(lambda channel, at: pop_up(channel_menu(self.sounds, channel, self), at))
        timeline.asks.sound_clip_menu.connect(lambda clip, at: pop_up(sound_clip_menu(self.sounds, clip, self), at))
        timeline.asks.clip_sound_menu.connect(lambda clip, at: pop_up(clip_sound_menu(self.sounds, clip, self), at))
        timeline.asks.key_menu.connect(self.keys.menu)
        timeline.asks.sound_wanted.connect(lambda: self.open_page(SoundPage))
        self.layers.picking.connect(self.show_frame)
        self.titles.laid.connect(lambda: self.open_page(TitlesPage))
        timeline.asks.picture_menu.connect(lambda row, at: pop_up(self.tracks.track_menu(row, self), at))
        timeline.asks.settled_clip.connect(self.clips.say_trouble)
        self.dropped = Dropped(self.project, self.importer, self.placing, timeline, self.player)
        header.nest_button.clicked.connect(self.nests.close_nest)
        header.undo_button.clicked.connect(self.undo)
        header.redo_button.clicked.connect(self.project.redo)
        header.steps_button.clicked.connect(self.views.show_steps)
        header.previous.clicked.connect(self.play.previous_stop)
        header.play_button.clicked.connect(self.play.play_pause)
        header.next.clicked.connect(self.play.next_stop)
        header.draft_button.clicked.connect(self.projects.show_draft)
        header.form_button.clicked.connect(
            lambda: pop_up(form_menu(self.importer, self), header.below(header.form_button))
        )
        header.export_button.clicked.connect(lambda: self.open_page(ExportPage))
        foot.find_missing.clicked.connect(lambda: self.projects.find(sorted(self.watch.missing)[0]))
        self.watch.changed.connect(lambda: foot.find_missing.setVisible(bool(self.watch.missing)))
        foot.answered.connect(self.recovery.answer)
        foot.mended.connect(lambda name: self.commands[name].trigger())

    def _bind_commands(self) -> None:
        places = TourPlaces(
            self.welcome, self.timeline, self.meter, self.page_panel, self.song_strip, self.header.export_button
        )
        self.first = FirstMinutes(self, self.session, self.projects, self.exchanging, self.preview, places)
        self.drafting = Drafting(self, self.session, self.arrange, self.projects, self.timeline, self.preview)
        self.delivery.drafting.connect(self.player.pause)  # while it plays nothing is looked over
        self.registry = Commands(self.project, self, self._taken)
        for owner in sorted((v for v in vars(self).values() if type(v) in OWNERS), key=lambda o: OWNERS.index(type(o))):
            self.registry.bind(owner)
        for kind, command in zip(PAGES, page_commands(), strict=True):
            self.registry.add(command, partial(self.open_page, kind))
        self.commands = self.registry.actions
        self.addActions(list(self.commands.values()))
        self.views.knows(self.registry)
        self.menu = ProjectMenu(self.registry, self.context, self)
        self.recent_menu, self.versions_menu = self.menu.recent, self.menu.versions
        self.header.menu_button.setMenu(entries_ask(self.menu))
        apply_keys(self.registry)
        HeldKey(self, BEFORE, self.transport.frames.show_before)

    def _taken(self) -> Mapping[str, Callable[[], object]]:
        page = self.page_panel.current
        taken = page.takes() if page is not None else {}
        # Keys that are chosen are what is to go, not their clip.
        return {**taken, "remove_clip": self.keys.remove_keys} if self.project.selection.keys.chosen else taken

    # What follows from a change

    def _reel_changed(self) -> None:
        reel = self.project.reel
        self.tool_strip.show_shape(self.frames.shown_text, own=not self.project.shown.name)
        self.setWindowTitle(f"{self.project.name}[*] – Tempik")
        self.setWindowModified(self.project.unsaved)
        self.middle.show_reel()
        song = Path(reel.soundtrack.path).name if reel.soundtrack is not None else ""
        if song and reel.soundtrack is not None and tempi_of(reel.soundtrack):
            song += f"\n{tempo_words(tempi_of(reel.soundtrack))}"
        self.welcome.show_state(song, len(reel.footage))
        self.transport.reel_changed()
        self._selection_changed()

    def _selection_changed(self) -> None:
        placed = self.project.selection.placed
        text = ""
        if placed is not None:
            count = len(placed.ties)
            pins = f" · {count} pin{'s' if count != 1 else ''}" if count else " · not pinned"
            text = f"{Path(placed.footage.path).stem}{pins if placed.footage.kind == 'video' else ''}"
        self.page_panel.chosen.setText(text)

    def _play_state(self, playing: bool) -> None:
        self.background.hold(playing, "playing")
        if playing:
            self.looking.clear()

    def _page_opened(self) -> None:
        page = self.page_panel.current
        if page is not None:
            self.preview.set_mode(page.preview_mode())
        self.looking.clear()

    def _opened(self) -> None:
        self.player.pause()
        forget_pictures()
        self.timeline.show_whole()
        self.filmstrips.retry()
        self._reel_changed()
        self.recovery.opened()
        self.watch.announce()

    def _files_back(self, paths: list[str]) -> None:
        self.session.files_back(paths)
        self.reel_sound.retry(paths)
        self.transport.footage_changed()

    def _song_failed(self, text: str) -> None:
        """Say it, unless the song is one of the files that have just been called missing, with what to do about it."""
        song = self.project.reel.soundtrack
        if song is None or song.path not in self.watch.missing:
            self.say(text, True)

    def _media_missing(self, gone: list[str], other: list[str]) -> None:
        if gone:
            more = f" and {len(gone) - 1} more are" if len(gone) > 1 else " is"
            self.say(f"{gone[0]}{more} missing; press Find to say where it is. The rest of the project is open.", True)
        elif other:
            self.say(
                f"{other[0]} is another file than the one that was added (its size differs): check its cues.", True
            )

    def _measured(self, report: Report) -> None:
        self.page(CheckPage).show_measured(report)
        self.open_page(CheckPage)

    # What others ask of the window

    def say(self, text: str, error: bool = False) -> None:
        """Show one sentence in the status line."""
        self.project.messages.say(text, error)

    def open_page(self, kind: type[Page]) -> None:
        """Open a page."""
        self.page_panel.open(kind)

    def undo(self) -> None:
        """Take the last step back."""
        self.project.undo()

    def fit(self) -> None:
        """Show the whole reel on the timeline."""
        self.timeline.fit()

    def show_frame(self) -> None:
        """Open the Frame page."""
        self.open_page(FramePage)

    def page(self, kind: type[P]) -> P:
        """Return one of the pages."""
        return self.page_panel.page(kind)

    @property
    def frame_page(self) -> FramePage:
        """The Frame page."""
        return self.page_panel.page(FramePage)

    # Menus and panels

    def _clip_menu(self, clip: str, at: QPoint) -> None:
        pop_up(clip_menu(self.commands, self.context, self.clips, clip, self), at)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = local_files(event.mimeData())
        if paths:
            event.acceptProposedAction()
            self.first.bring(paths)

    # Closing

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.projects.may_leave() or not self.exporting.may_leave():
            event.ignore()
            return
        self.places.keep()
        self.first.keep_picture()
        self.shut_down()
        event.accept()

    def shut_down(self) -> None:
        """Stop every thread; called once, when the window closes."""
        if self._closed:
            return
        self._closed = True
        self.views.close_up()
        self.transport.close()
        self.page_panel.close_up()
        self.session.close()
