"""What a page of the page panel is: its name and key, what stands beside the tabs, what it wants of the preview and the keys."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import NamedTuple

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QWidget

from tempik.desktop.commands.accents import AccentCommands
from tempik.desktop.commands.bundles import BundleCommands
from tempik.desktop.commands.copies import CopyCommands
from tempik.desktop.commands.cut import CutCommands
from tempik.desktop.commands.exporting import ExportCommands
from tempik.desktop.commands.frames import FrameCommands
from tempik.desktop.commands.grade import GradeCommands
from tempik.desktop.commands.keys import KeyCommands
from tempik.desktop.commands.layers import LayerCommands
from tempik.desktop.commands.place import PlaceCommands
from tempik.desktop.commands.play import PlayCommands
from tempik.desktop.commands.points import PointCommands
from tempik.desktop.commands.project import ProjectCommands
from tempik.desktop.commands.readings import ReadingCommands
from tempik.desktop.commands.recipes import RecipeCommands
from tempik.desktop.commands.rhythm import RhythmCommands
from tempik.desktop.commands.sounds import SoundCommands
from tempik.desktop.commands.speed import SpeedCommands
from tempik.desktop.commands.titles import TitleCommands
from tempik.desktop.commands.tracks import TrackCommands
from tempik.desktop.commands.transitions import TransitionCommands
from tempik.desktop.playback.listening import Listening
from tempik.desktop.playback.transport import Transport
from tempik.desktop.preview.mode import PreviewMode
from tempik.desktop.session.background import ProxyStore
from tempik.desktop.session.delivery import Delivery
from tempik.desktop.session.document import Project
from tempik.desktop.session.exports import Exports
from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.session.inspecting import Looking
from tempik.desktop.session.media_watch import MediaWatch
from tempik.desktop.session.song import Song
from tempik.desktop.session.sound_shapes import SoundShapes


class PageContext(NamedTuple):
    """What pages work with: the open project, what plays it, and what is done to it."""

    project: Project
    song: Song
    filmstrips: Filmstrips
    proxy_store: ProxyStore
    watch: MediaWatch
    looking: Looking
    delivery: Delivery
    exports: Exports
    listening: Listening
    transport: Transport
    files: ProjectCommands
    exporting: ExportCommands
    play: PlayCommands
    cuts: CutCommands
    placing: PlaceCommands
    copies: CopyCommands
    tracks: TrackCommands
    speeds: SpeedCommands
    accents: AccentCommands
    bundles: BundleCommands
    transitions: TransitionCommands
    titles: TitleCommands
    frames: FrameCommands
    keys: KeyCommands
    recipes: RecipeCommands
    layers: LayerCommands
    points: PointCommands
    rhythm: RhythmCommands
    readings: ReadingCommands
    grading: GradeCommands
    sounds: SoundCommands
    shapes: SoundShapes
    mode_changed: Callable[[], None]  # the open page wants the preview otherwise
    tool_taken: Callable[[str], None]  # a tool of the strip under the preview is taken


class Page(QWidget):
    """One page. It is filled when it can be seen: `want` says that what it shows is out of date."""

    name = ""  # of its command: show_…
    title = ""
    key = ""

    def __init__(self, context: PageContext) -> None:
        super().__init__()
        self.context = context
        self.project = context.project
        self.stale = True

    def tools(self) -> QWidget | None:
        """Return what stands beside the tabs while the page is shown."""
        return None

    def preview_mode(self) -> PreviewMode:
        """Return what drags and clicks in the preview mean while the page is open."""
        return PreviewMode()

    def takes(self) -> Mapping[str, Callable[[], object]]:
        """Return the commands that mean something of the page's own now, by name."""
        return {}

    def entered(self) -> None:
        """The page was opened."""

    def left(self) -> None:
        """Another page was opened."""

    def room_changed(self, width: int) -> None:
        """The page panel is so wide now: the page may need less."""

    def refill(self) -> None:
        """Show what is."""
        raise NotImplementedError

    def want(self) -> None:
        """Fill the page now if it can be seen, else when it is next shown."""
        self.stale = True
        if self.isVisible():
            self._fill_now()

    def showEvent(self, event: QShowEvent) -> None:
        if self.stale:
            self._fill_now()

    def _fill_now(self) -> None:
        self.stale = False
        self.refill()

    def close_up(self) -> None:
        """Stop what the page has running; called once, when the window closes."""
