"""The middle of the window: what there is to begin with, or the timeline."""

from __future__ import annotations

from PySide6.QtGui import QDragEnterEvent
from PySide6.QtWidgets import QStackedWidget

from tempik.desktop.session.document import Project
from tempik.desktop.shell.welcome import Welcome
from tempik.desktop.timeline.dropping import FOOTAGE_MIME
from tempik.desktop.timeline.widget import LEAST_H, TimelineView


class Middle(QStackedWidget):
    """Shows the timeline once there are clips, or once someone means to lay them by hand; what there is to begin with before."""

    def __init__(self, project: Project, welcome: Welcome, timeline: TimelineView) -> None:
        super().__init__()
        self._project, self._welcome, self._timeline = project, welcome, timeline
        self._by_hand = False
        self._had_clips = False
        self.addWidget(welcome)
        self.addWidget(timeline)
        self.setMinimumHeight(LEAST_H)
        self.setAcceptDrops(True)
        welcome.by_hand_wanted.connect(self.lay_by_hand)

    def lay_by_hand(self) -> None:
        """Show the timeline though nothing may lie on it."""
        self._by_hand = True
        self.show_reel()

    def begin(self) -> None:
        """Another project is open."""
        self._by_hand = self._had_clips = False
        self.show_reel()

    def show_reel(self) -> None:
        """Show what the reel as it is now wants."""
        has_clips = bool(self._project.reel.clips)
        # Who takes the last clip out goes on where it was; who undoes the first one is back at the beginning.
        if self._had_clips and not has_clips and not self._project.history.can_redo:
            self._by_hand = True
        self._had_clips = has_clips
        self.setCurrentWidget(self._timeline if has_clips or self._by_hand else self._welcome)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Footage of the shelf is on its way to the timeline, which takes it from here on."""
        if event.mimeData().hasFormat(FOOTAGE_MIME):
            event.acceptProposedAction()
            self.lay_by_hand()
